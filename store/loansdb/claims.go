package loansdb

import (
	"time"

	"nevrin/store"
)

// Claim is a patron's claim about a loan: returned, or never had.
type Claim struct {
	ID       int64
	PatronID int64
	What     string // returned, or never_had
	At       time.Time
}

// ClaimOf gives what is claimed of a loan; nil for nothing.
func ClaimOf(tx *store.Tx, loan int64) (*Claim, error) {
	return store.One[Claim](tx, "SELECT id, patron_id, what, at FROM claims WHERE loan_id = $1 AND undone_at IS NULL", loan)
}

// AddClaim writes what a patron says of a loan.
func AddClaim(tx *store.Tx, loan, patron, staff int64, what string, at time.Time) {
	tx.QueueOne(`INSERT INTO claims (loan_id, patron_id, what, at, staff_id) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0))`,
		loan, patron, what, at, staff)
}

// EndClaim takes back what was claimed; ErrMoved where somebody else just has.
func EndClaim(tx *store.Tx, id int64, at time.Time) {
	tx.QueueOne("UPDATE claims SET undone_at = $2 WHERE id = $1 AND undone_at IS NULL", id, at)
}

// Claims counts a patron's claims, by kind.
type Claims struct{ Returned, NeverHad int }

// ClaimsOf counts the claims of a patron, whom an expression gives.
func ClaimsOf(patron string) string {
	return `SELECT count(*) FILTER (WHERE what = 'returned')::int AS returned,
	count(*) FILTER (WHERE what = 'never_had')::int AS never_had FROM claims WHERE undone_at IS NULL AND patron_id = ` + patron
}
