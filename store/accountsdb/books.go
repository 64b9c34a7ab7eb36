package accountsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
)

// What is booked beside entries of the ledger.
const (
	BookedEntry      = "entry"
	BookedRounding   = "rounding"
	BookedPayout     = "payout"
	BookedMove       = "move"
	BookedDifference = "difference"
)

// Booked is the sum of like entries of one day at one branch.
type Booked struct {
	Day        time.Time
	BranchCode calendar.Code
	What       string // entry, rounding, payout, move, or difference
	Kind       ledger.Kind
	About      ledger.About
	Means      ledger.Means
	Carried    bool
	Sum        money.Amount
	Count      int
}

// Books gives what was booked from one day to another, by day, branch and sort, each day as the network's zone has it; of one
// branch, or of all where it is empty.
func Books(tx *store.Tx, from, to time.Time, zone string, branch calendar.Code) ([]Booked, error) {
	return store.List[Booked](tx, `WITH days AS (SELECT $1::date::timestamp AT TIME ZONE $3 AS since,
		($2::date + 1)::timestamp AT TIME ZONE $3 AS until)
	SELECT (x.at AT TIME ZONE $3)::date AS day, x.branch_code, x.what, x.kind, x.about, x.means, x.carried,
		sum(x.sum)::bigint AS sum, count(*)::int AS count
	FROM days CROSS JOIN LATERAL (
		SELECT e.at, coalesce(r.branch_code, e.branch_code, p.branch_code) AS branch_code, 'entry' AS what,
			e.kind, e.about, coalesce(r.means, '') AS means,
			e.kind IN ('charge', 'correction') AND EXISTS (SELECT 1 FROM came_from f
				WHERE f.kind = 'balances' AND f.ref = coalesce(e.settles, e.id)) AS carried,
			e.amount AS sum
		FROM ledger e JOIN patrons p ON p.id = e.patron_id LEFT JOIN receipts r ON r.id = e.receipt_id
		WHERE e.at >= days.since AND e.at < days.until
		UNION ALL
		SELECT r.at, r.branch_code, 'rounding', '', '', r.means, false, r.rounding FROM receipts r
		WHERE r.rounding <> 0 AND r.at >= days.since AND r.at < days.until
		UNION ALL
		SELECT r.at, r.branch_code, 'payout', '', '', r.means, false, rounding - amount FROM receipts r
		WHERE r.amount < 0 AND r.reverses IS NULL AND r.at >= days.since AND r.at < days.until
		UNION ALL
		SELECT m.at, t.branch_code, 'move', '', '', 'cash', false, m.amount
		FROM till_moves m JOIN tills t ON t.id = m.till_id
		WHERE m.at >= days.since AND m.at < days.until
		UNION ALL
		SELECT t.closed_at, t.branch_code, 'difference', '', '', d.means, false, d.more
		FROM tills t CROSS JOIN LATERAL (VALUES ('cash', t.counted_cash - t.due_cash),
			('card', t.counted_card - t.due_card), ('cheque', t.counted_cheque - t.due_cheque)) d (means, more)
		WHERE d.more <> 0 AND t.closed_at >= days.since AND t.closed_at < days.until) x
	WHERE $4 = '' OR x.branch_code = $4
	GROUP BY 1, 2, 3, 4, 5, 6, 7 ORDER BY 1, 2, 3, 4, 5, 6, 7`, from, to, zone, branch)
}

// TakenBy is income of one day at one branch, by drawer, method of payment and what it was for.
type TakenBy struct {
	Day        time.Time
	BranchCode calendar.Code
	Till       string // its name; empty: none
	Who        string // who took it
	Means      ledger.Means
	About      ledger.About // what it was for; empty: refunded
	Sum        money.Amount
	Count      int
}

// Takings gives what was taken from one day to another.
func Takings(tx *store.Tx, from, to time.Time, zone string, branch calendar.Code) ([]TakenBy, error) {
	return store.List[TakenBy](tx, `WITH days AS (SELECT $1::date::timestamp AT TIME ZONE $3 AS since,
		($2::date + 1)::timestamp AT TIME ZONE $3 AS until),
	taken AS (SELECT r.* FROM days, receipts r
		WHERE r.at >= days.since AND r.at < days.until AND ($4 = '' OR r.branch_code = $4))
	SELECT (x.at AT TIME ZONE $3)::date AS day, x.branch_code, coalesce(t.name, '') AS till,
		coalesce(f.name, '') AS who, x.means, x.about, sum(x.sum)::bigint AS sum, count(*)::int AS count
	FROM (SELECT r.at, r.branch_code, r.till_id, r.staff_id, r.means, e.about, -e.amount AS sum
		FROM taken r JOIN ledger e ON e.receipt_id = r.id
		UNION ALL
		SELECT r.at, r.branch_code, r.till_id, r.staff_id, r.means, '', r.amount - r.rounding
		FROM taken r WHERE r.amount < 0 AND r.reverses IS NULL
		UNION ALL
		SELECT r.at, r.branch_code, r.till_id, r.staff_id, r.means, 'rounding', r.rounding
		FROM taken r WHERE r.rounding <> 0) x
	LEFT JOIN tills t ON t.id = x.till_id LEFT JOIN staff f ON f.id = x.staff_id
	GROUP BY 1, 2, 3, 4, 5, 6 ORDER BY 1 DESC, 2, 3, 4, 5, 6`, from, to, zone, branch)
}

// WaivedBy is a sum that somebody waived, with the reason.
type WaivedBy struct {
	ID         int64
	At         time.Time
	BranchCode calendar.Code
	Who        string
	About      ledger.About
	Reason     string
	Sum        money.Amount
	PatronID   int64
	LegalName  string
}

// Waivers gives what was waived from one day to another, newest first.
func Waivers(tx *store.Tx, from, to time.Time, zone string, branch calendar.Code, page store.Page) ([]WaivedBy, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(w *WaivedBy) store.Cursor { return store.Cursor{ID: w.ID} },
		`SELECT e.id, e.at, coalesce(e.branch_code, p.branch_code) AS branch_code, coalesce(f.name, '') AS who, e.about, e.reason,
			-e.amount AS sum, e.patron_id, p.legal_name
		FROM ledger e JOIN patrons p ON p.id = e.patron_id LEFT JOIN staff f ON f.id = e.staff_id
		WHERE e.kind IN ('waiver', 'unwaiver') AND e.at >= $1::date::timestamp AT TIME ZONE $3 AND e.at < ($2::date + 1)::timestamp
			AT TIME ZONE $3
			AND ($4 = '' OR coalesce(e.branch_code, p.branch_code) = $4) AND $5::bigint = 0 AND e.id < $6 ORDER BY e.id DESC`,
		from, to, zone, branch)
}
