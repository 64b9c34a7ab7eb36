package store

import "time"

// Claim is what a patron says of a loan.
type Claim struct {
	ID       int64
	PatronID int64
	What     string // returned, or never_had
	At       time.Time
}

// ClaimOf gives what is claimed of a loan; nil for nothing.
func (t *Tx) ClaimOf(loan int64) (*Claim, error) {
	return one[Claim](t, "SELECT id, patron_id, what, at FROM claims WHERE loan_id = $1 AND undone_at IS NULL", loan)
}

// AddClaim writes what a patron says of a loan.
func (t *Tx) AddClaim(loan, patron, staff int64, what string, at time.Time) {
	t.queueOne(`INSERT INTO claims (loan_id, patron_id, what, at, staff_id) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0))`,
		loan, patron, what, at, staff)
}

// EndClaim takes back what was claimed; ErrMoved where somebody else just has.
func (t *Tx) EndClaim(id int64, at time.Time) {
	t.queueOne("UPDATE claims SET undone_at = $2 WHERE id = $1 AND undone_at IS NULL", id, at)
}

// Claims is how often somebody has said that they brought something back, or never had it.
type Claims struct{ Returned, NeverHad int }

// claimsOf counts the claims of a patron, whom an expression gives.
func claimsOf(patron string) string {
	return `SELECT count(*) FILTER (WHERE what = 'returned')::int AS returned,
	count(*) FILTER (WHERE what = 'never_had')::int AS never_had FROM claims WHERE undone_at IS NULL AND patron_id = ` + patron
}
