package holds

import (
	"slices"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/routing"
	"nevrin/core/why"
	"nevrin/store"
)

// Stuck is a hold that waits and that nothing there is can fill.
type Stuck struct {
	Hold
	At      string     `json:"at" doc:"Where it is to be picked up"`
	Because string     `json:"because"`
	WhySo   *why.Trace `json:"why_so"`
}

// How many holds that wait are looked at in one go, and how many goes one page takes at the most.
const (
	stuckLooked = 500
	stuckGoes   = 8
)

// StuckHolds gives a page of the holds for pickup at a branch, or anywhere if none is named, that nothing can fill: of no copy
// that is in use the rules and the hold itself allow that it serves, or none gets there. A page may be short, and the next one
// not: what waits is looked at part by part.
func StuckHolds(a *act.Act, branch calendar.Code, page store.Page) ([]Stuck, store.Page, error) {
	out := []Stuck{}
	reaches := routing.ReachesBy(ahead(a).Courier, a.Now, a.Network.FetchMinutes)
	next := store.Page{After: page.After, Most: stuckLooked}
	for range stuckGoes {
		waits, after, err := a.Tx.WaitsAt(branch, next)
		if err != nil {
			return nil, page, err
		}
		some, err := stuckOf(a, waits, reaches)
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
func stuckOf(a *act.Act, waits []store.QueueHold, reaches *routing.Reaches) ([]Stuck, error) {
	var titles []int64
	for _, h := range waits {
		titles = append(titles, h.TitleID)
	}
	slices.Sort(titles)
	copies, err := a.Tx.CopiesOf(slices.Compact(titles))
	if err != nil {
		return nil, err
	}
	of := map[int64][]store.QueueCopy{}
	for _, c := range copies {
		of[c.TitleID] = append(of[c.TitleID], c)
	}
	known := map[string]bool{}
	found := map[int64]*Stuck{}
	var ids []int64
	for k := range waits {
		h := &waits[k]
		if s := stuck(a, h, of[h.TitleID], reaches, known); s != nil {
			found[h.ID], ids = s, append(ids, h.ID)
		}
	}
	rows, err := a.Tx.HoldsShown(ids)
	out := []Stuck{}
	for k := range rows {
		s := found[rows[k].ID]
		s.Hold = show(a, &rows[k])
		s.At = a.Network.BranchName(s.Pickup)
		out = append(out, *s)
	}
	return out, err
}

// stuck says why nothing can fill a hold; nil where something can.
func stuck(
	a *act.Act,
	h *store.QueueHold,
	copies []store.QueueCopy,
	reaches *routing.Reaches,
	known map[string]bool,
) *Stuck {
	serves, inUse := 0, 0
	for k := range copies {
		c := &copies[k]
		if !couldServe(a, c, h, known) {
			continue
		}
		serves++
		if c.Standing != circulation.ItemInUse || c.Lost {
			continue
		}
		if inUse++; reaches.Between(c.AtBranch, h.Pickup) != nil {
			return nil
		}
	}
	s := &Stuck{}
	switch {
	case len(copies) == 0:
		s.Because = "The title has no copies any more"
	case serves == 0:
		s.Because = "No copy is what was asked for, or the rules let none serve it"
	case inUse == 0:
		s.Because = "Its copies are missing, lost or put aside"
	default:
		s.Because = "No run gets a copy there"
	}
	trace := nothing(a, why.New("When it will be ready"), h, copies, serves)
	s.WhySo = &trace
	return s
}
