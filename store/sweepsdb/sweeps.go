package sweepsdb

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Kind is what a sweep changes.
type Kind string

// The kinds.
const (
	Calendar Kind = "calendar" // opening days, and what follows from them
	Due      Kind = "due"
	Renewals Kind = "renewals"
	Charges  Kind = "charges"
	Cards    Kind = "cards"
	Classes  Kind = "classes"
	Pickups  Kind = "pickups"
)

// Sweep is one change of many records.
type Sweep struct {
	ID       int64
	Kind     Kind
	At       time.Time
	StaffID  int64
	Text     string
	Branches json.RawMessage `gorm:"type:jsonb"` // of a calendar: before
	Changed  json.RawMessage `gorm:"type:jsonb"` // and after
	Change   json.RawMessage `gorm:"type:jsonb"` // of the others: what was asked for
	Actor    json.RawMessage `gorm:"type:jsonb"` // and who applies it, or undoes it, with their rights
	LeftOut  []int64         `gorm:"type:jsonb;serializer:json"`
	Parts    bool            // lines are still being done, or undone
	Stopped  bool            // by somebody
	UndoneAt *time.Time
	UndoneBy *int64
}

const columns = "id, kind, at, staff_id, text, branches, changed, change, actor, left_out, parts, stopped, undone_at, undone_by"

// Add writes a sweep and gives it its id.
func Add(tx *store.Tx, s *Sweep) error { return tx.ORM().Create(s).Error }

// Row gives a sweep; nil where there is none.
func Row(tx *store.Tx, id int64) (*Sweep, error) {
	return store.One[Sweep](tx, "SELECT "+columns+" FROM sweeps WHERE id = $1", id)
}

// Locked locks a sweep and gives it; nil where there is none.
func Locked(tx *store.Tx, id int64) (*Sweep, error) {
	return store.One[Sweep](tx, "SELECT "+columns+" FROM sweeps WHERE id = $1 FOR UPDATE", id)
}

// Undone writes who undoes a sweep. Of all sweeps but those of calendars, the actor is from now on whoever undoes it; nil: of a calendar.
func Undone(tx *store.Tx, id, by int64, at time.Time, actor json.RawMessage) {
	tx.QueueOne("UPDATE sweeps SET undone_at = $2, undone_by = $3, actor = $4::jsonb WHERE id = $1 AND undone_at IS NULL", id, at, by, actor)
}

// InParts writes whether lines of a sweep are still being done, or undone, and whether somebody has stopped that.
func InParts(tx *store.Tx, id int64, parts, stopped bool) {
	tx.Queue("UPDATE sweeps SET parts = $2, stopped = $3 WHERE id = $1", id, parts, stopped)
}

// Left gives the sweeps of calendars, or the others, that have lines to do and at which nobody is.
func Left(ctx context.Context, s *store.Store, calendars bool) ([]int64, error) {
	var ids []int64
	return ids, s.ORM(ctx).Raw("SELECT id FROM sweeps WHERE parts AND NOT stopped AND (kind = 'calendar') = ? AND "+
		store.Unclaimed("sweep")+" ORDER BY id", calendars).Scan(&ids).Error
}

// waitsForEarlier is the time to wait for earlier changes: no change takes as long.
const waitsForEarlier = 30 * time.Second

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

// Shown is a sweep with how far it is.
type Shown struct {
	ID             int64
	Kind           Kind
	At             time.Time
	Who, Text      string
	Change         json.RawMessage
	Loans, Holds   int // lines of each
	Lines, Waiting int
	Done, Kept     int
	Undone, Stays  int
	Parts, Stopped bool
	UndoneAt       *time.Time
}

// List gives a page of the sweeps of calendars, or of the others, the latest first.
func List(tx *store.Tx, calendars bool, page store.Page) ([]Shown, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(s *Shown) store.Cursor { return store.Cursor{ID: s.ID} },
		shown+`WHERE (s.kind = 'calendar') = $1 AND $2::bigint = 0 AND ($3::bigint = 0 OR s.id < $3) ORDER BY s.id DESC`, calendars,
	)
}

const shown = `SELECT s.id, s.kind, s.at, f.name AS who, s.text, s.change, s.undone_at, s.parts, s.stopped, n.* FROM sweeps s
		JOIN staff f ON f.id = s.staff_id
	CROSS JOIN LATERAL (SELECT count(l.loan_id)::int AS loans, count(l.hold_id)::int AS holds, count(*)::int AS lines,
		count(*) FILTER (WHERE l.state = 'waiting')::int AS waiting, count(*) FILTER (WHERE l.state = 'done')::int AS done,
		count(*) FILTER (WHERE l.state = 'kept')::int AS kept, count(*) FILTER (WHERE l.state = 'undone')::int AS undone,
		count(*) FILTER (WHERE l.state = 'stays')::int AS stays FROM sweep_lines l WHERE l.sweep_id = s.id) n `

// One gives a sweep with how far it is; nil where there is none.
func One(tx *store.Tx, id int64) (*Shown, error) {
	return store.One[Shown](tx, shown+"WHERE s.id = $1", id)
}

// Line is one record of a sweep.
type Line struct {
	ID                    int64
	SweepID               int64
	LoanID, HoldID        *int64
	PatronID, EntryID     *int64
	DayBefore, DayAfter   *time.Time
	AtBefore, AtAfter     *time.Time
	TextBefore, TextAfter string
	Made                  *int64
	EditionID             *int64
	RenewedAt             *time.Time
	State, Reason         string
}

// from is the state of the lines that are done, or undone, next.
func from(forward bool) string {
	if forward {
		return "waiting"
	}
	return "done"
}

// Part gives at most so many lines of a sweep that are still to be done; or, to be undone, that have been.
func Part(tx *store.Tx, sweep int64, forward bool, most int) ([]Line, error) {
	return store.List[Line](tx, "SELECT * FROM sweep_lines WHERE sweep_id = $1 AND state = $2 ORDER BY id LIMIT $3", sweep, from(forward), most)
}

// Count counts the lines of a sweep that have been done.
func Count(tx *store.Tx, id int64) (int, error) {
	return store.Value[int](tx, "SELECT count(*)::int FROM sweep_lines WHERE sweep_id = $1 AND state = 'done'", id)
}

// LineDone writes that a line was done, with what came of it. ErrMoved if somebody else has done it.
func LineDone(tx *store.Tx, l *Line) {
	tx.QueueOne(`UPDATE sweep_lines SET state = 'done', day_before = $2, at_before = $3, day_after = $4, at_after = $5, made = $6, text_before = $7,
		text_after = $8, edition_id = $9, renewed_at = $10 WHERE id = $1 AND state = 'waiting'`, l.ID, l.DayBefore, l.AtBefore, l.DayAfter, l.AtAfter,
		l.Made, l.TextBefore, l.TextAfter, l.EditionID, l.RenewedAt)
}

// LineUndone writes that a line was undone. ErrMoved if somebody else has done so.
func LineUndone(tx *store.Tx, id int64) {
	tx.QueueOne("UPDATE sweep_lines SET state = 'undone' WHERE id = $1 AND state = 'done'", id)
}

// LineStays writes why a line was not done, or not undone.
func LineStays(tx *store.Tx, id int64, forward bool, reason string) {
	state := "kept"
	if !forward {
		state = "stays"
	}
	tx.Queue("UPDATE sweep_lines SET state = $3, reason = $4 WHERE id = $1 AND state = $2", id, from(forward), state, reason)
}

// Told is who moves dates, and the kinds of events that tell of it.
type Told struct {
	At                 time.Time
	Staff              int64
	Branch             calendar.Code
	Loans, Holds, Card string
}

// Why a date was not moved.
const (
	Ended   = "ended"   // returned, picked up, or the patron is gone
	Changed = "changed" // something else has become of it since
)

// Move moves the dates that lines are about: due dates of loans, last days of holds on the shelf, and of cards. Forward, or back where
// nothing else has happened to them since. Each move is an event; each line keeps how it went.
func Move(tx *store.Tx, lines []Line, forward bool, by Told) error {
	var ids []int64
	var lock store.Lock
	for k := range lines {
		l := &lines[k]
		ids = append(ids, l.ID)
		switch {
		case l.LoanID != nil:
			lock.Loans = append(lock.Loans, *l.LoanID)
		case l.HoldID != nil:
			lock.Holds = append(lock.Holds, *l.HoldID)
		case l.PatronID != nil:
			lock.Patrons = append(lock.Patrons, *l.PatronID)
		}
	}
	if err := tx.Lock(lock); err != nil {
		return err
	}
	was, is, done, stays := "before", "after", "done", "kept"
	if !forward {
		was, is, done, stays = is, was, "undone", "stays"
	}
	end := fmt.Sprintf(`, told AS (INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, loan_id, hold_id, detail)
			SELECT $2, $5, nullif($3::bigint, 0), nullif($4, ''), patron_id, item_id, loan_id, hold_id,
				jsonb_strip_nulls(jsonb_build_object('day', day, 'at', at)) FROM moved)
		UPDATE sweep_lines u SET state = CASE WHEN m.id IS NULL THEN '%s' ELSE '%s' END,
			reason = CASE WHEN m.id IS NOT NULL THEN '' WHEN lines.ended THEN '%s' ELSE '%s' END
		FROM lines LEFT JOIN moved m ON m.id = coalesce(lines.loan_id, lines.hold_id, lines.patron_id) WHERE u.id = lines.id`, stays, done, Ended, Changed)
	args := func(kind string) []any { return []any{ids, by.At, by.Staff, by.Branch, kind, from(forward)} }
	if len(lock.Loans) > 0 {
		tx.Queue(fmt.Sprintf(`WITH lines AS (SELECT s.*, l.returned_at IS NOT NULL OR l.lost_at IS NOT NULL AS ended FROM sweep_lines s
				JOIN loans l ON l.id = s.loan_id WHERE s.id = ANY($1) AND s.state = $6),
			moved AS (UPDATE loans l SET due_date = s.day_%[2]s, due_at = s.at_%[2]s FROM lines s
				WHERE s.loan_id = l.id AND l.returned_at IS NULL AND l.due_date IS NOT DISTINCT FROM s.day_%[1]s
					AND l.due_at IS NOT DISTINCT FROM s.at_%[1]s
				RETURNING l.id, l.item_id, l.patron_id, l.id AS loan_id, NULL::bigint AS hold_id, l.due_date AS day, l.due_at AS at)`, was, is)+end,
			args(by.Loans)...)
	}
	if len(lock.Holds) > 0 {
		tx.Queue(fmt.Sprintf(`WITH lines AS (SELECT s.*, h.state <> 'ready' AS ended FROM sweep_lines s JOIN holds h ON h.id = s.hold_id
				WHERE s.id = ANY($1) AND s.state = $6),
			moved AS (UPDATE holds h SET shelf_until = s.day_%[2]s FROM lines s
				WHERE s.hold_id = h.id AND h.state = 'ready' AND h.shelf_until = s.day_%[1]s
				RETURNING h.id, h.item_id, h.patron_id, NULL::bigint AS loan_id, h.id AS hold_id, h.shelf_until AS day, NULL::timestamptz AS at)`,
			was, is)+end, args(by.Holds)...)
	}
	if len(lock.Patrons) > 0 {
		tx.Queue(fmt.Sprintf(`WITH lines AS (SELECT s.*, p.forgotten_at IS NOT NULL OR p.merged_into IS NOT NULL AS ended FROM sweep_lines s
				JOIN patrons p ON p.id = s.patron_id WHERE s.id = ANY($1) AND s.state = $6),
			moved AS (UPDATE patrons p SET card_until = s.day_%[2]s FROM lines s
				WHERE s.patron_id = p.id AND NOT s.ended AND p.card_until IS NOT DISTINCT FROM s.day_%[1]s
				RETURNING p.id, NULL::bigint AS item_id, p.id AS patron_id, NULL::bigint AS loan_id, NULL::bigint AS hold_id, p.card_until AS day,
					NULL::timestamptz AS at)`, was, is)+end, args(by.Card)...)
	}
	return nil
}
