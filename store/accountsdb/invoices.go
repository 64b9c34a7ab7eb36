package accountsdb

import (
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/store"
)

// Invoice is a bill to an institution.
type Invoice struct {
	ID          int64
	Number      string
	PatronID    int64
	BranchCode  calendar.Code
	MadeAt      time.Time
	Day, Due    time.Time
	Addressed   string // name and address as they stood then, a line each
	Note        string
	WithdrawnAt *time.Time
	Reason      string // why it was withdrawn
}

// InvoiceLine is a charge as it stands on an invoice.
type InvoiceLine struct {
	ChargeID  int64
	Text      string
	Amount    money.Amount
	Withdrawn bool
	Owed      money.Amount // still
	At        time.Time
}

// InvoiceShown is an invoice as lists show it.
type InvoiceShown struct {
	Invoice
	Who       string
	LegalName string
	Amount    money.Amount
	Owed      money.Amount
}

const invoicesShown = `SELECT v.id, v.number, v.patron_id, v.branch_code, v.made_at, v.day, v.due, v.addressed, v.note, v.withdrawn_at,
		v.reason, f.name AS who, p.legal_name, s.amount, s.owed
	FROM invoices v JOIN staff f ON f.id = v.made_by JOIN patrons p ON p.id = v.patron_id
	CROSS JOIN LATERAL (SELECT coalesce(sum(n.amount), 0)::bigint AS amount, coalesce(sum((SELECT sum(e.amount)
		FROM ledger e
			WHERE e.id = n.charge_id OR e.settles = n.charge_id)), 0)::bigint AS owed
		FROM invoice_lines n WHERE n.invoice_id = v.id) s `

// Invoices gives a page of invoices, the newest first; open ones alone, of which something is owed, or all.
func Invoices(tx *store.Tx, open bool, page store.Page) ([]InvoiceShown, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(v *InvoiceShown) store.Cursor { return store.Cursor{ID: v.ID} },
		invoicesShown+"WHERE (NOT $1 OR v.withdrawn_at IS NULL AND s.owed > 0) AND $2::bigint = 0 AND v.id < $3 ORDER BY v.id DESC", open)
}

// OneInvoice gives an invoice with its lines; nil where there is none.
func OneInvoice(tx *store.Tx, id int64) (*InvoiceShown, []InvoiceLine, error) {
	q := &store.Questions{}
	var rows []InvoiceShown
	var lines []InvoiceLine
	store.Ask(q, &rows, invoicesShown+"WHERE v.id = $1", id)
	store.Ask(q, &lines, `SELECT n.charge_id, n.text, n.amount, n.withdrawn, c.at,
			(SELECT sum(e.amount) FROM ledger e WHERE e.id = c.id OR e.settles = c.id)::bigint AS owed
		FROM invoice_lines n JOIN ledger c ON c.id = n.charge_id WHERE n.invoice_id = $1 ORDER BY n.charge_id`, id)
	if err := tx.Send(q); err != nil || len(rows) == 0 {
		return nil, nil, err
	}
	return &rows[0], lines, nil
}

// AddInvoice gives an invoice the next number of its year and writes it with its lines. The patron must be locked; who makes
// another one waits for this, so that no number is left out.
func AddInvoice(tx *store.Tx, v *Invoice, by int64, lines []InvoiceLine) (err error) {
	if v.ID, err = tx.NextID(); err != nil {
		return err
	}
	last, err := store.Value[int](tx, `INSERT INTO series (name, year, last) VALUES ('invoices', $1, 1)
		ON CONFLICT (name, year) DO UPDATE SET last = series.last + 1 RETURNING last`, v.Day.Year())
	if err != nil {
		return err
	}
	v.Number = fmt.Sprintf("%d-%04d", v.Day.Year(), last)
	tx.Queue(`INSERT INTO invoices (id, number, patron_id, branch_code, made_at, made_by, day, due, addressed, note)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
		v.ID, v.Number, v.PatronID, v.BranchCode, v.MadeAt, by, v.Day, v.Due, v.Addressed, v.Note)
	for _, l := range lines {
		tx.Queue("INSERT INTO invoice_lines (invoice_id, charge_id, text, amount) VALUES ($1, $2, $3, $4)",
			v.ID, l.ChargeID, l.Text, l.Amount)
	}
	return tx.Flush()
}

// WithdrawInvoice takes an invoice back: its charges stand as they are, and may stand on another.
func WithdrawInvoice(tx *store.Tx, id, by int64, at time.Time, reason string) {
	tx.QueueOne("UPDATE invoices SET withdrawn_at = $2, withdrawn_by = $3, reason = $4 WHERE id = $1 AND withdrawn_at IS NULL", id, at, by, reason)
	tx.Queue("UPDATE invoice_lines SET withdrawn = true WHERE invoice_id = $1", id)
}
