package moving

import (
	"fmt"
	"slices"
	"strconv"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// Route gives the free items of a title to the holds that wait for it. InHand is an item that is
// ready to leave at once, at the actor's branch; 0 for none. Pairs that were missed before are not
// tried again.
func Route(a *act.Act, titleID, inHand int64) error {
	waiting, err := store.Queue(a.DB, titleID)
	if err != nil || len(waiting) == 0 {
		return err
	}
	items, err := store.FreeItems(a.DB, titleID)
	if err != nil || len(items) == 0 {
		return err
	}
	var misses []struct{ HoldID, ItemID int64 }
	if err := a.Raw("SELECT m.hold_id, m.item_id FROM misses m JOIN holds h ON h.id = m.hold_id WHERE h.title_id = ? AND h.state = 'waiting'", titleID).Scan(&misses).Error; err != nil {
		return err
	}
	missed := map[[2]int64]bool{}
	for _, m := range misses {
		missed[[2]int64{m.HoldID, m.ItemID}] = true
	}
	var classes []struct {
		ID          int64
		Class, Home string
	}
	if err := a.Raw("SELECT h.id, p.class, p.branch_code AS home FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.title_id = ? AND h.state = 'waiting'", titleID).Scan(&classes).Error; err != nil {
		return err
	}
	patrons := map[int64]store.Patron{}
	for _, c := range classes {
		patrons[c.ID] = store.Patron{Class: c.Class, BranchCode: c.Home}
	}
	later := routing.NewReaches(a.Network.Timetable, a.Now, a.Network.FetchMinutes)
	atOnce := routing.NewReaches(a.Network.Timetable, a.Now, 0)
	problem := routing.Problem{}
	for _, i := range items {
		problem.Items = append(problem.Items, fmt.Sprintf("%012d", i.ID))
	}
	for _, h := range waiting {
		row := make([]*routing.Reach, len(items))
		for k, i := range items {
			p := patrons[h.ID]
			if may, _ := MayServe(a, &i, &p, h.Pickup); !may || h.OnlyItem != nil && *h.OnlyItem != i.ID || missed[[2]int64{h.ID, i.ID}] {
				continue
			}
			if i.ID == inHand {
				row[k] = atOnce.Between(a.Who.Branch, h.Pickup)
			} else {
				row[k] = later.Between(i.AtBranch, h.Pickup)
			}
		}
		problem.Reach = append(problem.Reach, row)
	}
	for q, k := range routing.Plan(problem, routing.LeastTotal) {
		if k == routing.None {
			continue
		}
		if err := assign(a, &waiting[q], &items[k], problem.Reach[q], items, k); err != nil {
			return err
		}
	}
	return nil
}

// MayServe tells whether the item may serve a hold of the patron for pickup at a branch; if not, why.
func MayServe(a *act.Act, i *store.Item, p *store.Patron, pickup string) (bool, string) {
	terms := a.Book.Decide(rulebook.Situate(pickup, i.BranchCode, i.Collection, i.Material, p.Class), nil)
	pair := queue.Pair{Home: i.BranchCode, Pickup: pickup, PatronHome: p.BranchCode, Added: calendar.DateOf(i.AddedOn.UTC()), Today: a.Today()}
	return queue.MayServe(pair, terms.Holding())
}

func assign(a *act.Act, h *store.Hold, i *store.Item, reaches []*routing.Reach, items []store.Item, chosen int) error {
	trace := routeWhy(a, h, reaches, items, chosen)
	promised := reaches[chosen].OnShelf
	h.State, h.ItemID, h.PromisedAt, h.Why = "fetching", &i.ID, &promised, act.JSON(&trace)
	if err := a.Model(h).Select("State", "ItemID", "PromisedAt", "Why").Updates(h).Error; err != nil {
		return err
	}
	return a.Tell(act.Happened{Kind: "routed", Patron: h.PatronID, Item: i.ID, Hold: h.ID, Why: &trace,
		Text: "Item of " + a.Network.BranchName(i.AtBranch) + " chosen for a hold at " + a.Network.BranchName(h.Pickup)})
}

func routeWhy(a *act.Act, h *store.Hold, reaches []*routing.Reach, items []store.Item, chosen int) why.Trace {
	loc := a.Network.Timetable.Branches[h.Pickup].Location
	say := func(t time.Time) string { return calendar.SayInstant(t, loc) }
	trace := why.New("Which item serves the hold").Add(why.Fact, "Pickup at "+a.Network.BranchName(h.Pickup))
	trace.Result = "The one at " + a.Network.BranchName(items[chosen].AtBranch) + ", on the shelf by " + say(reaches[chosen].OnShelf)
	order := make([]int, len(items))
	for k := range order {
		order[k] = k
	}
	slices.SortStableFunc(order, func(x, y int) int {
		if reaches[x] == nil || reaches[y] == nil {
			return b2i(reaches[x] == nil) - b2i(reaches[y] == nil)
		}
		return reaches[x].Wait - reaches[y].Wait
	})
	for _, k := range order {
		place := a.Network.BranchName(items[k].AtBranch) + ", " + items[k].Barcode
		switch {
		case reaches[k] == nil:
			trace = trace.Add(why.Outweighed, place, "Cannot serve this hold: no run gets there, it was missed before, or rules forbid it.")
		case k == chosen:
			trace = trace.Add(why.Decided, place, "Would be on the shelf by "+say(reaches[k].OnShelf)+". Chosen.")
		case reaches[k].Wait < reaches[chosen].Wait:
			trace = trace.Add(why.Outweighed, place, "Would be there by "+say(reaches[k].OnShelf)+", but serves another hold of the queue so that all wait least together.")
		default:
			trace = trace.Add(why.Outweighed, place, "Would be there by "+say(reaches[k].OnShelf)+".")
		}
	}
	return trace
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}
