package desk

import (
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/store"
)

// openLoan gives an open loan with its patron and title locked.
func openLoan(a *act.Act, id int64) (*store.Facts, error) {
	f, l, err := a.Tx.LoanFacts(id)
	switch {
	case err != nil:
		return nil, err
	case l == nil:
		return nil, problem.NoSuch("loan")
	case f.Loan == nil || f.Loan.ID != id:
		return nil, ended()
	}
	return f, nil
}

// Setting is another due date, set by hand.
type Setting struct {
	Due    calendar.Date `json:"due" format:"date"`
	Reason string        `json:"reason" maxLength:"300"`
}

// SetDue sets the due date of a loan by hand. It is for who is entitled to, and of loans of the branch where they work.
func SetDue(a *act.Act, id int64, s Setting) (*people.Card, error) {
	if !a.May().MaySetDue() {
		return nil, problem.Newf(problem.Forbidden, "You do not set due dates by hand. Ask somebody who may.")
	}
	f, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	if !a.Who.MayActOn(f.Loan.BranchCode) {
		return nil, problem.Newf(problem.Forbidden, "This was lent at %s; its due date is set there.",
			a.Network.BranchName(f.Loan.BranchCode))
	}
	branch, err := a.Network.Branch(f.Loan.BranchCode)
	if err != nil {
		return nil, err
	}
	s.Reason = strings.TrimSpace(s.Reason)
	if says := loan.ByHand(f.Loan.Due(), f.Loan.LostAt != nil, s.Due, branch.Date(a.Now), branch,
		s.Reason); says != "" {
		return nil, problem.Newf(problem.Invalid, "%s", says)
	}
	was := *f.Loan
	due := loan.OnDate(s.Due)
	f.Loan.SetDue(due)
	a.Tx.RenewLoan(&was, f.Loan)
	detail := event.Due(due)
	detail.Was, detail.Reason = was.Due().Print(branch), s.Reason
	a.Tell(event.Event{Kind: event.DueChanged, Patron: *f.Loan.PatronID, Item: f.Item.ID, Loan: id, Detail: detail})
	return people.Open(a, *f.Loan.PatronID)
}

// Claim writes down what a patron says of a loan: that it was returned, or that they never had it. Nobody is told that it is
// overdue, nor billed for it, as long as it stands.
func Claim(a *act.Act, id int64, what string) (*people.Card, error) {
	f, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	before, err := a.Tx.ClaimOf(id)
	if err != nil {
		return nil, err
	}
	if before != nil {
		return nil, problem.Newf(problem.Refused, "This has been written down of the loan already.")
	}
	patron := *f.Loan.PatronID
	a.Tx.AddClaim(id, patron, a.Who.ID, what, a.Now)
	a.Tell(event.Event{Kind: event.Claimed, Patron: patron, Item: f.Item.ID, Loan: id, Detail: event.Detail{Is: what}})
	return people.Open(a, patron)
}

// Unclaim takes back what a patron has said of a loan: it was a mistake, and does not count.
func Unclaim(a *act.Act, id int64) (*people.Card, error) {
	f, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	claim, err := a.Tx.ClaimOf(id)
	if err != nil {
		return nil, err
	}
	if claim == nil {
		return nil, problem.Newf(problem.Refused, "Nothing is written down of this loan, or no longer.")
	}
	a.Tx.EndClaim(claim.ID, a.Now)
	a.Tell(event.Event{Kind: event.ClaimUndone, Patron: *f.Loan.PatronID, Item: f.Item.ID, Loan: id})
	return people.Open(a, *f.Loan.PatronID)
}
