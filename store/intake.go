package store

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
)

// Intake is a file of another system that is taken in.
type Intake struct {
	ID                    int64
	Kind, Source, File    string
	Bytes                 int64
	State, Problem        string
	Done, Total           int64
	Seen, Mapping, Counts json.RawMessage `gorm:"type:jsonb"`
	StaffID               int64
	Who                   string `gorm:"->"`
	BegunAt               time.Time
	TakenAt, UndoneAt     *time.Time
	Seconds               float64
	Come                  int64 `gorm:"-"` // bytes that have come
}

// IntakeLine is what is to become of a line.
type IntakeLine struct {
	Line, Part                          int
	Kind, Number, Outcome, Says, Digest string
	Ref                                 *int64
	Ready                               json.RawMessage
}

const intakeShown = `SELECT n.id, n.kind, n.source, n.file, n.bytes, n.state, n.problem, n.done, n.total, n.seen, n.mapping, n.counts,
	n.staff_id, f.name AS who, n.begun_at, n.taken_at, n.undone_at, n.seconds,
	coalesce((SELECT max(p.begins + length(p.content)) FROM intake_parts p WHERE p.intake_id = n.id), 0) AS come
	FROM intakes n JOIN staff f ON f.id = n.staff_id `

// AddIntake writes a file that is to be sent, and gives its id.
func (t *Tx) AddIntake(n *Intake) (int64, error) {
	return value[int64](
		t,
		`INSERT INTO intakes (kind, source, file, bytes, staff_id, begun_at) VALUES ($1, $2, $3, $4, $5, $6)
		RETURNING id`,
		n.Kind,
		n.Source,
		n.File,
		n.Bytes,
		n.StaffID,
		n.BegunAt,
	)
}

// IntakeByID gives an intake; nil where there is none.
func (t *Tx) IntakeByID(id int64) (*Intake, error) {
	return one[Intake](t, intakeShown+"WHERE n.id = $1 AND n.state <> 'dropped'", id)
}

// IntakeLocked gives an intake, which nobody else changes meanwhile; nil where there is none.
func (t *Tx) IntakeLocked(id int64) (*Intake, error) {
	return one[Intake](t, intakeShown+"WHERE n.id = $1 AND n.state <> 'dropped' FOR NO KEY UPDATE OF n", id)
}

// Intakes gives a page of the intakes, the latest first.
func (t *Tx) Intakes(page Page) ([]Intake, Page, error) {
	return paged(
		t,
		page,
		func(n *Intake) Cursor { return Cursor{ID: -n.ID} },
		intakeShown+`WHERE n.state <> 'dropped' AND $1::bigint = 0 AND -n.id > CASE WHEN $2::bigint = 0 THEN -9223372036854775807 ELSE $2 END
		ORDER BY n.id DESC`,
	)
}

// LikeIntake gives the mapping that was last used for files of a kind and source; nil where there is none.
func (t *Tx) LikeIntake(kind, source string, but int64) (*Intake, error) {
	return one[Intake](t, intakeShown+`WHERE n.kind = $1 AND n.source = $2 AND n.id <> $3 AND n.mapping IS NOT NULL
		ORDER BY n.id DESC LIMIT 1`, kind, source, but)
}

// AddIntakePart writes a part of a file, once.
func (t *Tx) AddIntakePart(id, begins int64, content []byte) {
	t.queue(
		`INSERT INTO intake_parts (intake_id, begins, content) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING`,
		id,
		begins,
		content,
	)
}

// IntakeStands writes in which state an intake is from now on, with nobody at it yet.
func (t *Tx) IntakeStands(id int64, state string) {
	t.queue(
		`UPDATE intakes SET state = $2, problem = '', done = 0, total = 0, worker = '', beat_at = NULL WHERE id = $1`,
		id,
		state,
	)
}

// MapIntake writes how an intake is mapped.
func (t *Tx) MapIntake(id int64, mapping json.RawMessage) {
	t.queue(`UPDATE intakes SET mapping = $2 WHERE id = $1`, id, mapping)
}

// DropIntake lets go of a file and all that was read from it.
func (t *Tx) DropIntake(id int64) {
	t.queue(`UPDATE intakes SET state = 'dropped', seen = NULL WHERE id = $1`, id)
	t.queue(`DELETE FROM intake_parts WHERE intake_id = $1`, id)
	t.queue(`DELETE FROM intake_lines WHERE intake_id = $1`, id)
}

// EmptyIntakes lets go of what files say that were sent before an instant, since it is of people: of those that were taken, and of
// those that nobody went on with. What is kept is that they were taken, and what came with them.
func (t *Tx) EmptyIntakes(before time.Time) error {
	_, err := t.exec(`WITH old AS (SELECT id FROM intakes WHERE coalesce(taken_at, begun_at) < $1
			AND state IN ('sending', 'read', 'tried', 'taken', 'undone', 'dropped')
				AND (seen IS NOT NULL OR state = 'sending')),
		parts AS (DELETE FROM intake_parts WHERE intake_id IN (SELECT id FROM old)),
		lines AS (DELETE FROM intake_lines WHERE intake_id IN (SELECT id FROM old)),
		was AS (UPDATE came_from SET was = NULL, was_digest = NULL, was_intake = NULL
			WHERE intake_id IN (SELECT id FROM old) AND was IS NOT NULL)
		UPDATE intakes n SET seen = NULL, state = CASE WHEN n.state IN ('taken', 'undone')
			THEN n.state ELSE 'dropped' END
		FROM old WHERE n.id = old.id`, before)
	return err
}

// OddLines gives a page of the lines that are left, or of which something was left, in the order of the file.
func (t *Tx) OddLines(id int64, page Page) ([]IntakeLine, Page, error) {
	return paged(
		t,
		page,
		func(l *IntakeLine) Cursor { return Cursor{Rank: int64(l.Line), ID: int64(l.Part) + 1} },
		`SELECT line, part, kind, number, outcome, says, ref, CASE outcome WHEN 'left' THEN ready END AS ready FROM intake_lines
		WHERE intake_id = $1 AND (outcome = 'left' OR says <> '') AND (line, part + 1) > ($2::bigint, $3::bigint)
		ORDER BY line, part`,
		id,
	)
}

// An intake is worked on outside acts, since it takes its time.

// gone is after how long without a word somebody who was at an intake is taken to be gone.
const gone = "20 seconds"

// WaitingIntakes gives the intakes at which somebody should be and nobody is.
func (s *Store) WaitingIntakes(ctx context.Context) ([]int64, error) {
	var ids []int64
	return ids, s.db.WithContext(ctx).
		Raw(`SELECT id FROM intakes WHERE state IN ('reading', 'trying', 'taking', 'undoing')
		AND (beat_at IS NULL OR beat_at < now() - interval '` + gone + `') ORDER BY id`).
		Scan(&ids).
		Error
}

// BeginIntake takes an intake that waits, for one worker; nil where somebody else is at it or nothing is to be done.
func (s *Store) BeginIntake(ctx context.Context, id int64, worker string) (*Intake, error) {
	var rows []Intake
	err := s.db.WithContext(ctx).Raw(`WITH mine AS (UPDATE intakes SET worker = ?, beat_at = now(), done = 0
			WHERE id = ? AND state IN ('reading', 'trying', 'taking', 'undoing')
			AND (beat_at IS NULL OR beat_at < now() - interval '`+gone+`') RETURNING id)
		`+intakeShown+`WHERE n.id IN (SELECT id FROM mine)`, worker, id).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// IntakeAt writes how far an intake has come; false where its worker is to stop.
func (s *Store) IntakeAt(ctx context.Context, id int64, worker string, done, total int64) (bool, error) {
	still := s.db.WithContext(ctx).Exec(`UPDATE intakes SET done = ?, total = ?, beat_at = now()
		WHERE id = ? AND worker = ? AND state IN ('reading', 'trying', 'taking', 'undoing')`, done, total, id, worker)
	return still.RowsAffected == 1, still.Error
}

// EndIntake writes how an intake stands after its worker's work, unless it was stopped.
func (s *Store) EndIntake(ctx context.Context, n *Intake, worker string) error {
	return s.db.WithContext(ctx).
		Exec(`UPDATE intakes SET state = ?, problem = ?, seen = coalesce(?::jsonb, seen), mapping = coalesce(?::jsonb, mapping),
		counts = coalesce(?::jsonb, counts), seconds = ?, worker = '', beat_at = NULL WHERE id = ? AND worker = ?`,
			n.State, n.Problem, textOrNull(n.Seen), textOrNull(n.Mapping), textOrNull(n.Counts), n.Seconds, n.ID,
			worker).
		Error
}

func textOrNull(data json.RawMessage) *string {
	if len(data) == 0 {
		return nil
	}
	text := string(data)
	return &text
}

// IntakeFile reads a file that has been sent, part after part.
func (s *Store) IntakeFile(ctx context.Context, id int64) io.Reader {
	return &intakeFile{ctx: ctx, store: s, id: id}
}

type intakeFile struct {
	ctx   context.Context
	store *Store
	id    int64
	next  int64
	left  []byte
}

func (f *intakeFile) Read(into []byte) (int, error) {
	if len(f.left) == 0 {
		var parts [][]byte
		err := f.store.db.WithContext(f.ctx).
			Raw("SELECT content FROM intake_parts WHERE intake_id = ? AND begins = ?", f.id, f.next).
			Scan(&parts).
			Error
		if err != nil {
			return 0, err
		}
		if len(parts) == 0 {
			return 0, io.EOF
		}
		f.left = parts[0]
		f.next += int64(len(f.left))
	}
	n := copy(into, f.left)
	f.left = f.left[n:]
	return n, nil
}

// EmptyLines forgets what is to become of the lines of an intake.
func (s *Store) EmptyLines(ctx context.Context, id int64) error {
	return s.apartFromTime(ctx, func(conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, "DELETE FROM intake_lines WHERE intake_id = $1", id)
		return err
	})
}

// apartFromTime works on a connection without time limits.
func (s *Store) apartFromTime(ctx context.Context, work func(*pgx.Conn) error) error {
	pool := s.unbounded()
	defer func() { _ = pool.Close() }()
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	return conn.Raw(func(driver any) error { return work(driver.(*stdlib.Conn).Conn()) })
}

// AddLines writes what is to become of some lines.
func (t *Tx) AddLines(id int64, lines []IntakeLine) error {
	return t.driver(func(conn *pgx.Conn) error {
		_, err := conn.CopyFrom(t.ctx, pgx.Identifier{"intake_lines"},
			[]string{"intake_id", "line", "part", "kind", "number", "outcome", "says", "ref", "digest", "ready"},
			pgx.CopyFromSlice(len(lines), func(k int) ([]any, error) {
				l := &lines[k]
				return []any{id, l.Line, l.Part, l.Kind, l.Number, l.Outcome, l.Says, l.Ref, l.Digest, l.Ready}, nil
			}))
		t.wrote = true
		return err
	})
}

// Came is what is known of something that came with an earlier file: whether it has been changed here since.
type Came struct {
	Number, Digest string
	Ref            int64
	Touched        bool
}

// revised tells of each kind which table counts changes.
var revised = map[string]string{"patrons": "patrons", "titles": "titles", "items": "items"}

// CameBefore gives what came from a source before, by number.
func (t *Tx) CameBefore(source, kind string, numbers []string) (map[string]Came, error) {
	// Each number is looked for by its key, whatever the planner thinks of a table that has just been filled.
	touched := "false"
	if table := revised[kind]; table != "" {
		touched = "(SELECT o.revision <> c.revision FROM " + table + " o WHERE o.id = c.ref)"
	}
	rows, err := list[Came](
		t,
		`SELECT c.number, c.digest, c.ref, coalesce(`+touched+`, true) AS touched FROM unnest($3::text[]) n (number)
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

// Holder is who has a card, as far as it matters to what is taken in.
type Holder struct {
	Card, Class, Name string
	ID                int64
	Former            bool // it is a card of before
}

// Holders gives who has some cards, cards of before and records that were merged into others included.
func (t *Tx) Holders(cards []string) (map[string]Holder, error) {
	rows, err := list[Holder](t, `SELECT c.card, p.class, p.legal_name AS name, p.id, c.former
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
	ID, TitleID                                         int64
}

// Labelled gives items by their labels.
func (t *Tx) Labelled(labels []string) (map[string]Labelled, error) {
	rows, err := list[Labelled](
		t,
		`SELECT i.barcode, i.material, i.collection, i.branch_code AS branch, coalesce(w.place, '') AS place,
		t.name AS title, i.id, i.title_id FROM items i JOIN titles t ON t.id = i.title_id
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
func (t *Tx) OpenHoldsAmong(titles, patrons []int64) (map[[2]int64]bool, error) {
	rows, err := list[struct{ TitleID, PatronID int64 }](t, `SELECT h.title_id, h.patron_id
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
func (t *Tx) TitlesWithISBN(numbers []string) (map[string]int64, error) {
	rows, err := list[struct {
		ISBN string `db:"isbn"`
		ID   int64
	}](t, "SELECT isbn, min(id) AS id FROM titles WHERE isbn = ANY($1) AND isbn <> '' GROUP BY isbn", numbers)
	out := make(map[string]int64, len(rows))
	for _, r := range rows {
		out[r.ISBN] = r.ID
	}
	return out, err
}

// SettleLines looks at all lines of an intake together: what stands twice, items whose title is left, guardians nobody knows.
func (t *Tx) SettleLines(id int64, source string) error {
	q := &questions{}
	// A title may stand with each of its items; the first line says what it is.
	do(
		q,
		`DELETE FROM intake_lines l WHERE l.intake_id = $1 AND l.kind = 'titles' AND l.outcome <> 'left' AND EXISTS (SELECT 1 FROM intake_lines o
		WHERE o.intake_id = $1 AND o.kind = 'titles' AND o.outcome <> 'left' AND o.number = l.number AND (o.line, o.part) < (l.line, l.part))`,
		id,
	)
	do(
		q,
		`UPDATE intake_lines l SET outcome = 'left', ready = NULL, says = 'Stands twice: it was in line ' || f.first || ' already.'
		FROM (SELECT kind, number, min(line) AS first, count(*) FROM intake_lines WHERE intake_id = $1
			AND outcome <> 'left'
			GROUP BY kind, number HAVING count(*) > 1) f
		WHERE l.intake_id = $1 AND l.kind = f.kind AND l.number = f.number AND l.outcome <> 'left'
			AND (l.line, l.part) > (f.first,
			(SELECT min(part) FROM intake_lines m WHERE m.intake_id = $1 AND m.line = f.first AND m.kind = f.kind AND m.number = f.number))`,
		id,
	)
	do(q, `UPDATE intake_lines l SET outcome = 'left', ready = NULL, says = 'Its title is left, so it is too.'
		WHERE l.intake_id = $1 AND l.kind = 'items' AND l.outcome IN ('new', 'changed')
			AND NOT EXISTS (SELECT 1 FROM intake_lines o WHERE o.intake_id = $1 AND o.kind = 'titles'
				AND o.outcome <> 'left'
				AND o.number = l.ready->>'title')
			AND NOT EXISTS (SELECT 1 FROM came_from c WHERE c.source = $2 AND c.kind = 'titles' AND c.number = l.ready->>'title')`, id, source)
	do(
		q,
		`UPDATE intake_lines l SET says = trim(says || ' The guardian''s card is nobody''s, here or in this file: taken without.')
		WHERE l.intake_id = $1 AND l.kind = 'patrons' AND l.outcome IN ('new', 'changed')
			AND l.ready->>'guardian_card' <> ''
			AND NOT EXISTS (SELECT 1 FROM patrons p WHERE p.card = l.ready->>'guardian_card')
			AND NOT EXISTS (SELECT 1 FROM intake_lines o WHERE o.intake_id = $1 AND o.kind = 'patrons'
				AND o.outcome <> 'left'
				AND o.number = l.ready->>'guardian_card')`,
		id,
	)
	return t.send(q)
}

// Outcomes is how many lines come to what, by kind.
type Outcomes struct {
	Kind, Outcome string
	N             int
	Noted         int // of them with something to say
}

// CountLines counts what becomes of the lines of an intake.
func (t *Tx) CountLines(id int64) ([]Outcomes, error) {
	return list[Outcomes](
		t,
		`SELECT kind, outcome, count(*)::int AS n, (count(*) FILTER (WHERE says <> '' AND outcome <> 'left'))::int AS noted
		FROM intake_lines WHERE intake_id = $1 GROUP BY kind, outcome ORDER BY kind, outcome`,
		id,
	)
}

// MissingBefore counts what came from a source before and is not in an intake any more.
func (t *Tx) MissingBefore(id int64, source string, kinds []string) (int, error) {
	return value[int](t, `SELECT count(*)::int FROM came_from c WHERE c.source = $2 AND c.kind = ANY($3)
		AND NOT EXISTS (SELECT 1 FROM intake_lines l WHERE l.intake_id = $1 AND l.kind = c.kind AND l.number = c.number)`, id, source, kinds)
}

// LastLine gives the last line of an intake.
func (t *Tx) LastLine(id int64) (int, error) {
	return value[int](t, "SELECT coalesce(max(line), 0) FROM intake_lines WHERE intake_id = $1", id)
}

// Spoken gives the patrons and titles here that lines of an intake speak of or change.
func (t *Tx) Spoken(id int64) (patrons, titles []int64, err error) {
	q := &questions{}
	askEach(
		q,
		&patrons,
		`SELECT (ready->>'patron_id')::bigint FROM intake_lines WHERE intake_id = $1 AND outcome IN ('new', 'changed')
			AND kind IN ('loans', 'holds', 'balances')
		UNION SELECT ref FROM intake_lines WHERE intake_id = $1 AND outcome = 'changed' AND kind = 'patrons' ORDER BY 1`,
		id,
	)
	askEach(
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
	return patrons, titles, t.send(q)
}

const (
	patronTaken = `card, legal_name, preferred_name, shelf_name, born, class, branch_code, standing, card_until, email, phone, address,
		older_reader, history_months, history_seen, institution, other_phones, text_number, postal_code, town,
			home_address, mail_returned,
		in_area, guardian_name, answers_for_all, identity, identity_two, identity_number, identity_guardian, school,
			school_year, pickup,
		may_use, marks, stopped, standing_reason, internet, photo, joined_on, ask_before, notices`
	titleTaken = `name, author, isbn, year, numbers, edition, publisher, language, series, subjects, summary, extent, record`
	itemTaken  = `barcode, branch_code, at_branch, collection, material, call_number, price, note, own_terms, standing, added_on, parts,
		parts_say, condition, aside_for, home_until, home_after`
)

// Taking is a span of lines that are taken.
type Taking struct {
	Intake      int64
	Source      string
	After, Upto int // lines
	Event       Event
	Note        string // the kind of note that a patron's is
	Edition     int64
}

func of(alias, columns string) string {
	parts := strings.Split(columns, ",")
	for k := range parts {
		parts[k] = alias + "." + strings.TrimSpace(parts[k])
	}
	return strings.Join(parts, ", ")
}

// span begins a statement that takes lines of a kind and outcome: src has them, each with an id that is to be its own.
func span(kind, outcome string) string {
	return `WITH src AS MATERIALIZED (SELECT line, part, number, digest, ref, ready, nextval('ids') AS new_id FROM intake_lines
		WHERE intake_id = $1 AND kind = '` + kind + `' AND outcome = '` + outcome + `' AND line > $3 AND line <= $4 ORDER BY line, part),
	arg AS (SELECT $2::text AS source, $5::timestamptz AS at, $6::text AS event_kind, $7::bigint AS staff,
		$8::text AS request,
		$9::jsonb AS detail, $10::text AS note, $11::bigint AS edition), `
}

// came keeps from where what is new came.
func came(kind, ref string, added bool) string {
	return fmt.Sprintf(`came AS (INSERT INTO came_from (source, kind, number, ref, digest, intake_id, added)
		SELECT arg.source, '%s', number, %s, digest, $1, %t FROM src, arg) `, kind, ref, added)
}

func told(column, ref string) string {
	return `INSERT INTO events (at, kind, staff_id, request, detail, ` + column + `)
		SELECT arg.at, arg.event_kind, arg.staff, arg.request, arg.detail, ` + ref + ` FROM src, arg`
}

// recame keeps of what is changed what it was.
func recame(kind, table, columns string) string {
	return `old AS MATERIALIZED (SELECT o.id, o.revision, (SELECT jsonb_object_agg(e.key, e.value) FROM jsonb_each(to_jsonb(o)) e
			WHERE e.key = ANY(string_to_array('` + strings.Join(
		strings.Fields(strings.ReplaceAll(columns, ",", " ")),
		",",
	) + `', ','))) AS was
			FROM ` + table + ` o JOIN src ON src.ref = o.id),
		came AS (UPDATE came_from c SET was_digest = c.digest, was_intake = c.intake_id, was = old.was,
			digest = src.digest, intake_id = $1,
			revision = old.revision + 1 FROM src JOIN old ON old.id = src.ref, arg
			WHERE c.source = arg.source AND c.kind = '` + kind + `' AND c.number = src.number), `
}

func rewrite(table, columns, rows string) string {
	return `UPDATE ` + table + ` o SET (` + columns + `) = (SELECT ` + of(
		"r",
		columns,
	) + ` FROM jsonb_populate_record(NULL::` + table +
		`, s.ready) r), revision = o.revision + 1 FROM ` + rows + ` s WHERE o.id = s.ref`
}

// takes are the statements that take lines, by kind, in order.
var takes = map[string][]string{
	"patrons": {
		span(
			"patrons",
			"new",
		) + `put AS (INSERT INTO patrons (id, household_id, ` + patronTaken + `) SELECT src.new_id, h.ref, ` +
			of(
				"r",
				patronTaken,
			) + ` FROM src CROSS JOIN arg CROSS JOIN LATERAL jsonb_populate_record(NULL::patrons, src.ready) r
			LEFT JOIN came_from h ON h.source = arg.source AND h.kind = 'households'
				AND h.number = src.ready->>'household'),
		noted AS (INSERT INTO patron_notes (patron_id, kind, text, at, staff_id) SELECT new_id, arg.note,
			ready->>'notes', arg.at, arg.staff
			FROM src, arg WHERE ready->>'notes' <> ''),
		carded AS (INSERT INTO former_cards (card, patron_id, ended_at, why) SELECT f.card, new_id, arg.at,
			'moved in' FROM src, arg,
			jsonb_array_elements_text(ready->'former_cards') f(card) ON CONFLICT DO NOTHING),
		` + came(
			"patrons",
			"new_id",
			true,
		) + told(
			"patron_id",
			"new_id",
		),
		span(
			"patrons",
			"changed",
		) + recame(
			"patrons",
			"patrons",
			patronTaken,
		) + `put AS (` + rewrite(
			"patrons",
			patronTaken,
			"src",
		) + `) ` +
			told(
				"patron_id",
				"ref",
			),
	},
	"titles": {
		span(
			"titles",
			"new",
		) + `put AS (INSERT INTO titles (id, ` + titleTaken + `) SELECT src.new_id, ` + of(
			"r",
			titleTaken,
		) +
			` FROM src CROSS JOIN LATERAL jsonb_populate_record(NULL::titles, src.ready) r), ` + came(
			"titles",
			"new_id",
			true,
		) +
			`SELECT 1 FROM arg`,
		span("titles", "joined") + came("titles", "ref", false) + `SELECT 1 FROM arg`,
		span(
			"titles",
			"changed",
		) + recame(
			"titles",
			"titles",
			titleTaken,
		) + `put AS (` + rewrite(
			"titles",
			titleTaken,
			"src",
		) +
			`) SELECT 1 FROM arg`,
	},
	"items": {
		span(
			"items",
			"new",
		) + `put AS (INSERT INTO items (id, title_id, ` + itemTaken + `) SELECT src.new_id, t.ref, ` +
			of(
				"r",
				itemTaken,
			) + ` FROM src CROSS JOIN arg CROSS JOIN LATERAL jsonb_populate_record(NULL::items, src.ready) r
			JOIN came_from t ON t.source = arg.source AND t.kind = 'titles' AND t.number = src.ready->>'title'), ` +
			came(
				"items",
				"new_id",
				true,
			) + told(
			"item_id",
			"new_id",
		),
		span(
			"items",
			"changed",
		) + recame(
			"items",
			"items",
			itemTaken,
		) + `put AS (` + rewrite(
			"items",
			itemTaken,
			"src",
		) + `) ` +
			told(
				"item_id",
				"ref",
			),
	},
	"loans": {
		span(
			"loans",
			"new",
		) + `put AS (INSERT INTO loans (id, item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, due_at,
			renewals, lost_at) SELECT src.new_id, r.item_id, r.patron_id, r.branch_code, arg.edition, r.situation,
				r.lent_at, r.due_date, r.due_at,
			r.renewals, r.lost_at FROM src CROSS JOIN arg CROSS JOIN LATERAL jsonb_populate_record(NULL::loans, src.ready) r), ` +
			came(
				"loans",
				"new_id",
				true,
			) + `INSERT INTO events (at, kind, staff_id, request, detail, loan_id, item_id, patron_id)
			SELECT arg.at, arg.event_kind, arg.staff, arg.request, arg.detail, new_id, (ready->>'item_id')::bigint,
				(ready->>'patron_id')::bigint
			FROM src, arg`,
		span(
			"loans",
			"changed",
		) + `came AS (UPDATE came_from c SET digest = src.digest FROM src, arg WHERE c.source = arg.source
			AND c.kind = 'loans' AND c.number = src.number)
			UPDATE loans o SET due_date = r.due_date, due_at = r.due_at, renewals = r.renewals FROM src CROSS JOIN arg
			CROSS JOIN LATERAL jsonb_populate_record(NULL::loans, src.ready) r WHERE o.id = src.ref AND o.returned_at IS NULL`,
	},
	"holds": {
		span(
			"holds",
			"new",
		) + `put AS (INSERT INTO holds (id, title_id, patron_id, pickup, only_item, placed_at, place)
			SELECT src.new_id, r.title_id, r.patron_id, r.pickup, r.only_item, r.placed_at,
			coalesce((SELECT max(o.place) FROM holds o WHERE o.title_id = r.title_id), 0)
				+ row_number() OVER (PARTITION BY r.title_id ORDER BY (src.ready->>'rank')::int NULLS LAST, r.placed_at,
					src.line)
			FROM src CROSS JOIN LATERAL jsonb_populate_record(NULL::holds, src.ready) r), ` + came(
			"holds",
			"new_id",
			true,
		) +
			`INSERT INTO events (at, kind, staff_id, request, detail, hold_id, patron_id)
			SELECT arg.at, arg.event_kind, arg.staff, arg.request, arg.detail, new_id, (ready->>'patron_id')::bigint FROM src, arg`,
	},
	"balances": {
		span(
			"balances",
			"new",
		) + `put AS (INSERT INTO ledger (id, patron_id, kind, amount, about, reason, loan_id, at, staff_id, branch_code)
			SELECT src.new_id, r.patron_id, 'charge', r.amount, r.about, r.reason, (SELECT l.id FROM loans l
				WHERE l.item_id = (src.ready->>'item_id')::bigint AND l.patron_id = r.patron_id
					AND l.returned_at IS NULL), r.at, arg.staff, r.branch_code
			FROM src CROSS JOIN arg CROSS JOIN LATERAL jsonb_populate_record(NULL::ledger, src.ready) r), ` +
			came(
				"balances",
				"new_id",
				true,
			) + told(
			"patron_id",
			"(ready->>'patron_id')::bigint",
		),
	},
}

// TakeLines takes the lines of a span, of one kind. Whom and what they speak of must be locked.
func (t *Tx) TakeLines(kind string, k Taking) error {
	q := &questions{}
	for _, statement := range takes[kind] {
		do(
			q,
			statement,
			k.Intake,
			k.Source,
			k.After,
			k.Upto,
			k.Event.At,
			k.Event.Kind,
			k.Event.StaffID,
			k.Event.Request,
			k.Event.Detail,
			k.Note,
			k.Edition,
		)
	}
	return t.send(q)
}

// TakeHouseholds makes the households of which lines of an intake speak, where more than one belongs to them or one does already.
func (t *Tx) TakeHouseholds(k Taking) error {
	_, err := t.exec(
		`WITH named AS (SELECT ready->>'household' AS number, min(ready->>'legal_name') AS name, count(*) AS n FROM intake_lines
			WHERE intake_id = $1 AND kind = 'patrons' AND outcome = 'new' AND ready->>'household' <> '' GROUP BY 1),
		fresh AS MATERIALIZED (SELECT number, (regexp_match(name, '\S+$'))[1] AS name, nextval('ids') AS id
			FROM named WHERE n > 1
			AND NOT EXISTS (SELECT 1 FROM came_from c WHERE c.source = $2 AND c.kind = 'households'
				AND c.number = named.number)),
		put AS (INSERT INTO households (id, name) SELECT id, name FROM fresh)
		INSERT INTO came_from (source, kind, number, ref, digest, intake_id, added) SELECT $2, 'households', number, id, '', $1, true FROM fresh`,
		k.Intake,
		k.Source,
	)
	return err
}

// TakeGuardians writes who answers for whom, once all are here.
func (t *Tx) TakeGuardians(k Taking) error {
	_, err := t.exec(`UPDATE patrons p SET guardian_id = g.id FROM intake_lines l
		JOIN came_from c ON c.source = $2 AND c.kind = 'patrons' AND c.number = l.number
		JOIN patrons g ON g.card = l.ready->>'guardian_card'
		WHERE l.intake_id = $1 AND l.kind = 'patrons' AND l.outcome IN ('new', 'changed')
			AND l.ready->>'guardian_card' <> ''
			AND p.id = c.ref AND g.id <> p.id AND g.merged_into IS NULL`, k.Intake, k.Source)
	return err
}

// IntakeTaken writes that an intake has been taken by its worker, and lets go of what its lines said; those that were left stay to be
// looked at. False: the worker was to stop.
func (t *Tx) IntakeTaken(id int64, worker string, at time.Time) (bool, error) {
	q := &questions{}
	do(q, `DELETE FROM intake_lines WHERE intake_id = $1 AND outcome <> 'left' AND says = ''`, id)
	do(q, `UPDATE intake_lines SET ready = NULL WHERE intake_id = $1 AND outcome <> 'left' AND ready IS NOT NULL`, id)
	do(q, `DELETE FROM intake_parts WHERE intake_id = $1`, id)
	if err := t.send(q); err != nil {
		return false, err
	}
	rows, err := t.exec(
		`UPDATE intakes SET state = 'taken', taken_at = $3, problem = '' WHERE id = $1 AND worker = $2 AND state = 'taking'`,
		id,
		worker,
		at,
	)
	return rows == 1, err
}

// Unhurried lets what follows in an act take its time. That statements keep their plans stays so: those by which references are looked
// up, row by row, would otherwise be planned for each row anew.
func (t *Tx) Unhurried() error {
	q := &questions{}
	for _, set := range []string{"statement_timeout = 0", "work_mem = '128MB'"} {
		do(q, "SET LOCAL "+set)
	}
	return t.send(q)
}

// Recount counts some tables anew for the planner, which would otherwise take a table that has just been filled to be empty.
func (t *Tx) Recount(tables ...string) error {
	_, err := t.exec("ANALYZE " + strings.Join(tables, ", "))
	return err
}

// Filled are the tables that lines of a kind fill.
var Filled = map[string][]string{
	"patrons": {"patrons", "came_from"}, "titles": {"titles", "came_from"}, "items": {"items", "came_from"},
	"loans": {
		"loans",
		"whereabouts",
		"came_from",
	}, "holds": {"holds", "came_from"}, "balances": {"ledger", "came_from"},
}

// Back is how much of an intake was taken back, and how much stays since something has become of it here.
type Back struct{ Gone, Restored, Stay int }

// free are the conditions, by kind, under which something that came (o, as c says) may go again: nothing has become of it here.
var free = map[string]struct{ table, when string }{
	"patrons": {
		"patrons",
		`o.revision = c.revision AND o.balance = 0 AND o.forgotten_at IS NULL AND o.merged_into IS NULL AND o.pin_hash = ''
		AND o.confirmed_on IS NULL AND ` + nothing(
			"patron_id",
			"loans",
			"holds",
			"ledger",
			"return_lines",
			"messages",
			"partners",
			"requests",
			"reports",
			"consents",
			"roster_members",
			"claims",
			"sign_ups",
		) + ` AND NOT EXISTS (SELECT 1 FROM patron_notes x WHERE x.patron_id = o.id AND x.at > $3)
		AND NOT EXISTS (SELECT 1 FROM rosters x WHERE x.adult_id = o.id)
			AND NOT EXISTS (SELECT 1 FROM merges x WHERE x.kept_id = o.id OR x.gone_id = o.id)
		AND NOT EXISTS (SELECT 1 FROM former_cards x WHERE x.patron_id = o.id AND x.ended_at > $3)`,
	},
	"items": {
		"items",
		`o.revision = c.revision AND ` + nothing(
			"item_id",
			"loans",
			"holds",
			"misses",
			"transits",
			"return_lines",
			"requests",
			"reports",
			"looks",
			"inventory_lines",
			"deed_items",
		) + ` AND NOT EXISTS (SELECT 1 FROM holds x WHERE x.only_item = o.id)
		AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = o.id AND w.place <> 'aside')`,
	},
	"titles": {"titles", `o.revision = c.revision AND ` + nothing("title_id", "items", "holds")},
	"loans": {
		"loans",
		`o.returned_at IS NULL AND o.renewed_at IS NULL AND NOT o.told AND ` + nothing(
			"loan_id",
			"ledger",
			"return_lines",
			"told",
			"requests",
			"reports",
			"sweep_lines",
			"claims",
		),
	},
	"holds": {"holds", `o.state = 'waiting' AND ` + nothing("hold_id", "misses", "transits", "told", "sweep_lines") +
		` AND NOT EXISTS (SELECT 1 FROM loans x WHERE x.filled_hold = o.id)`},
	"balances": {"ledger", `NOT EXISTS (SELECT 1 FROM ledger x WHERE x.settles = o.id)`},
}

// nothing is that no row of some tables speaks of row o.
func nothing(column string, tables ...string) string {
	parts := make([]string, len(tables))
	for k, table := range tables {
		parts[k] = "NOT EXISTS (SELECT 1 FROM " + table + " x WHERE x." + column + " = o.id)"
	}
	return strings.Join(parts, " AND ")
}

// goes are the statements that let ids $1 go, by kind; $2 is who takes back, $3 when, $4 why.
var goes = map[string][]string{
	"patrons": {
		"DELETE FROM patron_notes WHERE patron_id = ANY($1)",
		"DELETE FROM former_cards WHERE patron_id = ANY($1)",
		"DELETE FROM readings WHERE patron_id = ANY($1)",
		"DELETE FROM patrons WHERE id = ANY($1)",
	},
	"items": {
		"DELETE FROM whereabouts WHERE item_id = ANY($1) AND place = 'aside'",
		"DELETE FROM items WHERE id = ANY($1)",
	},
	"titles": {"DELETE FROM covers WHERE title_id = ANY($1)", "DELETE FROM titles WHERE id = ANY($1)"},
	"loans": {
		"DELETE FROM whereabouts w USING loans l WHERE l.id = ANY($1) AND w.item_id = l.item_id AND w.place = 'lent' AND w.ref = l.id",
		"DELETE FROM loans WHERE id = ANY($1)",
	},
	"holds": {"DELETE FROM holds WHERE id = ANY($1)"},
	"balances": {`INSERT INTO ledger (patron_id, kind, amount, settles, about, reason, at, staff_id, branch_code)
		SELECT patron_id, 'correction', -amount, id, about, $4, $3, $2, branch_code FROM ledger WHERE id = ANY($1) ORDER BY id`},
}

// backAtOnce is how many rows go in one statement.
const backAtOnce = 10_000

// UndoIntake takes back what came with an intake, of one kind: what is as it came goes, what was changed and is still so becomes what
// it was. Told is how many have gone so far.
func (t *Tx) UndoIntake(
	id int64,
	kind string,
	takenAt, now time.Time,
	staff int64,
	reason string,
	told func(gone int) error,
) (Back, error) {
	var out Back
	f := free[kind]
	if _, err := t.SQLTx().ExecContext(t.ctx, "DROP TABLE IF EXISTS undoing"); err != nil {
		return out, err
	}
	if err := t.driver(func(conn *pgx.Conn) error {
		_, err := conn.Exec(t.ctx, `CREATE TEMP TABLE undoing (id bigint PRIMARY KEY) ON COMMIT DROP`)
		if err == nil {
			_, err = conn.Exec(t.ctx, `INSERT INTO undoing SELECT o.id FROM came_from c JOIN `+f.table+` o ON o.id = c.ref
				WHERE c.intake_id = $1 AND c.kind = $2 AND c.added AND c.was IS NULL AND (`+f.when+`) AND $3::timestamptz IS NOT NULL`, id, kind, takenAt)
		}
		// Who answers for somebody who stays, stays.
		for range 3 {
			if err == nil && kind == "patrons" {
				_, err = conn.Exec(t.ctx, `DELETE FROM undoing u WHERE EXISTS (SELECT 1 FROM patrons p WHERE p.guardian_id = u.id
					AND NOT EXISTS (SELECT 1 FROM undoing o WHERE o.id = p.id))`)
			}
		}
		return err
	}); err != nil {
		return out, err
	}
	if kind == "patrons" {
		if _, err := t.exec(`UPDATE patrons SET guardian_id = NULL WHERE guardian_id IS NOT NULL AND id IN (SELECT id FROM undoing)`); err != nil {
			return out, err
		}
	}
	for {
		ids, err := each[int64](
			t,
			"DELETE FROM undoing WHERE id IN (SELECT id FROM undoing ORDER BY id LIMIT $1) RETURNING id",
			backAtOnce,
		)
		if err != nil {
			return out, err
		}
		if len(ids) == 0 {
			break
		}
		q := &questions{}
		for _, statement := range goes[kind] {
			args := []any{ids}
			if kind == "balances" {
				args = append(args, staff, now, reason)
			}
			do(q, statement, args...)
		}
		do(q, "DELETE FROM came_from WHERE intake_id = $1 AND kind = $2 AND ref = ANY($3) AND added", id, kind, ids)
		if err := t.send(q); err != nil {
			return out, err
		}
		out.Gone += len(ids)
		if err := told(out.Gone); err != nil {
			return out, err
		}
	}
	if columns, ok := map[string]string{"patrons": patronTaken, "titles": titleTaken, "items": itemTaken}[kind]; ok {
		restored, err := value[int](
			t,
			`WITH src AS MATERIALIZED (SELECT c.number, c.source, c.ref, c.was AS ready FROM came_from c JOIN `+f.table+` o ON o.id = c.ref
				WHERE c.intake_id = $1 AND c.kind = $2 AND c.was IS NOT NULL AND o.revision = c.revision),
			put AS (`+rewrite(
				f.table,
				columns,
				"src",
			)+`),
			came AS (UPDATE came_from c SET digest = c.was_digest, intake_id = c.was_intake, was = NULL,
				was_digest = NULL, was_intake = NULL,
				revision = c.revision + 1 FROM src WHERE c.source = src.source AND c.kind = $2
					AND c.number = src.number)
			SELECT count(*)::int FROM src`,
			id,
			kind,
		)
		if err != nil {
			return out, err
		}
		out.Restored = restored
	}
	// A title that was here already is only no longer known as theirs.
	if kind == "titles" {
		if _, err := t.exec(`DELETE FROM came_from WHERE intake_id = $1 AND kind = 'titles' AND NOT added`, id); err != nil {
			return out, err
		}
	}
	stay, err := value[int](t, `SELECT count(*)::int FROM came_from WHERE intake_id = $1 AND kind = $2`, id, kind)
	out.Stay = stay
	return out, err
}

// IntakeUndone writes that an intake has been taken back by its worker; households that it made and nobody is in go too. False: the
// worker was to stop.
func (t *Tx) IntakeUndone(id int64, worker string, counts json.RawMessage, at time.Time) (bool, error) {
	q := &questions{}
	do(q, `WITH alone AS (DELETE FROM came_from c WHERE c.intake_id = $1 AND c.kind = 'households'
			AND NOT EXISTS (SELECT 1 FROM patrons p WHERE p.household_id = c.ref) RETURNING ref)
		DELETE FROM households WHERE id IN (SELECT ref FROM alone)`, id)
	if err := t.send(q); err != nil {
		return false, err
	}
	rows, err := t.exec(
		`UPDATE intakes SET state = 'undone', undone_at = $3, counts = $4 WHERE id = $1 AND worker = $2 AND state = 'undoing'`,
		id,
		worker,
		at,
		counts,
	)
	return rows == 1, err
}
