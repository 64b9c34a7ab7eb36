package moving

import (
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/store"
	"nevrin/store/holdsdb"
)

// prefer lets an item in hand go to a reader where it is, before others elsewhere who asked earlier, as far as the network
// lets these wait longer for it.
func (p *plan) prefer(a *act.Act, inHand int64) {
	item := slices.IndexFunc(p.items, func(i holdsdb.Free) bool { return i.ID == inHand })
	first := slices.Index(p.plan, item)
	if item < 0 || first < 0 {
		return
	}
	lines := make([]queue.Line, len(p.waiting))
	for k := range lines {
		h := &p.waiting[k]
		lines[k] = queue.Line{Pickup: h.Pickup, Served: p.plan[k] != routing.None, Before: h.PassedDays}
		if r := p.reach[k][item]; r != nil {
			lines[k].May, lines[k].OnShelf = true, r.OnShelf
		}
	}
	var expected []queue.Expected
	for k := range p.coming {
		c := &p.coming[k]
		expected = append(expected, queue.Expected{Branch: c.Branch, Due: store.DateOf(c.DueDate), Promise: c.Promised})
	}
	courier := a.Network.Ahead(calendar.DateOf(a.Now)).Courier
	carried := func(s queue.Supply, to calendar.Code) time.Time {
		if _, shelf, ok := courier.Arrival(s.Branch, to, s.At); ok {
			return shelf
		}
		return s.At
	}
	reader, holds, list := queue.Overtaking(lines, first, a.Who.Branch, queue.Supplies(expected, a.Now), carried)
	if reader < 0 {
		return
	}
	for k := range list {
		list[k].Pickup = a.Network.BranchName(calendar.Code(list[k].Pickup))
	}
	may, costs, trace := queue.MayPass(a.Network.Settled.Holds.Local, list)
	p.preferred = &trace
	if !may {
		return
	}
	p.plan[first], p.plan[reader] = routing.None, item
	for k, days := range costs {
		if days > 0 {
			p.passed = append(p.passed, passed{holds[k], days})
		}
	}
}
