package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/core/calendar"
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
func (t *Tx) AddSweep(s *Sweep) error { return t.orm().Create(s).Error }

// SweepLoans writes the lines of a sweep for the loans of kinds that move, but for those left out and those that have one, and counts them.
func (t *Tx) SweepLoans(sweep int64, moves []LoanMove, leaveOut []int64) (int64, error) {
	return t.exec(
		`INSERT INTO sweep_lines (sweep_id, loan_id, day_before, at_before, day_after, at_after)
			SELECT $9, l.id, k.day, k.at, k.day_after, k.at_after `+moving+` WHERE l.id <> ALL($10)
				AND NOT EXISTS (SELECT 1 FROM sweep_lines s WHERE s.sweep_id = $9 AND s.loan_id = l.id)`,
		append(loanColumnsOf(moves), sweep, notNil(leaveOut))...,
	)
}

// SweepHolds writes the lines of a sweep for the holds of kinds that wait for longer, and were on the shelf before an instant.
func (t *Tx) SweepHolds(sweep int64, moves []HoldMove, before time.Time) error {
	_, err := t.exec(
		`INSERT INTO sweep_lines (sweep_id, hold_id, day_before, day_after)
			SELECT $5, h.id, h.shelf_until, k.to_day `+waitingOn+`
			WHERE h.ready_at <= $6 AND NOT EXISTS (SELECT 1 FROM sweep_lines s WHERE s.sweep_id = $5 AND s.hold_id = h.id)`,
		append(holdColumnsOf(moves), sweep, before)...,
	)
	return err
}

// SweepPart is some lines of a sweep that are followed together: loans and holds by their ids.
type SweepPart struct{ Loans, Holds []int64 }

// PartOfSweep gives at most so many lines of a sweep that have not been followed; or, to be taken back, that have been.
func (t *Tx) PartOfSweep(sweep int64, forward bool, most int) (SweepPart, error) {
	q := &questions{}
	var p SweepPart
	askEach(q, &p.Loans, `SELECT loan_id FROM sweep_lines WHERE sweep_id = $1 AND loan_id IS NOT NULL AND followed <> $2
		ORDER BY loan_id LIMIT $3`, sweep, forward, most)
	askEach(q, &p.Holds, `SELECT hold_id FROM sweep_lines WHERE sweep_id = $1 AND hold_id IS NOT NULL AND followed <> $2
		ORDER BY hold_id LIMIT $3`, sweep, forward, most)
	return p, t.send(q)
}

// FollowSweep moves loans and hold shelves to what lines of a sweep say: forward, or back where nothing else has happened to them
// since. Each move is an event of the given kind, told by somebody at a branch.
func (t *Tx) FollowSweep(
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
	if err := t.Lock(Lock{Loans: part.Loans, Holds: part.Holds}); err != nil {
		return err
	}
	t.queue(
		fmt.Sprintf(
			`WITH lines AS (UPDATE sweep_lines SET followed = $7 WHERE sweep_id = $1 AND loan_id = ANY($6) RETURNING *),
			moved AS (UPDATE loans l SET told = false, due_date = s.day_%[2]s, due_at = s.at_%[2]s FROM lines s
			WHERE s.loan_id = l.id AND l.returned_at IS NULL AND l.due_date IS NOT DISTINCT
				FROM s.day_%[1]s AND l.due_at IS NOT DISTINCT FROM s.at_%[1]s
			RETURNING l.id, l.item_id, l.patron_id, l.due_date, l.due_at)
		INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, loan_id, detail)
			SELECT $2, $5, $3, nullif($4, ''), patron_id, item_id, id, jsonb_strip_nulls(jsonb_build_object('day',
				due_date, 'at', due_at)) FROM moved`,
			from,
			to,
		),
		sweep, now, who, branch, loanKind, notNil(part.Loans), forward,
	)
	t.queue(
		fmt.Sprintf(`WITH lines AS (UPDATE sweep_lines SET followed = $7 WHERE sweep_id = $1 AND hold_id = ANY($6) RETURNING *),
			moved AS (UPDATE holds h SET shelf_until = s.day_%[2]s FROM lines s
			WHERE s.hold_id = h.id AND h.state = 'ready' AND h.shelf_until = s.day_%[1]s
				RETURNING h.id, h.patron_id, h.item_id, h.shelf_until)
		INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, hold_id, detail)
			SELECT $2, $5, $3, nullif($4, ''), patron_id, item_id, id, jsonb_build_object('day', shelf_until)
				FROM moved`, from, to),
		sweep, now, who, branch, holdKind, notNil(part.Holds), forward,
	)
	return nil
}

// SweepRow gives a sweep; nil where there is none.
func (t *Tx) SweepRow(id int64) (*Sweep, error) {
	return one[Sweep](t, "SELECT "+sweepColumns+" FROM sweeps WHERE id = $1", id)
}

// LinesOfSweep counts the lines of a sweep that have been followed.
func (t *Tx) LinesOfSweep(id int64) (int, error) {
	return value[int](t, "SELECT count(*)::int FROM sweep_lines WHERE sweep_id = $1 AND followed", id)
}

// SweepInParts writes whether due dates are still being moved for a sweep, or moved back.
func (t *Tx) SweepInParts(id int64, parts bool) {
	t.queue("UPDATE sweeps SET parts = $2 WHERE id = $1", id, parts)
}

// LeftSweeps gives the sweeps whose due dates are still to be moved, and at which nobody is.
func (s *Store) LeftSweeps(ctx context.Context) ([]int64, error) {
	var ids []int64
	return ids, s.db.WithContext(ctx).Raw("SELECT id FROM sweeps WHERE parts AND " + unclaimed("sweep") + " ORDER BY id").Scan(&ids).Error
}

// EarlierEnded waits until every change that was under way has ended: what was begun before something was committed, and may not have
// seen it. What runs for longer than any change may is not waited for.
func (s *Store) EarlierEnded(ctx context.Context) error {
	for begun := time.Now(); time.Since(begun) < waitsForEarlier; {
		var under int
		if err := s.db.WithContext(ctx).Raw(`SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()
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

// waitsForEarlier is for how long earlier changes are waited for: no change takes as long.
const waitsForEarlier = 30 * time.Second

// DueWhen is when loans of a branch are due.
type DueWhen struct {
	BranchCode     calendar.Code
	DueDate, DueAt *time.Time
}

// DueWhens gives when open loans of some branches are due from a day or an instant on.
func (t *Tx) DueWhens(branches []calendar.Code, day, at time.Time) ([]DueWhen, error) {
	return list[DueWhen](
		t,
		`SELECT DISTINCT branch_code, due_date, due_at FROM loans WHERE returned_at IS NULL AND branch_code = ANY($1)
				AND due_date >= $2
			UNION ALL SELECT DISTINCT branch_code, due_date, due_at FROM loans WHERE returned_at IS NULL
				AND branch_code = ANY($1) AND due_at > $3`,
		branches,
		day,
		at,
	)
}

// LoanKind is the open loans that a change of a calendar moves alike: what decides is the same for all of them.
type LoanKind struct {
	DueWhen
	EditionID int64
	Situation []string
	OwnTerms  json.RawMessage // null: none
	Number    int
}

// LoanKinds gives the kinds of the open loans that are due at some times.
func (t *Tx) LoanKinds(when []DueWhen) ([]LoanKind, error) {
	branches := make([]calendar.Code, len(when))
	days, ats := make([]*time.Time, len(when)), make([]*time.Time, len(when))
	for k, w := range when {
		branches[k], days[k], ats[k] = w.BranchCode, w.DueDate, w.DueAt
	}
	return list[LoanKind](
		t,
		`SELECT l.branch_code, l.due_date, l.due_at, l.edition_id, l.situation, i.own_terms, count(*)::int AS number
		FROM (SELECT w.branch, l.* FROM unnest($1::text[], $2::date[], $3::timestamptz[]) w (branch, day, at)
				CROSS JOIN LATERAL (SELECT * FROM loans l WHERE l.branch_code = w.branch AND l.returned_at IS NULL
						AND l.due_date = w.day
					UNION ALL SELECT * FROM loans l WHERE l.branch_code = w.branch AND l.returned_at IS NULL
						AND l.due_at = w.at) l) l
			JOIN items i ON i.id = l.item_id
		GROUP BY 1, 2, 3, 4, 5, 6`,
		branches,
		days,
		ats,
	)
}

// LoanMove is where the loans of a kind move.
type LoanMove struct {
	LoanKind
	ToDate, ToAt *time.Time
}

// moving are the open loans l of kinds k, with their items i. The arguments are those of loanColumnsOf.
const moving = `FROM (SELECT DISTINCT branch, day, at FROM unnest($1::text[], $2::date[], $3::timestamptz[]) w (branch,
			day, at)) w
	CROSS JOIN LATERAL (SELECT * FROM loans l WHERE l.branch_code = w.branch AND l.returned_at IS NULL
			AND l.due_date = w.day
		UNION ALL SELECT * FROM loans l WHERE l.branch_code = w.branch AND l.returned_at IS NULL AND l.due_at = w.at) l
	JOIN items i ON i.id = l.item_id
	JOIN unnest($1::text[], $2::date[], $3::timestamptz[], $4::bigint[], $5::text[], $6::text[], $7::date[],
			$8::timestamptz[]) k (branch, day, at, edition, situation, own, day_after, at_after)
		ON k.branch = l.branch_code AND coalesce(k.at, k.day) = coalesce(l.due_at, l.due_date)
			AND k.edition = l.edition_id AND k.situation = array_to_string(l.situation, chr(31)) AND k.own = coalesce(i.own_terms::text, '')`

func loanColumnsOf(moves []LoanMove) []any {
	n := len(moves)
	branches, situations, own := make([]calendar.Code, n), make([]string, n), make([]string, n)
	days, ats := make([]*time.Time, n), make([]*time.Time, n)
	toDays, toAts := make([]*time.Time, n), make([]*time.Time, n)
	editions := make([]int64, n)
	for k, m := range moves {
		branches[k], days[k], ats[k], editions[k] = m.BranchCode, m.DueDate, m.DueAt, m.EditionID
		situations[k], own[k] = strings.Join(m.Situation, "\x1f"), string(m.OwnTerms)
		toDays[k], toAts[k] = m.ToDate, m.ToAt
	}
	return []any{branches, days, ats, editions, situations, own, toDays, toAts}
}

// MovedLoan is a loan that a change of a calendar moves.
type MovedLoan struct {
	DueWhen
	ID, ItemID               int64
	Title, Barcode           string
	LegalName, PreferredName string
	ToDate, ToAt             *time.Time
}

// MovedLoans gives a page of the loans of kinds that move, in order of when they are due.
func (t *Tx) MovedLoans(moves []LoanMove, page Page) ([]MovedLoan, Page, error) {
	at := func(m *MovedLoan) Cursor {
		when := m.DueAt
		if when == nil {
			when = m.DueDate
		}
		return Cursor{ID: m.ID, Text: when.UTC().Format(time.RFC3339Nano)}
	}
	order := "(coalesce(k.at, k.day::timestamp AT TIME ZONE 'UTC'), l.id)"
	return paged(
		t,
		page,
		at,
		`SELECT l.id, l.item_id, l.branch_code, l.due_date, l.due_at, b.name AS title, i.barcode, p.legal_name,
				p.preferred_name, k.day_after AS to_date, k.at_after AS to_at
		`+moving+` JOIN titles b ON b.id = i.title_id JOIN patrons p ON p.id = l.patron_id
		WHERE $9::bigint = 0 AND `+order+` > (coalesce(nullif($10, ''), '-infinity')::text::timestamptz, $11)
			ORDER BY `+order,
		loanColumnsOf(moves)...,
	)
}

// HoldKind is the holds on the hold shelf of a branch that got there on the same day, by its zone, and wait until the
// same day.
type HoldKind struct {
	Pickup            calendar.Code
	Ready, ShelfUntil time.Time
	Number            int
}

// HoldKinds gives the kinds of the holds on the hold shelves of some branches.
func (t *Tx) HoldKinds(branches []calendar.Code) ([]HoldKind, error) {
	return list[HoldKind](
		t,
		`SELECT h.pickup, (h.ready_at AT TIME ZONE b.timezone)::date AS ready, h.shelf_until, count(*)::int AS number
		FROM holds h JOIN branches b ON b.code = h.pickup WHERE h.pickup = ANY($1) AND h.state = 'ready'
			GROUP BY 1, 2, 3`,
		branches,
	)
}

// HoldMove is until when the holds of a kind wait.
type HoldMove struct {
	HoldKind
	To time.Time
}

// waitingOn are the holds h on hold shelves of kinds k. The arguments are those of holdColumnsOf.
const waitingOn = `FROM unnest($1::text[], $2::date[], $3::date[], $4::date[]) k (branch, ready, until, to_day)
	JOIN branches b ON b.code = k.branch
	JOIN holds h ON h.pickup = k.branch AND h.state = 'ready' AND h.shelf_until = k.until
		AND (h.ready_at AT TIME ZONE b.timezone)::date = k.ready`

func holdColumnsOf(moves []HoldMove) []any {
	n := len(moves)
	branches := make([]calendar.Code, n)
	ready, until, to := make([]time.Time, n), make([]time.Time, n), make([]time.Time, n)
	for k, m := range moves {
		branches[k], ready[k], until[k], to[k] = m.Pickup, m.Ready, m.ShelfUntil, m.To
	}
	return []any{branches, ready, until, to}
}

// MovedHold is a hold that waits for longer after a change of a calendar.
type MovedHold struct {
	ID                       int64
	Title                    string
	Pickup                   calendar.Code
	LegalName, PreferredName string
	ShelfUntil, To           time.Time
}

// MovedHolds gives a page of the holds of kinds that wait for longer, by their last day.
func (t *Tx) MovedHolds(moves []HoldMove, page Page) ([]MovedHold, Page, error) {
	return paged(
		t,
		page,
		func(m *MovedHold) Cursor { return Cursor{ID: m.ID, Text: m.ShelfUntil.Format(time.DateOnly)} },
		`SELECT h.id, h.pickup, t.name AS title, p.legal_name, p.preferred_name, h.shelf_until, k.to_day AS to
		`+waitingOn+` JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id
		WHERE $5::bigint = 0 AND (h.shelf_until, h.id) > (coalesce(nullif($6, ''), '-infinity')::text::date, $7)
			ORDER BY h.shelf_until, h.id`,
		holdColumnsOf(moves)...,
	)
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
func (t *Tx) Sweeps(page Page) ([]SweepShown, Page, error) {
	return paged(
		t,
		page,
		func(s *SweepShown) Cursor { return Cursor{ID: s.ID} },
		`SELECT s.id, s.at, f.name AS who, s.text, s.undone_at, s.parts, n.loans, n.holds, n.followed FROM sweeps s
				JOIN staff f ON f.id = s.staff_id
		CROSS JOIN LATERAL (SELECT count(l.loan_id)::int AS loans, count(l.hold_id)::int AS holds,
				count(*) FILTER (WHERE l.followed)::int AS followed FROM sweep_lines l
			WHERE l.sweep_id = s.id) n
		WHERE $1::bigint = 0 AND ($2::bigint = 0 OR s.id < $2) ORDER BY s.id DESC`,
	)
}

const sweepColumns = "id, at, staff_id, text, branches, changed, left_out, parts, undone_at, undone_by"

// SweepLocked locks a sweep and gives it; nil where there is none.
func (t *Tx) SweepLocked(id int64) (*Sweep, error) {
	return one[Sweep](t, "SELECT "+sweepColumns+" FROM sweeps WHERE id = $1 FOR UPDATE", id)
}

// SweepUndone writes who has undone a sweep.
func (t *Tx) SweepUndone(id, by int64, at time.Time) {
	t.queueOne("UPDATE sweeps SET undone_at = $2, undone_by = $3 WHERE id = $1 AND undone_at IS NULL", id, at, by)
}
