package waiting

import (
	"slices"
	"time"

	"nevrin/core/calendar"
)

// TitlePast is the history of a title's holds and copies over some time, from which their state can be told at any
// moment of it.
type TitlePast struct {
	Holds    []PastHold // in their order
	Copies   []PastCopy
	Loans    []PastLoan
	Transits []PastTransit
	Choices  []PastChoice // in order of time
}

// PastHold is a hold that was placed. Ready and Closed are nil where it has not come so far.
type PastHold struct {
	ID            int64
	Pickup        calendar.Code
	Class         string // of the patron
	Home          calendar.Code
	Item          int64 // that served it in the end; 0: none has
	Placed        time.Time
	Ready, Closed *time.Time
}

// PastCopy is a copy of the title, as it is classed now.
type PastCopy struct {
	ID                   int64
	Home                 calendar.Code
	Collection, Material string
	Added                calendar.Date
}

// PastLoan is a loan with its due dates: the first, and the one that a renewal has brought.
type PastLoan struct {
	Item             int64
	Branch           calendar.Code
	Lent             time.Time
	Returned         *time.Time
	Due              calendar.Date
	Renewed          *time.Time
	DueBeforeRenewal calendar.Date
}

// PastTransit is a transit. Hold is 0 where it served none.
type PastTransit struct {
	Item, Hold     int64
	To             calendar.Code
	Sent           time.Time
	Ended, Promise *time.Time
}

// PastChoice is an item that was chosen for a hold, or was not found for it.
type PastChoice struct {
	Hold, Item int64
	At         time.Time
	Missed     bool
}

func during(begun time.Time, ended *time.Time, at time.Time) bool {
	return !begun.After(at) && (ended == nil || ended.After(at))
}

// At tells how the queue stood at a moment in front of a hold, with that hold as the last; which copies may serve whom is
// asked. False where the hold is not there.
func (p *TitlePast) At(at time.Time, hold int64, may func(c *PastCopy, h *PastHold, at time.Time) bool) (Queue, bool) {
	var q Queue
	index := map[int64]int{}
	for k := range p.Copies {
		index[p.Copies[k].ID] = k
		q.Copies = append(q.Copies, p.copyAt(&p.Copies[k], at))
	}
	found := false
	var holds []*PastHold
	for k := range p.Holds {
		h := &p.Holds[k]
		if !during(h.Placed, h.Closed, at) {
			continue
		}
		one := Hold{Pickup: h.Pickup, Given: None}
		if item, ready, promise := p.givenAt(h, at); item != 0 {
			if c, known := index[item]; known {
				one.Given = c
				q.Copies[c].State, q.Copies[c].Ready, q.Copies[c].Promise = Meant, ready, promise
				if ready {
					q.Copies[c].Branch = h.Pickup
				}
			}
		}
		q.Holds, holds = append(q.Holds, one), append(holds, h)
		if h.ID == hold {
			found = true
			break
		}
	}
	if may != nil {
		for c := range q.Copies {
			allowed := make([]bool, len(holds))
			for k, h := range holds {
				allowed[k] = may(&p.Copies[c], h, at)
			}
			if slices.Contains(allowed, false) {
				q.Copies[c].Only = allowed
			}
		}
	}
	return q, found
}

func (p *TitlePast) copyAt(c *PastCopy, at time.Time) Copy {
	out := Copy{State: Free, Branch: c.Home, Material: c.Material}
	if c.Added > calendar.DateOf(at) {
		out.State = Away
		return out
	}
	for _, l := range p.Loans {
		if l.Item == c.ID && during(l.Lent, l.Returned, at) {
			out.State, out.Branch, out.Due = Lent, l.Branch, l.Due
			if l.Renewed != nil && l.Renewed.After(at) {
				out.Due = l.DueBeforeRenewal
			}
			return out
		}
	}
	for _, t := range p.Transits {
		if t.Item == c.ID && t.Hold == 0 && t.Promise != nil && during(t.Sent, t.Ended, at) {
			out.State, out.Branch, out.Promise = Comes, t.To, *t.Promise
			return out
		}
	}
	return out
}

// givenAt is the item that was meant for a hold at a moment: ready already, in transit with its promise, or to be fetched.
func (p *TitlePast) givenAt(h *PastHold, at time.Time) (item int64, ready bool, promise time.Time) {
	if h.Ready != nil && !h.Ready.After(at) {
		return h.Item, true, time.Time{}
	}
	for _, t := range p.Transits {
		if t.Hold == h.ID && t.Promise != nil && during(t.Sent, t.Ended, at) {
			return t.Item, false, *t.Promise
		}
	}
	for _, c := range p.Choices {
		if c.Hold == h.ID && !c.At.After(at) {
			item = c.Item
			if c.Missed {
				item = 0
			}
		}
	}
	return item, false, time.Time{}
}
