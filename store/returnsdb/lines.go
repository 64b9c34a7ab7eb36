package returnsdb

import (
	"encoding/json"
	"time"

	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/deskdb"
)

// ReturnLine is one scan of a returns run.
type ReturnLine struct {
	ID       int64
	RunID    int64
	At       time.Time
	Text     string
	ItemID   *int64
	LoanID   *int64
	PatronID *int64
	Found    circulation.Found
	Sign     json.RawMessage `gorm:"type:jsonb"`
	Why      json.RawMessage `gorm:"type:jsonb"`
	Fine     int64
	ChargeID *int64
	Answer   string
	Undone   bool

	Note       string
	NoteAnswer string
	ThenSign   json.RawMessage `gorm:"type:jsonb"`
	Did        json.RawMessage `gorm:"type:jsonb"`
	Excused    string          // why its lateness was not charged
	StaffID    *int64          // who scanned it
}

// ExcuseLine writes why the lateness of a line is not charged after all.
func ExcuseLine(tx *store.Tx, id int64, why string) {
	tx.QueueOne("UPDATE return_lines SET excused = $2, answer = 'waived' WHERE id = $1 AND NOT undone", id, why)
}

// AddLine writes a line of a run. Its id must have been given.
func AddLine(tx *store.Tx, l *ReturnLine) {
	tx.Queue(
		`INSERT INTO return_lines (id, run_id, at, text, item_id, loan_id, patron_id, found, sign, why, fine,
				charge_id, answer, note, note_answer, then_sign, did, excused, staff_id)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19)`,
		l.ID,
		l.RunID,
		l.At,
		l.Text,
		l.ItemID,
		l.LoanID,
		l.PatronID,
		l.Found,
		l.Sign,
		l.Why,
		l.Fine,
		l.ChargeID,
		l.Answer,
		l.Note,
		l.NoteAnswer,
		l.ThenSign,
		l.Did,
		l.Excused,
		l.StaffID,
	)
}

// LineFacts is a line of a run with its run and what is going on with its item.
type LineFacts struct {
	Line   ReturnLine
	Run    ReturnRun
	Facts  *deskdb.Facts      // nil: the line is of no item
	Billed []accountsdb.Entry // what the line itself has put on the account
	Owed   money.Amount       // what is still owed of its charge
	Since  bool               // the item has been lent since, and that loan was not undone
}

const lineColumns = `l.id, l.run_id, l.at, l.text, l.item_id, l.loan_id, l.patron_id, l.found, l.sign, l.why,
		l.fine, l.charge_id, l.answer, l.undone,
	l.note, l.note_answer, l.then_sign, l.did, l.excused, l.staff_id`

// FactsOfLine locks the run, patron and title of a line, and gives what is known of it; nil where there is none.
func FactsOfLine(tx *store.Tx, id int64) (*LineFacts, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Line: id}, q)
	var lines []ReturnLine
	var runs []ReturnRun
	var items []deskdb.ItemRow
	var owed []money.Amount
	out := &LineFacts{}
	store.Ask(q, &lines, "SELECT "+lineColumns+" FROM return_lines l WHERE l.id = $1", id)
	store.Ask(
		q,
		&runs,
		"SELECT "+runColumns+" FROM return_runs r WHERE r.id = (SELECT run_id FROM return_lines WHERE id = $1)",
		id,
	)
	store.Ask(q, &items, deskdb.SelectItem+"i.id = (SELECT item_id FROM return_lines WHERE id = $1)", id)
	store.Ask(
		q,
		&out.Billed,
		`SELECT id, patron_id, kind, amount, settles, loan_id, receipt_id, about, reason, line_id, at FROM ledger
				WHERE line_id = $1 ORDER BY id`,
		id,
	)
	store.AskEach(
		q,
		&owed,
		`SELECT coalesce(sum(e.amount), 0)::bigint FROM return_lines l JOIN ledger e ON e.id = l.charge_id
				OR e.settles = l.charge_id WHERE l.id = $1`,
		id,
	)
	var since []bool
	store.AskEach(
		q,
		&since,
		`SELECT EXISTS (SELECT 1 FROM return_lines r JOIN loans l ON l.item_id = r.item_id AND l.lent_at >= r.at
				AND l.id <> r.loan_id AND NOT l.undone WHERE r.id = $1)`,
		id,
	)
	if err := tx.Send(q); err != nil || len(lines) == 0 {
		return nil, err
	}
	out.Line, out.Run, out.Owed, out.Since = lines[0], runs[0], owed[0], since[0]
	if len(items) > 0 {
		out.Facts = items[0].Facts()
	}
	return out, nil
}

// AnswerLine writes how the note of a line was answered, and where its item goes now.
func AnswerLine(tx *store.Tx, l *ReturnLine) {
	tx.QueueOne(
		"UPDATE return_lines SET note = $2, note_answer = $3, sign = $4, did = $5, then_sign = $6 WHERE id = $1 AND NOT undone",
		l.ID,
		l.Note,
		l.NoteAnswer,
		l.Sign,
		l.Did,
		l.ThenSign,
	)
}

// UndoLine marks a line as undone.
func UndoLine(tx *store.Tx, id int64) {
	tx.QueueOne("UPDATE return_lines SET undone = true WHERE id = $1 AND NOT undone", id)
}

// LeaveOnAccount answers what is open of a patron in a run: it stays on the account.
func LeaveOnAccount(tx *store.Tx, run, patron int64) {
	tx.Queue(
		"UPDATE return_lines SET answer = 'account' WHERE run_id = $1 AND patron_id = $2 AND answer = 'open'",
		run,
		patron,
	)
}

// AnswerSettled answers the open lines of a patron whose charges nothing is owed of any more.
func AnswerSettled(tx *store.Tx, patron int64, answer string) {
	tx.Queue(`UPDATE return_lines l SET answer = $2 WHERE l.patron_id = $1 AND l.answer = 'open'
		AND (SELECT sum(e.amount) FROM ledger e WHERE e.id = l.charge_id OR e.settles = l.charge_id) = 0`, patron, answer)
}

// LineShown is a line as a run shows it.
type LineShown struct {
	ReturnLine
	Barcode, TitleName       *string
	Home, CallNumber         *string
	Parts                    *int
	PartsSay                 *string
	Who                      *string // who scanned it
	LegalName, PreferredName *string
}

const linesShown = `SELECT ` + lineColumns + `, i.barcode, t.name AS title_name, i.branch_code AS home, i.call_number, i.parts, i.parts_say,
		f.name AS who, p.legal_name, p.preferred_name
	FROM return_lines l LEFT JOIN staff f ON f.id = l.staff_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN
		titles t ON t.id = i.title_id LEFT
		JOIN patrons p ON p.id = l.patron_id `

// Lines gives a page of a run's lines, newest first.
func Lines(tx *store.Tx, run int64, page store.Page) ([]LineShown, store.Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return store.Paged(tx, page, func(l *LineShown) store.Cursor { return store.Cursor{ID: l.ID} },
		linesShown+"WHERE l.run_id = $1 AND $2::bigint = 0 AND l.id < $3 ORDER BY l.id DESC", run)
}

// OpenLines gives the lines of a run with an ask that waits: a note, or a charge of a patron (0: of nobody).
func OpenLines(tx *store.Tx, run int64) ([]LineShown, error) {
	return store.List[LineShown](
		tx,
		linesShown+"WHERE l.run_id = $1 AND l.note_answer = 'open' AND NOT l.undone ORDER BY l.id DESC",
		run,
	)
}

// OneLine gives one line as a run shows it.
func OneLine(tx *store.Tx, id int64) (*LineShown, error) {
	return store.One[LineShown](tx, linesShown+"WHERE l.id = $1", id)
}

// BroughtBack gives the lines of a run that ended a loan, in the order in which they were scanned; of a patron, or of all where
// it is 0.
func BroughtBack(tx *store.Tx, run, patron int64) ([]LineShown, error) {
	return store.List[LineShown](tx, linesShown+`WHERE l.run_id = $1 AND l.loan_id IS NOT NULL AND NOT l.undone
		AND ($2 = 0 OR l.patron_id = $2) ORDER BY l.id`, run, patron)
}

// LinesOfPatron gives the lines of a patron in a run that have a charge.
func LinesOfPatron(tx *store.Tx, run, patron int64) ([]LineShown, error) {
	return store.List[LineShown](
		tx,
		linesShown+"WHERE l.run_id = $1 AND l.patron_id = $2 AND l.charge_id IS NOT NULL ORDER BY l.id DESC",
		run,
		patron,
	)
}
