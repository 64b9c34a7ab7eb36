package holdsdb

import (
	"encoding/json"
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// Hold is a patron waiting for a title at a pickup branch.
type Hold struct {
	ID         int64
	TitleID    int64
	Title      *stockdb.Title
	PatronID   int64
	Patron     *peopledb.Patron
	Pickup     calendar.Code
	OnlyItem   *int64
	PlacedAt   time.Time
	Place      float64
	State      queue.State
	ItemID     *int64
	Item       *stockdb.Item
	FetchAt    *calendar.Code `gorm:"->"` // where its item is to be taken from the shelf
	PromisedAt *time.Time
	ReadyAt    *time.Time
	ShelfUntil *time.Time `gorm:"type:date"`
	ClosedAt   *time.Time
	Why        json.RawMessage `gorm:"type:jsonb"`
	// PausedUntil is the day from which it waits for a copy again; nil: it does now.
	PausedUntil *time.Time `gorm:"type:date;->"`

	Band        queue.Band
	Moved       bool    // to its place by hand
	OnlyEdition *string // of its title's copies, those of one edition only
	OnlyVolume  *string
	WantedUntil *time.Time `gorm:"type:date"` // the last day on which it is of interest
	PassedDays  int        // by so much readers elsewhere came before it
	Slot        *int       // of the hold shelf
	TakenBy     *int64     // who is on the way to its item
	TakenAt     *time.Time
	RequestID   *int64 // the partner's request that it serves; nil: it is a patron's
}

// Fits tells whether an item is one that the hold is for.
func (h *Hold) Fits(i *Free) bool {
	return queue.Wish{Item: h.OnlyItem, Edition: h.OnlyEdition, Volume: h.OnlyVolume}.Fits(i.ID, i.Edition, i.Volume)
}

// HoldColumns are the columns of a Hold, of holds h.
const HoldColumns = `h.id, h.title_id, coalesce(h.patron_id, 0) AS patron_id, h.pickup, h.only_item, h.placed_at, h.place::float8 AS place,
		h.state, h.item_id, h.fetch_at, h.promised_at, h.ready_at,
	h.shelf_until, h.closed_at, h.why, h.paused_until, h.band, h.moved, h.only_edition, h.only_volume, h.wanted_until,
	h.passed_days, h.slot, h.taken_by, h.taken_at, h.request_id`

// HoldForSlip gives a hold with its patron, title and item; nil where there is none.
func HoldForSlip(tx *store.Tx, id int64) (*Hold, error) {
	var h Hold
	err := tx.ORM().Joins("Title").Joins("Patron").Joins("Item").Take(&h, id).Error
	if store.NoRow(err) {
		return nil, nil
	}
	return &h, err
}

// HoldByID locks a hold's patron and title and gives the hold with its patron and the title's name; nil where there is
// none.
func HoldByID(tx *store.Tx, id int64) (*Hold, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Hold: id}, q)
	var holds []Hold
	store.Ask(q, &holds, "SELECT "+HoldColumns+" FROM holds h WHERE h.id = $1", id)
	if err := tx.Send(q); err != nil || len(holds) == 0 {
		return nil, err
	}
	return &holds[0], nil
}

// FilledHold gives a hold whose title is locked, and whether its patron has another open hold on the title.
func FilledHold(tx *store.Tx, id int64) (*Hold, bool, error) {
	q := &store.Questions{}
	var holds []Hold
	var another []bool
	store.Ask(q, &holds, "SELECT "+HoldColumns+" FROM holds h WHERE h.id = $1", id)
	store.AskEach(
		q,
		&another,
		`SELECT EXISTS (SELECT 1 FROM holds h JOIN holds o ON o.title_id = h.title_id AND o.patron_id = h.patron_id
				AND o.closed_at IS NULL
		WHERE h.id = $1)`,
		id,
	)
	if err := tx.Send(q); err != nil {
		return nil, false, err
	}
	return &holds[0], another[0], nil
}

// AddHold writes a hold at the end of its title's queue and gives it its id: behind ended ones too, which may be opened
// again in their old place. The title must be locked.
func AddHold(tx *store.Tx, h *Hold) (err error) {
	if h.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(
		`INSERT INTO holds (id, title_id, patron_id, pickup, only_item, placed_at, place, state, item_id, fetch_at, band,
			only_edition, only_volume, wanted_until, paused_until, request_id)
		VALUES ($1, $2, $3, $4, $5, $6, (SELECT coalesce(max(place), 0) + 1 FROM holds WHERE title_id = $2),
			$7, $8, CASE $7 WHEN 'fetching' THEN (SELECT at_branch FROM items WHERE id = $8) END, $9, $10, $11, $12, $13, $14)`,
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
		h.RequestID,
	)
	return nil
}

// MoveHold makes a move in a hold's life and writes what the hold then is. Its state is the one it was found in;
// should it have another by now, the act is tried again.
func MoveHold(tx *store.Tx, h *Hold, move queue.Move, now time.Time) error {
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
	tx.QueueOne(
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
		tx.Queue("UPDATE foretold SET came = ($2 AT TIME ZONE (SELECT timezone FROM network))::date WHERE hold_id = $1 AND came IS NULL",
			h.ID, h.ReadyAt)
	}
	return nil
}

// freeColumns are those of an item i that routing asks about.
const freeColumns = "i.id, i.barcode, i.branch_code, i.at_branch, i.collection, i.material, i.edition, i.volume, i.added_on"

const holdsShownColumns = HoldColumns + `, t.name AS title_name, p.card, p.legal_name, p.preferred_name, p.shelf_name,
		` + PlaceInQueue

const holdsShown = `SELECT ` + holdsShownColumns + `
	FROM holds h JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id `

// Lapsing is a hold whose last day on the hold shelf is over.
type Lapsing struct {
	Hold
	Class, Collection, Material string
	Home                        calendar.Code
}

// HoldsLapsing locks up to a number of holds whose last day on the hold shelf was before a date, and gives them. What is to be packed for a
// partner does not lapse.
func HoldsLapsing(tx *store.Tx, day time.Time, most int) ([]Lapsing, error) {
	type key struct{ TitleID, PatronID int64 }
	keys, err := store.List[key](
		tx,
		"SELECT title_id, patron_id FROM holds WHERE state = 'ready' AND shelf_until < $1 AND request_id IS NULL ORDER BY id LIMIT $2",
		day,
		most,
	)
	if err != nil || len(keys) == 0 {
		return nil, err
	}
	l := store.Lock{}
	for _, k := range keys {
		l.Titles, l.Patrons = append(l.Titles, k.TitleID), append(l.Patrons, k.PatronID)
	}
	l.Titles, l.Patrons = store.Sorted(l.Titles), store.Sorted(l.Patrons)
	q := &store.Questions{}
	tx.LockFirst(l, q)
	var out []Lapsing
	store.Ask(q, &out, `SELECT `+HoldColumns+`, p.class, i.branch_code AS home, i.collection, i.material
		FROM holds h JOIN patrons p ON p.id = h.patron_id JOIN items i ON i.id = h.item_id
		WHERE h.state = 'ready' AND h.shelf_until < $1 AND h.request_id IS NULL AND h.title_id = ANY($2) AND h.patron_id = ANY($3)
			ORDER BY h.id LIMIT $4`, day, l.Titles, l.Patrons, most)
	return out, tx.Send(q)
}

// WantUntil writes the last day on which a hold is of interest; nil: it is without end.
func WantUntil(tx *store.Tx, id int64, until *time.Time) {
	tx.QueueOne("UPDATE holds SET wanted_until = $2 WHERE id = $1 AND closed_at IS NULL", id, until)
}

// KeepUntil writes until when a hold waits on the hold shelf.
func KeepUntil(tx *store.Tx, id int64, until time.Time) {
	tx.QueueOne("UPDATE holds SET shelf_until = $2 WHERE id = $1 AND state = 'ready'", id, until)
}

// KeepBefore keeps how a hold was before it changed at an instant; nothing: that cannot be undone any more.
func KeepBefore(tx *store.Tx, id int64, before []byte, at *time.Time) {
	tx.QueueOne("UPDATE holds SET before = $2, changed_at = $3 WHERE id = $1", id, before, at)
}

// Before gives how a hold was before it last changed, and when it did; nil where there is nothing to be undone.
func Before(tx *store.Tx, id int64) ([]byte, *time.Time, error) {
	row, err := store.One[struct {
		Before    []byte
		ChangedAt *time.Time
	}](tx, "SELECT before, changed_at FROM holds WHERE id = $1", id)
	if err != nil || row == nil {
		return nil, nil, err
	}
	return row.Before, row.ChangedAt, nil
}

// banded gives holds that are not in the band of their patrons' class, and were not moved by hand, with the band that is theirs.
// It is queue.Order.Of in SQL, with the classes that come first and last as arguments; a test holds the two together.
var banded = fmt.Sprintf(`SELECT id, title_id, band FROM (SELECT h.id, h.title_id, h.band AS was,
		CASE WHEN p.class = ANY($1) THEN %d WHEN p.class = ANY($2) THEN %d ELSE %d END AS band
	FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.closed_at IS NULL AND NOT h.moved) b WHERE band <> was`,
	queue.First, queue.Last, queue.Usual)

// Unwanted gives holds that nothing is on its way for and whose last day of interest is over on a day.
func Unwanted(tx *store.Tx, day time.Time, most int) ([]Hold, error) {
	return store.List[Hold](tx, `SELECT id, title_id, coalesce(patron_id, 0) AS patron_id FROM holds
		WHERE wanted_until < $1 AND state IN ('waiting', 'fetching') ORDER BY wanted_until, id LIMIT $2`, day, most)
}

// OpenHold gives an open hold whose title is locked.
func OpenHold(tx *store.Tx, id int64) (*Hold, error) {
	return store.One[Hold](tx, "SELECT "+HoldColumns+" FROM holds h WHERE h.id = $1 AND h.closed_at IS NULL", id)
}

const shelfColumns = standsUnder + ` AS stands_under, ` + holdsShownColumns + `, i.barcode, t.author, i.call_number, i.material,
	m.id AS message_id, m.channel, m.state AS message_state, m.address, m.tries AS calls`

const shelfFrom = ` FROM holds h JOIN titles t ON t.id = h.title_id JOIN patrons p ON p.id = h.patron_id JOIN items i ON i.id = h.item_id
	LEFT JOIN LATERAL (SELECT m.id, m.channel, m.state, m.address, m.tries FROM notices o JOIN messages m ON m.id = o.message_id
		WHERE o.hold_id = h.id AND o.kind = 'hold_ready' ORDER BY m.id DESC LIMIT 1) m ON true `

// standsUnder is what the thing of a hold h of a patron p stands under on a shelf that goes by name.
const standsUnder = `lower(coalesce(nullif(p.shelf_name, ''), p.legal_name)) COLLATE "C"`

// PauseHold lets a hold that waits, whose title is locked, wait for nothing until a day; nil: it waits again.
func PauseHold(tx *store.Tx, id int64, until *time.Time) {
	tx.QueueOne("UPDATE holds SET paused_until = $2 WHERE id = $1 AND state = 'waiting'", id, until)
}

// MovePickup lets a hold that waits, whose title is locked, be picked up elsewhere.
func MovePickup(tx *store.Tx, id int64, branch calendar.Code) {
	tx.QueueOne("UPDATE holds SET pickup = $2 WHERE id = $1 AND state = 'waiting'", id, branch)
}

// PausesOver gives holds whose pause is over on a day.
func PausesOver(tx *store.Tx, day time.Time, most int) ([]Hold, error) {
	return store.List[Hold](tx, `SELECT id, title_id, coalesce(patron_id, 0) AS patron_id FROM holds
		WHERE paused_until <= $1 AND state = 'waiting' ORDER BY paused_until, id LIMIT $2`, day, most)
}

// EndPause lets a hold, whose title is locked, wait again whose pause is over on a day, if it still is paused.
func EndPause(tx *store.Tx, id int64, day time.Time) {
	tx.Queue("UPDATE holds SET paused_until = NULL WHERE id = $1 AND paused_until <= $2", id, day)
}
