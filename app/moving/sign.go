// Package moving decides where an item in hand goes, and carries items between branches.
//
// Place is asked whenever an item is in somebody's hand with nothing to hinder it: returned,
// received, fetched. It answers with a Sign: the hold shelf here, a tote, or the shelf. Holds that
// wait are routed to items by Route; an item that is not in hand then stands on its branch's fetch list.
package moving

import (
	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/why"
)

// SignKind is the sort of place on a sign; each has its own colour, word and pattern.
type SignKind string

const (
	Shelf     SignKind = "shelf"      // stays here
	HoldShelf SignKind = "hold_shelf" // waits here for somebody
	Tote      SignKind = "tote"       // moves to another branch
	Outside   SignKind = "outside"    // goes to a library outside
	Aside     SignKind = "aside"      // needs somebody
)

// Sign says where an item goes, readable from a metre away.
type Sign struct {
	Kind    SignKind `json:"kind" enum:"shelf,hold_shelf,tote,outside,aside"`
	Heading string   `json:"heading" doc:"Small line above, such as 'Into the tote for'"`
	Place   string   `json:"place" doc:"The large word"`
	Code    string   `json:"code,omitempty" doc:"Branch code of a tote"`
	Detail  string   `json:"detail"`
	HoldID  int64    `json:"hold_id,omitempty" doc:"The hold it is for, whose slip can be printed"`
	Pile    string   `json:"pile" doc:"Name of the pile it is counted in"`
}

// AsideFor is the sign of something that needs somebody.
func AsideFor(place, detail string) Sign {
	return Sign{Kind: Aside, Heading: "Put aside", Place: place, Detail: detail, Pile: "Aside"}
}

func toteSign(t *courier.Timetable, to string, j *courier.Journey, today calendar.Date, purpose string) Sign {
	b := t.Branches[to]
	s := Sign{Kind: Tote, Heading: "Into the tote for", Place: b.Name, Code: to, Pile: "Tote: " + b.Name, Detail: purpose}
	switch {
	case j == nil || j.OnShelf == nil:
		s.Detail += " No run gets there within four weeks; ask the courier."
	case len(j.Legs) > 0:
		leg := j.Legs[0]
		s.Detail += " Leaves " + sayDay(calendar.DateOf(leg.Depart.In(t.Location)), today) + " " + leg.Depart.In(t.Location).Format("15:04") +
			", on its shelf by " + j.OnShelf.In(b.Location).Format("15:04") + " " + sayDay(calendar.DateOf(j.OnShelf.In(b.Location)), today) + "."
	}
	return s
}

func sayDay(d, today calendar.Date) string {
	switch d.DaysSince(today) {
	case 0:
		return "today"
	case 1:
		return "tomorrow"
	}
	return d.UTC().Format("Mon 2 Jan")
}

// placing collects the why of a sign.
func placing(title string) why.Trace { return why.New("Where " + title + " goes") }
