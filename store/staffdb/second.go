package staffdb

import (
	"time"

	"nevrin/store"
)

// OfferSecond keeps the secret of a second factor, sealed, that a session has been offered, in place of any before.
func OfferSecond(tx *store.Tx, session string, staff int64, sealed string, stays time.Duration) {
	tx.Queue(`INSERT INTO second_offers (session, staff_id, sealed, until)
		VALUES ($1, $2, $3, clock_timestamp() + make_interval(secs => $4))
		ON CONFLICT (session) DO UPDATE SET staff_id = excluded.staff_id, sealed = excluded.sealed, until = excluded.until`,
		store.Digest(session), staff, sealed, stays.Seconds())
}

// OfferedSecond gives the secret, sealed, that a session of somebody has been offered; empty where there is none any more.
func OfferedSecond(tx *store.Tx, session string, staff int64) (string, error) {
	return store.Value[string](tx, `SELECT sealed FROM second_offers WHERE session = $1 AND staff_id = $2 AND until > clock_timestamp()`,
		store.Digest(session), staff)
}

// DropOffer takes back what a session has been offered.
func DropOffer(tx *store.Tx, session string) {
	tx.Queue("DELETE FROM second_offers WHERE session = $1", store.Digest(session))
}

// Seconds gives the secrets of all second factors, as they are kept, by whose they are.
func Seconds(tx *store.Tx) ([]struct {
	ID     int64
	Second string
}, error) {
	return store.List[struct {
		ID     int64
		Second string
	}](tx, "SELECT id, second FROM staff WHERE second <> '' ORDER BY id FOR NO KEY UPDATE")
}

// SealSecond writes the secret of a second factor as it is sealed now.
func SealSecond(tx *store.Tx, staff int64, sealed string) {
	tx.QueueOne("UPDATE staff SET second = $2 WHERE id = $1", staff, sealed)
}
