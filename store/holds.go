package store

import (
	"encoding/json"
	"strconv"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/queue"
)

const holdColumns = `h.id, h.title_id, coalesce(h.patron_id, 0) AS patron_id, h.pickup, h.only_item, h.placed_at, h.place::float8 AS place,
		h.state, h.item_id, h.fetch_at, h.promised_at, h.ready_at,
	h.shelf_until, h.closed_at, h.why, h.paused_until, h.band, h.moved, h.only_edition, h.only_volume, h.wanted_until,
	h.passed_days, h.slot, h.taken_by, h.taken_at`

// meets is the condition that an item i is one that a hold h is for.
const meets = `(h.only_item IS NULL OR h.only_item = i.id) AND (h.only_edition IS NULL OR h.only_edition = i.edition)
	AND (h.only_volume IS NULL OR h.only_volume = i.volume)`

// HoldForSlip gives a hold with its patron, title and item; nil where there is none.
func (t *Tx) HoldForSlip(id int64) (*Hold, error) {
	var h Hold
	err := t.orm().Joins("Title").Joins("Patron").Joins("Item").Take(&h, id).Error
	if NoRow(err) {
		return nil, nil
	}
	return &h, err
}

// HoldByID locks a hold's patron and title and gives the hold with its patron and the title's name; nil where there is
// none.
func (t *Tx) HoldByID(id int64) (*Hold, error) {
	q := &questions{}
	t.take(Lock{Hold: id}, q)
	var holds []Hold
	ask(q, &holds, "SELECT "+holdColumns+" FROM holds h WHERE h.id = $1", id)
	if err := t.send(q); err != nil || len(holds) == 0 {
		return nil, err
	}
	return &holds[0], nil
}

// FilledHold gives a hold whose title is locked, and whether its patron has another open hold on the title.
func (t *Tx) FilledHold(id int64) (*Hold, bool, error) {
	q := &questions{}
	var holds []Hold
	var another []bool
	ask(q, &holds, "SELECT "+holdColumns+" FROM holds h WHERE h.id = $1", id)
	askEach(
		q,
		&another,
		`SELECT EXISTS (SELECT 1 FROM holds h JOIN holds o ON o.title_id = h.title_id AND o.patron_id = h.patron_id
				AND o.closed_at IS NULL
		WHERE h.id = $1)`,
		id,
	)
	if err := t.send(q); err != nil {
		return nil, false, err
	}
	return &holds[0], another[0], nil
}

// AddHold writes a hold at the end of its title's queue and gives it its id: behind ended ones too, which may be opened
// again in their old place. The title must be locked.
func (t *Tx) AddHold(h *Hold) (err error) {
	if h.ID, err = t.NextID(); err != nil {
		return err
	}
	t.queue(
		`INSERT INTO holds (id, title_id, patron_id, pickup, only_item, placed_at, place, state, item_id, fetch_at, band,
			only_edition, only_volume, wanted_until, paused_until)
		VALUES ($1, $2, $3, $4, $5, $6, (SELECT coalesce(max(place), 0) + 1 FROM holds WHERE title_id = $2),
			$7, $8, CASE $7 WHEN 'fetching' THEN (SELECT at_branch FROM items WHERE id = $8) END, $9, $10, $11, $12, $13)`,
		h.ID,
		h.TitleID,
		h.PatronID,
		h.Pickup,
		h.OnlyItem,
		h.PlacedAt,
		h.State,
		h.ItemID,
		h.Band,
		h.OnlyEdition,
		h.OnlyVolume,
		h.WantedUntil,
		h.PausedUntil,
	)
	return nil
}

// MoveHold makes a move in a hold's life and writes what the hold then is. Its state is the one it was found in;
// should it have another by now, the act is tried again.
func (t *Tx) MoveHold(h *Hold, move queue.Move, now time.Time) error {
	from := h.State
	to, err := queue.Next(from, move)
	if err != nil {
		return err
	}
	h.State, h.ClosedAt = to, nil
	switch {
	case to.Ended():
		h.ClosedAt = &now
	case to == queue.Waiting:
		h.ItemID, h.PromisedAt, h.ReadyAt, h.ShelfUntil, h.Why = nil, nil, nil, nil, nil
	}
	if to != queue.Ready {
		h.Slot = nil
	}
	t.queueOne(
		`UPDATE holds SET state = $3, item_id = $4, promised_at = $5, ready_at = $6, shelf_until = $7,
				closed_at = $8, why = $9, slot = $10, taken_by = NULL, taken_at = NULL,
				fetch_at = CASE $3 WHEN 'fetching' THEN (SELECT at_branch FROM items WHERE id = $4) END
		WHERE id = $1 AND state = $2`,
		h.ID,
		from,
		to,
		h.ItemID,
		h.PromisedAt,
		h.ReadyAt,
		h.ShelfUntil,
		h.ClosedAt,
		h.Why,
		h.Slot,
	)
	if to == queue.Ready {
		t.queue("UPDATE foretold SET came = ($2 AT TIME ZONE (SELECT timezone FROM network))::date WHERE hold_id = $1 AND came IS NULL",
			h.ID, h.ReadyAt)
	}
	return nil
}

// FreeSlot gives the slot of a branch's hold shelf, of so many, in which least stands.
func (t *Tx) FreeSlot(branch calendar.Code, slots int) (int, error) {
	return value[int](t, `SELECT s.n FROM generate_series(1, $2::int) s(n)
		LEFT JOIN holds h ON h.pickup = $1 AND h.state = 'ready' AND h.slot = s.n
		GROUP BY s.n ORDER BY count(h.id), s.n LIMIT 1`, branch, slots)
}

// Awaiting is a hold that waits, with what routing asks about it.
type Awaiting struct {
	Hold
	Class  string
	Home   calendar.Code // branch of the patron
	Missed []int64       // items that were looked for in vain

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

// freeColumns are those of an item i that routing asks about.
const freeColumns = "i.id, i.barcode, i.branch_code, i.at_branch, i.collection, i.material, i.edition, i.volume, i.added_on"

// FreeItem is the condition under which an item i could serve a hold: in use, and nowhere but on its shelf.
const FreeItem = "i.standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)"

// Coming is when a copy that is not free can be expected: it is due, or is to be on a shelf by a promise.
type Coming struct {
	Free
	Branch            calendar.Code // where that is
	DueDate, Promised *time.Time
}

// Queue gives the first holds that wait for a title, in order and up to a number, and its free items; the copies that are to
// come where these are asked for. The title must be locked.
func (t *Tx) Queue(
	title int64,
	most int,
	andComing bool,
) (waiting []Awaiting, free []Free, coming []Coming, err error) {
	q := &questions{}
	ask(q, &free, "SELECT "+freeColumns+" FROM items i WHERE i.title_id = $1 AND "+FreeItem+" ORDER BY i.id", title)
	ask(
		q,
		&waiting,
		"SELECT "+holdColumns+`, p.class, p.branch_code AS home,
			ARRAY(SELECT m.item_id FROM misses m WHERE m.hold_id = h.id AND m.seen_at IS NULL) AS missed
		FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.title_id = $1 AND h.state = 'waiting'
			AND h.paused_until IS NULL ORDER BY h.band, h.place, h.id LIMIT $2`,
		title,
		most,
	)
	if andComing {
		ask(q, &coming, "SELECT "+freeColumns+`, coalesce(l.branch_code, r.to_branch) AS branch, l.due_date,
				r.promised_at AS promised FROM items i
			JOIN whereabouts w ON w.item_id = i.id AND w.place IN ('lent', 'under_way')
			LEFT JOIN loans l ON w.place = 'lent' AND l.id = w.ref AND l.lost_at IS NULL
			LEFT JOIN transits r ON w.place = 'under_way' AND r.id = w.ref AND r.hold_id IS NULL
			WHERE i.title_id = $1 AND i.standing = 'in_use' AND coalesce(l.due_date, r.promised_at) IS NOT NULL`, title)
	}
	return waiting, free, coming, t.send(q)
}

// ToFetch counts what stands on the fetch lists of branches.
func (t *Tx) ToFetch(branches []calendar.Code) (map[calendar.Code]int, error) {
	rows, err := list[struct {
		Branch calendar.Code
		N      int
	}](t, "SELECT fetch_at AS branch, count(*)::int AS n FROM holds WHERE state = 'fetching' AND fetch_at = ANY($1) GROUP BY 1",
		branches)
	out := map[calendar.Code]int{}
	for _, r := range rows {
		out[r.Branch] = r.N
	}
	return out, err
}

// TitlesToFetch gives the titles of what stands on the fetch lists of branches.
func (t *Tx) TitlesToFetch(branches []calendar.Code) ([]int64, error) {
	return each[int64](t, "SELECT DISTINCT title_id FROM holds WHERE state = 'fetching' AND fetch_at = ANY($1) ORDER BY title_id",
		branches)
}

// NamedTitle is a title with its name.
type NamedTitle struct {
	ID   int64
	Name string
}

// TitlesOfHolds gives the titles of holds, each once, in order.
func (t *Tx) TitlesOfHolds(ids []int64) ([]NamedTitle, error) {
	return list[NamedTitle](t, `SELECT id, name FROM titles WHERE id IN (SELECT title_id FROM holds WHERE id = ANY($1))
		ORDER BY id`, ids)
}

// FreeOf is an item of a title that could serve a hold.
type FreeOf struct {
	Free
	TitleID int64
}

// ToShare gives the holds of titles whose items are to be fetched, in the order of their queues, with the items that could
// serve one of them: free ones, and those that are to be fetched for one.
func (t *Tx) ToShare(titles []int64) (fetching []Awaiting, items []FreeOf, err error) {
	q := &questions{}
	ask(q, &fetching, "SELECT "+holdColumns+`, n.name AS title_name, p.class, p.branch_code AS home,
			ARRAY(SELECT m.item_id FROM misses m WHERE m.hold_id = h.id AND m.seen_at IS NULL) AS missed
		FROM holds h JOIN patrons p ON p.id = h.patron_id JOIN titles n ON n.id = h.title_id
		WHERE h.title_id = ANY($1) AND h.state = 'fetching' AND h.closed_at IS NULL
		ORDER BY h.title_id, h.band, h.place, h.id`, titles)
	ask(q, &items, "SELECT "+freeColumns+`, i.title_id FROM items i WHERE i.title_id = ANY($1) AND (`+FreeItem+`
		OR EXISTS (SELECT 1 FROM holds f WHERE f.item_id = i.id AND f.state = 'fetching')) ORDER BY i.title_id, i.id`, titles)
	return fetching, items, t.send(q)
}

// PassOver writes by how many days a hold was passed over.
func (t *Tx) PassOver(hold int64, days int) {
	t.queue("UPDATE holds SET passed_days = passed_days + $2 WHERE id = $1", hold, days)
}

// Miss writes that an item was not found for a hold, and gives how often it was not found since it was last seen.
func (t *Tx) Miss(hold, item int64, at time.Time) (int, error) {
	t.queue("INSERT INTO misses (hold_id, item_id, at) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING", hold, item, at)
	return value[int](t, "SELECT count(*)::int FROM misses WHERE item_id = $1 AND seen_at IS NULL", item)
}

// MissedItem is an item that was not found for a hold and has not been seen since.
type MissedItem struct {
	Standing circulation.ItemStanding
	AtBranch calendar.Code
}

// MissedBy gives an item that was not found for a hold, whose title is locked; nil where it has been seen since.
func (t *Tx) MissedBy(hold, item int64) (*MissedItem, error) {
	return one[MissedItem](t, `SELECT i.standing, i.at_branch FROM misses m JOIN items i ON i.id = m.item_id
		WHERE m.hold_id = $1 AND m.item_id = $2 AND m.seen_at IS NULL`, hold, item)
}

// TakeFetch writes who is on the way to what a hold waits for; nil: nobody.
func (t *Tx) TakeFetch(hold int64, by *int64, at *time.Time) {
	t.queueOne("UPDATE holds SET taken_by = $2, taken_at = $3 WHERE id = $1 AND state = 'fetching'", hold, by, at)
}

// HoldShown is a hold as lists show it.
type HoldShown struct {
	Hold
	TitleName     string
	Card          string
	LegalName     string
	PreferredName string
	ShelfName     string
	Waiting       int // place in the queue of those still waiting; 0: no longer waiting
}

// placeInQueue is the place of a hold among those that wait for its title.
const placeInQueue = `CASE WHEN h.state = 'waiting' THEN (SELECT count(*)::int FROM holds o WHERE o.title_id = h.title_id
			AND o.state = 'waiting' AND (o.band, o.place, o.id) <= (h.band, h.place, h.id)) ELSE 0 END AS waiting`

const holdsShownColumns = holdColumns + `, t.name AS title_name, p.card, p.legal_name, p.preferred_name, p.shelf_name,
		` + placeInQueue

const holdsShown = `SELECT ` + holdsShownColumns + `
	FROM holds h JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id `

// stateRank puts those first who need somebody soonest.
const stateRank = "array_position(ARRAY['ready', 'moving', 'fetching', 'waiting'], h.state)"

// OneHold gives one hold as lists show it; nil where there is none.
func (t *Tx) OneHold(id int64) (*HoldShown, error) {
	return one[HoldShown](t, holdsShown+"WHERE h.id = $1", id)
}

// HoldsShown gives holds as lists show them, by where they are picked up.
func (t *Tx) HoldsShown(ids []int64) ([]HoldShown, error) {
	return list[HoldShown](t, holdsShown+"WHERE h.id = ANY($1) ORDER BY h.pickup, h.id", ids)
}

// HoldsAt gives a page of the open holds for pickup at a branch: ready ones first, by their last day.
func (t *Tx) HoldsAt(branch calendar.Code, page Page) ([]HoldShown, Page, error) {
	at := func(h *HoldShown) Cursor {
		c := Cursor{Rank: rankOf(h.State), ID: h.ID, Text: "infinity"}
		if d := DateOf(h.ShelfUntil); d != nil {
			c.Text = d.String()
		}
		return c
	}
	order := stateRank + ", coalesce(h.shelf_until, 'infinity'), h.id"
	return paged(t, page, at, holdsShown+"WHERE h.pickup = $1 AND h.closed_at IS NULL AND ("+order+
		") > ($2, coalesce(nullif($3, ''), '-infinity')::date, $4) ORDER BY "+order, branch)
}

// HoldsOf gives a page of the open holds on a title: those who have an item first, then the queue in its order.
func (t *Tx) HoldsOf(title int64, page Page) ([]HoldShown, Page, error) {
	at := func(h *HoldShown) Cursor {
		rank := rankOf(h.State)*10 + int64(h.Band)
		return Cursor{Rank: rank, ID: h.ID, Text: strconv.FormatFloat(h.Place, 'f', -1, 64)}
	}
	order := stateRank + " * 10 + h.band, h.place, h.id"
	return paged(t, page, at, holdsShown+"WHERE h.title_id = $1 AND h.closed_at IS NULL AND ("+order+
		") > ($2, coalesce(nullif($3, ''), '-infinity')::numeric, $4) ORDER BY "+order, title)
}

func rankOf(s queue.State) int64 {
	return map[queue.State]int64{queue.Ready: 1, queue.Moving: 2, queue.Fetching: 3, queue.Waiting: 4}[s]
}

// HoldsOfPatron gives the open holds of a patron.
func (t *Tx) HoldsOfPatron(patron int64) ([]HoldShown, error) {
	return list[HoldShown](
		t,
		`SELECT `+holdColumns+`, t.name AS title_name FROM holds h JOIN titles t ON t.id = h.title_id
		WHERE h.patron_id = $1 AND h.closed_at IS NULL ORDER BY h.id`,
		patron,
	)
}

// OpenHoldsOf counts the open holds of a patron.
func (t *Tx) OpenHoldsOf(patron int64) (int, error) {
	return value[int](t, "SELECT count(*)::int FROM holds WHERE patron_id = $1 AND closed_at IS NULL", patron)
}

// Holdable gives the items of a title that holds could ever wait for.
func (t *Tx) Holdable(title int64) ([]Free, error) {
	return list[Free](t, "SELECT "+freeColumns+
		" FROM items i WHERE i.title_id = $1 AND i.standing IN ('in_use', 'aside') ORDER BY i.id", title)
}

// Fetch is one line of a branch's fetch list.
type Fetch struct {
	HoldID, ItemID                   int64
	Barcode, Title, Author           string
	Collection, CallNumber, Material string
	Volume                           string
	Pickup                           calendar.Code
	TakenBy                          *int64
	TakenAt                          *time.Time
	TakerName                        *string
	PromisedAt                       *time.Time
	PlacedAt                         time.Time
	Why                              json.RawMessage
}

// FetchList gives what a branch is to take from its shelves.
func (t *Tx) FetchList(branch calendar.Code) ([]Fetch, error) {
	return list[Fetch](
		t,
		`SELECT h.id AS hold_id, i.id AS item_id, i.barcode, t.name AS title, t.author, i.collection, i.call_number,
				i.material, i.volume,
			h.pickup, h.promised_at, h.placed_at, h.why, h.taken_by, h.taken_at, s.name AS taker_name
		FROM holds h JOIN items i ON i.id = h.item_id JOIN titles t ON t.id = i.title_id
		LEFT JOIN staff s ON s.id = h.taken_by
		WHERE h.state = 'fetching' AND h.fetch_at = $1`,
		branch,
	)
}

// Lapsing is a hold whose last day on the hold shelf is over.
type Lapsing struct {
	Hold
	Class, Collection, Material string
	Home                        calendar.Code
}

// Lapsing locks up to a number of holds whose last day on the hold shelf was before a date, and gives them.
func (t *Tx) Lapsing(day time.Time, most int) ([]Lapsing, error) {
	type key struct{ TitleID, PatronID int64 }
	keys, err := list[key](
		t,
		"SELECT title_id, patron_id FROM holds WHERE state = 'ready' AND shelf_until < $1 ORDER BY id LIMIT $2",
		day,
		most,
	)
	if err != nil || len(keys) == 0 {
		return nil, err
	}
	l := Lock{}
	for _, k := range keys {
		l.Titles, l.Patrons = append(l.Titles, k.TitleID), append(l.Patrons, k.PatronID)
	}
	l.Titles, l.Patrons = sorted(l.Titles), sorted(l.Patrons)
	q := &questions{}
	t.take(l, q)
	var out []Lapsing
	ask(q, &out, `SELECT `+holdColumns+`, p.class, i.branch_code AS home, i.collection, i.material
		FROM holds h JOIN patrons p ON p.id = h.patron_id JOIN items i ON i.id = h.item_id
		WHERE h.state = 'ready' AND h.shelf_until < $1 AND h.title_id = ANY($2) AND h.patron_id = ANY($3)
			ORDER BY h.id LIMIT $4`, day, l.Titles, l.Patrons, most)
	return out, t.send(q)
}

// Waiters gives who of patrons has an open hold on a title, for a volume of it; empty: any.
func (t *Tx) Waiters(title int64, patrons []int64, volume string) ([]int64, error) {
	return each[int64](t, `SELECT patron_id FROM holds WHERE title_id = $1 AND patron_id = ANY($2)
		AND coalesce(only_volume, '') = $3 AND closed_at IS NULL`, title, patrons, volume)
}

// WantUntil writes the last day on which a hold is of interest; nil: it is without end.
func (t *Tx) WantUntil(id int64, until *time.Time) {
	t.queueOne("UPDATE holds SET wanted_until = $2 WHERE id = $1 AND closed_at IS NULL", id, until)
}

// KeepUntil writes until when a hold waits on the hold shelf.
func (t *Tx) KeepUntil(id int64, until time.Time) {
	t.queueOne("UPDATE holds SET shelf_until = $2 WHERE id = $1 AND state = 'ready'", id, until)
}

// Stands is where a hold stands that waits.
type Stands struct {
	ID    int64
	Band  queue.Band
	Place float64
}

// Around gives where a hold of a title would stand in front of another, or behind all others where that is 0: who would
// stand before it and behind it, itself left out. The title must be locked.
func (t *Tx) Around(title, hold, before int64) (front, behind *Stands, err error) {
	const of = `SELECT id, band, place::float8 AS place FROM holds WHERE title_id = $1 AND state = 'waiting' AND id <> $2`
	q := &questions{}
	var f, b []Stands
	ask(q, &b, of+" AND id = $3", title, hold, before)
	ask(q, &f, of+` AND ($3 = 0 OR (band, place, id) < (SELECT band, place, id FROM holds WHERE id = $3))
		ORDER BY band DESC, place DESC, id DESC LIMIT 1`, title, hold, before)
	if err := t.send(q); err != nil {
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
func (t *Tx) NextInQueue(title, hold int64) (int64, error) {
	return value[int64](t, `SELECT coalesce((SELECT n.id FROM holds n JOIN holds h ON h.id = $2
		WHERE n.title_id = $1 AND n.state = 'waiting' AND (n.band, n.place, n.id) > (h.band, h.place, h.id)
		ORDER BY n.band, n.place, n.id LIMIT 1), 0)`, title, hold)
}

// KeepBefore keeps how a hold was before it became other at an instant; nothing: that cannot be taken back any more.
func (t *Tx) KeepBefore(id int64, before []byte, at *time.Time) {
	t.queueOne("UPDATE holds SET before = $2, changed_at = $3 WHERE id = $1", id, before, at)
}

// Before gives how a hold was before it last became other, and when it did; nil where there is nothing to be taken back.
func (t *Tx) Before(id int64) ([]byte, *time.Time, error) {
	row, err := one[struct {
		Before    []byte
		ChangedAt *time.Time
	}](t, "SELECT before, changed_at FROM holds WHERE id = $1", id)
	if err != nil || row == nil {
		return nil, nil, err
	}
	return row.Before, row.ChangedAt, nil
}

// MovedBy is who moved a hold in its queue last, and why.
type MovedBy struct {
	HoldID      int64
	At          time.Time
	Who, Reason string
}

// MovedBy gives who moved holds last, by hold.
func (t *Tx) MovedBy(holds []int64) (map[int64]MovedBy, error) {
	rows, err := list[MovedBy](t, `SELECT m.hold_id, m.at, coalesce(f.name, '') AS who, coalesce(m.reason, '') AS reason
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
func (t *Tx) Number(title int64) {
	t.queue(`UPDATE holds h SET place = n.place FROM (SELECT id, row_number() OVER (ORDER BY place, id) AS place
		FROM holds WHERE title_id = $1) n WHERE h.id = n.id AND h.title_id = $1`, title)
}

// StandIn moves a hold that waits to a place in its queue.
func (t *Tx) StandIn(id int64, band queue.Band, place float64, moved bool) {
	t.queueOne("UPDATE holds SET band = $2, place = $3, moved = $4 WHERE id = $1 AND state = 'waiting'", id, band, place, moved)
}

// banded gives holds that are not in the band of their patrons' class, and were not moved by hand, with the band that is theirs.
const banded = `SELECT id, title_id, band FROM (SELECT h.id, h.title_id, h.band AS was,
		CASE WHEN p.class = ANY($1) THEN -1 WHEN p.class = ANY($2) THEN 1 ELSE 0 END AS band
	FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.closed_at IS NULL AND NOT h.moved) b WHERE band <> was`

// Reband puts open holds into the bands of their patrons' classes, but for those that were moved by hand. Their titles are locked first,
// as for every change of a queue.
func (t *Tx) Reband(o queue.Order) error {
	titles, err := each[int64](t, "SELECT DISTINCT title_id FROM ("+banded+") b", notNil(o.First), notNil(o.Last))
	if err != nil || len(titles) == 0 {
		return err
	}
	if err := t.Lock(Lock{Titles: titles}); err != nil {
		return err
	}
	t.queue("UPDATE holds h SET band = b.band FROM ("+banded+") b WHERE h.id = b.id AND b.title_id = ANY($3)",
		notNil(o.First), notNil(o.Last), titles)
	return nil
}

// Unwanted gives holds that nothing is on its way for and whose last day of interest is over on a day.
func (t *Tx) Unwanted(day time.Time, most int) ([]Hold, error) {
	return list[Hold](t, `SELECT id, title_id, coalesce(patron_id, 0) AS patron_id FROM holds
		WHERE wanted_until < $1 AND state IN ('waiting', 'fetching') ORDER BY wanted_until, id LIMIT $2`, day, most)
}

// OpenHold gives an open hold whose title is locked.
func (t *Tx) OpenHold(id int64) (*Hold, error) {
	return one[Hold](t, "SELECT "+holdColumns+" FROM holds h WHERE h.id = $1 AND h.closed_at IS NULL", id)
}

// ShelfRow is a thing on a hold shelf, or one that stands there still for a hold that has ended.
type ShelfRow struct {
	StandsUnder string // the key of its place on a shelf that goes by name
	HoldShown
	Barcode, Author, Phone, CallNumber string
	Material                           string
	MessageID                          *int64
	Channel, MessageState              *string
	Address                            *string
}

const shelfColumns = standsUnder + ` AS stands_under, ` + holdsShownColumns + `, i.barcode, t.author, p.phone, i.call_number, i.material,
	m.id AS message_id, m.channel, m.state AS message_state, m.address`

const shelfFrom = ` FROM holds h JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id JOIN items i ON i.id = h.item_id
	LEFT JOIN LATERAL (SELECT m.id, m.channel, m.state, m.address FROM told o JOIN messages m ON m.id = o.message_id
		WHERE o.hold_id = h.id AND o.stage = 'hold_ready' ORDER BY m.id DESC LIMIT 1) m ON true `

// OnHoldShelf gives a page of what stands on the hold shelf of a branch for somebody, by its last day.
func (t *Tx) OnHoldShelf(branch calendar.Code, page Page) ([]ShelfRow, Page, error) {
	at := func(h *ShelfRow) Cursor { return Cursor{Text: DateOf(h.ShelfUntil).String(), ID: h.ID} }
	return paged(t, page, at, "SELECT "+shelfColumns+shelfFrom+`WHERE h.pickup = $1 AND h.state = 'ready'
		AND $2::bigint >= 0 AND (h.shelf_until, h.id) > (coalesce(nullif($3, ''), '-infinity')::date, $4)
		ORDER BY h.shelf_until, h.id`, branch)
}

// Standing is how many holds of a hold shelf have the same last day there, or are promised for the same day.
type Standing struct {
	Day    time.Time
	Ready  int // on the shelf, with that last day
	Coming int // on their way, promised for that day
}

// Standing counts what stands on the hold shelf of a branch by its last day, and what is on its way there by the day of
// its promise, in the zone of the branch.
func (t *Tx) Standing(branch calendar.Code) ([]Standing, error) {
	return list[Standing](t, `SELECT day, count(*) FILTER (WHERE state = 'ready')::int AS ready,
			count(*) FILTER (WHERE state <> 'ready')::int AS coming
		FROM (SELECT h.state, CASE h.state WHEN 'ready' THEN h.shelf_until
				ELSE (h.promised_at AT TIME ZONE b.timezone)::date END AS day
			FROM holds h JOIN branches b ON b.code = h.pickup
			WHERE h.pickup = $1 AND h.state IN ('ready', 'fetching', 'moving') AND h.closed_at IS NULL) s
		WHERE day IS NOT NULL GROUP BY day ORDER BY day`, branch)
}

// standsUnder is what the thing of a hold h of a patron p stands under on a shelf that goes by name.
const standsUnder = `lower(coalesce(nullif(p.shelf_name, ''), p.legal_name)) COLLATE "C"`

// ToClear gives a page of what still stands on the hold shelf of a branch for holds that have ended, as it stands there: by slot,
// or by the name it stands under.
func (t *Tx) ToClear(branch calendar.Code, page Page) ([]ShelfRow, Page, error) {
	at := func(h *ShelfRow) Cursor {
		c := Cursor{Text: h.StandsUnder, ID: h.ID}
		if h.Slot != nil {
			c.Rank = int64(*h.Slot)
		}
		return c
	}
	return paged(t, page, at, "SELECT "+shelfColumns+shelfFrom+`WHERE h.pickup = $1 AND h.state IN ('lapsed', 'cancelled')
		AND h.item_id IS NOT NULL AND h.ready_at IS NOT NULL AND NOT h.cleared
		AND (coalesce(h.slot, 0), `+standsUnder+`, h.id) > ($2::bigint, $3::text COLLATE "C", $4)
		ORDER BY coalesce(h.slot, 0), `+standsUnder+`, h.id`, branch)
}

// HoldsInQueue gives the open holds of a title in the order of its queue, up to a number.
func (t *Tx) HoldsInQueue(title int64, most int) ([]HoldShown, error) {
	return list[HoldShown](t, holdsShown+"WHERE h.title_id = $1 AND h.closed_at IS NULL ORDER BY h.band, h.place, h.id LIMIT $2",
		title, most)
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
func (t *Tx) InDemand(perCopy int, page Page) ([]Demand, Page, error) {
	// Ordered by a hundredth of holds for each copy, so that the place in the list is a whole number.
	at := func(d *Demand) Cursor { return Cursor{Rank: -int64(100 * d.Waiting / max(d.Copies, 1)), ID: d.TitleID} }
	return paged(t, page, at, `WITH w AS (SELECT title_id, count(*)::int AS waiting, min(placed_at) AS oldest FROM holds
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

// Promised is something under way, or to be fetched for another branch, with what has been promised of it.
type Promised struct {
	TransitID, HoldID, ItemID, PatronID int64
	Title, Barcode                      string
	FromBranch, ToBranch                calendar.Code
	SentAt                              *time.Time // nil: it is to be fetched
	PromisedAt                          *time.Time
	LegalName, PreferredName, ShelfName string
}

// Promised gives what was sent since an instant and is under way, and what is to be fetched for another branch.
func (t *Tx) Promised(since time.Time) ([]Promised, error) {
	const of = `, i.id AS item_id, coalesce(h.patron_id, 0) AS patron_id, t.name AS title, i.barcode,
		coalesce(p.legal_name, '') AS legal_name, coalesce(p.preferred_name, '') AS preferred_name, coalesce(p.shelf_name, '') AS shelf_name`
	return list[Promised](t, `SELECT r.id AS transit_id, coalesce(r.hold_id, 0) AS hold_id, r.from_branch, r.to_branch, r.sent_at,
			r.promised_at`+of+` FROM transits r JOIN items i ON i.id = r.item_id JOIN titles t ON t.id = i.title_id
			LEFT JOIN holds h ON h.id = r.hold_id LEFT JOIN patrons p ON p.id = h.patron_id
		WHERE r.ended_at IS NULL AND r.sent_at >= $1
		UNION ALL SELECT 0, h.id, h.fetch_at, h.pickup, NULL, h.promised_at`+of+`
		FROM holds h JOIN items i ON i.id = h.item_id JOIN titles t ON t.id = i.title_id
		JOIN patrons p ON p.id = h.patron_id
		WHERE h.state = 'fetching' AND h.fetch_at <> h.pickup`, since)
}

// Promise writes another promise of a transit, and of the hold that it serves.
func (t *Tx) Promise(transit, hold int64, at *time.Time) {
	if transit != 0 {
		t.queue("UPDATE transits SET promised_at = $2 WHERE id = $1 AND ended_at IS NULL", transit, at)
	}
	if hold != 0 {
		t.queue("UPDATE holds SET promised_at = $2 WHERE id = $1 AND state IN ('fetching', 'moving')", hold, at)
	}
}
