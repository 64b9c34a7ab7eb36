package queue

import (
	"slices"
	"time"

	"nevrin/core/calendar"
)

// Line is somebody who waits, as a copy that came back meets them. OnShelf is when it would be there for them.
type Line struct {
	Pickup  calendar.Code
	Served  bool // by another copy, now
	May     bool // this copy may serve them
	OnShelf time.Time
	Before  int // by how many days they were passed over before
}

// Expected is a copy that is not free: due back somewhere on a day, or to be on a shelf there by a promise.
type Expected struct {
	Branch  calendar.Code
	Due     *calendar.Date
	Promise *time.Time
}

// Supply is a copy that can be expected, with where and when.
type Supply struct {
	Branch calendar.Code
	At     time.Time
}

// evening is when a copy counts as back on the day on which it is due.
const evening = calendar.Minute(18 * 60)

// Supplies are the copies that can be counted on, the soonest first. What is late already is not: nobody knows when it comes.
func Supplies(copies []Expected, now time.Time) []Supply {
	var out []Supply
	for _, c := range copies {
		at := c.Promise
		if c.Due != nil {
			due := calendar.Local(*c.Due, evening, now.Location())
			at = &due
		}
		if at != nil && at.After(now) {
			out = append(out, Supply{c.Branch, *at})
		}
	}
	slices.SortStableFunc(out, func(x, y Supply) int { return x.At.Compare(y.At) })
	return out
}

// Overtaking finds the first reader where a copy came back who could have it, and who would wait longer for that: those from
// its present owner in the queue up to that reader. Without the copy each of them is served by the one that the next was to
// have, and so moves back by one supply. Carried is when a supply is on the shelf of a pickup branch. None of them where
// nobody waits there, or they stand first anyway.
func Overtaking(
	lines []Line,
	first int,
	here calendar.Code,
	next []Supply,
	carried func(s Supply, to calendar.Code) time.Time,
) (reader int, holds []int, passed []Passed) {
	const none = -1
	if lines[first].Pickup == here {
		return none, nil, nil
	}
	reader = slices.IndexFunc(lines, func(l Line) bool { return l.Pickup == here && l.May && !l.Served })
	if reader < first {
		return none, nil, nil
	}
	for k := first; k < reader; k++ {
		l := lines[k]
		if !l.May || l.Served && k != first {
			continue
		}
		n := len(passed)
		if n > len(next) {
			break // nobody knows for those behind, with the copy or without it
		}
		one := Passed{Place: k + 1, Pickup: string(l.Pickup), With: l.OnShelf, Before: l.Before}
		if n > 0 {
			one.With = carried(next[n-1], l.Pickup)
		}
		if n < len(next) {
			without := carried(next[n], l.Pickup)
			one.Without = &without
		}
		holds, passed = append(holds, k), append(passed, one)
	}
	return reader, holds, passed
}
