// Package loan decides until when an item is lent, at lending and at renewal.
//
// A day loan is due on a date and may come back until midnight, branch time. An hour loan is
// due at an instant. The terms say what happens when that falls on closed time, and which latest
// dates (ends of term, for example) a day loan is never due after.
package loan

import (
	"fmt"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/why"
)

// ClosedDay says what happens to a due date or instant at which the lending branch is closed.
type ClosedDay string

const (
	Next     ClosedDay = "next"
	Previous ClosedDay = "previous"
	Keep     ClosedDay = "keep"
)

// Terms are the terms that decide when a loan is due.
type Terms struct {
	Period       calendar.Duration
	ClosedDay    ClosedDay
	LatestDue    []calendar.Date
	RenewFromDue bool // a renewal counts from the due date, not from today
}

// Due is a due date: a date for loans by the day, an instant for loans by the hour.
type Due struct {
	Date  calendar.Date
	At    time.Time
	Hours bool
}

// OnDate is the due of a day loan; AtInstant that of an hour loan.
func OnDate(d calendar.Date) Due { return Due{Date: d} }
func AtInstant(t time.Time) Due  { return Due{At: t, Hours: true} }

// Same tells whether two are due at the same time.
func (d Due) Same(other Due) bool {
	return d.Hours == other.Hours && d.Date == other.Date && d.At.Equal(other.At)
}

// End is the last instant at which the item is not late.
func (d Due) End(b *calendar.Branch) time.Time {
	if d.Hours {
		return d.At
	}
	return b.EndOf(d.Date)
}

// Sooner tells whether this due is before another.
func (d Due) Sooner(b *calendar.Branch, than Due) bool { return d.End(b).Before(than.End(b)) }

// Day is the branch's date on which the loan is due.
func (d Due) Day(b *calendar.Branch) calendar.Date {
	if d.Hours {
		return b.Date(d.At)
	}
	return d.Date
}

// Late tells whether the item is late at an instant.
func (d Due) Late(b *calendar.Branch, at time.Time) bool {
	if d.Hours {
		return at.After(d.At)
	}
	return b.Date(at) > d.Date
}

// Print writes the due as files carry it.
func (d Due) Print(b *calendar.Branch) string {
	if d.Hours {
		return calendar.PrintInstant(d.At, b.Location)
	}
	return d.Date.String()
}

// Near writes the due date, with its year only if that differs from the year of today.
func (d Due) Near(b *calendar.Branch, today calendar.Date) string {
	if d.Hours {
		return b.Style.Near(b.Date(d.At), today) + ", " + b.SayClock(d.At)
	}
	return b.Style.Near(d.Date, today)
}

// Say writes the due as people say it, with its year.
func (d Due) Say(b *calendar.Branch) string {
	if d.Hours {
		return b.SayInstant(d.At)
	}
	return b.SayDate(d.Date)
}

// Lend decides when a loan made at an instant is due.
func Lend(b *calendar.Branch, t Terms, lent time.Time) (Due, why.Trace) {
	trace := why.New("Due date").Add(why.Fact, "Lent at "+b.Name+" on "+b.SayInstant(lent))
	due, trace := count(b, t, lent, b.Date(lent), trace)
	trace.Result = due.Say(b)
	return due, trace
}

// Renew decides when a loan renewed at an instant is due. A renewal never shortens a loan.
func Renew(b *calendar.Branch, t Terms, present Due, renewed time.Time) (Due, why.Trace) {
	trace := why.New("Due date after renewal").
		Add(why.Fact, "Renewed on "+b.SayInstant(renewed)+"; was due "+present.Say(b))
	from := renewed
	if t.RenewFromDue {
		if present.Hours {
			from = present.At
		} else {
			clock := renewed.In(b.Location)
			from = b.At(present.Date, calendar.Minute(clock.Hour()*60+clock.Minute())).
				Add(time.Duration(clock.Second())*time.Second + time.Duration(clock.Nanosecond()))
		}
		trace = trace.Add(why.Sum, "Counts from the due date, not from today")
	}
	due, trace := count(b, t, from, b.Date(renewed), trace)
	if !due.End(b).After(present.End(b)) {
		trace = trace.Add(why.Limit, "A renewal never shortens a loan: "+due.Say(b)+" is not later than "+present.Say(b))
		due = present
	}
	trace.Result = due.Say(b)
	return due, trace
}

// count is the sum both share: from an instant, with the latest dates after a given day.
func count(b *calendar.Branch, t Terms, from time.Time, latestAfter calendar.Date, trace why.Trace) (Due, why.Trace) {
	if t.Period.Days == 0 {
		at, trace := hourDue(b, t, from, trace)
		return AtInstant(at), trace
	}
	date, trace := dayDue(b, t, b.Date(from), latestAfter, trace)
	return OnDate(date), trace
}

func dayDue(
	b *calendar.Branch,
	t Terms,
	from, latestAfter calendar.Date,
	trace why.Trace,
) (calendar.Date, why.Trace) {
	date := from.Add(t.Period.Days)
	trace = trace.Add(why.Sum, t.Period.Say()+" after "+b.SayDate(from)+" is "+b.SayDate(date))
	latest, limited := firstAfter(t.LatestDue, latestAfter)
	if limited && date > latest {
		return fallBack(b, t, latest, from, trace.Add(why.Limit, "Never due after "+b.SayDate(latest)))
	}
	hours, reason := b.DayWithReason(date)
	if len(hours) > 0 || t.ClosedDay == Keep {
		return date, trace
	}
	moved, ok := calendar.Date(0), false
	if t.ClosedDay == Previous {
		moved, ok = b.LastOpenDay(date, from)
	}
	if !ok {
		moved, ok = b.NextOpenDay(date)
	}
	if !ok {
		return date, trace.Add(why.Note, b.Name+" has no open day within two years, so the date stays")
	}
	trace = trace.Add(why.Limit, b.SayDate(date)+" is closed at "+b.Name+" ("+reason+"), so "+b.SayDate(moved))
	if limited && moved > latest {
		return fallBack(
			b,
			t,
			latest,
			from,
			trace.Add(why.Limit, "That is after "+b.SayDate(latest)+", the latest date allowed"),
		)
	}
	return moved, trace
}

// fallBack is the latest date itself or, where it is closed, the last open day before it.
func fallBack(b *calendar.Branch, t Terms, latest, from calendar.Date, trace why.Trace) (calendar.Date, why.Trace) {
	if t.ClosedDay != Keep && !b.OpenOn(latest) {
		if day, ok := b.LastOpenDay(latest, from); ok {
			return day, trace.Add(why.Limit, b.SayDate(latest)+" is closed, so the last open day before it, "+b.SayDate(day))
		}
	}
	return latest, trace
}

func hourDue(b *calendar.Branch, t Terms, from time.Time, trace why.Trace) (time.Time, why.Trace) {
	at := from.Add(time.Duration(t.Period.Minutes) * time.Minute)
	trace = trace.Add(why.Sum, t.Period.Say()+" later is "+b.SayInstant(at))
	if t.ClosedDay == Keep || b.OpenAt(at) {
		return at, trace
	}
	moved, ok := time.Time{}, false
	if t.ClosedDay == Previous {
		moved, ok = b.LastClosing(at, from)
	}
	if !ok {
		moved, ok = b.NextOpening(at)
	}
	if !ok {
		return at, trace.Add(why.Note, b.Name+" does not open within two years, so the time stays")
	}
	return moved, trace.Add(why.Limit, b.Name+" is closed then, so "+b.SayInstant(moved))
}

func firstAfter(dates []calendar.Date, day calendar.Date) (calendar.Date, bool) {
	first, ok := calendar.Date(0), false
	for _, d := range dates {
		if d > day && (!ok || d < first) {
			first, ok = d, true
		}
	}
	return first, ok
}

// StillOpen tells whether the branch is open when something is due, as seen from an instant.
func (d Due) StillOpen(b *calendar.Branch, now time.Time) bool {
	if d.Hours {
		return b.OpenAt(d.At)
	}
	return b.StillOpensOn(d.Date, now)
}

// Moved gives the new due date when its branch has come to be closed then: where the terms send a due date
// on a closed day, but never to a day that has come already, and never earlier than today's next. A due date
// that is not closed, or that the terms keep, stays.
func Moved(b *calendar.Branch, t Terms, due Due, now time.Time) Due {
	today := b.Date(now)
	if t.ClosedDay == Keep {
		return due
	}
	if due.Hours {
		if b.OpenAt(due.At) || !due.At.After(now) {
			return due
		}
		if t.ClosedDay == Previous {
			if at, ok := b.LastClosing(due.At, now); ok {
				return AtInstant(at)
			}
		}
		if at, ok := b.NextOpening(due.At); ok {
			return AtInstant(at)
		}
		return due
	}
	if due.Date < today || b.StillOpensOn(due.Date, now) {
		return due
	}
	latest, limited := firstAfter(t.LatestDue, today)
	if t.ClosedDay == Next || due.Date == today {
		if day, ok := b.NextOpenDay(due.Date); ok && (!limited || day <= latest) {
			return OnDate(day)
		}
	}
	if day, ok := b.LastOpenDay(due.Date, today); ok {
		return OnDate(day)
	}
	if day, ok := b.NextOpenDay(due.Date); ok && (!limited || day <= latest) {
		return OnDate(day)
	}
	return due
}

// furthest is how far ahead a due date is set by hand at most, in days.
const furthest = 366

// ByHand tells why a loan is not made due on a day, in a sentence; empty: it is. A loan by the hour stays so, and a due date is
// a day on which the branch is open.
func ByHand(was Due, lost bool, day, today calendar.Date, b *calendar.Branch, reason string) string {
	switch {
	case lost:
		return "It is marked lost. If it is here, return it first."
	case was.Hours:
		return "This is an hourly loan. Renew or return it."
	case was.Date == day:
		return "It is already due on that day."
	case day < today:
		return "The due date cannot be in the past."
	case day.DaysSince(today) > furthest:
		return "This is more than a year ahead. Check the year."
	case strings.TrimSpace(reason) == "":
		return "Enter a reason for the change."
	case !b.OpenOn(day):
		next, ok := b.NextOpenDay(day)
		if !ok {
			return fmt.Sprintf("%s is closed on %s.", b.Name, b.SayDate(day))
		}
		return fmt.Sprintf("%s is closed on %s. It next opens on %s.", b.Name, b.SayDate(day), b.SayDate(next))
	}
	return ""
}
