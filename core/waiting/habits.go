package waiting

import (
	"nevrin/core/calendar"
)

// Habits are what the past of a network has shown. All times are in days.
type Habits struct {
	Late    map[string]Spread `json:"late"`    // from the due date to the return, by material; "" for all
	Kept    map[string]Spread `json:"kept"`    // from lending to the return, likewise
	Fetched Spread            `json:"fetched"` // open days from choosing an item to its leaving the shelf
	Found   float64           `json:"found"`   // the share of items that are found where they should be
	Held    Spread            `json:"held"`    // from ready to lent, or to the day on which it lapsed
	Delayed Spread            `json:"delayed"` // from the promise to being on the hold shelf
	Levels  [2]Levels         `json:"levels"`  // of ranges: where a copy is free at once, and where not
	Cases   int               `json:"cases"`   // how many loans and holds they were learned from
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

// Past is what happened.
type Past struct {
	Loans   []Loan
	Fetches []Fetch
	Shelves []Shelf
	Travels []Travel
}

// Loan is a loan that ended.
type Loan struct {
	Material            string
	Lent, Due, Returned calendar.Date
}

// Fetch is an item that was chosen for a hold: after how many open days it left its shelf, or that it was not found.
type Fetch struct {
	Days  int
	Found bool
}

// Shelf is a stay on a hold shelf.
type Shelf struct{ Ready, Left calendar.Date }

// Travel is a promise with what became of it.
type Travel struct{ Promised, Came calendar.Date }

// fewest is how many cases a material must have to be looked at by itself.
const fewest = 50

// Learn takes habits from the past. The levels of ranges are usual ones until they are scored.
func Learn(p Past) *Habits {
	h := &Habits{Found: 1, Levels: [2]Levels{usual, usual}, Cases: len(p.Loans) + len(p.Shelves)}
	late, kept := map[string][]float64{}, map[string][]float64{}
	for _, l := range p.Loans {
		for _, material := range []string{"", l.Material} {
			late[material] = append(late[material], float64(l.Returned-l.Due))
			kept[material] = append(kept[material], float64(l.Returned-l.Lent))
		}
	}
	h.Late, h.Kept = spreads(late), spreads(kept)
	var fetched, held, delayed []float64
	found := 0
	for _, f := range p.Fetches {
		if f.Found {
			found++
			fetched = append(fetched, float64(f.Days))
		}
	}
	if len(p.Fetches) > 0 {
		h.Found = float64(found) / float64(len(p.Fetches))
	}
	for _, s := range p.Shelves {
		held = append(held, float64(s.Left-s.Ready))
	}
	for _, t := range p.Travels {
		delayed = append(delayed, float64(max(t.Came-t.Promised, 0)))
	}
	h.Fetched, h.Held, h.Delayed = MakeSpread(fetched), MakeSpread(held), MakeSpread(delayed)
	return h
}

func spreads(seen map[string][]float64) map[string]Spread {
	out := map[string]Spread{}
	for material, values := range seen {
		if material == "" || len(values) >= fewest {
			out[material] = MakeSpread(values)
		}
	}
	return out
}

func of(spreads map[string]Spread, material string) Spread {
	if s, ok := spreads[material]; ok {
		return s
	}
	return spreads[""]
}
