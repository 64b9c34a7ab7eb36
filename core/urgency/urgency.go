// Package urgency orders what waits in the network by what it costs to let it wait: a promise to a patron that is about to break
// first, then what a van could still take, then what fills shelves and lists. It decides nothing else; what waits is counted
// elsewhere.
package urgency

import (
	"cmp"
	"slices"
	"time"

	"nevrin/core/calendar"
)

// Kind is a sort of work that waits.
type Kind string

// The sorts.
const (
	Fetch   Kind = "fetch"    // copies on the shelves that holds wait for
	Stray   Kind = "stray"    // sent, and not come by the promised time
	Clear   Kind = "clear"    // on a hold shelf, though their holds have ended
	Trials  Kind = "trials"   // trial runs of notices that nobody has sent yet
	SignUps Kind = "sign_ups" // people who signed up by themselves
	Reports Kind = "reports"  // what branches think is wrong with the rules
)

// Task is work of one sort at a branch; Branch is empty for work of the whole network.
type Task struct {
	Kind   Kind
	Branch calendar.Code
	Number int        // how many there are; none is no task
	Late   int        // of these, how many are late already
	Leaves *time.Time // when the next run leaves that takes them; nil where none does
}

// soon is how long before a run leaves what it takes becomes pressing: the time to walk the shelves and pack.
const soon = 2 * time.Hour

// mostAlike is how often a sort stands among the first; more of it comes after the others, so that one sort hides none.
const mostAlike = 2

// costs are what letting one of a sort wait for an hour costs, in no unit: a patron's promise is dearer than room on a shelf.
// Common practice, no source.
var costs = map[Kind]struct{ each, late int }{
	Fetch:   {2, 10},
	Stray:   {1, 12},
	Clear:   {3, 4},
	Trials:  {45, 0},
	SignUps: {6, 0},
	Reports: {9, 0},
}

// cost is what letting a task wait costs.
func (t Task) cost(now time.Time) int {
	c := costs[t.Kind]
	sum := c.each*t.Number + c.late*t.Late
	if t.Leaves != nil && t.Leaves.After(now) && t.Leaves.Sub(now) <= soon {
		sum += c.each * t.Number * 2
	}
	return sum
}

// Order gives the tasks there are with the dearest first. Of one sort at most two come before the others have had their turn.
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
