package store

import "time"

// OfferSecond keeps the secret of a second factor, sealed, that a session has been offered, in place of any before.
func (t *Tx) OfferSecond(session string, staff int64, sealed string, stays time.Duration) {
	t.queue(`INSERT INTO second_offers (session, staff_id, sealed, until)
		VALUES ($1, $2, $3, clock_timestamp() + make_interval(secs => $4))
		ON CONFLICT (session) DO UPDATE SET staff_id = excluded.staff_id, sealed = excluded.sealed, until = excluded.until`,
		Digest(session), staff, sealed, stays.Seconds())
}

// OfferedSecond gives the secret, sealed, that a session of somebody has been offered; empty where there is none any more.
func (t *Tx) OfferedSecond(session string, staff int64) (string, error) {
	return value[string](t, `SELECT sealed FROM second_offers WHERE session = $1 AND staff_id = $2 AND until > clock_timestamp()`,
		Digest(session), staff)
}

// DropOffer takes back what a session has been offered.
func (t *Tx) DropOffer(session string) {
	t.queue("DELETE FROM second_offers WHERE session = $1", Digest(session))
}

// Seconds gives the secrets of all second factors, as they are kept, by whose they are.
func (t *Tx) Seconds() ([]struct {
	ID     int64
	Second string
}, error) {
	return list[struct {
		ID     int64
		Second string
	}](t, "SELECT id, second FROM staff WHERE second <> '' ORDER BY id FOR NO KEY UPDATE")
}

// SealSecond writes the secret of a second factor as it is sealed now.
func (t *Tx) SealSecond(staff int64, sealed string) {
	t.queueOne("UPDATE staff SET second = $2 WHERE id = $1", staff, sealed)
}
