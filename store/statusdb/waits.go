package statusdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Waits counts what waits at the branches.
type Waits struct {
	Kind         string
	Branch       calendar.Code
	Number, Late int
}

// WaitsByBranch counts what waits at each branch, in one question.
func WaitsByBranch(tx *store.Tx, now time.Time) ([]Waits, error) {
	return store.List[Waits](
		tx,
		`WITH today AS (SELECT code, ($1::timestamptz AT TIME ZONE timezone)::date AS day FROM branches)
		SELECT fetch_at AS branch, 'fetch' AS kind, count(*)::int AS number,
			count(*) FILTER (WHERE promised_at < $1)::int AS late FROM holds WHERE state = 'fetching' GROUP BY 1
		UNION ALL SELECT h.pickup, 'clear', count(*)::int,
			count(*) FILTER (WHERE h.closed_at < $1 - interval '2 days')::int
			FROM holds h WHERE h.state IN ('lapsed', 'cancelled') AND h.item_id IS NOT NULL
				AND h.ready_at IS NOT NULL AND NOT h.cleared GROUP BY 1
		UNION ALL SELECT to_branch, 'coming', count(*)::int, count(*) FILTER (WHERE promised_at < $1)::int
			FROM transits WHERE ended_at IS NULL GROUP BY 1
		UNION ALL SELECT today.code, 'overdue', n.number, 0 FROM today CROSS JOIN LATERAL (
			SELECT count(*)::int AS number FROM loans l
			WHERE l.branch_code = today.code AND l.due_date < today.day AND l.returned_at IS NULL AND l.lost_at IS NULL) n
		UNION ALL SELECT l.branch_code, 'overdue', count(*)::int, 0
			FROM loans l WHERE l.returned_at IS NULL AND l.due_at < $1 AND l.lost_at IS NULL GROUP BY 1
		UNION ALL SELECT pickup, 'ready', count(*)::int, 0 FROM holds WHERE state = 'ready' GROUP BY 1
		UNION ALL SELECT branch_code, 'missing', count(*)::int, 0 FROM items WHERE standing = 'missing' GROUP BY 1`,
		now,
	)
}

// CountLoans adds the loans made between two instants to the counts by situation of a month.
func CountLoans(tx *store.Tx, since, until, month time.Time) (int64, error) {
	return tx.Exec(`INSERT INTO loan_counts (month, situation, n)
			SELECT $3::date, situation, count(*)::int FROM loans
			WHERE lent_at >= $1 AND lent_at < $2 AND NOT undone GROUP BY situation
		ON CONFLICT (month, situation) DO UPDATE SET n = loan_counts.n + excluded.n`, since, until, month)
}
