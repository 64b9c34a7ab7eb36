package intakedb

import (
	"fmt"
	"strings"
	"time"

	"nevrin/store"
	"nevrin/store/eventsdb"
)

// What of a row is taken out of a line. Where an item that is here already stands and how is known here better than there: what
// changes of it is the rest.
const (
	patronTaken = `card, legal_name, preferred_name, shelf_name, born, class, branch_code, standing, card_until, email, phone,
		address, older_reader, history_months, history_seen, institution, other_phones, text_number, postal_code, town,
		home_address, mail_returned, in_area, guardian_name, answers_for_all, identity, identity_two, identity_number,
		identity_guardian, school, school_year, pickup, may_use, marks, stopped, standing_reason, internet, photo,
		joined_on, ask_before, notices, email_returned, language`
	titleTaken = `name, author, isbn, year, numbers, edition, publisher, language, series, subjects, summary, extent, record`
	itemTaken  = `barcode, branch_code, at_branch, collection, material, call_number, price, note, own_terms, standing,
		added_on, parts, parts_say, condition, aside_for, home_until, home_after`
	itemChanged = `barcode, branch_code, collection, material, call_number, price, note, own_terms, added_on, parts,
		parts_say, condition, home_until, home_after`
	loanChanged = `due_date, due_at, renewals`
)

// Taking is a span of lines that are taken.
type Taking struct {
	Intake      int64
	Source      string
	After, Upto int // lines
	Event       eventsdb.Event
	Note        string // the kind of note that a patron's is
	Edition     int64
}

// of puts an alias before each of some columns.
func of(alias, columns string) string {
	return alias + "." + strings.Join(names(columns), ", "+alias+".")
}

func names(columns string) []string { return strings.Fields(strings.ReplaceAll(columns, ",", " ")) }

// span begins a statement that takes lines of a kind and outcome: src has them, each with an id that is to be its own, and r what
// it says as a row.
func span(kind, outcome string) string {
	return fmt.Sprintf(`WITH src AS MATERIALIZED (SELECT line, part, number, digest, ref, ready, nextval('ids') AS new_id
			FROM intake_lines WHERE intake_id = $1 AND kind = '%s' AND outcome = '%s' AND line > $3 AND line <= $4
			ORDER BY line, part),
		arg AS (SELECT $2::text AS source, $5::timestamptz AS at, $6::text AS event_kind, $7::bigint AS staff,
			$8::text AS request, $9::jsonb AS detail, $10::text AS note, $11::bigint AS edition), `, kind, outcome)
}

// rows are the lines of src as rows r of a table.
func rowsAs(table string) string {
	return " FROM src CROSS JOIN arg CROSS JOIN LATERAL jsonb_populate_record(NULL::" + table + ", src.ready) r "
}

// came keeps from where what is new came.
func came(kind, ref string, added bool) string {
	return fmt.Sprintf(`came AS (INSERT INTO came_from (source, kind, number, ref, digest, intake_id, added)
		SELECT arg.source, '%s', number, %s, digest, $1, %t FROM src, arg) `, kind, ref, added)
}

// told ends a statement: an event for each line, linked by some columns.
func told(columns, refs string) string {
	return `INSERT INTO events (at, kind, staff_id, request, detail, ` + columns + `)
		SELECT arg.at, arg.event_kind, arg.staff, arg.request, arg.detail, ` + refs + ` FROM src, arg`
}

// change changes rows of a table that came before in what a line says of them, and keeps what they were. Revision counts changes of
// the row; empty where it has none.
func change(kind, table, columns, revision string) string {
	is, next := "c.revision", ""
	if revision != "" {
		is, next = "old.revision + 1", ", revision = o.revision + 1"
	}
	return span(kind, "changed") + `old AS MATERIALIZED (SELECT o.*, (SELECT jsonb_object_agg(e.key, e.value)
			FROM jsonb_each(to_jsonb(o)) e WHERE e.key = ANY('{` + strings.Join(names(columns), ",") + `}')) AS before
			FROM ` + table + ` o JOIN src ON src.ref = o.id),
		came AS (UPDATE came_from c SET was_digest = c.digest, was_intake = c.intake_id, was = old.before,
			digest = src.digest, intake_id = $1, revision = ` + is + ` FROM src JOIN old ON old.id = src.ref, arg
			WHERE c.source = arg.source AND c.kind = '` + kind + `' AND c.number = src.number),
		put AS (` + rewrite(table, columns, next) + ` FROM src s WHERE o.id = s.ref) `
}

// rewrite writes into rows o of a table what the jsonb s.ready says; what it does not say stays.
func rewrite(table, columns, more string) string {
	return `UPDATE ` + table + ` o SET (` + columns + `) = (SELECT ` + of("r", columns) +
		` FROM jsonb_populate_record(o, s.ready) r)` + more
}

// takes are the statements that take lines, by kind, in order.
var takes = map[string][]string{
	"patrons": {
		span("patrons", "new") + `put AS (INSERT INTO patrons (id, household_id, ` + patronTaken + `)
			SELECT src.new_id, h.ref, ` + of("r", patronTaken) + rowsAs("patrons") + `
			LEFT JOIN came_from h ON h.source = arg.source AND h.kind = 'households'
				AND h.number = src.ready->>'household'),
		noted AS (INSERT INTO patron_notes (patron_id, kind, text, at, staff_id)
			SELECT new_id, arg.note, ready->>'notes', arg.at, arg.staff FROM src, arg WHERE ready->>'notes' <> ''),
		carded AS (INSERT INTO former_cards (card, patron_id, ended_at, why) SELECT f.card, new_id, arg.at, 'moved in'
			FROM src, arg, jsonb_array_elements_text(ready->'former_cards') f(card) ON CONFLICT DO NOTHING),
		` + came("patrons", "new_id", true) + told("patron_id", "new_id"),
		change("patrons", "patrons", patronTaken, "revision") + told("patron_id", "ref"),
	},
	"titles": {
		span("titles", "new") + `put AS (INSERT INTO titles (id, ` + titleTaken + `)
			SELECT src.new_id, ` + of("r", titleTaken) + rowsAs("titles") + `), ` +
			came("titles", "new_id", true) + `SELECT 1 FROM arg`,
		span("titles", "joined") + came("titles", "ref", false) + `SELECT 1 FROM arg`,
		change("titles", "titles", titleTaken, "revision") + `SELECT 1 FROM arg`,
	},
	"items": {
		span("items", "new") + `put AS (INSERT INTO items (id, title_id, ` + itemTaken + `)
			SELECT src.new_id, t.ref, ` + of("r", itemTaken) + rowsAs("items") + `
			JOIN came_from t ON t.source = arg.source AND t.kind = 'titles' AND t.number = src.ready->>'title'), ` +
			came("items", "new_id", true) + told("item_id", "new_id"),
		change("items", "items", itemChanged, "revision") + told("item_id", "ref"),
	},
	"loans": {
		span("loans", "new") + `put AS (INSERT INTO loans (id, item_id, patron_id, branch_code, edition_id, situation, lent_at,
				due_date, due_at, renewals, lost_at)
			SELECT src.new_id, r.item_id, r.patron_id, r.branch_code, arg.edition, r.situation, r.lent_at, r.due_date,
				r.due_at, r.renewals, r.lost_at` + rowsAs("loans") + `), ` + came("loans", "new_id", true) + ofLoan("new_id"),
		change("loans", "loans", loanChanged, "") + ofLoan("ref"),
	},
	// What is ready stands at its pickup branch, wherever its item was known to be.
	"holds": {
		span("holds", "new") + `put AS (INSERT INTO holds (id, title_id, patron_id, pickup, only_item, placed_at, paused_until,
				state, item_id, ready_at, shelf_until, slot, place)
			SELECT src.new_id, r.title_id, r.patron_id, r.pickup, r.only_item, r.placed_at, r.paused_until,
				coalesce(r.state, 'waiting'), r.item_id, r.ready_at, r.shelf_until, r.slot,
				coalesce((SELECT max(o.place) FROM holds o WHERE o.title_id = r.title_id), 0)
					+ row_number() OVER (PARTITION BY r.title_id
						ORDER BY (src.ready->>'rank')::int NULLS LAST, r.placed_at, src.line)` + rowsAs("holds") + `), ` +
			`stood AS (UPDATE items i SET at_branch = src.ready->>'pickup' FROM src
				WHERE i.id = (src.ready->>'item_id')::bigint AND i.at_branch <> src.ready->>'pickup'),
			came AS (INSERT INTO came_from (source, kind, number, ref, digest, intake_id, added, item_at)
				SELECT arg.source, 'holds', number, new_id, digest, $1, true,
					(SELECT i.at_branch FROM items i WHERE i.id = (ready->>'item_id')::bigint) FROM src, arg) ` +
			told("hold_id, patron_id, item_id", "new_id, (ready->>'patron_id')::bigint, (ready->>'item_id')::bigint"),
	},
	"balances": {
		span("balances", "new") + `put AS (INSERT INTO ledger (id, patron_id, kind, amount, about, reason, loan_id, at, staff_id,
				branch_code)
			SELECT src.new_id, r.patron_id, 'charge', r.amount, r.about, r.reason, (SELECT l.id FROM loans l
				WHERE l.item_id = (src.ready->>'item_id')::bigint AND l.patron_id = r.patron_id
					AND l.returned_at IS NULL), r.at, arg.staff, r.branch_code` + rowsAs("ledger") + `), ` +
			came("balances", "new_id", true) + told("patron_id", "(ready->>'patron_id')::bigint"),
	},
}

func ofLoan(ref string) string {
	return told("loan_id, item_id, patron_id", ref+", (ready->>'item_id')::bigint, (ready->>'patron_id')::bigint")
}

// TakeLines takes the lines of a span, of one kind. Whom and what they speak of must be locked.
func TakeLines(tx *store.Tx, kind string, k Taking) error {
	q := &store.Questions{}
	e := &k.Event
	for _, statement := range takes[kind] {
		store.Do(q, statement, k.Intake, k.Source, k.After, k.Upto, e.At, e.Kind, e.StaffID, e.Request, e.Detail, k.Note,
			k.Edition)
	}
	return tx.Send(q)
}

// TakeHouseholds makes the households of which lines of an intake speak, where more than one belongs to them or one does already.
func TakeHouseholds(tx *store.Tx, k Taking) error {
	_, err := tx.Exec(`WITH named AS (SELECT ready->>'household' AS number, min(ready->>'legal_name') AS name, count(*) AS n
			FROM intake_lines WHERE intake_id = $1 AND kind = 'patrons' AND outcome = 'new'
				AND ready->>'household' <> '' GROUP BY 1),
		fresh AS MATERIALIZED (SELECT number, (regexp_match(name, '\S+$'))[1] AS name, nextval('ids') AS id FROM named
			WHERE n > 1 AND NOT EXISTS (SELECT 1 FROM came_from c WHERE c.source = $2 AND c.kind = 'households'
				AND c.number = named.number)),
		put AS (INSERT INTO households (id, name) SELECT id, name FROM fresh)
		INSERT INTO came_from (source, kind, number, ref, digest, intake_id, added)
			SELECT $2, 'households', number, id, '', $1, true FROM fresh`, k.Intake, k.Source)
	return err
}

// TakeGuardians writes who answers for whom, once all are here.
func TakeGuardians(tx *store.Tx, k Taking) error {
	_, err := tx.Exec(`UPDATE patrons p SET guardian_id = g.id FROM intake_lines l
		JOIN came_from c ON c.source = $2 AND c.kind = 'patrons' AND c.number = l.number
		JOIN patrons g ON g.card = l.ready->>'guardian_card'
		WHERE l.intake_id = $1 AND l.kind = 'patrons' AND l.outcome IN ('new', 'changed')
			AND l.ready->>'guardian_card' <> '' AND p.id = c.ref AND g.id <> p.id AND g.merged_into IS NULL`, k.Intake, k.Source)
	return err
}

// IntakeTaken writes that an intake has been taken by its worker, and lets go of what its lines said; those that were left stay to be
// looked at. False: the worker was to stop.
func IntakeTaken(tx *store.Tx, id int64, holder string, at time.Time) (bool, error) {
	q := &store.Questions{}
	store.Do(q, `DELETE FROM intake_lines WHERE intake_id = $1 AND outcome <> 'left' AND says = ''`, id)
	store.Do(q, `UPDATE intake_lines SET ready = NULL WHERE intake_id = $1 AND outcome <> 'left' AND ready IS NOT NULL`, id)
	store.Do(q, `DELETE FROM intake_parts WHERE intake_id = $1`, id)
	if err := tx.Send(q); err != nil {
		return false, err
	}
	rows, err := tx.Exec(`UPDATE intakes SET state = 'taken', taken_at = $2, problem = ''
		WHERE id = $1 AND state = 'taking'`, id, at)
	if err != nil || rows == 0 {
		return false, err
	}
	return tx.HoldsWork(store.IntakeWork(id), holder) // the intake is locked before the claim, as by whoever stops the work
}

// Unhurried lets what follows in an act take its time. That statements keep their plans stays so: those by which references are looked
// up, row by row, would otherwise be planned for each row anew.
func Unhurried(tx *store.Tx) error {
	q := &store.Questions{}
	for _, set := range []string{"statement_timeout = 0", "idle_in_transaction_session_timeout = 0", "work_mem = '128MB'"} {
		store.Do(q, "SET LOCAL "+set)
	}
	return tx.Send(q)
}

// Recount counts some tables anew for the planner, which would otherwise take a table that has just been filled to be empty.
func Recount(tx *store.Tx, tables ...string) error {
	_, err := tx.Exec("ANALYZE " + strings.Join(tables, ", "))
	return err
}

// Filled are the tables that lines of a kind fill.
var Filled = map[string][]string{
	"patrons": {"patrons", "came_from"}, "titles": {"titles", "came_from"}, "items": {"items", "came_from"},
	"loans": {"loans", "whereabouts", "came_from"},
	"holds": {"holds", "came_from"}, "balances": {"ledger", "came_from"},
}
