package calendarsdb

import (
	"time"

	"nevrin/store"
)

// once leaves out what has a line already.
const once = "ON CONFLICT (sweep_id, (coalesce(loan_id, hold_id, patron_id, entry_id))) DO NOTHING"

// SweepLoans writes the lines of a sweep for the loans of kinds that move, but for those left out and those that have one, and counts them.
func SweepLoans(tx *store.Tx, sweep int64, moves []LoanMove, leaveOut []int64) (int64, error) {
	return tx.Exec(
		`INSERT INTO sweep_lines (sweep_id, loan_id, day_before, at_before, day_after, at_after)
			SELECT $9, l.id, k.day, k.at, k.day_after, k.at_after `+moving+` WHERE l.id <> ALL($10) `+once,
		append(loanColumnsOf(moves), sweep, store.NotNil(leaveOut))...,
	)
}

// SweepHolds writes the lines of a sweep for the holds of kinds that wait for longer, and were on the shelf before an instant.
func SweepHolds(tx *store.Tx, sweep int64, moves []HoldMove, before time.Time) error {
	_, err := tx.Exec(
		`INSERT INTO sweep_lines (sweep_id, hold_id, day_before, day_after)
			SELECT $5, h.id, h.shelf_until, k.to_day `+waitingOn+`
			WHERE h.ready_at <= $6 `+once,
		append(holdColumnsOf(moves), sweep, before)...,
	)
	return err
}
