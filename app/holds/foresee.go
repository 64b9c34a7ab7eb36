package holds

import (
	"fmt"
	"slices"

	"nevrin/app/act"
	"nevrin/app/moving"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/queue"
	"nevrin/core/waiting"
	"nevrin/store"
	"nevrin/store/holdsdb"
)

// mostForeseen is how far down a queue it is foreseen when holds are ready.
const mostForeseen = 6000

// foresee says of the open holds of titles when they will be ready, at a glance; up to a number of each title.
func foresee(a *act.Act, titles []int64, most int) (map[int64]waiting.Forecast, error) {
	holds, copies, err := holdsdb.WholeQueues(a.Tx, titles, most)
	if err != nil {
		return nil, err
	}
	out := map[int64]waiting.Forecast{}
	for len(holds) > 0 {
		title := holds[0].TitleID
		n := slices.IndexFunc(holds, func(h holdsdb.QueueHold) bool { return h.TitleID != title })
		if n < 0 {
			n = len(holds)
		}
		// Both lists are in order of their titles.
		for len(copies) > 0 && copies[0].TitleID < title {
			copies = copies[1:]
		}
		c := slices.IndexFunc(copies, func(c holdsdb.QueueCopy) bool { return c.TitleID != title })
		if c < 0 {
			c = len(copies)
		}
		q := queueOf(a, holds[:n], copies[:c])
		for k, f := range fromToday(a, a.Network.Habits.Glance(q, a.Now, ahead(a))) {
			out[holds[k].ID] = f
		}
		holds, copies = holds[n:], copies[c:]
	}
	return out, nil
}

func ahead(a *act.Act) *waiting.Network { return a.Network.Ahead(calendar.DateOf(a.Now)) }

// fromToday lets ranges begin today at the earliest: what is said is of days to come.
func fromToday(a *act.Act, all []waiting.Forecast) []waiting.Forecast {
	for k := range all {
		all[k].From = max(all[k].From, calendar.DateOf(a.Now))
	}
	return all
}

func queueOf(a *act.Act, holds []holdsdb.QueueHold, copies []holdsdb.QueueCopy) waiting.Queue {
	q := waiting.Queue{}
	index := map[int64]int{}
	for k := range copies {
		index[copies[k].ID] = k
		q.Copies = append(q.Copies, copyOf(a, &copies[k]))
	}
	for k := range holds {
		h := &holds[k]
		one := waiting.Hold{Pickup: h.Pickup, Given: waiting.None}
		if h.PausedUntil != nil {
			one.Paused = *store.DateOf(h.PausedUntil)
		}
		if h.ItemID != nil {
			if c, known := index[*h.ItemID]; known && h.State.HasItem() {
				one.Given = c
				q.Copies[c].State, q.Copies[c].Ready = waiting.Meant, h.State == queue.Ready
			}
		}
		q.Holds = append(q.Holds, one)
	}
	served := map[string]bool{}
	for c := range copies {
		allowed := make([]bool, len(holds))
		for k := range holds {
			allowed[k] = couldServe(a, &copies[c], &holds[k], served)
		}
		if slices.Contains(allowed, false) {
			q.Copies[c].Only = allowed
		}
	}
	return q
}

// couldServe tells whether a copy may serve a hold; what rules say is asked once for all that are alike.
func couldServe(a *act.Act, c *holdsdb.QueueCopy, h *holdsdb.QueueHold, known map[string]bool) bool {
	if !h.Fits(&c.Free) {
		return false
	}
	key := fmt.Sprint(c.ID, h.Class, h.Home, h.Pickup)
	may, asked := known[key]
	if !asked {
		may, _ = moving.MayServe(a, &c.Free, h.Class, h.Home, h.Pickup)
		known[key] = may
	}
	return may
}

func copyOf(a *act.Act, c *holdsdb.QueueCopy) waiting.Copy {
	out := waiting.Copy{State: waiting.Away, Branch: c.AtBranch, Material: c.Material}
	switch {
	case c.Place == nil && c.Standing == circulation.ItemInUse:
		out.State = waiting.Free
	case c.Place == nil:
	case *c.Place == circulation.PlaceLent && !c.Lost:
		out.State, out.Branch = waiting.Lent, *c.LoanBranch
		if c.DueDate != nil {
			out.Due = *store.DateOf(c.DueDate)
		} else {
			out.Due = calendar.DateOf(c.DueAt.In(a.Network.Location))
		}
	case *c.Place == circulation.PlaceUnderWay && c.Promised != nil:
		out.State, out.Branch, out.Promise = waiting.Comes, *c.ToBranch, *c.Promised
	case *c.Place == circulation.PlaceFetching || *c.Place == circulation.PlaceHoldShelf:
		out.State = waiting.Meant
	}
	return out
}
