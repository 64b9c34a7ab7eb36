package circulation

import "nevrin/core/calendar"

// Whose says which parts of a loan belong to another branch than the one where somebody works.
type Whose string

// What may. Nothing where it is all their own, or others' is theirs to set, too.
const (
	Nobodys   Whose = ""
	ItsItem   Whose = "item"
	ItsPatron Whose = "patron"
)

// OfOthers tells what of a loan forbids somebody at a branch to set its due date by hand: an item or patron of another branch, unless
// they supervise, or the network has settled that others' are set, too. A thing without a branch is everybody's.
func OfOthers(settled, supervises bool, here, item, patron calendar.Code) Whose {
	switch {
	case settled || supervises:
		return Nobodys
	case item != "" && item != here:
		return ItsItem
	case patron != "" && patron != here:
		return ItsPatron
	}
	return Nobodys
}
