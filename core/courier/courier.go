// Package courier decides when an item gets from one branch to another.
//
// Runs follow a timetable in one zone. An item that is ready can board a run that departs at or
// after that instant and stay aboard for any number of stops; changing runs at a branch takes its
// sort minutes. The Arrival is the earliest possible at the destination; the promise is that plus
// the destination's receive minutes of open time. Among equal arrivals the way with the fewest
// legs counts, then the one that departs first.
//
// The search goes leg by leg over the runs of 28 dates, as one goes through a printed timetable:
// after each leg it is known how early each branch can be reached, and since when that way is going.
package courier

import (
	"slices"
	"sort"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/why"
)

// lookAhead is over how many dates runs are looked at, the ready date the first.
const lookAhead = 28

// Stop is one call of a run. Arrive or Depart may be missing: it then only picks up or sets down.
type Stop struct {
	Branch         calendar.Code
	Arrive, Depart *calendar.Minute
}

// Run is a scheduled trip on some days of the week, for a season or permanently.
type Run struct {
	ID, Name    string
	Days        [7]bool // by time.Weekday
	NotOn       map[calendar.Date]bool
	From, Until *calendar.Date        // the first and the last date of its season; nil: without one
	Late        map[calendar.Date]int // by how many minutes it is late on a date
	Stops       []Stop
}

// On tells whether the run goes on a date.
func (r *Run) On(d calendar.Date) bool {
	return r.Days[d.Weekday()] && !r.NotOn[d] && (r.From == nil || *r.From <= d) && (r.Until == nil || d <= *r.Until)
}

// Branch is a branch as the courier knows it.
type Branch struct {
	*calendar.Branch
	SortMinutes, ReceiveMinutes int
}

// Timetable is all runs of a network.
type Timetable struct {
	Location *time.Location
	Branches map[calendar.Code]Branch
	Runs     []Run
}

// Leg is one stretch of a journey on one run.
type Leg struct {
	Run            string
	Date           calendar.Date
	From, To       calendar.Code
	Depart, Arrive time.Time
}

// Journey is an item's way to a branch, leg by leg. OnShelf is the promise; nil if the branch never opens.
type Journey struct {
	Arrives time.Time
	OnShelf *time.Time
	Legs    []Leg
}

// call is a stop of one run on one date.
type call struct {
	branch         calendar.Code
	arrive, depart time.Time
	down, up       bool
}

type trip struct {
	run   *Run
	date  calendar.Date
	calls []call
}

// Trips are the runs of the look-ahead from a ready instant, worked out once and asked many times.
type Trips struct {
	table *Timetable
	list  []trip
}

// Ahead works out the runs of the 28 dates from an instant.
func (t *Timetable) Ahead(ready time.Time) *Trips {
	trips := &Trips{table: t}
	first := calendar.DateOf(ready.In(t.Location))
	for d := first; d < first+lookAhead; d++ {
		for i := range t.Runs {
			r := &t.Runs[i]
			if r.On(d) {
				trips.list = append(trips.list, t.trip(r, d))
			}
		}
	}
	return trips
}

func (t *Timetable) trip(r *Run, d calendar.Date) trip {
	out := trip{run: r, date: d, calls: make([]call, len(r.Stops))}
	var last time.Time
	late := time.Duration(r.Late[d]) * time.Minute
	at := func(m *calendar.Minute) time.Time {
		// A clock change can put a later wall time before an earlier one; the van does not go back in time.
		if t := calendar.Local(d, *m, t.Location).Add(late); t.After(last) {
			last = t
		}
		return last
	}
	for i, s := range r.Stops {
		c := call{branch: s.Branch, down: s.Arrive != nil, up: s.Depart != nil}
		if c.down {
			c.arrive = at(s.Arrive)
		}
		if c.up {
			c.depart = at(s.Depart)
		}
		out.calls[i] = c
	}
	return out
}

// reach is one way of having reached a branch: when, since when it is going, and by which legs.
type reach struct {
	at, since time.Time
	leg       Leg
	before    *reach
}

// Goes tells whether a run goes on a date.
func (t *Timetable) Goes(run string, on calendar.Date) bool {
	k := slices.IndexFunc(t.Runs, func(r Run) bool { return r.ID == run })
	return k >= 0 && t.Runs[k].On(on)
}

// Ask finds the journey for an item that is ready at a branch; nil if nothing gets there.
func (t *Timetable) Ask(from, to calendar.Code, ready time.Time) *Journey {
	return t.Ahead(ready).Ask(from, to, ready)
}

// Ask finds the journey as Timetable.Ask does, over trips worked out from the same ready date.
func (tr *Trips) Ask(from, to calendar.Code, ready time.Time) *Journey {
	if from == to {
		return tr.journey(to, ready, nil)
	}
	earliest := map[calendar.Code]time.Time{from: ready}
	var best *reach
	for boards := map[calendar.Code][]*reach{from: {{at: ready}}}; len(boards) > 0; {
		reached := tr.leg(boards)
		boards = map[calendar.Code][]*reach{}
		improved := false
		for branch, ways := range reached {
			slices.SortStableFunc(ways, func(a, b *reach) int { return compare(a, b) })
			if old, ok := earliest[branch]; !ok || ways[0].at.Before(old) {
				earliest[branch], improved = ways[0].at, true
			}
			boards[branch] = ways
		}
		if ways := reached[to]; len(ways) > 0 && (best == nil || ways[0].at.Before(best.at)) {
			best = ways[0]
		}
		if !improved {
			break
		}
	}
	if best == nil {
		return nil
	}
	return tr.journey(to, best.at, best)
}

func compare(a, b *reach) int {
	if c := a.at.Compare(b.at); c != 0 {
		return c
	}
	return a.since.Compare(b.since)
}

// leg goes one leg further from every place that can be boarded at. Boards are in order of time.
func (tr *Trips) leg(boards map[calendar.Code][]*reach) map[calendar.Code][]*reach {
	ready := map[calendar.Code]board{}
	for branch, ways := range boards {
		ready[branch] = makeBoard(ways, tr.table.Branches[branch].SortMinutes)
	}
	reached := map[calendar.Code][]*reach{}
	for _, trip := range tr.list {
		var aboard *reach
		var since, depart time.Time
		var boarded calendar.Code
		for _, c := range trip.calls {
			if c.down && aboard != nil {
				reached[c.branch] = append(reached[c.branch], &reach{at: c.arrive, since: since, before: aboard,
					leg: Leg{
						Run:    trip.run.ID,
						Date:   trip.date,
						From:   boarded,
						To:     c.branch,
						Depart: depart,
						Arrive: c.arrive,
					}})
			}
			if !c.up {
				continue
			}
			if way := ready[c.branch].at(c.depart); way != nil {
				begun := way.since
				if way.before == nil {
					begun = c.depart
				}
				if aboard == nil || begun.Before(since) {
					aboard, since, depart, boarded = way, begun, c.depart, c.branch
				}
			}
		}
	}
	return reached
}

// board is the ways of being at a branch in the order in which they can board, each replaced by
// the way going longest among it and those before it.
type board struct {
	from []time.Time
	best []*reach
}

func makeBoard(ways []*reach, sortMinutes int) board {
	var b board
	for i, w := range ways {
		from := w.at
		if w.before != nil {
			from = from.Add(time.Duration(sortMinutes) * time.Minute)
		}
		best := w
		if i > 0 && !w.since.Before(b.best[i-1].since) {
			best = b.best[i-1]
		}
		b.from, b.best = append(b.from, from), append(b.best, best)
	}
	return b
}

func (b board) at(depart time.Time) *reach {
	n := sort.Search(len(b.from), func(i int) bool { return b.from[i].After(depart) })
	if n == 0 {
		return nil
	}
	return b.best[n-1]
}

func (tr *Trips) journey(to calendar.Code, arrives time.Time, last *reach) *Journey {
	j := &Journey{Arrives: arrives, Legs: []Leg{}}
	for w := last; w != nil && w.before != nil; w = w.before {
		j.Legs = append(j.Legs, w.leg)
	}
	slices.Reverse(j.Legs)
	b := tr.table.Branches[to]
	if shelf, ok := b.OpenTimeFrom(arrives, b.ReceiveMinutes); ok {
		j.OnShelf = &shelf
	}
	return j
}

// Why tells how the journey goes.
func (t *Timetable) Why(j *Journey, from, to calendar.Code, ready time.Time) why.Trace {
	name := func(code calendar.Code) string { return t.Branches[code].Name }
	there := t.Branches[to].Branch
	trace := why.New("When it gets to "+name(to)).
		Add(why.Fact, "Ready at "+name(from)+" on "+there.SayInstant(ready))
	if j == nil {
		trace.Result = "No run gets there within 28 days"
		return trace.Add(why.Limit, "No run of the next 28 days gets from "+name(from)+" to "+name(to))
	}
	for _, leg := range j.Legs {
		trace = trace.Add(why.Sum, t.RunName(leg.Run)+": "+name(leg.From)+" "+there.SayInstant(leg.Depart)+
			", "+name(leg.To)+" "+there.SayClock(leg.Arrive))
	}
	if j.OnShelf == nil {
		trace.Result = name(to) + " never opens"
		return trace
	}
	trace.Result = "On the shelf by " + there.SayInstant(*j.OnShelf)
	return trace.Add(
		why.Sum,
		"Taking in takes "+calendar.Count(t.Branches[to].ReceiveMinutes, "open minute")+" at "+name(to),
	)
}

// RunName is the name of a run; its id where it has none.
func (t *Timetable) RunName(id string) string {
	for _, r := range t.Runs {
		if r.ID == id && r.Name != "" {
			return r.Name
		}
	}
	return id
}
