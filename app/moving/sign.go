// Package moving decides where an item in hand goes, and carries items between branches.
//
// Place is asked whenever an item is in somebody's hand with nothing to hinder it: returned, received, fetched. It
// answers with a Sign: the hold shelf here, a tote, or the shelf. Holds that wait are routed to items by Route; an item
// that is not in hand then stands on its branch's fetch list.
package moving

import (
	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/courier"
	"nevrin/store/peopledb"
)

// Sign says where an item goes, readable from a metre away.
type Sign struct {
	Kind    circulation.Kind `json:"kind" enum:"shelf,hold_shelf,tote,outside,aside"`
	Heading string           `json:"heading" doc:"Small line above, such as 'Into the tote for'"`
	Place   string           `json:"place" doc:"The large word"`
	Code    calendar.Code    `json:"code,omitempty" doc:"Branch code of a tote"`
	Detail  string           `json:"detail"`
	HoldID  int64            `json:"hold_id,omitempty" doc:"The hold it is for, whose slip can be printed"`
}

// AsideFor is the sign of something that needs somebody.
func AsideFor(place, detail string) Sign {
	return Sign{Kind: circulation.Aside, Heading: "Set aside", Place: place, Detail: detail}
}

// Pile names the pile in which a thing with this sign is counted: a sort of place, and which one of them.
func (s *Sign) Pile() (kind, place string) {
	switch s.Kind {
	case circulation.Tote:
		return string(s.Kind), string(s.Code)
	case circulation.Outside:
		return string(s.Kind), s.Place
	}
	return string(s.Kind), ""
}

// PileName says a pile's name.
func PileName(a *act.Act, kind circulation.Kind, place string) string {
	switch kind {
	case circulation.Tote:
		return "Tote: " + a.Network.BranchName(calendar.Code(place))
	case circulation.Outside:
		return "Partner: " + place
	case circulation.HoldShelf:
		return "Hold shelf"
	case circulation.Aside:
		return "Aside"
	}
	return "Shelve here"
}

func toteSign(t *courier.Timetable, to calendar.Code, j *courier.Journey, today calendar.Date, purpose string) Sign {
	b := t.Branches[to]
	s := Sign{Kind: circulation.Tote, Heading: "Into the tote for", Place: b.Name, Code: to, Detail: purpose}
	switch {
	case j == nil || j.OnShelf == nil:
		s.Detail += " No run there within four weeks. Ask the courier."
	case len(j.Legs) > 0:
		leave, there := j.Legs[0].Depart.In(t.Location), j.OnShelf.In(b.Location)
		s.Detail += " Leaves " + sayDay(b, calendar.DateOf(leave), today) + " " + b.Style.Clock(leave) +
			", on its shelf by " + b.Style.Clock(there) + " " + sayDay(b, calendar.DateOf(there), today) + "."
	}
	return s
}

func sayDay(b courier.Branch, d, today calendar.Date) string {
	switch d.DaysSince(today) {
	case 0:
		return "today"
	case 1:
		return "tomorrow"
	}
	return b.Style.Near(d, today)
}

// ShelfName gives the name under which a hold stands on the shelf of its pickup branch.
func ShelfName(a *act.Act, pickup calendar.Code, p *peopledb.Patron) string {
	if a.Network.Public[pickup] {
		return p.ShelfName
	}
	return p.Name()
}
