package holdsdb

import (
	"strconv"

	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/store"
)

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

// OneHold gives one hold as lists show it; nil where there is none.
func OneHold(tx *store.Tx, id int64) (*HoldShown, error) {
	return store.One[HoldShown](tx, holdsShown+"WHERE h.id = $1", id)
}

// HoldsShown gives holds as lists show them, by where they are picked up.
func HoldsShown(tx *store.Tx, ids []int64) ([]HoldShown, error) {
	return store.List[HoldShown](tx, holdsShown+"WHERE h.id = ANY($1) ORDER BY h.pickup, h.id", ids)
}

// HoldsAt gives a page of the open holds for pickup at a branch: ready ones first, by their last day.
func HoldsAt(tx *store.Tx, branch calendar.Code, page store.Page) ([]HoldShown, store.Page, error) {
	at := func(h *HoldShown) store.Cursor {
		c := store.Cursor{Rank: rankOf(h.State), ID: h.ID, Text: "infinity"}
		if d := store.DateOf(h.ShelfUntil); d != nil {
			c.Text = d.String()
		}
		return c
	}
	order := StateRank + ", coalesce(h.shelf_until, 'infinity'), h.id"
	return store.Paged(tx, page, at, holdsShown+"WHERE h.pickup = $1 AND h.closed_at IS NULL AND ("+order+
		") > ($2, coalesce(nullif($3, ''), '-infinity')::date, $4) ORDER BY "+order, branch)
}

// HoldsOf gives a page of the open holds on a title: those who have an item first, then the queue in its order.
func HoldsOf(tx *store.Tx, title int64, page store.Page) ([]HoldShown, store.Page, error) {
	at := func(h *HoldShown) store.Cursor {
		rank := rankOf(h.State)*10 + int64(h.Band)
		return store.Cursor{Rank: rank, ID: h.ID, Text: strconv.FormatFloat(h.Place, 'f', -1, 64)}
	}
	order := StateRank + " * 10 + h.band, h.place, h.id"
	return store.Paged(tx, page, at, holdsShown+"WHERE h.title_id = $1 AND h.closed_at IS NULL AND ("+order+
		") > ($2, coalesce(nullif($3, ''), '-infinity')::numeric, $4) ORDER BY "+order, title)
}

func rankOf(s queue.State) int64 {
	return map[queue.State]int64{queue.Ready: 1, queue.Moving: 2, queue.Fetching: 3, queue.Waiting: 4}[s]
}

// HoldsOfPatron gives the open holds of a patron.
func HoldsOfPatron(tx *store.Tx, patron int64) ([]HoldShown, error) {
	return store.List[HoldShown](
		tx,
		`SELECT `+HoldColumns+`, t.name AS title_name FROM holds h JOIN titles t ON t.id = h.title_id
		WHERE h.patron_id = $1 AND h.closed_at IS NULL ORDER BY h.id`,
		patron,
	)
}

// OpenHoldsOf counts the open holds of a patron.
func OpenHoldsOf(tx *store.Tx, patron int64) (int, error) {
	return store.Value[int](tx, "SELECT count(*)::int FROM holds WHERE patron_id = $1 AND closed_at IS NULL", patron)
}

// HoldsInQueue gives the open holds of a title in the order of its queue, up to a number.
func HoldsInQueue(tx *store.Tx, title int64, most int) ([]HoldShown, error) {
	return store.List[HoldShown](tx, holdsShown+"WHERE h.title_id = $1 AND h.closed_at IS NULL ORDER BY h.band, h.place, h.id LIMIT $2",
		title, most)
}
