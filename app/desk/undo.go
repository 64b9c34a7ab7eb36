package desk

import (
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/queue"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
)

// Undone is the result of undoing a loan.
type Undone struct {
	Patron int64 `json:"patron"`
	Loan   int64 `json:"loan" doc:"The loan that is no more"`
	Stale  bool  `json:"stale" doc:"More of the card has changed: look at it again"`
}

// Undo takes back a loan just made, as if it had not been; the events of both stay.
func Undo(a *act.Act, id int64) (*Undone, error) {
	facts, l, err := deskdb.LoanFacts(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case l == nil:
		return nil, problem.NoSuch("loan")
	case l.ReturnedAt != nil:
		return nil, ended()
	case !loan.MayUndo(a.Who.Role, l.LentAt, a.Now):
		return nil, problem.Newf(problem.Refused, "Only today’s loans can be undone. Return the item instead.")
	case l.RenewedAt != nil:
		return nil, problem.Newf(problem.Refused, "This loan has been renewed since. Return the item instead.")
	case l.LostAt != nil:
		return nil, problem.Newf(problem.Refused, "This item is marked lost. Return the item instead.")
	case !a.Who.MayActOn(l.BranchCode):
		return nil, elsewhereOnly(a, l.BranchCode)
	}
	if err := people.InHand(a, *l.PatronID); err != nil {
		return nil, err
	}
	loansdb.EndLoan(a.Tx, l.ID, a.Now, true)
	a.Tell(event.Event{Kind: event.LoanUndone, Patron: *l.PatronID, Item: l.ItemID, Loan: l.ID})
	if err := holdAgain(a, l); err != nil {
		return nil, err
	}
	// What waits for the title may be served by the item again.
	if _, err := moving.Route(a, facts.Item.TitleID, 0); err != nil {
		return nil, err
	}
	return &Undone{*l.PatronID, l.ID, l.FilledHold != nil}, nil
}

// elsewhereOnly says that another branch or a supervisor undoes what that branch has done.
func elsewhereOnly(a *act.Act, branch calendar.Code) error {
	return problem.Newf(
		problem.Forbidden,
		"This was done at %s. Only that branch or a supervisor can undo it.",
		a.Network.BranchName(branch),
	)
}

// holdAgain lets a hold that the loan filled stand as before: on this branch's hold shelf, or waiting in its old place.
// Where the patron has placed another hold on the title since, that one stands for it.
func holdAgain(a *act.Act, l *loansdb.Loan) error {
	if l.FilledHold == nil {
		return nil
	}
	h, another, err := holdsdb.FilledHold(a.Tx, *l.FilledHold)
	if err != nil || h.State != queue.Filled || another {
		return err
	}
	told := event.Event{Kind: event.HoldReopened, Patron: h.PatronID, Hold: h.ID, Item: l.ItemID}
	if l.FilledFrom == queue.Ready && h.Pickup == l.BranchCode {
		a.Tell(told)
		return holdsdb.MoveHold(a.Tx, h, queue.Reopen, a.Now)
	}
	told.Kind = event.HoldPutBack
	a.Tell(told)
	return holdsdb.MoveHold(a.Tx, h, queue.PutBack, a.Now)
}
