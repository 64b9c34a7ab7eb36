package loan_test

import (
	"testing"
	"time"

	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/loan"
)

// However a calendar comes to be: a due date never moves into the past, moves to an open day or not at all, and once
// moved stays.
func TestMovedKeepsItsWord(t *testing.T) {
	loc, err := calendar.ParseLocation("America/Halifax")
	if err != nil {
		t.Fatal(err)
	}
	rapid.Check(t, func(t *rapid.T) {
		b := &calendar.Branch{Code: "A", Name: "A", Location: loc, Openings: map[calendar.Date]calendar.Opening{}}
		for weekday := range b.Weekly {
			if rapid.Bool().Draw(t, "open") {
				b.Weekly[weekday] = calendar.Day{{From: 600, To: 1080}}
			}
		}
		now := time.Date(2026, 10, 6, rapid.IntRange(0, 23).Draw(t, "hour"), 0, 0, 0, loc)
		today := b.Date(now)
		from := today.Add(rapid.IntRange(0, 10).Draw(t, "closed"))
		b.Closures = []calendar.Closure{{From: from, To: from.Add(rapid.IntRange(0, 20).Draw(t, "for")), Name: "storm"}}
		terms := loan.Terms{
			ClosedDay: rapid.SampledFrom([]loan.ClosedDay{loan.Next, loan.Previous, loan.Keep}).Draw(t, "closed day"),
		}
		due := loan.OnDate(today.Add(rapid.IntRange(-5, 30).Draw(t, "due")))
		moved := loan.Moved(b, terms, due, now)
		if moved == due {
			return
		}
		if terms.ClosedDay == loan.Keep || due.Date < today {
			t.Fatalf("%s moved to %s and should have stayed", due.Date, moved.Date)
		}
		if moved.Date <= today || !b.OpenOn(moved.Date) {
			t.Fatalf("%s moved to %s, which is past or closed", due.Date, moved.Date)
		}
		if again := loan.Moved(b, terms, moved, now); again != moved {
			t.Fatalf("%s moved to %s and then to %s", due.Date, moved.Date, again.Date)
		}
	})
}
