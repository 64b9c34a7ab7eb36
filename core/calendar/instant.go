package calendar

import (
	"strings"
	"time"

	"nevrin/core/expect"
)

// Local is the instant at which the wall in loc shows the date and minute. A time that the clock
// skips is read with the offset before the skip; one that comes twice is the first.
func Local(d Date, m Minute, loc *time.Location) time.Time {
	return local(d.UTC().Add(time.Duration(m)*time.Minute), loc)
}

// local turns a wall time, carried as if it were UTC, into the instant it means in loc.
func local(wall time.Time, loc *time.Location) time.Time {
	near := time.Date(
		wall.Year(),
		wall.Month(),
		wall.Day(),
		wall.Hour(),
		wall.Minute(),
		wall.Second(),
		wall.Nanosecond(),
		loc,
	)
	first, last := near.ZoneBounds()
	if !first.IsZero() {
		first, _ = first.Add(-1).ZoneBounds()
	}
	// Walk the stretches of constant offset around the wall time, earliest first: the first
	// that shows it wins; if one ends before it and the next begins after it, it was skipped.
	begin := first
	if begin.IsZero() {
		begin = near.Add(-48 * time.Hour)
	}
	for at := begin; ; {
		_, offset := at.In(loc).Zone()
		_, end := at.In(loc).ZoneBounds()
		t := wall.Add(-time.Duration(offset) * time.Second)
		// Beyond the zone's table the last day of a leap year lies outside the bounds that the library gives for it.
		if end.IsZero() || t.Before(end) || !end.After(at) {
			return t.In(loc)
		}
		_, next := end.In(loc).Zone()
		if wall.Add(-time.Duration(next) * time.Second).Before(end) {
			return t.In(loc) // in the gap: the offset before it
		}
		if !last.IsZero() && end.After(last) {
			return t.In(loc)
		}
		at = end
	}
}

// ParseInstant reads an RFC 3339 instant, seconds optional; without an offset it is local in loc.
func ParseInstant(text string, loc *time.Location) (time.Time, error) {
	for _, layout := range []string{"2006-01-02T15:04:05Z07:00", "2006-01-02T15:04Z07:00"} {
		if t, err := time.Parse(layout, text); err == nil && t.Year() >= 1900 {
			return t.In(loc), nil
		}
	}
	for _, layout := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04"} {
		if t, err := time.Parse(layout, text); err == nil && t.Year() >= 1900 && !strings.Contains(text, ",") {
			return local(t, loc), nil
		}
	}
	right := "one such as 2026-10-06T14:00 or 2026-10-06T14:00:00-03:00"
	return time.Time{}, expect.Errorf(right, "%q is not an instant", text)
}

// PrintInstant writes an instant with seconds and the offset of loc.
func PrintInstant(t time.Time, loc *time.Location) string {
	return t.In(loc).Format("2006-01-02T15:04:05-07:00")
}

// ParseLocation finds a zone of the tz database by name. "Local" and "" are not names.
func ParseLocation(name string) (*time.Location, error) {
	if name != "" && name != "Local" {
		if loc, err := time.LoadLocation(name); err == nil {
			return loc, nil
		}
	}
	return nil, expect.Errorf("a name of the tz database such as America/Halifax", "%q is not a time zone", name)
}
