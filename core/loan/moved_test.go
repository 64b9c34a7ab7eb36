package loan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/loan"
)

// When a branch comes to be closed, due dates move as lending would have put them, but never into the past.
func TestDueDatesMoveWithTheCalendar(t *testing.T) {
	halifax, err := time.LoadLocation("America/Halifax")
	require.NoError(t, err)
	day := func(d int) calendar.Date { return calendar.MakeDate(2026, 10, d) }
	b := &calendar.Branch{
		Code:     "SLM",
		Name:     "Saltmere",
		Location: halifax,
		Openings: map[calendar.Date]calendar.Opening{},
	}
	for weekday := time.Tuesday; weekday <= time.Saturday; weekday++ {
		b.Weekly[weekday] = calendar.Day{{From: 600, To: 1080}}
	}
	b.Closures = []calendar.Closure{{From: day(8), To: day(10), Name: "storm"}} // Thu to Sat
	b.Openings[day(6)] = calendar.Opening{Hours: calendar.Day{{From: 600, To: 690}}, Name: "closed early"}
	now := b.At(day(6), 11*60+30) // Tue, as the doors close
	next, previous, keep := loan.Terms{
		ClosedDay: loan.Next,
	}, loan.Terms{
		ClosedDay: loan.Previous,
	}, loan.Terms{
		ClosedDay: loan.Keep,
	}
	for _, c := range []struct {
		name  string
		terms loan.Terms
		due   loan.Due
		want  loan.Due
	}{
		{"due on an open day", next, loan.OnDate(day(7)), loan.OnDate(day(7))},
		{"due in the storm, next open day", next, loan.OnDate(day(8)), loan.OnDate(day(13))},
		{"due in the storm, previous open day", previous, loan.OnDate(day(9)), loan.OnDate(day(7))},
		{"kept", keep, loan.OnDate(day(9)), loan.OnDate(day(9))},
		{"late already", next, loan.OnDate(day(3)), loan.OnDate(day(3))},
		{"due today, and no hour of today is left", next, loan.OnDate(day(6)), loan.OnDate(day(7))},
		{"due today, previous cannot be in the past", previous, loan.OnDate(day(6)), loan.OnDate(day(7))},
		{"a latest date before the next open day", loan.Terms{ClosedDay: loan.Next, LatestDue: []calendar.Date{day(10)}}, loan.OnDate(day(9)), loan.OnDate(day(7))},
		{"by the hour, past closing", next, loan.AtInstant(b.At(day(6), 15*60)), loan.AtInstant(b.At(day(7), 10*60))},
		{"by the hour, in the storm, previous closing", previous, loan.AtInstant(b.At(day(8), 12*60)), loan.AtInstant(b.At(day(7), 18*60))},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := loan.Moved(b, c.terms, c.due, now)
			assert.Equal(t, c.want.Print(b), got.Print(b))
		})
	}
}
