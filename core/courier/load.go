package courier

import (
	"slices"
	"time"

	"nevrin/core/calendar"
)

// Calls are the calls of a run on a date, as they go on it; nil where it does not go.
func (t *Timetable) Calls(r *Run, d calendar.Date) []Call {
	if !r.On(d) {
		return nil
	}
	out := []Call{}
	for _, c := range t.trip(r, d).calls {
		one := Call{Branch: c.branch}
		if c.down {
			one.Arrive = &c.arrive
		}
		if c.up {
			one.Depart = &c.depart
		}
		out = append(out, one)
	}
	return out
}

// Call is a call of a run on a date. Arrive or Depart may be missing.
type Call struct {
	Branch         calendar.Code
	Arrive, Depart *time.Time
}

// Stretch is from one call of a run to the next, on a date.
type Stretch struct {
	Run  string
	Date calendar.Date
	From int // the call it begins at
}

// Loads counts what is aboard on each stretch of a date: a thing that goes by some legs is aboard on all stretches between
// where it boards and where it gets off.
func (t *Timetable) Loads(d calendar.Date, legs []Leg) map[Stretch]int {
	out := map[Stretch]int{}
	calls := map[string][]Call{}
	for i := range t.Runs {
		calls[t.Runs[i].ID] = t.Calls(&t.Runs[i], d)
	}
	for _, leg := range legs {
		if leg.Date != d {
			continue
		}
		aboard := false
		for k, c := range calls[leg.Run] {
			if aboard && c.Branch == leg.To && c.Arrive != nil && c.Arrive.Equal(leg.Arrive) {
				break
			}
			if c.Branch == leg.From && c.Depart != nil && c.Depart.Equal(leg.Depart) {
				aboard = true
			}
			if aboard && k+1 < len(calls[leg.Run]) {
				out[Stretch{leg.Run, d, k}]++
			}
		}
	}
	return out
}

// Legs is a way by which something that is ready at a branch gets to another as early as can be, by the last departure
// that still does; nil where nothing gets there or it is there already. Where several ways get there as early, it need not
// be that of Timetable.Ask. An instant that is not covered is asked of the timetable.
func (p *Prepared) Legs(from, to calendar.Code, ready time.Time) []Leg {
	if from == to {
		return nil
	}
	if !p.Covers(ready) {
		if j := p.table.Ask(from, to, ready); j != nil {
			return j.Legs
		}
		return nil
	}
	first := p.way(from, to, ready)
	if first == nil {
		return nil
	}
	var out []Leg
	for w, at := first, from; w != nil && len(out) < len(p.codes); {
		leg, there := p.ride(w, at, to, first.arrives)
		if leg == nil {
			return nil
		}
		out = append(out, *leg)
		if there {
			return out
		}
		at = leg.To
		w = p.way(at, to, p.sorted(leg.To, leg.Arrive))
	}
	return nil
}

// sorted is when something that has come to a branch can leave it again.
func (p *Prepared) sorted(at calendar.Code, arrived time.Time) time.Time {
	return arrived.Add(time.Duration(p.table.Branches[at].SortMinutes) * time.Minute)
}

// tripOn is a run on a date.
type tripOn struct {
	run  int
	date calendar.Date
}

// calls are those of a run on a date, worked out once.
func (p *Prepared) calls(run int, d calendar.Date) []Call {
	key := tripOn{run, d}
	if known, ok := p.trips.Load(key); ok {
		return known.([]Call)
	}
	calls := p.table.Calls(&p.table.Runs[run], d)
	p.trips.Store(key, calls)
	return calls
}

// ride boards a run and leaves it where it goes, or else where the first change still gets there at an instant.
func (p *Prepared) ride(w *way, at, to calendar.Code, arrives int64) (leg *Leg, there bool) {
	run := slices.IndexFunc(p.table.Runs, func(r Run) bool { return r.ID == w.run })
	leaves := time.Unix(w.leaves, 0).In(p.table.Location)
	for d := calendar.DateOf(leaves); d >= calendar.DateOf(leaves).Add(-1); d-- {
		calls := p.calls(run, d)
		on := slices.IndexFunc(calls, func(c Call) bool {
			return c.Branch == at && c.Depart != nil && c.Depart.Unix() == w.leaves
		})
		if on < 0 {
			continue
		}
		get := func(off Call) *Leg { return &Leg{w.run, d, at, off.Branch, *calls[on].Depart, *off.Arrive} }
		for _, c := range calls[on+1:] {
			if c.Branch == to && c.Arrive != nil && c.Arrive.Unix() == arrives {
				return get(c), true
			}
		}
		for _, c := range calls[on+1:] {
			if c.Arrive == nil || c.Branch == at {
				continue
			}
			next := p.way(c.Branch, to, p.sorted(c.Branch, *c.Arrive))
			if next != nil && next.arrives == arrives {
				return get(c), false
			}
		}
	}
	return nil, false
}
