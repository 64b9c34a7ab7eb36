package accounts

import (
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/peopledb"
	"nevrin/store/returnsdb"
)

// Refund is money owed to a patron, to be paid out.
type Refund struct {
	ID     int64     `json:"id"`
	Patron int64     `json:"patron"`
	Name   string    `json:"name"`
	Card   string    `json:"card"`
	Text   string    `json:"text" doc:"What had been paid"`
	Sum    string    `json:"sum"`
	At     time.Time `json:"at" doc:"Since when it is owed"`
	Branch string    `json:"branch" doc:"Where it was credited"`
	Reason string    `json:"reason"`
}

func showRefunds(a *act.Act, rows []accountsdb.RefundOwed) []Refund {
	out := []Refund{}
	for _, r := range rows {
		name := peopledb.Patron{LegalName: r.LegalName, PreferredName: r.PreferredName}
		shown := Refund{
			ID: r.ID, Patron: r.PatronID, Name: name.Name(), Card: r.Card, Text: Say(r.About, r.Title),
			Sum: a.Network.Money.Format(r.Amount), At: r.At, Reason: r.Reason,
		}
		if r.BranchCode != nil {
			shown.Branch = a.Network.BranchName(*r.BranchCode)
		}
		out = append(out, shown)
	}
	return out
}

// Refunds gives a page of refunds owed, the oldest first.
func Refunds(a *act.Act, page store.Page) ([]Refund, store.Page, error) {
	rows, next, err := accountsdb.RefundsOwed(a.Tx, page)
	return showRefunds(a, rows), next, err
}

// PayingOut is money about to be refunded.
type PayingOut struct {
	Patron    int64        `json:"patron"`
	Means     ledger.Means `json:"means" enum:"cash,card,cheque,transfer"`
	Reference string       `json:"reference,omitempty" maxLength:"100" doc:"Of a cheque, card or transfer"`
	Till      int64        `json:"till,omitempty"`
}

// PayOut gives a patron back all that is owed to them.
func PayOut(a *act.Act, v PayingOut) (*Receipt, error) {
	owed, tills, err := accountsdb.PayingOut(a.Tx, v.Patron, a.Who.Branch)
	if err != nil {
		return nil, err
	}
	if len(owed) == 0 {
		return nil, problem.Newf(problem.Refused, "There is nothing to refund. It may have been paid out just now.")
	}
	till, err := tillFor(a, tills, v.Till, v.Means)
	if err != nil {
		return nil, err
	}
	var sum money.Amount
	for _, r := range owed {
		sum += r.Amount
	}
	r := &accountsdb.Receipt{
		At: a.Now, BranchCode: a.Who.Branch, StaffID: act.OrNil(a.Who.ID), TillID: till,
		Means: v.Means, Amount: -sum,
		Reference: strings.TrimSpace(v.Reference),
	}
	if v.Means == ledger.Cash {
		if _, err := roundToCoins(a.Network.Money, -sum, r, "Choose another method."); err != nil {
			return nil, err
		}
	}
	if r.ID, err = a.Tx.NextID(); err != nil {
		return nil, err
	}
	accountsdb.AddReceipt(a.Tx, r)
	for _, o := range owed {
		accountsdb.EndRefund(a.Tx, o.ID, &r.ID, nil)
	}
	a.Tell(event.Event{Kind: event.PaidOut, Patron: v.Patron, Detail: event.Detail{
		Amount: sum, Means: string(v.Means),
	}})
	return OneReceipt(a, r.ID)
}

// Credit takes a charge back that should not have been: nothing of it is owed any more, and what of it was paid is to be given
// back.
func Credit(a *act.Act, charge int64, reason string) (*Charged, error) {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a reason.")
	}
	c, err := accountsdb.ChargeLocked(a.Tx, charge)
	switch {
	case err != nil:
		return nil, err
	case c == nil:
		return nil, problem.NoSuch("charge")
	case c.BranchCode != nil && !a.Who.MayActOn(*c.BranchCode):
		return nil, problem.Newf(problem.Forbidden, "This was charged at %s. Only that branch or a supervisor can reverse it.",
			a.Network.BranchName(*c.BranchCode))
	}
	billed, err := accountsdb.BilledBy(a.Tx, charge)
	if err != nil {
		return nil, err
	}
	credits, sum := ledger.TakenBack(billed)
	if len(credits) == 0 {
		return nil, problem.Newf(problem.Refused, "This charge has already been waived or reversed.")
	}
	if most, may := a.May().MayWaive(sum); !may {
		return nil, problem.Newf(problem.Forbidden, "You can reverse up to %s at once. Ask somebody with a higher limit.",
			a.Network.Money.Say(most))
	}
	back := accountsdb.Entry{PatronID: c.PatronID, LoanID: c.LoanID, About: c.About, Reason: reason}
	refunded, err := takeBack(a, back, credits)
	if err != nil {
		return nil, err
	}
	returnsdb.AnswerSettled(a.Tx, c.PatronID, "waived")
	accountsdb.EndDisputesSettled(a.Tx, c.PatronID, "taken back", a.Now)
	a.Tell(event.Event{Kind: event.ChargeTakenBack, Patron: c.PatronID, Detail: event.Detail{
		Amount: sum, About: string(c.About), Reason: reason,
	}})
	return &Charged{c.PatronID, a.Network.Money.Format(c.Balance + refunded - sum)}, nil
}
