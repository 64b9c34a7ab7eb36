package keepingdb

import (
	"time"

	"nevrin/store"
)

// What concerns persons is kept for as long as has been settled. The night cuts off whose it was, and deletes what only
// concerned that person; what happened, and the books, stay.

// HistoryStretch is a stretch of time of which loans that ended are to be looked at, for the patrons who have their history kept for so
// many months. It begins where the one before it ended.
type HistoryStretch struct {
	Months       int // for which it is kept; usualHistory: as the network has settled
	Since, Until time.Time
}

// NextHistory gives a stretch that has not been looked at, as of an instant, where the network keeps histories for so many months; nil
// where all has been looked at. Months nil: without limit.
func NextHistory(tx *store.Tx, now time.Time, months *int) (*HistoryStretch, error) {
	return store.One[HistoryStretch](tx, `SELECT g.months, coalesce(m.until, timestamptz '1900-01-01') AS since,
			$1::timestamptz - make_interval(months => coalesce(nullif(g.months, -1), $2)) AS until
		FROM (SELECT -1 AS months UNION SELECT DISTINCT history_months FROM patrons WHERE history_months IS NOT NULL) g
		LEFT JOIN history_marks m ON m.months = g.months
		WHERE coalesce(nullif(g.months, -1), $2) IS NOT NULL
			AND coalesce(m.until, '-infinity') < $1::timestamptz - make_interval(months => coalesce(nullif(g.months, -1), $2))
		ORDER BY g.months LIMIT 1`, now, months)
}

// notOwed is the condition that nothing is owed for a loan k.
const notOwed = `NOT EXISTS (SELECT 1 FROM ledger c WHERE c.loan_id = k.id AND c.kind = 'charge'
	AND (SELECT sum(s.amount) FROM ledger s WHERE s.id = c.id OR s.settles = c.id) > 0)`

// cutting cuts the loans of "ending" off their patrons, and what tells of them.
const cutting = `cut AS (UPDATE loans l SET patron_id = NULL FROM ending e WHERE l.id = e.id RETURNING l.id),
	lines AS (UPDATE return_lines r SET patron_id = NULL FROM ending e WHERE r.loan_id = e.id),
	books AS (UPDATE ledger b SET loan_id = NULL, line_id = NULL, why = NULL FROM ending e WHERE b.loan_id = e.id),
	claimed AS (UPDATE claims c SET loan_id = NULL FROM ending e WHERE c.loan_id = e.id),
	wanted AS (UPDATE holds h SET patron_id = NULL FROM ending e WHERE h.id = e.filled_hold AND h.closed_at IS NOT NULL),
	told AS (UPDATE events v SET patron_id = NULL FROM ending e
		WHERE v.patron_id = e.patron_id AND (v.loan_id = e.id OR v.hold_id = e.filled_hold))`

// CutHistory cuts loans that ended within a stretch, and the holds that they filled, off their patrons, unless something is owed for
// them: these are looked at again. It looks at a number of loans, marks how far it has come, and gives how many it has cut.
func CutHistory(tx *store.Tx, s *HistoryStretch, most int) (int64, error) {
	return store.Value[int64](tx, `WITH looked AS MATERIALIZED (
			SELECT l.id, l.patron_id, l.filled_hold, l.returned_at FROM loans l WHERE l.returned_at IS NOT NULL
				AND l.patron_id IS NOT NULL
				AND l.returned_at > $2 AND l.returned_at <= $3 ORDER BY l.returned_at FETCH FIRST $4 ROWS WITH TIES),
		theirs AS MATERIALIZED (SELECT k.id, k.patron_id, k.filled_hold, `+notOwed+` AS free FROM looked k
			JOIN patrons p ON p.id = k.patron_id WHERE coalesce(p.history_months, -1) = $1),
		ending AS MATERIALIZED (SELECT id, patron_id, filled_hold FROM theirs WHERE free),
		later AS (INSERT INTO history_later (loan_id) SELECT id FROM theirs WHERE NOT free ON CONFLICT DO NOTHING),
		`+cutting+`,
		marked AS (INSERT INTO history_marks (months, until)
			SELECT $1, CASE WHEN count(*) >= $4 THEN max(returned_at) ELSE $3 END FROM looked
			ON CONFLICT (months) DO UPDATE SET until = excluded.until)
		SELECT count(*) FROM cut`, s.Months, s.Since, s.Until, most)
}

// CutChanged cuts histories that are to be looked at beside the stretches, as of an instant: of patrons who have chosen anew, and of
// loans for which something was owed.
func CutChanged(tx *store.Tx, now time.Time, months *int) (int64, error) {
	return store.Value[int64](tx, `WITH looked AS MATERIALIZED (
			SELECT l.id, l.patron_id, l.filled_hold, l.returned_at FROM patrons p JOIN loans l ON l.patron_id = p.id
				WHERE p.history_changed AND l.returned_at IS NOT NULL
			UNION SELECT l.id, l.patron_id, l.filled_hold, l.returned_at FROM history_later h JOIN loans l ON l.id = h.loan_id
				WHERE l.patron_id IS NOT NULL),
		ending AS MATERIALIZED (SELECT k.id, k.patron_id, k.filled_hold FROM looked k JOIN patrons p ON p.id = k.patron_id
			WHERE k.returned_at <= $1::timestamptz - make_interval(months => coalesce(p.history_months, $2)) AND `+notOwed+`),
		later AS (INSERT INTO history_later (loan_id) SELECT k.id FROM looked k JOIN patrons p ON p.id = k.patron_id
			WHERE k.returned_at <= $1::timestamptz - make_interval(months => coalesce(p.history_months, $2)) AND NOT (`+notOwed+`)
			ON CONFLICT DO NOTHING),
		gone AS (DELETE FROM history_later h USING ending e WHERE h.loan_id = e.id),
		done AS (UPDATE patrons SET history_changed = false WHERE history_changed),
		`+cutting+`
		SELECT count(*) FROM cut`, now, months)
}

// HistoryAnew lets all histories be looked at from the beginning, for what came in from elsewhere with earlier times.
func HistoryAnew(tx *store.Tx) { tx.Queue("DELETE FROM history_marks") }

// CutHolds cuts holds and requests that ended before an instant off their patrons, up to a number of them.
func CutHolds(tx *store.Tx, before time.Time, most int) (int64, error) {
	return store.Value[int64](tx, `WITH ending AS MATERIALIZED (SELECT id, patron_id FROM holds
			WHERE closed_at < $1 AND patron_id IS NOT NULL ORDER BY closed_at LIMIT $2),
		cut AS (UPDATE holds h SET patron_id = NULL FROM ending e WHERE h.id = e.id RETURNING h.id),
		told AS (UPDATE events v SET patron_id = NULL FROM ending e
			WHERE v.patron_id = e.patron_id AND v.hold_id = e.id),
		asked AS (UPDATE requests SET patron_id = NULL, note = '' WHERE id IN (SELECT id FROM requests
			WHERE patron_id IS NOT NULL AND moved_at < $1 AND stage IN ('done', 'refused', 'withdrawn') LIMIT $2)
			RETURNING id)
		SELECT (SELECT count(*) FROM cut) + (SELECT count(*) FROM asked)`, before, most)
}

// DropMessages deletes messages from before an instant that are done with, and notices that were not sent, up to a number of each. What
// still keeps a loan or a hold from being told of twice stays.
func DropMessages(tx *store.Tx, before time.Time, most int) (int64, error) {
	if _, err := tx.Exec(`DELETE FROM notices WHERE id IN (SELECT id FROM notices WHERE at < $1
			AND state IN ('left_out', 'dropped', 'overtaken') ORDER BY at LIMIT $2)`, before, most); err != nil {
		return 0, err
	}
	return tx.Exec(`DELETE FROM messages WHERE id IN (SELECT m.id FROM messages m WHERE m.at < $1
			AND m.state IN ('sent', 'overtaken', 'no_address', 'refused')
			AND NOT EXISTS (SELECT 1 FROM notices d JOIN loans l ON l.id = d.loan_id
				WHERE d.message_id = m.id AND l.returned_at IS NULL)
			AND NOT EXISTS (SELECT 1 FROM notices d JOIN holds h ON h.id = d.hold_id
				WHERE d.message_id = m.id AND h.closed_at IS NULL)
		ORDER BY m.at LIMIT $2)`, before, most)
}

// DropReadings deletes records of reading from before an instant, up to a number of them.
func DropReadings(tx *store.Tx, before time.Time, most int) (int64, error) {
	return tx.Exec(
		"DELETE FROM readings WHERE id IN (SELECT id FROM readings WHERE at < $1 ORDER BY at LIMIT $2)",
		before,
		most,
	)
}
