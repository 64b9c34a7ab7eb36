package calendarsdb

import (
	"encoding/json"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// DueWhen is a due date at a branch, shared by any number of loans.
type DueWhen struct {
	BranchCode     calendar.Code
	DueDate, DueAt *time.Time
}

// DueWhens gives when open loans of some branches are due from a day or an instant on.
func DueWhens(tx *store.Tx, branches []calendar.Code, day, at time.Time) ([]DueWhen, error) {
	return store.List[DueWhen](
		tx,
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
func LoanKinds(tx *store.Tx, when []DueWhen) ([]LoanKind, error) {
	branches := make([]calendar.Code, len(when))
	days, ats := make([]*time.Time, len(when)), make([]*time.Time, len(when))
	for k, w := range when {
		branches[k], days[k], ats[k] = w.BranchCode, w.DueDate, w.DueAt
	}
	return store.List[LoanKind](
		tx,
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

// LoanMove gives the new due date of all loans of a kind.
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
func MovedLoans(tx *store.Tx, moves []LoanMove, page store.Page) ([]MovedLoan, store.Page, error) {
	at := func(m *MovedLoan) store.Cursor {
		when := m.DueAt
		if when == nil {
			when = m.DueDate
		}
		return store.Cursor{ID: m.ID, Text: when.UTC().Format(time.RFC3339Nano)}
	}
	order := "(coalesce(k.at, k.day::timestamp AT TIME ZONE 'UTC'), l.id)"
	return store.Paged(
		tx,
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
func HoldKinds(tx *store.Tx, branches []calendar.Code) ([]HoldKind, error) {
	return store.List[HoldKind](
		tx,
		`SELECT h.pickup, (h.ready_at AT TIME ZONE b.timezone)::date AS ready, h.shelf_until, count(*)::int AS number
		FROM holds h JOIN branches b ON b.code = h.pickup WHERE h.pickup = ANY($1) AND h.state = 'ready'
			GROUP BY 1, 2, 3`,
		branches,
	)
}

// HoldMove gives the new last shelf day of all holds of a kind.
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
func MovedHolds(tx *store.Tx, moves []HoldMove, page store.Page) ([]MovedHold, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(m *MovedHold) store.Cursor {
			return store.Cursor{ID: m.ID, Text: m.ShelfUntil.Format(time.DateOnly)}
		},
		`SELECT h.id, h.pickup, t.name AS title, p.legal_name, p.preferred_name, h.shelf_until, k.to_day AS to
		`+waitingOn+` JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id
		WHERE $5::bigint = 0 AND (h.shelf_until, h.id) > (coalesce(nullif($6, ''), '-infinity')::text::date, $7)
			ORDER BY h.shelf_until, h.id`,
		holdColumnsOf(moves)...,
	)
}
