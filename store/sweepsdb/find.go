package sweepsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Which are the records that a sweep is about. Empty lists and nil set no limit; what does not apply to a kind of sweep is not looked at.
type Which struct {
	Branches  []calendar.Code // where loans were made, or charged; of charges and of pickups
	Owners    []calendar.Code // which own the items
	Homes     []calendar.Code // of patrons
	Classes   []string        // of patrons
	Materials []string
	Roster    int64      // of whose members; 0: of all
	From, To  *time.Time // due, charged, or of the cards' last days
	BornFrom  *time.Time // of patrons
	BornTo    *time.Time
	LeftOut   []int64
}

// NewDue is the new due date of all loans that are due at a time at a branch.
type NewDue struct {
	BranchCode     calendar.Code
	DueDate, DueAt *time.Time
	ToDate, ToAt   *time.Time
}

// Becoming is what records become, by the kind of sweep.
type Becoming struct {
	Moves []NewDue   // of due dates
	Day   *time.Time // of cards: until then; nil: by so many days longer
	Days  int
	Text  string // of classes: the class; of pickups: the branch
	Later bool   // of cards: only those that are extended
}

// asked names the arguments of all queries here: what is asked for as w, and new due dates as k.
const asked = `WITH w AS (SELECT $1::text[] AS branches, $2::text[] AS owners, $3::text[] AS homes, $4::text[] AS classes, $5::text[] AS materials,
		$6::bigint AS roster, $7::date AS first, $8::date AS last, $9::date AS born_from, $10::date AS born_to, $11::bigint[] AS out,
		$12::date AS day, $13::int AS days, $14::text AS text, $15::boolean AS later),
	k AS MATERIALIZED (SELECT * FROM unnest($16::text[], $17::date[], $18::timestamptz[], $19::date[], $20::timestamptz[])
		k (branch, day, at, to_day, to_at)), `

func args(w *Which, b *Becoming) []any {
	n := len(b.Moves)
	branches, days, ats := make([]calendar.Code, n), make([]*time.Time, n), make([]*time.Time, n)
	toDays, toAts := make([]*time.Time, n), make([]*time.Time, n)
	for k, m := range b.Moves {
		branches[k], days[k], ats[k], toDays[k], toAts[k] = m.BranchCode, m.DueDate, m.DueAt, m.ToDate, m.ToAt
	}
	return []any{
		store.NotNil(w.Branches), store.NotNil(w.Owners), store.NotNil(w.Homes), store.NotNil(w.Classes), store.NotNil(w.Materials), w.Roster,
		w.From, w.To, w.BornFrom, w.BornTo, store.NotNil(w.LeftOut), b.Day, b.Days, b.Text, b.Later, branches, days, ats, toDays, toAts,
	}
}

// ofPatrons limits patrons p.
const ofPatrons = ` AND (w.classes = '{}' OR p.class = ANY(w.classes)) AND (w.homes = '{}' OR p.branch_code = ANY(w.homes))
	AND (w.roster = 0 OR EXISTS (SELECT 1 FROM roster_members r WHERE r.roster_id = w.roster AND r.patron_id = p.id))`

// openLoans are the open loans l with their items i, patrons p and branches b.
const openLoans = ` FROM w CROSS JOIN loans l JOIN items i ON i.id = l.item_id JOIN patrons p ON p.id = l.patron_id JOIN branches b ON b.code = l.branch_code
	WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND (w.branches = '{}' OR l.branch_code = ANY(w.branches))
		AND (w.owners = '{}' OR i.branch_code = ANY(w.owners)) AND (w.materials = '{}' OR i.material = ANY(w.materials))
		AND (w.first IS NULL OR l.due_date >= w.first OR (l.due_at AT TIME ZONE b.timezone)::date >= w.first)
		AND (w.last IS NULL OR l.due_date <= w.last OR (l.due_at AT TIME ZONE b.timezone)::date <= w.last)` + ofPatrons

// living are patrons who are still there.
const living = " p.forgotten_at IS NULL AND p.merged_into IS NULL AND NOT p.institution"

// candidates are, by kind, the records c that a sweep changes: what each is and what it becomes. Records that stay as they are, are left out.
var candidates = map[Kind]string{
	Due: `c AS (SELECT l.id, l.id AS loan_id, NULL::bigint AS hold_id, NULL::bigint AS patron_id, NULL::bigint AS entry_id, p.id AS whose,
		l.due_date AS day_before, l.due_at AS at_before, k.to_day AS day_after, k.to_at AS at_after, '' AS text_before, '' AS text_after,
		l.branch_code, p.card_until < coalesce(k.to_day, k.to_at::date) AS beyond
		` + openLoansOfMoves + `) `,
	Renewals: `c AS (SELECT l.id, l.id AS loan_id, NULL::bigint AS hold_id, NULL::bigint AS patron_id, NULL::bigint AS entry_id, p.id AS whose,
		l.due_date AS day_before, l.due_at AS at_before, NULL::date AS day_after, NULL::timestamptz AS at_after, l.renewals::text AS text_before,
		'' AS text_after, l.branch_code, false AS beyond` + openLoans + `) `,
	Charges: `c AS (SELECT e.id, NULL::bigint AS loan_id, NULL::bigint AS hold_id, NULL::bigint AS patron_id, e.id AS entry_id, p.id AS whose,
		NULL::date AS day_before, NULL::timestamptz AS at_before, NULL::date AS day_after, NULL::timestamptz AS at_after, o.owed::text AS text_before,
		'0' AS text_after, coalesce(e.branch_code, l.branch_code, p.branch_code) AS branch_code, false AS beyond
		FROM w CROSS JOIN ledger e JOIN patrons p ON p.id = e.patron_id LEFT JOIN loans l ON l.id = e.loan_id LEFT JOIN items i ON i.id = l.item_id
			JOIN branches b ON b.code = coalesce(e.branch_code, l.branch_code, p.branch_code)
			CROSS JOIN LATERAL (SELECT e.amount + coalesce(sum(s.amount), 0)::bigint AS owed FROM ledger s WHERE s.settles = e.id) o
		WHERE e.kind = 'charge' AND e.about = 'late' AND o.owed > 0 AND (w.branches = '{}' OR b.code = ANY(w.branches))
			AND (w.first IS NULL OR e.at >= w.first::timestamp AT TIME ZONE b.timezone)
			AND (w.last IS NULL OR e.at < (w.last + 1)::timestamp AT TIME ZONE b.timezone)
			AND (w.materials = '{}' OR i.material = ANY(w.materials)) AND` + living + ofPatrons + `) `,
	Cards: `c AS (SELECT p.id, NULL::bigint AS loan_id, NULL::bigint AS hold_id, p.id AS patron_id, NULL::bigint AS entry_id, p.id AS whose,
		p.card_until AS day_before, NULL::timestamptz AS at_before, coalesce(w.day, p.card_until + w.days) AS day_after, NULL::timestamptz AS at_after,
		'' AS text_before, '' AS text_after, p.branch_code, false AS beyond
		FROM w CROSS JOIN patrons p WHERE p.card_until IS NOT NULL AND (w.first IS NULL OR p.card_until >= w.first)
			AND (w.last IS NULL OR p.card_until <= w.last) AND coalesce(w.day, p.card_until + w.days) <> p.card_until
			AND (NOT w.later OR coalesce(w.day, p.card_until + w.days) > p.card_until) AND` + living + ofPatrons + `) `,
	Classes: `c AS (SELECT p.id, NULL::bigint AS loan_id, NULL::bigint AS hold_id, p.id AS patron_id, NULL::bigint AS entry_id, p.id AS whose,
		NULL::date AS day_before, NULL::timestamptz AS at_before, NULL::date AS day_after, NULL::timestamptz AS at_after,
		p.class AS text_before, w.text AS text_after, p.branch_code, false AS beyond
		FROM w CROSS JOIN patrons p WHERE p.class <> w.text AND (w.born_from IS NULL OR p.born >= w.born_from)
			AND (w.born_to IS NULL OR p.born <= w.born_to) AND` + living + ofPatrons + `) `,
	Pickups: `c AS (SELECT h.id, NULL::bigint AS loan_id, h.id AS hold_id, NULL::bigint AS patron_id, NULL::bigint AS entry_id, p.id AS whose,
		NULL::date AS day_before, NULL::timestamptz AS at_before, NULL::date AS day_after, NULL::timestamptz AS at_after,
		h.pickup AS text_before, w.text AS text_after, h.pickup AS branch_code, false AS beyond
		FROM w CROSS JOIN holds h JOIN patrons p ON p.id = h.patron_id
		WHERE h.state IN ('waiting', 'fetching', 'moving') AND h.pickup = ANY(w.branches) AND h.pickup <> w.text` + ofPatrons + `) `,
}

// openLoansOfMoves are the open loans whose due date moves, with the moves k.
const openLoansOfMoves = ` FROM w CROSS JOIN loans l JOIN items i ON i.id = l.item_id JOIN patrons p ON p.id = l.patron_id JOIN branches b ON b.code = l.branch_code
	JOIN k ON k.branch = l.branch_code AND coalesce(k.at, k.day) = coalesce(l.due_at, l.due_date)
	WHERE l.returned_at IS NULL AND l.lost_at IS NULL
		AND (w.owners = '{}' OR i.branch_code = ANY(w.owners)) AND (w.materials = '{}' OR i.material = ANY(w.materials))` + ofPatrons

// When is a due date at a branch, with the number of loans.
type When struct {
	BranchCode     calendar.Code
	DueDate, DueAt *time.Time
	Number         int
}

// Whens gives when the open loans that are meant are due.
func Whens(tx *store.Tx, w *Which) ([]When, error) {
	return store.List[When](tx, asked+`c AS (SELECT l.branch_code, l.due_date, l.due_at`+openLoans+`)
		SELECT branch_code, due_date, due_at, count(*)::int AS number FROM c
		GROUP BY 1, 2, 3 ORDER BY 1, 2, 3`, args(w, &Becoming{})...)
}

// Totals is how much a sweep would change.
type Totals struct {
	Lines, Patrons int
	Told           int // loans of which a notice has been sent as they are due now
	Awaited        int // loans of titles for which others wait
	Beyond         int // loans that would be due after the card's last day
	Owed           int64
}

// Total counts what a sweep would change.
func Total(tx *store.Tx, kind Kind, w *Which, b *Becoming) (*Totals, error) {
	return store.One[Totals](tx, asked+candidates[kind]+`SELECT count(*)::int AS lines, count(DISTINCT c.whose)::int AS patrons,
			count(*) FILTER (WHERE c.beyond)::int AS beyond,
			count(*) FILTER (WHERE EXISTS (SELECT 1 FROM notices n WHERE n.loan_id = c.loan_id AND n.state = 'told'
				AND n.due_date IS NOT DISTINCT FROM c.day_before AND n.due_at IS NOT DISTINCT FROM c.at_before))::int AS told,
			count(*) FILTER (WHERE EXISTS (SELECT 1 FROM loans l JOIN items i ON i.id = l.item_id JOIN holds h ON h.title_id = i.title_id
				WHERE l.id = c.loan_id AND h.state = 'waiting'))::int AS awaited,
			coalesce(sum(CASE WHEN c.entry_id IS NOT NULL THEN c.text_before::bigint END), 0)::bigint AS owed
		FROM c WHERE c.id <> ALL((SELECT out FROM w)::bigint[])`, args(w, b)...)
}

// Candidate is one record that a sweep would change, as it is shown.
type Candidate struct {
	Line
	Whose                    int64
	BranchCode               calendar.Code
	LegalName, PreferredName string
	Title, Barcode           string
	ItemID                   int64    // of a loan
	LoanEdition              int64    // by which it was made
	Situation                []string `gorm:"type:text[];serializer:texts"`
	Told, Awaited, Beyond    bool
	Sort                     string
}

// Find gives a page of the records that a sweep would change, those left out included, by date and then in the order in which they came to be.
func Find(tx *store.Tx, kind Kind, w *Which, b *Becoming, page store.Page) ([]Candidate, store.Page, error) {
	all := *w
	all.LeftOut = nil
	at := func(c *Candidate) store.Cursor { return store.Cursor{ID: c.ID, Text: c.Sort} }
	return store.Paged(tx, page, at, asked+candidates[kind]+`, s AS (SELECT c.*, to_char(coalesce(c.at_before, c.day_before), 'YYYYMMDDHH24MISS') AS sort FROM c),
		t AS (SELECT s.*, coalesce(s.sort, '') AS sorted FROM s)
		SELECT t.id, t.loan_id, t.hold_id, t.patron_id, t.entry_id, t.day_before, t.day_after, t.at_before, t.at_after, t.text_before, t.text_after,
			t.whose, t.branch_code, coalesce(t.beyond, false) AS beyond, t.sorted AS sort, p.legal_name, p.preferred_name, coalesce(b.name, '') AS title, coalesce(i.barcode, '') AS barcode,
			coalesce(i.id, 0) AS item_id, coalesce(l.edition_id, 0) AS loan_edition, coalesce(l.situation, '{}') AS situation,
			EXISTS (SELECT 1 FROM notices n WHERE n.loan_id = t.loan_id AND n.state = 'told' AND n.due_date IS NOT DISTINCT FROM t.day_before
				AND n.due_at IS NOT DISTINCT FROM t.at_before) AS told,
			EXISTS (SELECT 1 FROM holds o WHERE o.title_id = i.title_id AND o.state = 'waiting' AND t.loan_id IS NOT NULL) AS awaited
		FROM t JOIN patrons p ON p.id = t.whose LEFT JOIN ledger e ON e.id = t.entry_id LEFT JOIN loans l ON l.id = coalesce(t.loan_id, e.loan_id)
			LEFT JOIN holds h ON h.id = t.hold_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = coalesce(i.title_id, h.title_id)
		WHERE $21::bigint = 0 AND (t.sorted, t.id) > ($22::text, $23::bigint) ORDER BY t.sorted, t.id`, args(&all, b)...)
}

// Write writes the lines of a sweep, and gives their number.
func Write(tx *store.Tx, sweep int64, kind Kind, w *Which, b *Becoming) (int64, error) {
	return tx.Exec(asked+candidates[kind]+`INSERT INTO sweep_lines (sweep_id, loan_id, hold_id, patron_id, entry_id, day_before, at_before, day_after, at_after,
			text_before, text_after)
		SELECT $21, loan_id, hold_id, patron_id, entry_id, day_before, at_before, day_after, at_after, text_before, text_after
		FROM c WHERE c.id <> ALL((SELECT out FROM w)::bigint[]) ORDER BY c.id`, append(args(w, b), sweep)...)
}

// Lines gives a page of the lines of a sweep in some states, as they are shown; no states: all.
func Lines(tx *store.Tx, sweep int64, states []string, page store.Page) ([]Candidate, store.Page, error) {
	at := func(c *Candidate) store.Cursor { return store.Cursor{ID: c.ID} }
	return store.Paged(tx, page, at, `SELECT t.*, p.id AS whose, coalesce(e.branch_code, l.branch_code, h.pickup, p.branch_code) AS branch_code,
			p.legal_name, p.preferred_name, coalesce(b.name, '') AS title, coalesce(i.barcode, '') AS barcode
		FROM sweep_lines t LEFT JOIN ledger e ON e.id = t.entry_id LEFT JOIN loans l ON l.id = coalesce(t.loan_id, e.loan_id)
			LEFT JOIN holds h ON h.id = t.hold_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = coalesce(i.title_id, h.title_id)
			LEFT JOIN patrons p ON p.id = coalesce(t.patron_id, l.patron_id, h.patron_id, e.patron_id)
		WHERE t.sweep_id = $1 AND ($2::text[] = '{}' OR t.state = ANY($2)) AND $3::bigint = 0 AND t.id > $4::bigint ORDER BY t.id`,
		sweep, store.NotNil(states))
}
