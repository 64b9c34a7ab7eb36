package transit_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/transit"
)

// Only days on which somebody was there and it could have come count.
func TestLateInOpenDays(t *testing.T) {
	b := &calendar.Branch{Code: "A", Location: time.UTC, Closures: []calendar.Closure{
		{From: calendar.MakeDate(2026, 10, 13), To: calendar.MakeDate(2026, 10, 13)}}}
	for weekday := time.Monday; weekday <= time.Friday; weekday++ {
		b.Weekly[weekday] = calendar.Day{{From: 540, To: 1020}}
	}
	at := func(day, hour int) time.Time { return time.Date(2026, 10, day, hour, 0, 0, 0, time.UTC) }
	for _, c := range []struct {
		name     string
		promised time.Time
		now      time.Time
		late     int
	}{
		{"before its promise", at(6, 12), at(6, 9), 0},
		{"the same evening", at(6, 12), at(6, 20), 0},
		{"the next morning", at(6, 12), at(7, 9), 0},
		{"the next evening, after closing", at(6, 12), at(7, 18), 1},
		{"over the week-end and a closed Tuesday", at(9, 12), at(14, 10), 1},
		{"a week later", at(6, 12), at(14, 18), 5},
	} {
		assert.Equal(t, c.late, transit.Late(b, c.promised, c.now), c.name)
	}
	for late, want := range map[int]transit.Stage{0: transit.OnTime, 1: transit.JustLate, 2: transit.Asked, 9: transit.Asked, 10: transit.Gone, 40: transit.Gone} {
		assert.Equal(t, want, transit.Of(late, 2, 10), late)
	}
}
