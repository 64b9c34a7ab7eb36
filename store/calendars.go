package store

import (
	"encoding/json"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// Sweep is one change to many records.
type Sweep struct {
	ID       int64
	At       time.Time
	StaffID  int64
	Text     string
	Branches json.RawMessage `gorm:"type:jsonb"`
	Changed  json.RawMessage `gorm:"type:jsonb"`
	UndoneAt *time.Time
	UndoneBy *int64
}

// SweepLine is what a sweep does to one loan or hold.
type SweepLine struct {
	SweepID             int64
	LoanID, HoldID      *int64
	DayBefore, DayAfter *time.Time
	AtBefore, AtAfter   *time.Time
}

// AddSweep writes a sweep with its lines and gives it its id.
func (t *Tx) AddSweep(s *Sweep, lines []SweepLine) error {
	if err := t.orm().Create(s).Error; err != nil {
		return err
	}
	rows := make([][]any, len(lines))
	for k, l := range lines {
		rows[k] = []any{s.ID, l.LoanID, l.HoldID, l.DayBefore, l.DayAfter, l.AtBefore, l.AtAfter}
	}
	return t.driver(func(conn *pgx.Conn) error {
		_, err := conn.CopyFrom(
			t.ctx,
			pgx.Identifier{"sweep_lines"},
			[]string{
				"sweep_id",
				"loan_id",
				"hold_id",
				"day_before",
				"day_after",
				"at_before",
				"at_after",
			},
			pgx.CopyFromRows(rows),
		)
		return err
	})
}

// FollowSweep moves loans and hold shelves to what the lines of a sweep say: forward, or back where nothing else has
// happened to them since. Each move is an event of the given kind, told by somebody at a branch.
func (t *Tx) FollowSweep(sweep int64, forward bool, now time.Time, who int64, branch, loanKind, holdKind string) error {
	from, to := "before", "after"
	if !forward {
		from, to = to, from
	}
	_, err := t.exec(
		fmt.Sprintf(
			`WITH chosen AS (SELECT l.id FROM sweep_lines s JOIN loans l ON l.id = s.loan_id WHERE s.sweep_id = $1
					ORDER BY l.id FOR NO KEY UPDATE OF l),
			moved AS (UPDATE loans l SET told = false, due_date = s.day_%[2]s, due_at = s.at_%[2]s FROM sweep_lines s
				JOIN chosen ON chosen.id = s.loan_id
			WHERE s.sweep_id = $1 AND s.loan_id = l.id AND l.returned_at IS NULL AND l.due_date IS NOT DISTINCT
				FROM s.day_%[1]s AND l.due_at IS NOT DISTINCT FROM s.at_%[1]s
			RETURNING l.id, l.item_id, l.patron_id, l.due_date, l.due_at)
		INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, loan_id, detail)
			SELECT $2, $5, $3, nullif($4, ''), patron_id, item_id, id, jsonb_strip_nulls(jsonb_build_object('day',
				due_date, 'at', due_at)) FROM moved`,
			from,
			to,
		),
		sweep,
		now,
		who,
		branch,
		loanKind,
	)
	if err != nil {
		return err
	}
	_, err = t.exec(fmt.Sprintf(`WITH moved AS (UPDATE holds h SET shelf_until = s.day_%[2]s FROM sweep_lines s
			WHERE s.sweep_id = $1 AND s.hold_id = h.id AND h.state = 'ready' AND h.shelf_until = s.day_%[1]s
				RETURNING h.id, h.patron_id, h.item_id, h.shelf_until)
		INSERT INTO events (at, kind, staff_id, branch_code, patron_id, item_id, hold_id, detail)
			SELECT $2, $5, $3, nullif($4, ''), patron_id, item_id, id, jsonb_build_object('day', shelf_until)
				FROM moved`, from, to),
		sweep, now, who, branch, holdKind)
	return err
}

// DueLoan is an open loan with what a change of a calendar asks.
type DueLoan struct {
	Loan
	OwnTerms                 json.RawMessage
	Title, Barcode           string
	LegalName, PreferredName string
}

// DueLoans gives the open loans of some branches that are due from a day or an instant on, in order of when.
func (t *Tx) DueLoans(branches []string, day, at time.Time) ([]DueLoan, error) {
	return list[DueLoan](
		t,
		`SELECT `+loanColumns+`, i.own_terms, b.name AS title, i.barcode, p.legal_name, p.preferred_name
		FROM loans l JOIN items i ON i.id = l.item_id JOIN titles b ON b.id = i.title_id
			JOIN patrons p ON p.id = l.patron_id
		WHERE l.returned_at IS NULL AND l.branch_code = ANY($1) AND (l.due_date >= $2 OR l.due_at > $3)
			ORDER BY coalesce(l.due_at, l.due_date), l.id`,
		branches,
		day,
		at,
	)
}

// ReadyHolds gives the holds on the hold shelf of a branch by their last day.
func (t *Tx) ReadyHolds(branch string) ([]HoldShown, error) {
	return list[HoldShown](
		t,
		`SELECT `+holdColumns+`, t.name AS title_name, p.card, p.legal_name, p.preferred_name, p.shelf_name
		FROM holds h JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id
		WHERE h.pickup = $1 AND h.state = 'ready' ORDER BY h.shelf_until, h.id`,
		branch,
	)
}

// SweepShown is a sweep with how much it changed.
type SweepShown struct {
	ID           int64
	At           time.Time
	Who, Text    string
	Loans, Holds int
	UndoneAt     *time.Time
}

// Sweeps gives the latest sweeps, up to a number.
func (t *Tx) Sweeps(most int) ([]SweepShown, error) {
	return list[SweepShown](
		t,
		`SELECT s.id, s.at, f.name AS who, s.text, s.undone_at, n.loans, n.holds FROM sweeps s
				JOIN staff f ON f.id = s.staff_id
		CROSS JOIN LATERAL (SELECT count(l.loan_id)::int AS loans, count(l.hold_id)::int AS holds FROM sweep_lines l
			WHERE l.sweep_id = s.id) n
		ORDER BY s.id DESC LIMIT $1`,
		most,
	)
}

// SweepLocked locks a sweep and gives it; nil where there is none.
func (t *Tx) SweepLocked(id int64) (*Sweep, error) {
	return one[Sweep](
		t,
		"SELECT id, at, staff_id, text, branches, changed, undone_at, undone_by FROM sweeps WHERE id = $1 FOR UPDATE",
		id,
	)
}

// SweepUndone writes who has undone a sweep.
func (t *Tx) SweepUndone(id, by int64, at time.Time) {
	t.queueOne("UPDATE sweeps SET undone_at = $2, undone_by = $3 WHERE id = $1 AND undone_at IS NULL", id, at, by)
}
