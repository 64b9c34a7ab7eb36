package accountsdb

import (
	"context"
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/terminal"
	"nevrin/store"
)

// TerminalPayment is a payment at a card terminal.
type TerminalPayment struct {
	ID         int64
	At         time.Time
	AskedAt    time.Time // by the clock of the machine
	BranchCode calendar.Code
	StaffID    int64
	StationID  *int64
	Terminal   string // where it is reached
	Reference  string // by which the terminal knows it, and no other network's
	TillID     *int64
	Amount     money.Amount
	Settling   json.RawMessage // what it is to settle, until it has ended
	State      terminal.State
	Sent       bool // the terminal may have been asked for it
	Silent     bool // the terminal does not say how it ended
	Says       string
	ReceiptID  *int64
	EndedAt    *time.Time
}

// terminalColumns has where a terminal is reached now: it may have got another address since it was asked.
const terminalColumns = `id, at, asked_at, branch_code, staff_id, station_id,
	coalesce((SELECT nullif(s.terminal, '') FROM stations s WHERE s.id = station_id), terminal) AS terminal, reference,
	till_id, amount, settling, state, sent, silent, says, receipt_id, ended_at `

const terminalPayments = "SELECT " + terminalColumns + "FROM terminal_payments "

// AddTerminalPayment writes a payment that is to be asked for. Who pays must be locked.
func AddTerminalPayment(tx *store.Tx, p *TerminalPayment, payers []int64) (err error) {
	if p.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(`INSERT INTO terminal_payments (id, at, branch_code, staff_id, station_id, terminal, till_id, amount,
			settling, state)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
		p.ID, p.At, p.BranchCode, p.StaffID, p.StationID, p.Terminal, p.TillID, p.Amount, p.Settling, p.State)
	tx.Queue("INSERT INTO terminal_payers (patron_id, payment_id) SELECT unnest($1::bigint[]), $2", payers, p.ID)
	return nil
}

// OneTerminalPayment gives a payment; nil where there is none.
func OneTerminalPayment(tx *store.Tx, id int64) (*TerminalPayment, error) {
	return store.One[TerminalPayment](tx, terminalPayments+"WHERE id = $1", id)
}

// LockTerminalPayment locks a payment and gives it; nil where there is none. It is locked after whoever pays.
func LockTerminalPayment(tx *store.Tx, id int64) (*TerminalPayment, error) {
	return store.One[TerminalPayment](tx, terminalPayments+"WHERE id = $1 FOR UPDATE", id)
}

// MoveTerminalPayment writes how far a payment has come. It must be locked. When it has ended, nobody pays at its terminal any more.
func MoveTerminalPayment(tx *store.Tx, p *TerminalPayment, at time.Time) {
	if !p.State.Ended() {
		tx.QueueOne("UPDATE terminal_payments SET state = $2, says = $3 WHERE id = $1", p.ID, p.State, p.Says)
		return
	}
	p.EndedAt, p.Settling = &at, nil
	tx.QueueOne(`UPDATE terminal_payments SET state = $2, says = $3, receipt_id = $4, ended_at = $5, settling = NULL
		WHERE id = $1`, p.ID, p.State, p.Says, p.ReceiptID, at)
	tx.Queue("DELETE FROM terminal_payers WHERE payment_id = $1", p.ID)
}

// OpenTerminalPayment gives a payment as it is now; nil where it has ended.
func OpenTerminalPayment(ctx context.Context, s *store.Store, id int64) (*TerminalPayment, error) {
	var rows []TerminalPayment
	err := s.ORM(ctx).Raw(terminalPayments+"WHERE id = ? AND ended_at IS NULL", id).Scan(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// SendTerminalPayment notes that a terminal is about to be asked for a payment.
func SendTerminalPayment(ctx context.Context, s *store.Store, id int64) error {
	return s.ORM(ctx).Exec("UPDATE terminal_payments SET sent = true WHERE id = ?", id).Error
}

// HearTerminalPayment notes whether what a terminal answers leads on.
func HearTerminalPayment(ctx context.Context, s *store.Store, id int64, answers bool) error {
	return s.ORM(ctx).Exec("UPDATE terminal_payments SET silent = ? WHERE id = ? AND silent = ?",
		!answers, id, answers).Error
}

// LeftTerminalPayments gives the payments that nobody works on.
func LeftTerminalPayments(ctx context.Context, s *store.Store) ([]int64, error) {
	var ids []int64
	err := s.ORM(ctx).
		Raw("SELECT id FROM terminal_payments WHERE ended_at IS NULL AND " + store.Unclaimed("payment") + " ORDER BY id LIMIT 1000").
		Scan(&ids).Error
	return ids, err
}

// AtTerminal is somebody who pays at a terminal now.
type AtTerminal struct {
	PatronID  int64
	PaymentID int64
	Amount    money.Amount
}

// OpenTerminalPayments gives the payments of a branch that have not ended, the oldest first.
func OpenTerminalPayments(tx *store.Tx, branch calendar.Code) ([]TerminalPayment, error) {
	return store.List[TerminalPayment](tx, terminalPayments+"WHERE ended_at IS NULL AND branch_code = $1 ORDER BY id", branch)
}

// PaysInto tells whether somebody pays into a till at a terminal now.
func PaysInto(tx *store.Tx, till int64) (bool, error) {
	return store.Value[bool](tx, "SELECT EXISTS (SELECT 1 FROM terminal_payments WHERE ended_at IS NULL AND till_id = $1)", till)
}

const atTerminal = `SELECT b.patron_id, b.payment_id, p.amount FROM terminal_payers b
	JOIN terminal_payments p ON p.id = b.payment_id WHERE b.patron_id = ANY($1)`
