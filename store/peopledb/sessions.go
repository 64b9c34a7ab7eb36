package peopledb

import (
	"crypto/sha256"
	"time"

	"nevrin/store"
)

// PatronSession is somebody who looks after themselves.
type PatronSession struct {
	PatronID int64
	Says     string
	Bad      bool
}

// How long a patron stays signed in: without doing anything, and at most. Phones are lent and left lying.
const (
	patronRests = 20 * time.Minute
	patronMost  = 8 * time.Hour
)

func digestOfToken(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// BeginPatronSession writes that a patron has signed in, under a token of which only a digest is kept.
func BeginPatronSession(tx *store.Tx, token string, patron int64) {
	tx.Queue("INSERT INTO patron_sessions (token, patron_id) VALUES ($1, $2)", digestOfToken(token), patron)
}

// EndPatronSession ends a session.
func EndPatronSession(tx *store.Tx, token string) {
	tx.Queue("DELETE FROM patron_sessions WHERE token = $1", digestOfToken(token))
}

// EndPatronSessions ends all sessions of a patron, and forgets the browsers in which they are known.
func EndPatronSessions(tx *store.Tx, patron int64) {
	tx.Queue("DELETE FROM patron_sessions WHERE patron_id = $1", patron)
	tx.Queue("DELETE FROM patron_places WHERE patron_id = $1", patron)
}

// SayInSession lets the page of a session say something next.
func SayInSession(tx *store.Tx, token, says string, bad bool) {
	tx.Queue("UPDATE patron_sessions SET says = $2, bad = $3 WHERE token = $1", digestOfToken(token), says, bad)
}

// PatronSessionOf gives who is signed in under a token, and what is to be said, once; nil where nobody is any more.
func PatronSessionOf(tx *store.Tx, token string) (*PatronSession, error) {
	return store.One[PatronSession](tx, `WITH old AS (SELECT token, says, bad FROM patron_sessions WHERE token = $1 FOR UPDATE)
		UPDATE patron_sessions s SET seen_at = now(), says = '', bad = false FROM old, patrons p
		WHERE s.token = old.token AND p.id = s.patron_id AND p.merged_into IS NULL AND p.forgotten_at IS NULL
			AND s.seen_at > now() - make_interval(secs => $2) AND s.begun_at > now() - make_interval(secs => $3)
		RETURNING s.patron_id, old.says, old.bad`, digestOfToken(token), patronRests.Seconds(), patronMost.Seconds())
}

// DropPatronSessions ends sessions that are over.
func DropPatronSessions(tx *store.Tx) (int64, error) {
	return tx.Exec("DELETE FROM patron_sessions WHERE seen_at < now() - make_interval(secs => $1) OR begun_at < now() - make_interval(secs => $2)",
		patronRests.Seconds(), patronMost.Seconds())
}

// PINOf gives the patron of a card, and the digest of their PIN; nil where nobody has the card.
func PINOf(tx *store.Tx, card string) (*struct {
	ID      int64
	PINHash string `db:"pin_hash"`
}, error) {
	return store.One[struct {
		ID      int64
		PINHash string `db:"pin_hash"`
	}](tx, `SELECT o.id, o.pin_hash FROM patrons p JOIN patrons o ON o.id = coalesce(p.merged_into, p.id)
		WHERE p.card = $1 AND o.forgotten_at IS NULL`, card)
}
