// Package keeping keeps what concerns persons for as long as has been settled, and no longer: the night cuts off whose it
// was; a patron takes all that is kept of them away as a file, chooses for how long their history is kept, and can be
// forgotten. What happened stays, and the books.
package keeping

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/keepingdb"
	"nevrin/store/mergingdb"
	"nevrin/store/peopledb"
)

// part is how many rows one act of a step deals with.
const part = 2000

// before is the instant so many months before a day, by the network's zone.
func before(a *act.Act, day calendar.Date, months int) time.Time {
	return calendar.Local(calendar.DateOf(day.UTC().AddDate(0, -months, 0)), 0, a.Network.Location)
}

// CutHistory cuts loans that ended off their patrons. Each night begins where the one before it has ended, after what patrons have
// chosen since; on Sundays all is looked at anew.
func CutHistory(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	now, months := before(a, day, 0), a.Network.Settled.Keep.History
	if done == 0 {
		if day.Weekday() == time.Sunday {
			keepingdb.HistoryAnew(a.Tx)
		}
		cut, err := keepingdb.CutChanged(a.Tx, now, months)
		tell(a, "history", cut)
		return 1, false, err
	}
	stretch, err := keepingdb.NextHistory(a.Tx, now, months)
	if err != nil || stretch == nil {
		return done, true, err
	}
	cut, err := keepingdb.CutHistory(a.Tx, stretch, part)
	tell(a, "history", cut)
	return done + 1, false, err
}

// CutHolds cuts holds and requests that ended off their patrons.
func CutHolds(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	n, err := keepingdb.CutHolds(a.Tx, before(a, day, a.Network.Settled.Keep.Holds), part)
	tell(a, "holds", n)
	return done + n, n == 0, err
}

// DropMessages deletes what patrons were told long ago.
func DropMessages(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	n, err := keepingdb.DropMessages(a.Tx, before(a, day, a.Network.Settled.Keep.Messages), part)
	tell(a, "messages", n)
	return done + n, n == 0, err
}

// DropReadings deletes who opened whose record long ago.
func DropReadings(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	n, err := keepingdb.DropReadings(a.Tx, before(a, day, a.Network.Settled.Keep.Readings), part)
	tell(a, "readings", n)
	return done + n, n == 0, err
}

// tell keeps how much of what was cut off.
func tell(a *act.Act, what string, number int64) {
	if number > 0 {
		a.Tell(event.Event{Kind: event.CutOff, Detail: event.Detail{About: what, Count: int(number)}})
	}
}

// Choice is a patron's choice about their lending history.
type Choice struct {
	Months *int  `json:"months" minimum:"0" maximum:"1200" doc:"For how long it is kept after a return; 0: not at all; null: as the network has settled"`
	Seen   bool  `json:"seen" doc:"Staff may see it"`
	Ask    *bool `json:"ask" doc:"Lending asks first where they have had a title before; null: as the network has settled"`
}

// Choose writes what a patron has chosen of their history.
func Choose(a *act.Act, patron int64, c Choice) (*people.Card, error) {
	p, err := people.Locked(a, patron)
	if err != nil {
		return nil, err
	}
	if says := a.Network.Settled.NoHistory(c.Months); says != "" && c.Ask != nil && *c.Ask {
		return nil, problem.Newf(problem.Invalid, "Asking where they have had a title before: %s", says)
	}
	keepingdb.KeepHistoryChoice(a.Tx, patron, c.Months, c.Seen, c.Ask)
	a.Tell(event.Event{
		Kind: event.HistoryChosen, Patron: patron,
		Detail: event.Detail{Was: sayChoice(p.HistoryMonths, p.HistorySeen), Is: sayChoice(c.Months, c.Seen)},
	})
	return people.Open(a, patron)
}

func sayChoice(months *int, seen bool) string {
	text := "as usual"
	if months != nil {
		text = calendar.Count(*months, "month")
	}
	if seen {
		return text + ", shared with staff"
	}
	return text + ", not shared with staff"
}

// All is everything that is kept of a patron, as a JSON file to take away.
func All(a *act.Act, patron int64) ([]byte, error) {
	p, err := peopledb.PatronByID(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	if p == nil || p.ForgottenAt != nil {
		return nil, problem.NoSuch("patron")
	}
	people.Seen(a, people.TakenOut, patron, "")
	parts, err := keepingdb.AllOf(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	out := map[string]any{"network": a.Network.Name, "written_at": a.Now, "currency": a.Network.Currency}
	for name, rows := range parts {
		out[name] = rows
	}
	return json.MarshalIndent(out, "", "  ")
}

// Forgetting is what stands in the way of forgetting a patron, or what has been forgotten.
type Forgetting struct {
	Name string   `json:"name"`
	Open []string `json:"open" doc:"What is open and has to be ended first, in words; none: nothing stands in the way"`
	Says string   `json:"says" doc:"What was cut off, in a sentence"`
}

// Look tells what stands in the way of forgetting a patron, and keeps that the record was opened.
func Look(a *act.Act, patron int64) (*Forgetting, error) {
	people.Seen(a, people.Opened, patron, "")
	p, err := peopledb.PatronByID(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	return look(a, p)
}

func look(a *act.Act, p *peopledb.Patron) (*Forgetting, error) {
	if p == nil || p.ForgottenAt != nil || p.MergedInto != nil {
		return nil, problem.NoSuch("patron")
	}
	open, err := keepingdb.WhatIsOpen(a.Tx, p.ID)
	if err != nil {
		return nil, err
	}
	f := &Forgetting{Name: p.LegalName, Open: []string{}}
	for _, o := range []struct {
		number int
		what   string
	}{
		{open.Loans, "loan"}, {open.Holds, "hold"}, {open.Requests, "request outside"},
		{open.Unsent, "message in transit"}, {open.Outside, "partner library that borrows on this account"},
	} {
		if o.number > 0 {
			f.Open = append(f.Open, calendar.Count(o.number, o.what))
		}
	}
	if open.Balance != 0 {
		f.Open = append(f.Open, a.Network.Money.Say(open.Balance)+" owed")
	}
	if open.Refunds != 0 {
		f.Open = append(f.Open, a.Network.Money.Say(open.Refunds)+" to be given back")
	}
	return f, nil
}

// Forget forgets a patron permanently: what happened and the books stay, nothing tells any more whose it was.
func Forget(a *act.Act, patron int64) (*Forgetting, error) {
	// Records that were merged into this one are of the same person, and go first.
	parts, err := mergingdb.MergedInto(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	lock := store.Lock{Patrons: []int64{patron}}
	for _, part := range parts {
		lock.Patrons = append(lock.Patrons, part.GoneID)
	}
	if err := a.Tx.Lock(lock); err != nil {
		return nil, err
	}
	p, err := peopledb.PatronByID(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	f, err := look(a, p)
	if err != nil {
		return nil, err
	}
	if len(f.Open) > 0 {
		return nil, problem.Newf(
			problem.Refused,
			"The data of %s cannot be deleted yet: %s. Settle this first.",
			f.Name,
			strings.Join(f.Open, ", "),
		)
	}
	for _, part := range parts {
		if _, err := keepingdb.Forget(a.Tx, part.GoneID, a.Now); err != nil {
			return nil, err
		}
	}
	cut, err := keepingdb.Forget(a.Tx, patron, a.Now)
	if err != nil {
		return nil, err
	}
	f.Name = ""
	f.Says = fmt.Sprintf("Deleted: %s, %s, %s and %s no longer name the patron; %s deleted.",
		calendar.Count(int(cut.Loans), "loan"), calendar.Count(int(cut.Holds), "hold"),
		calendar.Count(int(cut.Requests), "request"), calendar.Count(int(cut.Events), "event"),
		calendar.Count(int(cut.Messages), "message"))
	a.Tell(event.Event{Kind: event.Forgotten, Detail: event.Detail{Says: f.Says}})
	return f, nil
}
