package desk

import (
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/store/deskdb"
	"nevrin/store/loansdb"
)

// openLoan gives an open loan with its patron and title locked.
func openLoan(a *act.Act, id int64) (*deskdb.Facts, error) {
	facts, l, err := deskdb.LoanFacts(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case l == nil:
		return nil, problem.NoSuch("loan")
	case facts.Loan == nil || facts.Loan.ID != id:
		return nil, ended()
	}
	return facts, nil
}

// Setting is another due date, set by hand.
type Setting struct {
	Due    calendar.Date `json:"due" format:"date"`
	Reason string        `json:"reason" maxLength:"300"`
}

// SetDue sets the due date of a loan by hand.
func SetDue(a *act.Act, id int64, s Setting) (*people.Card, error) {
	facts, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	if err := setDue(a, facts, s, ""); err != nil {
		return nil, err
	}
	return people.Open(a, *facts.Loan.PatronID)
}

// Claim writes down what a patron says of a loan: that it was returned, or that they never had it. Nobody is told that it is
// overdue, nor billed for it, as long as it stands.
func Claim(a *act.Act, id int64, what string) (*people.Card, error) {
	facts, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	before, err := loansdb.ClaimOf(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if before != nil {
		return nil, problem.Newf(problem.Refused, "This claim is already recorded.")
	}
	patron := *facts.Loan.PatronID
	loansdb.AddClaim(a.Tx, id, patron, a.Who.ID, what, a.Now)
	a.Tell(event.Event{Kind: event.Claimed, Patron: patron, Item: facts.Item.ID, Loan: id, Detail: event.Detail{Is: what}})
	return people.Open(a, patron)
}

// Unclaim takes back what a patron has said of a loan: it was a mistake, and does not count.
func Unclaim(a *act.Act, id int64) (*people.Card, error) {
	facts, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	claim, err := loansdb.ClaimOf(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if claim == nil {
		return nil, problem.Newf(problem.Refused, "There is no claim on this loan.")
	}
	loansdb.EndClaim(a.Tx, claim.ID, a.Now)
	a.Tell(event.Event{Kind: event.ClaimUndone, Patron: *facts.Loan.PatronID, Item: facts.Item.ID, Loan: id})
	return people.Open(a, *facts.Loan.PatronID)
}
