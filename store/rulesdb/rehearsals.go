package rulesdb

import (
	"context"
	"encoding/json"
	"time"

	"nevrin/store"
	"nevrin/store/peopledb"
)

// Rehearsal is a draft tried on what really happened.
type Rehearsal struct {
	ID        int64
	EditionID int64
	Edition   *Edition
	AgainstID *int64 // the edition it is compared with; nil: for each loan the one it was made under
	Against   *Edition
	Revision  int
	Since     time.Time `gorm:"type:date"`
	Until     time.Time `gorm:"type:date"`
	State     string
	Done      int
	Total     int
	Result    json.RawMessage `gorm:"type:jsonb"`
	Problem   string
	StaffID   int64
	BegunAt   time.Time
	Seconds   float64
}

// AddRehearsal writes a rehearsal and gives it its id.
func AddRehearsal(tx *store.Tx, r *Rehearsal) error { return tx.ORM().Create(r).Error }

// RehearsalByID gives a rehearsal with its edition; nil where there is none.
func RehearsalByID(tx *store.Tx, id int64) (*Rehearsal, error) {
	var row Rehearsal
	err := tx.ORM().Joins("Edition").Joins("Against").Take(&row, id).Error
	if store.NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// LatestRehearsal gives the rehearsal of an edition that has ended last, with its edition; nil where there is none.
func LatestRehearsal(tx *store.Tx, edition int64) (*Rehearsal, error) {
	var row Rehearsal
	err := tx.ORM().Omit("Result").Joins("Edition").Joins("Against").Where("rehearsals.edition_id = ? AND rehearsals.state = 'done'", edition).
		Order("rehearsals.id DESC").Take(&row).Error
	if store.NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// Rehearsals gives a page of the rehearsals of an edition, the latest first, without their results.
func Rehearsals(tx *store.Tx, edition int64, page store.Page) ([]Rehearsal, store.Page, error) {
	ids, next, err := store.PagedIDs(
		tx,
		page,
		`SELECT 0::bigint AS rank, id FROM rehearsals
		WHERE edition_id = $1 AND $2::bigint = 0 AND ($3::bigint = 0 OR id < $3) ORDER BY id DESC`,
		edition,
	)
	if err != nil || len(ids) == 0 {
		return nil, next, err
	}
	var rows []Rehearsal
	err = tx.ORM().Omit("Result").Joins("Edition").Joins("Against").Where("rehearsals.id IN ?", ids).Find(&rows).Error
	return store.InOrder(rows, ids, func(r *Rehearsal) int64 { return r.ID }), next, err
}

// StopRehearsal stops a rehearsal that has not ended; false where it has.
func StopRehearsal(tx *store.Tx, id int64) (bool, error) {
	n, err := tx.Exec("UPDATE rehearsals SET state = 'stopped' WHERE id = $1 AND state IN ('waiting', 'running')", id)
	return n == 1, err
}

// LoanNames names some loans: their title, and who has it where it is still out.
func LoanNames(tx *store.Tx, loans []int64) (map[int64][2]string, error) {
	rows, err := store.List[struct {
		ID                       int64
		Title                    string
		LegalName, PreferredName *string
	}](tx, `SELECT l.id, t.name AS title, p.legal_name, p.preferred_name FROM loans l
			JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
		LEFT JOIN patrons p ON p.id = l.patron_id AND l.returned_at IS NULL WHERE l.id = ANY($1)`, store.NotNil(loans))
	out := map[int64][2]string{}
	for _, r := range rows {
		name := ""
		if r.LegalName != nil {
			name = (&peopledb.Patron{LegalName: *r.LegalName, PreferredName: *r.PreferredName}).Name()
		}
		out[r.ID] = [2]string{r.Title, name}
	}
	return out, err
}

// PatronsByID gives some patrons by name, up to a number.
func PatronsByID(tx *store.Tx, ids []int64, most int) ([]peopledb.Patron, error) {
	return store.List[peopledb.Patron](
		tx,
		"SELECT "+peopledb.PatronColumns+" FROM patrons p WHERE p.id = ANY($1) ORDER BY p.legal_name, p.id LIMIT $2",
		store.NotNil(ids),
		most,
	)
}

// A rehearsal runs outside acts, since it takes its time.

// BeginRehearsal marks a rehearsal as running; false where it has ended or was stopped.
func BeginRehearsal(ctx context.Context, s *store.Store, id int64) (bool, error) {
	done := s.ORM(ctx).
		Exec("UPDATE rehearsals SET state = 'running', done = 0 WHERE id = ? AND state IN ('waiting', 'running')", id)
	return done.RowsAffected == 1, done.Error
}

// LeftRehearsals gives the rehearsals that are to run and at which nobody is.
func LeftRehearsals(ctx context.Context, s *store.Store) ([]int64, error) {
	var ids []int64
	err := s.ORM(ctx).
		Raw("SELECT id FROM rehearsals WHERE state IN ('waiting', 'running') AND " + store.Unclaimed("rehearsal") + " ORDER BY id").
		Scan(&ids).Error
	return ids, err
}

// FailRehearsal writes why a rehearsal failed.
func FailRehearsal(ctx context.Context, s *store.Store, id int64, problem string) error {
	return s.ORM(ctx).
		Exec("UPDATE rehearsals SET state = 'failed', problem = ? WHERE id = ?", problem, id).
		Error
}

// EndRehearsal writes what a rehearsal has found, unless it was stopped.
func EndRehearsal(ctx context.Context, s *store.Store, id int64, result json.RawMessage, seconds float64) error {
	return s.ORM(ctx).
		Exec("UPDATE rehearsals SET state = 'done', result = ?, done = total, seconds = ? WHERE id = ? AND state = 'running'", string(result), seconds, id).
		Error
}

// RehearsalRow gives a rehearsal.
func RehearsalRow(ctx context.Context, s *store.Store, id int64) (Rehearsal, error) {
	var row Rehearsal
	return row, s.ORM(ctx).Take(&row, id).Error
}

// CountRehearsal writes how many loans a rehearsal has to look at.
func CountRehearsal(ctx context.Context, s *store.Store, id int64, since, until time.Time) error {
	return s.ORM(ctx).
		Exec("UPDATE rehearsals SET total = (SELECT count(*) FROM loans WHERE lent_at >= ? AND lent_at < ? AND NOT undone) WHERE id = ?", since, until, id).
		Error
}

// RehearsalAt writes how far a rehearsal has come; false where it was stopped.
func RehearsalAt(ctx context.Context, s *store.Store, id int64, done int) (bool, error) {
	still := s.ORM(ctx).Exec("UPDATE rehearsals SET done = ? WHERE id = ? AND state = 'running'", done, id)
	return still.RowsAffected == 1, still.Error
}
