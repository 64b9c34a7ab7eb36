// Package couriers shows what the courier does: a day of runs with what is aboard, and what was sent and has not arrived.
package couriers

import (
	"time"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/store/transitsdb"
)

// Day is a day of the courier: its runs as lines of calls, with what is aboard between them.
type Day struct {
	Date     calendar.Date `json:"date"`
	Now      *time.Time    `json:"now,omitempty" doc:"If it is today"`
	Branches []Place       `json:"branches" doc:"Those at which a run calls, in an order in which lines cross little"`
	Runs     []Run         `json:"runs"`
	Off      []Off         `json:"off" doc:"Runs that would go on this day of the week and do not"`
}

// Place is a branch of the picture.
type Place struct {
	Code calendar.Code `json:"code"`
	Name string        `json:"name"`
}

// Run is a run on the day.
type Run struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Late   int    `json:"late_minutes"`
	Calls  []Call `json:"calls"`
	Aboard []int  `json:"aboard" doc:"How much is aboard after each call but the last"`
	Now    int    `json:"now" doc:"How much is aboard now; 0 too where it is not under way"`
	Most   int    `json:"most"`
}

// Call is a stop of a run, with its times.
type Call struct {
	Branch calendar.Code `json:"branch"`
	Arrive *time.Time    `json:"arrive,omitempty"`
	Depart *time.Time    `json:"depart,omitempty"`
}

// Off is a run that does not go.
type Off struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Says string `json:"says"`
}

// How far ahead and back a day can be looked at.
const (
	daysBack  = 60
	daysAhead = 60
)

// DayOf shows a day. What is aboard is worked out from what was sent and where it goes: each thing takes the first way that
// gets it there.
func DayOf(a *act.Act, d calendar.Date) (*Day, error) {
	today := calendar.DateOf(a.Now)
	if d < today-daysBack || d > today+daysAhead {
		return nil, problem.Newf(problem.Invalid, "Choose a day within %d days of today.", daysAhead)
	}
	legs, err := legsOn(a, d)
	if err != nil {
		return nil, err
	}
	t := a.Network.Timetable
	loads := t.Loads(d, legs)
	out := &Day{Date: d, Branches: []Place{}, Runs: []Run{}, Off: []Off{}}
	if d == today {
		out.Now = &a.Now
	}
	for i := range t.Runs {
		r := &t.Runs[i]
		if !r.On(d) {
			if says := whyNot(a, r, d); says != "" {
				out.Off = append(out.Off, Off{r.ID, t.RunName(r.ID), says})
			}
			continue
		}
		out.Runs = append(out.Runs, runOn(a, r, d, loads))
	}
	out.place(a)
	return out, nil
}

// whyNot says why a run does not go on a day of the week on which it would; empty where it would not.
func whyNot(a *act.Act, r *courier.Run, d calendar.Date) string {
	switch {
	case !r.Days[d.Weekday()]:
		return ""
	case r.NotOn[d]:
		return "Does not run on this date"
	case r.From != nil && d < *r.From:
		return "Runs from " + a.SayDate(*r.From) + " on"
	default:
		return "Ran until " + a.SayDate(*r.Until)
	}
}

func runOn(a *act.Act, r *courier.Run, d calendar.Date, loads map[courier.Stretch]int) Run {
	t := a.Network.Timetable
	out := Run{ID: r.ID, Name: t.RunName(r.ID), Late: r.Late[d], Calls: []Call{}, Aboard: []int{}}
	calls := t.Calls(r, d)
	for k, c := range calls {
		out.Calls = append(out.Calls, Call{c.Branch, c.Arrive, c.Depart})
		if k+1 == len(calls) {
			break
		}
		n := loads[courier.Stretch{Run: r.ID, Date: d, From: k}]
		out.Aboard = append(out.Aboard, n)
		out.Most = max(out.Most, n)
		if leaves, comes := passes(c), passes(calls[k+1]); !a.Now.Before(leaves) && a.Now.Before(comes) {
			out.Now = n
		}
	}
	return out
}

func passes(c courier.Call) time.Time {
	if c.Depart != nil {
		return *c.Depart
	}
	return *c.Arrive
}

// place puts the branches in the order in which runs come to them first.
func (d *Day) place(a *act.Act) {
	seen := map[calendar.Code]bool{}
	for _, r := range d.Runs {
		for _, c := range r.Calls {
			if !seen[c.Branch] {
				seen[c.Branch] = true
				d.Branches = append(d.Branches, Place{c.Branch, a.Network.BranchName(c.Branch)})
			}
		}
	}
}

// legsOn are the legs by which what was sent, and what is to be fetched, goes on a day.
func legsOn(a *act.Act, d calendar.Date) ([]courier.Leg, error) {
	t := a.Network.Timetable
	from := calendar.Local(d-daysOnTheWay, 0, a.Network.Location)
	begins, ends := calendar.Local(d, 0, a.Network.Location), calendar.Local(d+1, 0, a.Network.Location)
	sent, err := transitsdb.SentBetween(a.Tx, from, ends, begins)
	if err != nil {
		return nil, err
	}
	prepared := t.Prepare(d-daysOnTheWay, 2*daysOnTheWay) // what is to be fetched may be ready only days from now
	var out []courier.Leg
	for _, s := range sent {
		at := s.SentAt
		if at == nil {
			ready, ok := t.Branches[s.FromBranch].OpenTimeFrom(a.Now, a.Network.FetchMinutes)
			if !ok {
				continue
			}
			at = &ready
		}
		legs := prepared.Legs(s.FromBranch, s.ToBranch, *at)
		for range s.Times {
			out = append(out, legs...)
		}
	}
	return out, nil
}

// daysOnTheWay is the most days that something is on its way, so that a day's plan has to look back no further.
const daysOnTheWay = 9
