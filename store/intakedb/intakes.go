package intakedb

import (
	"context"
	"encoding/json"
	"time"

	"nevrin/store"
)

// Intake is a file of another system that is taken in.
type Intake struct {
	ID                    int64
	Kind, Source, File    string
	Bytes                 int64
	State, Problem        string
	Done, Total           int64
	Seen, Mapping, Counts json.RawMessage `gorm:"type:jsonb"`
	StaffID               int64
	AskedBy               int64  // who has had it taken, or undone; or else who sent it
	Who                   string `gorm:"->"`
	BegunAt               time.Time
	TakenAt, UndoneAt     *time.Time
	Seconds               float64
	Trials                int
	Come                  int64 `gorm:"-"` // bytes that have come
}

// AddIntake writes a file that is to be sent, and gives its id.
func AddIntake(tx *store.Tx, n *Intake) (int64, error) {
	return store.Value[int64](
		tx,
		`INSERT INTO intakes (kind, source, file, bytes, staff_id, begun_at) VALUES ($1, $2, $3, $4, $5, $6)
		RETURNING id`,
		n.Kind,
		n.Source,
		n.File,
		n.Bytes,
		n.StaffID,
		n.BegunAt,
	)
}

// IntakeByID gives an intake; nil where there is none.
func IntakeByID(tx *store.Tx, id int64) (*Intake, error) {
	return store.One[Intake](tx, intakeShown+"WHERE n.id = $1 AND n.state <> 'dropped'", id)
}

// IntakeLocked gives an intake, which nobody else changes meanwhile; nil where there is none.
func IntakeLocked(tx *store.Tx, id int64) (*Intake, error) {
	return store.One[Intake](tx, intakeShown+"WHERE n.id = $1 AND n.state <> 'dropped' FOR NO KEY UPDATE OF n", id)
}

// Intakes gives a page of the intakes, the latest first.
func Intakes(tx *store.Tx, page store.Page) ([]Intake, store.Page, error) {
	return store.Paged(
		tx,
		page,
		func(n *Intake) store.Cursor { return store.Cursor{ID: -n.ID} },
		intakeShown+`WHERE n.state <> 'dropped' AND $1::bigint = 0 AND -n.id > CASE WHEN $2::bigint = 0 THEN -9223372036854775807 ELSE $2 END
		ORDER BY n.id DESC`,
	)
}

// LikeIntake gives the mapping that was last used for files of a kind and source; nil where there is none.
func LikeIntake(tx *store.Tx, kind, source string, but int64) (*Intake, error) {
	return store.One[Intake](tx, intakeShown+`WHERE n.kind = $1 AND n.source = $2 AND n.id <> $3 AND n.mapping IS NOT NULL
		ORDER BY n.id DESC LIMIT 1`, kind, source, but)
}

// AddIntakePart writes a part of a file, once.
func AddIntakePart(tx *store.Tx, id, begins int64, content []byte) {
	tx.Queue(
		`INSERT INTO intake_parts (intake_id, begins, content) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING`,
		id,
		begins,
		content,
	)
}

// IntakeStands writes in which state an intake is from now on, with nobody at it yet.
func IntakeStands(tx *store.Tx, id int64, state string) {
	tx.Queue(`UPDATE intakes SET state = $2, problem = '', done = 0, total = 0 WHERE id = $1`, id, state)
	tx.StopWork(store.IntakeWork(id))
}

// IntakeAskedBy writes who asks for what is done next.
func IntakeAskedBy(tx *store.Tx, id, staff int64) {
	tx.Queue(`UPDATE intakes SET asked_by = $2 WHERE id = $1`, id, staff)
}

// MapIntake writes how an intake is mapped.
func MapIntake(tx *store.Tx, id int64, mapping json.RawMessage) {
	tx.Queue(`UPDATE intakes SET mapping = $2 WHERE id = $1`, id, mapping)
}

// DropIntake lets go of a file and all that was read from it.
func DropIntake(tx *store.Tx, id int64) {
	tx.Queue(`UPDATE intakes SET state = 'dropped', seen = NULL WHERE id = $1`, id)
	tx.Queue(`DELETE FROM intake_parts WHERE intake_id = $1`, id)
	tx.Queue(`DELETE FROM intake_lines WHERE intake_id = $1`, id)
}

// EmptyIntakes lets go of what files say that were sent before an instant, since it is of people: of those that were taken, and of
// those that nobody went on with. What is kept is that they were taken, and what came with them.
func EmptyIntakes(tx *store.Tx, before time.Time) error {
	_, err := tx.Exec(`WITH old AS (SELECT id FROM intakes WHERE coalesce(taken_at, begun_at) < $1
			AND state IN ('sending', 'read', 'tried', 'taken', 'undone', 'dropped')
				AND (seen IS NOT NULL OR state = 'sending')),
		parts AS (DELETE FROM intake_parts WHERE intake_id IN (SELECT id FROM old)),
		lines AS (DELETE FROM intake_lines WHERE intake_id IN (SELECT id FROM old)),
		was AS (UPDATE came_from SET was = NULL, was_digest = NULL, was_intake = NULL
			WHERE intake_id IN (SELECT id FROM old) AND was IS NOT NULL)
		UPDATE intakes n SET seen = NULL, state = CASE WHEN n.state IN ('taken', 'undone')
			THEN n.state ELSE 'dropped' END
		FROM old WHERE n.id = old.id`, before)
	return err
}

// An intake is worked on outside acts, since it takes its time.

// WaitingIntakes gives the intakes at which somebody should be and nobody is.
func WaitingIntakes(ctx context.Context, s *store.Store) ([]int64, error) {
	var ids []int64
	return ids, s.ORM(ctx).
		Raw("SELECT id FROM intakes WHERE state IN ('reading', 'trying', 'taking', 'undoing') AND " + store.Unclaimed("intake") + " ORDER BY id").
		Scan(&ids).
		Error
}

// BeginIntake gives an intake at which something is to be done, from its beginning; nil where nothing is.
func BeginIntake(ctx context.Context, s *store.Store, id int64) (*Intake, error) {
	var rows []Intake
	err := s.ORM(ctx).Raw(`WITH mine AS (UPDATE intakes SET done = 0
			WHERE id = ? AND state IN ('reading', 'trying', 'taking', 'undoing') RETURNING id)
		`+intakeShown+`WHERE n.id IN (SELECT id FROM mine)`, id).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// IntakeAt writes how far an intake has come; false where its holder is to stop.
func IntakeAt(ctx context.Context, s *store.Store, id int64, holder string, done, total int64) (bool, error) {
	still := s.ORM(ctx).Exec(`UPDATE intakes SET done = ?, total = ?
		WHERE id = ? AND state IN ('reading', 'trying', 'taking', 'undoing') AND `+holdsIntake, done, total, id, holder)
	return still.RowsAffected == 1, still.Error
}

// EndIntake writes how an intake stands after its holder's work, unless it was stopped.
func EndIntake(ctx context.Context, s *store.Store, n *Intake, holder string) error {
	return s.ORM(ctx).
		Exec(`UPDATE intakes SET state = ?, problem = ?, seen = coalesce(?::jsonb, seen), mapping = coalesce(?::jsonb, mapping),
		counts = coalesce(?::jsonb, counts), seconds = ? WHERE id = ? AND `+holdsIntake,
			n.State, n.Problem, textOrNull(n.Seen), textOrNull(n.Mapping), textOrNull(n.Counts), n.Seconds, n.ID,
			holder).
		Error
}

func textOrNull(data json.RawMessage) *string {
	if len(data) == 0 {
		return nil
	}
	text := string(data)
	return &text
}
