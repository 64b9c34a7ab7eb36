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
	"nevrin/store/networkdb"
	"nevrin/store/peopledb"
)

// ByHand is a charge that somebody makes: from the network's price list at the price that stands there, or free with a reason.
type ByHand struct {
	Charge string `json:"charge" maxLength:"40" doc:"Its code in the price list; empty: it is free"`
	Amount string `json:"amount,omitempty" doc:"Of a free charge: a sum such as 3.50"`
	Note   string `json:"note" maxLength:"200" doc:"More about it; of a free charge, what it is for"`
}

// Charged is the result of a manual charge.
type Charged struct {
	Patron int64  `json:"patron"`
	Owes   string `json:"owes" doc:"What is owed now in all"`
}

// ChargeByHand charges a patron for something.
func ChargeByHand(a *act.Act, patron int64, b ByHand) (*Charged, error) {
	sum, name, err := priced(a, b)
	if err != nil {
		return nil, err
	}
	p, err := peopledb.PatronLocked(a.Tx, patron)
	if err != nil {
		return nil, err
	}
	if p == nil || gone(*p) {
		return nil, problem.NoSuch("patron")
	}
	e := accountsdb.Entry{PatronID: patron, Kind: ledger.Charge, Amount: sum, About: ledger.AboutManual, Reason: name}
	if err := add(a, &e); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.Charged, Patron: patron, Detail: event.Detail{
		Amount: sum, About: string(ledger.AboutManual), Reason: name,
	}})
	return &Charged{patron, a.Network.Money.Format(p.Balance + sum)}, nil
}

// priced gives the sum of a charge by hand and what it is called.
func priced(a *act.Act, b ByHand) (money.Amount, string, error) {
	note := strings.TrimSpace(b.Note)
	if b.Charge == "" {
		sum, err := a.Network.Money.Parse(strings.TrimSpace(b.Amount))
		switch {
		case err != nil:
			return 0, "", problem.From(problem.Invalid, err)
		case sum == 0:
			return 0, "", problem.Newf(problem.Invalid, "Enter an amount above zero.")
		case note == "":
			return 0, "", problem.Newf(problem.Invalid, "A charge that is not on the price list needs a description. Enter what it is for.")
		}
		return sum, note, nil
	}
	k := slices.IndexFunc(a.Network.Choices, func(c networkdb.Choice) bool {
		return c.List == "charge" && c.Code == b.Charge && !c.Retired
	})
	if k < 0 {
		return 0, "", problem.Newf(
			problem.Invalid,
			"The price list has no %q. An administrator can add it under Network, Lists and reasons.",
			b.Charge,
		)
	}
	price := a.Network.Choices[k]
	if note != "" {
		return *price.Amount, price.Name + ", " + note, nil
	}
	return *price.Amount, price.Name, nil
}
