// Package ical reads and writes calendars of days in the form of iCalendar (RFC 5545): whole days on
// which something is so, once or again by a recurrence rule.
package ical

import (
	"errors"
	"fmt"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"nevrin/core/calendar"
)

// Days is a stretch of whole days with a name, once or recurring.
type Days struct {
	Name     string
	From, To calendar.Date // both included
	Rule     string        // an RRULE without its name, such as FREQ=YEARLY; empty: once
}

// CheckRule tells what is wrong with a recurrence rule.
func CheckRule(rule string) error {
	option, err := rrule.StrToROption(rule)
	if err != nil {
		return fmt.Errorf(
			"%q is not a recurrence rule: %w; expected one such as FREQ=YEARLY or FREQ=MONTHLY;BYDAY=1MO",
			rule,
			err,
		)
	}
	if option.Freq > rrule.DAILY {
		return fmt.Errorf("%q recurs within a day; expected days, weeks, months or years", rule)
	}
	return nil
}

// Occurrences are the first days of all stretches of a rule from its first day to a last one.
func Occurrences(rule string, from, until calendar.Date) ([]calendar.Date, error) {
	if err := CheckRule(rule); err != nil {
		return nil, err
	}
	r, err := rrule.StrToRRule("DTSTART:" + from.UTC().Format("20060102T150405Z") + "\nRRULE:" + rule)
	if err != nil {
		return nil, err
	}
	var out []calendar.Date
	for _, t := range r.Between(from.UTC(), until.UTC(), true) {
		out = append(out, calendar.DateOf(t))
	}
	return out, nil
}

// Expand lists all stretches until a last day, each once.
func (d Days) Expand(until calendar.Date) ([]Days, error) {
	if d.Rule == "" {
		return []Days{d}, nil
	}
	starts, err := Occurrences(d.Rule, d.From, until)
	var out []Days
	for _, s := range starts {
		out = append(out, Days{Name: d.Name, From: s, To: s + d.To - d.From})
	}
	return out, err
}

// Read reads the events of a calendar as days. Events with a time of day are taken as the days they touch.
func Read(text string) ([]Days, error) {
	c, err := ics.ParseCalendar(strings.NewReader(text))
	if err != nil {
		return nil, fmt.Errorf("this is not an iCalendar file: %w", err)
	}
	var out []Days
	for n, e := range c.Events() {
		d, err := readEvent(e)
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

func readEvent(e *ics.VEvent) (Days, error) {
	d := Days{Name: "Closed"}
	if p := e.GetProperty(ics.ComponentPropertySummary); p != nil {
		d.Name = ics.FromText(p.Value)
	}
	start := e.GetProperty(ics.ComponentPropertyDtStart)
	if start == nil {
		return d, fmt.Errorf("%q has no DTSTART", d.Name)
	}
	var err error
	if d.From, _, err = readDate(start.Value); err != nil {
		return d, err
	}
	d.To = d.From
	if end := e.GetProperty(ics.ComponentPropertyDtEnd); end != nil {
		to, whole, err := readDate(end.Value)
		if err != nil {
			return d, err
		}
		if whole { // the end of whole days is the day after (RFC 5545, 3.6.1)
			to--
		}
		if to < d.From {
			return d, fmt.Errorf("%q ends before it begins", d.Name)
		}
		d.To = to
	}
	if rule := e.GetProperty(ics.ComponentPropertyRrule); rule != nil {
		d.Rule = rule.Value
		if err := CheckRule(d.Rule); err != nil {
			return d, err
		}
	}
	return d, nil
}

// readDate reads a DATE or the day of a DATE-TIME; whole tells that it was a DATE.
func readDate(text string) (calendar.Date, bool, error) {
	if len(text) < 8 {
		return 0, false, fmt.Errorf("%q is not a date of iCalendar; expected one such as 20261225", text)
	}
	t, err := time.Parse("20060102", text[:8])
	if err != nil {
		return 0, false, fmt.Errorf("%q is not a date of iCalendar; expected one such as 20261225", text)
	}
	return calendar.DateOf(t), len(text) == 8, nil
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
