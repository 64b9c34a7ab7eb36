package accountsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
)

// Receipt is money that went over the counter in one go. Less than nothing: it was given out.
type Receipt struct {
	ID         int64
	At         time.Time
	BranchCode calendar.Code
	StaffID    *int64
	TillID     *int64
	Means      ledger.Means
	Amount     money.Amount
	Rounding   money.Amount // by how much cash came to more than what it settles
	LaidDown   *money.Amount
	Reference  string
	Reverses   *int64
	Reason     string
}

// AddReceipt writes a receipt. Its id must have been given; what it settles names it.
func AddReceipt(tx *store.Tx, r *Receipt) {
	tx.Queue(`INSERT INTO receipts (id, at, branch_code, staff_id, till_id, means, amount, rounding, laid_down, reference,
			reverses, reason)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
		r.ID, r.At, r.BranchCode, r.StaffID, r.TillID, r.Means, r.Amount, r.Rounding, r.LaidDown, r.Reference,
		r.Reverses, r.Reason)
}

// ReceiptShown is a receipt as lists show it.
type ReceiptShown struct {
	Receipt
	Who        *string // who took it
	Till       *string
	Assigned   bool // to its till after it was taken, and that is open still
	ReversedBy *int64
	GivenBack  bool     // something that it paid has been credited since
	Patrons    []string // legal names
}

const receiptsShown = `SELECT r.id, r.at, r.branch_code, r.staff_id, r.till_id, r.means, r.amount, r.rounding,
		r.laid_down, r.reference, r.reverses, r.reason, f.name AS who, t.name AS till,
		t.id IS NOT NULL AND t.closed_at IS NULL AND r.at < t.opened_at AS assigned,
		(SELECT b.id FROM receipts b WHERE b.reverses = r.id) AS reversed_by,
		EXISTS (SELECT 1 FROM ledger e JOIN ledger g ON g.settles = e.settles AND g.kind = 'refund' AND g.id > e.id
			WHERE e.receipt_id = r.id) AS given_back,
		ARRAY(SELECT p.legal_name FROM ledger e JOIN patrons p ON p.id = e.patron_id WHERE e.receipt_id = r.id
			UNION
			SELECT p.legal_name FROM refund_ends x JOIN ledger e ON e.id = x.refund_id
				JOIN patrons p ON p.id = e.patron_id WHERE x.receipt_id = r.id
			ORDER BY 1) AS patrons
	FROM receipts r LEFT JOIN staff f ON f.id = r.staff_id LEFT JOIN tills t ON t.id = r.till_id `

// WhichReceipts chooses receipts of a branch: those of a till or of a patron, where these are not 0, or those that are under no till.
type WhichReceipts struct {
	Branch       calendar.Code
	Till, Patron int64
	NoTill       bool // but not transfers, which go through none
}

// Receipts gives a page of receipts, newest first.
func Receipts(tx *store.Tx, which WhichReceipts, page store.Page) ([]ReceiptShown, store.Page, error) {
	if page.After.ID == 0 {
		page.After = store.Cursor{Rank: 1 << 57, ID: 1 << 62}
	}
	where, arg := "r.branch_code = $1", any(which.Branch)
	switch {
	case which.Till != 0:
		where, arg = "r.till_id = $1", which.Till
	case which.NoTill:
		where += " AND r.till_id IS NULL AND r.means <> 'transfer'"
	case which.Patron != 0:
		where, arg = `r.id IN (SELECT e.receipt_id FROM ledger e WHERE e.patron_id = $1 AND e.receipt_id IS NOT NULL UNION ALL
			SELECT x.receipt_id FROM ledger e JOIN refund_ends x ON x.refund_id = e.id WHERE e.patron_id = $1)`, which.Patron
	}
	return store.Paged(tx, page, func(r *ReceiptShown) store.Cursor { return store.Cursor{Rank: r.At.UnixMicro(), ID: r.ID} },
		receiptsShown+"WHERE "+where+` AND (r.at, r.id) < (timestamptz 'epoch' + $2::bigint * interval '1 microsecond', $3::bigint)
		ORDER BY r.at DESC, r.id DESC`, arg)
}

// ReceiptPart is the part of a receipt that settled, or refunded, one charge.
type ReceiptPart struct {
	ID                       int64 // of the entry
	Kind                     ledger.Kind
	Amount                   money.Amount // of what it settled; a refund's, where it was refunded
	Settles                  *int64
	LoanID                   *int64
	About                    ledger.About
	PatronID                 int64
	LegalName, PreferredName string
	Title                    string
	Balance                  money.Amount // what the patron owes now
}

// OneReceipt gives a receipt with its parts; nil where there is none.
func OneReceipt(tx *store.Tx, id int64) (*ReceiptShown, []ReceiptPart, error) {
	q := &store.Questions{}
	var rows []ReceiptShown
	parts := askReceipt(q, &rows, id)
	if err := tx.Send(q); err != nil || len(rows) == 0 {
		return nil, nil, err
	}
	return &rows[0], *parts, nil
}

func askReceipt(q *store.Questions, rows *[]ReceiptShown, id int64) *[]ReceiptPart {
	parts := &[]ReceiptPart{}
	store.Ask(q, rows, receiptsShown+"WHERE r.id = $1", id)
	store.Ask(q, parts, `SELECT e.id, e.kind, e.amount, e.settles, e.loan_id, e.about, e.patron_id,
			p.legal_name, p.preferred_name, p.balance,
			coalesce(b.name, CASE e.about WHEN 'manual' THEN c.reason END, '') AS title
		FROM (SELECT id FROM ledger WHERE receipt_id = $1
			UNION ALL SELECT refund_id FROM refund_ends WHERE receipt_id = $1) w
		JOIN ledger e ON e.id = w.id JOIN patrons p ON p.id = e.patron_id LEFT JOIN ledger c ON c.id = e.settles
		LEFT JOIN loans l ON l.id = coalesce(e.loan_id, c.loan_id)
		LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = i.title_id
		ORDER BY p.legal_name, p.id, e.id`, id)
	return parts
}

// ReversingFacts locks the patrons of a receipt and gives it with its parts, and the open tills of a branch; nil where there is
// no such receipt.
func ReversingFacts(tx *store.Tx, id int64, branch calendar.Code) (*ReceiptShown, []ReceiptPart, []Till, error) {
	whose, err := store.Each[int64](tx, "SELECT DISTINCT patron_id FROM ledger WHERE receipt_id = $1", id)
	if err != nil {
		return nil, nil, nil, err
	}
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: whose}, q)
	var rows []ReceiptShown
	var tills []Till
	parts := askReceipt(q, &rows, id)
	store.Ask(q, &tills, tillColumns+" WHERE t.branch_code = $1 AND t.closed_at IS NULL ORDER BY t.id", branch)
	if err := tx.Send(q); err != nil || len(rows) == 0 {
		return nil, nil, nil, err
	}
	for _, p := range *parts {
		if !tx.Locked().HoldsPatron(p.PatronID) {
			return nil, nil, nil, store.ErrMoved // merged into another record meanwhile
		}
	}
	return &rows[0], *parts, tills, nil
}

// MoveReceipts assigns receipts of a branch that are under no till to one, or takes them out of it: in. The till must be locked. It gives
// how many there were, and what they come to.
func MoveReceipts(tx *store.Tx, branch calendar.Code, till int64, ids []int64, in bool) (count int, sum money.Amount, err error) {
	type moved struct {
		Count int
		Sum   money.Amount
	}
	set := "till_id = NULL WHERE till_id = $2"
	if in {
		set = "till_id = $2 WHERE till_id IS NULL AND means <> 'transfer'"
	}
	set += " AND at < (SELECT opened_at FROM tills WHERE id = $2)" // what was taken into a till stays in it
	rows, err := store.List[moved](tx, `WITH moved AS (UPDATE receipts SET `+set+` AND branch_code = $1 AND id = ANY($3) RETURNING amount)
		SELECT count(*)::int AS count, coalesce(sum(amount), 0)::bigint AS sum FROM moved`, branch, till, ids)
	if err != nil {
		return 0, 0, err
	}
	return rows[0].Count, rows[0].Sum, nil
}

// RefundOwed is a refund that is owed.
type RefundOwed struct {
	ID, PatronID             int64
	Amount                   money.Amount
	LegalName, PreferredName string
	Card                     string
	BranchCode               *calendar.Code
	About                    ledger.About
	Title                    string
	At                       time.Time
	Reason                   string
}

// isOwed says of a line r of the ledger that it is a refund which has neither been paid out nor counted as paid again.
const isOwed = "r.kind = 'refund' AND NOT EXISTS (SELECT 1 FROM refund_ends e WHERE e.refund_id = r.id)"

// SumOwedTo is the question for the sum of the refunds owed to a patron, named by an expression of SQL.
func SumOwedTo(patron string) string {
	return "SELECT coalesce(sum(r.amount), 0)::bigint FROM ledger r WHERE r.patron_id = " + patron + " AND " + isOwed
}

const refundsOwed = `SELECT r.id, r.patron_id, r.amount, p.legal_name, p.preferred_name, p.card, r.branch_code,
		r.about, r.at, r.reason, coalesce(b.name, CASE r.about WHEN 'manual' THEN c.reason END, '') AS title
	FROM ledger r JOIN patrons p ON p.id = r.patron_id JOIN ledger c ON c.id = r.settles
	LEFT JOIN loans l ON l.id = coalesce(r.loan_id, c.loan_id)
	LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = i.title_id
	WHERE ` + isOwed

// RefundsOwed gives a page of refunds owed, oldest first.
func RefundsOwed(tx *store.Tx, page store.Page) ([]RefundOwed, store.Page, error) {
	return store.Paged(tx, page, func(r *RefundOwed) store.Cursor { return store.Cursor{ID: r.ID} },
		refundsOwed+" AND $1::bigint = 0 AND r.id > $2 ORDER BY r.id")
}

// PayingOut locks a patron and gives what is owed to them, and the open tills of a branch.
func PayingOut(tx *store.Tx, patron int64, branch calendar.Code) ([]RefundOwed, []Till, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: []int64{patron}}, q)
	var owed []RefundOwed
	var tills []Till
	store.Ask(q, &owed, refundsOwed+" AND r.patron_id = $1 ORDER BY r.id", patron)
	store.Ask(q, &tills, tillColumns+" WHERE t.branch_code = $1 AND t.closed_at IS NULL ORDER BY t.id", branch)
	return owed, tills, tx.Send(q)
}

// EndRefund tells what became of a refund owed: a receipt paid it out, or it counts as paid again.
func EndRefund(tx *store.Tx, refund int64, receipt, keptAs *int64) {
	tx.Queue("INSERT INTO refund_ends (refund_id, receipt_id, kept_as) VALUES ($1, $2, $3)", refund, receipt, keptAs)
}

// PaidOut tells which refunds of some have been paid out.
func PaidOut(tx *store.Tx, refunds []int64) ([]int64, error) {
	return store.Each[int64](tx, "SELECT refund_id FROM refund_ends WHERE refund_id = ANY($1) AND receipt_id IS NOT NULL", refunds)
}
