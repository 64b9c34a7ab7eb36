// Package returns takes back: from a bin in silence, or with the patron there. Each scan of a run is one line with a
// sign that says where the item goes; every line can be undone, and undoes just what it did.
package returns

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/sight"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/networkdb"
	"nevrin/store/peopledb"
	"nevrin/store/returnsdb"
)

// Run is a returns run as it stands, without its lines.
type Run struct {
	ID       int64     `json:"id"`
	Mode     string    `json:"mode" enum:"bin,patron"`
	Bin      string    `json:"bin" doc:"Which of the branch's bins; empty: the one it has"`
	Counted  string    `json:"counted_as" doc:"Date that returns count as; empty: none"`
	At       string    `json:"counted_at" doc:"Instant that returns count as, in the branch's time; empty: none"`
	LetOff   int       `json:"let_off" doc:"Days of lateness that are let off"`
	Excused  string    `json:"excused" doc:"Why nothing is charged; empty: it is"`
	Odd      bool      `json:"odd" doc:"Returns count otherwise than they usually would"`
	Says     string    `json:"says"`
	Piles    []Pile    `json:"piles"`
	Open     []OpenSum `json:"open" doc:"What is still open, by patron"`
	Notes    []Line    `json:"notes" doc:"Lines whose note waits for an answer"`
	Finished bool      `json:"finished"`
}

// Line is one scan of a run.
type Line struct {
	ID       int64             `json:"id"`
	At       time.Time         `json:"at"`
	Text     string            `json:"text"`
	ItemID   int64             `json:"item_id,omitempty"`
	Barcode  string            `json:"barcode,omitempty"`
	Title    string            `json:"title"`
	PatronID int64             `json:"patron_id,omitempty"`
	Patron   string            `json:"patron,omitempty"`
	Kind     circulation.Found `json:"kind" enum:"wrong_number,card,words,unknown,withdrawn,on_loan,late,lost,under_way,scanned_before,not_on_loan"`
	Found    string            `json:"found" doc:"What we found, in words"`
	Sign     moving.Sign       `json:"sign"`
	Fine     string            `json:"fine" doc:"Empty: none"`
	Answer   string            `json:"answer" enum:",open,paid,account,waived"`
	Undone   bool              `json:"undone"`
	Why      *why.Trace        `json:"why,omitempty"`
	Note     string            `json:"note"`
	Noted    string            `json:"note_answer" enum:",open,stays,off,repair,withdrawn,rebuy,missing"`
	Owner    string            `json:"owner" doc:"Where the item belongs"`
	Call     string            `json:"call_number"`
	Parts    int               `json:"parts" doc:"How many parts it has, to be counted where it is more than one"`
	PartsSay string            `json:"parts_say"`
	Excused  string            `json:"excused" doc:"Why its lateness was not charged; empty: it was, or there was none"`
	Who      string            `json:"who" doc:"Who scanned it"`
}

// Pile is a destination with how much lies there.
type Pile struct {
	Name  string           `json:"name"`
	Kind  circulation.Kind `json:"kind" enum:"shelf,hold_shelf,tote,outside,aside"`
	Place string           `json:"place" doc:"With the kind it tells piles apart"`
	Count int              `json:"count" doc:"0: nothing lies there any more"`
	Seen  bool             `json:"seen" doc:"Somebody has ticked it off, and nothing has come since"`
}

// OpenSum is what a patron has been asked to pay, new charges apart from earlier ones.
type OpenSum struct {
	PatronID int64  `json:"patron_id"`
	Patron   string `json:"patron"`
	New      string `json:"new"`
	Earlier  string `json:"earlier"`
	Lines    int    `json:"lines" doc:"0: nothing is open any more"`
}

// Change lists what an act changed in a batch: lines that are new or other than before, piles with their counts now, open
// sums as they are now.
type Change struct {
	Run   int64     `json:"run"`
	Lines []Line    `json:"lines"`
	Piles []Pile    `json:"piles"`
	Open  []OpenSum `json:"open"`

	Found   []OnLoan `json:"found,omitempty" doc:"Copies on loan that were found by the words scanned; nothing was written"`
	More    bool     `json:"more,omitempty" doc:"There are more of them: say more words"`
	Several []string `json:"several,omitempty" doc:"The codes of one line, each to be sent by itself; nothing was written"`
}

// Open gives the open run of a bin of this branch, which whoever is there goes on with, or the actor's own with a patron; or
// begins one. A bin counts as the last open day of the branch when it is emptied for the first time on a day, unless the branch
// has settled otherwise, and as now when it is emptied again.
func Open(a *act.Act, mode, bin string) (*Run, error) {
	if mode != "bin" && mode != "patron" {
		return nil, problem.Newf(problem.Invalid, "A return batch is from a bin or from a patron.")
	}
	bin, err := binOf(a, mode, bin)
	if err != nil {
		return nil, err
	}
	run, emptied, err := returnsdb.OpenRun(a.Tx, a.Who.Branch, a.Who.ID, mode, bin, a.Today().UTC())
	if err != nil {
		return nil, err
	}
	if run != nil && isOver(a, run) {
		returnsdb.FinishRun(a.Tx, run.ID, a.Now) // nobody has finished it when they went home
		run = nil
	}
	if run != nil {
		state, err := returnsdb.LookAtRun(a.Tx, run.ID)
		if err != nil {
			return nil, err
		}
		return show(a, state)
	}
	run = &returnsdb.ReturnRun{
		BranchCode: a.Who.Branch,
		Mode:       mode,
		Bin:        bin,
		Day:        a.Today().UTC(),
		StaffID:    a.Who.ID,
		OpenedAt:   a.Now,
	}
	if mode == "bin" && !rowHere(a).BinsNow {
		if day := loan.BinCountsAs(a.Here(), a.Today(), emptied); day != nil {
			run.CountedAs = store.Column(*day)
		}
	}
	if err := returnsdb.AddRun(a.Tx, run); err != nil {
		return nil, err
	}
	return show(a, &returnsdb.RunState{Run: *run})
}

// isOver tells whether a run takes nothing more, though nobody has finished it.
func isOver(a *act.Act, run *returnsdb.ReturnRun) bool {
	return loan.RunIsOver(run.Mode == "bin" || odd(run), *store.DateOf(&run.Day), a.Today())
}

func stillOn(a *act.Act, run *returnsdb.ReturnRun) error {
	if isOver(a, run) {
		return problem.Newf(problem.Refused, "This batch was started on another day. Start a new one.")
	}
	return nil
}

// odd tells whether returns of a run count otherwise than they usually would. What was chosen for it holds for its day.
func odd(run *returnsdb.ReturnRun) bool {
	return run.CountedAs != nil || run.CountedAt != nil || run.LetOff > 0 || run.Excused != ""
}

// rowHere is the branch where the actor is.
func rowHere(a *act.Act) *networkdb.Branch {
	for k := range a.Network.Rows {
		if row := &a.Network.Rows[k]; row.Code == a.Who.Branch {
			return row
		}
	}
	return &networkdb.Branch{}
}

// binOf gives the bin that is meant: one of the branch's, its first where none is said.
func binOf(a *act.Act, mode, bin string) (string, error) {
	bins := BinsHere(a)
	switch {
	case mode == "patron":
		return "", nil
	case bin == "":
		return bins[0], nil
	case !slices.Contains(bins, bin):
		return "", problem.Newf(
			problem.Invalid,
			"%s has no bin called %q. It has: %s.",
			a.Network.BranchName(a.Who.Branch),
			bin,
			strings.Join(bins, ", "),
		)
	}
	return bin, nil
}

// BinsHere are the names of the bins of the actor's branch; one without a name where it has none of its own.
func BinsHere(a *act.Act) []string {
	if bins := rowHere(a).Bins; len(bins) > 0 {
		return bins
	}
	return []string{""}
}

// Bin is a named place where things are dropped, and when it was emptied.
type Bin struct {
	Name    string     `json:"name" doc:"Empty: the one the branch has"`
	Open    bool       `json:"open" doc:"Somebody is emptying it now"`
	Emptied *time.Time `json:"emptied,omitempty" doc:"When it was begun last; none: never"`
	Who     string     `json:"who" doc:"By whom"`
	Count   int        `json:"count" doc:"How many things were in it then"`
	Hours   int        `json:"hours" doc:"How many open hours ago; bins are emptied about hourly"`
}

// Bins gives the bins of the actor's branch.
func Bins(a *act.Act) ([]Bin, error) {
	names := BinsHere(a)
	rows, err := returnsdb.EmptiedBins(a.Tx, a.Who.Branch, names)
	out := make([]Bin, len(names))
	for k, name := range names {
		out[k] = Bin{Name: name}
		for _, r := range rows {
			if r.Bin == name {
				open := a.Here().OpenBetween(r.OpenedAt, a.Now)
				out[k] = Bin{name, r.FinishedAt == nil, &r.OpenedAt, r.Who, r.Lines, int(open.Hours())}
			}
		}
	}
	return out, err
}

// Counting is the time that the next returns of a batch count as.
type Counting struct {
	Day     *calendar.Date `json:"day,omitempty" format:"date" doc:"This date"`
	At      string         `json:"at,omitempty" maxLength:"40" doc:"Or this instant, as 2026-10-05T16:30 in the branch's time; neither: when they happen"`
	LetOff  int            `json:"let_off,omitempty" minimum:"0" maximum:"60" doc:"Days of lateness that are let off"`
	Excused string         `json:"excused,omitempty" maxLength:"200" doc:"Why nothing is charged: the library itself was at fault"`
}

// CountAs changes what the next returns of a run count as. It stays until it is changed again.
func CountAs(a *act.Act, id int64, c Counting) (*Run, error) {
	state, err := open(a, id)
	if err != nil {
		return nil, err
	}
	run := &state.Run
	if err := stillOn(a, run); err != nil {
		return nil, err
	}
	at, err := instant(a, c)
	if err != nil {
		return nil, err
	}
	if most, may := a.May().MayLetOff(c.LetOff); !may {
		return nil, problem.Newf(
			problem.Forbidden,
			"You can forgive up to %s. Supervisors can forgive more.",
			calendar.Count(most, "day"),
		)
	}
	was := ""
	if d := store.DateOf(run.CountedAs); d != nil {
		was = d.String()
	}
	run.CountedAs, run.CountedAt, run.LetOff, run.Excused = nil, at, c.LetOff, strings.TrimSpace(c.Excused)
	if c.Day != nil && at == nil {
		run.CountedAs = store.Column(*c.Day)
	}
	run.Day = a.Today().UTC()
	returnsdb.CountRunAs(a.Tx, run)
	a.Tell(event.Event{Kind: event.CountedAs, Detail: event.Detail{
		Was: was, Day: c.Day, At: at, Count: c.LetOff, Reason: run.Excused,
	}})
	return show(a, state)
}

// instant checks the date or instant that returns are to count as, and gives the instant if it is one.
func instant(a *act.Act, c Counting) (*time.Time, error) {
	day := c.Day
	var at *time.Time
	if c.At != "" {
		t, err := calendar.ParseInstant(c.At, a.Here().Location)
		if err != nil {
			return nil, problem.From(problem.Invalid, err)
		}
		if t.After(a.Now) {
			return nil, problem.Newf(problem.Invalid, "Returns cannot be dated in the future. Choose an earlier time.")
		}
		d := a.Here().Date(t)
		at, day = &t, &d
	}
	switch {
	case day == nil:
		return nil, nil
	case *day > a.Today():
		return nil, problem.Newf(problem.Invalid, "Returns cannot be dated in the future. Choose today or earlier.")
	}
	if first, may := loan.MayCountAs(a.Here(), a.Today(), *day, a.May().BackDays()); !may {
		return nil, problem.Newf(
			problem.Forbidden,
			"Returns here can be backdated to %s. Supervisors can choose an earlier day.",
			a.SayDate(first),
		)
	}
	return at, nil
}

// open gives a run that is locked, open, and of this branch.
func open(a *act.Act, id int64) (*returnsdb.RunState, error) {
	state, err := returnsdb.StateOfRun(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if state == nil {
		return nil, problem.NoSuch("returns run")
	}
	return state, mayUse(a, &state.Run)
}

func mayUse(a *act.Act, run *returnsdb.ReturnRun) error {
	switch {
	case run.FinishedAt != nil:
		return problem.Newf(problem.Refused, "This batch is finished. Start a new one.")
	case run.BranchCode != a.Who.Branch:
		return problem.Newf(problem.Refused, "This batch belongs to another branch.")
	}
	return nil
}

// Finish closes a run. What is still open goes onto the accounts, where it stands already; notes stay as they are.
func Finish(a *act.Act, id int64) (*Run, error) {
	state, err := open(a, id)
	if err != nil {
		return nil, err
	}
	returnsdb.FinishRun(a.Tx, id, a.Now)
	state.Run.FinishedAt, state.Open = &a.Now, nil
	return show(a, state)
}

// Look gives a run as it stands.
func Look(a *act.Act, id int64) (*Run, error) {
	state, err := mayLook(a, id)
	if err != nil {
		return nil, err
	}
	return show(a, state)
}

// mayLook gives a run to who may see it. Its lines tell who read what, so a run of another branch, or of another day, is
// for who supervises.
func mayLook(a *act.Act, id int64) (*returnsdb.RunState, error) {
	state, err := returnsdb.LookAtRun(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if state == nil {
		return nil, problem.NoSuch("returns run")
	}
	past := state.Run.FinishedAt != nil && *store.DateOf(&state.Run.Day) != a.Today()
	if !sight.SeesRun(a.Who.Role, state.Run.BranchCode == a.Who.Branch, past) {
		return nil, problem.Newf(problem.Forbidden, "This batch is from another branch or day. A supervisor can open it.")
	}
	return state, nil
}

// Lines gives a page of a run's lines, newest first.
func Lines(a *act.Act, id int64, page store.Page) ([]Line, store.Page, error) {
	if _, err := mayLook(a, id); err != nil {
		return nil, page, err
	}
	rows, next, err := returnsdb.Lines(a.Tx, id, page)
	return showLines(a, rows), next, err
}

func showLines(a *act.Act, rows []returnsdb.LineShown) []Line {
	out := []Line{}
	for k := range rows {
		out = append(out, showLine(a, &rows[k]))
	}
	return out
}

func show(a *act.Act, state *returnsdb.RunState) (*Run, error) {
	run := &state.Run
	out := &Run{
		ID: run.ID, Mode: run.Mode, Bin: run.Bin, LetOff: run.LetOff, Excused: run.Excused,
		Odd:   odd(run),
		Piles: showPiles(a, state.Piles), Open: showOpen(a, state.Open), Notes: []Line{},
		Finished: run.FinishedAt != nil || isOver(a, run), Says: "Counted as now.",
	}
	if d := store.DateOf(run.CountedAs); d != nil {
		out.Counted, out.Says = d.String(), "Counted as returned "+a.SayDate(*d)+"."
	}
	if run.CountedAt != nil {
		at := run.CountedAt.In(a.Here().Location)
		out.At = at.Format("2006-01-02T15:04")
		out.Says = "Counted as returned " + a.SayInstant(at) + "."
	}
	if run.LetOff > 0 {
		out.Says += " " + calendar.Count(run.LetOff, "day") + " of lateness forgiven."
	}
	if run.Excused != "" {
		out.Says += " No charge: " + strings.TrimSuffix(run.Excused, ".") + "."
	}
	if run.Mode == "patron" {
		out.Says += " Charges are asked about at once."
	} else {
		out.Says += " Nobody is waiting, so charges go to the accounts."
	}
	if out.Finished {
		return out, nil
	}
	notes, err := returnsdb.OpenLines(a.Tx, run.ID)
	out.Notes = showLines(a, notes)
	return out, err
}

func showPiles(a *act.Act, rows []returnsdb.Pile) []Pile {
	out := []Pile{}
	for _, p := range rows {
		kind := circulation.Kind(p.Kind)
		seen := p.Count > 0 && p.Ticked == p.Count
		out = append(out, Pile{moving.PileName(a, kind, p.Place), kind, p.Place, p.Count, seen})
	}
	return out
}

func showOpen(a *act.Act, rows []returnsdb.OpenSum) []OpenSum {
	out := []OpenSum{}
	for _, r := range rows {
		p := peopledb.Patron{LegalName: r.LegalName, PreferredName: r.PreferredName}
		out = append(out, OpenSum{
			PatronID: r.PatronID, Patron: p.Name(), New: a.Network.Money.Format(r.New),
			Earlier: a.Network.Money.Format(r.Balance - r.New), Lines: r.Lines,
		})
	}
	return out
}

var sayFound = map[circulation.Found]string{
	circulation.FoundWrongNumber: "Wrong number", circulation.FoundCard: "A card", circulation.FoundWords: "No number",
	circulation.FoundUnknown:   "Unknown item",
	circulation.FoundWithdrawn: "Withdrawn", circulation.FoundOnLoan: "On loan", circulation.FoundUnderWay: "Was in transit",
	circulation.FoundAgain: "Already scanned in this batch", circulation.FoundNotOnLoan: "Not on loan",
}

func showLine(a *act.Act, r *returnsdb.LineShown) Line {
	trace := act.Trace(r.Why)
	line := Line{
		ID: r.ID, At: r.At, Text: r.Text, Title: r.Text, Kind: r.Found, Found: sayFound[r.Found], Answer: r.Answer,
		Undone: r.Undone, Why: trace, Sign: signOf(r.Sign), Note: r.Note, Noted: r.NoteAnswer,
	}
	if (r.Found == circulation.FoundLate || r.Found == circulation.FoundLost) && trace != nil && len(trace.Steps) > 0 {
		line.Found = trace.Steps[0].Detail // the result of the lateness
	}
	line.Excused = r.Excused
	if r.Who != nil {
		line.Who = *r.Who
	}
	if r.ItemID != nil {
		line.ItemID, line.Barcode, line.Title = *r.ItemID, *r.Barcode, *r.TitleName
		line.Owner, line.Call = a.Network.BranchName(calendar.Code(*r.Home)), *r.CallNumber
		line.Parts, line.PartsSay = *r.Parts, *r.PartsSay
	}
	if r.PatronID != nil && mayName(a, r) {
		p := peopledb.Patron{LegalName: *r.LegalName, PreferredName: *r.PreferredName}
		line.PatronID, line.Patron = *r.PatronID, p.Name()
	}
	if r.Fine > 0 {
		line.Fine = a.Network.Money.Format(money.Amount(r.Fine))
	}
	return line
}

// mayName tells whether a line names who had the item: to all who work with patrons, and to those who see the reduced part
// where the patron is there and something is asked.
func mayName(a *act.Act, r *returnsdb.LineShown) bool {
	return sight.OfPatron(a.Who.Role) == sight.Whole || r.Answer != ""
}

// signOf reads the sign of a line.
func signOf(data json.RawMessage) moving.Sign {
	var sign moving.Sign
	if json.Unmarshal(data, &sign) != nil {
		return moving.AsideFor("Check", "The destination of this line could not be read.")
	}
	return sign
}
