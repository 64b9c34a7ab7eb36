package circulation

import (
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
)

// OnAShelf is a finding of a shelf check.
type OnAShelf string

// What scans of a shelf check meet.
const (
	ShelfInPlace         OnAShelf = "in_place"
	ShelfOutOfOrder      OnAShelf = "out_of_order"
	ShelfOnLoan          OnAShelf = "on_loan"
	ShelfElsewhere       OnAShelf = "elsewhere" // belongs to another branch
	ShelfOtherCollection OnAShelf = "other_collection"
	ShelfHeld            OnAShelf = "held" // meant for somebody
	ShelfUnderWay        OnAShelf = "under_way"
	ShelfWasMissing      OnAShelf = "was_missing"
	ShelfFoundElsewhere  OnAShelf = "found_elsewhere" // it was missing, and does not belong on this shelf
	ShelfOutOfUse        OnAShelf = "out_of_use"
	ShelfWithdrawn       OnAShelf = "withdrawn"
	ShelfUnknown         OnAShelf = "unknown"
	ShelfAgain           OnAShelf = "again"
)

// OnItsShelf tells whether something stands on the right shelf, in order or not.
func (s OnAShelf) OnItsShelf() bool {
	return s == ShelfInPlace || s == ShelfOutOfOrder || s == ShelfWasMissing
}

// Found tells whether something that was missing has been found.
func (s OnAShelf) Found() bool { return s == ShelfWasMissing || s == ShelfFoundElsewhere }

// Good tells whether nothing has to be done with it.
func (s OnAShelf) Good() bool { return s == ShelfInPlace || s == ShelfWasMissing || s == ShelfAgain }

// Shelved is an item that was scanned in a shelf check.
type Shelved struct {
	Again      bool // scanned before along this shelf
	Standing   ItemStatus
	Place      Place
	Here, Home calendar.Code
	Floats     bool   // rules let it stay where it came back
	Collection string // its own
	Sought     string // that of the shelf; empty: any
	Misplaced  bool   // it does not fit between its neighbours
}

// AlongShelf decides what a scan of a shelf check has met: first what must not stand on any shelf, then what not on this one.
func AlongShelf(s Shelved) OnAShelf {
	switch {
	case s.Again:
		return ShelfAgain
	case s.Standing == ItemWithdrawn:
		return ShelfWithdrawn
	case s.Place == PlaceLent:
		return ShelfOnLoan
	case s.Place == PlaceUnderWay:
		return ShelfUnderWay
	case s.Place == PlaceHoldShelf || s.Place == PlaceFetching:
		return ShelfHeld
	case s.Standing == ItemAside || s.Standing == ItemLost:
		return ShelfOutOfUse
	case s.Standing == ItemMissing && (s.Home != s.Here && !s.Floats || s.Sought != "" && s.Collection != s.Sought):
		return ShelfFoundElsewhere
	case s.Home != s.Here && !s.Floats:
		return ShelfElsewhere
	case s.Sought != "" && s.Collection != s.Sought:
		return ShelfOtherCollection
	case s.Standing == ItemMissing:
		return ShelfWasMissing
	case s.Misplaced:
		return ShelfOutOfOrder
	}
	return ShelfInPlace
}

// StaysHere tells whether rules let an item stay on the shelf of a branch that it does not belong to.
func StaysHere(rules *rulebook.Rulebook, here, home calendar.Code, collection, material string) bool {
	at := rulebook.Situate(here, home, collection, material, "")
	terms := rules.Decide(at, nil)
	return terms.Value(rulebook.Floating).YesNo()
}
