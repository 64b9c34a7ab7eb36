package couriers

import (
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/tote"
	"nevrin/core/transit"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// Stray is something that was sent and has missed its promise.
type Stray struct {
	TransitID int64      `json:"transit_id"`
	ItemID    int64      `json:"item_id"`
	Barcode   string     `json:"barcode"`
	Title     string     `json:"title"`
	From      string     `json:"from"`
	To        string     `json:"to"`
	Hold      bool       `json:"hold" doc:"Somebody waits for it there"`
	SentAt    time.Time  `json:"sent_at"`
	Promised  *time.Time `json:"promised_at,omitempty"`
	Late      int        `json:"late" doc:"Open days of where it goes since its promise"`
	Here      string     `json:"here" enum:"from,to,neither" doc:"Which end of it this branch is"`
	AtFrom    Check      `json:"at_from" doc:"What was looked for where it came from"`
	AtTo      Check      `json:"at_to" doc:"And where it goes"`
	Next      string     `json:"next" doc:"What happens next, and when"`
	Asked     bool       `json:"asked" doc:"Both ends are asked to look"`
	ToteID    int64      `json:"tote_id,omitempty" doc:"In which it was sent"`
	Tote      string     `json:"tote,omitempty" doc:"The number of that"`
}

// Check is the result of a search at one end.
type Check struct {
	Looked bool       `json:"looked"`
	At     *time.Time `json:"at,omitempty"`
	Who    string     `json:"who,omitempty"`
}

// Strays gives a page of what has missed its promise, from or to a branch or anywhere, the latest first.
func Strays(a *act.Act, branch calendar.Code, page store.Page) ([]Stray, store.Page, error) {
	rows, next, err := transitsdb.Strays(a.Tx, branch, a.Now, page)
	out := []Stray{}
	h := a.Network.Settled.Holds
	for k := range rows {
		r := &rows[k]
		s := Stray{
			TransitID: r.ID, ItemID: r.ItemID, Barcode: r.Barcode, Title: r.TitleName,
			From: a.Network.BranchName(r.FromBranch), To: a.Network.BranchName(r.ToBranch), Here: "neither",
			Hold: r.HoldID != nil, SentAt: r.SentAt, Promised: r.PromisedAt,
			AtFrom: checked(r.FromLook, r.FromWho), AtTo: checked(r.ToLook, r.ToWho),
		}
		if r.ToteID != nil {
			s.ToteID, s.Tote = *r.ToteID, tote.Number(*r.ToteID)
		}
		switch a.Who.Branch {
		case r.FromBranch:
			s.Here = "from"
		case r.ToBranch:
			s.Here = "to"
		}
		s.Late = late(a, r.ToBranch, r.PromisedAt)
		stage := transit.Of(s.Late, h.Remind, h.Missing)
		s.Asked, s.Next = stage >= transit.Asked, sayNext(a, r.ToBranch, s.Late, stage, s.Hold)
		out = append(out, s)
	}
	return out, next, err
}

func checked(at *time.Time, who *string) Check {
	c := Check{Looked: at != nil, At: at}
	if who != nil {
		c.Who = *who
	}
	return c
}

// late is how many open days of a branch have ended since a promise.
func late(a *act.Act, branch calendar.Code, promised *time.Time) int {
	if promised == nil {
		return 0
	}
	b := a.Network.Timetable.Branches[branch]
	return transit.Late(b.Branch, *promised, a.Now)
}

// sayNext says what happens next to a stray, and on which day.
func sayNext(a *act.Act, branch calendar.Code, days int, stage transit.Stage, hold bool) string {
	h := a.Network.Settled.Holds
	b := a.Network.Timetable.Branches[branch]
	on := func(after int) string {
		d := b.Date(a.Now)
		for range after {
			next, ok := b.NextOpenDay(d)
			if !ok {
				return ""
			}
			d = next
		}
		return a.Style().Day(d)
	}
	switch {
	case stage == transit.JustLate:
		return "Both branches search from " + on(h.Remind-days) + " on"
	case hold:
		return "Marked missing on " + on(h.Missing-days) + "; the waiting patron then gets another copy"
	}
	return "Marked missing on " + on(h.Missing-days)
}

// Looked reports the result of a search at one end.
type Looked struct {
	Place string `json:"place" minLength:"1" maxLength:"200" doc:"Where it was looked for, such as the sort room"`
}

// Look writes down that somebody has searched for a stray where they are. What is found is scanned, which says where it goes.
func Look(a *act.Act, id int64, l Looked) error {
	r, err := transitsdb.TransitByID(a.Tx, id)
	switch {
	case err != nil:
		return err
	case r == nil || r.EndedAt != nil:
		return problem.Newf(problem.Refused, "It has arrived meanwhile, or is no longer in transit.")
	case !a.Who.MayActOn(r.FromBranch) && !a.Who.MayActOn(r.ToBranch):
		return problem.Newf(problem.Forbidden, "It was sent from %s to %s. Search there.",
			a.Network.BranchName(r.FromBranch), a.Network.BranchName(r.ToBranch))
	}
	stockdb.AddLook(a.Tx, r.ItemID, a.Who.ID, a.Who.Branch, l.Place, false, a.Now)
	a.Tell(event.Event{Kind: event.Looked, Item: r.ItemID, Detail: event.Detail{Is: l.Place}})
	a.Touch(event.Holds)
	return nil
}

// Follow does by night what is due for what has not arrived: both ends are asked to look, and after longer it counts as missing
// and whoever waits for it gets another copy. It works part by part.
func Follow(a *act.Act, _ calendar.Date, done int64) (int64, bool, error) {
	const part = 200
	rows, err := transitsdb.LateTransits(a.Tx, a.Now, done, part)
	if err != nil || len(rows) == 0 {
		return done, true, err
	}
	h := a.Network.Settled.Holds
	var over []transitsdb.LateTransit
	for _, r := range rows {
		switch transit.Of(late(a, r.ToBranch, r.PromisedAt), h.Remind, h.Missing) {
		case transit.Asked:
			if r.RemindedAt == nil {
				transitsdb.Remind(a.Tx, r.ID, a.Now)
				a.Tell(event.Event{Kind: event.StrayAsked, Item: r.ItemID, Detail: event.Detail{Branch: r.ToBranch}})
			}
		case transit.Gone:
			over = append(over, r)
		}
	}
	return rows[len(rows)-1].ID, len(rows) < part, lose(a, over)
}

// lose lets what has not arrived for too long count as missing.
func lose(a *act.Act, over []transitsdb.LateTransit) error {
	if len(over) == 0 {
		return nil
	}
	lock := store.Lock{}
	for _, r := range over {
		lock.Titles = append(lock.Titles, r.TitleID)
		if r.PatronID != 0 {
			lock.Patrons = append(lock.Patrons, r.PatronID)
		}
	}
	if err := a.Tx.Lock(lock); err != nil {
		return err
	}
	for _, r := range over {
		facts, err := deskdb.ItemFactsByID(a.Tx, r.ItemID)
		if err != nil {
			return err
		}
		if facts == nil || facts.Transit == nil || facts.Transit.ID != r.ID {
			continue // it has come meanwhile
		}
		if err := moving.GiveUp(a, facts); err != nil {
			return err
		}
	}
	return nil
}
