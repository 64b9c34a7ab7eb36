package store

import (
	"context"
	"strconv"
	"time"
)

// Work that takes its time is done by one copy of the program at a time, which says again and again that it is there.

// WorkGone is the time without a word after which whoever had some work is taken to be gone.
const WorkGone = 10 * time.Second

const workGone = "interval '10 seconds'"

// Names of work that there is several of; a night has one of its own.
func IntakeWork(id int64) string { return "intake " + strconv.FormatInt(id, 10) }

// PaymentWork is the work on a payment at a terminal.
func PaymentWork(id int64) string { return "payment " + strconv.FormatInt(id, 10) }

// RehearsalWork is the work on a rehearsal.
func RehearsalWork(id int64) string { return "rehearsal " + strconv.FormatInt(id, 10) }

// SweepWork is the work on due dates that follow a change of calendars.
func SweepWork(id int64) string { return "sweep " + strconv.FormatInt(id, 10) }

// ClaimWork gives some work to a holder, unless somebody else has it who has been heard of lately.
func (s *Store) ClaimWork(ctx context.Context, name, holder string) (bool, error) {
	claimed := s.db.WithContext(ctx).Exec(`INSERT INTO work_claims AS w (name, holder, beat_at) VALUES (?, ?, clock_timestamp())
		ON CONFLICT (name) DO UPDATE SET holder = excluded.holder, beat_at = excluded.beat_at
		WHERE w.beat_at < clock_timestamp() - `+workGone, name, holder)
	return claimed.RowsAffected == 1, claimed.Error
}

// BeatWork says that a holder is still at some work; false where somebody else has it, or it is to stop.
func (s *Store) BeatWork(ctx context.Context, name, holder string) (bool, error) {
	still := s.db.WithContext(ctx).Exec("UPDATE work_claims SET beat_at = clock_timestamp() WHERE name = ? AND holder = ?", name, holder)
	return still.RowsAffected == 1, still.Error
}

// LeaveWork lets others have some work.
func (s *Store) LeaveWork(ctx context.Context, name, holder string) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM work_claims WHERE name = ? AND holder = ?", name, holder).Error
}

// StopWork takes some work from whoever has it: they stop.
func (t *Tx) StopWork(name string) { t.Queue("DELETE FROM work_claims WHERE name = $1", name) }

// HoldsWork tells whether a holder still has some work; nobody else gets it before this transaction ends.
func (t *Tx) HoldsWork(name, holder string) (bool, error) {
	return Value[bool](t, "SELECT true FROM work_claims WHERE name = $1 AND holder = $2 FOR SHARE", name, holder)
}

// Unclaimed is a condition on a table whose work has names of a kind: nobody is at it.
func Unclaimed(kind string) string {
	return `NOT EXISTS (SELECT 1 FROM work_claims w WHERE w.name = '` + kind + ` ' || id
		AND w.beat_at > clock_timestamp() - ` + workGone + `)`
}
