package queue

import (
	"fmt"
	"slices"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/why"
)

// Band is a part of a queue: all of a lower band stand before all of a higher one, whenever they came.
type Band int

// The bands.
const (
	First Band = -1
	Usual Band = 0
	Last  Band = 1
)

// Order is in which order a network's queues stand: by when a hold was placed, but for patron classes that come first or
// last.
type Order struct {
	First []string `json:"first" maxItems:"30" nullable:"false" doc:"Patron classes whose holds stand before all others"`
	Last  []string `json:"last" maxItems:"30" nullable:"false" doc:"Patron classes whose holds stand behind all others"`
}

// Check tells what is wrong with it.
func (o Order) Check() error {
	for _, class := range o.First {
		if slices.Contains(o.Last, class) {
			return expect.Errorf("in one of them", "the patron class %q both first and last in queues", class)
		}
	}
	return nil
}

// Of is the band of a patron class.
func (o Order) Of(class string) Band {
	switch {
	case slices.Contains(o.First, class):
		return First
	case slices.Contains(o.Last, class):
		return Last
	}
	return Usual
}

// Position is a place in a queue: a band, and a place within it.
type Position struct {
	Band  Band
	Place float64
}

// Between gives the place of a hold that was moved between two others; nil for none there. A hold that is moved takes the band
// of whom it stands behind, or before where there is none behind. Room tells whether there was any: places can only be
// halved so often.
func Between(before, behind *Position) (s Position, room bool) {
	switch {
	case before == nil && behind == nil:
		return Position{}, true
	case before == nil:
		return Position{behind.Band, behind.Place - 1}, true
	case behind == nil || behind.Band != before.Band:
		return Position{before.Band, before.Place + 1}, true
	}
	middle := before.Place + (behind.Place-before.Place)/2
	return Position{before.Band, middle}, before.Place < middle && middle < behind.Place
}

// Passed is somebody who asked earlier, elsewhere, and would wait longer if a copy goes to a reader where it came back.
// Without is when they would be served then; nil: nobody knows.
type Passed struct {
	Place   int // in the queue, 1 is next
	Pickup  string
	With    time.Time
	Without *time.Time
	Before  int // by how many days they were passed over before
}

// days counts the extra days they wait, from the first half day on; false if nobody knows.
func (p Passed) days() (int, bool) {
	if p.Without == nil {
		return 0, false
	}
	const day = 24 * time.Hour
	return max(0, int((p.Without.Sub(p.With)+day/2)/day)), true
}

// MayPass decides whether a copy that came back somewhere may go to a reader there before others who asked earlier. It may
// if it costs none of them more than so many days, all in all. Costs are the days for each, added to what they were passed
// over by before. The trace says whom it passes over, and by how much.
func MayPass(most int, passed []Passed) (may bool, costs []int, trace why.Trace) {
	trace = why.New("Whether a local patron goes first")
	may = true
	for _, p := range passed {
		days, known := p.days()
		who := fmt.Sprintf("Number %d of the queue, at %s", p.Place, p.Pickup)
		detail := ""
		if p.Before > 0 {
			detail = "Already delayed by " + calendar.Count(p.Before, "day") + "."
		}
		costs = append(costs, days)
		switch {
		case !known:
			may = false
			trace = trace.Add(why.Outweighed, who+", wait unknown", detail)
		case days+p.Before > most:
			may = false
			trace = trace.Add(why.Outweighed, who+", would wait "+calendar.Count(days, "day")+" longer", detail)
		case days == 0:
			trace = trace.Add(why.Fact, who+", no extra wait", detail)
		default:
			trace = trace.Add(why.Fact, who+", waits "+calendar.Count(days, "day")+" longer", detail)
		}
	}
	limit := "the network’s limit is " + calendar.Count(most, "day") + " of extra wait"
	if may {
		trace.Result = "A local patron goes first"
		return true, costs, trace.Add(why.Decided, "It goes to a local patron; "+limit)
	}
	trace.Result = "The queue order applies"
	return false, nil, trace.Add(why.Limit, "The queue order applies; "+limit)
}
