package intakedb

import (
	"context"
	"encoding/json"

	"github.com/jackc/pgx/v5"

	"nevrin/core/circulation"
	"nevrin/store"
)

// IntakeLine is a line of a file with its outcome.
type IntakeLine struct {
	Line, Part                          int
	Kind, Number, Outcome, Says, Digest string
	Ref                                 *int64
	Ready                               json.RawMessage
}

const intakeShown = `SELECT n.id, n.kind, n.source, n.file, n.bytes, n.state, n.problem, n.done, n.total, n.seen, n.mapping, n.counts,
	n.staff_id, coalesce(n.asked_by, n.staff_id) AS asked_by, f.name AS who, n.begun_at, n.taken_at,
	n.undone_at, n.seconds, n.trials,
	coalesce((SELECT max(p.begins + length(p.content)) FROM intake_parts p WHERE p.intake_id = n.id), 0) AS come
	FROM intakes n JOIN staff f ON f.id = n.staff_id `

// OddLines gives a page of the lines that are left, or of which something was left, in the order of the file.
func OddLines(tx *store.Tx, id int64, page store.Page) ([]IntakeLine, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(l *IntakeLine) store.Cursor { return store.Cursor{Rank: int64(l.Line), ID: int64(l.Part) + 1} },
		`SELECT line, part, kind, number, outcome, says, ref, CASE outcome WHEN 'left' THEN ready END AS ready FROM intake_lines
		WHERE intake_id = $1 AND (outcome = 'left' OR says <> '') AND (line, part + 1) > ($2::bigint, $3::bigint)
		ORDER BY line, part`,
		id,
	)
}

// holdsIntake is the condition that a holder has the work on an intake.
const holdsIntake = `EXISTS (SELECT 1 FROM work_claims w WHERE w.name = 'intake ' || intakes.id AND w.holder = ?)`

// EmptyLines forgets what is to become of the lines of an intake, which is tried once more.
func EmptyLines(ctx context.Context, s *store.Store, id int64) error {
	return s.ApartFromTime(ctx, func(conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, `WITH tried AS (UPDATE intakes SET trials = trials + 1 WHERE id = $1)
			DELETE FROM intake_lines WHERE intake_id = $1`, id)
		return err
	})
}

// AddLines writes what is to become of some lines.
func AddLines(tx *store.Tx, id int64, lines []IntakeLine) error {
	columns := []string{"intake_id", "line", "part", "kind", "number", "outcome", "says", "ref", "digest", "ready"}
	return tx.CopyInto("intake_lines", columns, pgx.CopyFromSlice(len(lines), func(k int) ([]any, error) {
		l := &lines[k]
		return []any{id, l.Line, l.Part, l.Kind, l.Number, l.Outcome, l.Says, l.Ref, l.Digest, l.Ready}, nil
	}))
}

// Came is something that came with an earlier file, and whether it has been changed here since.
type Came struct {
	Number, Digest string
	Ref            int64
	Touched        bool
}

// touchedBy is, by kind, how it is told that something that came, as c says, has been changed here since, or is gone.
var touchedBy = map[string]string{
	"patrons": "o.revision <> c.revision OR o.merged_into IS NOT NULL FROM patrons o WHERE o.id = c.ref",
	"titles":  "o.revision <> c.revision FROM titles o WHERE o.id = c.ref",
	"items":   "o.revision <> c.revision FROM items o WHERE o.id = c.ref",
	"loans":   "o.renewed_at IS NOT NULL OR o.returned_at IS NOT NULL FROM loans o WHERE o.id = c.ref",
}

// CameBefore gives what came from a source before, by number.
func CameBefore(tx *store.Tx, source, kind string, numbers []string) (map[string]Came, error) {
	// Each number is searched for by its key, whatever the planner thinks of a table that has just been filled.
	touched := "false"
	if is := touchedBy[kind]; is != "" {
		touched = "coalesce((SELECT " + is + "), true)"
	}
	rows, err := store.List[Came](
		tx,
		`SELECT c.number, c.digest, c.ref, `+touched+` AS touched FROM unnest($3::text[]) n (number)
		CROSS JOIN LATERAL (SELECT * FROM came_from f WHERE f.source = $1 AND f.kind = $2 AND f.number = n.number LIMIT 1) c`,
		source,
		kind,
		numbers,
	)
	out := make(map[string]Came, len(rows))
	for _, r := range rows {
		out[r.Number] = r
	}
	return out, err
}

// Holder is a patron by card number, as far as an import needs them.
type Holder struct {
	Card, Class, Name string
	ID                int64
	Former            bool // it is a card of before
}

// Holders gives who has some cards, cards of before and records that were merged into others included.
func Holders(tx *store.Tx, cards []string) (map[string]Holder, error) {
	rows, err := store.List[Holder](tx, `SELECT c.card, p.class, p.legal_name AS name, p.id, c.former
		FROM (SELECT card, coalesce(merged_into, id) AS id, false AS former FROM patrons WHERE card = ANY($1)
			UNION ALL SELECT card, patron_id, true FROM former_cards WHERE card = ANY($1)) c JOIN patrons p ON p.id = c.id`, cards)
	out := make(map[string]Holder, len(rows))
	for _, r := range rows {
		out[r.Card] = r
	}
	return out, err
}

// Labelled is an item by its label, as far as it matters to what is taken in.
type Labelled struct {
	Barcode, Material, Collection, Branch, Place, Title string
	Standing                                            circulation.ItemStatus
	ID, TitleID                                         int64
}

// ItemsLabelled gives items by their labels.
func ItemsLabelled(tx *store.Tx, labels []string) (map[string]Labelled, error) {
	rows, err := store.List[Labelled](
		tx,
		`SELECT i.barcode, i.material, i.collection, i.branch_code AS branch, coalesce(w.place, '') AS place,
		i.standing, t.name AS title, i.id, i.title_id FROM items i JOIN titles t ON t.id = i.title_id
		LEFT JOIN whereabouts w ON w.item_id = i.id
		WHERE i.barcode = ANY($1)`,
		labels,
	)
	out := make(map[string]Labelled, len(rows))
	for _, r := range rows {
		out[r.Barcode] = r
	}
	return out, err
}

// OpenHoldsAmong tells which patrons wait for which titles, of pairs: the nth of one list with the nth of the other.
func OpenHoldsAmong(tx *store.Tx, titles, patrons []int64) (map[[2]int64]bool, error) {
	rows, err := store.List[struct{ TitleID, PatronID int64 }](tx, `SELECT h.title_id, h.patron_id
		FROM unnest($1::bigint[], $2::bigint[]) n (title, patron)
		JOIN holds h ON h.title_id = n.title AND h.patron_id = n.patron
		WHERE h.state IN ('waiting', 'fetching', 'moving', 'ready')`, titles, patrons)
	out := make(map[[2]int64]bool, len(rows))
	for _, r := range rows {
		out[[2]int64{r.TitleID, r.PatronID}] = true
	}
	return out, err
}

// TitlesWithISBN gives the first title with each of some ISBN.
func TitlesWithISBN(tx *store.Tx, numbers []string) (map[string]int64, error) {
	rows, err := store.List[struct {
		ISBN string `db:"isbn"`
		ID   int64
	}](tx, "SELECT isbn, min(id) AS id FROM titles WHERE isbn = ANY($1) AND isbn <> '' GROUP BY isbn", numbers)
	out := make(map[string]int64, len(rows))
	for _, r := range rows {
		out[r.ISBN] = r.ID
	}
	return out, err
}

// settling are the statements that look at all lines of intake $1 from source $2 together.
var settling = []string{
	// A title may stand with each of its items; the first line says what it is.
	`DELETE FROM intake_lines l WHERE l.intake_id = $1 AND l.kind = 'titles' AND l.outcome <> 'left'
		AND EXISTS (SELECT 1 FROM intake_lines o WHERE o.intake_id = $1 AND o.kind = 'titles' AND o.outcome <> 'left'
			AND o.number = l.number AND (o.line, o.part) < (l.line, l.part)) AND $2 <> ''`,
	`UPDATE intake_lines l SET outcome = 'left', ready = NULL, says = 'Duplicate of line ' || f.line || '.'
		FROM (SELECT DISTINCT ON (kind, number) kind, number, line, part FROM intake_lines
			WHERE intake_id = $1 AND outcome <> 'left' ORDER BY kind, number, line, part) f
		WHERE l.intake_id = $1 AND l.kind = f.kind AND l.number = f.number AND l.outcome <> 'left'
			AND (l.line, l.part) > (f.line, f.part) AND $2 <> ''`,
	`UPDATE intake_lines l SET outcome = 'left', ready = NULL, says = 'Its title is skipped.'
		WHERE l.intake_id = $1 AND l.kind = 'items' AND l.outcome IN ('new', 'changed')
			AND NOT EXISTS (SELECT 1 FROM intake_lines o WHERE o.intake_id = $1 AND o.kind = 'titles'
				AND o.outcome <> 'left' AND o.number = l.ready->>'title')
			AND NOT EXISTS (SELECT 1 FROM came_from c WHERE c.source = $2 AND c.kind = 'titles'
				AND c.number = l.ready->>'title')`,
	`UPDATE intake_lines l SET outcome = 'left', ready = NULL,
			says = 'Its item stands on the hold shelf for somebody else already, by line ' || f.line || '.'
		FROM (SELECT DISTINCT ON (ready->>'item_id') ready->>'item_id' AS item, line, part FROM intake_lines
			WHERE intake_id = $1 AND kind = 'holds' AND outcome = 'new' AND ready->>'item_id' <> ''
			ORDER BY ready->>'item_id', line, part) f
		WHERE l.intake_id = $1 AND l.kind = 'holds' AND l.outcome = 'new' AND l.ready->>'item_id' = f.item
			AND (l.line, l.part) > (f.line, f.part) AND $2 <> ''`,
	`UPDATE intake_lines l
		SET says = trim(says || ' The guardian''s card is unknown. Imported without it.')
		WHERE l.intake_id = $1 AND l.kind = 'patrons' AND l.outcome IN ('new', 'changed')
			AND l.ready->>'guardian_card' <> '' AND $2 <> ''
			AND NOT EXISTS (SELECT 1 FROM patrons p WHERE p.card = l.ready->>'guardian_card')
			AND NOT EXISTS (SELECT 1 FROM intake_lines o WHERE o.intake_id = $1 AND o.kind = 'patrons'
				AND o.outcome <> 'left' AND o.ready->>'card' = l.ready->>'guardian_card')`,
}

// SettleLines looks at all lines of an intake together: what stands twice, items whose title is left, guardians nobody knows.
func SettleLines(tx *store.Tx, id int64, source string) error {
	q := &store.Questions{}
	for _, statement := range settling {
		store.Do(q, statement, id, source)
	}
	return tx.Send(q)
}

// LeaveTouched leaves lines that would change what has been changed here since they were tried.
func LeaveTouched(tx *store.Tx, id int64, source string, kinds []string) error {
	q := &store.Questions{}
	for _, kind := range kinds {
		if is := touchedBy[kind]; is != "" {
			store.Do(q, `UPDATE intake_lines l SET outcome = 'left', ready = NULL, says = 'It was changed here while it was being tried.'
				FROM came_from c WHERE l.intake_id = $1 AND l.kind = $3 AND l.outcome = 'changed'
					AND c.source = $2 AND c.kind = l.kind AND c.number = l.number AND coalesce((SELECT `+is+`), true)`, id, source, kind)
		}
	}
	return tx.Send(q)
}

// Outcomes counts lines by kind and outcome.
type Outcomes struct {
	Kind, Outcome string
	N             int
	Noted         int // of them with something to say
}

// CountLines counts what becomes of the lines of an intake.
func CountLines(tx *store.Tx, id int64) ([]Outcomes, error) {
	return store.List[Outcomes](
		tx,
		`SELECT kind, outcome, count(*)::int AS n, (count(*) FILTER (WHERE says <> '' AND outcome <> 'left'))::int AS noted
		FROM intake_lines WHERE intake_id = $1 GROUP BY kind, outcome ORDER BY kind, outcome`,
		id,
	)
}

// MissingBefore counts what came from a source before and is not in an intake any more.
func MissingBefore(tx *store.Tx, id int64, source string, kinds []string) (int, error) {
	return store.Value[int](tx, `SELECT count(*)::int FROM came_from c WHERE c.source = $2 AND c.kind = ANY($3)
		AND NOT EXISTS (SELECT 1 FROM intake_lines l WHERE l.intake_id = $1 AND l.kind = c.kind AND l.number = c.number)`, id, source, kinds)
}

// LastLine gives the last line of an intake.
func LastLine(tx *store.Tx, id int64) (int, error) {
	return store.Value[int](tx, "SELECT coalesce(max(line), 0) FROM intake_lines WHERE intake_id = $1", id)
}

// Spoken gives the patrons and titles here that lines of an intake speak of or change.
func Spoken(tx *store.Tx, id int64) (patrons, titles []int64, err error) {
	q := &store.Questions{}
	store.AskEach(
		q,
		&patrons,
		`SELECT (ready->>'patron_id')::bigint FROM intake_lines WHERE intake_id = $1 AND outcome IN ('new', 'changed')
			AND kind IN ('loans', 'holds', 'balances')
		UNION SELECT ref FROM intake_lines WHERE intake_id = $1 AND outcome = 'changed' AND kind = 'patrons' ORDER BY 1`,
		id,
	)
	store.AskEach(
		q,
		&titles,
		`SELECT (ready->>'title_id')::bigint FROM intake_lines WHERE intake_id = $1 AND outcome IN ('new', 'changed')
			AND kind IN ('loans', 'holds')
		UNION SELECT ref FROM intake_lines WHERE intake_id = $1 AND outcome IN ('joined', 'changed') AND kind = 'titles'
		UNION SELECT i.title_id FROM intake_lines l JOIN items i ON i.id = l.ref WHERE l.intake_id = $1
			AND l.outcome = 'changed'
			AND l.kind = 'items' ORDER BY 1`,
		id,
	)
	return patrons, titles, tx.Send(q)
}

// LinesLeftBare gives which lines of an intake are left without what stood in them, as far as so many are taken away.
func LinesLeftBare(tx *store.Tx, id int64, most int) ([]int, error) {
	return store.Each[int](tx, `SELECT DISTINCT line FROM intake_lines WHERE intake_id = $1 AND outcome = 'left' AND ready IS NULL
		ORDER BY line LIMIT $2`, id, most)
}

// KeepLeft keeps with lines that are left what stood in them.
func KeepLeft(tx *store.Tx, id int64, lines []int, texts []string) error {
	_, err := tx.Exec(`UPDATE intake_lines l SET ready = n.ready::jsonb FROM unnest($2::int[], $3::text[]) n (line, ready)
		WHERE l.intake_id = $1 AND l.line = n.line AND l.outcome = 'left' AND l.ready IS NULL`, id, lines, texts)
	return err
}
