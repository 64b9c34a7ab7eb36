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
)

// mostForeseen is how far down a queue it is foreseen when holds are ready.
const mostForeseen = 6000

// Foresee says of the open holds of titles when they will be ready.
func Foresee(a *act.Act, titles []int64) (map[int64]waiting.Forecast, error) {
	holds, copies, err := a.Tx.WholeQueues(titles, mostForeseen)
	if err != nil {
		return nil, err
	}
	out := map[int64]waiting.Forecast{}
	for len(holds) > 0 {
		title := holds[0].TitleID
		n := slices.IndexFunc(holds, func(h store.QueueHold) bool { return h.TitleID != title })
		if n < 0 {
			n = len(holds)
		}
		var of []store.QueueCopy
		for _, c := range copies {
			if c.TitleID == title {
				of = append(of, c)
			}
		}
		for k, f := range foreseen(a, holds[:n], of) {
			out[holds[k].ID] = f
		}
		holds = holds[n:]
	}
	return out, nil
}

// foreseen says of the holds of one title when they will be ready.
func foreseen(a *act.Act, holds []store.QueueHold, copies []store.QueueCopy) []waiting.Forecast {
	q := queueOf(a, holds, copies)
	today := calendar.DateOf(a.Now)
	out := a.Network.Habits.Foresee(q, a.Now, a.Network.Ahead(today))
	for k := range out {
		out[k].From = max(out[k].From, today)
	}
	return out
}

func queueOf(a *act.Act, holds []store.QueueHold, copies []store.QueueCopy) waiting.Queue {
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
				q.Copies[c].Standing, q.Copies[c].Ready = waiting.Meant, h.State == queue.Ready
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
func couldServe(a *act.Act, c *store.QueueCopy, h *store.QueueHold, known map[string]bool) bool {
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

func copyOf(a *act.Act, c *store.QueueCopy) waiting.Copy {
	out := waiting.Copy{Standing: waiting.Away, Branch: c.AtBranch, Material: c.Material}
	switch {
	case c.Place == nil && c.Standing == circulation.ItemInUse:
		out.Standing = waiting.Free
	case c.Place == nil:
	case *c.Place == circulation.PlaceLent && !c.Lost:
		out.Standing, out.Branch = waiting.Lent, *c.LoanBranch
		if c.DueDate != nil {
			out.Due = *store.DateOf(c.DueDate)
		} else {
			out.Due = calendar.DateOf(c.DueAt.In(a.Network.Location))
		}
	case *c.Place == circulation.PlaceUnderWay && c.Promised != nil:
		out.Standing, out.Branch, out.Promise = waiting.Comes, *c.ToBranch, *c.Promised
	}
	return out
}
