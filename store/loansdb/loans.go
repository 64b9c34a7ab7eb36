package loansdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/store"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// Loan is a loan, open until returned.
type Loan struct {
	ID         int64
	ItemID     int64
	Item       *stockdb.Item
	PatronID   *int64
	Patron     *peopledb.Patron
	BranchCode calendar.Code
	EditionID  int64
	Situation  []string `gorm:"type:text[];serializer:texts"`
	LentAt     time.Time
	DueDate    *time.Time `gorm:"type:date"`
	DueAt      *time.Time
	Renewals   int
	RenewedAt  *time.Time
	ReturnedAt *time.Time
	Undone     bool
	LostAt     *time.Time
	FilledHold *int64 // the hold that this loan filled
	FilledFrom queue.State
	Awaited    bool       // others waited for the title when it was lent
	ClaimedAt  *time.Time `gorm:"-"` // since when the patron says that they brought it back
}

// Due gives the loan's due date.
func (l *Loan) Due() loan.Due { return DueOf(l.DueDate, l.DueAt) }

// SetDue changes when it is due.
func (l *Loan) SetDue(due loan.Due) { l.DueDate, l.DueAt = DueColumns(due) }

// At gives the situation in which the loan was made.
func (l *Loan) At() rulebook.Situation {
	var at rulebook.Situation
	copy(at[:], l.Situation)
	return at
}

// DueOf reads a due from its two columns, of which one is null.
func DueOf(date, at *time.Time) loan.Due {
	if at != nil {
		return loan.AtInstant(*at)
	}
	return loan.OnDate(*store.DateOf(date))
}

// DueColumns gives a due for its two columns.
func DueColumns(due loan.Due) (date, at *time.Time) {
	if due.Hours {
		return nil, &due.At
	}
	return store.Column(due.Date), nil
}

// AddLoan writes a loan and gives it its id.
func AddLoan(tx *store.Tx, l *Loan) (err error) {
	if l.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(
		`INSERT INTO loans (id, item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, due_at,
				filled_hold, filled_from, awaited)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
		l.ID,
		l.ItemID,
		l.PatronID,
		l.BranchCode,
		l.EditionID,
		l.Situation,
		l.LentAt,
		l.DueDate,
		l.DueAt,
		l.FilledHold,
		l.FilledFrom,
		l.Awaited,
	)
	return nil
}

// EndLoan ends an open loan, by a return or because it is undone.
func EndLoan(tx *store.Tx, id int64, at time.Time, undone bool) {
	tx.QueueOne(
		"UPDATE loans SET returned_at = greatest($2, lent_at), undone = $3 WHERE id = $1 AND returned_at IS NULL",
		id,
		at,
		undone,
	)
}

// ReopenLoan takes the return of a loan back.
func ReopenLoan(tx *store.Tx, id int64) {
	tx.QueueOne("UPDATE loans SET returned_at = NULL WHERE id = $1 AND returned_at IS NOT NULL AND NOT undone", id)
}

// RenewLoan writes what a renewal has changed. The loan must be due still as it was when that was decided: a change of
// a calendar may have moved it.
func RenewLoan(tx *store.Tx, was, l *Loan) {
	tx.QueueOne(
		`UPDATE loans SET due_date = $2, due_at = $3, renewals = $4, renewed_at = $5, edition_id = $6
		WHERE id = $1 AND returned_at IS NULL
			AND due_date IS NOT DISTINCT FROM $7 AND due_at IS NOT DISTINCT FROM $8`,
		l.ID,
		l.DueDate,
		l.DueAt,
		l.Renewals,
		l.RenewedAt,
		l.EditionID,
		was.DueDate,
		was.DueAt,
	)
}

// LoseLoan lets an open loan count as lost, and its item too. It must be due still as it was when that was decided.
func LoseLoan(tx *store.Tx, l *Loan, at time.Time) {
	tx.QueueOne(
		`UPDATE loans SET lost_at = $2 WHERE id = $1 AND returned_at IS NULL AND lost_at IS NULL
			AND due_date IS NOT DISTINCT FROM $3 AND due_at IS NOT DISTINCT FROM $4`,
		l.ID, at, l.DueDate, l.DueAt,
	)
	tx.QueueOne("UPDATE items SET standing = 'lost' WHERE id = $1", l.ItemID)
}

// OldLoan gives a loan by its id, as it stands.
func OldLoan(tx *store.Tx, id int64) (*Loan, error) {
	return store.One[Loan](tx, "SELECT "+LoanColumns+" FROM loans l WHERE l.id = $1", id)
}

// LoansLocked locks a patron with the titles of all that they have on loan, and gives these loans, the first due first.
func LoansLocked(tx *store.Tx, patron int64) ([]Loan, error) {
	titles, err := store.Each[int64](tx, `SELECT DISTINCT i.title_id FROM loans l JOIN items i ON i.id = l.item_id
		WHERE l.patron_id = $1 AND l.returned_at IS NULL`, patron)
	if err != nil {
		return nil, err
	}
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: []int64{patron}, Titles: titles}, q)
	var loans []Loan
	var now []int64
	store.Ask(q, &loans, "SELECT "+LoanColumns+` FROM loans l WHERE l.patron_id = $1 AND l.returned_at IS NULL
		ORDER BY coalesce(l.due_at, l.due_date), l.id`, patron)
	store.AskEach(q, &now, `SELECT DISTINCT i.title_id FROM loans l JOIN items i ON i.id = l.item_id
		WHERE l.patron_id = $1 AND l.returned_at IS NULL`, patron)
	if err := tx.Send(q); err != nil {
		return nil, err
	}
	for _, title := range now {
		if !tx.Locked().HoldsTitle(title) {
			return nil, store.ErrMoved // lent to them in between
		}
	}
	return loans, nil
}
