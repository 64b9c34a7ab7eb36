package holdsdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/waiting"
	"nevrin/store"
)

// QueueHold is an open hold of a title as forecasts ask about it.
type QueueHold struct {
	Hold
	Class string
	Home  calendar.Code
}

// QueueCopy is a copy of a title with where it is.
type QueueCopy struct {
	Free
	TitleID        int64
	Standing       circulation.ItemStatus
	Place          *circulation.Place // of whereabouts; nil: free on its shelf
	Ref            *int64
	LoanBranch     *calendar.Code
	DueDate, DueAt *time.Time
	Lost           bool
	ToBranch       *calendar.Code
	Promised       *time.Time
}

// WholeQueues gives the open holds of titles in their order, up to a number of each, and all their copies that are not
// withdrawn.
func WholeQueues(tx *store.Tx, titles []int64, most int) (holds []QueueHold, copies []QueueCopy, err error) {
	q := &store.Questions{}
	store.Ask(q, &holds, "SELECT "+HoldColumns+`, p.class, p.branch_code AS home FROM unnest($1::bigint[]) t(id)
		CROSS JOIN LATERAL (SELECT * FROM holds o WHERE o.title_id = t.id AND o.closed_at IS NULL
			ORDER BY o.band, o.place, o.id LIMIT $2) h JOIN patrons p ON p.id = h.patron_id
		ORDER BY h.title_id, h.band, h.place, h.id`, titles, most)
	store.Ask(q, &copies, copiesOf, titles)
	return holds, copies, tx.Send(q)
}

// copiesOf are all copies of titles $1 that are not withdrawn, with where they are.
const copiesOf = "SELECT " + freeColumns + `, i.title_id, i.standing, w.place, w.ref, l.branch_code AS loan_branch, l.due_date,
		l.due_at, coalesce(l.lost_at IS NOT NULL, false) AS lost, r.to_branch, r.promised_at AS promised
	FROM items i LEFT JOIN whereabouts w ON w.item_id = i.id LEFT JOIN loans l ON w.place = 'lent' AND l.id = w.ref
	LEFT JOIN transits r ON w.place = 'under_way' AND r.id = w.ref
	WHERE i.title_id = ANY($1) AND i.standing <> 'withdrawn' ORDER BY i.title_id, i.branch_code, i.id`

// CopiesOf gives all copies of titles that are not withdrawn.
func CopiesOf(tx *store.Tx, titles []int64) ([]QueueCopy, error) {
	return store.List[QueueCopy](tx, copiesOf, titles)
}

// WaitsAt gives a page of the holds that wait, and are not paused, for pickup at a branch; at all of them if none is named.
func WaitsAt(tx *store.Tx, branch calendar.Code, page store.Page) ([]QueueHold, store.Page, error) {
	at := func(h *QueueHold) store.Cursor { return store.Cursor{Text: string(h.Pickup), ID: h.ID} }
	of := "SELECT " + HoldColumns + `, p.class, p.branch_code AS home FROM holds h JOIN patrons p ON p.id = h.patron_id
		WHERE h.state = 'waiting' AND h.closed_at IS NULL AND h.paused_until IS NULL`
	if branch != "" {
		return store.Paged(tx, page, at, of+` AND h.pickup = $1 AND $2::bigint >= 0 AND (h.pickup, h.id) > ($3, $4)
			ORDER BY h.pickup, h.id`, branch)
	}
	return store.Paged(tx, page, at, of+` AND $1 AND $2::bigint >= 0 AND (h.pickup, h.id) > ($3, $4) ORDER BY h.pickup, h.id`, true)
}

// Foretell keeps what was said of when a hold would be ready.
func Foretell(tx *store.Tx, hold int64, at time.Time, f *waiting.Forecast) {
	tx.Queue("INSERT INTO foretold (hold_id, said_at, likely, earliest, latest, at_once) VALUES ($1, $2, $3, $4, $5, $6)"+
		" ON CONFLICT DO NOTHING",
		hold, at, f.Likely.UTC(), f.From.UTC(), f.Until.UTC(), f.AtOnce)
}

// Untold gives titles, in order and after one, on which holds wait that were placed since an instant and of which nothing has
// been said.
func Untold(tx *store.Tx, since time.Time, after int64, most int) ([]int64, error) {
	return store.Each[int64](tx, `SELECT DISTINCT h.title_id FROM holds h WHERE h.placed_at >= $1 AND h.state = 'waiting'
			AND h.title_id > $2 AND NOT EXISTS (SELECT 1 FROM foretold f WHERE f.hold_id = h.id)
		ORDER BY 1 LIMIT $3`, since, after, most)
}

// Unrouted gives titles, in order and after one, for which somebody waits while a copy is free that no hold has: holds and copies
// that came with files, above all.
func Unrouted(tx *store.Tx, after int64, today time.Time, most int) ([]int64, error) {
	return store.Each[int64](tx, `SELECT q.title_id
		FROM (SELECT DISTINCT h.title_id FROM holds h WHERE h.state = 'waiting' AND h.title_id > $1
			AND (h.paused_until IS NULL OR h.paused_until <= $2)) q
		WHERE EXISTS (SELECT 1 FROM items i WHERE i.title_id = q.title_id AND i.standing = 'in_use'
			AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)
			AND NOT EXISTS (SELECT 1 FROM holds o WHERE o.item_id = i.id AND o.closed_at IS NULL))
		ORDER BY 1 LIMIT $3`, after, today, most)
}

// UntoldOf gives the holds of such titles.
func UntoldOf(tx *store.Tx, titles []int64, since time.Time) ([]int64, error) {
	return store.Each[int64](tx, `SELECT h.id FROM holds h WHERE h.title_id = ANY($1) AND h.placed_at >= $2 AND h.state = 'waiting'
			AND NOT EXISTS (SELECT 1 FROM foretold f WHERE f.hold_id = h.id)`, titles, since)
}

// LearnedSince tells whether habits have been learned since an instant.
func LearnedSince(tx *store.Tx, at time.Time) (bool, error) {
	return store.Value[bool](tx, "SELECT count(*) > 0 FROM habits WHERE learned_at >= $1", at)
}

// Kept counts how often a forecast came true, among holds that became ready since a day.
type Kept struct {
	Cases, Held int
	Days        float64 // that ranges spanned, in the mean
}

// KeptSince counts that; before a day holds are not looked at.
func KeptSince(tx *store.Tx, day time.Time) (Kept, error) {
	k, err := store.One[Kept](tx, `SELECT count(*)::int AS cases,
			(count(*) FILTER (WHERE came BETWEEN earliest AND latest))::int AS held,
			coalesce(avg(latest - earliest + 1), 0)::float8 AS days
		FROM foretold WHERE came >= $1`, day)
	if err != nil || k == nil {
		return Kept{}, err
	}
	return *k, nil
}

// HabitsRow gives what was learned; nil where nothing was yet.
func HabitsRow(tx *store.Tx) (json.RawMessage, error) {
	rows, err := store.Each[json.RawMessage](tx, "SELECT data FROM habits")
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return rows[0], nil
}

// KeepHabits writes what was learned.
func KeepHabits(tx *store.Tx, h *waiting.Habits, at time.Time) {
	tx.Queue(`INSERT INTO habits (learned_at, data) VALUES ($1, $2)
		ON CONFLICT (one) DO UPDATE SET learned_at = excluded.learned_at, data = excluded.data`, at, store.JSON(h))
}

// Counted counts how often something of a kind took so many days.
type Counted struct {
	Of          string
	Days, Times int
}

// PastLoans counts of loans that ended between two instants how late they came back, and how long they were kept, by
// material. Loans by the hour, and what was lost or undone, are not among them.
func PastLoans(tx *store.Tx, from, until time.Time) (late, kept []Counted, err error) {
	const of = ` FROM loans l JOIN items i ON i.id = l.item_id CROSS JOIN network n
		WHERE l.returned_at >= $1 AND l.returned_at < $2 AND l.due_date IS NOT NULL AND l.lost_at IS NULL
			AND NOT l.undone
		GROUP BY 1, 2`
	const returned = "(l.returned_at AT TIME ZONE n.timezone)::date"
	q := &store.Questions{}
	store.Ask(q, &late, "SELECT i.material AS of, "+returned+" - l.due_date AS days, count(*)::int AS times"+of, from, until)
	store.Ask(q, &kept, "SELECT i.material AS of, "+returned+
		" - (l.lent_at AT TIME ZONE n.timezone)::date AS days, count(*)::int AS times"+of, from, until)
	return late, kept, tx.Send(q)
}

// PastFetch counts items that were chosen at a branch on one day and left their shelves on another.
type PastFetch struct {
	Branch       calendar.Code
	Chosen, Left time.Time // dates
	Times        int
}

// PastHolds counts what became of holds between two instants: when chosen items left their shelves, how often one was not
// found, how long holds stood ready, and by how much promises were missed.
func PastHolds(tx *store.Tx, from, until time.Time) (fetched []PastFetch, missed int, stood, delayed []Counted, err error) {
	q := &store.Questions{}
	var misses []int
	store.Ask(q, &fetched, `SELECT r.detail->>'was' AS branch, (r.at AT TIME ZONE n.timezone)::date AS chosen,
			(s.at AT TIME ZONE n.timezone)::date AS left, count(*)::int AS times
		FROM events r CROSS JOIN network n JOIN LATERAL (SELECT min(s.at) AS at FROM events s
			WHERE s.hold_id = r.hold_id AND s.item_id = r.item_id AND s.kind IN ('sent', 'hold_ready')
				AND s.at >= r.at AND s.at < $2) s
			ON s.at IS NOT NULL
		WHERE r.kind = 'routed' AND r.at >= $1 AND r.at < $2 GROUP BY 1, 2, 3`, from, until)
	store.AskEach(q, &misses, "SELECT count(*)::int FROM events WHERE kind = 'missed' AND at >= $1 AND at < $2", from, until)
	store.Ask(q, &stood, `SELECT '' AS of, (h.closed_at AT TIME ZONE n.timezone)::date - (h.ready_at AT TIME ZONE n.timezone)::date AS days,
			count(*)::int AS times FROM holds h CROSS JOIN network n
		WHERE h.placed_at >= $1::timestamptz - interval '120 days' AND h.ready_at >= $1 AND h.closed_at < $2
			AND h.closed_at >= h.ready_at
			AND h.state IN ('filled', 'lapsed') GROUP BY 2`, from, until)
	store.Ask(q, &delayed, `SELECT '' AS of, (t.ended_at AT TIME ZONE n.timezone)::date - (t.promised_at AT TIME ZONE n.timezone)::date AS days,
			count(*)::int AS times FROM transits t CROSS JOIN network n
		WHERE t.sent_at >= $1 AND t.ended_at < $2 AND t.hold_id IS NOT NULL AND t.promised_at IS NOT NULL GROUP BY 2`, from, until)
	if err := tx.Send(q); err != nil {
		return nil, 0, nil, nil, err
	}
	return fetched, misses[0], stood, delayed, nil
}

// TitlesAsked gives titles on which holds were placed between two instants that became ready, up to a number, the same ones
// each time and of all alike.
func TitlesAsked(tx *store.Tx, from, until time.Time, most int) ([]int64, error) {
	return store.Each[int64](tx, `SELECT title_id FROM holds WHERE placed_at >= $1 AND placed_at < $2 AND ready_at IS NOT NULL
		GROUP BY 1 ORDER BY hashint8(title_id) LIMIT $3`, from, until, most)
}

// TitlePasts gives what became of the holds and copies of titles since an instant.
func TitlePasts(tx *store.Tx, titles []int64, since time.Time) (map[int64]*waiting.TitlePast, error) {
	var holds []struct {
		Title int64
		waiting.PastHold
	}
	var copies []struct {
		Title   int64
		AddedOn time.Time
		waiting.PastCopy
	}
	var loans []struct {
		Title             int64
		DueDate, FirstDue *time.Time
		waiting.PastLoan
	}
	var transits []struct {
		Title int64
		waiting.PastTransit
	}
	var choices []struct {
		Title int64
		waiting.PastChoice
	}
	q := &store.Questions{}
	store.Ask(q, &holds, `SELECT h.title_id AS title, h.id, h.pickup, coalesce(p.class, '') AS class, coalesce(p.branch_code, h.pickup) AS home,
			coalesce(h.item_id, 0) AS item, h.placed_at AS placed, h.ready_at AS ready, h.closed_at AS closed
		FROM holds h LEFT JOIN patrons p ON p.id = h.patron_id
		WHERE h.title_id = ANY($1) AND coalesce(h.closed_at, 'infinity') > $2 ORDER BY h.band, h.place, h.id`, titles, since)
	store.Ask(q, &copies, `SELECT title_id AS title, id, branch_code AS home, collection, material, added_on FROM items
		WHERE title_id = ANY($1) AND standing <> 'withdrawn' ORDER BY id`, titles)
	store.Ask(q, &loans, `SELECT i.title_id AS title, l.item_id AS item, l.branch_code AS branch, l.lent_at AS lent,
			l.returned_at AS returned, l.due_date, l.renewed_at AS renewed,
			CASE WHEN l.renewed_at IS NOT NULL THEN (SELECT (e.detail->>'day')::date FROM events e
				WHERE e.loan_id = l.id AND e.kind = 'lent' LIMIT 1) END AS first_due
		FROM items i JOIN loans l ON l.item_id = i.id
		WHERE i.title_id = ANY($1) AND NOT l.undone AND l.due_date IS NOT NULL
			AND coalesce(l.returned_at, 'infinity') > $2
		ORDER BY l.lent_at`, titles, since)
	store.Ask(q, &transits, `SELECT i.title_id AS title, t.item_id AS item, coalesce(t.hold_id, 0) AS hold, t.to_branch AS to,
			t.sent_at AS sent, t.ended_at AS ended, t.promised_at AS promise
		FROM items i JOIN transits t ON t.item_id = i.id
		WHERE i.title_id = ANY($1) AND coalesce(t.ended_at, 'infinity') > $2 ORDER BY t.sent_at`, titles, since)
	store.Ask(q, &choices, `SELECT h.title_id AS title, e.hold_id AS hold, e.item_id AS item, e.at, e.kind = 'missed' AS missed
		FROM holds h JOIN events e ON e.hold_id = h.id AND e.kind IN ('routed', 'missed') AND e.at > $2
		WHERE h.title_id = ANY($1) AND coalesce(h.closed_at, 'infinity') > $2 ORDER BY e.at`, titles, since)
	if err := tx.Send(q); err != nil {
		return nil, err
	}
	out := map[int64]*waiting.TitlePast{}
	for _, id := range titles {
		out[id] = &waiting.TitlePast{}
	}
	for _, h := range holds {
		out[h.Title].Holds = append(out[h.Title].Holds, h.PastHold)
	}
	for _, c := range copies {
		c.Added = calendar.DateOf(c.AddedOn.UTC())
		out[c.Title].Copies = append(out[c.Title].Copies, c.PastCopy)
	}
	for _, l := range loans {
		l.Due = *store.DateOf(l.DueDate)
		l.DueBeforeRenewal = l.Due
		if l.FirstDue != nil {
			l.DueBeforeRenewal = *store.DateOf(l.FirstDue)
		}
		out[l.Title].Loans = append(out[l.Title].Loans, l.PastLoan)
	}
	for _, r := range transits {
		out[r.Title].Transits = append(out[r.Title].Transits, r.PastTransit)
	}
	for _, c := range choices {
		out[c.Title].Choices = append(out[c.Title].Choices, c.PastChoice)
	}
	return out, nil
}
