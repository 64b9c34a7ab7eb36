package accountsdb

import (
	"slices"

	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/peopledb"
)

// Entry is one movement of money on a patron's account.
type Entry struct {
	ID         int64
	PatronID   int64
	Kind       ledger.Kind
	Amount     money.Amount
	Settles    *int64
	Undoes     *int64 // the waiver that it undoes
	LoanID     *int64
	ReceiptID  *int64 // of a payment or reversal that went over the counter
	About      ledger.About
	Reason     string          // of a waiver, as somebody wrote it
	LineID     *int64          // the line of a returns run that caused it
	Why        json.RawMessage `gorm:"type:jsonb"`
	At         time.Time
	StaffID    *int64
	BranchCode *calendar.Code
}

func (Entry) TableName() string { return "ledger" }

// Disputed gives the disputed part of what a patron p owes: charges in dispute, or of loans that the patron disputes.
func Disputed(p, name string) string {
	return `CASE WHEN ` + p + `.balance > 0 THEN (SELECT coalesce(sum((SELECT sum(o.amount) FROM ledger o WHERE o.id = c.id OR o.settles = c.id)), 0)
			FROM ledger c WHERE c.patron_id = ` + p + `.id AND c.kind = 'charge' AND (
				EXISTS (SELECT 1 FROM disputes d WHERE d.charge_id = c.id AND d.ended_at IS NULL)
				OR EXISTS (SELECT 1 FROM claims m JOIN loans n ON n.id = m.loan_id AND n.returned_at IS NULL
					WHERE m.loan_id = c.loan_id AND m.undone_at IS NULL)))::bigint ELSE 0::bigint END AS ` + name
}

// AddEntry writes an entry of the ledger and gives it its id. The patron must be locked.
func AddEntry(tx *store.Tx, e *Entry) (err error) {
	if e.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(
		`INSERT INTO ledger (id, patron_id, kind, amount, settles, loan_id, receipt_id, about, reason, line_id, why, at,
				staff_id, branch_code, undoes)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15)`,
		e.ID,
		e.PatronID,
		e.Kind,
		e.Amount,
		e.Settles,
		e.LoanID,
		e.ReceiptID,
		e.About,
		e.Reason,
		e.LineID,
		e.Why,
		e.At,
		e.StaffID,
		e.BranchCode,
		e.Undoes,
	)
	return nil
}

// OpenCharge is a charge with what is still owed of it.
type OpenCharge struct {
	ID, PatronID int64
	Amount, Owed money.Amount
	About        ledger.About
	Title        string // of what it was charged for; may be empty
	At           time.Time
	Why          json.RawMessage
	Disputed     bool    // it waits, and stops nobody
	Invoice      *string // the number of the invoice that it stands on
}

// OpenCharges asks for the charges of patrons of which something is owed; whose, a condition on the patron's number says.
func OpenCharges(whose string) string {
	return `SELECT c.id, c.patron_id, c.amount, o.owed, c.about,
		(d.charge_id IS NOT NULL OR m.loan_id IS NOT NULL) AS disputed, v.number AS invoice, coalesce(b.name, CASE
			c.about WHEN 'manual' THEN c.reason END, '') AS title, c.at, c.why
	FROM ledger c JOIN LATERAL (SELECT c.amount + coalesce(sum(s.amount), 0)::bigint AS owed FROM ledger s
		WHERE s.settles = c.id) o ON o.owed > 0
	LEFT JOIN loans l ON l.id = c.loan_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = i.title_id
	LEFT JOIN disputes d ON d.charge_id = c.id AND d.ended_at IS NULL
	LEFT JOIN claims m ON m.loan_id = c.loan_id AND m.undone_at IS NULL AND l.returned_at IS NULL
	LEFT JOIN invoice_lines n ON n.charge_id = c.id AND NOT n.withdrawn LEFT JOIN invoices v ON v.id = n.invoice_id
	WHERE c.patron_id ` + whose + ` AND c.kind = 'charge' ORDER BY c.id`
}

// OpenChargeByID locks the patron of a charge, and gives it with what is still owed of it; nil where nothing is.
func OpenChargeByID(tx *store.Tx, id int64) (*OpenCharge, error) {
	c, err := ChargeLocked(tx, id)
	if err != nil || c == nil {
		return nil, err
	}
	rows, err := store.List[OpenCharge](tx, OpenCharges("= $1"), c.PatronID)
	at := slices.IndexFunc(rows, func(o OpenCharge) bool { return o.ID == id })
	if err != nil || at < 0 {
		return nil, err
	}
	return &rows[at], nil
}

// HouseholdCharges gives the others of a patron's household of whom something is owed, and their open charges, oldest first.
func HouseholdCharges(tx *store.Tx, patron int64) (who []peopledb.Patron, open []OpenCharge, err error) {
	const others = `= ANY (ARRAY(SELECT p.id FROM patrons o JOIN patrons p ON p.household_id = o.household_id AND p.id <> o.id
		WHERE o.id = $1 AND p.merged_into IS NULL AND p.forgotten_at IS NULL AND p.balance > 0))`
	q := &store.Questions{}
	store.Ask(q, &who, "SELECT "+peopledb.PatronColumns+" FROM patrons p WHERE p.id "+others+" ORDER BY p.legal_name, p.id", patron)
	store.Ask(q, &open, OpenCharges(others), patron)
	return who, open, tx.Send(q)
}

// SettlingFacts are the patrons, open charges and tills that a payment needs.
type SettlingFacts struct {
	Patrons []peopledb.Patron
	Charges []OpenCharge // of all of them, oldest first
	Tills   []Till       // that are open at the branch
	Paying  []AtTerminal // those of them who pay at a terminal now
}

// FactsToSettle locks patrons and gives them with their open charges, and the open tills of a branch.
func FactsToSettle(tx *store.Tx, patrons []int64, branch calendar.Code) (*SettlingFacts, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: patrons}, q)
	f := &SettlingFacts{}
	store.Ask(q, &f.Patrons, "SELECT "+peopledb.PatronColumns+" FROM patrons p WHERE p.id = ANY($1) ORDER BY p.id", patrons)
	store.Ask(q, &f.Charges, OpenCharges("= ANY($1)"), patrons)
	store.Ask(q, &f.Tills, tillColumns+" WHERE t.branch_code = $1 AND t.closed_at IS NULL ORDER BY t.id", branch)
	store.Ask(q, &f.Paying, atTerminal, patrons)
	return f, tx.Send(q)
}

// Billed gives what was charged for the price of a lost loan, with what has been done about it.
func Billed(tx *store.Tx, loan int64) ([]ledger.Billed, error) {
	return billed(tx, "c.loan_id = $1 AND c.kind = 'charge' AND c.about = 'lost'", loan)
}

// BilledBy gives one charge with what has been done about it.
func BilledBy(tx *store.Tx, charge int64) ([]ledger.Billed, error) {
	return billed(tx, "c.id = $1 AND c.kind = 'charge'", charge)
}

func billed(tx *store.Tx, which string, arg int64) ([]ledger.Billed, error) {
	rows, err := store.List[struct{ ID, Amount, Paid, Waived int64 }](tx, `SELECT c.id, c.amount,
			-coalesce(sum(s.amount) FILTER (WHERE s.kind IN ('payment', 'refund', 'reversal')), 0)::bigint AS paid,
			-coalesce(sum(s.amount) FILTER (WHERE s.kind IN ('waiver', 'unwaiver', 'correction')), 0)::bigint AS waived
		FROM ledger c LEFT JOIN ledger s ON s.settles = c.id
		WHERE `+which+` GROUP BY c.id ORDER BY c.id`, arg)
	out := make([]ledger.Billed, len(rows))
	for k, r := range rows {
		out[k] = ledger.Billed{
			Charge: r.ID,
			Amount: money.Amount(r.Amount),
			Paid:   money.Amount(r.Paid),
			Waived: money.Amount(r.Waived),
		}
	}
	return out, err
}

// ChargeNow is a charge as it stands.
type ChargeNow struct {
	ID, PatronID int64
	LoanID       *int64
	About        ledger.About
	BranchCode   *calendar.Code
	Balance      money.Amount // of the patron
}

// ChargeLocked locks the patron of a charge and gives it; nil where there is none.
func ChargeLocked(tx *store.Tx, id int64) (*ChargeNow, error) {
	whose, err := store.Value[int64](tx, "SELECT patron_id FROM ledger WHERE id = $1 AND kind = 'charge'", id)
	if err != nil || whose == 0 {
		return nil, err
	}
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: []int64{whose}}, q)
	var rows []ChargeNow
	store.Ask(q, &rows, `SELECT c.id, c.patron_id, c.loan_id, c.about, c.branch_code, p.balance FROM ledger c
		JOIN patrons p ON p.id = c.patron_id WHERE c.id = $1`, id)
	if err := tx.Send(q); err != nil {
		return nil, err
	}
	if !tx.Locked().HoldsPatron(rows[0].PatronID) {
		return nil, store.ErrMoved // merged into another record meanwhile
	}
	return &rows[0], nil
}

// WaiverNow is a waiver as it stands.
type WaiverNow struct {
	Entry
	Balance   money.Amount // of the patron
	Gone      bool         // the patron has been forgotten
	Undone    bool
	TakenBack bool // its charge has been, since
}

// WaiversLocked locks the patrons of waivers and gives those that there are, in their order.
func WaiversLocked(tx *store.Tx, ids []int64) ([]WaiverNow, error) {
	whose, err := store.Each[int64](tx, "SELECT DISTINCT patron_id FROM ledger WHERE id = ANY($1) AND kind = 'waiver'", ids)
	if err != nil || len(whose) == 0 {
		return nil, err
	}
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: whose}, q)
	var rows []WaiverNow
	store.Ask(q, &rows, `SELECT w.id, w.patron_id, w.amount, w.settles, w.loan_id, w.about, w.reason, w.at, w.branch_code, p.balance,
			p.forgotten_at IS NOT NULL AS gone,
			EXISTS (SELECT 1 FROM ledger u WHERE u.undoes = w.id) AS undone,
			EXISTS (SELECT 1 FROM ledger k WHERE k.settles = w.settles AND k.kind = 'correction') AS taken_back
		FROM ledger w JOIN patrons p ON p.id = w.patron_id WHERE w.id = ANY($1) AND w.kind = 'waiver' ORDER BY w.id`, ids)
	if err := tx.Send(q); err != nil {
		return nil, err
	}
	for _, r := range rows {
		if !tx.Locked().HoldsPatron(r.PatronID) {
			return nil, store.ErrMoved // merged into another record meanwhile
		}
	}
	return rows, nil
}

// Unwaive lets charges be open again that a waiver had settled: lines of returns runs have them on the account, and a dispute that
// the waiver ended goes on.
func Unwaive(tx *store.Tx, charge int64, waived time.Time) {
	tx.Queue("UPDATE return_lines SET answer = 'account' WHERE charge_id = $1 AND answer = 'waived'", charge)
	tx.Queue(`UPDATE disputes SET answer = '', ended_at = NULL, ended_by = NULL
		WHERE charge_id = $1 AND answer = 'waived' AND ended_at = $2`, charge, waived)
}

// StatementLine is an entry of an account, with what was owed after it.
type StatementLine struct {
	ID         int64
	At         time.Time
	Kind       ledger.Kind
	About      ledger.About
	Amount     money.Amount
	Balance    money.Amount // of the account, after it
	Title      string
	Note       string       // of a charge by hand, what it was for
	Owed       money.Amount // of a charge, what is still owed
	Reason     string
	Means      ledger.Means
	ReceiptID  *int64
	Who        *string
	BranchCode *calendar.Code
	Undone     bool // of a waiver
	TakenBack  bool
	Reversed   bool // of a payment
}

// Statement gives the entries of a patron's account, newest first.
func Statement(tx *store.Tx, patron int64, page store.Page) ([]StatementLine, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(l *StatementLine) store.Cursor { return store.Cursor{ID: l.ID} },
		`SELECT e.id, e.at, e.kind, e.about, e.amount, e.balance, coalesce(b.name, '') AS title,
			CASE WHEN c.about = 'manual' THEN c.reason ELSE '' END AS note, coalesce(o.owed, 0) AS owed,
			CASE WHEN e.kind <> 'charge' AND e.reason <> '' THEN e.reason ELSE coalesce(r.reason, '') END AS reason, coalesce(r.means, '') AS means,
			e.receipt_id, f.name AS who, e.branch_code,
			EXISTS (SELECT 1 FROM ledger u WHERE u.undoes = e.id) AS undone,
			EXISTS (SELECT 1 FROM ledger k WHERE k.settles = e.settles AND k.kind = 'correction') AS taken_back,
			EXISTS (SELECT 1 FROM receipts x WHERE x.reverses = e.receipt_id) AS reversed
		FROM (SELECT *, sum(amount) OVER (ORDER BY id)::bigint AS balance FROM ledger WHERE patron_id = $1) e
		JOIN ledger c ON c.id = coalesce(e.settles, e.id)
		LEFT JOIN LATERAL (SELECT sum(s.amount)::bigint AS owed FROM ledger s WHERE s.id = c.id OR s.settles = c.id) o ON true
		LEFT JOIN loans l ON l.id = c.loan_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles b ON b.id = i.title_id
		LEFT JOIN receipts r ON r.id = e.receipt_id LEFT JOIN staff f ON f.id = e.staff_id
		WHERE $2::bigint = 0 AND e.id < $3 ORDER BY e.id DESC`, patron)
}
