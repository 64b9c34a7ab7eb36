package rules

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/jobs"
	"nevrin/app/network"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/formats/sheet"
	"nevrin/store"
	"nevrin/store/rulesdb"
)

// Rehearsal is a rehearsal as it is shown.
type Rehearsal struct {
	ID       int64                 `json:"id"`
	Edition  int64                 `json:"edition"`
	Number   int                   `json:"number" doc:"Of the draft"`
	Stale    bool                  `json:"stale" doc:"The draft has changed since"`
	Against  int                   `json:"against" doc:"Number of the edition it is compared with; 0: for each loan the one it was made under"`
	Since    string                `json:"since"`
	Until    string                `json:"until"`
	Period   string                `json:"period" doc:"In words"`
	State    string                `json:"state" enum:"waiting,running,done,stopped,failed"`
	Done     int                   `json:"done"`
	Total    int                   `json:"total"`
	Problem  string                `json:"problem"`
	Seconds  float64               `json:"seconds"`
	BegunAt  time.Time             `json:"begun_at"`
	Result   *rulebook.Rehearsed   `json:"result,omitempty"`
	Assumed  []string              `json:"assumed" doc:"What is taken for granted"`
	Names    map[string]string     `json:"names" doc:"Names of the codes that occur"`
	Cases    []AffectedLoan        `json:"cases"`
	Patrons  map[string][]Affected `json:"patrons" doc:"stopped, freed: patrons by name"`
	Currency string                `json:"currency"`
}

// AffectedLoan is one of the most affected loans.
type AffectedLoan struct {
	rulebook.Case
	Title  string `json:"title"`
	Name   string `json:"name"`
	Before string `json:"before" doc:"Charge before"`
	After  string `json:"after"`
}

// Affected is a patron newly stopped or freed.
type Affected struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

// assumed is what every rehearsal takes for granted.
var assumed = []string{
	"Patrons borrow, renew and return exactly when they did. Longer or shorter loans may change that.",
	"Charges are recalculated for both sides and not taken from the accounts; nobody pays in between.",
	"Several renewals of a loan count as the last one.",
	"Loans that were refused at the time are not on record, so what would be newly allowed is only seen where a stop " +
		"was overridden.",
	"Ages, consents and what was owed at the time do not refuse a loan here.",
	"Items still on loan count as late until now.",
	"A due date that a closure or a hand has moved stays as it was moved, where the rules come to the same.",
}

// assumptions are what a rehearsal takes for granted.
func assumptions(r *Rehearsal) []string {
	out := slices.Clone(assumed)
	if r.Against == 0 {
		out = append(out, "Each loan is compared with the edition it was made under, so later changes show too.")
	} else {
		out = append(out, fmt.Sprintf("Each loan is compared with edition %d, whatever was in force then.", r.Against))
	}
	if r.Result != nil && r.Result.Cut > 0 {
		out = append(out, fmt.Sprintf("For %s the patron is no longer recorded. What such a patron had "+
			"on loan at the time, or owed, is not checked, and their own hold on the title counts as somebody else’s.",
			calendar.Count(r.Result.Cut, "loan")))
	}
	return out
}

// RehearseArgs is the job of a rehearsal.
type RehearseArgs struct {
	Rehearsal int64 `json:"rehearsal"`
}

// InsertOpts puts it with what takes long.
func (RehearseArgs) InsertOpts() river.InsertOpts { return jobs.Long() }

// Kind names the job in the queue.
func (RehearseArgs) Kind() string { return "rehearse" }

// Period is the time that a rehearsal runs over, and the edition it is compared with.
type Period struct {
	Since calendar.Date `json:"since" format:"date"`
	Until calendar.Date `json:"until" format:"date"`
	Then  bool          `json:"then" doc:"Compare each loan with the edition it was made under; otherwise all with the one in force today"`
}

// Begin begins a rehearsal of a draft on the loans of a period.
func Begin(a *act.Act, draft int64, p Period) (*Rehearsal, error) {
	since, until := p.Since, p.Until
	row, err := editionRow(a, draft)
	if err != nil {
		return nil, err
	}
	switch {
	case until < since:
		return nil, problem.Newf(problem.Invalid, "The period ends before it starts.")
	case since > a.Today():
		return nil, problem.Newf(problem.Invalid, "This period is in the future. Choose one that starts before today.")
	}
	r := rulesdb.Rehearsal{
		EditionID: draft,
		Revision:  row.Revision,
		Since:     since.UTC(),
		Until:     until.UTC(),
		State:     "waiting",
		StaffID:   a.Who.ID,
		BegunAt:   a.Now,
	}
	if !p.Then {
		r.AgainstID = &a.Book.ID
	}
	if err := rulesdb.AddRehearsal(a.Tx, &r); err != nil {
		return nil, err
	}
	a.Tell(
		event.Event{
			Kind: event.Rehearsed,
			Detail: event.Detail{
				Says: fmt.Sprintf("Edition %d rehearsed on %s to %s", row.Number, a.Network.SayDate(since), a.Network.SayDate(until)),
			},
		},
	)
	if err := a.Enqueue(RehearseArgs{r.ID}); err != nil {
		return nil, err
	}
	return Rehearsed(a, r.ID)
}

// Stop stops a rehearsal that has not ended.
func Stop(a *act.Act, id int64) (*Rehearsal, error) {
	stopped, err := rulesdb.StopRehearsal(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if stopped {
		a.Tell(event.Event{Kind: event.RehearsalStopped})
	}
	return Rehearsed(a, id)
}

// Rehearsals gives a page of the rehearsals of an edition, the latest first, without their results.
func Rehearsals(a *act.Act, edition int64, page store.Page) ([]Rehearsal, store.Page, error) {
	rows, next, err := rulesdb.Rehearsals(a.Tx, edition, page)
	out := []Rehearsal{}
	for _, r := range rows {
		out = append(out, showRehearsal(a.Network, &r))
	}
	return out, next, err
}

func showRehearsal(n *network.Network, r *rulesdb.Rehearsal) Rehearsal {
	out := Rehearsal{
		ID:      r.ID,
		Edition: r.EditionID,
		Number:  r.Edition.Number,
		Stale:   r.Edition.Revision != r.Revision,
		Since:   r.Since.Format(time.DateOnly),
		Until:   r.Until.Format(time.DateOnly),
		Period:  n.SayDate(*store.DateOf(&r.Since)) + " to " + n.SayDate(*store.DateOf(&r.Until)),
		State:   r.State,
		Done:    r.Done,
		Total:   r.Total,
		Problem: r.Problem,
		Seconds: r.Seconds,
		BegunAt: r.BegunAt,
		Assumed: []string{},
		Names:   map[string]string{},
		Cases:   []AffectedLoan{},
		Patrons: map[string][]Affected{},
	}
	if r.Against != nil {
		out.Against = r.Against.Number
	}
	return out
}

// Rehearsed is a rehearsal with what it has found.
func Rehearsed(a *act.Act, id int64) (*Rehearsal, error) {
	row, err := rulesdb.RehearsalByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if row == nil {
		return nil, problem.NoSuch("rehearsal")
	}
	out := showRehearsal(a.Network, row)
	out.Currency = a.Network.Money.Code
	if row.State != "done" {
		return &out, nil
	}
	out.Result = &rulebook.Rehearsed{}
	if err := json.Unmarshal(row.Result, out.Result); err != nil {
		return nil, err
	}
	out.Assumed = assumptions(&out)
	for _, b := range a.Network.Branches {
		out.Names[string(b.Code)] = b.Name
	}
	for _, c := range a.Network.Classes {
		out.Names[c.Code] = c.Name
	}
	for number := range out.Result.By["edition"] {
		out.Names[number] = "Edition " + number
	}
	return &out, named(a, &out)
}

// named puts names to the most affected loans and patrons.
func named(a *act.Act, out *Rehearsal) error {
	var loans []int64
	for _, c := range out.Result.Cases {
		loans = append(loans, c.Loan)
	}
	names, err := rulesdb.LoanNames(a.Tx, loans)
	if err != nil {
		return err
	}
	for _, c := range out.Result.Cases {
		shown := AffectedLoan{
			Case:   c,
			Before: a.Network.Money.Format(c.ChargedBefore),
			After:  a.Network.Money.Format(c.ChargedAfter),
		}
		shown.Title, shown.Name = names[c.Loan][0], names[c.Loan][1]
		out.Cases = append(out.Cases, shown)
	}
	for kind, ids := range map[string][]int64{"stopped": out.Result.Stopped, "freed": out.Result.Freed} {
		rows, err := rulesdb.PatronsByID(a.Tx, ids, 200)
		if err != nil {
			return err
		}
		list := []Affected{}
		for k := range rows {
			list = append(list, Affected{rows[k].ID, rows[k].Name()})
		}
		out.Patrons[kind] = list
	}
	return nil
}

// Rehearser works rehearsals.
type Rehearser struct {
	river.WorkerDefaults[RehearseArgs]
	House *act.House
}

// Timeout lets a rehearsal take its time.
func (*Rehearser) Timeout(*river.Job[RehearseArgs]) time.Duration { return time.Hour }

// RehearsalsArgs is the job that looks for rehearsals at which nobody is any more.
type RehearsalsArgs struct{}

// Kind names the job in the queue.
func (RehearsalsArgs) Kind() string { return "resume_rehearsals" }

// Work runs a rehearsal. One that a killed program left behind is run from the beginning.
func (w *Rehearser) Work(ctx context.Context, job *river.Job[RehearseArgs]) error {
	return Run(ctx, w.House, job.Args.Rehearsal)
}

var errStopped = errors.New("stopped")

// Run runs a rehearsal to its end, or until it is stopped, if nobody else does.
func Run(ctx context.Context, h *act.House, id int64) error {
	_, err := jobs.Claim(ctx, h.Store, store.RehearsalWork(id), func(ctx context.Context, _ string) error { return run(ctx, h, id) })
	if errors.Is(err, jobs.ErrStopped) {
		return nil
	}
	return err
}

func run(ctx context.Context, h *act.House, id int64) error {
	begun, err := rulesdb.BeginRehearsal(ctx, h.Store, id)
	if err != nil || !begun {
		return err
	}
	start := time.Now()
	result, err := rehearse(ctx, h, id)
	switch {
	case errors.Is(err, errStopped):
		return nil
	case err != nil && ctx.Err() == nil:
		return rulesdb.FailRehearsal(ctx, h.Store, id, store.Written(err))
	case err != nil:
		return err
	}
	data, err := json.Marshal(result)
	if err != nil {
		return err
	}
	return rulesdb.EndRehearsal(ctx, h.Store, id, data, time.Since(start).Seconds())
}

// workers is how many parts a rehearsal is cut into; they run side by side.
const workers = 2

func rehearse(ctx context.Context, h *act.House, id int64) (*rulebook.Rehearsed, error) {
	row, err := rulesdb.RehearsalRow(ctx, h.Store, id)
	if err != nil {
		return nil, err
	}
	// The editions are read once, in an act that ends before the long reading begins.
	books := map[int64]*network.Edition{}
	now, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (time.Time, error) {
		ids, err := rulesdb.EditionIDs(a.Tx, row.EditionID)
		if err != nil {
			return a.Now, err
		}
		for _, id := range ids {
			book, err := a.Edition(id)
			if err != nil {
				return a.Now, err
			}
			books[id] = book
		}
		return a.Now, nil
	})
	if err != nil {
		return nil, err
	}
	draft := books[row.EditionID]
	var against *rulebook.Rulebook
	if row.AgainstID != nil {
		against = books[*row.AgainstID].Rulebook
	}
	zone := now.Location() // the network's: days of a period are the same for all branches
	since, until := calendar.Local(calendar.DateOf(row.Since), 0, zone), calendar.Local(calendar.DateOf(row.Until)+1, 0, zone)
	if err := rulesdb.CountRehearsal(ctx, h.Store, id, since, until); err != nil {
		return nil, err
	}
	patrons := make(chan []rulebook.Past, 256)
	parts := make([]*rulebook.Rehearsal, workers)
	var all sync.WaitGroup
	for k := range parts {
		parts[k] = rulebook.Rehearse(draft.Rulebook, against, now)
		all.Go(func() {
			for loans := range patrons {
				parts[k].Patron(loans)
			}
		})
	}
	err = eachPatron(ctx, h.Store, row.ID, since, until, now, books, patrons)
	close(patrons)
	all.Wait()
	if err != nil {
		return nil, err
	}
	return parts[0].Result(parts[1:]...), nil
}

// eachPatron reads the loans of a period and hands them on patron by patron, telling how far it is.
func eachPatron(
	ctx context.Context,
	s *store.Store,
	id int64,
	since, until, now time.Time,
	books map[int64]*network.Edition,
	patrons chan<- []rulebook.Past,
) error {
	var loans []rulebook.Past
	done, told := 0, time.Now()
	err := rulesdb.EachPastLoan(ctx, s, since, until, now, func(p *rulesdb.PastLoan) error {
		if loans != nil && p.Patron != loans[0].Patron {
			patrons <- loans
			loans = make([]rulebook.Past, 0, len(loans))
		}

		past, err := pastOf(p, books)
		if err != nil {
			return err
		}
		loans = append(loans, past)
		if done++; done%2000 == 0 && time.Since(told) > 500*time.Millisecond {
			told = time.Now()
			still, err := rulesdb.RehearsalAt(ctx, s, id, done)
			if err == nil && !still {
				return errStopped
			}
			return err
		}
		return nil
	})
	if loans != nil {
		patrons <- loans
	}
	return err
}

func pastOf(p *rulesdb.PastLoan, books map[int64]*network.Edition) (rulebook.Past, error) {
	out := rulebook.Past{
		ID:       p.ID,
		Item:     p.Item,
		Patron:   p.Patron,
		Lent:     p.Lent,
		Renewed:  p.Renewed,
		Renewals: p.Renewals,
		Returned: p.Returned,
		Awaited:  p.Awaited,

		AwaitedThen: p.AwaitedThen,
		Cut:         p.Cut,
	}
	book := books[p.Edition]
	if book == nil {
		return out, fmt.Errorf("loan %d was made under an edition that is not there", p.ID)
	}
	out.Book, out.Edition = book.Rulebook, strconv.Itoa(book.Number)
	rest := p.Situation
	for d := range out.Situation {
		out.Situation[d], rest, _ = strings.Cut(rest, "\x1f")
	}
	if p.DueAt != nil {
		out.Due = loan.AtInstant(*p.DueAt)
	} else {
		out.Due = loan.OnDate(*p.DueDate)
	}
	if p.Price != nil {
		price := *p.Price
		out.Price = &price
	}
	if p.OwnTerms != "" {
		own, err := book.ParseSettings([]byte(p.OwnTerms))
		if err != nil {
			return out, err
		}
		out.Own = own
	}
	return out, nil
}

// WriteCSV writes a finished rehearsal as a table: sums by branch, patron class and material class, then the
// most affected loans.
func WriteCSV(w io.Writer, r *Rehearsal, currency money.Currency) error {
	var out [][]string
	write := func(cells ...string) { out = append(out, cells) }
	against := "the rules at the time"
	if r.Against != 0 {
		against = fmt.Sprint("edition ", r.Against)
	}
	write("Rehearsal of edition", strconv.Itoa(r.Number), r.Period, "compared with "+against)
	write(
		"By",
		"Value",
		"Loans",
		"Due dates changed",
		"Refused",
		"Late before",
		"Late after",
		"Charged before",
		"Charged after",
	)
	line := func(by, value string, t rulebook.Tally) {
		write(
			by,
			value,
			strconv.Itoa(t.Loans),
			strconv.Itoa(t.Moved),
			strconv.Itoa(t.Refused),
			strconv.Itoa(t.LateBefore),
			strconv.Itoa(t.LateAfter),
			currency.Format(t.ChargedBefore),
			currency.Format(t.ChargedAfter),
		)
	}
	line("All", "", r.Result.Tally)
	for _, d := range []string{"edition", rulebook.LendingBranch.String(), rulebook.PatronClass.String(),
		rulebook.MaterialClass.String()} {
		by := r.Result.By[d]
		values := make([]string, 0, len(by))
		for v := range by {
			values = append(values, v)
		}
		slices.Sort(values)
		for _, v := range values {
			line(strings.ReplaceAll(d, "_", " "), r.Names[v], *by[v])
		}
	}
	write("Days later", "Loans")
	days := make([]int, 0, len(r.Result.ByDays))
	for d := range r.Result.ByDays {
		days = append(days, d)
	}
	slices.Sort(days)
	for _, d := range days {
		write(strconv.Itoa(d), strconv.Itoa(r.Result.ByDays[d]))
	}
	write("Loan", "Title", "Due before", "Due after", "Charged before", "Charged after", "Refused")
	for _, c := range r.Cases {
		write(strconv.FormatInt(c.Loan, 10), c.Title, c.DueBefore, c.DueAfter, c.Before, c.After, c.Refused)
	}
	for _, text := range r.Assumed {
		write("Assumed", text)
	}
	return sheet.Write(w, out)
}
