// Package plan decides which notice is due for whom: the stages of being overdue, by days past the
// due date. A loan is in one stage at a time, the latest whose day has come.
package plan

import "nevrin/core/calendar"

// Stage is one stage of overdue notices.
type Stage struct {
	ID       string
	DaysLate int // told from this many days after the due date
}

// Overdue are the stages, mildest first.
var Overdue = []Stage{{"overdue_1", 3}, {"overdue_2", 14}}

// DueBetween gives the due dates whose loans are in stage k on a day: after the first and up to the last.
func DueBetween(stages []Stage, k int, day calendar.Date) (after, last calendar.Date) {
	last = day.Add(-stages[k].DaysLate)
	if k+1 < len(stages) {
		return day.Add(-stages[k+1].DaysLate), last
	}
	return calendar.MakeDate(1, 1, 1), last
}
