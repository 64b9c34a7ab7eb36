package accountsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
)

// Dispute is a charge that somebody does not accept, until it has been looked into.
type Dispute struct {
	ID, ChargeID             int64
	Says                     string
	At                       time.Time
	Who                      *string
	PatronID                 int64
	LegalName, PreferredName string
	Card                     string
	Amount, Owed             money.Amount
	About                    ledger.About
	Title                    string
	LoanID, ItemID           *int64
	BranchCode               *calendar.Code // where it was charged
	Claimed                  string         // what is said of the loan; empty: of the charge alone
}

// disputes are charges in dispute by themselves, and those of loans of which something is claimed.
const disputes = `SELECT x.id, x.charge_id, x.says, x.at, x.claimed, f.name AS who, c.patron_id, p.legal_name, p.preferred_name, p.card,
		c.amount, c.branch_code, c.about, c.loan_id, l.item_id,
		(SELECT sum(e.amount) FROM ledger e WHERE e.id = c.id OR e.settles = c.id)::bigint AS owed,
		coalesce(b.name, CASE c.about WHEN 'manual' THEN c.reason END, '') AS title
	FROM (SELECT d.id, d.charge_id, d.says, d.at, d.staff_id, '' AS claimed FROM disputes d WHERE d.ended_at IS NULL
		UNION ALL SELECT m.id, c.id, '', m.at, m.staff_id, m.what FROM claims m JOIN loans l ON l.id = m.loan_id AND
			l.returned_at IS NULL
			JOIN ledger c ON c.loan_id = m.loan_id AND c.kind = 'charge' WHERE m.undone_at IS NULL
			AND (SELECT sum(e.amount) FROM ledger e WHERE e.id = c.id OR e.settles = c.id) > 0) x
	JOIN ledger c ON c.id = x.charge_id JOIN patrons p ON p.id = c.patron_id LEFT JOIN staff f ON f.id = x.staff_id
	LEFT JOIN loans l ON l.id = c.loan_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = i.title_id `

// Disputes gives a page of the charges in dispute, the oldest first.
func Disputes(tx *store.Tx, page store.Page) ([]Dispute, store.Page, error) {
	return store.Paged(tx, page, func(d *Dispute) store.Cursor { return store.Cursor{ID: d.ChargeID} },
		disputes+"WHERE $1::bigint = 0 AND x.charge_id > $2 ORDER BY x.charge_id")
}

// DisputeOf locks the patron of a charge and gives the charge as it stands, and the dispute about it that is open, nil for
// none; no charge where there is none, or nothing of it is owed.
func DisputeOf(tx *store.Tx, charge int64) (*OpenCharge, *Dispute, error) {
	whose, err := store.Value[int64](tx, "SELECT patron_id FROM ledger WHERE id = $1 AND kind = 'charge'", charge)
	if err != nil || whose == 0 {
		return nil, nil, err
	}
	f, err := FactsToSettle(tx, []int64{whose}, "")
	if err != nil {
		return nil, nil, err
	}
	open, err := store.One[Dispute](tx, "SELECT d.id, d.charge_id, d.says, d.at FROM disputes d WHERE d.charge_id = $1 AND d.ended_at IS NULL", charge)
	if err != nil {
		return nil, nil, err
	}
	for k := range f.Charges {
		if f.Charges[k].ID == charge {
			return &f.Charges[k], open, nil
		}
	}
	return nil, open, nil
}

// AddDispute writes that a charge is not accepted.
func AddDispute(tx *store.Tx, charge int64, says string, by int64, at time.Time) {
	tx.QueueOne("INSERT INTO disputes (charge_id, says, at, staff_id) VALUES ($1, $2, $3, nullif($4::bigint, 0))", charge, says, at, by)
}

// EndDispute writes what was found.
func EndDispute(tx *store.Tx, id int64, answer string, by int64, at time.Time) {
	tx.QueueOne(`UPDATE disputes SET answer = $2, ended_at = $3, ended_by = nullif($4::bigint, 0)
		WHERE id = $1 AND ended_at IS NULL`, id, answer, at, by)
}

// EndDisputesSettled ends the disputes of a patron about charges of which nothing is owed any more.
func EndDisputesSettled(tx *store.Tx, patron int64, answer string, at time.Time) {
	tx.Queue(`UPDATE disputes d SET answer = $2, ended_at = $3 FROM ledger c WHERE c.id = d.charge_id AND c.patron_id = $1
		AND d.ended_at IS NULL AND (SELECT sum(e.amount) FROM ledger e WHERE e.id = c.id OR e.settles = c.id) = 0`, patron, answer, at)
}
