package deedsdb

import (
	"encoding/json"
	"time"

	"nevrin/store"
)

// Area says whether deeds concern people or stock.
type Area string

// The areas.
const (
	People Area = "people"
	Stock  Area = "stock"
)

// Deed is something that was done to many patrons or items at once.
type Deed struct {
	ID       int64
	Kind     string
	At       time.Time
	Who      *string
	Did      json.RawMessage
	UndoneAt *time.Time
}

const deedsShown = `SELECT d.id, d.kind, d.at, f.name AS who, d.did, d.undone_at FROM deeds d LEFT JOIN staff f ON f.id = d.staff_id `

// List gives a page of what was done in an area, newest first.
func List(tx *store.Tx, area Area, page store.Page) ([]Deed, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(d *Deed) store.Cursor { return store.Cursor{ID: d.ID} },
		deedsShown+"WHERE d.area = $1 AND $2::bigint = 0 AND d.id < $3::bigint ORDER BY d.id DESC", area)
}

// Locked locks a deed of an area; nil where there is none.
func Locked(tx *store.Tx, area Area, id int64) (*Deed, error) {
	return store.One[Deed](tx, deedsShown+"WHERE d.id = $1 AND d.area = $2 FOR NO KEY UPDATE OF d", id, area)
}

// Add keeps that something was done, and gives it its id. Without staff it was done by itself.
func Add(tx *store.Tx, area Area, kind string, staff int64, did json.RawMessage, at time.Time) (int64, error) {
	id, err := tx.NextID()
	tx.QueueOne("INSERT INTO deeds (id, area, kind, at, staff_id, did) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0), $6)",
		id, area, kind, at, staff, did)
	return id, err
}

// Undone writes that a deed was undone; ErrMoved where it just was.
func Undone(tx *store.Tx, id int64, at time.Time) {
	tx.QueueOne("UPDATE deeds SET undone_at = $2 WHERE id = $1 AND undone_at IS NULL", id, at)
}
