// Package whatif tries another courier on what really went: the same things, ready at the same times, by the timetable
// as it is and by another, or with a branch closed for a while. Both sides are worked out alike, so that nothing but
// the change differs.
//
// What it does not know it leaves as it was: which copy was sent for whom. A timetable that is better for other copies
// would therefore do a little better than is said here, and a closed branch a little less harm.
package whatif

import (
	"cmp"
	"maps"
	"slices"
	"sync"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/courier"
)

// Move is something that went from a branch to another; or, from a branch to itself, that somebody waited for there and
// that was set aside where it was.
type Move struct {
	ID       int64
	From, To calendar.Code
	Ready    time.Time // to leave
	Hold     bool      // somebody waited for it there
}

// Days is the most days of waiting that are told apart; the last stands for that many and more.
const Days = 10

// Side are the results by one timetable: how it went, or would have gone. Waiting is that of holds, from when a
// thing was ready until it was on the shelf.
type Side struct {
	Mean  float64   // hours
	Tenth float64   // hours that nine of ten stayed below
	Days  [Days]int // how many waited so many days
	Never int       // nothing got there within four weeks
	Loads []Load    // by run, in the order of the timetable
}

// Load says how full a run was.
type Load struct {
	Run  string
	Went int     // on how many dates
	Mean float64 // of the most that was aboard on each
	Most int     // on one date
}

// At is the effect on patrons who waited at a branch.
type At struct {
	Branch        calendar.Code
	Holds         int
	Before, After float64 // mean waiting in hours, of those that got there both ways
	Later, Sooner int

	both int // how many got there both ways
}

// Changed is a move whose promise would have been another; a zero time: it would not have got there.
type Changed struct {
	Move
	Before, After time.Time
}

// Tried is the effect that a change would have had.
type Tried struct {
	Moves, Holds         int // what travelled; and for what somebody waited, whether it travelled or not
	Local                int // of the holds: nothing travelled
	Later, Sooner, Never int // of the holds; never: only after the change
	Before, After        Side
	Branches             []At
	Worst                []Changed // the holds for which it would have been worst, up to so many as were asked for
}

// Closed is a timetable with a branch closed from a day to another. Runs call there anyway.
func Closed(t *courier.Timetable, code calendar.Code, from, until calendar.Date) *courier.Timetable {
	out := *t
	out.Branches = maps.Clone(t.Branches)
	b := out.Branches[code]
	shut := *b.Branch
	shut.Closures = append(slices.Clone(shut.Closures), calendar.Closure{From: from, To: until,
		Name: "closed, to be tried"})
	shut.Openings = maps.Clone(shut.Openings)
	maps.DeleteFunc(shut.Openings, func(d calendar.Date, _ calendar.Opening) bool { return from <= d && d <= until })
	b.Branch = &shut
	out.Branches[code] = b
	return &out
}

// Try tries a change on what went between two dates, up to and with the second. Both timetables are of the same
// branches.
func Try(was, is *courier.Timetable, moves []Move, first, last calendar.Date, worst int) *Tried {
	out := &Tried{}
	before, after := side(was, first, last), side(is, first, last)
	var both sync.WaitGroup
	both.Go(func() { before.takeAll(moves) })
	both.Go(func() { after.takeAll(moves) })
	both.Wait()
	by := map[calendar.Code]*At{}
	var changed []Changed
	for k, m := range moves {
		x, y := before.on[k], after.on[k]
		there, still := !x.IsZero(), !y.IsZero()
		if m.From != m.To {
			out.Moves++
		}
		if !m.Hold {
			continue
		}
		out.Holds++
		if m.From == m.To {
			out.Local++
		}
		at := by[m.To]
		if at == nil {
			at = &At{Branch: m.To}
			by[m.To] = at
		}
		at.Holds++
		switch {
		case there && still:
			at.both++
			at.Before += x.Sub(m.Ready).Hours()
			at.After += y.Sub(m.Ready).Hours()
			if y.After(x) {
				out.Later++
				at.Later++
			} else if y.Before(x) {
				out.Sooner++
				at.Sooner++
			}
		case there:
			out.Never++
		}
		if !y.Equal(x) {
			changed = append(changed, Changed{m, x, y})
		}
	}
	out.Before, out.After = before.end(first, last), after.end(first, last)
	for _, at := range by {
		if n := float64(at.both); n > 0 {
			at.Before, at.After = at.Before/n, at.After/n
		}
		out.Branches = append(out.Branches, *at)
	}
	slices.SortFunc(out.Branches, func(x, y At) int {
		return cmp.Or(cmp.Compare(y.After-y.Before, x.After-x.Before), cmp.Compare(x.Branch, y.Branch))
	})
	slices.SortStableFunc(changed, func(x, y Changed) int { return cmp.Compare(harm(y), harm(x)) })
	out.Worst = changed[:min(worst, len(changed))]
	return out
}

// harm gives how much later something would have come.
func harm(c Changed) time.Duration {
	switch {
	case c.After.IsZero():
		return 1<<63 - 1
	case c.Before.IsZero():
		return -1 << 63
	}
	return c.After.Sub(c.Before)
}

// going is one side while it is worked out.
type going struct {
	prepared *courier.Prepared
	on       []time.Time // when each move is on its shelf; zero: never
	aboard   []courier.Leg
	waits    []float64
	out      Side
}

func side(t *courier.Timetable, first, last calendar.Date) *going {
	return &going{prepared: t.Prepare(first, last.DaysSince(first)+1+openingLater)}
}

// openingLater is the number of days beyond those tried that something may wait until its branch opens.
const openingLater = 14

func (g *going) takeAll(moves []Move) {
	g.on = make([]time.Time, len(moves))
	for k, m := range moves {
		g.on[k] = g.take(m)
	}
}

// take lets something go; it gives when it is on its shelf, the zero time if it never is.
func (g *going) take(m Move) time.Time {
	ready, open := m.Ready, true
	if b := g.prepared.Table().Branches[m.From]; !b.OpenAt(ready) && !b.OpenOn(b.Date(ready)) {
		ready, open = b.NextOpening(ready) // nobody is there who could send it
	}
	shelf := ready
	if open && m.From != m.To {
		_, shelf, open = g.prepared.Arrival(m.From, m.To, ready)
	}
	if !open {
		if m.Hold {
			g.out.Never++
		}
		return time.Time{}
	}
	if m.Hold {
		waited := shelf.Sub(m.Ready)
		g.waits = append(g.waits, waited.Hours())
		g.out.Days[min(int(waited.Hours()/24), Days-1)]++
	}
	g.aboard = append(g.aboard, g.prepared.Legs(m.From, m.To, ready)...)
	return shelf
}

// end sums a side up.
func (g *going) end(first, last calendar.Date) Side {
	out := g.out
	slices.Sort(g.waits)
	for _, wait := range g.waits {
		out.Mean += wait
	}
	if n := len(g.waits); n > 0 {
		out.Mean /= float64(n)
		out.Tenth = g.waits[min(n-1, n*9/10)]
	}
	table := g.prepared.Table()
	by := map[calendar.Date][]courier.Leg{}
	for _, leg := range g.aboard {
		by[leg.Date] = append(by[leg.Date], leg)
	}
	most := map[string]map[calendar.Date]int{}
	for day, legs := range by {
		for stop, n := range table.Loads(day, legs) {
			if most[stop.Run] == nil {
				most[stop.Run] = map[calendar.Date]int{}
			}
			most[stop.Run][day] = max(most[stop.Run][day], n)
		}
	}
	for i := range table.Runs {
		run := &table.Runs[i]
		load := Load{Run: run.ID}
		for day := first; day <= last; day++ {
			if !run.On(day) {
				continue
			}
			load.Went++
			load.Mean += float64(most[run.ID][day])
			load.Most = max(load.Most, most[run.ID][day])
		}
		if load.Went > 0 {
			load.Mean /= float64(load.Went)
			out.Loads = append(out.Loads, load)
		}
	}
	return out
}
