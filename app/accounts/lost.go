package accounts

import (
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/core/circulation"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/loansdb"
)

// BillLost marks an open loan lost, and charges what that costs.
func BillLost(a *act.Act, l *loansdb.Loan, lost *circulation.Lost) error {
	loansdb.LoseLoan(a.Tx, l, a.Now)
	a.Tell(event.Event{Kind: event.Lost, Patron: *l.PatronID, Item: l.ItemID, Loan: l.ID, Why: &lost.Why})
	for _, p := range []struct {
		about  ledger.About
		amount money.Amount
	}{{ledger.AboutLost, lost.Bill.Price}, {ledger.AboutProcessing, lost.Bill.Processing}, {ledger.AboutLate,
		lost.Bill.Lateness}} {
		e := &accountsdb.Entry{
			PatronID: *l.PatronID,
			Amount:   p.amount,
			LoanID:   &l.ID,
			About:    p.about,
			Why:      store.JSON(&lost.Why),
		}
		if err := Put(a, e, l.ItemID); err != nil {
			return err
		}
	}
	return nil
}
