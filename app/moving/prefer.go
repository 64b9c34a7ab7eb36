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
	var before *supply
	for k := first; k < here; k++ {
		if p.plan[k] != routing.None && k != first || p.reach[k][item] == nil {
			continue
		}
		with := p.reach[k][item].OnShelf
		if len(list) > 0 {
			if before == nil {
				break // nobody knows for those behind, with or without
			}
			with = p.carried(a, before, k)
		}
		one := queue.Passed{
			Place: k + 1, Pickup: a.Network.BranchName(p.waiting[k].Pickup), With: with,
			Before: p.waiting[k].PassedDays,
		}
		before = nil
		if len(next) > len(list) {
			before = &next[len(list)]
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

// supply is a copy that is not free now, where and when it can be expected.
type supply struct {
	branch calendar.Code
	at     time.Time
}

// supply gives the next copies that are not free now, the soonest first: on the evening of the day on which they are due, or
// when they are on their shelves. What is late already is not counted on: nobody knows when it comes.
func (p *plan) supply(a *act.Act) []supply {
	var out []supply
	for k := range p.coming {
		c := &p.coming[k]
		at := c.Promised
		if c.DueDate != nil {
			due := calendar.Local(*store.DateOf(c.DueDate), evening, a.Network.Location)
			at = &due
		}
		if at.After(a.Now) {
			out = append(out, supply{c.Branch, *at})
		}
	}
	slices.SortStableFunc(out, func(x, y supply) int { return x.at.Compare(y.at) })
	return out
}

const evening = calendar.Minute(18 * 60)

// carried is when a copy that is expected somewhere is on the shelf for a hold.
func (p *plan) carried(a *act.Act, s *supply, hold int) time.Time {
	j := a.Network.Timetable.Ask(s.branch, p.waiting[hold].Pickup, s.at)
	if j == nil || j.OnShelf == nil {
		return s.at
	}
	return *j.OnShelf
}
