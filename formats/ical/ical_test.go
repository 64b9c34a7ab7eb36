package ical_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/formats/ical"
)

func dates(year int, monthDays ...int) []calendar.Date {
	var out []calendar.Date
	for k := 0; k < len(monthDays); k += 2 {
		out = append(out, calendar.MakeDate(year, time.Month(monthDays[k]), monthDays[k+1]))
	}
	return out
}

// Source: RFC 5545, section 3.8.5.3, whose examples start on Tue 2 September 1997 unless they say otherwise.
func TestExamplesOfRFC5545(t *testing.T) {
	september2 := calendar.MakeDate(1997, 9, 2)
	for _, c := range []struct {
		name, rule string
		from       calendar.Date
		want       []calendar.Date
	}{
		{"daily for 10 occurrences", "FREQ=DAILY;COUNT=10", september2, dates(1997, 9, 2, 9, 3, 9, 4, 9, 5, 9, 6, 9, 7, 9, 8, 9, 9, 9, 10, 9, 11)},
		{"every 10 days, 5 occurrences", "FREQ=DAILY;INTERVAL=10;COUNT=5", september2, dates(1997, 9, 2, 9, 12, 9, 22, 10, 2, 10, 12)},
		{"weekly on Tuesday and Thursday for five weeks", "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH", september2, dates(1997, 9, 2, 9, 4, 9, 9, 9, 11, 9, 16, 9, 18, 9, 23, 9, 25, 9, 30, 10, 2)},
		{"every other week on Tuesday and Thursday, 8 occurrences", "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH", september2, dates(1997, 9, 2, 9, 4, 9, 16, 9, 18, 9, 30, 10, 2, 10, 14, 10, 16)},
		{"monthly on the first Friday, 4 of 10", "FREQ=MONTHLY;COUNT=4;BYDAY=1FR", calendar.MakeDate(1997, 9, 5), dates(1997, 9, 5, 10, 3, 11, 7, 12, 5)},
		{"monthly on the second-to-last Monday, 4 of 6", "FREQ=MONTHLY;COUNT=4;BYDAY=-2MO", calendar.MakeDate(1997, 9, 22), dates(1997, 9, 22, 10, 20, 11, 17, 12, 22)},
		{"monthly on the third-to-the-last day", "FREQ=MONTHLY;BYMONTHDAY=-3;COUNT=4", calendar.MakeDate(1997, 9, 28), dates(1997, 9, 28, 10, 29, 11, 28, 12, 29)},
		{"monthly on the 2nd and 15th, 8 of 10", "FREQ=MONTHLY;COUNT=8;BYMONTHDAY=2,15", september2, dates(1997, 9, 2, 9, 15, 10, 2, 10, 15, 11, 2, 11, 15, 12, 2, 12, 15)},
		{"Friday the 13th", "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13;COUNT=3", september2, append(dates(1998, 2, 13, 3, 13), dates(1998, 11, 13)...)},
		{"US presidential election day", "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8;COUNT=3", calendar.MakeDate(1996, 11, 5), append(append(dates(1996, 11, 5), dates(2000, 11, 7)...), dates(2004, 11, 2)...)},
		{"the first workday after the first weekend: the 3rd instance into the month of TU, WE, TH", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", calendar.MakeDate(1997, 9, 4), dates(1997, 9, 4, 10, 7, 11, 6)},
		{"days in a year that does not have them are left out", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5", calendar.MakeDate(2007, 1, 15), dates(2007, 1, 15, 1, 30, 2, 15, 3, 15, 3, 30)},
		{"weeks that start on Monday", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", calendar.MakeDate(1997, 8, 5), dates(1997, 8, 5, 8, 10, 8, 19, 8, 24)},
		{"weeks that start on Sunday", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", calendar.MakeDate(1997, 8, 5), dates(1997, 8, 5, 8, 17, 8, 19, 8, 31)},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := ical.Occurrences(c.rule, c.from, c.from, calendar.MakeDate(2010, 1, 1))
			require.NoError(t, err)
			assert.Equal(t, c.want, got)
		})
	}
}

func TestThereAndBack(t *testing.T) {
	days := []ical.Days{
		{Name: "Boiler work; stairs, too", From: calendar.MakeDate(2026, 10, 13), To: calendar.MakeDate(2026, 10, 14)},
		{
			Name: "Christmas",
			From: calendar.MakeDate(2026, 12, 25),
			To:   calendar.MakeDate(2026, 12, 26),
			Rule: "FREQ=YEARLY",
		},
	}
	text := ical.Write("Saltmere", days, time.Date(2026, 10, 6, 12, 0, 0, 0, time.UTC))
	assert.Contains(t, text, "BEGIN:VCALENDAR\r\n")
	assert.Contains(t, text, "DTEND;VALUE=DATE:20261015", "the end of whole days is the day after: RFC 5545, 3.6.1")
	assert.Contains(t, text, `SUMMARY:Boiler work\; stairs\, too`)
	back, err := ical.Read(text, time.UTC)
	require.NoError(t, err)
	assert.Equal(t, days, back)
	years, err := ical.Occurrences(back[1].Rule, back[1].From, back[1].From, calendar.MakeDate(2028, 12, 31))
	require.NoError(t, err)
	require.Len(t, years, 3)
	assert.Equal(t, calendar.MakeDate(2028, 12, 25), years[2])
}

func TestForeignFiles(t *testing.T) {
	// Folded lines, a time of day, no end: all of it allowed by RFC 5545.
	text := strings.ReplaceAll(
		"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Somebody//EN\nBEGIN:VEVENT\nUID:1@somebody.invalid\nDTSTAMP:20260101T000000Z\nDTSTART;VALUE=DATE:20260701\nSUMMARY:A holiday with a name that is so long that it is folded onto a seco\n nd line\nEND:VEVENT\n"+
			"BEGIN:VEVENT\nUID:2@somebody.invalid\nDTSTAMP:20260101T000000Z\nDTSTART:20260803T090000\nDTEND:20260804T120000\nSUMMARY:Fair\nEND:VEVENT\nEND:VCALENDAR\n",
		"\n",
		"\r\n",
	)
	days, err := ical.Read(text, time.UTC)
	require.NoError(t, err)
	require.Len(t, days, 2)
	assert.Contains(t, days[0].Name, "a second line")
	assert.Equal(t, days[0].From, days[0].To)
	assert.Equal(t, calendar.MakeDate(2026, 8, 4), days[1].To)
	for text, says := range map[string]string{"": "no events", "hello": "not an iCalendar", "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n": "no events",
		strings.Replace(text, "20260701", "2026-7-1", 1): "event 1", strings.Replace(text, "DTEND:20260804T120000", "DTEND:20250804T120000", 1): "ends before it begins"} {
		_, err := ical.Read(text, time.UTC)
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), says)
	}
	assert.ErrorContains(t, ical.CheckRule("FREQ=SOMETIMES"), "not a recurrence rule")
	assert.ErrorContains(t, ical.CheckRule("FREQ=HOURLY"), "within a day")
}

// What has hours is no whole day. The party is the first example of RFC 5545 (3.4, from memory): 17:00 to 04:00 in UTC.
func TestEntriesWithHours(t *testing.T) {
	in := func(zone string) *time.Location {
		at, err := time.LoadLocation(zone)
		require.NoError(t, err)
		return at
	}
	read := func(from, to, zone string) ical.Days {
		days, err := ical.Read("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART"+from+"\r\nDTEND"+to+"\r\nSUMMARY:x\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n", in(zone))
		require.NoError(t, err)
		return days[0]
	}
	party := calendar.MakeDate(1997, 7, 14)
	for _, c := range []struct {
		from, to, zone string
		is             ical.Days
	}{
		{":20261224T100000", ":20261224T140000", "America/Halifax", ical.Days{From: calendar.MakeDate(2026, 12, 24), To: calendar.MakeDate(2026, 12, 24), Hours: "10:00-14:00"}},
		{";TZID=America/Halifax:20261224T100000", ";TZID=America/Halifax:20261224T140000", "UTC", ical.Days{From: calendar.MakeDate(2026, 12, 24), To: calendar.MakeDate(2026, 12, 24), Hours: "10:00-14:00"}},
		{":19970714T170000Z", ":19970715T040000Z", "America/New_York", ical.Days{From: party, To: party, Hours: "13:00-24:00"}},
		{":19970714T170000Z", ":19970715T040000Z", "America/Halifax", ical.Days{From: party, To: party + 1}},
		{":19970714T170000Z", ":19970715T040000Z", "America/Vancouver", ical.Days{From: party, To: party, Hours: "10:00-21:00"}},
		{";VALUE=DATE:20261224", ";VALUE=DATE:20261225", "UTC", ical.Days{From: calendar.MakeDate(2026, 12, 24), To: calendar.MakeDate(2026, 12, 24)}},
	} {
		c.is.Name = "x"
		assert.Equal(t, c.is, read(c.from, c.to, c.zone), "%s in %s", c.from, c.zone)
	}
}

// Rules that never match, match each day or reach back far are refused or worked out quickly.
func TestHostileRules(t *testing.T) {
	since, until := calendar.MakeDate(2016, 1, 1), calendar.MakeDate(2033, 1, 1)
	for _, c := range []struct {
		rule  string
		first calendar.Date
		says  string
		count int
	}{
		{"FREQ=DAILY", calendar.MakeDate(1900, 1, 1), "more than 160 times within a year", 0},
		{"FREQ=WEEKLY;BYDAY=SA,SU", calendar.MakeDate(1900, 1, 6), "", 1775},
		{"FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", calendar.MakeDate(1900, 1, 1), "", 0},
		{"FREQ=DAILY;BYMONTH=2;BYMONTHDAY=31", calendar.MakeDate(1900, 1, 1), "", 0},
		{"FREQ=YEARLY;INTERVAL=2000000000", calendar.MakeDate(2026, 1, 1), "interval", 0},
		{"FREQ=YEARLY;COUNT=2000000000", calendar.MakeDate(2020, 12, 25), "", 13},
		{"FREQ=YEARLY;BYDAY=" + strings.Repeat("MO,", 200) + "MO", calendar.MakeDate(2026, 1, 1), "letters", 0},
		{"FREQ=YEARLY", calendar.MakeDate(1, 1, 1), "first day", 0},
		{"FREQ=YEARLY", calendar.MakeDate(9999, 1, 1), "first day", 0},
	} {
		got, err := ical.Occurrences(c.rule, c.first, since, until)
		if c.says != "" {
			assert.ErrorContains(t, err, c.says, c.rule)
			continue
		}
		require.NoError(t, err, c.rule)
		assert.Equal(t, c.count, len(got), c.rule)
	}
	event := "BEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20260701\r\nSUMMARY:x\r\nEND:VEVENT\r\n"
	around := func(events string) string { return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" + events + "END:VCALENDAR\r\n" }
	for says, text := range map[string]string{
		"at most 2000":         around(strings.Repeat(event, 2001)),
		"a name of 5000":       around(strings.Replace(event, "SUMMARY:x", "SUMMARY:"+strings.Repeat("x", 5000), 1)),
		"expected days from":   around(strings.Replace(event, "20260701", "00010701", 1)),
		"within each other":    strings.Repeat("BEGIN:VEVENT\r\n", 50_000),
		"a recurrence rule of": around(strings.Replace(event, "SUMMARY:x", "RRULE:"+strings.Repeat("x", 5000), 1)),
	} {
		_, err := ical.Read(text, time.UTC)
		assert.ErrorContains(t, err, says)
	}
}

// A name cannot write lines of its own into a calendar: it comes back as one event with one name.
func TestHostileNames(t *testing.T) {
	for _, name := range []string{
		"Closed\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nSUMMARY:Open", "Closed\nRRULE:FREQ=DAILY", "a;b,c\\d:e", `<script>alert(1)</script>`, "a\x00\x1bb", strings.Repeat("ü", 200),
	} {
		text := ical.Write(name, []ical.Days{{From: calendar.MakeDate(2026, 12, 25), To: calendar.MakeDate(2026, 12, 25), Name: name}}, time.Unix(0, 0))
		back, err := ical.Read(text, time.UTC)
		require.NoError(t, err, "%q", name)
		require.Len(t, back, 1, "%q", name)
		assert.Empty(t, back[0].Rule, "%q", name)
		assert.Equal(t, calendar.MakeDate(2026, 12, 25), back[0].From)
		assert.Equal(t, 1, strings.Count(text, "\nBEGIN:VEVENT"), "%q", name)
	}
}
