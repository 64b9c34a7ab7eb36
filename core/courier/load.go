package courier

import (
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
