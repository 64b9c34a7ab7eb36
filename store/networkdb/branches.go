package networkdb

import (
	"context"
	"encoding/json"
	"time"

	"gorm.io/gorm/clause"

	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/statusdb"
)

// Branch is a branch with its calendar in the form of the file formats.
type Branch struct {
	Code           calendar.Code `gorm:"primaryKey"`
	Name           string
	Zone           string
	Timezone       string
	Position       int
	Hours          json.RawMessage `gorm:"type:jsonb"`
	Closures       json.RawMessage `gorm:"type:jsonb"`
	Openings       json.RawMessage `gorm:"type:jsonb"`
	Recurring      json.RawMessage `gorm:"type:jsonb;default:'[]'"` // closures that come again, with a rule of RFC 5545
	SortMinutes    int
	ReceiveMinutes int
	PublicShelf    bool
	Slots          int // of its hold shelf; 0: it goes by name
	Address        string
	Phones         []string       `gorm:"type:text[];serializer:texts"`
	Bins           []string       `gorm:"type:text[];serializer:texts;default:'{}'"` // named places where things are dropped
	BinsNow        bool           // what lies in them counts as when it is scanned, not as the last open day
	ClosedOn       *time.Time     `gorm:"type:date"` // closed for good
	Follows        *calendar.Code // where what belonged there belongs since
}

// Run is a run of the courier in the form of the file format.
type Run struct {
	ID       string `gorm:"primaryKey"`
	Position int
	Plan     json.RawMessage `gorm:"type:jsonb"`
}

// BranchRow gives one branch as it is stored.
func BranchRow(tx *store.Tx, code calendar.Code) (Branch, error) {
	var row Branch
	return row, tx.ORM().Take(&row, "code = ?", code).Error
}

// BranchRowLocked does so for a change of its calendar.
func BranchRowLocked(tx *store.Tx, code calendar.Code) (Branch, error) {
	var row Branch
	return row, tx.ORM().Clauses(clause.Locking{Strength: "NO KEY UPDATE"}).Take(&row, "code = ?", code).Error
}

// KeepCalendar writes the calendar of a branch.
func KeepCalendar(tx *store.Tx, row *Branch) error {
	return tx.ORM().Model(row).Select("Hours", "Closures", "Openings", "Recurring").Updates(row).Error
}

// Desks counts open sign-ups by branch, and open reports about the rules and trial runs of the network, whose branch is empty.
func Desks(tx *store.Tx) ([]statusdb.Waits, error) {
	return store.List[statusdb.Waits](tx, `SELECT branch_code AS branch, 'sign_ups' AS kind, count(*)::int AS number, 0 AS late
			FROM sign_ups WHERE state = 'waiting' GROUP BY 1
		UNION ALL SELECT '', 'reports', count(*)::int, 0 FROM reports WHERE answered_at IS NULL
		UNION ALL SELECT '', 'trials', count(*)::int, 0 FROM mailings WHERE state = 'trial'`)
}

// BranchCodes lists the codes of all branches in their order.
func BranchCodes(ctx context.Context, s *store.Store) ([]string, error) {
	var codes []string
	return codes, s.ORM(ctx).Raw("SELECT code FROM branches ORDER BY position").Scan(&codes).Error
}

// PutBranch writes a branch: a new one is open at no hours yet.
func PutBranch(tx *store.Tx, b *Branch) {
	tx.QueueOne(
		`INSERT INTO branches (code, name, zone, timezone, position, sort_minutes, receive_minutes, public_shelf,
			address, phones, bins, slots, bins_now) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
		ON CONFLICT (code) DO UPDATE SET name = $2, zone = $3, timezone = $4, position = $5, sort_minutes = $6,
			receive_minutes = $7, public_shelf = $8, address = $9, phones = $10, bins = $11, slots = $12, bins_now = $13`,
		b.Code,
		b.Name,
		b.Zone,
		b.Timezone,
		b.Position,
		b.SortMinutes,
		b.ReceiveMinutes,
		b.PublicShelf,
		b.Address,
		b.Phones,
		b.Bins,
		b.Slots,
		b.BinsNow,
	)
}

// DropBranch takes away a branch to which nothing has ever belonged; the database refuses any other.
func DropBranch(tx *store.Tx, code calendar.Code) {
	tx.QueueOne("DELETE FROM branches WHERE code = $1", code)
}

// BranchUse counts what belongs to a branch, and what stands in the way of closing it permanently.
type BranchUse struct {
	Items, OnShelf, Patrons, Waiting, Staff int
	Ready, Moving, Fetching, Runs, Seasons  int // in the way
	Tills, Cards                            int // likewise: open ones, and payments at their terminals
	Loans                                   int // open, made there: they stay as they are
}

// UseOfBranch counts what belongs to a branch.
func UseOfBranch(tx *store.Tx, code calendar.Code) (BranchUse, error) {
	u, err := store.One[BranchUse](tx, `SELECT
		(SELECT count(*) FROM items WHERE branch_code = $1 AND standing <> 'withdrawn')::int AS items,
		(SELECT count(*) FROM items i WHERE at_branch = $1 AND standing <> 'withdrawn'
		AND NOT EXISTS (SELECT 1 FROM whereabouts w
			WHERE w.item_id = i.id AND w.place IN ('lent', 'under_way')))::int AS on_shelf,
		(SELECT count(*) FROM patrons WHERE branch_code = $1 AND forgotten_at IS NULL)::int AS patrons,
		(SELECT count(*) FROM holds WHERE pickup = $1 AND state = 'waiting')::int AS waiting,
		(SELECT count(*) FROM staff WHERE branch_code = $1 AND active)::int AS staff,
		(SELECT count(*) FROM holds WHERE pickup = $1 AND state = 'ready')::int AS ready,
		(SELECT count(*) FROM transits WHERE ended_at IS NULL AND (to_branch = $1 OR from_branch = $1))::int
			+ (SELECT count(*) FROM holds WHERE pickup = $1 AND state = 'moving')::int AS moving,
		(SELECT count(*) FROM holds WHERE state = 'fetching' AND (fetch_at = $1 OR pickup = $1))::int AS fetching,
		(SELECT count(*) FROM return_runs WHERE branch_code = $1 AND finished_at IS NULL)::int AS runs,
		(SELECT count(*) FROM tills WHERE branch_code = $1 AND closed_at IS NULL)::int AS tills,
		(SELECT count(*) FROM terminal_payments WHERE branch_code = $1 AND ended_at IS NULL)::int AS cards,
		(SELECT count(*) FROM items WHERE home_after = $1 OR
		branch_code = $1 AND home_until IS NOT NULL)::int AS seasons,
		(SELECT count(*) FROM loans WHERE branch_code = $1 AND returned_at IS NULL)::int AS loans`, code)
	if u == nil {
		return BranchUse{}, err
	}
	return *u, err
}

// CloseBranch closes a branch permanently: what belonged there belongs elsewhere from now on, and what was moved is kept.
func CloseBranch(tx *store.Tx, code, to calendar.Code, on time.Time) {
	tx.QueueOne("UPDATE branches SET closed_on = $2, follows = $3 WHERE code = $1", code, on, to)
	for _, m := range moved {
		tx.Queue(
			`WITH gone AS (UPDATE `+m.table+` SET `+m.column+` = $2 WHERE `+m.column+` = $1 AND `+m.where+` RETURNING id)
			INSERT INTO closing_moves (branch_code, what, id) SELECT $1, '`+m.what+`', id FROM gone`,
			code,
			to,
		)
	}
}

// ReopenBranch opens a branch again: what was moved away from it comes back, unless it belongs somewhere else since.
func ReopenBranch(tx *store.Tx, code, from calendar.Code) {
	tx.QueueOne("UPDATE branches SET closed_on = NULL, follows = NULL WHERE code = $1", code)
	for _, m := range moved {
		tx.Queue(`UPDATE `+m.table+` SET `+m.column+` = $1 WHERE `+m.column+` = $2 AND `+m.where+` AND id IN
			(SELECT id FROM closing_moves WHERE branch_code = $1 AND what = '`+m.what+`')`, code, from)
	}
	tx.Queue("DELETE FROM closing_moves WHERE branch_code = $1", code)
}

// KeepRun writes the plan of a courier run; without one it takes the run away.
func KeepRun(tx *store.Tx, r *Run) {
	if len(r.Plan) == 0 {
		tx.Queue("DELETE FROM runs WHERE id = $1", r.ID)
		return
	}
	tx.Queue("INSERT INTO runs (id, position, plan) VALUES ($1, $2, $3) ON CONFLICT (id) DO UPDATE SET plan = $3",
		r.ID, r.Position, r.Plan)
}
