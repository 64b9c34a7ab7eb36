package sweeps

import (
	"encoding/json"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/rulebook"
	"nevrin/core/sweep"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/sweepsdb"
)

// Applied is a change that was applied.
type Applied struct {
	ID      int64         `json:"id"`
	Kind    sweepsdb.Kind `json:"kind" enum:"due,renewals,charges,cards,classes,pickups"`
	At      time.Time     `json:"at"`
	Who     string        `json:"who"`
	Text    string        `json:"text" doc:"What was changed"`
	Reason  string        `json:"reason"`
	Lines   int           `json:"lines" doc:"Records"`
	Waiting int           `json:"waiting" doc:"Not done yet"`
	Done    int           `json:"done" doc:"Done, and not undone"`
	Kept    int           `json:"kept" doc:"Not changed, for a reason"`
	Undone  int           `json:"undone"`
	Stays   int           `json:"stays" doc:"Not undone, for a reason"`
	State   string        `json:"state" enum:"working,stopped,done,undoing,undone"`
}

// Lines gives a page of the records that a change would concern, those left out included. Whether a loan can be renewed is decided for each.
func Lines(a *act.Act, c Change, page store.Page) ([]Record, store.Page, error) {
	which, becoming, _, err := c.settle(a)
	if err != nil {
		return nil, page, err
	}
	rows, next, err := sweepsdb.Find(a.Tx, c.Kind, which, becoming, page)
	if err != nil {
		return nil, page, err
	}
	out := make([]Record, len(rows))
	for k := range rows {
		out[k] = showLine(a, c.Kind, &rows[k])
		switch c.Kind {
		case sweepsdb.Renewals:
			out[k].After, err = desk.WouldRenew(a, rows[k].ItemID)
		case sweepsdb.Due:
			err = addLatest(a, &rows[k], &out[k])
		}
		if err != nil {
			return nil, page, err
		}
	}
	return out, next, nil
}

// addLatest notes where a new due date is after the latest one that the rules of a loan allow.
func addLatest(a *act.Act, c *sweepsdb.Candidate, l *Record) error {
	before, after := store.DateOf(c.DayBefore), store.DateOf(c.DayAfter)
	if before == nil || after == nil {
		return nil
	}
	book, err := a.Edition(c.LoanEdition)
	if err != nil {
		return err
	}
	terms := book.Decide((&loansdb.Loan{Situation: c.Situation}).At(), nil)
	if latest, passes := sweep.Passes(*before, *after, terms.Value(rulebook.LatestDue).Dates()); passes {
		l.Notes = append(l.Notes, "After "+a.SayDate(latest)+", the latest due date of its rules")
	}
	return nil
}

// Apply applies a change: its lines are written, and done by a job.
func Apply(a *act.Act, c Change) (*Applied, error) {
	c.Reason = strings.TrimSpace(c.Reason)
	which, becoming, text, err := c.settle(a)
	if err != nil {
		return nil, err
	}
	s := &sweepsdb.Sweep{
		Kind: c.Kind, At: a.Now, StaffID: a.Who.ID, Text: text, Change: store.JSON(&c), Actor: store.JSON(&a.Who), LeftOut: store.NotNil(c.LeftOut), Parts: true,
	}
	if err := sweepsdb.Add(a.Tx, s); err != nil {
		return nil, err
	}
	n, err := sweepsdb.Write(a.Tx, s.ID, c.Kind, which, becoming)
	if err != nil {
		return nil, err
	}
	if n == 0 {
		return nil, problem.Newf(problem.Refused, "Nothing would change. Check the filters.")
	}
	a.Tell(event.Event{Kind: event.SweepApplied, Detail: event.Detail{Says: text, Reason: c.Reason, Count: int(n)}})
	if err := a.Enqueue(Args{Sweep: s.ID}); err != nil {
		return nil, err
	}
	return one(a, s.ID)
}

// List gives a page of the changes that were applied, the latest first.
func List(a *act.Act, page store.Page) ([]Applied, store.Page, error) {
	rows, next, err := sweepsdb.List(a.Tx, false, page)
	out := make([]Applied, len(rows))
	for k := range rows {
		out[k] = showSweep(&rows[k])
	}
	return out, next, err
}

func showSweep(r *sweepsdb.Shown) Applied {
	var c Change
	_ = json.Unmarshal(r.Change, &c) // as it was written
	out := Applied{
		ID: r.ID, Kind: r.Kind, At: r.At, Who: r.Who, Text: r.Text, Reason: c.Reason, Lines: r.Lines, Waiting: r.Waiting, Done: r.Done, Kept: r.Kept,
		Undone: r.Undone, Stays: r.Stays, State: "done",
	}
	switch {
	case r.Stopped:
		out.State = "stopped"
	case r.Parts && r.UndoneAt != nil:
		out.State = "undoing"
	case r.Parts:
		out.State = "working"
	case r.UndoneAt != nil:
		out.State = "undone"
	}
	return out
}

func one(a *act.Act, id int64) (*Applied, error) {
	row, err := sweepsdb.One(a.Tx, id)
	if err != nil {
		return nil, err
	}
	out := showSweep(row)
	return &out, nil
}

// LinesOf gives a page of the lines of a change that was applied, in a state; empty: in any.
func LinesOf(a *act.Act, id int64, state string, page store.Page) ([]Record, store.Page, error) {
	row, err := sweepsdb.Row(a.Tx, id)
	if err != nil {
		return nil, page, err
	}
	if row == nil || row.Kind == sweepsdb.Calendar {
		return nil, page, problem.NoSuch("change")
	}
	var states []string
	if state != "" {
		states = []string{state}
	}
	rows, next, err := sweepsdb.Lines(a.Tx, id, states, page)
	out := make([]Record, len(rows))
	for k := range rows {
		out[k] = showLine(a, row.Kind, &rows[k])
	}
	return out, next, err
}

// locked locks a change, and refuses what cannot be done with it as it is.
func locked(a *act.Act, id int64, refuses func(sweep.State) string) (*sweepsdb.Sweep, error) {
	s, err := sweepsdb.Locked(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case s == nil || s.Kind == sweepsdb.Calendar:
		return nil, problem.NoSuch("change")
	}
	if says := refuses(sweep.State{Working: s.Parts, Stopped: s.Stopped, Undone: s.UndoneAt != nil}); says != "" {
		return nil, problem.New(problem.Refused, says)
	}
	return s, nil
}

// Stop stops a change, or the undoing of one, where it is.
func Stop(a *act.Act, id int64) (*Applied, error) {
	if _, err := locked(a, id, sweep.State.Stop); err != nil {
		return nil, err
	}
	sweepsdb.InParts(a.Tx, id, true, true)
	a.Touch(event.Sweeps)
	return one(a, id)
}

// Continue continues what was stopped.
func Continue(a *act.Act, id int64) (*Applied, error) {
	if _, err := locked(a, id, sweep.State.Continue); err != nil {
		return nil, err
	}
	sweepsdb.InParts(a.Tx, id, true, false)
	a.Touch(event.Sweeps)
	if err := a.Enqueue(Args{Sweep: id}); err != nil {
		return nil, err
	}
	return one(a, id)
}

// Undo undoes a change: what has changed since stays as it is, and is listed.
func Undo(a *act.Act, id int64) (*Applied, error) {
	s, err := locked(a, id, sweep.State.Undo)
	if err != nil {
		return nil, err
	}
	sweepsdb.Undone(a.Tx, id, a.Who.ID, a.Now, store.JSON(&a.Who))
	sweepsdb.InParts(a.Tx, id, true, false)
	a.Tell(event.Event{Kind: event.SweepUndone, Detail: event.Detail{Says: "Undone: " + s.Text}})
	if err := a.Enqueue(Args{Sweep: id}); err != nil {
		return nil, err
	}
	return one(a, id)
}
