package holds

import (
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/store/holdsdb"
)

// Shifted is the effect of moving a hold on one hold of its queue, the moved one included.
type Shifted struct {
	Hold   int64     `json:"hold"`
	Patron string    `json:"patron"`
	Was    int       `json:"was" doc:"Its number in the queue now"`
	Is     int       `json:"is" doc:"And then"`
	Likely *Foreseen `json:"likely,omitempty" doc:"When it will be ready as it is now"`
	Then   *Foreseen `json:"then,omitempty" doc:"And then"`
}

// LookAtMove tells what it would do to those who wait if a hold stood in front of another, or behind all where that is 0. Those for
// whom nothing changes are left out.
func LookAtMove(a *act.Act, id, before int64) ([]Shifted, error) {
	h, err := holdsdb.OneHold(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case h == nil:
		return nil, problem.NoSuch("hold")
	case h.State != queue.Waiting:
		return nil, problem.Newf(problem.Refused, "This hold is no longer in the queue. Check the queue again.")
	}
	rows, err := holdsdb.HoldsInQueue(a.Tx, h.TitleID, shownOfQueue)
	if err != nil {
		return nil, err
	}
	holds, copies, err := holdsdb.WholeQueues(a.Tx, []int64{h.TitleID}, mostForeseen)
	if err != nil {
		return nil, err
	}
	moved, ok := stoodBefore(holds, id, before)
	if !ok {
		return nil, problem.Newf(problem.Refused,
			"The other hold is no longer in this queue. Check the queue again.")
	}
	was, then := placesOf(a, holds, copies), placesOf(a, moved, copies)
	out := []Shifted{}
	for k := range rows {
		w, t := was[rows[k].ID], then[rows[k].ID]
		if w.number == 0 || w.number == t.number && sameDay(w.when, t.when) {
			continue
		}
		out = append(out, Shifted{rows[k].ID, show(a, &rows[k]).Patron, w.number, t.number, w.when, t.when})
	}
	slices.SortStableFunc(out, func(x, y Shifted) int { return x.Is - y.Is })
	return out, nil
}

// stoodBefore gives the holds of a queue as they would stand if one were in front of another, or behind all where that is 0; false
// where either does not wait there.
func stoodBefore(holds []holdsdb.QueueHold, id, before int64) ([]holdsdb.QueueHold, bool) {
	at := func(list []holdsdb.QueueHold, id int64) int {
		return slices.IndexFunc(list, func(h holdsdb.QueueHold) bool { return h.ID == id && h.State == queue.Waiting })
	}
	from := at(holds, id)
	if from < 0 {
		return nil, false
	}
	moved := slices.Delete(slices.Clone(holds), from, from+1)
	to := len(moved)
	if before != 0 {
		if to = at(moved, before); to < 0 {
			return nil, false
		}
	}
	return slices.Insert(moved, to, holds[from]), true
}

// placed is the number of a hold among those that wait, and when it will be ready; nil where nobody can say.
type placed struct {
	number int
	when   *Foreseen
}

func placesOf(a *act.Act, holds []holdsdb.QueueHold, copies []holdsdb.QueueCopy) map[int64]placed {
	foreseen := fromToday(a, a.Network.Habits.Foresee(queueOf(a, holds, copies), a.Now, ahead(a)))
	out := map[int64]placed{}
	number := 0
	for k := range holds {
		if holds[k].State != queue.Waiting {
			continue
		}
		number++
		p := placed{number: number}
		if foreseen[k].Known {
			p.when = sayForecast(a, &foreseen[k])
		}
		out[holds[k].ID] = p
	}
	return out
}

func sameDay(x, y *Foreseen) bool {
	if x == nil || y == nil {
		return x == y
	}
	return x.Likely == y.Likely
}

// MovedBy says who moved a hold in its queue, and why.
type MovedBy struct {
	Who    string    `json:"who"`
	At     time.Time `json:"at"`
	Reason string    `json:"reason"`
}

// tellMoves adds to the holds of a queue who moved them, of those that stand where somebody put them.
func tellMoves(a *act.Act, rows []holdsdb.HoldShown, to []InQueue) error {
	var ids []int64
	for k := range rows {
		if rows[k].Moved {
			ids = append(ids, rows[k].ID)
		}
	}
	if ids == nil {
		return nil
	}
	moves, err := holdsdb.WhoMoved(a.Tx, ids)
	for k := range to {
		if m, ok := moves[to[k].ID]; ok && rows[k].Moved {
			to[k].Moved = &MovedBy{m.Who, m.At, m.Reason}
		}
	}
	return err
}

// PlacedFor is a hold that was placed for one of several, and when it will be ready.
type PlacedFor struct {
	Hold   int64         `json:"hold"`
	Patron string        `json:"patron"`
	Says   string        `json:"says"`
	When   *Foreseen     `json:"when,omitempty"`
	Pickup calendar.Code `json:"pickup"`
}

// placedFor tells of holds on one title that were just placed, in the order in which they stand.
func placedFor(a *act.Act, title int64, ids []int64) ([]PlacedFor, error) {
	rows, err := holdsdb.HoldsShown(a.Tx, ids)
	if err != nil {
		return nil, err
	}
	foreseen, err := foresee(a, []int64{title}, mostForeseen)
	out := []PlacedFor{}
	for k := range rows {
		h := show(a, &rows[k])
		one := PlacedFor{Hold: h.ID, Patron: h.Patron, Says: h.Says, Pickup: h.Pickup}
		if f, ok := foreseen[h.ID]; ok && f.Known && h.State == queue.Waiting {
			one.When = sayForecast(a, &f)
		}
		out = append(out, one)
	}
	slices.SortStableFunc(out, func(x, y PlacedFor) int { return slices.Index(ids, x.Hold) - slices.Index(ids, y.Hold) })
	return out, err
}
