package staffdb

import (
	"context"
	"time"

	"nevrin/store"
)

// KeepLink keeps the digest of a link with which somebody sets a password, in place of any before it, and gives until when
// it holds: by the real clock, whatever the training clock shows.
func KeepLink(tx *store.Tx, token string, staff, by int64, stays time.Duration) (time.Time, error) {
	tx.Queue("DELETE FROM once_links WHERE staff_id = $1", staff)
	return store.Value[time.Time](tx, `INSERT INTO once_links (digest, staff_id, made_by, until)
		VALUES ($1, $2, nullif($3::bigint, 0), clock_timestamp() + make_interval(secs => $4)) RETURNING until`,
		store.Digest(token), staff, by, stays.Seconds())
}

// UseLink takes a link away and gives whose it is; nil where there is none, or no longer.
func UseLink(tx *store.Tx, token string) (*Staff, error) {
	return store.One[Staff](tx, `WITH used AS (DELETE FROM once_links WHERE digest = $1 RETURNING staff_id, until)
		SELECT f.* FROM used u JOIN staff f ON f.id = u.staff_id WHERE u.until > clock_timestamp() AND f.active`,
		store.Digest(token))
}

// LinkOf gives whose link it is, without taking it away; nil where there is none, or no longer.
func LinkOf(tx *store.Tx, token string) (*Staff, error) {
	return store.One[Staff](tx, `SELECT f.* FROM once_links u JOIN staff f ON f.id = u.staff_id
		WHERE u.digest = $1 AND u.until > clock_timestamp() AND f.active`, store.Digest(token))
}

// StaffWithLogin gives anybody with a login, whether they may sign in or not; nil where there is nobody.
func StaffWithLogin(ctx context.Context, s *store.Store, login string) (*Staff, error) {
	return staff(ctx, s, "login = ?", login)
}
