package loansdb

import (
	"nevrin/store"
)

// LoanGoneBy is a loan that has ended, as far as it matters who had it.
type LoanGoneBy struct {
	Last bool // nobody has borrowed the item since
	Owed bool // something is still owed for it
}

// pastLoan asks so of a loan l.
const pastLoan = `NOT EXISTS (SELECT 1 FROM loans n WHERE n.item_id = l.item_id AND n.lent_at > l.lent_at AND NOT n.undone) AS last,
	EXISTS (SELECT 1 FROM ledger c WHERE c.loan_id = l.id AND c.kind = 'charge' AND
		(SELECT sum(s.amount) FROM ledger s WHERE s.id = c.id OR s.settles = c.id) > 0) AS owed`

// WhenLoanEnded tells how a loan that has ended stands.
func WhenLoanEnded(tx *store.Tx, id int64) (LoanGoneBy, error) {
	row, err := store.One[LoanGoneBy](tx, "SELECT "+pastLoan+" FROM loans l WHERE l.id = $1", id)
	if row == nil {
		return LoanGoneBy{}, err
	}
	return *row, err
}
