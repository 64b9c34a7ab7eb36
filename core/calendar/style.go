package calendar

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/core/expect"
)

// Style is a network's way to write dates and times for people. Files and the database always have 2006-01-02 and 24 hours.
type Style struct {
	Order Order `json:"order" enum:"day,month,year" doc:"Which part of a date comes first"`
	Hours int   `json:"hours" enum:"24,12" doc:"Whether the clock counts 24 hours, or 12 with am and pm"`
}

// Order says which part of a date comes first.
type Order string

// The three orders in use: 20 Oct 2026, Oct 20, 2026 and 2026-10-20.
const (
	DayFirst   Order = "day"
	MonthFirst Order = "month"
	YearFirst  Order = "year"
)

// UsualStyle is the default.
var UsualStyle = Style{DayFirst, 24}

// Check returns an error if the order or the hours are none of those above.
func (s Style) Check() error {
	if orders := []Order{DayFirst, MonthFirst, YearFirst}; !slices.Contains(orders, s.Order) {
		return expect.Errorf(fmt.Sprintf("one of %v", orders), "dates with %q first", s.Order)
	}
	if s.Hours != 12 && s.Hours != 24 {
		return expect.Errorf("12 or 24", "a clock of %d hours", s.Hours)
	}
	return nil
}

// Date writes a date with its weekday and year: "Tue 20 Oct 2026".
func (s Style) Date(d Date) string {
	switch s.Order {
	case MonthFirst:
		return d.UTC().Format("Mon Jan 2, 2006")
	case YearFirst:
		return d.UTC().Format("Mon 2006-01-02")
	}
	return d.UTC().Format("Mon 2 Jan 2006")
}

// Day writes a date without its year: "Tue 20 Oct".
func (s Style) Day(d Date) string {
	switch s.Order {
	case MonthFirst:
		return d.UTC().Format("Mon Jan 2")
	case YearFirst:
		return d.UTC().Format("Mon 01-02")
	}
	return d.UTC().Format("Mon 2 Jan")
}

// Near writes a date with its year only if that differs from the year of today.
func (s Style) Near(d, today Date) string {
	if d.UTC().Year() == today.UTC().Year() {
		return s.Day(d)
	}
	return s.Date(d)
}

// Clock writes the time of an instant in the instant's own location: "14:00" or "2:00 pm".
func (s Style) Clock(t time.Time) string {
	if s.Hours == 12 {
		return t.Format("3:04 pm")
	}
	return t.Format("15:04")
}

// Spans writes the hours of a day: "10:00-13:00, 14:00-17:00" or "10:00 am to 1:00 pm, 2:00 pm to 5:00 pm".
func (s Style) Spans(day Day) string {
	if s.Hours != 12 {
		return day.String()
	}
	clock := func(m Minute) string { return s.Clock(time.Date(1, 1, 1, 0, int(m), 0, 0, time.UTC)) }
	said := make([]string, len(day))
	for k, span := range day {
		said[k] = clock(span.From) + " to " + clock(span.To)
	}
	return strings.Join(said, ", ")
}

// Instant writes an instant in loc: "Tue 20 Oct 2026, 14:00".
func (s Style) Instant(t time.Time, loc *time.Location) string {
	t = t.In(loc)
	return s.Date(DateOf(t)) + ", " + s.Clock(t)
}

// SayDate writes a date as the branch's network does.
func (b *Branch) SayDate(d Date) string { return b.Style.Date(d) }

// SayInstant writes an instant by the branch's clock, as its network does.
func (b *Branch) SayInstant(t time.Time) string { return b.Style.Instant(t, b.Location) }

// SayClock writes the time of an instant by the branch's clock.
func (b *Branch) SayClock(t time.Time) string { return b.Style.Clock(t.In(b.Location)) }
