package circulation

// ItemStanding is how an item stands, wherever it is.
type ItemStanding string

// The standings of an item.
const (
	ItemInUse     ItemStanding = "in_use"
	ItemMissing   ItemStanding = "missing" // not found where it should be
	ItemLost      ItemStanding = "lost"    // charged for, since it did not come back
	ItemAside     ItemStanding = "aside"   // needs mending or a decision
	ItemWithdrawn ItemStanding = "withdrawn"
)
