package accounts

import (
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store/accountsdb"
	"nevrin/store/loansdb"
)

// takeBack cancels charges: what was paid of them becomes a refund owed, and what remains then is corrected. The refund
// stands first, since a charge is never settled by more than it is. It gives the sum to refund.
func takeBack(a *act.Act, like accountsdb.Entry, credits []ledger.Credit) (refunded money.Amount, err error) {
	for _, c := range credits {
		for _, part := range []struct {
			kind   ledger.Kind
			amount money.Amount
		}{{ledger.Refund, c.Refund}, {ledger.Correction, -c.Correct}} {
			if part.amount == 0 {
				continue
			}
			e := like
			e.Kind, e.Amount, e.Settles = part.kind, part.amount, &c.Charge
			if err := add(a, &e); err != nil {
				return refunded, err
			}
		}
		refunded += c.Refund
	}
	return refunded, nil
}

// TakeBack takes charges for a lost loan back, since it was found: what of them was paid is refunded. Line is
// the line of the returns run that does it.
func TakeBack(a *act.Act, l *loansdb.Loan, credits []ledger.Credit, line int64) error {
	if len(credits) == 0 {
		return nil
	}
	like := accountsdb.Entry{PatronID: *l.PatronID, LoanID: &l.ID, About: ledger.AboutLost, LineID: act.OrNil(line)}
	refunded, err := takeBack(a, like, credits)
	if err != nil || refunded == 0 {
		return err
	}
	a.Tell(event.Event{
		Kind: event.Refunded, Patron: *l.PatronID, Item: l.ItemID, Loan: l.ID,
		Detail: event.Detail{Amount: refunded, About: string(ledger.AboutLost)},
	})
	return nil
}

// UndoLine takes back what a line of a returns run has put on an account: its charge is corrected; what it credited for
// a lost item is charged again, and a refund owed counts as paid again.
func UndoLine(a *act.Act, line int64, entries []accountsdb.Entry, item int64) error {
	for _, e := range entries {
		switch e.Kind {
		case ledger.Charge:
			back := accountsdb.Entry{
				PatronID: e.PatronID,
				Kind:     ledger.Correction,
				Amount:   -e.Amount,
				Settles:  &e.ID,
				LoanID:   e.LoanID,
				About:    e.About,
			}
			if err := add(a, &back); err != nil {
				return err
			}
		case ledger.Correction:
			again := accountsdb.Entry{PatronID: e.PatronID, Amount: -e.Amount, LoanID: e.LoanID, About: e.About}
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

// keepRefund lets a refund owed settle a charge that is made again: it counts as paid, as before. What has been
// paid out since is gone, and the charge is owed.
func keepRefund(a *act.Act, charge *accountsdb.Entry, refund *accountsdb.Entry) error {
	if refund == nil {
		return nil
	}
	out, err := accountsdb.PaidOut(a.Tx, []int64{refund.ID})
	if err != nil || len(out) > 0 {
		return err
	}
	kept := accountsdb.Entry{
		PatronID: charge.PatronID,
		Kind:     ledger.Payment,
		Amount:   -refund.Amount,
		Settles:  &charge.ID,
		LoanID:   charge.LoanID,
		About:    charge.About,
	}
	if err := add(a, &kept); err != nil {
		return err
	}
	accountsdb.EndRefund(a.Tx, refund.ID, nil, &kept.ID)
	return nil
}

// refundOf gives the refund owed for a charge; nil for none.
func refundOf(entries []accountsdb.Entry, charge int64) *accountsdb.Entry {
	for k := range entries {
		if e := &entries[k]; e.Kind == ledger.Refund && *e.Settles == charge {
			return e
		}
	}
	return nil
}
