package store

import (
	"context"
	"encoding/json"
	"io"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"nevrin/core/circulation"
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
	AskedBy               int64  // who has had it taken, or taken back; or else who sent it
	Who                   string `gorm:"->"`
	BegunAt               time.Time
	TakenAt, UndoneAt     *time.Time
	Seconds               float64
	Trials                int
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
	n.staff_id, coalesce(n.asked_by, n.staff_id) AS asked_by, f.name AS who, n.begun_at, n.taken_at,
	n.undone_at, n.seconds, n.trials,
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
	t.queue(`UPDATE intakes SET state = $2, problem = '', done = 0, total = 0 WHERE id = $1`, id, state)
	t.StopWork(IntakeWork(id))
}

// IntakeAskedBy writes who asks for what is done next.
func (t *Tx) IntakeAskedBy(id, staff int64) {
	t.queue(`UPDATE intakes SET asked_by = $2 WHERE id = $1`, id, staff)
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

// WaitingIntakes gives the intakes at which somebody should be and nobody is.
func (s *Store) WaitingIntakes(ctx context.Context) ([]int64, error) {
	var ids []int64
	return ids, s.db.WithContext(ctx).
		Raw("SELECT id FROM intakes WHERE state IN ('reading', 'trying', 'taking', 'undoing') AND " + unclaimed("intake") + " ORDER BY id").
		Scan(&ids).
		Error
}

// BeginIntake gives an intake at which something is to be done, from its beginning; nil where nothing is.
func (s *Store) BeginIntake(ctx context.Context, id int64) (*Intake, error) {
	var rows []Intake
	err := s.db.WithContext(ctx).Raw(`WITH mine AS (UPDATE intakes SET done = 0
			WHERE id = ? AND state IN ('reading', 'trying', 'taking', 'undoing') RETURNING id)
		`+intakeShown+`WHERE n.id IN (SELECT id FROM mine)`, id).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// holdsIntake is the condition that a holder has the work on an intake.
const holdsIntake = `EXISTS (SELECT 1 FROM work_claims w WHERE w.name = 'intake ' || intakes.id AND w.holder = ?)`

// IntakeAt writes how far an intake has come; false where its holder is to stop.
func (s *Store) IntakeAt(ctx context.Context, id int64, holder string, done, total int64) (bool, error) {
	still := s.db.WithContext(ctx).Exec(`UPDATE intakes SET done = ?, total = ?
		WHERE id = ? AND state IN ('reading', 'trying', 'taking', 'undoing') AND `+holdsIntake, done, total, id, holder)
	return still.RowsAffected == 1, still.Error
}

// EndIntake writes how an intake stands after its holder's work, unless it was stopped.
func (s *Store) EndIntake(ctx context.Context, n *Intake, holder string) error {
	return s.db.WithContext(ctx).
		Exec(`UPDATE intakes SET state = ?, problem = ?, seen = coalesce(?::jsonb, seen), mapping = coalesce(?::jsonb, mapping),
		counts = coalesce(?::jsonb, counts), seconds = ? WHERE id = ? AND `+holdsIntake,
			n.State, n.Problem, textOrNull(n.Seen), textOrNull(n.Mapping), textOrNull(n.Counts), n.Seconds, n.ID,
			holder).
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

// EmptyLines forgets what is to become of the lines of an intake, which is tried once more.
func (s *Store) EmptyLines(ctx context.Context, id int64) error {
	return s.apartFromTime(ctx, func(conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, `WITH tried AS (UPDATE intakes SET trials = trials + 1 WHERE id = $1)
			DELETE FROM intake_lines WHERE intake_id = $1`, id)
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
	columns := []string{"intake_id", "line", "part", "kind", "number", "outcome", "says", "ref", "digest", "ready"}
	return t.copyInto("intake_lines", columns, pgx.CopyFromSlice(len(lines), func(k int) ([]any, error) {
		l := &lines[k]
		return []any{id, l.Line, l.Part, l.Kind, l.Number, l.Outcome, l.Says, l.Ref, l.Digest, l.Ready}, nil
	}))
}

// Came is what is known of something that came with an earlier file: whether it has been changed here since.
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
func (t *Tx) CameBefore(source, kind string, numbers []string) (map[string]Came, error) {
	// Each number is looked for by its key, whatever the planner thinks of a table that has just been filled.
	touched := "false"
	if is := touchedBy[kind]; is != "" {
		touched = "coalesce((SELECT " + is + "), true)"
	}
	rows, err := list[Came](
		t,
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
	Standing                                            circulation.ItemStanding
	ID, TitleID                                         int64
}

// Labelled gives items by their labels.
func (t *Tx) Labelled(labels []string) (map[string]Labelled, error) {
	rows, err := list[Labelled](
		t,
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
func (t *Tx) SettleLines(id int64, source string) error {
	q := &questions{}
	for _, statement := range settling {
		do(q, statement, id, source)
	}
	return t.send(q)
}

// LeaveTouched leaves lines that would change what has been changed here since they were tried.
func (t *Tx) LeaveTouched(id int64, source string, kinds []string) error {
	q := &questions{}
	for _, kind := range kinds {
		if is := touchedBy[kind]; is != "" {
			do(q, `UPDATE intake_lines l SET outcome = 'left', ready = NULL, says = 'It was changed here while it was being tried.'
				FROM came_from c WHERE l.intake_id = $1 AND l.kind = $3 AND l.outcome = 'changed'
					AND c.source = $2 AND c.kind = l.kind AND c.number = l.number AND coalesce((SELECT `+is+`), true)`, id, source, kind)
		}
	}
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

// LinesLeftBare gives which lines of an intake are left without what stood in them, as far as so many are taken away.
func (t *Tx) LinesLeftBare(id int64, most int) ([]int, error) {
	return each[int](t, `SELECT DISTINCT line FROM intake_lines WHERE intake_id = $1 AND outcome = 'left' AND ready IS NULL
		ORDER BY line LIMIT $2`, id, most)
}

// KeepLeft keeps with lines that are left what stood in them.
func (t *Tx) KeepLeft(id int64, lines []int, texts []string) error {
	_, err := t.exec(`UPDATE intake_lines l SET ready = n.ready::jsonb FROM unnest($2::int[], $3::text[]) n (line, ready)
		WHERE l.intake_id = $1 AND l.line = n.line AND l.outcome = 'left' AND l.ready IS NULL`, id, lines, texts)
	return err
}
