// Package ical reads and writes calendars of days in the form of iCalendar (RFC 5545): whole days on
// which something is so, or hours of a day, once or again by a recurrence rule.
package ical

import (
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"nevrin/core/calendar"
	"nevrin/core/expect"
)

// Days is a stretch of whole days with a name, once or recurring.
type Days struct {
	Name     string
	From, To calendar.Date // both included
	Rule     string        // an RRULE without its name, such as FREQ=YEARLY; empty: once
	Hours    string        // of an event within one day, such as 10:00-14:00; empty: whole days
}

// Bounds of a calendar, far above what a network's has.
const (
	maxEvents   = 2000
	maxName     = 200 // letters of a name, and of a rule
	maxInterval = 1000
	maxPerYear  = 160 // three days of each week
	maxSteps    = 100_000
)

// The days that a calendar may speak of.
var (
	earliest = calendar.MakeDate(1900, 1, 1)
	latest   = calendar.MakeDate(2200, 12, 31)
)

// CheckRule tells what is wrong with a recurrence rule.
func CheckRule(rule string) error {
	if len(rule) > maxName {
		return fmt.Errorf("a recurrence rule of %d letters; expected at most %d", len(rule), maxName)
	}
	option, err := rrule.StrToROption(rule)
	if err != nil {
		return fmt.Errorf(
			"%q is not a recurrence rule: %s; expected one such as FREQ=YEARLY or FREQ=MONTHLY;BYDAY=1MO",
			expect.Shown(rule),
			expect.Shown(err.Error()),
		)
	}
	if option.Freq > rrule.DAILY {
		return fmt.Errorf("%q recurs within a day; expected days, weeks, months or years", rule)
	}
	if option.Interval > maxInterval {
		return fmt.Errorf("%q has an interval of %d; expected at most %d", rule, option.Interval, maxInterval)
	}
	return nil
}

// Occurrences are the first days of the stretches of a rule with a given first day, from one day to another. A rule that
// recurs more often than on three days of each week is an error: what is so nearly every day is no exception.
func Occurrences(rule string, first, from, until calendar.Date) ([]calendar.Date, error) {
	if err := CheckRule(rule); err != nil {
		return nil, err
	}
	if first < earliest || first > latest {
		return nil, fmt.Errorf("%s is the first day of %q; expected one from %s to %s", first, rule, earliest, latest)
	}
	r, err := rrule.StrToRRule("DTSTART:" + first.UTC().Format("20060102T150405Z") + "\nRRULE:" + rule)
	if err != nil {
		return nil, err
	}
	r.Until(earlier(r.OrigOptions.Until, min(until, latest).UTC()))
	var out []calendar.Date
	next := r.Iterator()
	for range maxSteps {
		t, more := next()
		if !more {
			break
		}
		day := calendar.DateOf(t)
		if day < from {
			continue
		}
		if out = append(out, day); len(out) > maxPerYear && day.DaysSince(out[len(out)-1-maxPerYear]) < 366 {
			return nil, fmt.Errorf("%q recurs more than %d times within a year; expected what is an exception, "+
				"and what is so each week among the weekly hours", rule, maxPerYear)
		}
	}
	return out, nil
}

// earlier is the earlier of two instants; none is no end.
func earlier(a, b time.Time) time.Time {
	if !a.IsZero() && a.Before(b) {
		return a
	}
	return b
}

// Read reads the events of a calendar as days. Events with a time of day have hours, as clocks show them where they are; what is in UTC is
// meant in a zone. Those that go beyond a day are taken as the days they touch.
func Read(text string, zone *time.Location) ([]Days, error) {
	if err := bounded(text); err != nil {
		return nil, err
	}
	c, err := ics.ParseCalendar(strings.NewReader(text))
	if err != nil {
		return nil, fmt.Errorf("this is not an iCalendar file: %s", expect.Shown(err.Error()))
	}
	if len(c.Components) > maxEvents {
		return nil, fmt.Errorf("this calendar has %d entries; expected at most %d", len(c.Components), maxEvents)
	}
	var out []Days
	for n, e := range c.Events() {
		d, err := readEvent(e, zone)
		if err != nil {
			return nil, fmt.Errorf("event %d: %w", n+1, err)
		}
		out = append(out, d)
	}
	if len(out) == 0 {
		return nil, errors.New("this calendar has no events; expected VEVENTs of whole days")
	}
	return out, nil
}

func readEvent(e *ics.VEvent, zone *time.Location) (Days, error) {
	d := Days{Name: "Closed"}
	if p := e.GetProperty(ics.ComponentPropertySummary); p != nil {
		if d.Name = ics.FromText(p.Value); utf8.RuneCountInString(d.Name) > maxName {
			return d, fmt.Errorf("a name of %d letters; expected at most %d", utf8.RuneCountInString(d.Name), maxName)
		}
	}
	start := e.GetProperty(ics.ComponentPropertyDtStart)
	if start == nil {
		return d, fmt.Errorf("%q has no DTSTART", d.Name)
	}
	from, err := readWhen(start.Value, zone)
	if err != nil {
		return d, err
	}
	d.From, d.To = from.day, from.day
	if end := e.GetProperty(ics.ComponentPropertyDtEnd); end != nil {
		to, err := readWhen(end.Value, zone)
		if err != nil {
			return d, err
		}
		switch {
		case to.whole: // the end is the day after (RFC 5545, 3.6.1)
			to.day--
		case to.clock == 0 && to.day > d.From: // midnight ends the day before
			to.day, to.clock = to.day-1, 24*60
		}
		if !from.whole && !to.whole && to.day == d.From && to.clock > from.clock {
			d.Hours = calendar.Span{From: from.clock, To: to.clock}.String()
		}
		if to.day < d.From {
			return d, fmt.Errorf("%q ends before it begins", d.Name)
		}
		d.To = to.day
	}
	if d.From < earliest || d.To > latest {
		return d, fmt.Errorf("%q is from %s to %s; expected days from %s to %s", d.Name, d.From, d.To, earliest, latest)
	}
	if rule := e.GetProperty(ics.ComponentPropertyRrule); rule != nil {
		d.Rule = rule.Value
		if err := CheckRule(d.Rule); err != nil {
			return d, err
		}
	}
	return d, nil
}

// when is a DATE, or a DATE-TIME as a clock shows it.
type when struct {
	day   calendar.Date
	clock calendar.Minute
	whole bool // a DATE
}

// readWhen reads a DATE or a DATE-TIME. One in UTC is told as clocks of a zone show it; another as it stands.
func readWhen(text string, zone *time.Location) (when, error) {
	wrong := fmt.Errorf("%q is not a date of iCalendar; expected one such as 20261225 or 20261225T100000", expect.Shown(text))
	if len(text) == 8 {
		t, err := time.Parse("20060102", text)
		if err != nil {
			return when{}, wrong
		}
		return when{day: calendar.DateOf(t), whole: true}, nil
	}
	t, err := time.Parse("20060102T150405", strings.TrimSuffix(text, "Z"))
	if err != nil {
		return when{}, wrong
	}
	if strings.HasSuffix(text, "Z") {
		t = t.In(zone)
	}
	return when{day: calendar.DateOf(t), clock: calendar.Minute(t.Hour()*60 + t.Minute())}, nil
}

// Write writes days as a calendar. Stamp is when it is written.
func Write(name string, days []Days, stamp time.Time) string {
	c := ics.NewCalendarFor("Nevrin")
	c.SetName(name)
	for n, d := range days {
		e := c.AddEvent(
			fmt.Sprintf("%s-%d-%s@nevrin.invalid", d.From, n, strings.ToLower(strings.ReplaceAll(name, " ", "-"))),
		)
		e.SetDtStampTime(stamp)
		e.SetSummary(d.Name)
		e.SetAllDayStartAt(d.From.UTC())
		e.SetAllDayEndAt((d.To + 1).UTC())
		if d.Rule != "" {
			e.AddRrule(d.Rule)
		}
	}
	return c.Serialize(ics.WithNewLineWindows)
}
