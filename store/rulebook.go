package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm/clause"
)

// EditionRow gives an edition as it is stored; nil where there is none.
func (t *Tx) EditionRow(id int64) (*Edition, error) {
	var row Edition
	err := t.orm().Take(&row, id).Error
	if NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// Editions gives all editions in their order, drafts last.
func (t *Tx) Editions() ([]Edition, error) {
	var rows []Edition
	return rows, t.orm().Order("coalesce(starts_on, 'infinity'), started_at, number").Find(&rows).Error
}

// EditionIDs gives the ids of all editions in force, and of one more.
func (t *Tx) EditionIDs(more int64) ([]int64, error) {
	q := &questions{}
	var ids []int64
	askEach(q, &ids, "SELECT id FROM editions WHERE state = 'in_force' OR id = $1", more)
	return ids, t.send(q)
}

// LastEdition gives the highest number of an edition. Of two acts that take the next one, the later is tried again.
func (t *Tx) LastEdition() (int, error) { return value[int](t, "SELECT max(number) FROM editions") }

// AddEdition writes an edition and gives it its id.
func (t *Tx) AddEdition(row *Edition) error { return t.orm().Create(row).Error }

// EditionLocked gives an edition for a change; nil where there is none.
func (t *Tx) EditionLocked(id int64) (*Edition, error) {
	var row Edition
	err := t.orm().Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row, id).Error
	if NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// KeepDraft writes the rules, examples and ranking of a draft.
func (t *Tx) KeepDraft(row *Edition) error {
	return t.orm().Model(row).Select("Rules", "Examples", "Ranking", "Revision").Updates(row).Error
}

// PutInForce writes from when an edition is in force.
func (t *Tx) PutInForce(row *Edition) error {
	return t.orm().Model(row).Select("State", "StartsOn", "StartedAt", "Reason").Updates(row).Error
}

// EditionOn gives the id of the edition that is in force on a day, as it stands now; 0 where there is none.
func (t *Tx) EditionOn(day time.Time) (int64, error) {
	return value[int64](t, `SELECT coalesce((SELECT id FROM editions WHERE state = 'in_force' AND starts_on <= $1::date
		ORDER BY starts_on DESC, started_at DESC LIMIT 1), 0)`, day)
}

// Withdraw marks an edition that has not begun as withdrawn.
func (t *Tx) Withdraw(id int64) error {
	_, err := t.exec("UPDATE editions SET state = 'withdrawn' WHERE id = $1", id)
	return err
}

// DropDraft deletes a draft.
func (t *Tx) DropDraft(row *Edition) error { return t.orm().Delete(row).Error }

// SituationCount is how often loans were made in a situation.
type SituationCount struct {
	Situation []string
	N         int
}

// Situations gives how often loans were made in each situation in the twelve months up to that of a date, as the nights
// have counted them.
func (t *Tx) Situations(day time.Time) ([]SituationCount, error) {
	return list[SituationCount](t, `SELECT situation, sum(n)::int AS n FROM loan_counts
		WHERE month > $1::date - interval '1 year' GROUP BY situation`, day)
}

// LoanWithItem gives a loan with its patron, and its item with its title; nil where there is none.
func (t *Tx) LoanWithItem(id int64) (*Loan, *Item, error) {
	var l Loan
	if err := t.orm().Joins("Patron").Take(&l, id).Error; NoRow(err) {
		return nil, nil, nil
	} else if err != nil {
		return nil, nil, err
	}
	var item Item
	return &l, &item, t.orm().Joins("Title").Take(&item, l.ItemID).Error
}

// ItemWithTitle gives an item with its title; nil where there is none.
func (t *Tx) ItemWithTitle(id int64) (*Item, error) {
	var item Item
	err := t.orm().Joins("Title").Take(&item, id).Error
	if NoRow(err) {
		return nil, nil
	}
	return &item, err
}

// AddReport writes a report and gives it its id.
func (t *Tx) AddReport(r *Report) error { return t.orm().Create(r).Error }

// Reports gives a page of the open reports and those answered since an instant: open ones first, then the newest.
func (t *Tx) Reports(since time.Time, page Page) ([]Report, Page, error) {
	rank := fmt.Sprintf(newestFirst, "answered_at IS NULL", "at")
	ids, next, err := pagedIDs(
		t,
		page,
		`SELECT rank, id FROM (SELECT id, `+rank+` AS rank
			FROM reports WHERE answered_at IS NULL OR answered_at > $1) l
		WHERE ($2::bigint = 0 AND $3::bigint = 0) OR (rank, id) > ($2, $3) ORDER BY rank, id`,
		since,
	)
	if err != nil || len(ids) == 0 {
		return nil, next, err
	}
	rows, err := t.reports(ids)
	return inOrder(rows, ids, func(r *Report) int64 { return r.ID }), next, err
}

// OneReport gives one report.
func (t *Tx) OneReport(id int64) ([]Report, error) { return t.reports([]int64{id}) }

func (t *Tx) reports(ids []int64) ([]Report, error) {
	var rows []Report
	err := t.orm().Joins("Staff").Joins("Patron").Preload("Item.Title").Where("reports.id IN ?", ids).Find(&rows).Error
	return rows, err
}

// AnswerReport answers an open report; false where there is none.
func (t *Tx) AnswerReport(id int64, answer string, by int64, at time.Time) (bool, error) {
	n, err := t.exec(
		"UPDATE reports SET answer = $2, answered_by = $3, answered_at = $4 WHERE id = $1 AND answered_at IS NULL",
		id,
		answer,
		by,
		at,
	)
	return n == 1, err
}

// AddRehearsal writes a rehearsal and gives it its id.
func (t *Tx) AddRehearsal(r *Rehearsal) error { return t.orm().Create(r).Error }

// RehearsalByID gives a rehearsal with its edition; nil where there is none.
func (t *Tx) RehearsalByID(id int64) (*Rehearsal, error) {
	var row Rehearsal
	err := t.orm().Joins("Edition").Joins("Against").Take(&row, id).Error
	if NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// LatestRehearsal gives the rehearsal of an edition that has ended last, with its edition; nil where there is none.
func (t *Tx) LatestRehearsal(edition int64) (*Rehearsal, error) {
	var row Rehearsal
	err := t.orm().Omit("Result").Joins("Edition").Joins("Against").Where("rehearsals.edition_id = ? AND rehearsals.state = 'done'", edition).
		Order("rehearsals.id DESC").Take(&row).Error
	if NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// Rehearsals gives a page of the rehearsals of an edition, the latest first, without their results.
func (t *Tx) Rehearsals(edition int64, page Page) ([]Rehearsal, Page, error) {
	ids, next, err := pagedIDs(
		t,
		page,
		`SELECT 0::bigint AS rank, id FROM rehearsals
		WHERE edition_id = $1 AND $2::bigint = 0 AND ($3::bigint = 0 OR id < $3) ORDER BY id DESC`,
		edition,
	)
	if err != nil || len(ids) == 0 {
		return nil, next, err
	}
	var rows []Rehearsal
	err = t.orm().Omit("Result").Joins("Edition").Joins("Against").Where("rehearsals.id IN ?", ids).Find(&rows).Error
	return inOrder(rows, ids, func(r *Rehearsal) int64 { return r.ID }), next, err
}

// StopRehearsal stops a rehearsal that has not ended; false where it has.
func (t *Tx) StopRehearsal(id int64) (bool, error) {
	n, err := t.exec("UPDATE rehearsals SET state = 'stopped' WHERE id = $1 AND state IN ('waiting', 'running')", id)
	return n == 1, err
}

// LoanNames names some loans: their title, and who has it where it is still out.
func (t *Tx) LoanNames(loans []int64) (map[int64][2]string, error) {
	rows, err := list[struct {
		ID                       int64
		Title                    string
		LegalName, PreferredName *string
	}](t, `SELECT l.id, t.name AS title, p.legal_name, p.preferred_name FROM loans l
			JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
		LEFT JOIN patrons p ON p.id = l.patron_id AND l.returned_at IS NULL WHERE l.id = ANY($1)`, notNil(loans))
	out := map[int64][2]string{}
	for _, r := range rows {
		name := ""
		if r.LegalName != nil {
			name = (&Patron{LegalName: *r.LegalName, PreferredName: *r.PreferredName}).Name()
		}
		out[r.ID] = [2]string{r.Title, name}
	}
	return out, err
}

// PatronsByID gives some patrons by name, up to a number.
func (t *Tx) PatronsByID(ids []int64, most int) ([]Patron, error) {
	return list[Patron](
		t,
		"SELECT "+patronColumns+" FROM patrons p WHERE p.id = ANY($1) ORDER BY p.legal_name, p.id LIMIT $2",
		notNil(ids),
		most,
	)
}

// A rehearsal runs outside acts, since it takes its time.

// BeginRehearsal marks a rehearsal as running; false where it has ended or was stopped.
func (s *Store) BeginRehearsal(ctx context.Context, id int64) (bool, error) {
	done := s.db.WithContext(ctx).
		Exec("UPDATE rehearsals SET state = 'running', done = 0 WHERE id = ? AND state IN ('waiting', 'running')", id)
	return done.RowsAffected == 1, done.Error
}

// LeftRehearsals gives the rehearsals that are to run and at which nobody is.
func (s *Store) LeftRehearsals(ctx context.Context) ([]int64, error) {
	var ids []int64
	err := s.db.WithContext(ctx).
		Raw("SELECT id FROM rehearsals WHERE state IN ('waiting', 'running') AND " + unclaimed("rehearsal") + " ORDER BY id").
		Scan(&ids).Error
	return ids, err
}

// FailRehearsal writes why a rehearsal failed.
func (s *Store) FailRehearsal(ctx context.Context, id int64, problem string) error {
	return s.db.WithContext(ctx).
		Exec("UPDATE rehearsals SET state = 'failed', problem = ? WHERE id = ?", problem, id).
		Error
}

// EndRehearsal writes what a rehearsal has found, unless it was stopped.
func (s *Store) EndRehearsal(ctx context.Context, id int64, result json.RawMessage, seconds float64) error {
	return s.db.WithContext(ctx).
		Exec("UPDATE rehearsals SET state = 'done', result = ?, done = total, seconds = ? WHERE id = ? AND state = 'running'", string(result), seconds, id).
		Error
}

// RehearsalRow gives a rehearsal.
func (s *Store) RehearsalRow(ctx context.Context, id int64) (Rehearsal, error) {
	var row Rehearsal
	return row, s.db.WithContext(ctx).Take(&row, id).Error
}

// CountRehearsal writes how many loans a rehearsal has to look at.
func (s *Store) CountRehearsal(ctx context.Context, id int64, since, until time.Time) error {
	return s.db.WithContext(ctx).
		Exec("UPDATE rehearsals SET total = (SELECT count(*) FROM loans WHERE lent_at >= ? AND lent_at < ? AND NOT undone) WHERE id = ?", since, until, id).
		Error
}

// RehearsalAt writes how far a rehearsal has come; false where it was stopped.
func (s *Store) RehearsalAt(ctx context.Context, id int64, done int) (bool, error) {
	still := s.db.WithContext(ctx).Exec("UPDATE rehearsals SET done = ? WHERE id = ? AND state = 'running'", done, id)
	return still.RowsAffected == 1, still.Error
}

// EditionsBefore gives the editions in force that stood before another, the latest first.
func (t *Tx) EditionsBefore(id int64) ([]int64, error) {
	return each[int64](t, `SELECT e.id FROM editions e JOIN editions broken ON broken.id = $1
		WHERE e.state = 'in_force' AND (e.starts_on, e.started_at) < (broken.starts_on, broken.started_at)
		ORDER BY e.starts_on DESC, e.started_at DESC LIMIT 50`, id)
}
