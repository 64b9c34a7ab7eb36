package store

import (
	"encoding/json"
	"time"

	"nevrin/core/ledger"
	"nevrin/core/money"
)

// AddEntry writes an entry of the ledger and gives it its id. The patron must be locked.
func (t *Tx) AddEntry(e *Entry) (err error) {
	if e.ID, err = t.NextID(); err != nil {
		return err
	}
	t.queue(
		`INSERT INTO ledger (id, patron_id, kind, amount, settles, loan_id, means, about, reason, line_id, why, at,
				staff_id, branch_code)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)`,
		e.ID,
		e.PatronID,
		e.Kind,
		e.Amount,
		e.Settles,
		e.LoanID,
		e.Means,
		e.About,
		e.Reason,
		e.LineID,
		e.Why,
		e.At,
		e.StaffID,
		e.BranchCode,
	)
	return nil
}

// OpenCharge is a charge with what is still owed of it.
type OpenCharge struct {
	ID, Amount, Owed int64
	About            About
	Title            string // of what it was charged for; may be empty
	At               time.Time
	Why              json.RawMessage
}

const openCharges = `SELECT c.id, c.amount, o.owed, c.about, coalesce(b.name, CASE c.about WHEN 'manual' THEN c.reason END, '') AS title, c.at, c.why
	FROM ledger c JOIN LATERAL (SELECT c.amount + coalesce(sum(s.amount), 0)::bigint AS owed FROM ledger s
		WHERE s.settles = c.id) o ON o.owed > 0
	LEFT JOIN loans l ON l.id = c.loan_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = i.title_id
	WHERE c.patron_id = $1 AND c.kind = 'charge' ORDER BY c.id`

// ChargesOf gives the charges of a patron of which something is owed, oldest first.
func (t *Tx) ChargesOf(patron int64) ([]OpenCharge, error) {
	return list[OpenCharge](t, openCharges, patron)
}

// SettlingFacts locks a patron and gives them with their open charges; nil where there is no such patron.
func (t *Tx) SettlingFacts(patron int64) (*Patron, []OpenCharge, error) {
	q := &questions{}
	t.take(Lock{Patrons: []int64{patron}}, q)
	var patrons []Patron
	var open []OpenCharge
	ask(q, &patrons, "SELECT "+patronColumns+" FROM patrons p WHERE p.id = $1", patron)
	ask(q, &open, openCharges, patron)
	if err := t.send(q); err != nil || len(patrons) == 0 {
		return nil, nil, err
	}
	return &patrons[0], open, nil
}

// Billed gives what was charged for the price of a lost loan, with what has been done about it.
func (t *Tx) Billed(loan int64) ([]ledger.Billed, error) {
	rows, err := list[struct{ ID, Amount, Paid, Waived int64 }](t, `SELECT c.id, c.amount,
			-coalesce(sum(s.amount) FILTER (WHERE s.kind IN ('payment', 'refund')), 0)::bigint AS paid,
			-coalesce(sum(s.amount) FILTER (WHERE s.kind IN ('waiver', 'correction')), 0)::bigint AS waived
		FROM ledger c LEFT JOIN ledger s ON s.settles = c.id
		WHERE c.loan_id = $1 AND c.kind = 'charge' AND c.about = 'lost' GROUP BY c.id ORDER BY c.id`, loan)
	out := make([]ledger.Billed, len(rows))
	for k, r := range rows {
		out[k] = ledger.Billed{
			Charge: r.ID,
			Amount: money.Amount(r.Amount),
			Paid:   money.Amount(r.Paid),
			Waived: money.Amount(r.Waived),
		}
	}
	return out, err
}
