// Package sweeps changes many records at once: due dates, renewals, late fines, cards, patron classes and pickup branches.
//
// A change is looked at first: which records, what each was and would be. Applied, it is a sweep whose lines are done by a job, in parts, so
// that nobody's lending waits for it; it can be stopped, continued and undone. What has changed in the meantime stays as it is, and is
// listed with the reason. Begin to read with Change, Preview and Apply. What follows from calendars is in app/calendars.
package sweeps

import (
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/sweep"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/networkdb"
	"nevrin/store/sweepsdb"
)

// Change is a change of many records.
type Change struct {
	Kind    sweepsdb.Kind `json:"kind" enum:"due,renewals,charges,cards,classes,pickups"`
	Which   Which         `json:"which"`
	Dates   sweep.Dates   `json:"dates" doc:"Of due dates and cards"`
	Class   string        `json:"class" maxLength:"60" doc:"Of classes: the new one"`
	Pickup  calendar.Code `json:"pickup" maxLength:"3" doc:"Of pickups: the new branch"`
	Reason  string        `json:"reason" maxLength:"300"`
	LeftOut []int64       `json:"left_out" maxItems:"5000" nullable:"false" doc:"Records left out: loans, charges, patrons or holds by their ids"`
}

// Which are the records meant. Empty fields set no limit.
type Which struct {
	Branches  []calendar.Code `json:"branches" maxItems:"100" nullable:"false" doc:"Where it was lent or charged, or is picked up"`
	Owners    []calendar.Code `json:"owners" maxItems:"100" nullable:"false" doc:"Which own the items"`
	Homes     []calendar.Code `json:"homes" maxItems:"100" nullable:"false" doc:"Home branches of patrons"`
	Classes   []string        `json:"classes" maxItems:"50" nullable:"false" doc:"Of patrons"`
	Materials []string        `json:"materials" maxItems:"50" nullable:"false"`
	Roster    int64           `json:"roster" doc:"Only its members; 0: everybody"`
	From      *calendar.Date  `json:"from,omitempty" format:"date" doc:"Due, charged, or with a card that expires, from this day on"`
	To        *calendar.Date  `json:"to,omitempty" format:"date" doc:"Until this day"`
	FromAge   *int            `json:"from_age,omitempty" minimum:"0" maximum:"120" doc:"Of classes: at least so old"`
	ToAge     *int            `json:"to_age,omitempty" minimum:"0" maximum:"120" doc:"Of classes: at most so old"`
}

// Previewed is what a change would do.
type Previewed struct {
	Text    string `json:"text" doc:"The change, in a sentence"`
	Lines   int    `json:"lines" doc:"Records that change, without those left out"`
	Patrons int    `json:"patrons"`
	Told    int    `json:"told" doc:"Loans of which a notice was sent as they are due now"`
	Awaited int    `json:"awaited" doc:"Loans of titles for which others wait"`
	Beyond  int    `json:"beyond" doc:"Loans that would be due after the patron's card expires"`
	Sum     string `json:"sum" doc:"Of charges: what is waived"`
}

// mostLines is the most records that one change may concern.
const mostLines = 1_000_000

// Preview tells what a change would do. Nothing is changed.
func Preview(a *act.Act, c Change) (*Previewed, error) {
	which, becoming, text, err := c.settle(a)
	if err != nil {
		return nil, err
	}
	t, err := sweepsdb.Total(a.Tx, c.Kind, which, becoming)
	if err != nil {
		return nil, err
	}
	out := &Previewed{Text: text, Lines: t.Lines, Patrons: t.Patrons, Told: t.Told, Awaited: t.Awaited, Beyond: t.Beyond}
	if t.Owed > 0 {
		out.Sum = a.Network.Money.Say(money.Amount(t.Owed))
	}
	return out, nil
}

// settle checks a change, and gives what it means: which records, what they become, and the change in a sentence.
func (c *Change) settle(a *act.Act) (*sweepsdb.Which, *sweepsdb.Becoming, string, error) {
	w := &sweepsdb.Which{
		Branches: c.Which.Branches, Owners: c.Which.Owners, Homes: c.Which.Homes, Classes: c.Which.Classes, Materials: c.Which.Materials,
		Roster: c.Which.Roster, From: columnOf(c.Which.From), To: columnOf(c.Which.To), LeftOut: c.LeftOut,
	}
	if c.Which.From != nil && c.Which.To != nil && *c.Which.To < *c.Which.From {
		return nil, nil, "", problem.Newf(problem.Invalid, "%s is before %s. Choose a later last day.", a.SayDate(*c.Which.To), a.SayDate(*c.Which.From))
	}
	if c.Which.FromAge != nil { // born on this day or before
		w.BornTo = store.Column(a.Today().AddYears(-*c.Which.FromAge))
	}
	if c.Which.ToAge != nil { // born after the day on which they become a year older
		w.BornFrom = store.Column(a.Today().AddYears(-*c.Which.ToAge - 1).Add(1))
	}
	who, err := c.Which.say(a)
	if err != nil {
		return nil, nil, "", err
	}
	if len(c.Narrowed()) == 0 {
		return nil, nil, "", problem.Newf(problem.Invalid, "Choose which records. Without any filter this would be all of them.")
	}
	b := &sweepsdb.Becoming{}
	says := ""
	switch c.Kind {
	case sweepsdb.Due:
		says, err = c.dueDates(a, w, b)
	case sweepsdb.Renewals:
		says = "Renew loans"
	case sweepsdb.Charges:
		if strings.TrimSpace(c.Reason) == "" {
			return nil, nil, "", problem.Newf(problem.Invalid, "Enter a reason for the waiver.")
		}
		says = "Waive late fines"
	case sweepsdb.Cards:
		says, err = c.cards(a, b)
	case sweepsdb.Classes:
		if !slices.ContainsFunc(a.Network.Classes, func(k networkdb.Class) bool { return k.Kind == "patron" && k.Code == c.Class && !k.Retired }) {
			return nil, nil, "", problem.Newf(problem.Invalid, "Choose the new patron class.")
		}
		if len(c.Which.Classes) == 0 && c.Which.Roster == 0 {
			return nil, nil, "", problem.Newf(problem.Invalid, "Choose a patron class or a roster to move.")
		}
		b.Text, says = c.Class, "Move patrons to "+a.Network.ClassName("patron", c.Class)
	case sweepsdb.Pickups:
		if len(c.Which.Branches) == 0 {
			return nil, nil, "", problem.Newf(problem.Invalid, "Choose the branch where holds are picked up now.")
		}
		if _, err := a.Network.OpenBranch(c.Pickup); err != nil {
			return nil, nil, "", problem.Newf(problem.Invalid, "Choose the branch where holds are to be picked up.")
		}
		b.Text, says = string(c.Pickup), "Pick up holds at "+a.Network.BranchName(c.Pickup)
	default:
		return nil, nil, "", problem.Newf(problem.Invalid, "There is no such change.")
	}
	if err != nil {
		return nil, nil, "", err
	}
	if who != "" {
		says += ": " + who
	}
	return w, b, says, nil
}

func columnOf(d *calendar.Date) *time.Time {
	if d == nil {
		return nil
	}
	return store.Column(*d)
}

// dueDates works out where each due date moves.
func (c *Change) dueDates(a *act.Act, w *sweepsdb.Which, b *sweepsdb.Becoming) (string, error) {
	if err := c.Dates.Check(); err != nil {
		return "", problem.From(problem.Invalid, err)
	}
	if c.Dates.To != nil && *c.Dates.To < a.Today() {
		return "", problem.Newf(problem.Invalid, "%s is in the past. Choose a later day.", a.SayDate(*c.Dates.To))
	}
	whens, err := sweepsdb.Whens(a.Tx, w)
	if err != nil {
		return "", err
	}
	all := 0
	for _, when := range whens {
		branch, err := a.Network.Branch(when.BranchCode)
		if err != nil {
			continue
		}
		due := loansdb.DueOf(when.DueDate, when.DueAt)
		to := c.Dates.Due(branch, due, a.Today())
		if to == due {
			continue
		}
		move := sweepsdb.NewDue{BranchCode: when.BranchCode, DueDate: when.DueDate, DueAt: when.DueAt}
		move.ToDate, move.ToAt = loansdb.DueColumns(to)
		b.Moves = append(b.Moves, move)
		if all += when.Number; all > mostLines {
			return "", problem.Newf(problem.Invalid, "These are more than a million loans. Narrow them down, for example by branch.")
		}
	}
	return "Due dates " + sayDates(a, c.Dates, c.Dates.Open), nil
}

// cards works out until when cards are extended.
func (c *Change) cards(a *act.Act, b *sweepsdb.Becoming) (string, error) {
	c.Dates.Open = false
	if err := c.Dates.Check(); err != nil {
		return "", problem.From(problem.Invalid, err)
	}
	b.Day, b.Days, b.Later = columnOf(c.Dates.To), c.Dates.Days, !c.Dates.Earlier
	return "Cards " + sayDates(a, c.Dates, false), nil
}

// Narrowed names the filters of a change, for the log of who has looked at lists of persons.
func (c Change) Narrowed() []string {
	var out []string
	for name, set := range map[string]bool{
		"branches": len(c.Which.Branches) > 0, "owners": len(c.Which.Owners) > 0, "homes": len(c.Which.Homes) > 0, "classes": len(c.Which.Classes) > 0,
		"materials": len(c.Which.Materials) > 0, "roster": c.Which.Roster != 0, "from": c.Which.From != nil, "to": c.Which.To != nil,
		"from_age": c.Which.FromAge != nil, "to_age": c.Which.ToAge != nil,
	} {
		if set {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}
