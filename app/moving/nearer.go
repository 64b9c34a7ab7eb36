package moving

import (
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/core/why"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
)

// nearer gives an item in hand to a hold of its title whose item is still to be fetched, if that saves somebody a way. It gives
// the hold, with its patron; nil where there is none. The title must be locked.
func nearer(a *act.Act, title, inHand int64) (*holdsdb.Hold, error) {
	fetching, items, err := holdsdb.ToShare(a.Tx, []int64{title})
	if err != nil {
		return nil, err
	}
	k := slices.IndexFunc(items, func(i holdsdb.FreeOf) bool { return i.ID == inHand })
	if k < 0 {
		return nil, nil
	}
	item := &items[k].Free
	ahead := a.Network.Ahead(calendar.DateOf(a.Now)).Courier
	later, atOnce := routing.ReachesBy(ahead, a.Now, a.Network.FetchMinutes), routing.ReachesBy(ahead, a.Now, 0)
	holds := make([]queue.ToFetch, len(fetching))
	was, is := make([]*routing.Reach, len(fetching)), make([]*routing.Reach, len(fetching))
	for n := range fetching {
		h := &fetching[n]
		was[n] = later.Between(*h.FetchAt, h.Pickup)
		is[n] = inTime(a, h, atOnce.Between(a.Who.Branch, h.Pickup))
		holds[n] = queue.ToFetch{
			OnTheWay: h.TakenAt != nil && queue.OnTheWay(*h.TakenAt, a.Now), May: mayServe(a, h, item),
			Was: onShelf(was[n]), Is: onShelf(is[n]),
		}
	}
	n := queue.SavesAWay(holds)
	if n < 0 {
		return nil, nil
	}
	return instead(a, &fetching[n].Hold, item, was[n], is[n])
}

func onShelf(r *routing.Reach) *time.Time {
	if r == nil {
		return nil
	}
	return &r.OnShelf
}

// instead gives a hold the item in hand instead of the one that was to be fetched.
func instead(a *act.Act, h *holdsdb.Hold, i *holdsdb.Free, was, is *routing.Reach) (*holdsdb.Hold, error) {
	pickup := a.Network.Timetable.Branches[h.Pickup]
	fetched := "No run takes it there."
	if was != nil {
		fetched = "Was to be fetched, and on the shelf by " + pickup.SayInstant(was.OnShelf) + "."
	}
	trace := why.New("Which item fills the hold").Add(why.Fact, "Pickup at "+a.Network.BranchName(h.Pickup)).
		Add(why.Outweighed, "The one at "+a.Network.BranchName(*h.FetchAt), fetched).
		Add(why.Decided, a.Here().Name+", "+i.Barcode, "In hand, and on the shelf by "+
			pickup.SayInstant(is.OnShelf)+". The other copy is no longer needed.")
	trace.Result = "The one in hand at " + a.Here().Name
	if err := holdsdb.MoveHold(a.Tx, h, queue.PutBack, a.Now); err != nil {
		return nil, err
	}
	if err := choose(a, h, i, is.OnShelf, trace); err != nil {
		return nil, err
	}
	var err error
	h.Patron, err = peopledb.PatronByID(a.Tx, h.PatronID)
	return h, err
}
