package store

import (
	"crypto/sha256"
	"time"

	"nevrin/core/calendar"
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
func (t *Tx) BeginPatronSession(token string, patron int64) {
	t.queue("INSERT INTO patron_sessions (token, patron_id) VALUES ($1, $2)", digestOfToken(token), patron)
}

// EndPatronSession ends a session.
func (t *Tx) EndPatronSession(token string) {
	t.queue("DELETE FROM patron_sessions WHERE token = $1", digestOfToken(token))
}

// EndPatronSessions ends all sessions of a patron, and forgets the browsers in which they are known.
func (t *Tx) EndPatronSessions(patron int64) {
	t.queue("DELETE FROM patron_sessions WHERE patron_id = $1", patron)
	t.queue("DELETE FROM patron_places WHERE patron_id = $1", patron)
}

// SayInSession lets the page of a session say something next.
func (t *Tx) SayInSession(token, says string, bad bool) {
	t.queue("UPDATE patron_sessions SET says = $2, bad = $3 WHERE token = $1", digestOfToken(token), says, bad)
}

// PatronSession gives who is signed in under a token, and what is to be said, once; nil where nobody is any more.
func (t *Tx) PatronSession(token string) (*PatronSession, error) {
	return one[PatronSession](t, `WITH old AS (SELECT token, says, bad FROM patron_sessions WHERE token = $1 FOR UPDATE)
		UPDATE patron_sessions s SET seen_at = now(), says = '', bad = false FROM old, patrons p
		WHERE s.token = old.token AND p.id = s.patron_id AND p.merged_into IS NULL AND p.forgotten_at IS NULL
			AND s.seen_at > now() - make_interval(secs => $2) AND s.begun_at > now() - make_interval(secs => $3)
		RETURNING s.patron_id, old.says, old.bad`, digestOfToken(token), patronRests.Seconds(), patronMost.Seconds())
}

// DropPatronSessions ends sessions that are over.
func (t *Tx) DropPatronSessions() (int64, error) {
	return t.exec("DELETE FROM patron_sessions WHERE seen_at < now() - make_interval(secs => $1) OR begun_at < now() - make_interval(secs => $2)",
		patronRests.Seconds(), patronMost.Seconds())
}

// PINOf gives the patron of a card, and the digest of their PIN; nil where nobody has the card.
func (t *Tx) PINOf(card string) (*struct {
	ID      int64
	PINHash string `db:"pin_hash"`
}, error) {
	return one[struct {
		ID      int64
		PINHash string `db:"pin_hash"`
	}](t, `SELECT o.id, o.pin_hash FROM patrons p JOIN patrons o ON o.id = coalesce(p.merged_into, p.id)
		WHERE p.card = $1 AND o.forgotten_at IS NULL`, card)
}

// PauseHold lets a hold that waits, whose title is locked, wait for nothing until a day; nil: it waits again.
func (t *Tx) PauseHold(id int64, until *time.Time) {
	t.queueOne("UPDATE holds SET paused_until = $2 WHERE id = $1 AND state = 'waiting'", id, until)
}

// MovePickup lets a hold that waits, whose title is locked, be picked up elsewhere.
func (t *Tx) MovePickup(id int64, branch calendar.Code) {
	t.queueOne("UPDATE holds SET pickup = $2 WHERE id = $1 AND state = 'waiting'", id, branch)
}

// PausesOver gives holds whose pause is over on a day.
func (t *Tx) PausesOver(day time.Time, most int) ([]Hold, error) {
	return list[Hold](t, `SELECT id, title_id, coalesce(patron_id, 0) AS patron_id FROM holds
		WHERE paused_until <= $1 AND state = 'waiting' ORDER BY paused_until, id LIMIT $2`, day, most)
}

// EndPause lets a hold, whose title is locked, wait again whose pause is over on a day, if it still is paused.
func (t *Tx) EndPause(id int64, day time.Time) {
	t.queue("UPDATE holds SET paused_until = NULL WHERE id = $1 AND paused_until <= $2", id, day)
}

// Children gives those for whom a patron answers, the oldest first: they were born after a day, and are neither forgotten nor merged.
func (t *Tx) Children(guardian int64, bornAfter calendar.Date) ([]int64, error) {
	return each[int64](t, `SELECT id FROM patrons WHERE guardian_id = $1 AND born > $2 AND forgotten_at IS NULL AND merged_into IS NULL
		ORDER BY born, id LIMIT 30`, guardian, bornAfter.UTC())
}
