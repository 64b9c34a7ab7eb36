// Package lent gives open loans with the terms they were lent by, for all that is decided of them.
package lent

import (
	"nevrin/app/act"
	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
)

// OwnTerms are the terms that an item carries itself.
func OwnTerms(book *rulebook.Rulebook, item *stockdb.Item) ([]rulebook.Setting, error) {
	if len(item.OwnTerms) == 0 {
		return nil, nil
	}
	return book.ParseSettings(item.OwnTerms)
}

// Of is an open loan of an item with the terms it was lent by.
func Of(a *act.Act, l *loansdb.Loan, item *stockdb.Item) (circulation.Lent, error) {
	out := circulation.Lent{
		At: l.At(), Due: l.Due(), Renewed: l.RenewedAt, LostAt: l.LostAt, Claimed: l.ClaimedAt, Price: item.Cost(),
	}
	book, err := a.Edition(l.EditionID)
	if err != nil {
		return out, err
	}
	out.Rules = book.Rulebook
	if out.Own, err = OwnTerms(out.Rules, item); err != nil {
		return out, err
	}
	out.Branch, err = a.Network.Branch(l.BranchCode)
	return out, err
}

// Accrued gives the fine if a loan came back now; empty where it is not late.
func Accrued(a *act.Act, l *loansdb.LoanShown) (money.Amount, error) {
	is, err := Of(a, &l.Loan, &stockdb.Item{Price: l.Price, OwnTerms: l.OwnTerms})
	if err != nil || !l.Due().Late(is.Branch, a.Now) {
		return 0, err
	}
	if l.Claimed != nil && *l.Claimed != "returned" {
		is.Claimed = nil
	}
	return circulation.TakeBack(is, circulation.Counting{Now: a.Now}, nil).Fine, nil
}
