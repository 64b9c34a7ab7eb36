// Package totes is what is done with the boxes in which things go from branch to branch: filled, closed, taken by the
// courier, seen on the way, unpacked where they go, declared lost.
//
// A branch fills one tote for each other branch at a time; what is sent there goes into it by itself, wherever at the
// branch it is scanned. Each step is kept with how the tote was before, and the last one can be undone.
package totes

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/tote"
	"nevrin/store"
	"nevrin/store/transitsdb"
)

// Tote is a tote as it is listed.
type Tote struct {
	ID       int64         `json:"id"`
	Number   string        `json:"number" doc:"As it stands on its label"`
	State    tote.State    `json:"state" enum:"open,closed,away,here,empty,lost"`
	From     string        `json:"from"`
	To       string        `json:"to"`
	FromCode calendar.Code `json:"from_branch"`
	ToCode   calendar.Code `json:"to_branch"`
	At       string        `json:"at" doc:"Where it was seen last"`
	AtCode   calendar.Code `json:"at_branch"`
	SeenAt   time.Time     `json:"seen_at"`
	Opened   time.Time     `json:"opened_at"`
	Left     *time.Time    `json:"left_at,omitempty"`
	Ended    *time.Time    `json:"ended_at,omitempty"`
	Things   int           `json:"things" doc:"That went into it"`
	Inside   int           `json:"inside" doc:"Of those, that have not come out"`
	Holds    int           `json:"holds" doc:"Of those, for which somebody waits"`
	Run      string        `json:"run" doc:"By which it goes, or went; empty: by none that is known"`
	Leaves   *time.Time    `json:"leaves,omitempty" doc:"When that run leaves where it is"`
	OnShelf  *time.Time    `json:"on_shelf,omitempty" doc:"When what is in it is to be on its shelf"`
	Late     bool          `json:"late" doc:"It was to be there by now"`
	Stranded bool          `json:"stranded" doc:"The run that took it does not go any more: somebody has to say where it is"`
}

// Loose are things sent to a branch that are in no tote and have not left yet.
type Loose struct {
	To     string        `json:"to"`
	ToCode calendar.Code `json:"to_branch"`
	Things int           `json:"things"`
}

// AtBranch are the totes at a branch and on their way to it.
type AtBranch struct {
	Totes []Tote  `json:"totes" doc:"That come from it, go to it, or are there on their way"`
	Loose []Loose `json:"loose"`
	To    []Place `json:"to" doc:"Branches for which one can be opened: the courier goes there"`
}

// Place is a branch by name.
type Place struct {
	Code calendar.Code `json:"code"`
	Name string        `json:"name"`
}

// Here gives what the actor's branch has to do with totes.
func Here(a *act.Act) (*AtBranch, error) {
	here := a.Who.Branch
	rows, err := transitsdb.Totes(a.Tx, here)
	if err != nil {
		return nil, err
	}
	loose, err := waiting(a)
	if err != nil {
		return nil, err
	}
	out := &AtBranch{Totes: []Tote{}, Loose: []Loose{}, To: []Place{}}
	filling := map[calendar.Code]bool{}
	for k := range rows {
		out.Totes = append(out.Totes, show(a, &rows[k]))
		if rows[k].State == tote.Open && rows[k].FromBranch == here {
			filling[rows[k].ToBranch] = true
		}
	}
	for _, l := range loose {
		if n := len(out.Loose); n == 0 || out.Loose[n-1].ToCode != l.ToBranch {
			out.Loose = append(out.Loose, Loose{a.Network.BranchName(l.ToBranch), l.ToBranch, 0})
		}
		out.Loose[len(out.Loose)-1].Things++
	}
	ways := a.Network.Ahead(calendar.DateOf(a.Now)).Courier
	for _, b := range a.Network.Open() {
		if b.Code != here && !filling[b.Code] && ways.Deadline(here, b.Code, a.Now) != nil {
			out.To = append(out.To, Place{b.Code, b.Name})
		}
	}
	return out, nil
}

// waiting is what was sent from the actor's branch, is in no tote, and has not left yet: what it makes leaves later than now.
func waiting(a *act.Act) ([]transitsdb.Loose, error) {
	rows, err := transitsdb.LooseAt(a.Tx, a.Who.Branch, a.Now)
	table, ways := a.Network.Timetable, a.Network.Ahead(calendar.DateOf(a.Now)).Courier
	return slices.DeleteFunc(rows, func(l transitsdb.Loose) bool {
		if ways.Covers(l.SentAt) {
			d := ways.Deadline(a.Who.Branch, l.ToBranch, l.SentAt)
			return d != nil && d.Leaves.Before(a.Now)
		}
		j := table.Ask(a.Who.Branch, l.ToBranch, l.SentAt)
		return j != nil && len(j.Legs) > 0 && j.Legs[0].Depart.Before(a.Now)
	}), err
}

// Past gives a page of the totes of the actor's branch that have ended.
func Past(a *act.Act, page store.Page) ([]Tote, store.Page, error) {
	rows, next, err := transitsdb.PastTotes(a.Tx, a.Who.Branch, page)
	out := []Tote{}
	for k := range rows {
		out = append(out, show(a, &rows[k]))
	}
	return out, next, err
}

func show(a *act.Act, b *transitsdb.ToteShown) Tote {
	t := Tote{
		ID: b.ID, Number: tote.Number(b.ID), State: b.State, FromCode: b.FromBranch, ToCode: b.ToBranch,
		From: a.Network.BranchName(b.FromBranch), To: a.Network.BranchName(b.ToBranch),
		At:     a.Network.BranchName(b.AtBranch),
		AtCode: b.AtBranch, SeenAt: b.SeenAt, Opened: b.OpenedAt, Left: b.LeftAt, Ended: b.EndedAt, Things: b.Things,
		Inside: b.Inside, Holds: b.Holds, OnShelf: b.Promised,
	}
	switch b.State {
	case tote.Open, tote.Closed:
		if d := a.Network.Ahead(calendar.DateOf(a.Now)).Courier.Deadline(b.FromBranch, b.ToBranch, a.Now); d != nil {
			t.Run, t.Leaves = a.Network.Timetable.RunName(d.Run), &d.Leaves
			t.OnShelf = cmp.Or(d.OnShelf, t.OnShelf)
		}
	case tote.Away:
		t.Late = b.Promised != nil && b.Promised.Before(a.Now)
		if b.RunID != nil {
			t.Run = a.Network.Timetable.RunName(*b.RunID)
			t.Stranded = !a.Network.Timetable.Goes(*b.RunID, *store.DateOf(b.RunDate))
		}
	}
	return t
}

// Detail is a tote with what is in it and what was done with it.
type Detail struct {
	Tote
	In    []Thing `json:"in"`
	Steps []Step  `json:"steps"`
	Back  int64   `json:"back,omitempty" doc:"Which step can be undone here; none: no step"`
}

// Thing is something that went into a tote.
type Thing struct {
	TransitID int64      `json:"transit_id"`
	ItemID    int64      `json:"item_id"`
	Title     string     `json:"title"`
	Barcode   string     `json:"barcode"`
	Call      string     `json:"call_number"`
	Hold      bool       `json:"hold" doc:"Somebody waits for it"`
	Out       *time.Time `json:"out,omitempty" doc:"When it came out"`
}

// Step is something that was done with a tote.
type Step struct {
	ID     int64     `json:"id"`
	Step   tote.Step `json:"step" enum:"begin,close,leave,pass,come,unpack,finish,lose"`
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Where  string    `json:"where"`
	Undone bool      `json:"undone" doc:"It was undone"`
}

// Of gives a tote with what is in it.
func Of(a *act.Act, id int64) (*Detail, error) {
	b, err := transitsdb.ToteByID(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case b == nil:
		return nil, problem.NoSuch("tote")
	}
	in, err := transitsdb.ItemsInTote(a.Tx, id)
	if err != nil {
		return nil, err
	}
	steps, err := transitsdb.ToteSteps(a.Tx, id)
	if err != nil {
		return nil, err
	}
	d := &Detail{Tote: show(a, b), In: []Thing{}, Steps: []Step{}}
	for _, r := range in {
		d.In = append(d.In, Thing{r.TransitID, r.ItemID, r.Title, r.Barcode, r.CallNumber, r.Hold, r.EndedAt})
	}
	for _, s := range steps {
		who := ""
		if s.Who != nil {
			who = *s.Who
		}
		d.Steps = append(d.Steps, Step{s.ID, s.Step, s.At, who, a.Network.BranchName(s.BranchCode), s.Undone})
	}
	if last := lastStep(steps); last != nil && a.Who.MayActOn(last.BranchCode) && mayBack(last, b) {
		d.Back = last.ID
	}
	return d, nil
}

// held locks a tote on which the actor may act where it is: at one of some branches.
func held(a *act.Act, id int64, at func(*transitsdb.Tote) []calendar.Code) (*transitsdb.Tote, error) {
	b, err := transitsdb.LockTote(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case b == nil:
		return nil, problem.NoSuch("tote")
	}
	var names []string
	for _, code := range at(b) {
		if a.Who.MayActOn(code) {
			return b, nil
		}
		names = append(names, a.Network.BranchName(code))
	}
	return nil, problem.Newf(problem.Forbidden, "This is done at %s.", strings.Join(names, " or "))
}

func whereFilled(b *transitsdb.Tote) []calendar.Code { return []calendar.Code{b.FromBranch} }
func whereGoing(b *transitsdb.Tote) []calendar.Code  { return []calendar.Code{b.ToBranch} }
func bothEnds(b *transitsdb.Tote) []calendar.Code    { return []calendar.Code{b.FromBranch, b.ToBranch} }

// step does a step with a tote that is locked, and keeps how it was before.
func step(a *act.Act, b *transitsdb.Tote, s tote.Step, did *did) error {
	next, err := tote.Next(b.State, s)
	if err != nil {
		return cannot(err)
	}
	was := store.JSON(b)
	b.State = next
	switch s {
	case tote.Close:
		b.ClosedAt = &a.Now
	case tote.Leave:
		b.LeftAt = &a.Now
		onwards(a, b, b.FromBranch)
	case tote.Pass:
		b.AtBranch, b.EndedAt = a.Who.Branch, nil
		onwards(a, b, b.AtBranch)
	case tote.Come:
		b.AtBranch, b.EndedAt, b.RunID, b.RunDate = a.Who.Branch, nil, nil, nil
	}
	if next == tote.Empty || next == tote.Lost {
		b.EndedAt = &a.Now
	}
	if s != tote.Lose { // that is done since nobody sees it
		b.SeenAt = a.Now
	}
	transitsdb.KeepTote(a.Tx, b)
	return note(a, b, s, was, did)
}

// cannot says why a step cannot be, as a sentence.
func cannot(err error) error {
	says := err.Error()
	return problem.Newf(problem.Refused, "%s%s.", strings.ToUpper(says[:1]), says[1:])
}

func note(a *act.Act, b *transitsdb.Tote, s tote.Step, was []byte, did *did) error {
	a.Touch(event.Holds)
	return transitsdb.AddToteStep(a.Tx, &transitsdb.ToteStep{
		ToteID: b.ID, Step: s, At: a.Now, StaffID: act.OrNil(a.Who.ID), BranchCode: a.Who.Branch, Was: was,
		Did: store.JSON(did),
	})
}
