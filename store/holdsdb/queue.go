package holdsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/stockdb"
)

// WaitsFor gives the patron for whom an item stands on the hold shelf; 0 for nobody.
func WaitsFor(tx *store.Tx, barcode string) (int64, error) {
	return store.Value[int64](tx, `SELECT h.patron_id FROM holds h JOIN items i ON i.id = h.item_id
		WHERE i.barcode = $1 AND h.state = 'ready'`, barcode)
}

// Meets is the condition that an item i is one that a hold h is for: queue.Wish in SQL, for columns that have no empty
// texts. A test holds the two together.
const Meets = `(h.only_item IS NULL OR h.only_item = i.id) AND (h.only_edition IS NULL OR h.only_edition = i.edition)
	AND (h.only_volume IS NULL OR h.only_volume = i.volume)`

// Awaiting is a hold that waits, with what routing asks about it.
type Awaiting struct {
	Hold
	Class  string
	Home   calendar.Code // branch of the patron
	Missed []int64       // items that were searched for in vain

	TitleName string // where it is asked for
}

// Free is an item that could serve a hold now.
type Free struct {
	ID                   int64
	Barcode              string
	BranchCode, AtBranch calendar.Code
	Collection, Material string
	Edition, Volume      string
	AddedOn              time.Time
}

// Coming is a copy that is not free, with when it can be expected: when due, or by its promise.
type Coming struct {
	Free
	Branch            calendar.Code // where that is
	DueDate, Promised *time.Time
}

// Queue gives the first holds that wait for a title, in order and up to a number, and its free items; the copies that are to
// come where these are asked for. The title must be locked.
func Queue(tx *store.Tx,
	title int64,
	most int,
	andComing bool,
) (waiting []Awaiting, free []Free, coming []Coming, err error) {
	q := &store.Questions{}
	store.Ask(q, &free, "SELECT "+freeColumns+" FROM items i WHERE i.title_id = $1 AND "+stockdb.FreeItem+" ORDER BY i.id", title)
	store.Ask(
		q,
		&waiting,
		"SELECT "+HoldColumns+`, p.class, p.branch_code AS home,
			ARRAY(SELECT m.item_id FROM misses m WHERE m.hold_id = h.id AND m.seen_at IS NULL) AS missed
		FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.title_id = $1 AND h.state = 'waiting'
			AND h.paused_until IS NULL ORDER BY h.band, h.place, h.id LIMIT $2`,
		title,
		most,
	)
	if andComing {
		store.Ask(q, &coming, "SELECT "+freeColumns+`, coalesce(l.branch_code, r.to_branch) AS branch, l.due_date,
				r.promised_at AS promised FROM items i
			JOIN whereabouts w ON w.item_id = i.id AND w.place IN ('lent', 'under_way')
			LEFT JOIN loans l ON w.place = 'lent' AND l.id = w.ref AND l.lost_at IS NULL
			LEFT JOIN transits r ON w.place = 'under_way' AND r.id = w.ref AND r.hold_id IS NULL
			WHERE i.title_id = $1 AND i.standing = 'in_use' AND coalesce(l.due_date, r.promised_at) IS NOT NULL`, title)
	}
	return waiting, free, coming, tx.Send(q)
}

// ToFetch counts what stands on the fetch lists of branches.
func ToFetch(tx *store.Tx, branches []calendar.Code) (map[calendar.Code]int, error) {
	rows, err := store.List[struct {
		Branch calendar.Code
		N      int
	}](tx, "SELECT fetch_at AS branch, count(*)::int AS n FROM holds WHERE state = 'fetching' AND fetch_at = ANY($1) GROUP BY 1",
		branches)
	out := map[calendar.Code]int{}
	for _, r := range rows {
		out[r.Branch] = r.N
	}
	return out, err
}

// TitlesToFetch gives the titles of what stands on the fetch lists of branches.
func TitlesToFetch(tx *store.Tx, branches []calendar.Code) ([]int64, error) {
	return store.Each[int64](tx, "SELECT DISTINCT title_id FROM holds WHERE state = 'fetching' AND fetch_at = ANY($1) ORDER BY title_id",
		branches)
}

// NamedTitle is a title with its name.
type NamedTitle struct {
	ID   int64
	Name string
}

// TitlesOfHolds gives the titles of holds, each once, in order.
func TitlesOfHolds(tx *store.Tx, ids []int64) ([]NamedTitle, error) {
	return store.List[NamedTitle](tx, `SELECT id, name FROM titles WHERE id IN (SELECT title_id FROM holds WHERE id = ANY($1))
		ORDER BY id`, ids)
}

// FreeOf is an item of a title that could serve a hold.
type FreeOf struct {
	Free
	TitleID int64
}

// ToShare gives the holds of titles whose items are to be fetched, in the order of their queues, with the items that could
// serve one of them: free ones, and those that are to be fetched for one.
func ToShare(tx *store.Tx, titles []int64) (fetching []Awaiting, items []FreeOf, err error) {
	q := &store.Questions{}
	store.Ask(q, &fetching, "SELECT "+HoldColumns+`, n.name AS title_name, p.class, p.branch_code AS home,
			ARRAY(SELECT m.item_id FROM misses m WHERE m.hold_id = h.id AND m.seen_at IS NULL) AS missed
		FROM holds h JOIN patrons p ON p.id = h.patron_id JOIN titles n ON n.id = h.title_id
		WHERE h.title_id = ANY($1) AND h.state = 'fetching' AND h.closed_at IS NULL
		ORDER BY h.title_id, h.band, h.place, h.id`, titles)
	store.Ask(q, &items, "SELECT "+freeColumns+`, i.title_id FROM items i WHERE i.title_id = ANY($1) AND (`+stockdb.FreeItem+`
		OR EXISTS (SELECT 1 FROM holds f WHERE f.item_id = i.id AND f.state = 'fetching')) ORDER BY i.title_id, i.id`, titles)
	return fetching, items, tx.Send(q)
}

// PlaceInQueue is the place of a hold among those that wait for its title.
const PlaceInQueue = `CASE WHEN h.state = 'waiting' THEN (SELECT count(*)::int FROM holds o WHERE o.title_id = h.title_id
			AND o.state = 'waiting' AND (o.band, o.place, o.id) <= (h.band, h.place, h.id)) ELSE 0 END AS waiting`

// StateRank puts those first who need somebody soonest.
const StateRank = "array_position(ARRAY['ready', 'moving', 'fetching', 'waiting'], h.state)"

// Holdable gives the items of a title that holds could ever wait for.
func Holdable(tx *store.Tx, title int64) ([]Free, error) {
	return store.List[Free](tx, "SELECT "+freeColumns+
		" FROM items i WHERE i.title_id = $1 AND i.standing IN ('in_use', 'aside') ORDER BY i.id", title)
}

// Waiters gives who of patrons has an open hold on a title, for a volume of it; empty: any.
func Waiters(tx *store.Tx, title int64, patrons []int64, volume string) ([]int64, error) {
	return store.Each[int64](tx, `SELECT patron_id FROM holds WHERE title_id = $1 AND patron_id = ANY($2)
		AND coalesce(only_volume, '') = $3 AND closed_at IS NULL`, title, patrons, volume)
}

// Stands is a waiting hold's place in its queue.
type Stands struct {
	ID    int64
	Band  queue.Band
	Place float64
}

// Around gives where a hold of a title would stand in front of another, or behind all others where that is 0: who would
// stand before it and behind it, itself left out. The title must be locked.
func Around(tx *store.Tx, title, hold, before int64) (front, behind *Stands, err error) {
	const of = `SELECT id, band, place::float8 AS place FROM holds WHERE title_id = $1 AND state = 'waiting' AND id <> $2`
	q := &store.Questions{}
	var f, b []Stands
	store.Ask(q, &b, of+" AND id = $3", title, hold, before)
	store.Ask(q, &f, of+` AND ($3 = 0 OR (band, place, id) < (SELECT band, place, id FROM holds WHERE id = $3))
		ORDER BY band DESC, place DESC, id DESC LIMIT 1`, title, hold, before)
	if err := tx.Send(q); err != nil {
		return nil, nil, err
	}
	if len(f) > 0 {
		front = &f[0]
	}
	if len(b) > 0 {
		behind = &b[0]
	}
	return front, behind, nil
}

// NextInQueue gives the hold that waits behind another; 0 if none does.
func NextInQueue(tx *store.Tx, title, hold int64) (int64, error) {
	return store.Value[int64](tx, `SELECT coalesce((SELECT n.id FROM holds n JOIN holds h ON h.id = $2
		WHERE n.title_id = $1 AND n.state = 'waiting' AND (n.band, n.place, n.id) > (h.band, h.place, h.id)
		ORDER BY n.band, n.place, n.id LIMIT 1), 0)`, title, hold)
}

// MovedBy says who last moved a hold in its queue, and why.
type MovedBy struct {
	HoldID      int64
	At          time.Time
	Who, Reason string
}

// WhoMoved gives who moved holds last, by hold.
func WhoMoved(tx *store.Tx, holds []int64) (map[int64]MovedBy, error) {
	rows, err := store.List[MovedBy](tx, `SELECT m.hold_id, m.at, coalesce(f.name, '') AS who, coalesce(m.reason, '') AS reason
		FROM unnest($1::bigint[]) h (id) CROSS JOIN LATERAL (SELECT e.hold_id, e.at, e.staff_id, e.detail->>'reason' AS reason FROM events e
			WHERE e.hold_id = h.id AND e.kind = 'hold_moved' ORDER BY e.at DESC LIMIT 1) m
		LEFT JOIN staff f ON f.id = m.staff_id`, holds)
	out := make(map[int64]MovedBy, len(rows))
	for _, r := range rows {
		out[r.HoldID] = r
	}
	return out, err
}

// Number numbers the places of a title's holds anew, in the order in which they stand.
func Number(tx *store.Tx, title int64) {
	tx.Queue(`UPDATE holds h SET place = n.place FROM (SELECT id, row_number() OVER (ORDER BY place, id) AS place
		FROM holds WHERE title_id = $1) n WHERE h.id = n.id AND h.title_id = $1`, title)
}

// StandIn moves a hold that waits to a place in its queue.
func StandIn(tx *store.Tx, id int64, band queue.Band, place float64, moved bool) {
	tx.QueueOne("UPDATE holds SET band = $2, place = $3, moved = $4 WHERE id = $1 AND state = 'waiting'", id, band, place, moved)
}

// Reband puts open holds into the bands of their patrons' classes, but for those that were moved by hand. Their titles are locked first,
// as for every change of a queue.
func Reband(tx *store.Tx, o queue.Order) error {
	titles, err := store.Each[int64](tx, "SELECT DISTINCT title_id FROM ("+banded+") b", store.NotNil(o.First), store.NotNil(o.Last))
	if err != nil || len(titles) == 0 {
		return err
	}
	if err := tx.Lock(store.Lock{Titles: titles}); err != nil {
		return err
	}
	tx.Queue("UPDATE holds h SET band = b.band FROM ("+banded+") b WHERE h.id = b.id AND b.title_id = ANY($3)",
		store.NotNil(o.First), store.NotNil(o.Last), titles)
	return nil
}

// Demand is a title with how many wait for how many copies.
type Demand struct {
	TitleID            int64
	Name, Author, ISBN string
	Waiting, Copies    int
	Oldest             time.Time
	// Who stands first in the queue, and where they would fetch it.
	First                               int64
	LegalName, PreferredName, ShelfName string
	Pickup                              calendar.Code
}

// InDemand gives a page of titles with more waiting for each copy in use than a number; the most for each copy first.
func InDemand(tx *store.Tx, perCopy int, page store.Page) ([]Demand, store.Page, error) {
	// Ordered by a hundredth of holds for each copy, so that the place in the list is a whole number.
	at := func(d *Demand) store.Cursor {
		return store.Cursor{Rank: -int64(100 * d.Waiting / max(d.Copies, 1)), ID: d.TitleID}
	}
	return store.Paged(tx, page, at, `WITH w AS (SELECT title_id, count(*)::int AS waiting, min(placed_at) AS oldest FROM holds
			WHERE state = 'waiting' GROUP BY 1),
		c AS (SELECT w.*, (SELECT count(*)::int FROM items i
			WHERE i.title_id = w.title_id AND i.standing = 'in_use') AS copies FROM w),
		d AS (SELECT c.*, -(100 * c.waiting / greatest(c.copies, 1)) AS rank FROM c WHERE c.waiting > $1 * c.copies)
		SELECT d.title_id, t.name, t.author, t.isbn, d.waiting, d.copies, d.oldest, f.id AS first, f.legal_name,
			f.preferred_name, f.shelf_name, f.pickup
		FROM d JOIN titles t ON t.id = d.title_id CROSS JOIN LATERAL (
			SELECT p.id, p.legal_name, p.preferred_name, p.shelf_name, h.pickup FROM holds h
			JOIN patrons p ON p.id = h.patron_id
			WHERE h.title_id = d.title_id AND h.state = 'waiting' ORDER BY h.band, h.place, h.id LIMIT 1) f
		WHERE $2 = 0 OR (d.rank, d.title_id) > ($2, $3) ORDER BY d.rank, d.title_id`, perCopy)
}
