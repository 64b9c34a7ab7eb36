// Package sweep decides what changes of many records make of each of them.
package sweep

import (
	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/loan"
)

// Dates is how due dates or last days of cards are moved: to a day, or by a number of days.
type Dates struct {
	To      *calendar.Date `json:"to,omitempty" format:"date" doc:"The new day; none: days says"`
	Days    int            `json:"days" minimum:"-366" maximum:"3660" doc:"Moved by so many days where there is no new day"`
	Open    bool           `json:"open" doc:"Of loans: on to the next day on which the branch is open"`
	Earlier bool           `json:"earlier" doc:"Dates may become earlier. Otherwise those that would be stay as they are"`
}

// Check tells what is wrong with it.
func (d Dates) Check() error {
	switch {
	case d.To != nil && d.Days != 0:
		return expect.Errorf("one of them", "a day and a number of days")
	case d.To == nil && d.Days == 0 && !d.Open:
		return expect.Errorf("one of them", "neither a day nor a number of days")
	case d.Days < 0 && !d.Earlier:
		return expect.Errorf("more than 0, or dates that may become earlier", "%d days", d.Days)
	}
	return nil
}

// Due gives the new due date of a loan at a branch. It stays as it is where it would become earlier and may not, or would be in the past.
func (d Dates) Due(b *calendar.Branch, due loan.Due, today calendar.Date) loan.Due {
	old := due.Date
	if due.Hours {
		old = b.Date(due.At)
	}
	day := old.Add(d.Days)
	if d.To != nil {
		day = *d.To
	}
	if d.Open {
		if open, ok := b.NextOpenDay(day); ok && !b.OpenOn(day) {
			day = open
		}
	}
	if day == old || day < today || day < old && !d.Earlier {
		return due
	}
	if !due.Hours {
		return loan.OnDate(day)
	}
	at := due.At.In(b.Location)
	return loan.AtInstant(calendar.Local(day, calendar.Minute(at.Hour()*60+at.Minute()), b.Location))
}

// Passes gives the first of some latest due dates that a loan passes when it is moved from one day to another; false if it passes none.
func Passes(from, to calendar.Date, latest []calendar.Date) (first calendar.Date, passes bool) {
	for _, d := range latest {
		if from <= d && d < to && (!passes || d < first) {
			first, passes = d, true
		}
	}
	return first, passes
}

// State is how far a sweep is.
type State struct{ Working, Stopped, Undone bool }

// Undo gives the reason why it cannot be undone; empty: it can.
func (s State) Undo() string {
	switch {
	case s.Undone:
		return "This has already been undone."
	case s.Working && !s.Stopped:
		return "This is still being applied. Stop it first, or wait until it is done."
	}
	return ""
}

// Stop gives the reason why it cannot be stopped; empty: it can.
func (s State) Stop() string {
	if !s.Working || s.Stopped {
		return "This is not being applied any more."
	}
	return ""
}

// Continue gives the reason why it cannot be continued; empty: it can.
func (s State) Continue() string {
	if !s.Stopped {
		return "This is not stopped."
	}
	return ""
}
