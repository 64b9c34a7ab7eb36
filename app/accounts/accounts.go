// Package accounts keeps patrons' accounts: what is charged, paid, waived, credited and given back. Nothing is ever
// changed or deleted; what was wrong is taken back by another entry.
package accounts

import (
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/core/why"
	"nevrin/store"
)

// Charge is an open charge.
type Charge struct {
	ID     int64      `json:"id"`
	Text   string     `json:"text"`
	Amount string     `json:"amount"`
	Owed   string     `json:"owed"`
	At     time.Time  `json:"at"`
	Why    *why.Trace `json:"why,omitempty"`
}

// Show writes open charges for people.
func Show(a *act.Act, open []store.OpenCharge) []Charge {
	out := []Charge{}
	for _, c := range open {
		out = append(out, Charge{
			ID: c.ID, Text: Say(c.About, c.Title), Amount: a.Network.Money.Format(money.Amount(c.Amount)),
			Owed: a.Network.Money.Format(money.Amount(c.Owed)), At: c.At, Why: act.Trace(c.Why),
		})
	}
	return out
}

var sayAbout = map[store.About]string{
	store.AboutLate: "Late", store.AboutLost: "Lost", store.AboutProcessing: "Processing of what is lost",
	store.AboutMembership: "Membership", store.AboutUncollected: "Not fetched", store.AboutOutside: "Asked outside",
	store.AboutManual: "Charge",
}

// Say names what a charge is for, and of which title.
func Say(about store.About, title string) string {
	if title == "" {
		return sayAbout[about]
	}
	return sayAbout[about] + ": " + title
}

// Settling is a payment or waiver: of one charge, or of the oldest first.
type Settling struct {
	Patron int64  `json:"patron"`
	Charge int64  `json:"charge,omitempty" doc:"Only this charge; none: the oldest first"`
	Amount string `json:"amount" doc:"A sum such as 3.50"`
	Means  string `json:"means,omitempty" enum:",cash,card,cheque" doc:"How it is paid; empty for a waiver"`
	Reason string `json:"reason,omitempty" maxLength:"500" doc:"Why it is waived"`
}

// Settled is what a payment or waiver has left.
type Settled struct {
	Patron int64  `json:"patron"`
	Owes   string `json:"owes" doc:"What is still owed in all"`
}

// Settle takes a payment, or waives with a reason.
func Settle(a *act.Act, s Settling) (*Settled, error) {
	amount, err := a.Network.Money.Parse(s.Amount)
	if err != nil {
		return nil, problem.Newf(problem.Invalid, "%s.", err)
	}
	kind, answer, told := store.Payment, "paid", event.Paid
	if s.Means == "" {
		kind, answer, told = store.Waiver, "waived", event.Waived
		if strings.TrimSpace(s.Reason) == "" {
			return nil, problem.Newf(problem.Invalid, "A waiver needs a reason. Say why it is waived.")
		}
	}
	if s.Means == "" {
		if err := mayWaive(a, amount); err != nil {
			return nil, err
		}
	}
	p, charges, err := a.Tx.SettlingFacts(s.Patron)
	if err != nil {
		return nil, err
	}
	if p == nil {
		return nil, problem.NoSuch("patron")
	}
	var open []ledger.Open
	about := map[int64]store.About{}
	for _, c := range charges {
		if s.Charge == 0 || s.Charge == c.ID {
			open = append(open, ledger.Open{Charge: c.ID, Owed: money.Amount(c.Owed)})
			about[c.ID] = c.About
		}
	}
	shares, err := ledger.Settle(open, amount, a.Network.Money)
	if err != nil {
		return nil, problem.Newf(problem.Invalid, "%s.", err)
	}
	for _, share := range shares {
		e := store.Entry{
			PatronID: p.ID, Kind: kind, Amount: -int64(share.Amount), Settles: &share.Charge, Means: s.Means,
			Reason: s.Reason, About: about[share.Charge],
		}
		if err := add(a, &e); err != nil {
			return nil, err
		}
	}
	a.Tx.AnswerSettled(p.ID, answer)
	a.Tell(
		event.Event{Kind: told, Patron: p.ID, Detail: event.Detail{Amount: amount, Means: s.Means, Reason: s.Reason}},
	)
	return &Settled{p.ID, a.Network.Money.Format(money.Amount(p.Balance) - amount)}, nil
}

// mayWaive refuses a sum beyond what the actor's role waives at once.
func mayWaive(a *act.Act, amount money.Amount) error {
	most, may := a.May().MayWaive(amount)
	switch {
	case may:
		return nil
	case most == 0:
		return problem.Newf(problem.Forbidden, "You may waive nothing. Ask somebody who may.")
	}
	return problem.Newf(
		problem.Forbidden,
		"You may waive up to %s at once. Ask somebody who may waive more.",
		a.Network.Money.Format(most),
	)
}

// add writes an entry with who, where and when.
func add(a *act.Act, e *store.Entry) error {
	e.At, e.StaffID = a.Now, act.OrNil(a.Who.ID)
	if a.Who.Branch != "" {
		e.BranchCode = &a.Who.Branch
	}
	return a.Tx.AddEntry(e)
}

// ByHand is a charge from the network's price list.
type ByHand struct {
	Charge string `json:"charge" maxLength:"40" doc:"Its code in the price list"`
	Note   string `json:"note" maxLength:"200" doc:"More about it; may be empty"`
}

// ChargeByHand charges a patron for something of the price list, at the price that stands there.
func ChargeByHand(a *act.Act, patron int64, b ByHand) (*Settled, error) {
	k := slices.IndexFunc(a.Network.Choices, func(c store.Choice) bool {
		return c.List == "charge" && c.Code == b.Charge && !c.Retired
	})
	if k < 0 {
		return nil, problem.Newf(
			problem.Invalid,
			"The price list has no %q. Who administrates Nevrin keeps it under Network, Lists.",
			b.Charge,
		)
	}
	p, err := a.Tx.PatronLocked(patron)
	if err != nil {
		return nil, err
	}
	if p == nil || p.ForgottenAt != nil || p.MergedInto != nil {
		return nil, problem.NoSuch("patron")
	}
	price := a.Network.Choices[k]
	name := price.Name
	if note := strings.TrimSpace(b.Note); note != "" {
		name += ", " + note
	}
	e := store.Entry{PatronID: patron, Kind: store.Charge, Amount: *price.Amount, About: store.AboutManual,
		Reason: name}
	if err := add(a, &e); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.Charged, Patron: patron, Detail: event.Detail{
		Amount: money.Amount(*price.Amount), About: string(store.AboutManual), Reason: name,
	}})
	return &Settled{patron, a.Network.Money.Format(money.Amount(p.Balance + *price.Amount))}, nil
}

// Put puts a charge on a patron's account, with the event that says so; nothing where it is nothing. The patron must
// be locked.
func Put(a *act.Act, e *store.Entry, item int64) error {
	if e.Amount == 0 {
		return nil
	}
	e.Kind = store.Charge
	if err := add(a, e); err != nil {
		return err
	}
	told := event.Event{
		Kind: event.Charged, Patron: e.PatronID, Item: item, Why: act.Trace(e.Why),
		Detail: event.Detail{Amount: money.Amount(e.Amount), About: string(e.About)},
	}
	if e.LoanID != nil {
		told.Loan = *e.LoanID
	}
	a.Tell(told)
	return nil
}

// TakeBack takes charges for a lost loan back, since it was found: what of them was paid is to be given back. Line is
// the line of the returns run that does it.
func TakeBack(a *act.Act, l *store.Loan, credits []ledger.Credit, line int64) error {
	for _, c := range credits {
		for _, part := range []struct {
			kind   string
			amount money.Amount
		}{{store.Refund, c.Refund}, {store.Correction, -c.Correct}} {
			if part.amount == 0 {
				continue
			}
			e := store.Entry{
				PatronID: *l.PatronID, Kind: part.kind, Amount: int64(part.amount), Settles: &c.Charge, LoanID: &l.ID,
				About: store.AboutLost, LineID: act.OrNil(line),
			}
			if err := add(a, &e); err != nil {
				return err
			}
		}
		if c.Refund > 0 {
			a.Tell(
				event.Event{
					Kind:   event.Refunded,
					Patron: *l.PatronID,
					Item:   l.ItemID,
					Loan:   l.ID,
					Detail: event.Detail{Amount: c.Refund, About: string(store.AboutLost)},
				},
			)
		}
	}
	return nil
}

// UndoLine takes back what a line of a returns run has put on an account: its charge is corrected; what it credited for
// a lost item is charged again, and what was to be given back counts as paid again.
func UndoLine(a *act.Act, line int64, entries []store.Entry, item int64) error {
	for _, e := range entries {
		switch e.Kind {
		case store.Charge:
			back := store.Entry{
				PatronID: e.PatronID,
				Kind:     store.Correction,
				Amount:   -e.Amount,
				Settles:  &e.ID,
				LoanID:   e.LoanID,
				About:    e.About,
			}
			if err := add(a, &back); err != nil {
				return err
			}
		case store.Correction:
			again := store.Entry{PatronID: e.PatronID, Amount: -e.Amount, LoanID: e.LoanID, About: e.About}
			if err := Put(a, &again, item); err != nil {
				return err
			}
			if err := keepRefund(a, &again, refundOf(entries, *e.Settles)); err != nil {
				return err
			}
		}
	}
	return nil
}

// refundOf is what was to be given back for a charge.
func refundOf(entries []store.Entry, charge int64) int64 {
	for _, e := range entries {
		if e.Kind == store.Refund && *e.Settles == charge {
			return e.Amount
		}
	}
	return 0
}

// keepRefund lets what was to be given back settle a charge that is made again: it counts as paid, as before.
func keepRefund(a *act.Act, charge *store.Entry, refund int64) error {
	if refund == 0 {
		return nil
	}
	kept := store.Entry{
		PatronID: charge.PatronID,
		Kind:     store.Payment,
		Amount:   -refund,
		Settles:  &charge.ID,
		LoanID:   charge.LoanID,
		About:    charge.About,
	}
	return add(a, &kept)
}
