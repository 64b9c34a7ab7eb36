// Package people knows the patrons: finds them, opens their cards, corrects how they are classed.
package people

import (
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/core/sight"
	"nevrin/store"
	"nevrin/store/peopledb"
)

// Found is a patron found by words.
type Found struct {
	ID       int64         `json:"id"`
	Card     string        `json:"card"`
	Name     string        `json:"name"`
	Class    string        `json:"class"`
	Branch   string        `json:"branch"`
	Standing loan.Status   `json:"standing"`
	Born     string        `json:"born" doc:"In words, to tell namesakes apart; empty: not known"`
	Address  string        `json:"address" doc:"On one line; empty: none"`
	Pickup   calendar.Code `json:"pickup" doc:"Where they fetch what they wait for, unless they say otherwise"`
}

// Find finds patrons by words in their names, card number or email address; every word must be there. Those of the branch where one works
// come first.
func Find(a *act.Act, words string, page store.Page) ([]Found, store.Page, error) {
	if !sight.MaySearch(a.Who.Role) {
		return nil, page, problem.Newf(
			problem.Forbidden,
			"Your role opens patron records by card only. Scan the card or type its number.",
		)
	}
	Seen(a, Searched, 0, words)
	sought := person.Search(words)
	var born *time.Time
	if sought.Born != nil {
		born = store.Column(*sought.Born)
	}
	rows, next, err := peopledb.FindPatrons(a.Tx, sought, born, a.Who.Branch, page)
	if err != nil {
		return nil, page, err
	}
	out := make([]Found, len(rows))
	for k := range rows {
		out[k] = Show(a, &rows[k])
	}
	if len(out) > 0 {
		return out, next, nil
	}
	// A card that they have had before, or that of a record which was merged into theirs, finds them too.
	p, err := byOldCard(a, words)
	if p != nil {
		out = append(out, Show(a, p))
	}
	return out, next, err
}

func byOldCard(a *act.Act, text string) (*peopledb.Patron, error) {
	scan := a.Network.Numbers.Read(text)
	if scan.Kind != ident.Card {
		return nil, nil
	}
	id, err := peopledb.FormerCard(a.Tx, scan.Number)
	if err != nil {
		return nil, err
	}
	p, err := peopledb.PatronByCard(a.Tx, scan.Number)
	if id != 0 && err == nil {
		p, err = peopledb.PatronByID(a.Tx, id)
	}
	if p != nil && p.MergedInto != nil && err == nil {
		p, err = peopledb.PatronByID(a.Tx, *p.MergedInto)
	}
	if p != nil && p.ForgottenAt != nil {
		return nil, err
	}
	return p, err
}

// Show gives a patron as one that was found.
func Show(a *act.Act, p *peopledb.Patron) Found {
	f := Found{
		p.ID, p.Card, p.LegalName, a.Network.ClassName("patron", p.Class), a.Network.BranchName(p.BranchCode),
		p.Standing, "", address(p), PickupOf(p),
	}
	if born := store.DateOf(p.Born); born != nil {
		f.Born = a.SayDate(*born)
	}
	if p.PreferredName != "" {
		f.Name += " (" + p.PreferredName + ")"
	}
	return f
}

func address(p *peopledb.Patron) string {
	line := strings.Join(strings.FieldsFunc(p.Address, func(r rune) bool { return r == '\n' || r == '\r' }), ", ")
	town := p.Town
	if strings.Contains(strings.ToLower(line), strings.ToLower(town)) {
		town = "" // it stands in the address
	}
	if town = strings.TrimSpace(p.PostalCode + " " + town); town != "" {
		line = strings.TrimPrefix(line+", "+town, ", ")
	}
	return line
}

// InUse gives a patron on whose card things may be placed or asked for; a problem where it is not in use.
func InUse(p *peopledb.Patron) (*peopledb.Patron, error) {
	if p == nil {
		return nil, problem.NoSuch("patron")
	}
	if p.MergedInto != nil {
		return nil, merged(p)
	}
	if p.Standing != loan.Active {
		return nil, problem.Newf(
			problem.Refused,
			"%s’s card is %s, so it cannot be used for holds or requests.",
			p.Name(),
			p.Standing,
		)
	}
	return p, nil
}

// Classify corrects how a patron is classed. Loans already made keep their terms; the next one follows.
func Classify(a *act.Act, id int64, class string) error {
	if !isOffered(a, class) {
		return problem.Newf(problem.Invalid, "There is no patron class %q here, or it is not offered.", class)
	}
	p, err := Locked(a, id)
	if err != nil {
		return err
	}
	Reclass(a, p, class)
	return nil
}

// Reclass moves a patron to another class, wherever that is offered.
func Reclass(a *act.Act, p *peopledb.Patron, class string) {
	peopledb.ClassifyPatron(a.Tx, p.ID, class)
	a.Tell(event.Event{Kind: event.PatronClassed, Patron: p.ID, Detail: event.Detail{Was: p.Class, Is: class}})
}

// PickupOf gives the branch where a patron usually picks up holds.
func PickupOf(p *peopledb.Patron) calendar.Code {
	if p.Pickup != nil && *p.Pickup != "" {
		return *p.Pickup
	}
	return p.BranchCode
}
