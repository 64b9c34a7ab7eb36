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
		hold := &p.waiting[k]
		lines[k] = queue.Line{Pickup: hold.Pickup, Served: p.plan[k] != routing.None, Before: hold.PassedDays}
		if reached := p.reach[k][item]; reached != nil {
			lines[k].May, lines[k].OnShelf = true, reached.OnShelf
		}
	}
	var expected []queue.Expected
	for k := range p.coming {
		copy := &p.coming[k]
		expected = append(expected, queue.Expected{Branch: copy.Branch, Due: store.DateOf(copy.DueDate), Promise: copy.Promised})
	}
	courier := a.Network.Ahead(calendar.DateOf(a.Now)).Courier
	carried := func(supply queue.Supply, to calendar.Code) time.Time {
		if _, shelf, ok := courier.Arrival(supply.Branch, to, supply.At); ok {
			return shelf
		}
		return supply.At
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
