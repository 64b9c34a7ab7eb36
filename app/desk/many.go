package desk

import (
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/store/deskdb"
	"nevrin/store/loansdb"
)

// Many is several loans of a patron.
type Many struct {
	Loans []int64 `json:"loans,omitempty" maxItems:"500" nullable:"false" doc:"None: all of them"`
}

// RenewedMany is the result of several renewals, with one sentence for all.
type RenewedMany struct {
	Text    string       `json:"text"`
	Each    []RenewedOne `json:"each"`
	Charged string       `json:"charged" doc:"For lateness until now, in all; empty: nothing"`
	Card    *people.Card `json:"card"`
}

// RenewedOne is the result for one of them.
type RenewedOne struct {
	Loan  int64  `json:"loan"`
	Title string `json:"title"`
	OK    bool   `json:"ok"`
	Text  string `json:"text" doc:"When it is due now and what is charged, or why it is not renewed"`
}

// RenewMany renews several loans of a patron, or all: with the things there, or by phone. Each is renewed or refused by itself.
func RenewMany(a *act.Act, patron int64, m Many) (*RenewedMany, error) {
	if err := people.InHand(a, patron); err != nil {
		return nil, err
	}
	loans, err := loansdb.LoansLocked(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	out := &RenewedMany{Each: []RenewedOne{}}
	var each []circulation.Renewed
	var charged money.Amount
	for _, l := range loans {
		if len(m.Loans) > 0 && !slices.Contains(m.Loans, l.ID) {
			continue
		}
		facts, err := openLoan(a, l.ID)
		if err != nil {
			return nil, err
		}
		r, err := renew(a, facts)
		if err != nil {
			return nil, err
		}
		each = append(each, r.Decided)
		charged += r.Decided.Fine
		out.Each = append(out.Each, RenewedOne{l.ID, facts.Item.Title.Name, r.OK, r.Text})
	}
	if len(out.Each) == 0 {
		return nil, problem.Newf(problem.Refused, "There is nothing to renew. The items may have been returned just now.")
	}
	out.Text, out.Charged = circulation.SayMany(each), price(a, charged)
	if out.Charged != "" {
		out.Text += " " + out.Charged + " is charged in late fines so far."
	}
	out.Card, err = people.Open(a, patron)
	return out, err
}

// SettingMany is another due date for several loans, set by hand.
type SettingMany struct {
	Loans  []int64       `json:"loans" minItems:"1" maxItems:"500" nullable:"false"`
	Due    calendar.Date `json:"due" format:"date"`
	Reason string        `json:"reason" maxLength:"300"`
}

// SetDueOfMany sets the due date of several loans of a patron by hand: of all of them, or, where one cannot be, of none.
func SetDueOfMany(a *act.Act, patron int64, s SettingMany) (*people.Card, error) {
	theirs, err := loansdb.LoansLocked(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	for _, id := range s.Loans {
		if !slices.ContainsFunc(theirs, func(l loansdb.Loan) bool { return l.ID == id }) {
			return nil, problem.NoSuch("loan of theirs") // what is somebody else's is not even locked
		}
		facts, err := openLoan(a, id)
		if err != nil {
			return nil, err
		}
		if facts.Loan.Due().Same(loan.OnDate(s.Due)) {
			continue // it is due on that day already
		}
		if err := setDue(a, facts, Setting{s.Due, s.Reason}, facts.Item.Title.Name+": "); err != nil {
			return nil, err
		}
	}
	return people.Open(a, patron)
}

// setDue sets the due date of a loan by hand. It is for who is entitled to, of loans of the branch where they work, and of its own
// items and patrons unless the network lets others be. Of is which of several it is, before what stands in the way.
func setDue(a *act.Act, facts *deskdb.Facts, s Setting, of string) error {
	l := facts.Loan
	if !a.May().MaySetDue() {
		return problem.Newf(problem.Forbidden, "You cannot set due dates. Ask somebody who can.")
	}
	if !a.Who.MayActOn(l.BranchCode) {
		return problem.Newf(
			problem.Forbidden,
			"This was lent at %s. Only that branch can set its due date.",
			a.Network.BranchName(l.BranchCode),
		)
	}
	item, patron := facts.Item.BranchCode, l.Patron.BranchCode
	forbidden := func(what string, of calendar.Code) error {
		return problem.Newf(problem.Forbidden, "%s belongs to %s. Only supervisors set due dates for other branches.",
			what, a.Network.BranchName(of))
	}
	settled := a.Network.Settled.Counter.DueOthers
	switch circulation.OfOthers(settled, a.Who.Role.Supervises(), a.Who.Branch, item, patron) {
	case circulation.ItsItem:
		return forbidden(facts.Item.Title.Name, item)
	case circulation.ItsPatron:
		return forbidden(l.Patron.Name(), patron)
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
	loansdb.RenewLoan(a.Tx, &was, l)
	detail := event.Due(due)
	detail.Was, detail.Reason = was.Due().Print(branch), s.Reason
	a.Tell(event.Event{Kind: event.DueChanged, Patron: *l.PatronID, Item: facts.Item.ID, Loan: l.ID, Detail: detail})
	return nil
}
