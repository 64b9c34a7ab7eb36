package peopledb

import (
	"time"

	"nevrin/store"
)

// ConsentShown is an answer that was given.
type ConsentShown struct {
	What, Answer, Reason string
	At                   time.Time
	Letter               bool
	Who                  *string
}

// WritesConsent writes an answer, which an expression gives, to where the one that counts stands: a yes or no, or a level of internet.
func WritesConsent(what, answer string) string {
	if what == "internet" {
		return "internet = " + answer
	}
	return what + " = CASE " + answer + " WHEN 'yes' THEN true WHEN 'no' THEN false END"
}

// KeepConsent writes an answer: into their history, and on the patron as the one that counts.
func KeepConsent(tx *store.Tx, patron, staff int64, c ConsentShown) {
	tx.QueueOne(
		"INSERT INTO consents (patron_id, what, answer, at, staff_id, reason, letter) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0), $6, $7)",
		patron,
		c.What,
		c.Answer,
		c.At,
		staff,
		c.Reason,
		c.Letter,
	)
	tx.QueueOne("UPDATE patrons SET "+WritesConsent(c.What, "$2::text")+", revision = revision + 1 WHERE id = $1", patron, c.Answer)
}
