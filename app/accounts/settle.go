package accounts

import (
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store/accountsdb"
	"nevrin/store/peopledb"
	"nevrin/store/returnsdb"
)

// Settling is a payment or waiver, for one person or several at once: of charges that are chosen, or of the oldest first.
type Settling struct {
	Patrons   []int64      `json:"patrons" minItems:"1" maxItems:"50" nullable:"false" doc:"Whose charges"`
	Charges   []int64      `json:"charges,omitempty" maxItems:"500" nullable:"false" doc:"Only these; none: the oldest first, but for what is in dispute"`
	Amount    string       `json:"amount" doc:"A sum such as 3.50"`
	Means     ledger.Means `json:"means,omitempty" enum:",cash,card,cheque,transfer" doc:"How it is paid; empty for a waiver"`
	Laid      string       `json:"laid,omitempty" doc:"Cash that was laid down; empty: what was to be paid"`
	Reference string       `json:"reference,omitempty" maxLength:"100" doc:"The number of a cheque, or of a card's or bank's payment"`
	Till      int64        `json:"till,omitempty" doc:"The till it goes into; none: the only one that is open at the branch"`
	Reason    string       `json:"reason,omitempty" maxLength:"500" doc:"Why it is waived"`
}

// Settled is the result of a payment or waiver.
type Settled struct {
	Receipt int64   `json:"receipt,omitempty" doc:"Of a payment"`
	Sum     string  `json:"sum" doc:"What it settled"`
	Taken   string  `json:"taken" doc:"What was taken, in coins where it was cash; empty: nothing"`
	Change  string  `json:"change" doc:"The change for the cash received; empty: none"`
	Owing   []Owes  `json:"owing" doc:"What is still owed in all, by patron"`
	Waived  []int64 `json:"waived" nullable:"false" doc:"The entries of a waiver, to undo it by"`
}

// Owes is a patron's balance.
type Owes struct {
	Patron int64  `json:"patron"`
	Owes   string `json:"owes"`
}

// Settle takes a payment, or waives with a reason.
func Settle(a *act.Act, s Settling) (*Settled, error) {
	p, err := prepare(a, &s, 0)
	if err != nil {
		return nil, err
	}
	out := &Settled{Sum: a.Network.Money.Format(p.sum), Owing: []Owes{}, Waived: []int64{}}
	kind := ledger.Waiver
	if s.Means != "" {
		kind = ledger.Payment
		till, err := tillFor(a, p.Tills, s.Till, s.Means)
		if err != nil {
			return nil, err
		}
		if err := take(a, s, p.sum, till, out); err != nil {
			return nil, err
		}
	}
	return out, share(a, s, kind, p, out)
}

// prepared is a payment or waiver that has been looked at: nothing stands in its way.
type prepared struct {
	*accountsdb.SettlingFacts
	sum    money.Amount
	shares []ledger.Share
}

// prepare looks at what is to be settled. The payment at a terminal that is being written down is known by its id.
func prepare(a *act.Act, s *Settling, at int64) (*prepared, error) {
	sum, err := a.Network.Money.Parse(strings.TrimSpace(s.Amount))
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	if s.Means == "" {
		if err := mayWaive(a, sum, s.Reason); err != nil {
			return nil, err
		}
	}
	slices.Sort(s.Patrons)
	s.Patrons = slices.Compact(s.Patrons)
	f, err := accountsdb.FactsToSettle(a.Tx, s.Patrons, a.Who.Branch)
	if err != nil {
		return nil, err
	}
	if len(f.Patrons) != len(s.Patrons) || slices.ContainsFunc(f.Patrons, gone) {
		return nil, problem.NoSuch("patron")
	}
	for _, p := range f.Paying {
		if p.PaymentID != at {
			return nil, problem.Newf(problem.Refused,
				"A card payment of %s for this person is still at the terminal. Wait for it to finish, or cancel it.",
				a.Network.Money.Say(p.Amount))
		}
	}
	if len(s.Charges) == 0 { // what is in dispute waits, unless it is named
		f.Charges = slices.DeleteFunc(f.Charges, func(c accountsdb.OpenCharge) bool { return c.Disputed })
	}
	if f.Charges, err = choose(f.Charges, s.Charges); err != nil {
		return nil, err
	}
	open := make([]ledger.Open, len(f.Charges))
	for k, c := range f.Charges {
		open[k] = ledger.Open{Charge: c.ID, Owed: c.Owed}
	}
	shares, err := ledger.Settle(open, sum, a.Network.Money)
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	return &prepared{f, sum, shares}, nil
}

func gone(p peopledb.Patron) bool { return p.ForgottenAt != nil || p.MergedInto != nil }

// choose gives the charges that are to be settled. One that has been chosen and is no longer owed has been settled elsewhere in
// between.
func choose(open []accountsdb.OpenCharge, ids []int64) ([]accountsdb.OpenCharge, error) {
	if len(ids) == 0 {
		return open, nil
	}
	var out []accountsdb.OpenCharge
	for _, c := range open {
		if slices.Contains(ids, c.ID) {
			out = append(out, c)
		}
	}
	slices.Sort(ids)
	if missing := len(slices.Compact(ids)) - len(out); missing > 0 {
		return nil, problem.Newf(problem.Refused,
			"A selected charge has just been settled elsewhere. Check the account again.")
	}
	return out, nil
}

// take writes the receipt of a payment into a till; into none where it is nil.
func take(a *act.Act, s Settling, sum money.Amount, till *int64, out *Settled) (err error) {
	r := &accountsdb.Receipt{
		At: a.Now, BranchCode: a.Who.Branch, StaffID: act.OrNil(a.Who.ID), TillID: till, Means: s.Means,
		Amount: sum, Reference: strings.TrimSpace(s.Reference),
	}
	if s.Means == ledger.Cash {
		if err := inCash(a, s.Laid, sum, r, out); err != nil {
			return err
		}
	}
	if r.ID, err = a.Tx.NextID(); err != nil {
		return err
	}
	accountsdb.AddReceipt(a.Tx, r)
	out.Receipt, out.Taken = r.ID, a.Network.Money.Format(r.Amount)
	return nil
}

// roundToCoins makes a receipt of a sum rounded to coins. Where that leaves zero, the error ends in what to do instead.
func roundToCoins(m money.Currency, sum money.Amount, r *accountsdb.Receipt, instead string) (money.Amount, error) {
	cash, more := m.InCash(sum)
	if cash == 0 {
		return 0, problem.Newf(problem.Invalid, "%s rounds to zero in coins of %s. %s", m.Say(max(sum, -sum)), m.Say(m.Coin), instead)
	}
	r.Amount, r.Rounding = cash, more
	return cash, nil
}

// inCash works out what a sum comes to in coins, and the change.
func inCash(a *act.Act, laid string, sum money.Amount, r *accountsdb.Receipt, out *Settled) error {
	m := a.Network.Money
	cash, err := roundToCoins(m, sum, r, "Take it by card, or waive it.")
	if err != nil {
		return err
	}
	if laid = strings.TrimSpace(laid); laid == "" {
		return nil
	}
	down, err := m.Parse(laid)
	if err != nil {
		return problem.From(problem.Invalid, err)
	}
	change, err := m.Change(cash, down)
	if err != nil {
		return problem.From(problem.Invalid, err)
	}
	r.LaidDown = &down
	if change > 0 {
		out.Change = m.Format(change)
	}
	return nil
}

// share writes what a payment or waiver settles of each charge, and tells of it by patron.
func share(
	a *act.Act,
	s Settling,
	kind ledger.Kind,
	of *prepared,
	out *Settled,
) error {
	settled := map[int64]money.Amount{}
	for _, part := range of.shares {
		c := of.Charges[slices.IndexFunc(of.Charges, func(c accountsdb.OpenCharge) bool { return c.ID == part.Charge })]
		e := accountsdb.Entry{
			PatronID: c.PatronID, Kind: kind, Amount: -part.Amount, Settles: &part.Charge,
			ReceiptID: act.OrNil(out.Receipt), Reason: s.Reason, About: c.About,
		}
		if kind == ledger.Payment {
			e.Reason = ""
		}
		if err := add(a, &e); err != nil {
			return err
		}
		settled[c.PatronID] += part.Amount
		if kind == ledger.Waiver {
			out.Waived = append(out.Waived, e.ID)
		}
	}
	told, answer := event.Paid, "paid"
	if kind == ledger.Waiver {
		told, answer = event.Waived, "waived"
	}
	for k := range of.Patrons {
		p := &of.Patrons[k]
		out.Owing = append(out.Owing, Owes{p.ID, a.Network.Money.Format(p.Balance - settled[p.ID])})
		if settled[p.ID] == 0 {
			continue
		}
		returnsdb.AnswerSettled(a.Tx, p.ID, answer)
		accountsdb.EndDisputesSettled(a.Tx, p.ID, answer, a.Now)
		a.Tell(event.Event{Kind: told, Patron: p.ID, Detail: event.Detail{
			Amount: settled[p.ID], Means: string(s.Means), Reason: s.Reason,
		}})
	}
	return nil
}

// mayWaive refuses a waiver without a reason, and a sum beyond what the actor's role waives at once.
func mayWaive(a *act.Act, amount money.Amount, reason string) error {
	if strings.TrimSpace(reason) == "" {
		return problem.Newf(problem.Invalid, "Enter a reason for the waiver.")
	}
	most, may := a.May().MayWaive(amount)
	switch {
	case may:
		return nil
	case most == 0:
		return problem.Newf(problem.Forbidden, "You cannot waive charges. Ask somebody who can.")
	}
	return problem.Newf(
		problem.Forbidden,
		"You can waive up to %s at once. Ask somebody with a higher limit.",
		a.Network.Money.Say(most),
	)
}
