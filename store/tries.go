package store

import (
	"context"
	"strings"
	"time"

	"nevrin/core/door"
)

// Tries are the wrong tries to sign in that concern one try: of its name, its address and both.
type Tries struct {
	Wrong map[door.Count]int
	Since map[door.Count]time.Duration // the last of them
	Known bool                         // the name's person has signed in from this address before
}

// keysOf are under what a try is counted.
func keysOf(login, address string) map[door.Count]string {
	login = strings.ToLower(login)
	return map[door.Count]string{door.OfPair: login + " " + address, door.OfName: login, door.OfAddress: address}
}

// TriesLocked gives the wrong tries that concern a try. Tries with the same name or from the same address take turns.
func (t *Tx) TriesLocked(login, address string) (*Tries, error) {
	keys := keysOf(login, address)
	q := &questions{}
	do(q, "SELECT pg_advisory_xact_lock(hashtextextended($1, 2))", keys[door.OfName])
	do(q, "SELECT pg_advisory_xact_lock(hashtextextended($1, 3))", keys[door.OfAddress])
	var rows []struct {
		Of     door.Count
		Number int
		Since  float64
	}
	ask(
		q,
		&rows,
		`SELECT of, number, extract(epoch FROM clock_timestamp() - last_at)::float8 AS since FROM wrong_tries
		WHERE (of, key) IN (('pair', $1), ('name', $2), ('address', $3))`,
		keys[door.OfPair],
		keys[door.OfName],
		keys[door.OfAddress],
	)
	var known []bool
	askEach(q, &known, `SELECT true FROM staff_addresses a JOIN staff f ON f.id = a.staff_id
		WHERE lower(f.login) = $1 AND a.address = $2`, keys[door.OfName], address)
	err := t.send(q)
	out := &Tries{Wrong: map[door.Count]int{}, Since: map[door.Count]time.Duration{}, Known: len(known) > 0}
	for _, r := range rows {
		out.Wrong[r.Of], out.Since[r.Of] = r.Number, time.Duration(r.Since*float64(time.Second))
	}
	return out, err
}

// Tried counts a try as wrong, until it is known to be right. A count that nothing was added to for long begins anew.
func (t *Tx) Tried(login, address string) {
	for of, key := range keysOf(login, address) {
		t.queue(
			`INSERT INTO wrong_tries AS w (of, key, number, last_at) VALUES ($1, $2, 1, clock_timestamp())
			ON CONFLICT (of, key) DO UPDATE SET last_at = excluded.last_at,
				number = CASE WHEN w.last_at < clock_timestamp() - make_interval(secs => $3) THEN 1 ELSE w.number + 1 END`,
			of,
			key,
			door.Forgotten.Seconds(),
		)
	}
}

// TriedRight takes a try back that was right, of somebody who is not staff.
func (t *Tx) TriedRight(login, address string) {
	keys := keysOf(login, address)
	// Of two that take a try back at once, the second must see what the first has left.
	t.queue("SELECT 1 FROM wrong_tries WHERE of = 'address' AND key = $1 FOR UPDATE", keys[door.OfAddress])
	t.queue(
		"DELETE FROM wrong_tries WHERE (of, key) IN (('pair', $1), ('name', $2)) OR (of = 'address' AND key = $3 AND number = 1)",
		keys[door.OfPair],
		keys[door.OfName],
		keys[door.OfAddress],
	)
	t.queue("UPDATE wrong_tries SET number = number - 1 WHERE of = 'address' AND key = $1", keys[door.OfAddress])
}

// TriedWell takes a try back that was right: what was counted of its person begins anew, and they are known at the address.
func (t *Tx) TriedWell(staff int64, login, address string) {
	t.TriedRight(login, address)
	t.queue(`INSERT INTO staff_addresses (staff_id, address, last_at) VALUES ($1, $2, clock_timestamp())
		ON CONFLICT (staff_id, address) DO UPDATE SET last_at = excluded.last_at`, staff, address)
}

// FreeTries lets somebody try again at once, from everywhere.
func (t *Tx) FreeTries(login string) {
	t.queue(
		"DELETE FROM wrong_tries WHERE of IN ('pair', 'name') AND (key = lower($1) OR starts_with(key, lower($1) || ' '))",
		login,
	)
}

// ForgetTries drops counts that have begun anew, and addresses that nobody has come from for a year.
func (t *Tx) ForgetTries() (int64, error) {
	tries, err := t.exec("DELETE FROM wrong_tries WHERE last_at < clock_timestamp() - make_interval(secs => $1)",
		door.Forgotten.Seconds())
	if err != nil {
		return tries, err
	}
	addresses, err := t.exec("DELETE FROM staff_addresses WHERE last_at < clock_timestamp() - interval '1 year'")
	return tries + addresses, err
}

// RealTime is the time by the real clock, whatever the training clock shows.
func (t *Tx) RealTime() (time.Time, error) { return value[time.Time](t, "SELECT clock_timestamp()") }

// KeepLink keeps the digest of a link with which somebody sets a password, in place of any before it, and gives until when
// it holds: by the real clock, whatever the training clock shows.
func (t *Tx) KeepLink(token string, staff, by int64, stays time.Duration) (time.Time, error) {
	t.queue("DELETE FROM once_links WHERE staff_id = $1", staff)
	return value[time.Time](t, `INSERT INTO once_links (digest, staff_id, made_by, until)
		VALUES ($1, $2, nullif($3::bigint, 0), clock_timestamp() + make_interval(secs => $4)) RETURNING until`,
		Digest(token), staff, by, stays.Seconds())
}

// UseLink takes a link away and gives whose it is; nil where there is none, or no longer.
func (t *Tx) UseLink(token string) (*Staff, error) {
	return one[Staff](t, `WITH used AS (DELETE FROM once_links WHERE digest = $1 RETURNING staff_id, until)
		SELECT f.* FROM used u JOIN staff f ON f.id = u.staff_id WHERE u.until > clock_timestamp() AND f.active`,
		Digest(token))
}

// LinkOf gives whose link it is, without taking it away; nil where there is none, or no longer.
func (t *Tx) LinkOf(token string) (*Staff, error) {
	return one[Staff](t, `SELECT f.* FROM once_links u JOIN staff f ON f.id = u.staff_id
		WHERE u.digest = $1 AND u.until > clock_timestamp() AND f.active`, Digest(token))
}

// StaffWithLogin gives anybody with a login, whether they may sign in or not; nil where there is nobody.
func (s *Store) StaffWithLogin(ctx context.Context, login string) (*Staff, error) {
	return s.staff(ctx, "login = ?", login)
}
