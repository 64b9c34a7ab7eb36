package ledger

import (
	"slices"

	"nevrin/core/money"
)

// Account is an account of the books: where money is, who owes it, or what it was earned or lost by.
type Account string

// The accounts, beside those of income, of which there is one for each thing that is charged for.
const (
	Receivable  Account = "receivable"  // what patrons owe
	Drawers     Account = "cash"        // cash in drawers
	Cards       Account = "card"        // what card companies owe
	Cheques     Account = "cheque"      // in drawers
	Bank        Account = "bank"        // on the bank's account, or on its way there
	Waived      Account = "waived"      // what patrons need not pay
	Refunds     Account = "refunds"     // what is owed to patrons
	Rounding    Account = "rounding"    // what coins are too large for
	Differences Account = "differences" // of drawers that were counted
	Carried     Account = "carried"     // what patrons owed when the network moved in
)

// Income is the account of what is charged for something.
func Income(of About) Account { return Account("income_" + of) }

// Accounts are all accounts.
var Accounts = func() []Account {
	out := []Account{Receivable, Drawers, Cards, Cheques, Bank}
	for _, a := range Abouts {
		out = append(out, Income(a))
	}
	return append(out, Waived, Refunds, Rounding, Differences, Carried)
}()

// Posting is a sum that is booked on two accounts: it is added to the debit of one and to the credit of the other.
type Posting struct {
	Debit, Credit Account
	Sum           money.Amount // more than nothing
}

// post books a sum; less than nothing is booked the other way round.
func post(debit, credit Account, sum money.Amount) []Posting {
	switch {
	case sum > 0:
		return []Posting{{debit, credit, sum}}
	case sum < 0:
		return []Posting{{credit, debit, -sum}}
	}
	return nil
}

func place(by Means) Account {
	switch by {
	case Cash:
		return Drawers
	case Card:
		return Cards
	case Cheque:
		return Cheques
	}
	return Bank
}

// Moved is entries of one kind that are booked together.
type Moved struct {
	Kind    Kind
	About   About
	Means   Means // of payments and reversals that went over the counter; none: a refund owed pays
	Sum     money.Amount
	Carried bool // it came from another system
}

// Book books what entries come to. Sums are as the entries have them: charges more than nothing, payments less.
func Book(m Moved) []Posting {
	income := Income(m.About)
	if m.Carried {
		income = Carried
	}
	switch m.Kind {
	case Charge, Correction:
		return post(Receivable, income, m.Sum)
	case Waiver, Unwaiver:
		return post(Waived, Receivable, -m.Sum)
	case Refund:
		return post(Receivable, Refunds, m.Sum)
	case Payment, Reversal:
		if m.Means == "" {
			return post(Refunds, Receivable, -m.Sum)
		}
		return post(place(m.Means), Receivable, -m.Sum)
	}
	return nil
}

// BookRounding books by how much cash came to more than what it settled.
func BookRounding(more money.Amount) []Posting { return post(Drawers, Rounding, more) }

// BookPayout books what was refunded, as a sum of more than nothing.
func BookPayout(by Means, sum money.Amount) []Posting { return post(Refunds, place(by), sum) }

// BookMove books cash that was laid into a drawer from the bank, or, less than nothing, brought there.
func BookMove(sum money.Amount) []Posting { return post(Drawers, Bank, sum) }

// BookDifference books by how much there was more in a drawer than there should have been.
func BookDifference(by Means, more money.Amount) []Posting { return post(place(by), Differences, more) }

// Sums adds postings to the same two accounts together, in the order of the accounts.
func Sums(all []Posting) []Posting {
	type pair struct{ debit, credit Account }
	sums := map[pair]money.Amount{}
	for _, p := range all {
		sums[pair{p.Debit, p.Credit}] += p.Sum
	}
	var out []Posting
	for k, sum := range sums {
		out = append(out, Posting{k.debit, k.credit, sum})
	}
	slices.SortFunc(out, func(a, b Posting) int {
		if d := slices.Index(Accounts, a.Debit) - slices.Index(Accounts, b.Debit); d != 0 {
			return d
		}
		return slices.Index(Accounts, a.Credit) - slices.Index(Accounts, b.Credit)
	})
	return out
}

// Balance gives an account's balance after some postings: its debits less its credits.
func Balance(all []Posting, of Account) money.Amount {
	var sum money.Amount
	for _, p := range all {
		if p.Debit == of {
			sum += p.Sum
		}
		if p.Credit == of {
			sum -= p.Sum
		}
	}
	return sum
}
