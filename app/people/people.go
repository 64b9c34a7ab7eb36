// Package people knows the patrons: finds them, opens their cards, corrects how they are classed.
package people

import (
	"regexp"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/sight"
	"nevrin/store"
)

// Found is a patron found by words.
type Found struct {
	ID       int64         `json:"id"`
	Card     string        `json:"card"`
	Name     string        `json:"name"`
	Class    string        `json:"class"`
	Branch   string        `json:"branch"`
	Standing loan.Standing `json:"standing"`
}

// Find finds patrons by words in their names, card number or mail address; every word must be there.
func Find(a *act.Act, words string, page store.Page) ([]Found, store.Page, error) {
	if !sight.MaySearch(a.Who.Role) {
		return nil, page, problem.Newf(
			problem.Forbidden,
			"Your role opens a patron's record by the card. Scan it, or type its number.",
		)
	}
	Seen(a, Searched, 0, words)
	rest, born := split(words)
	rows, next, err := a.Tx.FindPatrons(rest, born, page)
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

func byOldCard(a *act.Act, text string) (*store.Patron, error) {
	scan := a.Network.Numbers.Read(text)
	if scan.Kind != ident.Card {
		return nil, nil
	}
	id, err := a.Tx.FormerCard(scan.Number)
	if err != nil {
		return nil, err
	}
	p, err := a.Tx.PatronByCard(scan.Number)
	if id != 0 && err == nil {
		p, err = a.Tx.PatronByID(id)
	}
	if p != nil && p.MergedInto != nil && err == nil {
		p, err = a.Tx.PatronByID(*p.MergedInto)
	}
	if p != nil && p.ForgottenAt != nil {
		return nil, err
	}
	return p, err
}

var numberLike = regexp.MustCompile(`^[+(]?[0-9][0-9()./-]*$`)

// split tells a birth date, such as 1984-03-09, from the other words of a search, and leaves of words that are numbers the
// digits alone, as numbers are kept for searching.
func split(words string) (rest string, born *time.Time) {
	var list []string
	for w := range strings.FieldsSeq(words) {
		if d, err := calendar.ParseDate(w); err == nil {
			born = store.Column(d)
			continue
		}
		if numberLike.MatchString(w) {
			w = strings.Map(func(r rune) rune {
				if r < '0' || r > '9' {
					return -1
				}
				return r
			}, w)
		}
		list = append(list, w)
	}
	return strings.Join(list, " "), born
}

// Show gives a patron as one that was found.
func Show(a *act.Act, p *store.Patron) Found {
	f := Found{
		p.ID, p.Card, p.LegalName, a.Network.ClassName("patron", p.Class), a.Network.BranchName(p.BranchCode),
		p.Standing,
	}
	if p.PreferredName != "" {
		f.Name += " (" + p.PreferredName + ")"
	}
	return f
}

// InUse gives a patron on whose card things may be placed or asked for; a problem where it is not in use.
func InUse(p *store.Patron) (*store.Patron, error) {
	if p == nil {
		return nil, problem.NoSuch("patron")
	}
	if p.MergedInto != nil {
		return nil, merged(p)
	}
	if p.Standing != loan.Active {
		return nil, problem.Newf(
			problem.Refused,
			"%s's card is %s, so nothing can be placed or asked for on it.",
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
	a.Tx.ClassifyPatron(id, class)
	a.Tell(event.Event{Kind: event.PatronClassed, Patron: id, Detail: event.Detail{Was: p.Class, Is: class}})
	return nil
}
