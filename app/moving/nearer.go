package moving

import (
	"slices"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/core/why"
	"nevrin/store"
)

// nearer gives an item in hand to the first of the title's queue whose item is still to be fetched and to whom this one
// gets as early at least: nobody has to go for the other. What somebody is on the way to stays as it is. It gives the hold,
// with its patron; nil where there is none. The title must be locked.
func nearer(a *act.Act, title, inHand int64) (*store.Hold, error) {
	fetching, items, err := a.Tx.ToShare([]int64{title})
	if err != nil {
		return nil, err
	}
	k := slices.IndexFunc(items, func(i store.FreeOf) bool { return i.ID == inHand })
	if k < 0 {
		return nil, nil
	}
	ahead := a.Network.Ahead(calendar.DateOf(a.Now)).Courier
	later, atOnce := routing.ReachesBy(ahead, a.Now, a.Network.FetchMinutes), routing.ReachesBy(ahead, a.Now, 0)
	for n := range fetching {
		h := &fetching[n]
		if h.TakenAt != nil && queue.OnTheWay(*h.TakenAt, a.Now) || !mayServe(a, h, &items[k].Free) {
			continue
		}
		was := later.Between(*h.FetchAt, h.Pickup)
		is := inTime(a, h, atOnce.Between(a.Who.Branch, h.Pickup))
		if is == nil || was != nil && is.OnShelf.After(was.OnShelf) {
			continue
		}
		return instead(a, &h.Hold, &items[k].Free, was, is)
	}
	return nil, nil
}

// instead gives a hold the item in hand instead of the one that was to be fetched.
func instead(a *act.Act, h *store.Hold, i *store.Free, was, is *routing.Reach) (*store.Hold, error) {
	loc := a.Network.Timetable.Branches[h.Pickup].Location
	fetched := "No run gets it there any more."
	if was != nil {
		fetched = "Was to be fetched, and on the shelf by " + calendar.SayInstant(was.OnShelf, loc) + "."
	}
	trace := why.New("Which item serves the hold").Add(why.Fact, "Pickup at "+a.Network.BranchName(h.Pickup)).
		Add(why.Outweighed, "The one at "+a.Network.BranchName(*h.FetchAt), fetched).
		Add(why.Decided, a.Here().Name+", "+i.Barcode, "In hand, and on the shelf by "+
			calendar.SayInstant(is.OnShelf, loc)+". Nobody has to go for the other.")
	trace.Result = "The one in hand at " + a.Here().Name
	if err := a.Tx.MoveHold(h, queue.PutBack, a.Now); err != nil {
		return nil, err
	}
	if err := choose(a, h, i, is.OnShelf, trace); err != nil {
		return nil, err
	}
	var err error
	h.Patron, err = a.Tx.PatronByID(h.PatronID)
	return h, err
}
