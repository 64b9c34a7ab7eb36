package staffdb

import (
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/core/door"
	"nevrin/store"
)

// Try is one try to sign in.
type Try struct {
	Name    string // a login, or what stands for the card of a patron
	Address string
	Known   bool   // the name's person has signed in from there before
	Device  string // a browser with which they have signed in before; empty: none. Others' tries then do not count at all
}

// Tries are the wrong tries that concern one try: of its name, of where it comes from, and of both.
type Tries struct {
	Wrong map[door.Count]int
	Since map[door.Count]time.Duration // the last of them
}

// keys are under what a try is counted: names as digests, since what is typed as a login may be a password.
func (t *Try) keys() map[door.Count]string {
	name := nameKey(t.Name)
	if t.Device != "" {
		return map[door.Count]string{door.OfPair: name + " device " + hex.EncodeToString(store.Digest(t.Device)[:16])}
	}
	client := door.Client(t.Address)
	out := map[door.Count]string{door.OfPair: name + " " + client, door.OfAddress: client}
	if !t.Known {
		out[door.OfName] = name
	}
	if site := door.Range(t.Address); site != "" {
		out[door.OfRange] = site
	}
	return out
}

// nameKey is under what the tries of a name are counted.
func nameKey(name string) string { return hex.EncodeToString(store.Digest(strings.ToLower(name))[:16]) }

// TriesOf gives the wrong tries that concern a try as they stand, for refusing it early.
func TriesOf(tx *store.Tx, try *Try) (*Tries, error) {
	q := &store.Questions{}
	return tries(tx, try, q)
}

// TriesLocked does so while tries with the same name or from the same client take turns.
func TriesLocked(tx *store.Tx, try *Try) (*Tries, error) {
	q := &store.Questions{}
	store.Do(q, "SELECT pg_advisory_xact_lock(hashtextextended($1, 2))", nameKey(try.Name))
	store.Do(q, "SELECT pg_advisory_xact_lock(hashtextextended($1, 3))", door.Client(try.Address))
	return tries(tx, try, q)
}

func tries(tx *store.Tx, try *Try, q *store.Questions) (*Tries, error) {
	var rows []struct {
		Of     door.Count
		Number int
		Since  float64
	}
	kinds, keys := countsInOrder(try.keys())
	store.Ask(q, &rows, `SELECT w.of, w.number, extract(epoch FROM clock_timestamp() - w.last_at)::float8 AS since
		FROM unnest($1::text[], $2::text[]) k(of, key) JOIN wrong_tries w ON w.of = k.of AND w.key = k.key`, kinds, keys)
	err := tx.Send(q)
	out := &Tries{Wrong: map[door.Count]int{}, Since: map[door.Count]time.Duration{}}
	for _, r := range rows {
		out.Wrong[r.Of], out.Since[r.Of] = r.Number, time.Duration(r.Since*float64(time.Second))
	}
	return out, err
}

// countsInOrder gives what a try is counted for in the order in which it is always written.
func countsInOrder(counts map[door.Count]string) (kinds, keys []string) {
	for _, of := range []door.Count{door.OfPair, door.OfName, door.OfAddress, door.OfRange} {
		if key, ok := counts[of]; ok {
			kinds, keys = append(kinds, string(of)), append(keys, key)
		}
	}
	return kinds, keys
}

// Tried counts a try as wrong, until it is known to be right. A count that nothing was added to for long begins anew.
func Tried(tx *store.Tx, try *Try) {
	kinds, keys := countsInOrder(try.keys())
	for k := range kinds {
		tx.Queue(
			`INSERT INTO wrong_tries AS w (of, key, number, last_at) VALUES ($1, $2, 1, clock_timestamp())
			ON CONFLICT (of, key) DO UPDATE SET last_at = excluded.last_at,
				number = CASE WHEN w.last_at < clock_timestamp() - make_interval(secs => $3) THEN 1 ELSE w.number + 1 END`,
			kinds[k],
			keys[k],
			door.Forgotten.Seconds(),
		)
	}
}

// TriedRight takes a try back that was right. What was counted of its name begins anew, what was counted of many loses this one.
func TriedRight(tx *store.Tx, try *Try) {
	for of, key := range try.keys() {
		if of == door.OfPair || of == door.OfName {
			tx.Queue("DELETE FROM wrong_tries WHERE of = $1 AND key = $2", of, key)
		}
	}
	// Its person has shown that they are themselves; from elsewhere the name begins anew, too.
	tx.Queue("DELETE FROM wrong_tries WHERE of = 'name' AND key = $1", nameKey(try.Name))
	for _, of := range []door.Count{door.OfAddress, door.OfRange} {
		key, ok := try.keys()[of]
		if !ok {
			continue
		}
		// Of two that take a try back at once, the second must see what the first has left.
		tx.Queue("SELECT 1 FROM wrong_tries WHERE of = $1 AND key = $2 FOR UPDATE", of, key)
		tx.Queue("DELETE FROM wrong_tries WHERE of = $1 AND key = $2 AND number = 1", of, key)
		tx.Queue("UPDATE wrong_tries SET number = number - 1 WHERE of = $1 AND key = $2", of, key)
	}
}

// TriedWell takes a try back that was right, of somebody who works here: they are known where it came from.
func TriedWell(tx *store.Tx, staff int64, try *Try) {
	TriedRight(tx, try)
	tx.Queue(`INSERT INTO staff_addresses (staff_id, address, last_at) VALUES ($1, $2, clock_timestamp())
		ON CONFLICT (staff_id, address) DO UPDATE SET last_at = excluded.last_at`, staff, door.Client(try.Address))
}

// StaffKnownAt tells whether somebody with a login has signed in from where an address is before.
func StaffKnownAt(tx *store.Tx, login, address string) (bool, error) {
	return store.Value[bool](tx, `SELECT true FROM staff_addresses a JOIN staff f ON f.id = a.staff_id
		WHERE lower(f.login) = lower($1) AND a.address = $2`, login, door.Client(address))
}

// mostPlaces is the most places of each kind from which a patron is known.
const mostPlaces = 20

// PatronKnownAt tells whether a patron has signed in with a browser, and from the neighbourhood of an address, before.
func PatronKnownAt(tx *store.Tx, patron int64, device, address string) (byDevice, near bool, err error) {
	kinds, err := store.Each[string](tx, `SELECT kind FROM patron_places WHERE patron_id = $1
		AND (kind = 'device' AND digest = $2 OR kind = 'near' AND digest = $3)`,
		patron, store.Digest(device), nearDigest(patron, address))
	return device != "" && slices.Contains(kinds, "device"), slices.Contains(kinds, "near"), err
}

// nearDigest keeps where somebody was so that it can be compared and not be read.
func nearDigest(patron int64, address string) []byte {
	return store.Digest(fmt.Sprintf("%d near %s", patron, door.Near(address)))
}

// PatronWasAt writes that a patron has signed in with a browser, from an address.
func PatronWasAt(tx *store.Tx, patron int64, device, address string) {
	tx.Queue(`INSERT INTO patron_places (patron_id, kind, digest, last_at)
		VALUES ($1, 'device', $2, clock_timestamp()), ($1, 'near', $3, clock_timestamp())
		ON CONFLICT (patron_id, kind, digest) DO UPDATE SET last_at = excluded.last_at`,
		patron, store.Digest(device), nearDigest(patron, address))
	tx.Queue(`DELETE FROM patron_places p WHERE p.patron_id = $1 AND (p.kind, p.digest) IN (
		SELECT kind, digest FROM (SELECT kind, digest, row_number() OVER (PARTITION BY kind ORDER BY last_at DESC) AS nth
			FROM patron_places WHERE patron_id = $1) o WHERE nth > $2)`, patron, mostPlaces)
}

// FreeTries lets somebody try again at once, from everywhere.
func FreeTries(tx *store.Tx, name string) {
	tx.Queue("DELETE FROM wrong_tries WHERE of IN ('pair', 'name') AND (key = $1 OR starts_with(key, $1 || ' '))", nameKey(name))
}

// ForgetTries drops counts that have begun anew, and places from which nobody has come for a year.
func ForgetTries(tx *store.Tx) (int64, error) {
	var all int64
	for _, statement := range []string{
		"DELETE FROM wrong_tries WHERE last_at < clock_timestamp() - interval '24 hours'",
		"DELETE FROM staff_addresses WHERE last_at < clock_timestamp() - interval '1 year'",
		"DELETE FROM patron_places WHERE last_at < clock_timestamp() - interval '1 year'",
		"DELETE FROM cards_scanned WHERE minute < clock_timestamp() - interval '1 day'",
		"DELETE FROM second_offers WHERE until < clock_timestamp()",
	} {
		n, err := tx.Exec(statement)
		if err != nil {
			return all, err
		}
		all += n
	}
	return all, nil
}

// CardScanned counts a card that somebody has scanned, and gives how many it were in this minute and the one before.
func CardScanned(tx *store.Tx, staff int64) (int, error) {
	return store.Value[int](tx, `WITH now AS (
			INSERT INTO cards_scanned AS c (staff_id, minute, number) VALUES ($1, date_trunc('minute', clock_timestamp()), 1)
			ON CONFLICT (staff_id, minute) DO UPDATE SET number = c.number + 1 RETURNING minute, number)
		SELECT (now.number + coalesce((SELECT b.number FROM cards_scanned b
			WHERE b.staff_id = $1 AND b.minute = now.minute - interval '1 minute'), 0))::int FROM now`, staff)
}

// RealTime is the time by the real clock, whatever the training clock shows.
func RealTime(tx *store.Tx) (time.Time, error) {
	return store.Value[time.Time](tx, "SELECT clock_timestamp()")
}
