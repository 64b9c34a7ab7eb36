package peopledb

import (
	"time"

	"nevrin/store"
)

// Photo is the photograph on a patron's record.
type Photo struct {
	Kind    string // image/jpeg or image/png
	Picture []byte
}

// PhotoOf gives the photograph of a patron; nil where there is none.
func PhotoOf(tx *store.Tx, patron int64) (*Photo, error) {
	return store.One[Photo](tx, "SELECT kind, picture FROM patron_photos WHERE patron_id = $1", patron)
}

// KeepPhoto writes the photograph of a patron, who must be locked.
func KeepPhoto(tx *store.Tx, patron int64, p Photo, at time.Time) {
	tx.QueueOne(`INSERT INTO patron_photos (patron_id, kind, picture) VALUES ($1, $2, $3)
		ON CONFLICT (patron_id) DO UPDATE SET kind = $2, picture = $3`, patron, p.Kind, p.Picture)
	tx.QueueOne("UPDATE patrons SET photo_at = $2, revision = revision + 1 WHERE id = $1", patron, at)
}

// DropPhoto takes the photograph of a patron off, who must be locked.
func DropPhoto(tx *store.Tx, patron int64) {
	tx.Queue("DELETE FROM patron_photos WHERE patron_id = $1", patron)
	tx.QueueOne("UPDATE patrons SET photo_at = NULL, revision = revision + 1 WHERE id = $1", patron)
}
