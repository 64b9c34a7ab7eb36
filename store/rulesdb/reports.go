package rulesdb

import (
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/staffdb"
	"nevrin/store/stockdb"
)

// Report says that terms are wrong, from a branch to the supervisor.
type Report struct {
	ID         int64
	At         time.Time
	StaffID    int64
	Staff      *staffdb.Staff
	BranchCode calendar.Code
	PatronID   *int64
	Patron     *peopledb.Patron
	ItemID     *int64
	Item       *stockdb.Item
	LoanID     *int64
	Loan       *loansdb.Loan
	Happened   string
	Expected   string
	Answer     string
	AnsweredBy *int64
	AnsweredAt *time.Time
}

// AddReport writes a report and gives it its id.
func AddReport(tx *store.Tx, r *Report) error { return tx.ORM().Create(r).Error }

// Reports gives a page of the open reports and those answered since an instant: open ones first, then the newest.
func Reports(tx *store.Tx, since time.Time, page store.Page) ([]Report, store.Page, error) {
	rank := fmt.Sprintf(store.NewestFirst, "answered_at IS NULL", "at")
	ids, next, err := store.PagedIDs(
		tx,
		page,
		`SELECT rank, id FROM (SELECT id, `+rank+` AS rank
			FROM reports WHERE answered_at IS NULL OR answered_at > $1) l
		WHERE ($2::bigint = 0 AND $3::bigint = 0) OR (rank, id) > ($2, $3) ORDER BY rank, id`,
		since,
	)
	if err != nil || len(ids) == 0 {
		return nil, next, err
	}
	rows, err := reports(tx, ids)
	return store.InOrder(rows, ids, func(r *Report) int64 { return r.ID }), next, err
}

// OneReport gives one report.
func OneReport(tx *store.Tx, id int64) ([]Report, error) { return reports(tx, []int64{id}) }

func reports(tx *store.Tx, ids []int64) ([]Report, error) {
	var rows []Report
	err := tx.ORM().Joins("Staff").Joins("Patron").Preload("Item.Title").Where("reports.id IN ?", ids).Find(&rows).Error
	return rows, err
}

// AnswerReport answers an open report; false where there is none.
func AnswerReport(tx *store.Tx, id int64, answer string, by int64, at time.Time) (bool, error) {
	n, err := tx.Exec(
		"UPDATE reports SET answer = $2, answered_by = $3, answered_at = $4 WHERE id = $1 AND answered_at IS NULL",
		id,
		answer,
		by,
		at,
	)
	return n == 1, err
}
