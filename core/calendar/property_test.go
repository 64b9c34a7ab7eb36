package calendar_test

import (
	"testing"
	"time"

	"pgregory.net/rapid"

	"nevrin/core/calendar"
)

// anyCalendar draws a branch somewhere on earth around a change of its clocks: breaks in the day, nights that end at
// midnight, weeks of closure, odd openings.
func anyCalendar(t *rapid.T) (*calendar.Branch, time.Time) {
	zone := rapid.SampledFrom([]string{"America/Halifax", "Europe/Lisbon", "Australia/Lord_Howe", "Asia/Kathmandu", "America/St_Johns"}).
		Draw(t, "zone")
	loc, err := calendar.ParseLocation(zone)
	if err != nil {
		t.Fatal(err)
	}
	b := &calendar.Branch{Code: "A", Name: "A", Location: loc, Openings: map[calendar.Date]calendar.Opening{}}
	day := func(label string) calendar.Day {
		return rapid.SampledFrom([]calendar.Day{nil, {{From: 600, To: 1080}}, {{From: 0, To: 200}}, {{From: 60, To: 150}, {From: 170, To: 400}}, {{From: 840, To: 1440}}}).
			Draw(t, label)
	}
	for weekday := range b.Weekly {
		b.Weekly[weekday] = day("day")
	}
	// Clocks change on 1 November 2026 in Halifax, on 25 October in Lisbon, on 4 October at Lord Howe.
	begin := time.Date(
		2026,
		10,
		rapid.IntRange(1, 31).Draw(t, "date"),
		rapid.IntRange(0, 23).Draw(t, "hour"),
		rapid.IntRange(0, 59).Draw(t, "minute"),
		0,
		0,
		time.UTC,
	)
	first := calendar.DateOf(begin)
	b.Closures = []calendar.Closure{{From: first.Add(rapid.IntRange(0, 5).Draw(t, "closed from")), Name: "works"}}
	b.Closures[0].To = b.Closures[0].From.Add(rapid.IntRange(0, 12).Draw(t, "closed for"))
	b.Openings[first.Add(rapid.IntRange(0, 9).Draw(t, "special"))] = calendar.Opening{
		Hours: day("special day"),
		Name:  "fair",
	}
	return b, begin
}

// openMinutes counts by looking at each minute: the one that begins then is open if both its ends are.
func openMinutes(b *calendar.Branch, from, to time.Time) int {
	n := 0
	for at := from; at.Before(to); at = at.Add(time.Minute) {
		if b.OpenAt(at.Add(20*time.Second)) && b.OpenAt(at.Add(40*time.Second)) {
			n++
		}
	}
	return n
}

// Open time between two instants is what one counts minute by minute, also when clocks change.
func TestOpenTimeMinuteByMinute(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b, from := anyCalendar(t)
		to := from.Add(time.Duration(rapid.IntRange(0, 4*24*60).Draw(t, "length")) * time.Minute)
		if got, want := b.OpenBetween(from, to), time.Duration(openMinutes(b, from, to))*time.Minute; got != want {
			t.Fatalf("%s to %s: %s, minute by minute %s", from, to, got, want)
		}
	})
}

// The instant by which so much open time has passed is the first at which it has.
func TestOpenTimeFromIsTheFirstInstant(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b, from := anyCalendar(t)
		minutes := rapid.IntRange(0, 900).Draw(t, "minutes")
		at, ok := b.OpenTimeFrom(from, minutes)
		if !ok {
			if left := b.OpenBetween(from, from.AddDate(0, 3, 0)); left >= time.Duration(minutes)*time.Minute &&
				left > 0 {
				t.Fatalf("%d minutes are not found among %s", minutes, left)
			}
			return
		}
		if at.Before(from) || !b.OpenAt(at) {
			t.Fatalf("%s is not an open instant after %s", at, from)
		}
		if got := b.OpenBetween(from, at); got != time.Duration(minutes)*time.Minute {
			t.Fatalf("by %s have passed %s, expected %d minutes", at, got, minutes)
		}
	})
}

// The next and the last open day are the nearest ones, and closed days say why.
func TestOpenDaysAreTheNearest(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b, from := anyCalendar(t)
		day := b.Date(from)
		if next, ok := b.NextOpenDay(day); ok {
			for d := day + 1; d < next; d++ {
				if _, reason := b.DayWithReason(d); b.OpenOn(d) || reason == "" {
					t.Fatalf("%s is open, or closed without a reason; next after %s is %s", d, day, next)
				}
			}
			if last, ok := b.LastOpenDay(next+1, day); !ok || last != next {
				t.Fatalf("the last open day before the day after %s is %s", next, last)
			}
		}
	})
}
