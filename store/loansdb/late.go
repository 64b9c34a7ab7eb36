package loansdb

import (
	"encoding/json"
	"time"

	"nevrin/core/money"
	"nevrin/store"
)

// MaybeLost is a late loan with what decides whether it is marked lost.
type MaybeLost struct {
	Loan
	TitleID  int64
	OwnTerms json.RawMessage
	Price    *money.Amount
}

// LoansMaybeLost gives loans that are late on a day, after one and up to a number of them.
func LoansMaybeLost(tx *store.Tx, day time.Time, after int64, most int) ([]MaybeLost, error) {
	return store.List[MaybeLost](tx, `SELECT `+LoanColumns+`, i.title_id, i.own_terms, i.price FROM (
			SELECT id FROM (
				SELECT l.id FROM branches b JOIN loans l ON l.branch_code = b.code AND l.due_date < $1
					WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.id > $2
				UNION ALL SELECT id FROM loans WHERE returned_at IS NULL AND lost_at IS NULL
					AND due_at < $1::date::timestamptz AND id > $2) u
			WHERE NOT EXISTS (SELECT 1 FROM claims c WHERE c.loan_id = u.id AND c.undone_at IS NULL)
			ORDER BY id LIMIT $3) late
		JOIN loans l ON l.id = late.id JOIN items i ON i.id = l.item_id ORDER BY l.id`, day, after, most)
}
