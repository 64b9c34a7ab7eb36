package people

import (
	"crypto/rand"
	"fmt"
	"math/big"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/app/staff"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/store"
	"nevrin/store/networkdb"
	"nevrin/store/peopledb"
	"nevrin/store/staffdb"
)

// Locked gives a patron who is locked and has not been forgotten.
func Locked(a *act.Act, id int64) (*peopledb.Patron, error) {
	p, err := peopledb.PatronLocked(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case p == nil || p.ForgottenAt != nil:
		return nil, problem.NoSuch("patron")
	case p.MergedInto != nil:
		return nil, merged(p)
	}
	return p, nil
}

// merged says of a record that has been merged into another that nothing new is of it.
func merged(p *peopledb.Patron) error {
	return problem.Newf(problem.Refused, "The record of card %s has been merged into another. Open that one.", p.Card)
}

// NewStatus is a new status for a patron, with the reason.
type NewStatus struct {
	Standing loan.Status `json:"standing" enum:"active,inactive,excluded"`
	Stopped  string      `json:"stopped" maxLength:"300" doc:"Why they may look and not borrow; empty: they may"`
	Reason   string      `json:"reason" maxLength:"300" doc:"Why; needed for whatever is not active"`
}

// SetStatus writes how a patron stands. To exclude somebody, or to take that back, is for who supervises.
func SetStatus(a *act.Act, id int64, s NewStatus) (*Card, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	s.Stopped, s.Reason = strings.TrimSpace(s.Stopped), strings.TrimSpace(s.Reason)
	if says, forbidden := person.MayChangeStatus(a.Who.Role, p.Standing, s.Standing, s.Reason); says != "" {
		return nil, refused(says, forbidden)
	}
	if s.Standing == loan.Active {
		s.Reason = ""
	}
	peopledb.SetStatus(a.Tx, id, string(s.Standing), s.Reason, s.Stopped)
	a.Tell(event.Event{Kind: event.StandingChanged, Patron: id, Detail: event.Detail{
		Was: sayStanding(p.Standing, p.Stopped), Is: sayStanding(s.Standing, s.Stopped), Reason: s.Reason,
	}})
	return Open(a, id)
}

// refused is a problem of what was asked, or of who asks.
func refused(says string, forbidden bool) error {
	if forbidden {
		return problem.New(problem.Forbidden, says)
	}
	return problem.New(problem.Invalid, says)
}

func sayStanding(s loan.Status, stopped string) string {
	if stopped != "" {
		return string(s) + ", blocked"
	}
	return string(s)
}

// Replacing is another card for somebody.
type Replacing struct {
	Card string `json:"card" maxLength:"40" doc:"Empty: the next free number"`
	Why  string `json:"why" maxLength:"200" doc:"What became of the one before"`
}

// Replace gives a patron another card. The one before, scanned again, says that there is another.
func Replace(a *act.Act, id int64, r Replacing) (*Card, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	card, err := newCard(a, strings.TrimSpace(r.Card), p.BranchCode, id)
	if err != nil {
		return nil, err
	}
	if card == p.Card {
		return nil, problem.Newf(problem.Refused, "This is already their card.")
	}
	peopledb.ReplaceCard(a.Tx, id, p.Card, card, strings.TrimSpace(r.Why), a.Now)
	peopledb.EndPatronSessions(a.Tx, id) // whoever has found the old card may be signed in with it
	a.Tell(event.Event{Kind: event.CardReplaced, Patron: id, Detail: event.Detail{Reason: strings.TrimSpace(r.Why)}})
	return Open(a, id)
}

// PIN is a patron's new PIN; shown once.
type PIN struct {
	PIN string `json:"pin" maxLength:"12" doc:"From 4 to 12 digits; empty: one is made"`
}

// pinSize is how many digits a PIN has that is made.
const pinSize = 6

// TriesOf is the name under which wrong tries of a card's PIN are counted.
func TriesOf(card string) string { return "card " + card }

// PINWrong tells what is wrong with a new PIN for a patron; empty: nothing.
func PINWrong(pin string, p *peopledb.Patron) string {
	var born *calendar.Date
	if p.Born != nil {
		born = new(calendar.DateOf(*p.Born))
	}
	return person.PINWrong(pin, p.Card, born)
}

// SetPIN gives a patron a PIN, chosen on the spot or made.
func SetPIN(a *act.Act, id int64, pin string) (*PIN, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	made := pin == ""
	for made && PINWrong(pin, p) != "" {
		n, err := rand.Int(rand.Reader, big.NewInt(1_000_000))
		if err != nil {
			return nil, err
		}
		pin = fmt.Sprintf("%0*d", pinSize, n)
	}
	if wrong := PINWrong(pin, p); wrong != "" {
		return nil, problem.New(problem.Invalid, wrong)
	}
	return &PIN{pin}, keepPIN(a, p, pin)
}

// FirstPIN gives somebody whose record has just been made the PIN that they chose. It must have been looked at by PINWrong.
func FirstPIN(a *act.Act, p *peopledb.Patron, pin string) error { return keepPIN(a, p, pin) }

func keepPIN(a *act.Act, p *peopledb.Patron, pin string) error {
	places := staff.OfStaff
	if a.Who.ID == 0 { // patrons by themselves
		places = staff.OfPatrons
	}
	hash, err := places.Digest(a.Context, pin)
	if err != nil {
		return err
	}
	peopledb.KeepPIN(a.Tx, p.ID, hash)
	staffdb.FreeTries(a.Tx, TriesOf(p.Card)) // whoever was locked out is let in with the new one
	a.Tell(event.Event{Kind: event.PINSet, Patron: p.ID})
	return nil
}

// Noting is a note for a patron's card.
type Noting struct {
	Kind string `json:"kind" maxLength:"40"`
	Text string `json:"text" minLength:"1" maxLength:"1000"`
}

// AddNote writes a note on a patron's card.
func AddNote(a *act.Act, id int64, n Noting) (*Card, error) {
	if _, err := Locked(a, id); err != nil {
		return nil, err
	}
	n.Text = strings.TrimSpace(n.Text)
	if n.Text == "" {
		return nil, problem.Newf(problem.Invalid, "Enter the note.")
	}
	if !slices.ContainsFunc(a.Network.Choices, func(c networkdb.Choice) bool {
		return c.List == "note" && c.Code == n.Kind && !c.Retired
	}) {
		return nil, problem.Newf(
			problem.Invalid,
			"There is no type of note %q. An administrator adds them under Network, Lists and reasons.",
			n.Kind,
		)
	}
	peopledb.AddNote(a.Tx, id, a.Who.ID, n.Kind, n.Text, a.Now)
	a.Tell(event.Event{Kind: event.CardNoted, Patron: id, Detail: event.Detail{About: n.Kind}})
	return Open(a, id)
}

// EndNote takes a note off a card; the record keeps that it was there.
func EndNote(a *act.Act, note int64) (*Card, error) {
	patron, kind, _, err := peopledb.NoteRow(a.Tx, note)
	if err != nil {
		return nil, err
	}
	if patron == 0 {
		return nil, problem.NoSuch("note")
	}
	if _, err := Locked(a, patron); err != nil {
		return nil, err
	}
	_, _, open, err := peopledb.NoteRow(a.Tx, note)
	if err != nil {
		return nil, err
	}
	if !open {
		return nil, problem.Newf(problem.Refused, "This note is already removed.")
	}
	peopledb.EndNote(a.Tx, note, a.Now)
	a.Tell(event.Event{Kind: event.CardNoteOff, Patron: patron, Detail: event.Detail{About: kind}})
	return Open(a, patron)
}

// Agreed is an answer of a guardian or a grown-up.
type Agreed struct {
	What   person.Consent `json:"what" enum:"older_reader,internet,photo"`
	Answer string         `json:"answer" enum:"yes,no,none,filtered,full" doc:"Yes or no; of the internet its level"`
}

// Consenting are a patron's or guardian's answers about consents.
type Consenting struct {
	Answers []Agreed `json:"answers" minItems:"1" maxItems:"3" nullable:"false"`
	Reason  string   `json:"reason" maxLength:"300"`
	Letter  bool     `json:"letter" doc:"A letter was seen"`
}

// Consent writes answers down, all of them or none. The first is taken by whoever registers; later ones by who may change consents, with
// a reason and a letter that was seen.
func Consent(a *act.Act, id int64, c Consenting) (*Card, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	if err := agree(a, p, c); err != nil {
		return nil, err
	}
	return Open(a, id)
}

func agree(a *act.Act, p *peopledb.Patron, c Consenting) error {
	given := map[person.Consent]bool{
		person.OlderReader: p.OlderReader != nil, person.Photo: p.Photo != nil, person.Internet: p.Internet != "",
	}
	c.Reason = strings.TrimSpace(c.Reason)
	for _, one := range c.Answers {
		answer := person.Answer{To: one.What, Is: one.Answer, Reason: c.Reason, Letter: c.Letter}
		if says, forbidden := answer.Refused(given[one.What], a.May().MayChangeConsents()); says != "" {
			return refused(says, forbidden)
		}
		given[one.What] = true
		peopledb.KeepConsent(a.Tx, p.ID, a.Who.ID, peopledb.ConsentShown{
			What: string(one.What), Answer: one.Answer, At: a.Now, Reason: c.Reason, Letter: c.Letter,
		})
		a.Tell(event.Event{Kind: event.Consented, Patron: p.ID, Detail: event.Detail{About: string(one.What), Is: one.Answer}})
	}
	return nil
}

// Grow moves those who have grown out of their class to the one that follows. Done is the last patron looked at.
func Grow(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	classes := classes(a)
	for _, c := range classes {
		if c.ToAge == nil {
			continue
		}
		rows, err := peopledb.GrownOut(a.Tx, c.Code, day.AddYears(-*c.ToAge), done, grownPart)
		if err != nil {
			return done, false, err
		}
		for k := range rows {
			p := &rows[k]
			next := person.Grown(classes, p.Class, loan.AgeOn(*store.DateOf(p.Born), day))
			if next == p.Class || !classKnown(a, next) {
				continue
			}
			if _, err := peopledb.PatronLocked(a.Tx, p.ID); err != nil {
				return done, false, err
			}
			peopledb.ClassifyPatron(a.Tx, p.ID, next)
			a.Tell(
				event.Event{
					Kind:   event.PatronClassed,
					Patron: p.ID,
					Detail: event.Detail{Was: p.Class, Is: next, Reason: "birthday"},
				},
			)
		}
		if len(rows) == grownPart {
			return done, false, nil // those who were moved are no longer of this class: the next part begins anew
		}
	}
	return done, true, nil
}

// grownPart is how many one act of the step moves.
const grownPart = 500

func classKnown(a *act.Act, code string) bool {
	return slices.ContainsFunc(a.Network.Classes, func(c networkdb.Class) bool { return c.Kind == "patron" && c.Code == code })
}
