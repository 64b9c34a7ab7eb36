package circulation

// ItemStatus is the status of an item, wherever it is: in use, missing, set aside, lost or withdrawn.
type ItemStatus string

// The standings of an item.
const (
	ItemInUse     ItemStatus = "in_use"
	ItemMissing   ItemStatus = "missing" // not found where it should be
	ItemLost      ItemStatus = "lost"    // charged for, since it did not come back
	ItemAside     ItemStatus = "aside"   // needs mending or a decision
	ItemWithdrawn ItemStatus = "withdrawn"
)

// ItemStandings are all of them.
var ItemStandings = []ItemStatus{ItemInUse, ItemMissing, ItemLost, ItemAside, ItemWithdrawn}

// NeedsReason tells whether somebody has to say why an item comes to stand so: what leaves the stock is asked for years later.
func (s ItemStatus) NeedsReason() bool { return s == ItemWithdrawn }

// AsideFor is the reason why an item is set aside; empty where nobody gave one.
type AsideFor string

// What items are set aside for.
const (
	ForDamage AsideFor = "damaged" // somebody has to look at it
	ForRepair AsideFor = "repair"
	ForRebuy  AsideFor = "rebuy" // worn out: another copy is to be bought
)

// AsideFors are all of them.
var AsideFors = []AsideFor{ForDamage, ForRepair, ForRebuy}

// Place says where an item is, if it is not free on its shelf.
type Place string

// The places.
const (
	PlaceShelf     Place = "" // nowhere else
	PlaceLent      Place = "lent"
	PlaceUnderWay  Place = "under_way"
	PlaceHoldShelf Place = "hold_shelf"
	PlaceFetching  Place = "fetching" // to be taken from the shelf for a hold
	PlaceOutOfUse  Place = "aside"    // missing, set aside or withdrawn
)

// Ongoing are the loan, transit and hold that an item is in, and its status.
type Ongoing struct {
	Lent     bool
	UnderWay bool
	Held     bool // meant for a hold: to be fetched, on the way, or on the hold shelf
	Ready    bool // stands on the hold shelf
	Standing ItemStatus
}

// Place gives where the item is. An item on loan or in transit is there, whatever else is planned for it. The
// database keeps the same in a table (whereabouts), by which lists ask; a test of the store holds the two together.
func (o Ongoing) Place() Place {
	switch {
	case o.Lent:
		return PlaceLent
	case o.UnderWay:
		return PlaceUnderWay
	case o.Ready:
		return PlaceHoldShelf
	case o.Held:
		return PlaceFetching
	case o.Standing != ItemInUse:
		return PlaceOutOfUse
	}
	return PlaceShelf
}

// MayStand tells why how an item stands cannot be changed by hand while it is somewhere; empty where it can. Only what is on its
// shelf or out of use is in somebody's hand, or known to be in nobody's.
func MayStand(at Place) string {
	switch at {
	case PlaceLent:
		return "It is on loan. Return it first."
	case PlaceUnderWay:
		return "It is in transit. Receive it first."
	case PlaceHoldShelf:
		return "It is on the hold shelf for somebody. Cancel that hold first, or scan it under Returns."
	case PlaceFetching:
		return "It is on the fetch list for a hold. Mark it not found there, and another copy is chosen."
	}
	return ""
}
