package desk

import (
	"fmt"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/store"
)

// Many is several loans of a patron.
type Many struct {
	Loans []int64 `json:"loans,omitempty" maxItems:"500" nullable:"false" doc:"None: all of them"`
}

// RenewedMany is what became of several renewals, and all of it in one sentence.
type RenewedMany struct {
	Text string       `json:"text"`
	Each []RenewedOne `json:"each"`
	Card *people.Card `json:"card"`
}

// RenewedOne is what became of the renewal of one loan.
type RenewedOne struct {
	Loan  int64  `json:"loan"`
	Title string `json:"title"`
	OK    bool   `json:"ok"`
	Text  string `json:"text"`
}

// RenewMany renews several loans of a patron, or all: with the things there, or by phone. Each is renewed or refused by itself.
func RenewMany(a *act.Act, patron int64, m Many) (*RenewedMany, error) {
	if err := people.InHand(a, patron); err != nil {
		return nil, err
	}
	loans, err := a.Tx.LoansLocked(patron)
	if err != nil {
		return nil, err
	}
	out := &RenewedMany{Each: []RenewedOne{}}
	for _, l := range loans {
		if len(m.Loans) > 0 && !slices.Contains(m.Loans, l.ID) {
			continue
		}
		f, err := openLoan(a, l.ID)
		if err != nil {
			return nil, err
		}
		r, err := renew(a, f)
		if err != nil {
			return nil, err
		}
		out.Each = append(out.Each, RenewedOne{l.ID, f.Item.Title.Name, r.OK, r.Text})
	}
	if len(out.Each) == 0 {
		return nil, problem.Newf(problem.Refused, "They have nothing on loan that could be renewed. It may have come back just now.")
	}
	out.Text = sayMany(out.Each)
	out.Card, err = people.Open(a, patron)
	return out, err
}

// sayMany says what became of several renewals: how many are renewed, and how many are not for which reason.
func sayMany(each []RenewedOne) string {
	done := 0
	var reasons []string
	count := map[string]int{}
	for _, r := range each {
		if r.OK {
			done++
			continue
		}
		reason := strings.TrimSuffix(strings.TrimPrefix(r.Text, "Not renewed: "), ".")
		if count[reason] == 0 {
			reasons = append(reasons, reason)
		}
		count[reason]++
	}
	text := fmt.Sprintf("%d renewed", done)
	for _, reason := range reasons {
		text += fmt.Sprintf("; %d not: %s", count[reason], reason)
	}
	return text + "."
}

// SettingMany is another due date for several loans, set by hand.
type SettingMany struct {
	Loans  []int64       `json:"loans" minItems:"1" maxItems:"500" nullable:"false"`
	Due    calendar.Date `json:"due" format:"date"`
	Reason string        `json:"reason" maxLength:"300"`
}

// SetDueOfMany sets the due date of several loans of a patron by hand: of all of them, or, where one cannot be, of none.
func SetDueOfMany(a *act.Act, patron int64, s SettingMany) (*people.Card, error) {
	if _, err := a.Tx.LoansLocked(patron); err != nil {
		return nil, err
	}
	for _, id := range s.Loans {
		f, err := openLoan(a, id)
		if err != nil {
			return nil, err
		}
		if f.Loan.PatronID == nil || *f.Loan.PatronID != patron {
			return nil, problem.NoSuch("loan of theirs")
		}
		if f.Loan.Due().Same(loan.OnDate(s.Due)) {
			continue // it is due on that day already
		}
		if err := setDue(a, f, Setting{s.Due, s.Reason}, f.Item.Title.Name+": "); err != nil {
			return nil, err
		}
	}
	return people.Open(a, patron)
}

// setDue sets the due date of a loan by hand. It is for who is entitled to, of loans of the branch where they work, and of its own
// items and patrons unless the network lets others be. Of is which of several it is, before what stands in the way.
func setDue(a *act.Act, f *store.Facts, s Setting, of string) error {
	l := f.Loan
	if !a.May().MaySetDue() {
		return problem.Newf(problem.Forbidden, "You do not set due dates by hand. Ask somebody who may.")
	}
	if !a.Who.MayActOn(l.BranchCode) {
		return problem.Newf(
			problem.Forbidden,
			"This was lent at %s; its due date is set there.",
			a.Network.BranchName(l.BranchCode),
		)
	}
	if !a.Network.Settled.Counter.DueOthers && !a.Who.Role.Supervises() {
		for _, other := range []struct {
			of   calendar.Code
			what string
		}{{f.Item.BranchCode, f.Item.Title.Name + " belongs"}, {l.Patron.BranchCode, l.Patron.Name() + " belongs"}} {
			if other.of != "" && other.of != a.Who.Branch {
				return problem.Newf(problem.Forbidden, "%s to %s. Due dates of other branches' items and patrons are set by a supervisor.",
					other.what, a.Network.BranchName(other.of))
			}
		}
	}
	branch, err := a.Network.Branch(l.BranchCode)
	if err != nil {
		return err
	}
	s.Reason = strings.TrimSpace(s.Reason)
	if says := loan.ByHand(l.Due(), l.LostAt != nil, s.Due, branch.Date(a.Now), branch, s.Reason); says != "" {
		return problem.Newf(problem.Invalid, "%s%s", of, says)
	}
	was := *l
	due := loan.OnDate(s.Due)
	l.SetDue(due)
	a.Tx.RenewLoan(&was, l)
	detail := event.Due(due)
	detail.Was, detail.Reason = was.Due().Print(branch), s.Reason
	a.Tell(event.Event{Kind: event.DueChanged, Patron: *l.PatronID, Item: f.Item.ID, Loan: l.ID, Detail: detail})
	return nil
}
