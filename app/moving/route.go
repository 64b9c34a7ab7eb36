package moving

import (
	"fmt"
	"slices"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
)

// Route gives the free items of a title, which must be locked, to the holds that wait for it. InHand is an item that
// is ready to leave at once, at the actor's branch; 0 for none. It gives the hold that this item was chosen for, with
// its patron; nil if none. Pairs that were missed are not tried again until the item has been seen.
func Route(a *act.Act, title, inHand int64) (*holdsdb.Hold, error) {
	p, err := planned(a, title, inHand)
	if err != nil || p == nil {
		return nil, err
	}
	for _, passed := range p.passed {
		holdsdb.PassOver(a.Tx, p.waiting[passed.hold].ID, passed.days)
	}
	var chosen *holdsdb.Hold
	for q, n := range p.plan {
		if n == routing.None {
			continue
		}
		h := &p.waiting[q].Hold
		if err := assign(a, h, p.items, p.reach[q], n, p.preferred); err != nil {
			return nil, err
		}
		if p.items[n].ID == inHand {
			chosen = h
		}
	}
	if chosen == nil {
		return nil, nil
	}
	chosen.Patron, err = peopledb.PatronByID(a.Tx, chosen.PatronID)
	return chosen, err
}

// plan is the queue of a title with which item serves whom.
type plan struct {
	waiting []holdsdb.Awaiting
	items   []holdsdb.Free
	coming  []holdsdb.Coming
	plan    []int
	reach   [][]*routing.Reach

	preferred *why.Trace // whether a reader where the item in hand is goes first; nil: nobody asked
	passed    []passed
}

// passed is the number of days that a hold waits longer for a patron of the branch where a copy came back.
type passed struct{ hold, days int }

// planned plans the queue of a title; nil where there is nothing to plan. A long queue is not read whole: once the holds
// read use up all free items, no later hold can be served, and none of them can change which item serves whom.
func planned(a *act.Act, title, inHand int64) (*plan, error) {
	local := inHand != 0 && a.Network.Settled.Holds.Local > 0
	for most := 32; ; most *= 16 {
		p := &plan{}
		var err error
		if p.waiting, p.items, p.coming, err = holdsdb.Queue(a.Tx, title, most, local); err != nil {
			return nil, err
		}
		if len(p.waiting) == 0 || len(p.items) == 0 {
			return nil, nil
		}
		problem, err := problemOf(a, p.waiting, p.items, inHand)
		if err != nil {
			return nil, err
		}
		p.reach, p.plan = problem.Reach, routing.Plan(problem, routing.LeastTotal)
		served := 0
		for _, n := range p.plan {
			if n != routing.None {
				served++
			}
		}
		if len(p.waiting) < most || served == len(p.items) {
			if local {
				p.prefer(a, inHand)
			}
			return p, nil
		}
	}
}

func problemOf(a *act.Act, waiting []holdsdb.Awaiting, items []holdsdb.Free, inHand int64) (routing.Problem, error) {
	later, err := reaches(a, items)
	if err != nil {
		return routing.Problem{}, err
	}
	atOnce := routing.ReachesBy(a.Network.Ahead(calendar.DateOf(a.Now)).Courier, a.Now, 0)
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
				row[n] = inTime(a, &waiting[k], atOnce.Between(a.Who.Branch, waiting[k].Pickup))
			default:
				row[n] = inTime(a, &waiting[k], later.Between(items[n].AtBranch, waiting[k].Pickup))
			}
		}
		problem.Reach = append(problem.Reach, row)
	}
	return problem, nil
}

// reaches is how items can get where they are waited for. Where a branch has as much to fetch as it can in a round, what is
// fetched beyond that comes a round later.
func reaches(a *act.Act, items []holdsdb.Free) (*routing.Reaches, error) {
	r := routing.ReachesBy(a.Network.Ahead(calendar.DateOf(a.Now)).Courier, a.Now, a.Network.FetchMinutes)
	limits := a.Network.Settled.Holds.FetchMost
	var limited []calendar.Code
	for _, i := range items {
		if _, ok := limits[string(i.AtBranch)]; ok && !slices.Contains(limited, i.AtBranch) {
			limited = append(limited, i.AtBranch)
		}
	}
	if len(limited) == 0 {
		return r, nil
	}
	counts, err := holdsdb.ToFetch(a.Tx, limited)
	for code, n := range counts {
		if most := limits[string(code)]; n >= most {
			r.Later(code, a.Network.Settled.Holds.RoundMinutes*(1+(n-most)/max(most, 1)))
		}
	}
	return r, err
}

// inTime is nil where a hold is of no interest any more by then.
func inTime(a *act.Act, h *holdsdb.Awaiting, r *routing.Reach) *routing.Reach {
	if r == nil || h.WantedUntil == nil {
		return r
	}
	if a.Network.Timetable.Branches[h.Pickup].Date(r.OnShelf) > *store.DateOf(h.WantedUntil) {
		return nil
	}
	return r
}

func mayServe(a *act.Act, h *holdsdb.Awaiting, i *holdsdb.Free) bool {
	if !h.Fits(i) || slices.Contains(h.Missed, i.ID) {
		return false
	}
	may, _ := MayServe(a, i, h.Class, h.Home, h.Pickup)
	return may
}

// MayServe tells whether an item may serve a hold of a patron of a class and home for pickup at a branch; if not, why.
func MayServe(a *act.Act, i *holdsdb.Free, class string, home, pickup calendar.Code) (bool, string) {
	return MayServeOn(a, i, class, home, pickup, a.Today())
}

// MayServeOn is MayServe as of a day.
func MayServeOn(
	a *act.Act,
	i *holdsdb.Free,
	class string,
	home, pickup calendar.Code,
	day calendar.Date,
) (bool, string) {
	terms := a.Book.Decide(rulebook.Situate(pickup, i.BranchCode, i.Collection, i.Material, class), nil)
	pair := queue.Pair{
		Home:       i.BranchCode,
		Pickup:     pickup,
		PatronHome: home,
		Added:      calendar.DateOf(i.AddedOn.UTC()),
		Today:      day,
	}
	return queue.MayServe(pair, terms.Holding())
}

func assign(
	a *act.Act,
	h *holdsdb.Hold,
	items []holdsdb.Free,
	reaches []*routing.Reach,
	chosen int,
	preferred *why.Trace,
) error {
	trace := routeWhy(a, h, reaches, items, chosen)
	if preferred != nil {
		trace = trace.Under(why.Fact, *preferred)
	}
	return choose(a, h, &items[chosen], reaches[chosen].OnShelf, trace)
}

// whyMost is how many items a why names; a title may have hundreds.
const whyMost = 12

func routeWhy(a *act.Act, h *holdsdb.Hold, reaches []*routing.Reach, items []holdsdb.Free, chosen int) why.Trace {
	say := a.Network.Timetable.Branches[h.Pickup].SayInstant
	trace := why.New("Which item fills the hold").Add(why.Fact, "Pickup at "+a.Network.BranchName(h.Pickup))
	trace.Result = "The one at " + a.Network.BranchName(items[chosen].AtBranch) + ", on the shelf by " + say(reaches[chosen].OnShelf)
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
				"Cannot fill this hold: no run in time, not found before, not the requested copy, or not allowed by the rules.",
			)
		case reaches[k].Wait < reaches[chosen].Wait:
			trace = trace.Add(
				why.Outweighed,
				place,
				"Would be there by "+say(
					reaches[k].OnShelf,
				)+", but fills another hold so that everybody waits less in total.",
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
