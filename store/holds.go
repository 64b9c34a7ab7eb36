package store

import (
	"encoding/json"
	"strconv"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/queue"
)

const holdColumns = `h.id, h.title_id, coalesce(h.patron_id, 0) AS patron_id, h.pickup, h.only_item, h.placed_at, h.place::float8 AS place,
		h.state, h.item_id, h.fetch_at, h.promised_at, h.ready_at,
	h.shelf_until, h.closed_at, h.why, h.paused_until`

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
		`INSERT INTO holds (id, title_id, patron_id, pickup, only_item, placed_at, place, state, item_id, fetch_at)
		VALUES ($1, $2, $3, $4, $5, $6, (SELECT coalesce(max(place), 0) + 1 FROM holds WHERE title_id = $2),
			$7, $8, CASE $7 WHEN 'fetching' THEN (SELECT at_branch FROM items WHERE id = $8) END)`,
		h.ID,
		h.TitleID,
		h.PatronID,
		h.Pickup,
		h.OnlyItem,
		h.PlacedAt,
		h.State,
		h.ItemID,
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
	t.queueOne(
		`UPDATE holds SET state = $3, item_id = $4, promised_at = $5, ready_at = $6, shelf_until = $7,
				closed_at = $8, why = $9,
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
	)
	return nil
}

// Awaiting is a hold that waits, with what routing asks about it.
type Awaiting struct {
	Hold
	Class  string
	Home   calendar.Code // branch of the patron
	Missed []int64       // items that were looked for in vain
}

// Free is an item that could serve a hold now.
type Free struct {
	ID                   int64
	Barcode              string
	BranchCode, AtBranch calendar.Code
	Collection, Material string
	AddedOn              time.Time
}

// FreeItem is the condition under which an item i could serve a hold: in use, and nowhere but on its shelf.
const FreeItem = "i.standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = i.id)"

// Queue gives the first holds that wait for a title, in order and up to a number, and its free items. The title must
// be locked.
func (t *Tx) Queue(title int64, most int) (waiting []Awaiting, free []Free, err error) {
	q := &questions{}
	ask(q, &free, `SELECT i.id, i.barcode, i.branch_code, i.at_branch, i.collection, i.material, i.added_on
		FROM items i WHERE i.title_id = $1 AND `+FreeItem+` ORDER BY i.id`, title)
	ask(
		q,
		&waiting,
		`SELECT h.id, h.title_id, h.patron_id, h.pickup, h.only_item, h.placed_at, h.place::float8 AS place,
				h.state, h.item_id,
			h.promised_at, h.ready_at, h.shelf_until, h.closed_at, p.class, p.branch_code AS home,
			ARRAY(SELECT m.item_id FROM misses m WHERE m.hold_id = h.id AND m.seen_at IS NULL) AS missed
		FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.title_id = $1 AND h.state = 'waiting'
			AND h.paused_until IS NULL ORDER BY h.place, h.id LIMIT $2`,
		title,
		most,
	)
	return waiting, free, t.send(q)
}

// Miss writes that an item was not found for a hold, and gives how often it was not found since it was last seen.
func (t *Tx) Miss(hold, item int64, at time.Time) (int, error) {
	t.queue("INSERT INTO misses (hold_id, item_id, at) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING", hold, item, at)
	return value[int](t, "SELECT count(*)::int FROM misses WHERE item_id = $1 AND seen_at IS NULL", item)
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
			AND o.state = 'waiting' AND (o.place, o.id) <= (h.place, h.id)) ELSE 0 END AS waiting`

const holdsShown = `SELECT ` + holdColumns + `, t.name AS title_name, p.card, p.legal_name, p.preferred_name, p.shelf_name,
		` + placeInQueue + `
	FROM holds h JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id `

// stateRank puts those first who need somebody soonest.
const stateRank = "array_position(ARRAY['ready', 'moving', 'fetching', 'waiting'], h.state)"

// OneHold gives one hold as lists show it; nil where there is none.
func (t *Tx) OneHold(id int64) (*HoldShown, error) {
	return one[HoldShown](t, holdsShown+"WHERE h.id = $1", id)
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
		return Cursor{Rank: rankOf(h.State), ID: h.ID, Text: strconv.FormatFloat(h.Place, 'f', -1, 64)}
	}
	order := stateRank + ", h.place, h.id"
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
	return list[Free](t, `SELECT i.id, i.barcode, i.branch_code, i.at_branch, i.collection, i.material, i.added_on
		FROM items i WHERE i.title_id = $1 AND i.standing IN ('in_use', 'aside') ORDER BY i.id`, title)
}

// Fetch is one line of a branch's fetch list.
type Fetch struct {
	HoldID, ItemID                   int64
	Barcode, Title, Author           string
	Collection, CallNumber, Material string
	Pickup                           calendar.Code
	PromisedAt                       *time.Time
	PlacedAt                         time.Time
	Why                              json.RawMessage
}

// FetchList gives what a branch is to take from its shelves.
func (t *Tx) FetchList(branch calendar.Code) ([]Fetch, error) {
	return list[Fetch](
		t,
		`SELECT h.id AS hold_id, i.id AS item_id, i.barcode, t.name AS title, t.author, i.collection, i.call_number,
				i.material,
			h.pickup, h.promised_at, h.placed_at, h.why
		FROM holds h JOIN items i ON i.id = h.item_id JOIN titles t ON t.id = i.title_id
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
