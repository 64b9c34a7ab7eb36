package calendarsdb

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Sweep is one change to many records.
type Sweep struct {
	ID       int64
	At       time.Time
	StaffID  int64
	Text     string
	Branches json.RawMessage `gorm:"type:jsonb"`
	Changed  json.RawMessage `gorm:"type:jsonb"`
	LeftOut  []int64         `gorm:"type:jsonb;serializer:json"` // loans whose due date stays
	Parts    bool            // due dates are still being moved, or moved back
	UndoneAt *time.Time
	UndoneBy *int64
}

// AddSweep writes a sweep and gives it its id.
func AddSweep(tx *store.Tx, s *Sweep) error { return tx.ORM().Create(s).Error }

// SweepLoans writes the lines of a sweep for the loans of kinds that move, but for those left out and those that have one, and counts them.
func SweepLoans(tx *store.Tx, sweep int64, moves []LoanMove, leaveOut []int64) (int64, error) {
	return tx.Exec(
		`INSERT INTO sweep_lines (sweep_id, loan_id, day_before, at_before, day_after, at_after)
			SELECT $9, l.id, k.day, k.at, k.day_after, k.at_after `+moving+` WHERE l.id <> ALL($10)
				AND NOT EXISTS (SELECT 1 FROM sweep_lines s WHERE s.sweep_id = $9 AND s.loan_id = l.id)`,
		append(loanColumnsOf(moves), sweep, store.NotNil(leaveOut))...,
	)
}

// SweepHolds writes the lines of a sweep for the holds of kinds that wait for longer, and were on the shelf before an instant.
func SweepHolds(tx *store.Tx, sweep int64, moves []HoldMove, before time.Time) error {
	_, err := tx.Exec(
		`INSERT INTO sweep_lines (sweep_id, hold_id, day_before, day_after)
			SELECT $5, h.id, h.shelf_until, k.to_day `+waitingOn+`
			WHERE h.ready_at <= $6 AND NOT EXISTS (SELECT 1 FROM sweep_lines s WHERE s.sweep_id = $5 AND s.hold_id = h.id)`,
		append(holdColumnsOf(moves), sweep, before)...,
	)
	return err
}

// SweepPart is some lines of a sweep that are followed together: loans and holds by their ids.
type SweepPart struct{ Loans, Holds []int64 }

// PartOfSweep gives at most so many lines of a sweep that have not been followed; or, to be undone, that have been.
func PartOfSweep(tx *store.Tx, sweep int64, forward bool, most int) (SweepPart, error) {
	q := &store.Questions{}
	var p SweepPart
	store.AskEach(q, &p.Loans, `SELECT loan_id FROM sweep_lines WHERE sweep_id = $1 AND loan_id IS NOT NULL AND followed <> $2
		ORDER BY loan_id LIMIT $3`, sweep, forward, most)
	store.AskEach(q, &p.Holds, `SELECT hold_id FROM sweep_lines WHERE sweep_id = $1 AND hold_id IS NOT NULL AND followed <> $2
		ORDER BY hold_id LIMIT $3`, sweep, forward, most)
	return p, tx.Send(q)
}

// FollowSweep moves loans and hold shelves to what lines of a sweep say: forward, or back where nothing else has happened to them
// since. Each move is an event of the given kind, told by somebody at a branch.
func FollowSweep(tx *store.Tx,
	sweep int64,
	part SweepPart,
	forward bool,
	now time.Time,
	who int64,
	branch calendar.Code,
	loanKind, holdKind string,
) error {
	from, to := "before", "after"
	if !forward {
		from, to = to, from
	}
	if err := tx.Lock(store.Lock{Loans: part.Loans, Holds: part.Holds}); err != nil {
		return err
	}
	tx.Queue(
		fmt.Sprintf(
			`WITH lines AS (UPDATE sweep_lines SET followed = $7 WHERE sweep_id = $1 AND loan_id = ANY($6) RETURNING *),
			moved AS (UPDATE loans l SET due_date = s.day_%[2]s, due_at = s.at_%[2]s FROM lines s
			WHERE s.loan_id = l.id AND l.returned_at IS NULL AND l.due_date IS NOT DISTINCT
				FROM s.day_%[1]s AND l.due_at IS NOT DISTINCT FROM s.at_%[1]s
			RETURNING l.id, l.item_id, l.patron_id, l.due_date, l.due_at)
		INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, loan_id, detail)
			SELECT $2, $5, $3, nullif($4, ''), patron_id, item_id, id, jsonb_strip_nulls(jsonb_build_object('day',
				due_date, 'at', due_at)) FROM moved`,
			from,
			to,
		),
		sweep, now, who, branch, loanKind, store.NotNil(part.Loans), forward,
	)
	tx.Queue(
		fmt.Sprintf(`WITH lines AS (UPDATE sweep_lines SET followed = $7 WHERE sweep_id = $1 AND hold_id = ANY($6) RETURNING *),
			moved AS (UPDATE holds h SET shelf_until = s.day_%[2]s FROM lines s
			WHERE s.hold_id = h.id AND h.state = 'ready' AND h.shelf_until = s.day_%[1]s
				RETURNING h.id, h.patron_id, h.item_id, h.shelf_until)
		INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, hold_id, detail)
			SELECT $2, $5, $3, nullif($4, ''), patron_id, item_id, id, jsonb_build_object('day', shelf_until)
				FROM moved`, from, to),
		sweep, now, who, branch, holdKind, store.NotNil(part.Holds), forward,
	)
	return nil
}

// SweepRow gives a sweep; nil where there is none.
func SweepRow(tx *store.Tx, id int64) (*Sweep, error) {
	return store.One[Sweep](tx, "SELECT "+sweepColumns+" FROM sweeps WHERE id = $1", id)
}

// LinesOfSweep counts the lines of a sweep that have been followed.
func LinesOfSweep(tx *store.Tx, id int64) (int, error) {
	return store.Value[int](tx, "SELECT count(*)::int FROM sweep_lines WHERE sweep_id = $1 AND followed", id)
}

// SweepInParts writes whether due dates are still being moved for a sweep, or moved back.
func SweepInParts(tx *store.Tx, id int64, parts bool) {
	tx.Queue("UPDATE sweeps SET parts = $2 WHERE id = $1", id, parts)
}

// LeftSweeps gives the sweeps whose due dates are still to be moved, and at which nobody is.
func LeftSweeps(ctx context.Context, s *store.Store) ([]int64, error) {
	var ids []int64
	return ids, s.ORM(ctx).Raw("SELECT id FROM sweeps WHERE parts AND " + store.Unclaimed("sweep") + " ORDER BY id").Scan(&ids).Error
}

// EarlierEnded waits until every change that was under way has ended: what was begun before something was committed, and may not have
// seen it. What runs for longer than any change may is not waited for.
func EarlierEnded(ctx context.Context, s *store.Store) error {
	for begun := time.Now(); time.Since(begun) < waitsForEarlier; {
		var under int
		if err := s.ORM(ctx).Raw(`SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()
			AND backend_type = 'client backend' AND pid <> pg_backend_pid()
			AND xact_start < clock_timestamp() - make_interval(secs => ?)`, time.Since(begun).Seconds()).Scan(&under).Error; err != nil {
			return err
		}
		if under == 0 {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
	return nil
}

// SweepShown is a sweep with how much it changed.
type SweepShown struct {
	ID           int64
	At           time.Time
	Who, Text    string
	Loans, Holds int
	Followed     int // lines
	Parts        bool
	UndoneAt     *time.Time
}

// Sweeps gives a page of the sweeps, the latest first.
func Sweeps(tx *store.Tx, page store.Page) ([]SweepShown, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(s *SweepShown) store.Cursor { return store.Cursor{ID: s.ID} },
		`SELECT s.id, s.at, f.name AS who, s.text, s.undone_at, s.parts, n.loans, n.holds, n.followed FROM sweeps s
				JOIN staff f ON f.id = s.staff_id
		CROSS JOIN LATERAL (SELECT count(l.loan_id)::int AS loans, count(l.hold_id)::int AS holds,
				count(*) FILTER (WHERE l.followed)::int AS followed FROM sweep_lines l
			WHERE l.sweep_id = s.id) n
		WHERE $1::bigint = 0 AND ($2::bigint = 0 OR s.id < $2) ORDER BY s.id DESC`,
	)
}

// SweepLocked locks a sweep and gives it; nil where there is none.
func SweepLocked(tx *store.Tx, id int64) (*Sweep, error) {
	return store.One[Sweep](tx, "SELECT "+sweepColumns+" FROM sweeps WHERE id = $1 FOR UPDATE", id)
}

// SweepUndone writes who has undone a sweep.
func SweepUndone(tx *store.Tx, id, by int64, at time.Time) {
	tx.QueueOne("UPDATE sweeps SET undone_at = $2, undone_by = $3 WHERE id = $1 AND undone_at IS NULL", id, at, by)
}
