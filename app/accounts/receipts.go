package accounts

import (
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/core/sight"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/peopledb"
)

// Receipt is money that went over the counter in one go.
type Receipt struct {
	ID         int64        `json:"id"`
	At         time.Time    `json:"at"`
	Branch     string       `json:"branch"`
	Who        string       `json:"who"`
	Till       string       `json:"till" doc:"Empty: none"`
	Assigned   int64        `json:"assigned_to,omitempty" doc:"The till, if it was assigned to it later and that is open still: it may come out again"`
	Means      ledger.Means `json:"means" enum:"cash,card,cheque,transfer"`
	Amount     string       `json:"amount" doc:"Less than nothing: given out"`
	Out        bool         `json:"out"`
	Rounding   string       `json:"rounding" doc:"By how much cash came to more than what it settled; empty: nothing"`
	Laid       string       `json:"laid" doc:"Cash that was laid down; empty: not said"`
	Change     string       `json:"change"`
	Reference  string       `json:"reference"`
	Reverses   int64        `json:"reverses,omitempty"`
	ReversedBy int64        `json:"reversed_by,omitempty"`
	Reason     string       `json:"reason" doc:"Why it reverses another"`
	Names      []string     `json:"names" doc:"Whose charges it was about"`
	Stays      string       `json:"stays" doc:"Why it may not be reversed; empty: it may"`
	Parts      []Part       `json:"parts" doc:"What it settled; empty in lists"`
}

// Part is the part of a receipt that settled, or refunded, one charge.
type Part struct {
	Patron int64  `json:"patron"`
	Name   string `json:"name"`
	Text   string `json:"text"`
	Sum    string `json:"sum"`
	Owes   string `json:"owes" doc:"What the patron owes now in all"`
}

func showReceipt(a *act.Act, r *accountsdb.ReceiptShown, parts []accountsdb.ReceiptPart) *Receipt {
	m := a.Network.Money
	out := &Receipt{
		ID: r.ID, At: r.At, Branch: a.Network.BranchName(r.BranchCode), Means: r.Means,
		Amount: m.Format(r.Amount),
		Out:    r.Amount < 0, Reference: r.Reference, Reason: r.Reason, Names: r.Patrons, Parts: []Part{},
		Stays: ledger.Reversing(taken(r), a.Who.Role, a.Here(), a.Now),
	}
	if r.Who != nil {
		out.Who = *r.Who
	}
	if r.Till != nil {
		out.Till = *r.Till
	}
	if r.Assigned {
		out.Assigned = *r.TillID
	}
	if r.Rounding != 0 {
		out.Rounding = m.Format(r.Rounding)
	}
	if r.LaidDown != nil {
		out.Laid, out.Change = m.Format(*r.LaidDown), m.Format(*r.LaidDown-r.Amount)
	}
	if r.Reverses != nil {
		out.Reverses = *r.Reverses
	}
	if r.ReversedBy != nil {
		out.ReversedBy = *r.ReversedBy
	}
	for _, p := range parts {
		sum := p.Amount
		if p.Kind == ledger.Payment {
			sum = -sum
		}
		name := peopledb.Patron{LegalName: p.LegalName, PreferredName: p.PreferredName}
		out.Parts = append(out.Parts, Part{
			p.PatronID, name.Name(), Say(p.About, p.Title), m.Format(sum), m.Format(p.Balance),
		})
	}
	return out
}

func taken(r *accountsdb.ReceiptShown) ledger.Taken {
	return ledger.Taken{
		Out: r.Amount < 0, Reversed: r.ReversedBy != nil, GivenBack: r.GivenBack, At: r.At, Branch: r.BranchCode,
	}
}

// Receipts gives a page of receipts, newest first: of a till, of a patron, or of the branch where the actor is.
func Receipts(a *act.Act, which accountsdb.WhichReceipts, page store.Page) ([]Receipt, store.Page, error) {
	which.Branch = a.Who.Branch
	if which.Till != 0 {
		if _, _, _, err := tillHere(a, which.Till, false); err != nil {
			return nil, page, err
		}
	}
	rows, next, err := accountsdb.Receipts(a.Tx, which, page)
	out := []Receipt{}
	for k := range rows {
		out = append(out, *showReceipt(a, &rows[k], nil))
	}
	return out, next, err
}

// OneReceipt gives a receipt with its parts.
func OneReceipt(a *act.Act, id int64) (*Receipt, error) {
	row, parts, err := accountsdb.OneReceipt(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case row == nil:
		return nil, problem.NoSuch("receipt")
	case !a.Who.MayActOn(row.BranchCode) || sight.OfPatron(a.Who.Role) != sight.Whole:
		return nil, problem.Newf(problem.Forbidden, "This receipt belongs to %s. Only that branch or a supervisor can open it.",
			a.Network.BranchName(row.BranchCode))
	}
	return showReceipt(a, row, parts), nil
}

// Reversing is a payment that was taken by mistake.
type Reversing struct {
	Reason string `json:"reason" minLength:"1" maxLength:"300" doc:"Why it was a mistake"`
	Till   int64  `json:"till,omitempty" doc:"The till it goes out of; none: the only one that is open at the branch"`
}

// Reverse takes a payment back that was taken by mistake: what it settled is owed again, and the money goes out as it came in.
func Reverse(a *act.Act, id int64, v Reversing) (*Receipt, error) {
	v.Reason = strings.TrimSpace(v.Reason)
	if v.Reason == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a reason.")
	}
	was, parts, tills, err := accountsdb.ReversingFacts(a.Tx, id, a.Who.Branch)
	switch {
	case err != nil:
		return nil, err
	case was == nil:
		return nil, problem.NoSuch("receipt")
	}
	if says := ledger.Reversing(taken(was), a.Who.Role, a.Here(), a.Now); says != "" {
		return nil, problem.New(problem.Refused, says)
	}
	till, err := tillFor(a, tills, v.Till, was.Means)
	if err != nil {
		return nil, err
	}
	back := &accountsdb.Receipt{
		At: a.Now, BranchCode: a.Who.Branch, StaffID: act.OrNil(a.Who.ID), TillID: till,
		Means: was.Means, Amount: -was.Amount,
		Rounding: -was.Rounding, Reference: was.Reference, Reverses: &was.ID, Reason: v.Reason,
	}
	if back.ID, err = a.Tx.NextID(); err != nil {
		return nil, err
	}
	accountsdb.AddReceipt(a.Tx, back)
	owed := map[int64]money.Amount{}
	for _, p := range parts {
		e := accountsdb.Entry{
			PatronID: p.PatronID, Kind: ledger.Reversal, Amount: -p.Amount, Settles: p.Settles, LoanID: p.LoanID,
			ReceiptID: &back.ID, About: p.About,
		}
		if err := add(a, &e); err != nil {
			return nil, err
		}
		owed[p.PatronID] -= p.Amount
	}
	for patron, sum := range owed {
		a.Tell(event.Event{Kind: event.PaymentReversed, Patron: patron, Detail: event.Detail{
			Amount: sum, Means: string(was.Means), Reason: v.Reason,
		}})
	}
	return OneReceipt(a, back.ID)
}
