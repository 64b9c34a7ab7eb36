package moving

import (
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/store"
)

// prefer lets an item in hand go to a reader where it is, before others elsewhere who asked earlier, as far as the network
// lets these wait longer for it.
func (p *plan) prefer(a *act.Act, inHand int64) {
	item := slices.IndexFunc(p.items, func(i store.Free) bool { return i.ID == inHand })
	first := slices.Index(p.plan, item)
	if item < 0 || first < 0 || p.waiting[first].Pickup == a.Who.Branch {
		return
	}
	here := slices.IndexFunc(p.waiting, func(h store.Awaiting) bool { return h.Pickup == a.Who.Branch })
	if here < first || p.plan[here] != routing.None || p.reach[here][item] == nil {
		return
	}
	var holds []int
	var list []queue.Passed
	// Whoever stands between is served by the next copy but one: the item in hand is gone, all others move up behind it.
	next := p.supply(a)
	before := time.Time{}
	for k := first; k < here; k++ {
		if p.plan[k] != routing.None && k != first || p.reach[k][item] == nil {
			continue
		}
		with := p.reach[k][item].OnShelf
		if len(list) > 0 {
			if before.IsZero() {
				break // nobody knows for those behind, with or without
			}
			with = p.carried(a, before, k)
		}
		one := queue.Passed{
			Place: k + 1, Pickup: a.Network.BranchName(p.waiting[k].Pickup), With: with, Before: p.waiting[k].PassedDays,
		}
		before = time.Time{}
		if len(next) > len(list) {
			before = next[len(list)]
			without := p.carried(a, before, k)
			one.Without = &without
		}
		holds, list = append(holds, k), append(list, one)
	}
	may, costs, trace := queue.MayPass(a.Network.Settled.Holds.Local, list)
	p.preferred = &trace
	if !may {
		return
	}
	p.plan[first], p.plan[here] = routing.None, item
	for k, days := range costs {
		if days > 0 {
			p.passed = append(p.passed, passed{holds[k], days})
		}
	}
}

// supply is when the next copies can be expected that are not free now, the soonest first: on the evening of the day on
// which they are due, or when they are on their shelves.
func (p *plan) supply(a *act.Act) []time.Time {
	var out []time.Time
	for k := range p.coming {
		c := &p.coming[k]
		at := c.Promised
		if c.DueDate != nil {
			due := calendar.Local(*store.DateOf(c.DueDate), evening, a.Network.Location)
			at = &due
		}
		if at.Before(a.Now) {
			// Late already: nobody knows when it comes, so it is not counted on.
			continue
		}
		out = append(out, *at)
	}
	slices.SortFunc(out, time.Time.Compare)
	return out
}

const evening = calendar.Minute(18 * 60)

// carried is when a copy that is there at some time is on the shelf for a hold, from the actor's branch.
func (p *plan) carried(a *act.Act, at time.Time, hold int) time.Time {
	j := a.Network.Timetable.Ask(a.Who.Branch, p.waiting[hold].Pickup, at)
	if j == nil || j.OnShelf == nil {
		return at
	}
	return *j.OnShelf
}
