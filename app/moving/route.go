package moving

import (
	"fmt"
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// Route gives the free items of a title, which must be locked, to the holds that wait for it. InHand is an item that
// is ready to leave at once, at the actor's branch; 0 for none. It gives the hold that this item was chosen for, with
// its patron; nil if none. Pairs that were missed are not tried again until the item has been seen.
func Route(a *act.Act, title, inHand int64) (*store.Hold, error) {
	waiting, items, plan, reach, err := planned(a, title, inHand)
	if err != nil {
		return nil, err
	}
	var chosen *store.Hold
	for q, n := range plan {
		if n == routing.None {
			continue
		}
		h := &waiting[q].Hold
		if err := assign(a, h, items, reach[q], n); err != nil {
			return nil, err
		}
		if items[n].ID == inHand {
			chosen = h
		}
	}
	if chosen == nil {
		return nil, nil
	}
	chosen.Patron, err = a.Tx.PatronByID(chosen.PatronID)
	return chosen, err
}

// planned plans the queue of a title. A long queue is not read whole: once the holds read use up all free items, no
// later hold can be served, and none of them can change which item serves whom.
func planned(a *act.Act, title, inHand int64) ([]store.Awaiting, []store.Free, []int, [][]*routing.Reach, error) {
	for most := 32; ; most *= 16 {
		waiting, items, err := a.Tx.Queue(title, most)
		if err != nil || len(waiting) == 0 || len(items) == 0 {
			return nil, nil, nil, nil, err
		}
		problem := problemOf(a, waiting, items, inHand)
		plan := routing.Plan(problem, routing.LeastTotal)
		served := 0
		for _, n := range plan {
			if n != routing.None {
				served++
			}
		}
		if len(waiting) < most || served == len(items) {
			return waiting, items, plan, problem.Reach, nil
		}
	}
}

func problemOf(a *act.Act, waiting []store.Awaiting, items []store.Free, inHand int64) routing.Problem {
	later := routing.NewReaches(a.Network.Timetable, a.Now, a.Network.FetchMinutes)
	atOnce := routing.NewReaches(a.Network.Timetable, a.Now, 0)
	problem := routing.Problem{}
	for _, i := range items {
		problem.Items = append(problem.Items, fmt.Sprintf("%018d", i.ID))
	}
	for k := range waiting {
		row := make([]*routing.Reach, len(items))
		for n := range items {
			switch {
			case !mayServe(a, &waiting[k], &items[n]):
			case items[n].ID == inHand:
				row[n] = atOnce.Between(a.Who.Branch, waiting[k].Pickup)
			default:
				row[n] = later.Between(items[n].AtBranch, waiting[k].Pickup)
			}
		}
		problem.Reach = append(problem.Reach, row)
	}
	return problem
}

func mayServe(a *act.Act, h *store.Awaiting, i *store.Free) bool {
	if h.OnlyItem != nil && *h.OnlyItem != i.ID || slices.Contains(h.Missed, i.ID) {
		return false
	}
	may, _ := MayServe(a, i, h.Class, h.Home, h.Pickup)
	return may
}

// MayServe tells whether an item may serve a hold of a patron of a class and home for pickup at a branch; if not, why.
func MayServe(a *act.Act, i *store.Free, class string, home, pickup calendar.Code) (bool, string) {
	terms := a.Book.Decide(rulebook.Situate(pickup, i.BranchCode, i.Collection, i.Material, class), nil)
	pair := queue.Pair{
		Home:       i.BranchCode,
		Pickup:     pickup,
		PatronHome: home,
		Added:      calendar.DateOf(i.AddedOn.UTC()),
		Today:      a.Today(),
	}
	return queue.MayServe(pair, terms.Holding())
}

func assign(a *act.Act, h *store.Hold, items []store.Free, reaches []*routing.Reach, chosen int) error {
	trace := routeWhy(a, h, reaches, items, chosen)
	i := &items[chosen]
	h.ItemID, h.PromisedAt, h.Why = &i.ID, &reaches[chosen].OnShelf, store.JSON(&trace)
	if err := a.Tx.MoveHold(h, queue.Choose, a.Now); err != nil {
		return err
	}
	a.Tell(
		event.Event{
			Kind:   event.HoldRouted,
			Patron: h.PatronID,
			Item:   i.ID,
			Hold:   h.ID,
			Why:    &trace,
			Detail: event.Detail{Was: string(i.AtBranch), Is: string(h.Pickup)},
		},
	)
	return nil
}

// whyMost is how many items a why names; a title may have hundreds.
const whyMost = 12

func routeWhy(a *act.Act, h *store.Hold, reaches []*routing.Reach, items []store.Free, chosen int) why.Trace {
	loc := a.Network.Timetable.Branches[h.Pickup].Location
	say := func(t time.Time) string { return calendar.SayInstant(t, loc) }
	trace := why.New("Which item serves the hold").Add(why.Fact, "Pickup at "+a.Network.BranchName(h.Pickup))
	trace.Result = "The one at " + a.Network.BranchName(
		items[chosen].AtBranch,
	) + ", on the shelf by " + say(
		reaches[chosen].OnShelf,
	)
	order := make([]int, len(items))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(x, y int) int { return wait(reaches[x]) - wait(reaches[y]) })
	for n, k := range order {
		place := a.Network.BranchName(items[k].AtBranch) + ", " + items[k].Barcode
		switch {
		case k == chosen:
			trace = trace.Add(why.Decided, place, "Would be on the shelf by "+say(reaches[k].OnShelf)+". Chosen.")
		case n >= whyMost:
			continue
		case reaches[k] == nil:
			trace = trace.Add(
				why.Outweighed,
				place,
				"Cannot serve this hold: no run gets there, it was missed before, or rules forbid it.",
			)
		case reaches[k].Wait < reaches[chosen].Wait:
			trace = trace.Add(
				why.Outweighed,
				place,
				"Would be there by "+say(
					reaches[k].OnShelf,
				)+", but serves another hold of the queue so that all wait least together.",
			)
		default:
			trace = trace.Add(why.Outweighed, place, "Would be there by "+say(reaches[k].OnShelf)+".")
		}
	}
	if len(items) > whyMost {
		trace = trace.Add(why.Note, fmt.Sprintf("The title has %d free items; the soonest are named.", len(items)))
	}
	return trace
}

// wait is how long a hold waits over a reach, in minutes; longer than any where nothing gets there.
func wait(r *routing.Reach) int {
	if r == nil {
		return 1 << 30
	}
	return r.Wait
}
