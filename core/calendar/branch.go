package calendar

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/core/expect"
)

// Minute is a time of day in minutes after midnight, from 0 to 1440 ("24:00", the end of the day).
type Minute int

// ParseMinute reads "09:30" or "24:00".
func ParseMinute(text string) (Minute, error) {
	if len(text) == 5 && text[2] == ':' && strings.Trim(text[:2]+text[3:], "0123456789") == "" {
		h, m := number(text[:2]), number(text[3:])
		if m < 60 && (h < 24 || h == 24 && m == 0) {
			return Minute(h*60 + m), nil
		}
	}
	return 0, expect.Errorf("one from 00:00 to 24:00", "%q is not a time of day", text)
}

func (m Minute) String() string { return fmt.Sprintf("%02d:%02d", int(m)/60, int(m)%60) }

// Span is a stretch of a day, both ends included.
type Span struct{ From, To Minute }

// ParseSpan reads "10:00-18:00".
func ParseSpan(text string) (Span, error) {
	from, to, _ := strings.Cut(text, "-")
	f, err1 := ParseMinute(from)
	t, err2 := ParseMinute(to)
	switch {
	case err1 != nil || err2 != nil:
		return Span{}, expect.Errorf("one such as 10:00-18:00", "%q is not a span of a day", text)
	case t <= f:
		return Span{}, expect.Errorf("the later time second", "%q does not end after it begins", text)
	}
	return Span{f, t}, nil
}

func (s Span) String() string { return s.From.String() + "-" + s.To.String() }

// Day is the spans of one day in order; none means closed.
type Day []Span

// MakeDay puts spans in order and joins touching ones. Overlapping spans are an error.
func MakeDay(spans ...Span) (Day, error) {
	sorted := slices.Clone(spans)
	slices.SortFunc(sorted, func(a, b Span) int { return int(a.From - b.From) })
	var day Day
	for _, s := range sorted {
		if n := len(day); n > 0 && s.From < day[n-1].To {
			return nil, expect.Errorf("spans of a day to lie apart", "%s overlaps %s", s, day[n-1])
		} else if n > 0 && s.From == day[n-1].To {
			day[n-1].To = s.To
		} else {
			day = append(day, s)
		}
	}
	return day, nil
}

func (d Day) String() string {
	parts := make([]string, len(d))
	for i, s := range d {
		parts[i] = s.String()
	}
	return strings.Join(parts, ", ")
}

// Closure closes a branch on the dates from From to To, both included.
type Closure struct {
	From, To Date
	Name     string
}

// Opening replaces the hours of one date; no spans close it.
type Opening struct {
	Hours Day
	Name  string
}

// Branch is the calendar of one place. Build it once, then only read it.
type Branch struct {
	Code       Code
	Name, Zone string
	Location   *time.Location
	Style      Style  // how its network writes dates and times
	Weekly     [7]Day // by time.Weekday
	Closures   []Closure
	Openings   map[Date]Opening
}

// Day is the spans in which the branch is open on a date.
func (b *Branch) Day(d Date) Day {
	day, _ := b.DayWithReason(d)
	return day
}

// DayWithReason is Day and, for a closed day, why it is closed, in words.
func (b *Branch) DayWithReason(d Date) (Day, string) {
	day, by, name := b.Settled(d)
	if by == ByWeek && len(day) == 0 {
		return nil, "closed on " + d.Weekday().String() + "s"
	}
	return day, name
}

// SettledBy says what decides whether a branch is open on a date.
type SettledBy string

// What settles a date, in the order in which it counts.
const (
	ByOpening SettledBy = "opening" // a special opening of that date, which may be an empty one
	ByClosure SettledBy = "closure"
	ByWeek    SettledBy = "week" // the weekly hours
)

// Settled is Day with what settled it, and the name that a special opening or a closure has.
func (b *Branch) Settled(d Date) (day Day, by SettledBy, name string) {
	if o, ok := b.Openings[d]; ok {
		return o.Hours, ByOpening, o.Name
	}
	for _, c := range b.Closures {
		if c.From <= d && d <= c.To {
			return nil, ByClosure, c.Name
		}
	}
	return b.Weekly[d.Weekday()], ByWeek, ""
}

// EverOpen tells whether there is any hour at which the branch is open: in its week, or on a special day.
func (b *Branch) EverOpen() bool {
	for _, day := range b.Weekly {
		if len(day) > 0 {
			return true
		}
	}
	for _, o := range b.Openings {
		if len(o.Hours) > 0 {
			return true
		}
	}
	return false
}

// OpenOn tells whether the date is an open day.
func (b *Branch) OpenOn(d Date) bool { return len(b.Day(d)) > 0 }

// StillOpensOn tells whether the branch is open on a date as seen from an instant: of that very day
// only what is left of it counts, and a day gone by counts no more.
func (b *Branch) StillOpensOn(d Date, now time.Time) bool {
	today := b.Date(now)
	if d != today {
		return d > today && b.OpenOn(d)
	}
	if b.OpenAt(now) && b.OpenAt(now.Add(time.Minute)) {
		return true
	}
	next, ok := b.NextOpening(now)
	return ok && b.Date(next) == d
}

// Date is the branch's date at an instant.
func (b *Branch) Date(t time.Time) Date { return DateOf(t.In(b.Location)) }

// At is the instant at which the branch's clock shows a minute of a date.
func (b *Branch) At(d Date, m Minute) time.Time { return Local(d, m, b.Location) }

// EndOf is the midnight at the end of a date.
func (b *Branch) EndOf(d Date) time.Time { return b.At(d+1, 0) }

// NextOpenDay is the first open day after d within two years.
func (b *Branch) NextOpenDay(d Date) (Date, bool) {
	for day, end := d+1, d.AddYears(2); day <= end; day++ {
		if b.OpenOn(day) {
			return day, true
		}
	}
	return 0, false
}

// LastOpenDay is the last open day before d that is after floor.
func (b *Branch) LastOpenDay(d, floor Date) (Date, bool) {
	floor = max(floor, d.AddYears(-2)-1)
	for day := d - 1; day > floor; day-- {
		if b.OpenOn(day) {
			return day, true
		}
	}
	return 0, false
}

// stretch is a span of one date as instants.
type stretch struct{ from, to time.Time }

func (b *Branch) stretches(d Date) []stretch {
	day := b.Day(d)
	out := make([]stretch, 0, len(day))
	for _, s := range day {
		if from, to := b.At(d, s.From), b.At(d, s.To); !to.Before(from) {
			out = append(out, stretch{from, to})
		}
	}
	return out
}

// OpenAt tells whether the branch is open at an instant, the ends of spans included.
func (b *Branch) OpenAt(t time.Time) bool {
	today := b.Date(t)
	for d := today - 1; d <= today; d++ { // yesterday may end at midnight, today's first instant
		for _, s := range b.stretches(d) {
			if !t.Before(s.from) && !t.After(s.to) {
				return true
			}
		}
	}
	return false
}

// NextOpening is the first opening instant after t within two years.
func (b *Branch) NextOpening(t time.Time) (time.Time, bool) {
	from := b.Date(t)
	for d, end := from, from.AddYears(2); d <= end; d++ {
		for _, s := range b.stretches(d) {
			if s.from.After(t) {
				return s.from, true
			}
		}
	}
	return time.Time{}, false
}

// LastClosing is the last closing instant before t that is after floor.
func (b *Branch) LastClosing(t, floor time.Time) (time.Time, bool) {
	from := b.Date(t)
	end := max(b.Date(floor)-1, from.AddYears(-2))
	for d := from; d >= end; d-- {
		for _, s := range slices.Backward(b.stretches(d)) {
			if s.to.Before(t) && s.to.After(floor) {
				return s.to, true
			}
		}
	}
	return time.Time{}, false
}

// OpenTimeFrom is the earliest instant at or after t by which so many minutes of open time have
// passed; none gives the first open instant. False if the branch does not open enough in two years.
func (b *Branch) OpenTimeFrom(t time.Time, minutes int) (time.Time, bool) {
	left := time.Duration(minutes) * time.Minute
	from := b.Date(t)
	for d, end := from-1, from.AddYears(2); d <= end; d++ {
		for _, s := range b.stretches(d) {
			if s.to.Before(t) {
				continue
			}
			begin := s.from
			if begin.Before(t) {
				begin = t
			}
			if open := s.to.Sub(begin); open >= left {
				return begin.Add(left), true
			} else {
				left -= open
			}
		}
	}
	return time.Time{}, false
}

// OpenBetween is the open time between two instants; none if to is not after from.
func (b *Branch) OpenBetween(from, to time.Time) time.Duration {
	var sum time.Duration
	for d, end := b.Date(from)-1, b.Date(to); d <= end; d++ {
		for _, s := range b.stretches(d) {
			begin, finish := s.from, s.to
			if begin.Before(from) {
				begin = from
			}
			if finish.After(to) {
				finish = to
			}
			if finish.After(begin) {
				sum += finish.Sub(begin)
			}
		}
	}
	return sum
}
