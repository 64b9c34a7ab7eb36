// Package urgency orders the work that waits in the network by what it costs to leave it: first promises to patrons that are about to
// break, then what a van could still take, then what fills shelves and lists. It only orders; app/today counts.
package urgency

import (
	"cmp"
	"slices"
	"time"

	"nevrin/core/calendar"
)

// Kind is a kind of work.
type Kind string

// The kinds.
const (
	Fetch   Kind = "fetch"    // copies on the shelves that holds wait for
	Stray   Kind = "stray"    // sent, and not come by the promised time
	Clear   Kind = "clear"    // on a hold shelf, though their holds have ended
	Trials  Kind = "trials"   // trial runs of notices that nobody has sent yet
	SignUps Kind = "sign_ups" // people who signed up by themselves
	Reports Kind = "reports"  // what branches think is wrong with the rules
)

// Task is all work of one kind at a branch. Branch is empty for work of the whole network.
type Task struct {
	Kind   Kind
	Branch calendar.Code
	Number int        // of items; 0: nothing to do
	Late   int        // how many of them are late
	Leaves *time.Time // when the next run leaves that takes them; nil where none does
}

// soon is how long before a run leaves its items become pressing: enough time to walk the shelves and pack.
const soon = 2 * time.Hour

// mostAlike is how many tasks of one kind come before the other kinds have had their turn.
const mostAlike = 2

// costs weigh one item of a kind against one of another: a broken promise is worse than a full shelf. They are our own estimate.
var costs = map[Kind]struct{ each, late int }{
	Fetch:   {2, 10},
	Stray:   {1, 12},
	Clear:   {3, 4},
	Trials:  {45, 0},
	SignUps: {6, 0},
	Reports: {9, 0},
}

// cost weighs a task. What a run takes that leaves soon counts three times.
func (t Task) cost(now time.Time) int {
	c := costs[t.Kind]
	sum := c.each*t.Number + c.late*t.Late
	if t.Leaves != nil && t.Leaves.After(now) && t.Leaves.Sub(now) <= soon {
		sum += c.each * t.Number * 2
	}
	return sum
}

// Order gives the tasks that have something to do, the most costly to leave first, but at most two of a kind before the others.
func Order(tasks []Task, now time.Time) []Task {
	left := slices.DeleteFunc(slices.Clone(tasks), func(t Task) bool { return t.Number == 0 })
	slices.SortStableFunc(left, func(a, b Task) int {
		return cmp.Or(cmp.Compare(b.cost(now), a.cost(now)), cmp.Compare(a.Branch, b.Branch))
	})
	var first, later []Task
	seen := map[Kind]int{}
	for _, t := range left {
		if seen[t.Kind]++; seen[t.Kind] <= mostAlike {
			first = append(first, t)
		} else {
			later = append(later, t)
		}
	}
	return append(first, later...)
}
