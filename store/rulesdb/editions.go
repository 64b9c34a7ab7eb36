package rulesdb

import (
	"encoding/json"
	"time"

	"gorm.io/gorm/clause"

	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
)

// Edition is one edition of the rulebook.
type Edition struct {
	ID        int64
	Number    int
	State     string
	StartsOn  *time.Time `gorm:"type:date"`
	StartedAt *time.Time
	Name      string
	Rules     json.RawMessage `gorm:"type:jsonb"`
	FromID    *int64
	Revision  int
	Reason    string
	Ranking   []string        `gorm:"type:text[];serializer:texts"`
	Examples  json.RawMessage `gorm:"type:jsonb"`
}

// EditionRow gives an edition as it is stored; nil where there is none.
func EditionRow(tx *store.Tx, id int64) (*Edition, error) {
	var row Edition
	err := tx.ORM().Take(&row, id).Error
	if store.NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// Editions gives all editions in their order, drafts last.
func Editions(tx *store.Tx) ([]Edition, error) {
	var rows []Edition
	return rows, tx.ORM().Order("coalesce(starts_on, 'infinity'), started_at, number").Find(&rows).Error
}

// EditionIDs gives the ids of all editions in force, and of one more.
func EditionIDs(tx *store.Tx, more int64) ([]int64, error) {
	q := &store.Questions{}
	var ids []int64
	store.AskEach(q, &ids, "SELECT id FROM editions WHERE state = 'in_force' OR id = $1", more)
	return ids, tx.Send(q)
}

// LastEdition gives the highest number of an edition. Of two acts that take the next one, the later is tried again.
func LastEdition(tx *store.Tx) (int, error) {
	return store.Value[int](tx, "SELECT max(number) FROM editions")
}

// AddEdition writes an edition and gives it its id.
func AddEdition(tx *store.Tx, row *Edition) error { return tx.ORM().Create(row).Error }

// EditionLocked gives an edition for a change; nil where there is none.
func EditionLocked(tx *store.Tx, id int64) (*Edition, error) {
	var row Edition
	err := tx.ORM().Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row, id).Error
	if store.NoRow(err) {
		return nil, nil
	}
	return &row, err
}

// KeepDraft writes the rules, examples and ranking of a draft.
func KeepDraft(tx *store.Tx, row *Edition) error {
	return tx.ORM().Model(row).Select("Rules", "Examples", "Ranking", "Revision").Updates(row).Error
}

// PutInForce writes from when an edition is in force.
func PutInForce(tx *store.Tx, row *Edition) error {
	return tx.ORM().Model(row).Select("State", "StartsOn", "StartedAt", "Reason").Updates(row).Error
}

// EditionOn gives the id of the edition that is in force on a day, as it stands now; 0 where there is none.
func EditionOn(tx *store.Tx, day time.Time) (int64, error) {
	return store.Value[int64](tx, `SELECT coalesce((SELECT id FROM editions WHERE state = 'in_force' AND starts_on <= $1::date
		ORDER BY starts_on DESC, started_at DESC LIMIT 1), 0)`, day)
}

// Withdraw marks an edition that has not begun as withdrawn.
func Withdraw(tx *store.Tx, id int64) error {
	_, err := tx.Exec("UPDATE editions SET state = 'withdrawn' WHERE id = $1", id)
	return err
}

// DropDraft deletes a draft.
func DropDraft(tx *store.Tx, row *Edition) error { return tx.ORM().Delete(row).Error }

// SituationCount counts the loans made in a situation.
type SituationCount struct {
	Situation []string
	N         int
}

// Situations gives how often loans were made in each situation in the twelve months up to that of a date, as the nights
// have counted them.
func Situations(tx *store.Tx, day time.Time) ([]SituationCount, error) {
	return store.List[SituationCount](tx, `SELECT situation, sum(n)::int AS n FROM loan_counts
		WHERE month > $1::date - interval '1 year' GROUP BY situation`, day)
}

// LoanWithItem gives a loan with its patron, and its item with its title; nil where there is none.
func LoanWithItem(tx *store.Tx, id int64) (*loansdb.Loan, *stockdb.Item, error) {
	var l loansdb.Loan
	if err := tx.ORM().Joins("Patron").Take(&l, id).Error; store.NoRow(err) {
		return nil, nil, nil
	} else if err != nil {
		return nil, nil, err
	}
	var item stockdb.Item
	return &l, &item, tx.ORM().Joins("Title").Take(&item, l.ItemID).Error
}

// ItemWithTitle gives an item with its title; nil where there is none.
func ItemWithTitle(tx *store.Tx, id int64) (*stockdb.Item, error) {
	var item stockdb.Item
	err := tx.ORM().Joins("Title").Take(&item, id).Error
	if store.NoRow(err) {
		return nil, nil
	}
	return &item, err
}

// EditionsBefore gives the editions in force that stood before another, the latest first.
func EditionsBefore(tx *store.Tx, id int64) ([]int64, error) {
	return store.Each[int64](tx, `SELECT e.id FROM editions e JOIN editions broken ON broken.id = $1
		WHERE e.state = 'in_force' AND (e.starts_on, e.started_at) < (broken.starts_on, broken.started_at)
		ORDER BY e.starts_on DESC, e.started_at DESC LIMIT 50`, id)
}
