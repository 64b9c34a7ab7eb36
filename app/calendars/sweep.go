package calendars

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/lent"
	"nevrin/app/network"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/loan"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/calendarsdb"
	"nevrin/store/loansdb"
	"nevrin/store/networkdb"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
	"nevrin/store/sweepsdb"
)

// MovedLoan is a loan whose due date moves along.
type MovedLoan struct {
	Loan    int64  `json:"loan"`
	Item    int64  `json:"item"`
	Title   string `json:"title"`
	Barcode string `json:"barcode"`
	Patron  string `json:"patron"`
	Branch  string `json:"branch"`
	Before  string `json:"before"`
	After   string `json:"after"`
}

// MovedHold is a hold that waits on the shelf for longer.
type MovedHold struct {
	Hold   int64  `json:"hold"`
	Title  string `json:"title"`
	Patron string `json:"patron"`
	Branch string `json:"branch"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// Touched counts the loans and holds that a change moves.
type Touched struct {
	Text    string        `json:"text" doc:"The change, in a sentence"`
	Loans   int           `json:"loans" doc:"Due dates that move; once applied, without those left out"`
	Holds   int           `json:"holds" doc:"Holds that wait on the shelf for longer"`
	Runs    []string      `json:"runs" doc:"Courier runs that call at a branch that is then closed"`
	Closed  int           `json:"closed" doc:"Days on which a branch is then closed and was not, by branch and day"`
	Opened  int           `json:"opened" doc:"Days on which a branch is then open and was not"`
	Looked  calendar.Date `json:"looked" format:"date" doc:"Until when days and runs were looked at. Due dates and hold shelves are looked at whole"`
	Sweep   int64         `json:"sweep,omitempty" doc:"Once applied"`
	Parts   bool          `json:"parts,omitempty" doc:"Once applied: they are so many that they move in parts, which takes a while"`
	Version int64         `json:"version"`
}

// plan works out a change: the calendars before and after, and what it touches.
type plan struct {
	rows          []networkdb.Branch
	before, after map[calendar.Code]plain
	was, is       map[calendar.Code]*calendar.Branch
	loans         []calendarsdb.LoanMove
	holds         []calendarsdb.HoldMove
	touched       Touched
}

// Preview tells what a change would touch. Nothing is changed.
func Preview(a *act.Act, c Change) (*Touched, error) {
	p, err := work(a, &c)
	if err != nil {
		return nil, err
	}
	return &p.touched, nil
}

// MovedLoans gives a page of the loans whose due date a change would move, in order of when they are due.
func MovedLoans(a *act.Act, c Change, page store.Page) ([]MovedLoan, store.Page, error) {
	p, err := work(a, &c)
	if err != nil {
		return nil, page, err
	}
	rows, next, err := calendarsdb.MovedLoans(a.Tx, p.loans, page)
	out := make([]MovedLoan, len(rows))
	for k, r := range rows {
		is := p.is[r.BranchCode]
		out[k] = MovedLoan{
			Loan: r.ID, Item: r.ItemID, Title: r.Title, Barcode: r.Barcode, Branch: is.Name,
			Patron: (&peopledb.Patron{LegalName: r.LegalName, PreferredName: r.PreferredName}).Name(),
			Before: loansdb.DueOf(r.DueDate, r.DueAt).Near(is, a.Today()), After: loansdb.DueOf(r.ToDate, r.ToAt).Near(is, a.Today()),
		}
	}
	return out, next, err
}

// MovedHolds gives a page of the holds that would wait on the shelf for longer, by their last day.
func MovedHolds(a *act.Act, c Change, page store.Page) ([]MovedHold, store.Page, error) {
	p, err := work(a, &c)
	if err != nil {
		return nil, page, err
	}
	rows, next, err := calendarsdb.MovedHolds(a.Tx, p.holds, page)
	out := make([]MovedHold, len(rows))
	for k, r := range rows {
		out[k] = MovedHold{
			Hold: r.ID, Title: r.Title, Branch: p.is[r.Pickup].Name,
			Patron: (&peopledb.Patron{LegalName: r.LegalName, PreferredName: r.PreferredName}).Name(),
			Before: a.SayDate(*store.DateOf(&r.ShelfUntil)), After: a.SayDate(*store.DateOf(&r.To)),
		}
	}
	return out, next, err
}

// Apply makes a change, and moves due dates and hold shelves along, but for the loans left out. Where they are many, they move in parts
// once the change is made (Follow). In any case what was lent while it was made is searched for afterwards.
func Apply(a *act.Act, c Change) (*Touched, error) {
	p, err := work(a, &c)
	if err != nil {
		return nil, err
	}
	// The network is locked only now that the sums are done; they hold as long as nobody has changed it since.
	version, err := networkdb.LockNetwork(a.Tx)
	if err != nil {
		return nil, err
	}
	if version != c.Version {
		return nil, problem.Newf(
			problem.Refused,
			"Somebody else has changed a calendar meanwhile. Check it, then make your change again.",
		)
	}
	if version != a.Network.Version {
		return nil, store.ErrMoved
	}
	sweep := &sweepsdb.Sweep{
		Kind:     sweepsdb.Calendar,
		At:       a.Now,
		StaffID:  a.Who.ID,
		Text:     p.touched.Text,
		Branches: store.JSON(&p.before),
		Changed:  store.JSON(&p.after),
		LeftOut:  append([]int64{}, c.LeaveOut...),
		Parts:    p.touched.Loans+p.touched.Holds > atOnce,
	}
	for k := range p.rows {
		after := p.after[p.rows[k].Code]
		after.write(&p.rows[k])
		if err := networkdb.KeepCalendar(a.Tx, &p.rows[k]); err != nil {
			return nil, err
		}
	}
	if err := sweepsdb.Add(a.Tx, sweep); err != nil {
		return nil, err
	}
	p.touched.Sweep, p.touched.Parts = sweep.ID, sweep.Parts
	if sweep.Parts {
		p.touched.Loans = max(0, p.touched.Loans-len(c.LeaveOut))
	} else {
		if p.touched.Loans, err = p.write(a, sweep); err != nil {
			return nil, err
		}
		if _, err := follow(a, sweep, true); err != nil {
			return nil, err
		}
	}
	a.Tell(event.Event{Kind: event.CalendarChanged, Detail: event.Detail{Says: p.touched.Text}})
	return &p.touched, a.Enqueue(FollowArgs{Sweep: sweep.ID})
}

// mostClosures is how many closures a branch may have, recurring ones counted each time in the years for which they are
// worked out: every sum of days walks through them. What is kept already is read up to three times as many.
const mostClosures = 3000

func work(a *act.Act, c *Change) (*plan, error) {
	if c.Now != "" && !slices.Equal(c.Branches, []calendar.Code{a.Who.Branch}) && !a.Who.Role.Supervises() {
		return nil, problem.Newf(problem.Forbidden, "Only the branch where you are can be closed from here.")
	}
	if c.Now == "" && !a.Who.Role.Supervises() {
		return nil, problem.Newf(problem.Forbidden, "Only supervisors can change calendars.")
	}
	p := &plan{
		before:  map[calendar.Code]plain{},
		after:   map[calendar.Code]plain{},
		was:     map[calendar.Code]*calendar.Branch{},
		is:      map[calendar.Code]*calendar.Branch{},
		touched: Touched{Runs: []string{}, Version: a.Network.Version},
	}
	var names []string
	says := ""
	for _, code := range c.Branches {
		b, row, before, err := load(a, code)
		if err != nil {
			return nil, err
		}
		after, err := read(&row)
		if err != nil {
			return nil, err
		}
		if says, err = c.apply(&after, b, a.Now); err != nil {
			return nil, err
		}
		after.write(&row)
		// What cannot be read as a calendar is refused here, with its place.
		changed, err := network.ReadCalendar(&row, a.Today())
		if err != nil {
			return nil, problem.From(problem.Invalid, err)
		}
		if n := len(changed.Closures); n > mostClosures {
			return nil, problem.Newf(
				problem.Invalid,
				"%s would have %d closures, counting each recurrence; %d is the limit. Use the weekly hours for weekly closures.",
				b.Name, n, mostClosures,
			)
		}
		p.rows = append(p.rows, row)
		p.before[code], p.after[code] = before, after
		p.was[code], p.is[code] = b, changed
		names = append(names, b.Name)
	}
	p.touched.Text = strings.Join(names, ", ") + ": " + says
	if err := p.moveLoans(a); err != nil {
		return nil, err
	}
	if err := p.moveHolds(a); err != nil {
		return nil, err
	}
	p.runs(a)
	return p, nil
}

// moveLoans finds where the loans move that then fall due on closed time. Loans that are due at the same time at the
// same branch and by the same terms move alike, so that only their kinds are looked at, however many they are.
func (p *plan) moveLoans(a *act.Act) error {
	when, err := calendarsdb.DueWhens(a.Tx, slices.Sorted(maps.Keys(p.is)), a.Today().UTC(), a.Now)
	if err != nil {
		return err
	}
	when = slices.DeleteFunc(when, func(w calendarsdb.DueWhen) bool { // only what this change closes moves
		due := loansdb.DueOf(w.DueDate, w.DueAt)
		return due.StillOpen(p.was[w.BranchCode], a.Now) == due.StillOpen(p.is[w.BranchCode], a.Now)
	})
	if len(when) == 0 {
		return nil
	}
	kinds, err := calendarsdb.LoanKinds(a.Tx, when)
	if err != nil {
		return err
	}
	for _, k := range kinds {
		book, err := a.Edition(k.EditionID)
		if err != nil {
			return err
		}
		own, err := lent.OwnTerms(book.Rulebook, &stockdb.Item{OwnTerms: k.OwnTerms})
		if err != nil {
			return err
		}
		due := loansdb.DueOf(k.DueDate, k.DueAt)
		terms := book.Decide((&loansdb.Loan{Situation: k.Situation}).At(), own)
		to := loan.Moved(p.is[k.BranchCode], terms.Loan(), due, a.Now)
		if to == due {
			continue
		}
		move := calendarsdb.LoanMove{LoanKind: k}
		move.ToDate, move.ToAt = loansdb.DueColumns(to)
		p.loans = append(p.loans, move)
		p.touched.Loans += k.Number
	}
	return nil
}

// moveHolds finds the holds on the shelf that wait for so many open days, and now need longer for them.
func (p *plan) moveHolds(a *act.Act) error {
	kinds, err := calendarsdb.HoldKinds(a.Tx, slices.Sorted(maps.Keys(p.is)))
	if err != nil {
		return err
	}
	for _, k := range kinds {
		until := *store.DateOf(&k.ShelfUntil)
		to := queue.Waits(p.was[k.Pickup], p.is[k.Pickup], *store.DateOf(&k.Ready), until, a.Now)
		if to == until {
			continue
		}
		p.holds = append(p.holds, calendarsdb.HoldMove{HoldKind: k, To: to.UTC()})
		p.touched.Holds += k.Number
	}
	return nil
}

// looksAhead is the number of years for which it is worked out which days a change closes, recurring ones each time, and which runs call then.
const looksAhead = 2

// daysSaid is how many days of a run are named; further ones are counted.
const daysSaid = 6

// runs finds the days that are newly closed, and courier runs that call there on them.
func (p *plan) runs(a *act.Act) {
	p.touched.Looked = a.Today().AddYears(looksAhead)
	for code, is := range p.is {
		var closed []calendar.Date
		for d := a.Today(); d <= p.touched.Looked; d++ {
			switch was, open := p.was[code].OpenOn(d), is.OpenOn(d); {
			case was && !open:
				closed = append(closed, d)
			case open && !was:
				p.touched.Opened++
			}
		}
		p.touched.Closed += len(closed)
		for k := range a.Network.Timetable.Runs {
			r := &a.Network.Timetable.Runs[k]
			if !slices.ContainsFunc(r.Stops, func(s courier.Stop) bool { return s.Branch == code }) {
				continue
			}
			var days []string
			for _, d := range closed {
				if r.On(d) {
					days = append(days, a.SayDate(d))
				}
			}
			if days == nil {
				continue
			}
			says := strings.Join(days[:min(daysSaid, len(days))], ", ")
			if more := len(days) - daysSaid; more > 0 {
				says += " and " + calendar.Count(more, "further day")
			}
			p.touched.Runs = append(p.touched.Runs, fmt.Sprintf("%s to %s on %s", cmp.Or(r.Name, r.ID), is.Name, says))
		}
	}
	slices.Sort(p.touched.Runs)
}

// Sweep is a change that was made.
type Sweep struct {
	ID     int64      `json:"id"`
	At     time.Time  `json:"at"`
	Who    string     `json:"who"`
	Text   string     `json:"text"`
	Loans  int        `json:"loans"`
	Holds  int        `json:"holds"`
	Undone *time.Time `json:"undone_at,omitempty"`
	Parts  bool       `json:"parts" doc:"Its due dates are still being moved, or moved back"`
	Moved  int        `json:"moved" doc:"How many have been moved so far"`
}

// Sweeps gives a page of the changes to calendars, the latest first.
func Sweeps(a *act.Act, page store.Page) ([]Sweep, store.Page, error) {
	rows, next, err := sweepsdb.List(a.Tx, true, page)
	out := []Sweep{}
	for _, s := range rows {
		moved := s.Done
		if s.UndoneAt == nil {
			moved += s.Kept
		}
		out = append(out, Sweep{s.ID, s.At, s.Who, s.Text, s.Loans, s.Holds, s.UndoneAt, s.Parts, moved})
	}
	return out, next, err
}

// Undo takes a change back: calendars as they were, due dates and hold shelves too, where nothing has happened to
// them since. A calendar that was changed again since must be undone first.
func Undo(a *act.Act, id int64) error {
	// The network before the sweep, as in making one.
	if _, err := networkdb.LockNetwork(a.Tx); err != nil {
		return err
	}
	s, err := sweepsdb.Locked(a.Tx, id)
	if err != nil {
		return err
	}
	switch {
	case s == nil:
		return problem.NoSuch("change")
	case s.UndoneAt != nil:
		return problem.Newf(problem.Refused, "This change has been undone already.")
	case s.Parts:
		return problem.Newf(problem.Refused, "The due dates of this change are still being updated. You can undo it when that is done.")
	}
	var before, after map[calendar.Code]plain
	if err := json.Unmarshal(s.Branches, &before); err != nil {
		return err
	}
	if err := json.Unmarshal(s.Changed, &after); err != nil {
		return err
	}
	for code, p := range before {
		row, err := networkdb.BranchRowLocked(a.Tx, code)
		if err != nil {
			return err
		}
		now, err := read(&row)
		if err != nil {
			return err
		}
		then := after[code]
		if string(store.JSON(&now)) != string(store.JSON(&then)) {
			return problem.Newf(
				problem.Refused,
				"The calendar of %s has been changed again since. Undo that first.",
				a.Network.BranchName(code),
			)
		}
		p.write(&row)
		if err := networkdb.KeepCalendar(a.Tx, &row); err != nil {
			return err
		}
	}
	lines, err := sweepsdb.Count(a.Tx, id)
	if err != nil {
		return err
	}
	sweepsdb.Undone(a.Tx, id, a.Who.ID, a.Now, nil)
	a.Tell(event.Event{Kind: event.CalendarUndone, Detail: event.Detail{Says: "Undone: " + s.Text}})
	if lines > atOnce {
		sweepsdb.InParts(a.Tx, id, true, false)
		return a.Enqueue(FollowArgs{Sweep: id})
	}
	_, err = follow(a, s, false)
	return err
}
