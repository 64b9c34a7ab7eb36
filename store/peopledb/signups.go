package peopledb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// SignUp is somebody who signed up by themselves.
type SignUp struct {
	ID         int64
	At         time.Time
	BranchCode calendar.Code
	Record     json.RawMessage
	State      string
	PatronID   *int64
	Reason     string
	AnsweredAt *time.Time
}

const signUpColumns = "s.id, s.at, s.branch_code, s.record, s.state, s.patron_id, s.reason, s.answered_at"

// AddSignUp writes one and gives it its id.
func AddSignUp(tx *store.Tx, s *SignUp) (err error) {
	if s.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.QueueOne("INSERT INTO sign_ups (id, at, branch_code, record, patron_id) VALUES ($1, $2, $3, $4, $5)",
		s.ID, s.At, s.BranchCode, s.Record, s.PatronID)
	return nil
}

// SignUpsWaiting counts who waits.
func SignUpsWaiting(tx *store.Tx) (int, error) {
	return store.Value[int](tx, "SELECT count(*)::int FROM sign_ups WHERE state = 'waiting'")
}

// SignUps gives a page of who waits, in the order in which they came, and then of who was turned down.
func SignUps(tx *store.Tx, page store.Page) ([]SignUp, store.Page, error) {
	rank := func(s *SignUp) int64 {
		if s.State == "waiting" {
			return 0
		}
		return 1
	}
	return store.Paged(tx, page, func(s *SignUp) store.Cursor { return store.Cursor{Rank: rank(s), ID: s.ID} },
		"SELECT "+signUpColumns+` FROM sign_ups s WHERE s.state <> 'taken'
		AND (CASE s.state WHEN 'waiting' THEN 0 ELSE 1 END, s.id) > ($1::bigint, $2::bigint)
		ORDER BY CASE s.state WHEN 'waiting' THEN 0 ELSE 1 END, s.id`)
}

// SignUpByID gives one; nil where there is none.
func SignUpByID(tx *store.Tx, id int64) (*SignUp, error) {
	return store.One[SignUp](tx, "SELECT "+signUpColumns+" FROM sign_ups s WHERE s.id = $1", id)
}

// SignUpLocked locks one, after its patron and others whom what follows concerns, and gives it; nil where there is none.
func SignUpLocked(tx *store.Tx, id int64, others ...int64) (*SignUp, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{SignUp: id, Patrons: others}, q)
	var rows []SignUp
	store.Ask(q, &rows, "SELECT "+signUpColumns+" FROM sign_ups s WHERE s.id = $1 FOR NO KEY UPDATE", id)
	if err := tx.Send(q); err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// AnswerSignUp writes what became of one that waits; ErrMoved where somebody else just has.
func AnswerSignUp(tx *store.Tx, id int64, state string, patron int64, reason string, staff int64, at time.Time) {
	tx.QueueOne(`UPDATE sign_ups SET state = $2, patron_id = nullif($3::bigint, 0), reason = $4, staff_id = nullif($5::bigint, 0),
		answered_at = $6 WHERE id = $1 AND state = 'waiting'`, id, state, patron, reason, staff, at)
}

// AwaitSignUp lets one wait again.
func AwaitSignUp(tx *store.Tx, id int64) {
	tx.QueueOne(`UPDATE sign_ups SET state = 'waiting', reason = '', staff_id = NULL, answered_at = NULL
		WHERE id = $1 AND state = 'turned_down'`, id)
}

// TurnedDown gives those with a temporary record who were turned down before an instant, up to a number, as long as the record is
// not in use.
func TurnedDown(tx *store.Tx, before time.Time, most int) ([]int64, error) {
	return store.Each[int64](tx, `SELECT p.id FROM sign_ups s JOIN patrons p ON p.id = s.patron_id
		WHERE s.state = 'turned_down' AND s.answered_at < $1 AND p.standing = 'inactive' AND p.forgotten_at IS NULL
			AND p.merged_into IS NULL ORDER BY p.id LIMIT $2`, before, most)
}

// DropSignUpsOf deletes those of somebody.
func DropSignUpsOf(tx *store.Tx, patron int64) {
	tx.Queue("DELETE FROM sign_ups WHERE patron_id = $1", patron)
}

// DropSignUps deletes those that were answered before an instant, up to a number.
func DropSignUps(tx *store.Tx, before time.Time, most int) (int64, error) {
	return tx.Exec("DELETE FROM sign_ups WHERE id IN (SELECT id FROM sign_ups WHERE answered_at < $1 ORDER BY answered_at LIMIT $2)",
		before, most)
}
