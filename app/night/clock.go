package night

import (
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/store/eventsdb"
	"nevrin/store/networkdb"
)

// MoveClock moves the training clock forward and sets the nights passed to work.
func MoveClock(a *act.Act, by time.Duration) (time.Time, error) {
	if by <= 0 || by > 400*24*time.Hour {
		return a.Now, problem.Newf(problem.Invalid, "The training clock only goes forward, by at most 400 days.")
	}
	moved, err := networkdb.MoveClock(a.Tx, by)
	if err != nil {
		return a.Now, err
	}
	if !moved {
		return a.Now, problem.Newf(
			problem.Refused,
			"This installation runs on real time. Only the demo has a training clock.",
		)
	}
	now := a.Now.Add(by)
	if _, err := eventsdb.EventsAhead(a.Tx, a.Now, calendar.DateOf(now).Add(daysAhead).UTC()); err != nil {
		return now, err
	}
	a.Tell(event.Event{Kind: event.ClockMoved, Detail: event.Detail{At: &now}})
	return now, a.Enqueue(Args{})
}
