// Package signups takes in people who sign up by themselves. They wait in a list until somebody has looked at what they wrote:
// completed and registered, known already, or turned down. Until then a temporary card may be theirs, if the network has settled
// so: with it they look and place holds, and do not borrow.
package signups

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/holds"
	"nevrin/app/keeping"
	"nevrin/app/merging"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
)

// mostWaiting is how many may wait at once; who comes then is asked to come in.
const mostWaiting = 2000

// Form are the fields and choices of the sign-up page.
type Form struct {
	Network  string
	Open     bool
	Contact  bool         // a phone number or an email address is needed
	PIN      bool         // there is a temporary card, for which a PIN can be chosen
	Needs    person.Needs // of the fields that people write of themselves
	Branches []Branch
}

// Branch is one to choose.
type Branch struct {
	Code calendar.Code
	Name string
}

// LookAtForm gives what the page needs to know.
func LookAtForm(a *act.Act) (*Form, error) {
	set := a.Network.Settled
	f := &Form{Network: a.Network.Name, Open: set.SignUps.Open, Contact: set.SignUps.Contact, PIN: set.SignUps.CardDays > 0, Needs: person.Needs{}}
	for _, name := range set.Fields.Own() {
		f.Needs[name] = set.Fields.Of(name)
	}
	for _, row := range a.Network.Rows {
		if b, err := a.Network.OpenBranch(row.Code); err == nil {
			f.Branches = append(f.Branches, Branch{row.Code, b.Name})
		}
	}
	return f, nil
}

// Wrong lists the faults of a form, field by field.
type Wrong []person.Wrong

func (w Wrong) Error() string { return fmt.Sprintf("%d fields are wrong", len(w)) }

// Taken is the answer to somebody who has signed up.
type Taken struct {
	Branch string
	Card   string // a temporary one; empty: there is none
	Until  string
	PIN    bool // they have chosen one, and can sign in
}

// Come takes in what somebody wrote who signs up, and the PIN that they chose for a temporary card; empty: none.
func Come(a *act.Act, r person.Record, pin string) (*Taken, error) {
	set := a.Network.Settled
	if !set.SignUps.Open {
		return nil, problem.Newf(problem.Refused, "Online sign-up is closed. Come to any branch; it takes a few minutes.")
	}
	r = r.Own(set.Fields)
	if wrong := check(a, &r, pin); len(wrong) > 0 {
		return nil, Wrong(wrong)
	}
	if err := peopledb.LockNames(a.Tx, "sign-ups"); err != nil {
		return nil, err
	}
	waiting, err := peopledb.SignUpsWaiting(a.Tx)
	if err != nil {
		return nil, err
	}
	if waiting >= mostWaiting {
		return nil, problem.Newf(
			problem.Refused,
			"Too many sign-ups are waiting. Come to any branch; it takes a few minutes.",
		)
	}
	s := peopledb.SignUp{At: a.Now, BranchCode: r.Branch, Record: store.JSON(&r)}
	taken := &Taken{Branch: a.Network.BranchName(r.Branch)}
	if set.SignUps.CardDays > 0 {
		p, err := temporary(a, r)
		if err != nil {
			return nil, err
		}
		s.PatronID, taken.Card, taken.Until = &p.ID, a.Network.Numbers.Show(p.Card), a.SayDate(*store.DateOf(p.CardUntil))
		if taken.PIN = pin != ""; taken.PIN {
			if says := people.PINWrong(pin, p); says != "" { // it is the number of the card, or so
				return nil, Wrong{{Field: PINField, Says: says}}
			}
			if err := people.FirstPIN(a, p, pin); err != nil {
				return nil, err
			}
		}
		if err := notices.SignedUp(a, p); err != nil {
			return nil, err
		}
	}
	if err := peopledb.AddSignUp(a.Tx, &s); err != nil {
		return nil, err
	}
	told := event.Event{Kind: event.SignedUp}
	if s.PatronID != nil {
		told.Patron = *s.PatronID
	}
	a.Tell(told)
	return taken, nil
}

// PINField is the name of the form's field for a PIN.
const PINField person.Field = "pin"

func check(a *act.Act, r *person.Record, pin string) []person.Wrong {
	set := &a.Network.Settled
	wrong := r.CheckOwn(set.Fields, a.Today())
	if set.SignUps.Contact {
		wrong = append(wrong, r.Unreachable()...)
	}
	if pin != "" && set.SignUps.CardDays > 0 {
		if says := person.PINWrong(pin, "", r.Born); says != "" {
			wrong = append(wrong, person.Wrong{Field: PINField, Says: says})
		}
	}
	if _, err := a.Network.OpenBranch(r.Branch); err != nil {
		wrong = append(wrong, person.Wrong{Field: "branch", Says: "Choose a branch."})
	}
	return wrong
}

// temporary makes a record with a temporary card, which may look and place holds.
func temporary(a *act.Act, r person.Record) (*peopledb.Patron, error) {
	var age *int
	if r.Born != nil {
		age = new(loan.AgeOn(*r.Born, a.Today()))
	}
	class := people.ClassFor(a, r.Branch, age)
	card, err := people.NextCard(a, r.Branch)
	if class == "" || problem.Of(err) != nil { // what is not set up is for staff to read
		return nil, problem.Newf(
			problem.Refused,
			"No card is available for this branch at the moment. Please come in; it takes a few minutes.",
		)
	}
	if err != nil {
		return nil, err
	}
	id, err := a.Tx.NextID()
	if err != nil {
		return nil, err
	}
	r.Class = class
	until := a.Today().Add(a.Network.Settled.SignUps.CardDays)
	r.CardUntil = &until
	p := &peopledb.Patron{ID: id, Card: card, Standing: loan.Active, JoinedOn: store.Column(a.Today()), Revision: 1}
	people.Put(p, r)
	peopledb.PutPatron(a.Tx, p)
	peopledb.SetStatus(a.Tx, id, string(loan.Active), "", person.Unseen)
	return p, nil
}

// SignUp is somebody who signed up.
type SignUp struct {
	ID       int64     `json:"id"`
	At       time.Time `json:"at"`
	Name     string    `json:"name"`
	Branch   string    `json:"branch"`
	Age      *int      `json:"age,omitempty"`
	State    string    `json:"state" enum:"waiting,taken,turned_down"`
	Patron   int64     `json:"patron" doc:"Whose record it is; while it waits, that of a temporary card; 0: none"`
	Reason   string    `json:"reason"`
	Answered string    `json:"answered" doc:"When, as people say it"`
}

func show(a *act.Act, s *peopledb.SignUp) (SignUp, person.Record, error) {
	var r person.Record
	if err := json.Unmarshal(s.Record, &r); err != nil {
		return SignUp{}, r, fmt.Errorf("what somebody wrote who signed up: %w", err)
	}
	r.Tidy() // lists are never null
	out := SignUp{
		ID:     s.ID,
		At:     s.At,
		Name:   r.LegalName,
		Branch: a.Network.BranchName(s.BranchCode),
		State:  s.State,
		Reason: s.Reason,
	}
	if s.PatronID != nil {
		out.Patron = *s.PatronID
	}
	if r.Born != nil && *r.Born <= a.Today() {
		out.Age = new(loan.AgeOn(*r.Born, a.Today()))
	}
	if s.AnsweredAt != nil {
		out.Answered = a.SayDate(a.Here().Date(*s.AnsweredAt))
	}
	return out, r, nil
}

// List gives a page of who waits, in the order in which they came; then who was turned down lately.
func List(a *act.Act, page store.Page) ([]SignUp, store.Page, error) {
	rows, next, err := peopledb.SignUps(a.Tx, page)
	out := []SignUp{}
	for k := range rows {
		s, _, err := show(a, &rows[k])
		if err != nil {
			return nil, page, err
		}
		out = append(out, s)
	}
	return out, next, err
}

// Whole is somebody who signed up, with what they wrote and who may be the same person.
type Whole struct {
	SignUp
	Record person.Record   `json:"record"`
	Card   string          `json:"card" doc:"Their temporary card; empty: none"`
	Likely []people.Likely `json:"likely"`
}

// One gives somebody who signed up.
func One(a *act.Act, id int64) (*Whole, error) {
	s, err := peopledb.SignUpByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if s == nil {
		return nil, problem.NoSuch("sign-up")
	}
	row, r, err := show(a, s)
	if err != nil {
		return nil, err
	}
	w := &Whole{SignUp: row, Record: r}
	if s.PatronID != nil {
		p, err := peopledb.PatronByID(a.Tx, *s.PatronID)
		if err != nil {
			return nil, err
		}
		w.Card, w.Record.Card, w.Record.Class = p.Card, p.Card, p.Class
	}
	known, err := people.Alike(a, r, r.Class, row.Patron)
	if err != nil {
		return nil, err
	}
	w.Likely = known.Likely
	if w.Record.Class == "" {
		w.Record.Class = known.Class
	}
	return w, nil
}

// inState gives a sign-up in a state, locked, and with it others whom what follows concerns.
func inState(a *act.Act, id int64, state string, others ...int64) (*peopledb.SignUp, error) {
	s, err := peopledb.SignUpLocked(a.Tx, id, others...)
	switch {
	case err != nil:
		return nil, err
	case s == nil:
		return nil, problem.NoSuch("sign-up")
	case s.State != state:
		return nil, problem.Newf(problem.Refused, "Somebody else has already handled this sign-up.")
	}
	return s, nil
}

// Take registers somebody who signed up, with what was completed.
func Take(a *act.Act, id int64, j people.Joining) (*people.Written, error) {
	s, err := inState(a, id, "waiting", j.With)
	if err != nil {
		return nil, err
	}
	var w *people.Written
	if s.PatronID == nil {
		w, err = people.Join(a, j)
	} else {
		w, err = people.Complete(a, *s.PatronID, j)
	}
	if err != nil {
		return nil, err
	}
	peopledb.AnswerSignUp(a.Tx, id, "taken", w.Card.ID, "", a.Who.ID, a.Now)
	a.Tell(event.Event{Kind: event.SignUpAnswered, Patron: w.Card.ID, Detail: event.Detail{Is: "taken"}})
	return w, nil
}

// Known says that somebody who signed up has a record already. A temporary record of theirs becomes part of it, with its holds.
func Known(a *act.Act, id, patron int64) (*SignUp, error) {
	s, err := inState(a, id, "waiting", patron)
	if err != nil {
		return nil, err
	}
	if s.PatronID != nil && *s.PatronID != patron {
		if _, err := merging.Merge(a, patron, *s.PatronID); err != nil {
			return nil, err
		}
	}
	p, err := people.Locked(a, patron)
	if err != nil {
		return nil, err
	}
	peopledb.AnswerSignUp(a.Tx, id, "taken", p.ID, "", a.Who.ID, a.Now)
	a.Tell(
		event.Event{
			Kind:   event.SignUpAnswered,
			Patron: p.ID,
			Detail: event.Detail{Is: "taken", Reason: "already registered"},
		},
	)
	return again(a, id)
}

// TurnDown turns somebody down who signed up.
func TurnDown(a *act.Act, id int64, reason string) (*SignUp, error) {
	s, err := inState(a, id, "waiting")
	if err != nil {
		return nil, err
	}
	if reason = strings.TrimSpace(reason); reason == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a reason.")
	}
	told := event.Event{Kind: event.SignUpAnswered, Detail: event.Detail{Is: "declined"}}
	var patron int64
	if s.PatronID != nil {
		patron = *s.PatronID
		if err := retire(a, patron, "declined"); err != nil {
			return nil, err
		}
		told.Patron = patron
	}
	peopledb.AnswerSignUp(a.Tx, id, "turned_down", patron, reason, a.Who.ID, a.Now)
	a.Tell(told)
	return again(a, id)
}

// retire lets a temporary record no longer be used, and ends its holds.
func retire(a *act.Act, patron int64, why string) error {
	if err := a.Tx.Lock(store.Lock{Patrons: []int64{patron}, HoldsOf: patron}); err != nil {
		return err
	}
	open, err := holdsdb.HoldsOfPatron(a.Tx, patron)
	if err != nil {
		return err
	}
	for k := range open {
		if err := holds.End(a, &open[k].Hold, why); err != nil {
			return err
		}
	}
	return stand(a, patron, loan.Active, loan.Inactive, why)
}

// stand brings a temporary record from one standing to another.
func stand(a *act.Act, patron int64, was, is loan.Status, why string) error {
	if _, err := people.Locked(a, patron); err != nil {
		return err
	}
	peopledb.SetStatus(a.Tx, patron, string(is), why, person.Unseen)
	a.Tell(event.Event{
		Kind: event.StandingChanged, Patron: patron,
		Detail: event.Detail{Was: string(was), Is: string(is), Reason: why},
	})
	return nil
}

// Again lets somebody wait again who was turned down. Holds of theirs that ended with that stay ended.
func Again(a *act.Act, id int64) (*SignUp, error) {
	s, err := inState(a, id, "turned_down")
	if err != nil {
		return nil, err
	}
	if s.PatronID != nil {
		if err := stand(a, *s.PatronID, loan.Inactive, loan.Active, ""); err != nil {
			return nil, err
		}
	}
	peopledb.AwaitSignUp(a.Tx, id)
	a.Tell(event.Event{Kind: event.SignUpAnswered, Detail: event.Detail{Is: "waiting again"}})
	return again(a, id)
}

func again(a *act.Act, id int64) (*SignUp, error) {
	s, err := peopledb.SignUpByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	out, _, err := show(a, s)
	return &out, err
}

// part is how many sign-ups one act of the night deletes, forgotPart how many people it forgets.
const (
	part       = 2000
	forgotPart = 100
)

// keptDays is the number of days an answered sign-up is kept, so that the answer can be changed.
const keptDays = 30

// Drop deletes sign-ups that were answered a while ago, and forgets those who were turned down and had a temporary card.
func Drop(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	before := calendar.Local(day.Add(-keptDays), 0, a.Network.Location)
	turned, err := peopledb.TurnedDown(a.Tx, before, forgotPart)
	if err != nil {
		return done, false, err
	}
	for _, patron := range turned {
		// Whoever has something open anyway was taken on otherwise, and is no stranger any more.
		if _, err := keeping.Forget(a, patron); err != nil && problem.Of(err) == nil {
			return done, false, err
		}
		peopledb.DropSignUpsOf(a.Tx, patron)
	}
	if len(turned) == forgotPart {
		return done + forgotPart, false, nil
	}
	n, err := peopledb.DropSignUps(a.Tx, before, part)
	return done + n, n < part, err
}
