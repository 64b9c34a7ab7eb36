// Package merging makes one record of two that are one person, and two of one again.
//
// What was of the record that goes is of the one that stays since: loans, holds, money, notes, what they were told, what
// happened. The record that goes stays behind empty-handed: its card leads to the other. All that was moved is kept by its id, so
// that just that goes back, with what has come of it meanwhile.
package merging

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/holds"
	"nevrin/app/moving"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/queue"
	"nevrin/store/holdsdb"
	"nevrin/store/keepingdb"
	"nevrin/store/mergingdb"
	"nevrin/store/peopledb"
)

// Looked is the preview of a merge, or what stands in its way.
type Looked struct {
	Kept    people.Found   `json:"kept"`
	Gone    people.Found   `json:"gone"`
	Stands  string         `json:"stands" doc:"What stands in the way, in a sentence; empty: nothing"`
	Alike   string         `json:"alike" doc:"What is alike, in words; empty: nothing"`
	Follows []string       `json:"follows" doc:"What follows from the one to the other, in words"`
	Fills   []person.Field `json:"fills" doc:"Fields that the other fills"`
	Differ  []person.Field `json:"differ" doc:"Fields in which both say something, and not the same; those of the one that stays count"`
	Ends    []string       `json:"ends" doc:"Holds that end, since both have one on the same title"`
}

// pair gives two records locked, one of which is to go.
func pair(a *act.Act, kept, gone int64) (*mergingdb.MergeFacts, error) {
	if kept == gone {
		return nil, problem.Newf(problem.Invalid, "These are the same record. Choose another to merge with it.")
	}
	f, err := mergingdb.FactsToMerge(a.Tx, gone, kept)
	if err != nil {
		return nil, err
	}
	for _, p := range []*peopledb.Patron{f.Kept, f.Gone} {
		switch {
		case p == nil || p.ForgottenAt != nil:
			return nil, problem.NoSuch("patron")
		case p.MergedInto != nil && (f.Merge == nil || f.Merge.KeptID != kept):
			return nil, problem.Newf(problem.Refused, "One of these is already merged into another record. Choose that one.")
		}
	}
	return f, nil
}

// stands tells what stands in the way of a merge; empty: nothing.
func stands(a *act.Act, f *mergingdb.MergeFacts) (string, error) {
	if f.Merge != nil {
		return "These have been merged already.", nil
	}
	before, err := mergingdb.MergedInto(a.Tx, f.Gone.ID)
	if err != nil || len(before) > 0 {
		return "Another record was merged into the one you want to merge. Keep that one, or undo its merge first.", err
	}
	side := func(p *peopledb.Patron) person.Side {
		return person.Side{
			Name: p.Name(), Institution: p.Institution, Partner: f.Partners[p.ID], Standing: p.Standing,
			Stopped: p.Stopped, Asks: f.Asks[p.ID],
		}
	}
	return person.MayMerge(side(f.Gone), side(f.Kept)), nil
}

// volume is the volume that a hold is for; empty for any.
func volume(h *holdsdb.Hold) string {
	if h.OnlyVolume == nil {
		return ""
	}
	return *h.OnlyVolume
}

// ending are the holds that end in a merge: of two on one title, or one volume of it, the one that has not come as far.
func ending(f *mergingdb.MergeFacts) []holdsdb.Hold {
	var out []holdsdb.Hold
	for k, h := range f.Holds {
		for _, o := range f.Holds[k+1:] {
			if o.TitleID != h.TitleID || volume(&o) != volume(&h) {
				continue
			}
			if queue.Stays(queue.Claim{State: h.State, Place: h.Place}, queue.Claim{State: o.State, Place: o.Place}) {
				out = append(out, o)
			} else {
				out = append(out, h)
			}
		}
	}
	return out
}

// Look tells what a merge would do.
func Look(a *act.Act, kept, gone int64) (*Looked, error) {
	for _, id := range []int64{kept, gone} {
		people.Seen(a, people.Opened, id, "")
	}
	f, err := pair(a, kept, gone)
	if err != nil {
		return nil, err
	}
	l := &Looked{Kept: people.Show(a, f.Kept), Gone: people.Show(a, f.Gone), Follows: []string{}, Ends: []string{}}
	if l.Stands, err = stands(a, f); err != nil {
		return nil, err
	}
	stays, goes := records(f)
	_, l.Alike = person.Compare(who(&stays), who(&goes))
	l.Differ = named(stays.Differ(&goes))
	l.Fills = named(stays.Fill(&goes))
	open, err := keepingdb.WhatIsOpen(a.Tx, gone)
	if err != nil {
		return nil, err
	}
	for _, o := range []struct {
		number int
		what   string
	}{{open.Loans, "loan"}, {open.Holds, "hold"}, {open.Requests, "request outside"}} {
		if o.number > 0 {
			l.Follows = append(l.Follows, calendar.Count(o.number, o.what))
		}
	}
	if f.Gone.Balance != 0 {
		l.Follows = append(l.Follows, a.Network.Money.Say(f.Gone.Balance)+" owed")
	}
	for _, h := range ending(f) {
		title, err := holdsdb.OneHold(a.Tx, h.ID)
		if err != nil {
			return nil, err
		}
		l.Ends = append(l.Ends, title.TitleName)
	}
	return l, nil
}

// records are the two records. Where the one that goes has the other as its guardian, it has none: nobody is their own.
func records(f *mergingdb.MergeFacts) (stays, goes person.Record) {
	stays, goes = people.RecordOf(f.Kept), people.RecordOf(f.Gone)
	if goes.Guardian == f.Kept.ID {
		goes.Guardian = 0
	}
	return stays, goes
}

func who(r *person.Record) person.Who {
	return person.Who{Name: r.LegalName, Born: r.Born, Email: r.Email, Phone: r.Phone, Address: r.Address}
}

func named(fields []person.Field) []person.Field {
	if fields == nil {
		return []person.Field{}
	}
	return fields
}

// Merge makes one record of two. It is for who supervises, and can be undone.
func Merge(a *act.Act, kept, gone int64) (*people.Written, error) {
	f, err := pair(a, kept, gone)
	if err != nil {
		return nil, err
	}
	says, err := stands(a, f)
	if err != nil {
		return nil, err
	}
	if says != "" {
		return nil, problem.New(problem.Refused, says)
	}
	did := &mergingdb.Merged{}
	for _, h := range ending(f) {
		if err := holds.End(a, &h, "both records had one"); err != nil {
			return nil, err
		}
		did.Ended = append(did.Ended, h.ID)
	}
	stays, goes := records(f)
	for _, field := range stays.Fill(&goes) {
		did.Filled = append(did.Filled, string(field))
	}
	did.Answers = takeAnswers(f.Kept, f.Gone)
	if err := mergingdb.MergePatrons(a.Tx, gone, kept, a.Who.ID, a.Now, did); err != nil {
		return nil, err
	}
	people.Put(f.Kept, stays)
	peopledb.PutPatron(a.Tx, f.Kept)
	mergingdb.KeepAnswers(a.Tx, f.Kept)
	a.Tell(event.Event{Kind: event.Merged, Patron: kept})
	return people.Record(a, kept)
}

// takeAnswers takes over the answers that the one who stays has never been asked for, and names them.
func takeAnswers(kept, gone *peopledb.Patron) (taken []string) {
	if kept.OlderReader == nil && gone.OlderReader != nil {
		kept.OlderReader, taken = gone.OlderReader, append(taken, string(person.OlderReader))
	}
	if kept.Photo == nil && gone.Photo != nil {
		kept.Photo, taken = gone.Photo, append(taken, string(person.Photo))
	}
	if kept.Internet == "" && gone.Internet != "" {
		kept.Internet, taken = gone.Internet, append(taken, string(person.Internet))
	}
	return taken
}

// untakeAnswers takes out again what was taken over and has not been answered since.
func untakeAnswers(kept, gone *peopledb.Patron, taken []string) {
	same := func(a, b *bool) bool { return a != nil && b != nil && *a == *b }
	if slices.Contains(taken, string(person.OlderReader)) && same(kept.OlderReader, gone.OlderReader) {
		kept.OlderReader = nil
	}
	if slices.Contains(taken, string(person.Photo)) && same(kept.Photo, gone.Photo) {
		kept.Photo = nil
	}
	if slices.Contains(taken, string(person.Internet)) && kept.Internet == gone.Internet {
		kept.Internet = ""
	}
}

// Undo makes two records of one again: what was moved goes back, with what has come of it since. A hold that ended since both
// had one waits again in its old place.
func Undo(a *act.Act, kept, gone int64) (*people.Written, error) {
	f, err := pair(a, kept, gone)
	if err != nil {
		return nil, err
	}
	if f.Merge == nil || f.Merge.KeptID != kept {
		return nil, problem.Newf(problem.Refused, "These records are not merged.")
	}
	var did mergingdb.Merged
	if err := json.Unmarshal(f.Merge.Did, &did); err != nil {
		return nil, fmt.Errorf("what a merge did: %w", err)
	}
	stays, goes := records(f)
	var filled []person.Field
	for _, field := range did.Filled {
		filled = append(filled, person.Field(field))
	}
	stays.Unfill(&goes, filled)
	if wrong := person.ReadWays(f.Kept.Notices).Unreached(&stays); len(wrong) > 0 {
		return nil, problem.Newf(problem.Refused, "The %s came from the other record. %s", wrong[0].Field, wrong[0].Says)
	}
	people.Put(f.Kept, stays)
	if err := mergingdb.Unmerge(a.Tx, f.Merge, &did, a.Now); err != nil {
		return nil, err
	}
	peopledb.PutPatron(a.Tx, f.Kept)
	untakeAnswers(f.Kept, f.Gone, did.Answers)
	mergingdb.KeepAnswers(a.Tx, f.Kept)
	for _, id := range did.Ended {
		if err := revive(a, id); err != nil {
			return nil, err
		}
	}
	a.Tell(event.Event{Kind: event.Unmerged, Patron: kept})
	a.Tell(event.Event{Kind: event.Unmerged, Patron: gone})
	return people.Record(a, kept)
}

// revive lets a hold wait again that a merge ended, unless its patron has placed another since.
func revive(a *act.Act, id int64) error {
	h, another, err := holdsdb.FilledHold(a.Tx, id)
	if err != nil || h.PatronID == 0 || another || h.State != queue.Cancelled {
		return err
	}
	if err := holdsdb.MoveHold(a.Tx, h, queue.Revive, a.Now); err != nil {
		return err
	}
	a.Tell(event.Event{Kind: event.HoldRevived, Patron: h.PatronID, Hold: id})
	_, err = moving.Route(a, h.TitleID, 0)
	return err
}

// Part is a record that has been merged into another.
type Part struct {
	ID   int64     `json:"id"`
	Card string    `json:"card"`
	Name string    `json:"name"`
	At   time.Time `json:"at"`
	Who  string    `json:"who"`
}

// Parts gives the records that have been merged into one, newest first.
func Parts(a *act.Act, kept int64) ([]Part, error) {
	if err := people.InHand(a, kept); err != nil {
		return nil, err
	}
	rows, err := mergingdb.MergedInto(a.Tx, kept)
	out := []Part{}
	for _, r := range rows {
		p := Part{ID: r.GoneID, Card: r.Card, Name: strings.TrimSpace(r.LegalName), At: r.At, Who: "Nevrin"}
		if r.Who != nil {
			p.Who = *r.Who
		}
		out = append(out, p)
	}
	return out, err
}
