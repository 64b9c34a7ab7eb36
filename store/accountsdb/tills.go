package accountsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
)

// Till is a drawer of money from its opening to its counting.
type Till struct {
	ID                                      int64
	BranchCode                              calendar.Code
	Name                                    string
	OpenedAt                                time.Time
	OpenedBy                                int64
	LaidIn                                  money.Amount
	ClosedAt                                *time.Time
	ClosedBy                                *int64
	DueCash, DueCard, DueCheque             *money.Amount
	CountedCash, CountedCard, CountedCheque *money.Amount
	Says                                    string
}

const tillColumns = `SELECT t.id, t.branch_code, t.name, t.opened_at, t.opened_by, t.laid_in, t.closed_at, t.closed_by, t.due_cash,
	t.due_card, t.due_cheque, t.counted_cash, t.counted_card, t.counted_cheque, t.says FROM tills t`

// Due gives what should have been in a till when it was closed.
func (t *Till) Due() ledger.Drawer { return drawer(t.DueCash, t.DueCard, t.DueCheque) }

// Counted gives what was counted then.
func (t *Till) Counted() ledger.Drawer { return drawer(t.CountedCash, t.CountedCard, t.CountedCheque) }

// AddTill opens a till and gives it its id.
func AddTill(tx *store.Tx, row *Till) (err error) {
	if row.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue("INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in) VALUES ($1, $2, $3, $4, $5, $6)",
		row.ID, row.BranchCode, row.Name, row.OpenedAt, row.OpenedBy, row.LaidIn)
	return tx.Flush()
}

// TillSums are the sums that went through a till since it was opened, by method of payment; Moved is the cash that was added or taken out for no
// patron.
type TillSums struct {
	Cash, Card, Cheque money.Amount
	Moved              int64
	Receipts           int
}

const tillSums = `SELECT coalesce(sum(amount) FILTER (WHERE means = 'cash'), 0)::bigint AS cash,
		coalesce(sum(amount) FILTER (WHERE means = 'card'), 0)::bigint AS card,
		coalesce(sum(amount) FILTER (WHERE means = 'cheque'), 0)::bigint AS cheque, count(*)::int AS receipts,
		(SELECT coalesce(sum(amount), 0)::bigint FROM till_moves WHERE till_id = $1) AS moved
	FROM receipts WHERE till_id = $1`

// TillShown is a till with who opened and closed it.
type TillShown struct {
	Till
	OpenedName string
	ClosedName *string
}

const tillsShown = `SELECT t.id, t.branch_code, t.name, t.opened_at, t.opened_by, t.laid_in, t.closed_at, t.closed_by, t.due_cash,
		t.due_card, t.due_cheque, t.counted_cash, t.counted_card, t.counted_cheque, t.says, o.name AS opened_name,
		c.name AS closed_name
	FROM tills t JOIN staff o ON o.id = t.opened_by LEFT JOIN staff c ON c.id = t.closed_by `

// OneTill gives a till with what went through it; locked, it takes nothing meanwhile. Nil where there is none.
func OneTill(tx *store.Tx, id int64, locked bool) (*TillShown, *TillSums, []TillMove, error) {
	q := &store.Questions{}
	if locked {
		tx.AskTime(q, "SELECT "+store.Clock+" FROM (SELECT 1 FROM tills WHERE id = $1 FOR UPDATE) locked", id)
	}
	var rows []TillShown
	var sums []TillSums
	var moves []TillMove
	store.Ask(q, &rows, tillsShown+"WHERE t.id = $1", id)
	store.Ask(q, &sums, tillSums, id)
	store.Ask(q, &moves, `SELECT m.id, m.at, m.amount, m.reason, f.name AS who FROM till_moves m JOIN staff f ON f.id = m.staff_id
		WHERE m.till_id = $1 ORDER BY m.id`, id)
	if err := tx.Send(q); err != nil || len(rows) == 0 {
		return nil, nil, nil, err
	}
	return &rows[0], &sums[0], moves, nil
}

// OpenTills gives the open tills of a branch.
func OpenTills(tx *store.Tx, branch calendar.Code) ([]TillShown, error) {
	return store.List[TillShown](tx, tillsShown+"WHERE t.branch_code = $1 AND t.closed_at IS NULL ORDER BY t.name", branch)
}

// ClosedTills gives a page of the tills of a branch that have been counted, the last opened first.
func ClosedTills(tx *store.Tx, branch calendar.Code, page store.Page) ([]TillShown, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(r *TillShown) store.Cursor { return store.Cursor{ID: r.ID} },
		tillsShown+"WHERE t.branch_code = $1 AND t.closed_at IS NOT NULL AND $2::bigint = 0 AND t.id < $3 ORDER BY t.id DESC", branch)
}

// TillMove is cash that was laid into a till or taken out of it for no patron.
type TillMove struct {
	ID     int64
	At     time.Time
	Amount money.Amount
	Reason string
	Who    string
}

// MoveInTill writes cash that was added or taken out.
func MoveInTill(tx *store.Tx, till, staff int64, amount money.Amount, reason string, at time.Time) {
	tx.Queue("INSERT INTO till_moves (till_id, at, staff_id, amount, reason) VALUES ($1, $2, $3, $4, $5)",
		till, at, staff, amount, reason)
}

// CloseTill writes how a till was counted. It must be locked.
func CloseTill(tx *store.Tx, id, by int64, at time.Time, due, counted ledger.Drawer, says string) {
	tx.QueueOne(`UPDATE tills SET closed_at = $2, closed_by = $3, due_cash = $4, due_card = $5, due_cheque = $6,
		counted_cash = $7, counted_card = $8, counted_cheque = $9, says = $10 WHERE id = $1 AND closed_at IS NULL`,
		id, at, by, due.Cash, due.Card, due.Cheque, counted.Cash, counted.Card, counted.Cheque, says)
}

func drawer(cash, card, cheque *money.Amount) ledger.Drawer {
	if cash == nil {
		return ledger.Drawer{}
	}
	return ledger.Drawer{Cash: *cash, Card: *card, Cheque: *cheque}
}
