package waiting

import (
	"fmt"
	"math"

	"nevrin/core/calendar"
	"nevrin/core/why"
)

// Habits are what a network's past has shown, such as how late things come back. All times are in days.
type Habits struct {
	Late    map[string]Spread `json:"late"`    // from the due date to the return, by material; "" for all
	Kept    map[string]Spread `json:"kept"`    // from lending to the return, likewise
	Fetched Spread            `json:"fetched"` // open days from choosing an item to its leaving the shelf
	Found   float64           `json:"found"`   // the share of items that are found where they should be
	Held    Spread            `json:"held"`    // from ready to lent, or to the day on which it lapsed
	Delayed Spread            `json:"delayed"` // from the promise to being on the hold shelf
	Levels  [2]Levels         `json:"levels"`  // of ranges: where a copy is free at once, and where not
	Loans   int               `json:"loans"`   // how many loans they were learned from
	Holds   int               `json:"holds"`   // and how many holds
}

// Levels are the parts of the drawn dates between which the truth lies in eight of ten cases, and how many days more that
// takes on both sides where all of the drawn dates are not enough.
type Levels struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
	More int     `json:"more"`
}

// usual is taken before there is a past to learn from.
var usual = Levels{Low: 0.1, High: 0.9}

// Past counts how often something took how many days.
type Past struct {
	Late    map[string][]Seen // from the due date to the return, by material
	Kept    map[string][]Seen // from lending to the return, likewise
	Fetched []Seen            // open days from choosing an item to its leaving the shelf
	Missed  int               // how often an item was not found there
	Held    []Seen            // from ready to lent or lapsed
	Delayed []Seen            // from the promise to the hold shelf
}

// Seen is one of these counts: so often it took so many days.
type Seen struct{ Days, Times int }

// fewest is how many cases a material must have to be looked at by itself.
const fewest = 50

// Learn takes habits from the past. The levels of ranges are usual ones until they are scored.
func Learn(p Past) *Habits {
	h := &Habits{Found: 1, Levels: [2]Levels{usual, usual}}
	h.Late, _ = spreads(p.Late)
	h.Kept, h.Loans = spreads(p.Kept)
	h.Fetched, h.Held, h.Delayed = MakeSpread(p.Fetched), MakeSpread(p.Held), MakeSpread(p.Delayed)
	if found := times(p.Fetched); found+p.Missed > 0 {
		h.Found = float64(found) / float64(found+p.Missed)
	}
	h.Holds = times(p.Held)
	return h
}

// spreads gives the spread of each material that was seen often enough, and that of all; with how many cases there were.
func spreads(seen map[string][]Seen) (map[string]Spread, int) {
	out, all := map[string]Spread{}, []Seen{}
	for material, cases := range seen {
		all = append(all, cases...)
		if times(cases) >= fewest {
			out[material] = MakeSpread(cases)
		}
	}
	out[""] = MakeSpread(all)
	return out, times(all)
}

// Usual are the habits assumed before there is a past to learn from: loans of three weeks that mostly come back in time, and holds
// that are collected within a few days (common practice, no source).
func Usual() *Habits {
	return &Habits{
		Late: map[string]Spread{"": {-14, -7, -3, -1, 0, 0, 1, 4, 14}}, Kept: map[string]Spread{"": {3, 8, 14, 18, 20, 21, 22, 28, 42}},
		Fetched: Spread{0, 0, 0, 1}, Found: 0.95, Held: Spread{0, 1, 1, 2, 3, 5}, Delayed: Spread{0, 0, 0, 0, 0, 1},
		Levels: [2]Levels{usual, usual},
	}
}

func times(seen []Seen) int {
	n := 0
	for _, s := range seen {
		n += s.Times
	}
	return n
}

func of(spreads map[string]Spread, material string) Spread {
	if s, ok := spreads[material]; ok {
		return s
	}
	return spreads[""]
}

// Why adds what a forecast is made of to a trace: what this network's past has shown.
func (h *Habits) Why(t why.Trace) why.Trace {
	late, kept := h.Late[""], h.Kept[""]
	if h.Loans > 0 {
		t = t.Add(why.Fact, fmt.Sprintf("Based on %s and %s of this network", calendar.Count(h.Loans, "loan"),
			calendar.Count(h.Holds, "hold")))
	} else {
		t = t.Add(why.Note, "Not enough history in this network yet; default values are used")
	}
	half, most := sayLate(late.At(0.5)), sayLate(late.At(0.9))
	t = t.Add(why.Sum, fmt.Sprintf("Half of all loans come back %s; nine of ten %s", half, most))
	t = t.Add(why.Sum, fmt.Sprintf("Half of all loans last longer than %.0f days", kept.At(0.5)))
	t = t.Add(why.Sum, fmt.Sprintf("Half of all ready holds are collected within %.0f days", h.Held.At(0.5)))
	return t.Add(why.Sum, fmt.Sprintf("Of 100 items on fetch lists %.0f are found", 100*h.Found))
}

func sayLate(days float64) string {
	switch n := int(math.Round(days)); {
	case n == 0:
		return "by the day they are due"
	case n < 0:
		return "at least " + calendar.Count(-n, "day") + " before they are due"
	default:
		return "by " + calendar.Count(n, "day") + " after they are due"
	}
}
