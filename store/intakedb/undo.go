package intakedb

import (
	"encoding/json"
	"strings"
	"time"

	"nevrin/store"
)

// Back counts what was undone of a file, and what stays since it has been used here.
type Back struct{ Gone, Restored, Stay int }

// undoing is how what came of a kind is undone.
type undoing struct {
	table string
	// free is the condition under which a row that came (o, as c says, $3 when it was taken) may go: nothing has become of it here.
	free string
	// goes are the statements that let ids $1 go.
	goes []string
	// changes are the columns that a file may have changed; still is the condition under which they are as it left them.
	changes, still string
}

// nothing is that no row of some tables speaks of row o.
func nothing(column string, tables ...string) string {
	parts := make([]string, len(tables))
	for k, table := range tables {
		parts[k] = "NOT EXISTS (SELECT 1 FROM " + table + " x WHERE x." + column + " = o.id)"
	}
	return strings.Join(parts, " AND ")
}

const (
	unrevised  = `o.revision = c.revision`
	loanAsCame = `o.returned_at IS NULL AND o.renewed_at IS NULL`
)

var undoings = map[string]undoing{
	"patrons": {
		table: "patrons",
		free: unrevised + ` AND o.balance = 0 AND o.forgotten_at IS NULL AND o.merged_into IS NULL AND o.pin_hash = ''
			AND o.confirmed_on IS NULL AND ` + nothing("patron_id", "loans", "holds", "ledger", "return_lines", "messages", "notices", "partners",
			"requests", "reports", "consents", "roster_members", "claims", "sign_ups", "sweep_lines") + `
			AND NOT EXISTS (SELECT 1 FROM patron_notes x WHERE x.patron_id = o.id AND x.at > $3)
			AND NOT EXISTS (SELECT 1 FROM former_cards x WHERE x.patron_id = o.id AND x.ended_at > $3)
			AND NOT EXISTS (SELECT 1 FROM rosters x WHERE x.adult_id = o.id)
			AND NOT EXISTS (SELECT 1 FROM merges x WHERE x.kept_id = o.id OR x.gone_id = o.id)`,
		goes: []string{
			"DELETE FROM patron_notes WHERE patron_id = ANY($1)",
			"DELETE FROM former_cards WHERE patron_id = ANY($1)",
			"DELETE FROM readings WHERE patron_id = ANY($1)",
			"DELETE FROM patrons WHERE id = ANY($1)",
		},
		changes: patronTaken, still: unrevised,
	},
	"titles": {
		table:   "titles",
		free:    unrevised + " AND " + nothing("title_id", "items", "holds"),
		goes:    []string{"DELETE FROM covers WHERE title_id = ANY($1)", "DELETE FROM titles WHERE id = ANY($1)"},
		changes: titleTaken, still: unrevised,
	},
	"items": {
		table: "items",
		free: unrevised + " AND " + nothing("item_id", "loans", "holds", "misses", "transits", "return_lines",
			"requests", "reports",
			"looks", "inventory_lines", "deed_items") + ` AND ` + nothing("only_item", "holds") + `
			AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = o.id AND w.place <> 'aside')`,
		goes: []string{
			"DELETE FROM whereabouts WHERE item_id = ANY($1) AND place = 'aside'",
			"DELETE FROM items WHERE id = ANY($1)",
		},
		changes: itemChanged, still: unrevised,
	},
	"loans": {
		table: "loans",
		free: loanAsCame + " AND " + nothing("loan_id", "ledger", "return_lines", "notices", "requests",
			"reports",
			"sweep_lines", "claims"),
		goes: []string{
			`DELETE FROM whereabouts w USING loans l WHERE l.id = ANY($1) AND w.item_id = l.item_id AND w.place = 'lent'
				AND w.ref = l.id`,
			"DELETE FROM loans WHERE id = ANY($1)",
		},
		changes: loanChanged, still: loanAsCame,
	},
	"holds": {
		table: "holds",
		free: "(o.state = 'waiting' OR o.state = 'ready' AND c.item_at IS NOT NULL) AND " +
			nothing("hold_id", "misses", "transits", "notices", "sweep_lines") + " AND " + nothing("filled_hold", "loans"),
		goes: []string{
			`DELETE FROM whereabouts w USING holds h WHERE h.id = ANY($1) AND w.item_id = h.item_id AND w.place = 'hold_shelf'
				AND w.ref = h.id`,
			`UPDATE items i SET at_branch = c.item_at FROM came_from c JOIN holds h ON h.id = c.ref
				WHERE c.ref = ANY($1) AND c.kind = 'holds' AND c.item_at IS NOT NULL
					AND i.id = h.item_id AND i.at_branch = h.pickup`,
			"DELETE FROM holds WHERE id = ANY($1)",
		},
	},
	// The books are never rubbed out: what came is put right by an entry of its own.
	"balances": {
		table: "ledger",
		free:  nothing("settles", "ledger"),
		goes: []string{`INSERT INTO ledger (patron_id, kind, amount, settles, about, reason, at, staff_id, branch_code)
			SELECT patron_id, 'correction', -amount, id, about, $4, $3, $2, branch_code FROM ledger WHERE id = ANY($1)
			ORDER BY id`},
	},
}

// Undoing is an intake that is undone: by whom, when, and why in the books.
type Undoing struct {
	Intake       int64
	TakenAt, Now time.Time
	Staff        int64
	Reason       string
}

// backAtOnce is how many rows go in one statement.
const backAtOnce = 10_000

// UndoIntake takes back what came with an intake, of one kind: what is as it came goes, what was changed and is still so becomes what
// it was. Told is how many have gone so far.
func UndoIntake(tx *store.Tx, kind string, u Undoing, told func(gone int) error) (Back, error) {
	var out Back
	is := undoings[kind]
	if err := findFree(tx, kind, is, u); err != nil {
		return out, err
	}
	for {
		ids, err := store.Each[int64](tx,
			"DELETE FROM undoing WHERE id IN (SELECT id FROM undoing ORDER BY id LIMIT $1) RETURNING id", backAtOnce)
		if err != nil {
			return out, err
		}
		if len(ids) == 0 {
			break
		}
		q := &store.Questions{}
		for _, statement := range is.goes {
			args := []any{ids, u.Staff, u.Now, u.Reason}
			if kind != "balances" {
				args = args[:1]
			}
			store.Do(q, statement, args...)
		}
		store.Do(q, "DELETE FROM came_from WHERE intake_id = $1 AND kind = $2 AND ref = ANY($3) AND added", u.Intake, kind, ids)
		if err := tx.Send(q); err != nil {
			return out, err
		}
		out.Gone += len(ids)
		if err := told(out.Gone); err != nil {
			return out, err
		}
	}
	if is.changes != "" {
		restored, err := restore(tx, kind, is, u.Intake)
		if err != nil {
			return out, err
		}
		out.Restored = restored
	}
	// A title that was here already is only no longer known as theirs.
	if kind == "titles" {
		_, err := tx.Exec("DELETE FROM came_from WHERE intake_id = $1 AND kind = 'titles' AND NOT added", u.Intake)
		if err != nil {
			return out, err
		}
	}
	stay, err := store.Value[int](tx, "SELECT count(*)::int FROM came_from WHERE intake_id = $1 AND kind = $2", u.Intake, kind)
	out.Stay = stay
	return out, err
}

// findFree puts the ids of what may go into the table undoing, which lives as long as the act.
func findFree(tx *store.Tx, kind string, is undoing, u Undoing) error {
	statements := []string{
		"CREATE TEMP TABLE IF NOT EXISTS undoing (id bigint PRIMARY KEY) ON COMMIT DROP",
		"TRUNCATE undoing",
	}
	for _, statement := range statements {
		if _, err := tx.Exec(statement); err != nil {
			return err
		}
	}
	_, err := tx.Exec(`INSERT INTO undoing SELECT o.id FROM came_from c JOIN `+is.table+` o ON o.id = c.ref
		WHERE c.intake_id = $1 AND c.kind = $2 AND c.added AND c.was IS NULL AND $3::timestamptz IS NOT NULL AND `+is.free,
		u.Intake, kind, u.TakenAt)
	if err != nil || kind != "patrons" {
		return err
	}
	// Who answers for somebody who stays, stays; so does who answers for them.
	for more := int64(1); more > 0; {
		more, err = tx.Exec(`DELETE FROM undoing u WHERE EXISTS (SELECT 1 FROM patrons p WHERE p.guardian_id = u.id
			AND NOT EXISTS (SELECT 1 FROM undoing o WHERE o.id = p.id))`)
		if err != nil {
			return err
		}
	}
	_, err = tx.Exec(`UPDATE patrons SET guardian_id = NULL
		WHERE guardian_id IS NOT NULL AND id IN (SELECT id FROM undoing)`)
	return err
}

// restore writes back what an intake changed and is still as it left it; it gives how many.
func restore(tx *store.Tx, kind string, is undoing, intake int64) (int, error) {
	revision, next := "", "c.revision"
	if is.still == unrevised {
		revision, next = ", revision = o.revision + 1", "c.revision + 1"
	}
	return store.Value[int](tx, `WITH src AS MATERIALIZED (SELECT c.number, c.source, c.ref, c.was AS ready
			FROM came_from c JOIN `+is.table+` o ON o.id = c.ref
			WHERE c.intake_id = $1 AND c.kind = $2 AND c.was IS NOT NULL AND `+is.still+`),
		put AS (`+rewrite(is.table, is.changes, revision)+` FROM src s WHERE o.id = s.ref),
		came AS (UPDATE came_from c SET digest = c.was_digest, intake_id = c.was_intake, was = NULL, was_digest = NULL,
			was_intake = NULL, revision = `+next+` FROM src
			WHERE c.source = src.source AND c.kind = $2 AND c.number = src.number)
		SELECT count(*)::int FROM src`, intake, kind)
}

// IntakeUndone writes that an intake has been undone by its worker; households that it made and nobody is in go too. False: the
// worker was to stop.
func IntakeUndone(tx *store.Tx, id int64, holder string, counts json.RawMessage, at time.Time) (bool, error) {
	_, err := tx.Exec(`WITH alone AS (DELETE FROM came_from c WHERE c.intake_id = $1 AND c.kind = 'households'
			AND NOT EXISTS (SELECT 1 FROM patrons p WHERE p.household_id = c.ref) RETURNING ref)
		DELETE FROM households WHERE id IN (SELECT ref FROM alone)`, id)
	if err != nil {
		return false, err
	}
	rows, err := tx.Exec(`UPDATE intakes SET state = 'undone', undone_at = $2, counts = $3
		WHERE id = $1 AND state = 'undoing'`, id, at, counts)
	if err != nil || rows == 0 {
		return false, err
	}
	return tx.HoldsWork(store.IntakeWork(id), holder)
}
