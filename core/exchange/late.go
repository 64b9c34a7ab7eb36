package exchange

import "nevrin/core/calendar"

// Patience is how many days a request may stay at a stage before it is late (common practice, no source).
var Patience = map[Role]map[Stage]int{
	Supplying:  {Asked: 2, Promised: 3, Back: 10},
	Requesting: {Asked: 4, Promised: 7, Shipped: 10, Back: 14},
}

// sayStill says what has not happened, of a stage that lasts too long.
var sayStill = map[Role]map[Stage]string{
	Supplying:  {Asked: "Not answered", Promised: "Not sent", Back: "Not arrived"},
	Requesting: {Asked: "No answer", Promised: "Not sent", Shipped: "Not arrived", Back: "Not confirmed"},
}

// Late says what is late about a request: it stays too long at a stage, its thing is overdue, or the day has gone by on which it was needed.
// Empty: nothing.
func Late(role Role, stage Stage, moved, today calendar.Date, due, needed *calendar.Date) string {
	days := today.DaysSince(moved)
	most, watched := Patience[role][stage]
	switch {
	case stage.Ended():
		return ""
	case due != nil && *due < today && (stage == There || role == Supplying && stage == Shipped):
		return "Overdue for " + calendar.Count(today.DaysSince(*due), "day")
	case needed != nil && *needed < today && (stage == Asked || stage == Promised || stage == Shipped):
		return "The day it was needed by is over"
	case watched && days > most:
		return sayStill[role][stage] + " for " + calendar.Count(days, "day")
	}
	return ""
}
