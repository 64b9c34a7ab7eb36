package queue

import "time"

// ToFetch is a hold of a title whose item is still to be fetched, compared with another copy that is in somebody's hand. Was
// and Is are when it would be on the hold shelf by the one and by the other; nil: never.
type ToFetch struct {
	OnTheWay bool // somebody goes for its item
	May      bool // the copy in hand may serve it
	Was, Is  *time.Time
}

// SavesAWay gives the first hold, in the order of the queue, that the copy in hand had better serve: it gets there as early at
// least, so that nobody has to go for the other. -1: there is none.
func SavesAWay(holds []ToFetch) int {
	for k, h := range holds {
		if !h.OnTheWay && h.May && h.Is != nil && (h.Was == nil || !h.Is.After(*h.Was)) {
			return k
		}
	}
	return -1
}
