package couriers

import (
	"time"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/whatif"
	"nevrin/store/transitsdb"
)

// Tried is the effect that a change would have had on the last four weeks.
type Tried struct {
	Says     string        `json:"says" doc:"What was tried"`
	First    calendar.Date `json:"first"`
	Last     calendar.Date `json:"last"`
	Moves    int           `json:"moves" doc:"Things that went from branch to branch"`
	Holds    int           `json:"holds" doc:"For which somebody waited, whether anything travelled or not"`
	Local    int           `json:"local" doc:"Of the holds, for which nothing travelled"`
	Later    int           `json:"later" doc:"Of the holds"`
	Sooner   int           `json:"sooner"`
	Never    int           `json:"never" doc:"That would not have got there"`
	Before   Side          `json:"before"`
	After    Side          `json:"after"`
	Branches []TriedAt     `json:"branches" doc:"Where it would have been worst first"`
	Worst    []Worst       `json:"worst" doc:"The holds for which it would have been worst"`
}

// Side are the results by one timetable.
type Side struct {
	Mean  float64 `json:"mean" doc:"Hours from when a thing was ready until it was on the shelf, of holds"`
	Tenth float64 `json:"tenth" doc:"Hours that nine of ten stayed below"`
	Never int     `json:"never" doc:"Nothing got there within four weeks"`
	Days  []int   `json:"days" doc:"How many waited less than one day, one, two and so on; the last: that many or more"`
	Loads []Load  `json:"loads"`
}

// Load says how full a run was.
type Load struct {
	Run  string  `json:"run"`
	Name string  `json:"name"`
	Went int     `json:"went" doc:"On how many dates"`
	Mean float64 `json:"mean" doc:"Of the most that was aboard on each"`
	Most int     `json:"most" doc:"On one date"`
}

// TriedAt is the effect on patrons who waited at a branch.
type TriedAt struct {
	Code   calendar.Code `json:"code"`
	Name   string        `json:"name"`
	Holds  int           `json:"holds"`
	Before float64       `json:"before" doc:"Mean waiting in hours"`
	After  float64       `json:"after"`
	Later  int           `json:"later"`
	Sooner int           `json:"sooner"`
}

// Worst is a hold that would have come later.
type Worst struct {
	ID      int64      `json:"id" doc:"Of the transit; of the hold where nothing travelled"`
	ItemID  int64      `json:"item_id"`
	Title   string     `json:"title"`
	Barcode string     `json:"barcode"`
	From    string     `json:"from"`
	To      string     `json:"to"`
	Ready   time.Time  `json:"ready"`
	Before  *time.Time `json:"before,omitempty" doc:"On its shelf as it is; none: never"`
	After   *time.Time `json:"after,omitempty"`
}

// What is tried on: so many days up to yesterday; so many of the worst are shown.
const (
	triedDays  = 28
	triedWorst = 50
)

// Shut is a branch that is closed for some days, to be tried.
type Shut struct {
	Branch calendar.Code `json:"branch" maxLength:"3"`
	From   calendar.Date `json:"from" doc:"Within the last four weeks"`
	Until  calendar.Date `json:"until"`
}

// TryShut tries a closed branch on what went in the last four weeks. Runs call there anyway.
func TryShut(a *act.Act, s Shut) (*Tried, error) {
	first, last := triedOn(a)
	if _, err := a.Network.OpenBranch(s.Branch); err != nil {
		return nil, err
	}
	if s.From < first || s.Until > last || s.Until < s.From {
		return nil, problem.Newf(problem.Invalid, "Choose days from %s to %s, the first not after the last.",
			a.SayDate(first), a.SayDate(last))
	}
	is := whatif.Closed(a.Network.Timetable, s.Branch, s.From, s.Until)
	days := calendar.Count(s.Until.DaysSince(s.From)+1, "day")
	return Try(a, is, a.Network.BranchName(s.Branch)+" closed for "+days+", from "+a.Network.SayDate(s.From)+" to "+a.Network.SayDate(s.Until))
}

func triedOn(a *act.Act) (first, last calendar.Date) {
	today := calendar.DateOf(a.Now)
	return today.Add(-triedDays), today.Add(-1)
}

// Try tries another timetable on what went in the last four weeks.
func Try(a *act.Act, is *courier.Timetable, says string) (*Tried, error) {
	first, last := triedOn(a)
	loc := a.Network.Location
	from, until := calendar.Local(first, 0, loc), calendar.Local(last+1, 0, loc)
	rows, err := transitsdb.WentBetween(a.Tx, from, until)
	if err != nil {
		return nil, err
	}
	local, err := transitsdb.ReadyBetween(a.Tx, from, until)
	if err != nil {
		return nil, err
	}
	moves := make([]whatif.Move, 0, len(rows)+len(local))
	for _, r := range append(rows, local...) {
		moves = append(moves, whatif.Move{ID: r.ID, From: r.FromBranch, To: r.ToBranch, Ready: r.SentAt, Hold: r.Hold})
	}
	t := whatif.Try(a.Network.Timetable, is, moves, first, last, triedWorst)
	out := &Tried{
		Says: says, First: first, Last: last, Moves: t.Moves, Holds: t.Holds, Local: t.Local,
		Later: t.Later, Sooner: t.Sooner,
		Never:  t.Never,
		Before: sideOf(a.Network.Timetable, &t.Before), After: sideOf(is, &t.After), Branches: []TriedAt{},
		Worst: []Worst{},
	}
	for _, b := range t.Branches {
		out.Branches = append(out.Branches, TriedAt{
			b.Branch, a.Network.BranchName(b.Branch), b.Holds, b.Before, b.After, b.Later, b.Sooner,
		})
	}
	return out, out.worst(a, t.Worst)
}

func sideOf(t *courier.Timetable, s *whatif.Side) Side {
	out := Side{Mean: s.Mean, Tenth: s.Tenth, Never: s.Never, Days: s.Days[:], Loads: []Load{}}
	for _, l := range s.Loads {
		out.Loads = append(out.Loads, Load{l.Run, t.RunName(l.Run), l.Went, l.Mean, l.Most})
	}
	return out
}

// worst names the holds for which it would have been worst, as far as they would have come later.
func (t *Tried) worst(a *act.Act, changed []whatif.Changed) error {
	var ids []int64
	for _, c := range changed {
		ids = append(ids, c.ID)
	}
	rows, err := transitsdb.WentNamed(a.Tx, ids)
	if err != nil {
		return err
	}
	named := map[int64]transitsdb.TransitShown{}
	for _, r := range rows {
		named[r.ID] = r
	}
	for _, c := range changed {
		if !c.After.IsZero() && (c.Before.IsZero() || c.After.Before(c.Before)) {
			continue
		}
		n := named[c.ID]
		t.Worst = append(t.Worst, Worst{
			ID: c.ID, ItemID: n.ItemID, Title: n.TitleName, Barcode: n.Barcode,
			From: a.Network.BranchName(c.From),
			To:   a.Network.BranchName(c.To), Ready: c.Ready, Before: orNone(c.Before, a), After: orNone(c.After, a),
		})
	}
	return nil
}

func orNone(t time.Time, a *act.Act) *time.Time {
	if t.IsZero() {
		return nil
	}
	t = t.In(a.Network.Location)
	return &t
}
