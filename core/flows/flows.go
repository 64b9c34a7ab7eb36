// Package flows says what the traffic between branches shows: who gives and takes more than their part, and which
// things would travel less if they belonged elsewhere.
//
// Giving and taking counts what went for holds. What goes home afterwards is the other half of the same journeys, and
// says nothing more.
package flows

import (
	"cmp"
	"slices"

	"nevrin/core/calendar"
)

// Pair is the traffic from one branch to another.
type Pair struct {
	From, To calendar.Code
	Holds    int // for somebody who waited there
	Others   int // home, or on
}

// Share says whether a branch gives more than it takes, less, or about as much.
type Share string

// The standings.
const (
	Even  Share = "even"
	Gives Share = "gives" // more than its part
	Takes Share = "takes" // more than its part
)

// Branch is one branch's part in the traffic: what it gave to others and took from them.
type Branch struct {
	Code         calendar.Code
	Gives, Takes int
	Share        Share
}

// A branch stands out where the difference is a tenth of all that it exchanges, and no handful.
const (
	outstanding = 10 // of a hundred
	handful     = 10
)

// Balance gives how branches stand, those that give most over what they take first.
func Balance(pairs []Pair) []Branch {
	by := map[calendar.Code]*Branch{}
	of := func(code calendar.Code) *Branch {
		if by[code] == nil {
			by[code] = &Branch{Code: code}
		}
		return by[code]
	}
	for _, p := range pairs {
		of(p.From).Gives += p.Holds
		of(p.To).Takes += p.Holds
	}
	out := []Branch{}
	for _, b := range by {
		b.Share = balanceOf(b.Gives, b.Takes)
		out = append(out, *b)
	}
	slices.SortFunc(out, func(x, y Branch) int {
		return cmp.Or(cmp.Compare(y.Gives-y.Takes, x.Gives-x.Takes), cmp.Compare(x.Code, y.Code))
	})
	return out
}

func balanceOf(gives, takes int) Share {
	over := gives - takes
	switch {
	case max(over, -over) < handful || 100*max(over, -over) < outstanding*(gives+takes):
		return Even
	case over > 0:
		return Gives
	}
	return Takes
}

// Use counts the uses of an item over a time, at home and at another branch to which it travelled.
type Use struct {
	Journeys  int // there, for holds
	LentHome  int
	LentThere int
}

// Often is the number of journeys to the same branch from which on a new home there is proposed.
const Often = 3

// Better tells whether a thing had better belong where it travels to, and how many journeys there that would have
// saved: those that it made, less those that readers at its present home would have caused.
func Better(u Use) (saves int, better bool) {
	saves = u.Journeys - u.LentHome
	return saves, u.Journeys >= Often && saves > 0 && u.LentThere > u.LentHome
}
