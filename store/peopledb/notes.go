package peopledb

import (
	"time"

	"nevrin/store"
)

// NoteShown is a note on a patron's card.
type NoteShown struct {
	ID         int64
	Kind, Text string
	At         time.Time
	Who        *string
}

// NotesOf asks for the notes of a patron, whom an expression gives, that have not ended.
func NotesOf(patron string) string {
	return `SELECT n.id, n.kind, n.text, n.at, f.name AS who FROM patron_notes n LEFT JOIN staff f ON f.id = n.staff_id
	WHERE n.patron_id = ` + patron + ` AND n.ended_at IS NULL ORDER BY n.id`
}

// NoteRow gives whose a note is, and whether it has ended.
func NoteRow(tx *store.Tx, id int64) (patron int64, kind string, open bool, err error) {
	row, err := store.One[struct {
		PatronID int64
		Kind     string
		Open     bool
	}](tx, "SELECT patron_id, kind, ended_at IS NULL AS open FROM patron_notes WHERE id = $1", id)
	if row == nil {
		return 0, "", false, err
	}
	return row.PatronID, row.Kind, row.Open, err
}

// AddNote writes a note on a patron's card.
func AddNote(tx *store.Tx, patron, staff int64, kind, text string, at time.Time) {
	tx.QueueOne(
		"INSERT INTO patron_notes (patron_id, kind, text, at, staff_id) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0))",
		patron,
		kind,
		text,
		at,
		staff,
	)
}

// EndNote ends a note; ErrMoved where somebody else just has.
func EndNote(tx *store.Tx, id int64, at time.Time) {
	tx.QueueOne("UPDATE patron_notes SET ended_at = $2 WHERE id = $1 AND ended_at IS NULL", id, at)
}
