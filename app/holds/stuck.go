package holds

import (
	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/waiting"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/holdsdb"
)

// Stuck is a hold that waits and that nothing there is can fill.
type Stuck struct {
	Hold
	At      string     `json:"at" doc:"Where it is to be picked up"`
	Because string     `json:"because"`
	WhySo   *why.Trace `json:"why_so"`
}

// How many holds that wait are looked at in one go, and how many goes one page takes at most.
const (
	stuckLooked = 500
	stuckGoes   = 8
)

// StuckHolds gives a page of the holds for pickup at a branch, or anywhere if none is named, that nothing can fill. What waits
// is looked at part by part: a page may be short, and the next one not.
func StuckHolds(a *act.Act, branch calendar.Code, page store.Page) ([]Stuck, store.Page, error) {
	out := []Stuck{}
	next := store.Page{After: page.After, Most: stuckLooked}
	for range stuckGoes {
		waits, after, err := holdsdb.WaitsAt(a.Tx, branch, next)
		if err != nil {
			return nil, page, err
		}
		some, err := stuckOf(a, waits)
		if err != nil {
			return nil, page, err
		}
		out = append(out, some...)
		next.After, next.More = after.After, after.More
		if !next.More || len(out) >= max(page.Most, 1) {
			break
		}
	}
	return out, next, nil
}

// stuckOf gives those of some holds that nothing can fill.
func stuckOf(a *act.Act, waits []holdsdb.QueueHold) ([]Stuck, error) {
	holds := map[int64][]holdsdb.QueueHold{}
	var titles []int64
	for _, h := range waits {
		if holds[h.TitleID] == nil {
			titles = append(titles, h.TitleID)
		}
		holds[h.TitleID] = append(holds[h.TitleID], h)
	}
	all, err := holdsdb.CopiesOf(a.Tx, titles)
	if err != nil {
		return nil, err
	}
	copies := map[int64][]holdsdb.QueueCopy{}
	for _, c := range all {
		copies[c.TitleID] = append(copies[c.TitleID], c)
	}
	found := map[int64]*Stuck{}
	var ids []int64
	for _, title := range titles {
		q := queueOf(a, holds[title], copies[title])
		for k := range q.Holds {
			if !q.CanFill(k, a.Now, ahead(a)) {
				h := &holds[title][k]
				found[h.ID], ids = because(a, h, &q, k, copies[title]), append(ids, h.ID)
			}
		}
	}
	rows, err := holdsdb.HoldsShown(a.Tx, ids)
	out := []Stuck{}
	for k := range rows {
		s := found[rows[k].ID]
		s.Hold = show(a, &rows[k])
		s.At = a.Network.BranchName(s.Pickup)
		out = append(out, *s)
	}
	return out, err
}

// because says why nothing can fill a hold.
func because(a *act.Act, h *holdsdb.QueueHold, q *waiting.Queue, k int, copies []holdsdb.QueueCopy) *Stuck {
	serves, comes := 0, 0
	for _, c := range q.Copies {
		if c.Only != nil && !c.Only[k] {
			continue
		}
		if serves++; c.State != waiting.Away {
			comes++
		}
	}
	s := &Stuck{}
	switch {
	case len(copies) == 0:
		s.Because = "The title has no copies"
	case serves == 0:
		s.Because = "No copy matches, or the rules allow none"
	case comes == 0:
		s.Because = "All copies are missing, lost or set aside"
	default:
		s.Because = "No courier run brings a copy there"
	}
	trace := nothing(a, why.New("When it will be ready"), h, copies, serves)
	s.WhySo = &trace
	return s
}
