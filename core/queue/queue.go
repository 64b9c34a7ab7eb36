// Package queue decides what becomes of holds: until when an item waits on the hold shelf, which
// items may serve whom, and when an item that nobody finds is missing.
package queue

import (
	"time"

	"nevrin/core/calendar"
)

// ShelfUntil is the last day on which an item waits on the hold shelf of a branch: so many open days
// after the day it got there. Where the branch does not open again, the days found so far hold.
func ShelfUntil(b *calendar.Branch, from calendar.Date, openDays int) calendar.Date {
	until := from
	for range openDays {
		next, ok := b.NextOpenDay(until)
		if !ok {
			break
		}
		until = next
	}
	return until
}

// MovedIn gives the last shelf day of an item that stood on the hold shelf already when its hold came with a file: as was said there, or else so
// many open days after it got there, but never less than until today, since nobody was told another day.
func MovedIn(b *calendar.Branch, said *calendar.Date, ready, today calendar.Date, openDays int) calendar.Date {
	if said != nil {
		return *said
	}
	return max(ShelfUntil(b, ready, openDays), today)
}

// Waits gives the last shelf day, after the calendar has changed, of an item that is ready since a day: for as many
// open days as it was promised, not ending on a day that is over, and never for less.
func Waits(was, is *calendar.Branch, ready, until calendar.Date, now time.Time) calendar.Date {
	days := 0
	for d := ready + 1; d <= until; d++ {
		if was.OpenOn(d) {
			days++
		}
	}
	to := ShelfUntil(is, ready, days)
	if to >= is.Date(now) && !is.StillOpensOn(to, now) {
		if next, ok := is.NextOpenDay(to); ok {
			to = next
		}
	}
	return max(to, until)
}

// missesUntilMissing is how often an item is not found before it is reported missing.
const missesUntilMissing = 2

// Missing tells whether an item that was not found so many times counts as missing.
func Missing(times int) bool { return times >= missesUntilMissing }

// going is the time for which somebody who went for an item of the fetch list counts as on the way to it.
const going = time.Hour

// OnTheWay tells whether somebody who went for an item at some time still counts as on the way to it.
func OnTheWay(since, now time.Time) bool { return now.Before(since.Add(going)) }

// Terms are the terms that decide which items serve whose holds. Nil days are without end.
type Terms struct {
	Lent      bool // lent to this patron at the pickup branch
	Held      bool // may be held
	StaysDays *int // for so many days after it was added, an item serves only pickups at its home branch
	OwnDays   *int // for so many days after it was added, it serves only patrons of its home branch
}

// Pair is an item and a hold that it might serve.
type Pair struct {
	Home, Pickup, PatronHome calendar.Code
	Added, Today             calendar.Date
}

// MayServe tells whether the item may serve the hold; if not, why in a sentence.
func MayServe(p Pair, t Terms) (bool, string) {
	age := int(p.Today - p.Added)
	young := func(days *int) bool { return days == nil || age < *days }
	switch {
	case !t.Lent:
		return false, "It is not lent to this patron class there."
	case !t.Held:
		return false, "It cannot be put on hold."
	case p.Home != p.Pickup && young(t.StaysDays):
		return false, "It is new and stays at its home branch for now."
	case p.Home != p.PatronHome && young(t.OwnDays):
		return false, "It serves only patrons of its own branch for now."
	}
	return true, ""
}

// TooMany tells whether somebody who has so many running already may have no more. A nil limit is none.
func TooMany(running int, limit *int) bool { return limit != nil && running >= *limit }
