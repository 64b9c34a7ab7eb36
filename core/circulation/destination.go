package circulation

import (
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
	"nevrin/core/why"
)

// Kind is the sort of place where an item goes.
type Kind string

// The sorts of place. Each has its own colour, word and pattern on the sign.
const (
	Shelf     Kind = "shelf"      // stays here
	HoldShelf Kind = "hold_shelf" // waits here for somebody
	Tote      Kind = "tote"       // moves to another branch
	Outside   Kind = "outside"    // goes to a library outside
	Aside     Kind = "aside"      // needs somebody
)

// Reason says why an item goes where it goes; it is the line below the large word of the sign.
type Reason string

// The reasons.
const (
	ForHold   Reason = "hold"      // somebody waits for it there
	AtHome    Reason = "home"      // it belongs here
	GoesHome  Reason = "goes_home" // it belongs there
	Floats    Reason = "floats"    // rules let it stay where it came back
	Mending   Reason = "mending"   // it is set aside for repair
	Returning Reason = "returning" // it belongs to a library outside
)

// InHand is an item in somebody's hand at a branch, with nothing to hinder it.
type InHand struct {
	Rules      *rulebook.Rulebook
	Here, Home calendar.Code
	Collection string
	Material   string
	Aside      bool           // set aside for repair
	Pickup     calendar.Code  // branch where the hold that it serves is picked up; empty: it serves none
	Until      *calendar.Date // it belongs to Home for a time, until this day; nil: permanently
	After      calendar.Code  // and then there
	Lender     string         // name of the library outside that it belongs to; empty: ours
	Style      calendar.Style // how the network writes dates
}

// Way is the destination of an item in hand. To is a branch's code where it goes into a tote.
type Way struct {
	Kind   Kind
	Reason Reason
	To     calendar.Code
}

// Destination decides where an item in hand goes: to whoever waits for it, else home, or where rules let it stay. The
// trace begins with what is known already. Name says the name of a branch.
func Destination(i InHand, trace why.Trace, name func(code calendar.Code) string) (Way, why.Trace) {
	if i.Aside && i.Pickup == "" {
		trace.Result = "Set aside"
		return Way{Aside, Mending, ""}, trace.Add(why.Decided, "It is set aside for repair")
	}
	if i.Pickup == i.Here && i.Pickup != "" {
		trace.Result = "Hold shelf"
		return Way{HoldShelf, ForHold, ""}, trace.Add(why.Decided, "On hold here")
	}
	if i.Pickup != "" {
		return Way{Tote, ForHold, i.Pickup}, trace.Add(why.Decided, "On hold at "+name(i.Pickup))
	}
	trace = trace.Add(why.Fact, "No holds")
	if i.Until != nil {
		trace = trace.Add(why.Fact, "Belongs to "+name(i.Home)+" until "+i.Style.Date(*i.Until)+", then to "+name(i.After))
	}
	if i.Lender != "" && i.Home == i.Here {
		trace.Result = "Home to " + i.Lender
		return Way{Outside, Returning, ""}, trace.Add(why.Decided, "Borrowed from "+i.Lender)
	}
	if i.Lender != "" {
		return Way{Tote, Returning, i.Home}, trace.Add(why.Decided, "Belongs to "+i.Lender+"; sent home from "+name(i.Home))
	}
	if i.Home == i.Here {
		trace.Result = "Shelve here"
		return Way{Shelf, AtHome, ""}, trace.Add(why.Decided, "This is its home")
	}
	if StaysHere(i.Rules, i.Here, i.Home, i.Collection, i.Material) {
		at := rulebook.Situate(i.Here, i.Home, i.Collection, i.Material, "")
		trace.Result = "Shelve here"
		return Way{Shelf, Floats, ""}, trace.Under(why.Decided, i.Rules.Why(at, nil, rulebook.Floating))
	}
	return Way{Tote, GoesHome, i.Home}, trace
}
