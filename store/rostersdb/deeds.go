package rostersdb

import (
	"encoding/json"
	"time"

	"nevrin/store"
)

// Deed is something that was done to many patrons at once.
type Deed struct {
	ID       int64
	Kind     string
	At       time.Time
	Who      *string
	Did      json.RawMessage
	UndoneAt *time.Time
}

const deedsShown = `SELECT d.id, d.kind, d.at, f.name AS who, d.did, d.undone_at FROM deeds d LEFT JOIN staff f ON f.id = d.staff_id `

// Deeds gives a page of what was done to many patrons, or many items, at once, newest first.
func Deeds(tx *store.Tx, area string, page store.Page) ([]Deed, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(d *Deed) store.Cursor { return store.Cursor{ID: d.ID} },
		deedsShown+"WHERE d.area = $1 AND $2::bigint = 0 AND d.id < $3::bigint ORDER BY d.id DESC", area)
}

// DeedLocked locks a deed of an area; nil where there is none.
func DeedLocked(tx *store.Tx, area string, id int64) (*Deed, error) {
	return store.One[Deed](tx, deedsShown+"WHERE d.id = $1 AND d.area = $2 FOR NO KEY UPDATE OF d", id, area)
}

// AddDeed keeps what was done.
func AddDeed(tx *store.Tx, kind string, staff int64, did json.RawMessage, at time.Time) (int64, error) {
	id, err := tx.NextID()
	tx.QueueOne("INSERT INTO deeds (id, kind, at, staff_id, did) VALUES ($1, $2, $3, nullif($4::bigint, 0), $5)", id, kind, at, staff, did)
	return id, err
}

// DeedUndone writes that a deed was taken back; ErrMoved where it just was.
func DeedUndone(tx *store.Tx, id int64, at time.Time) {
	tx.QueueOne("UPDATE deeds SET undone_at = $2 WHERE id = $1 AND undone_at IS NULL", id, at)
}
