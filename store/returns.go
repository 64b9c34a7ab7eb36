package store

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
)

const runColumns = "r.id, r.branch_code, r.mode, r.bin, r.day, r.counted_as, r.counted_at, r.let_off, r.excused, r.staff_id, r.opened_at, r.finished_at"

// OpenRun locks a branch's bin and gives its open run, or somebody's open run with a patron; nil for none; and whether the bin
// was emptied before on a day.
func (t *Tx) OpenRun(branch calendar.Code, staff int64, mode, bin string, day time.Time) (*ReturnRun, bool, error) {
	q := &questions{}
	t.take(Lock{Bin: string(branch) + " " + mode + " " + bin}, q)
	var runs []ReturnRun
	var emptied []bool
	ask(
		q,
		&runs,
		"SELECT "+runColumns+" FROM return_runs r WHERE r.branch_code = $1 AND r.mode = $3 AND r.finished_at IS NULL "+
			"AND CASE r.mode WHEN 'bin' THEN r.bin = $4 ELSE r.staff_id = $2 END",
		branch,
		staff,
		mode,
		bin,
	)
	askEach(
		q,
		&emptied,
		"SELECT EXISTS (SELECT 1 FROM return_runs r WHERE r.branch_code = $1 AND r.day = $2 AND r.bin = $3 AND r.mode = 'bin')",
		branch,
		day,
		bin,
	)
	if err := t.send(q); err != nil {
		return nil, false, err
	}
	if len(runs) == 0 {
		return nil, emptied[0], nil
	}
	return &runs[0], emptied[0], nil
}

// AddRun writes a run and gives it its id.
func (t *Tx) AddRun(r *ReturnRun) (err error) {
	if r.ID, err = t.NextID(); err != nil {
		return err
	}
	t.queue(
		"INSERT INTO return_runs (id, branch_code, mode, bin, day, counted_as, staff_id, opened_at) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)",
		r.ID,
		r.BranchCode,
		r.Mode,
		r.Bin,
		r.Day,
		r.CountedAs,
		r.StaffID,
		r.OpenedAt,
	)
	return nil
}

// CountRunAs writes what the next returns of a run count as, and the day for which that was chosen.
func (t *Tx) CountRunAs(r *ReturnRun) {
	t.queueOne(`UPDATE return_runs SET counted_as = $2, counted_at = $3, let_off = $4, excused = $5, day = $6
		WHERE id = $1 AND finished_at IS NULL`, r.ID, r.CountedAs, r.CountedAt, r.LetOff, r.Excused, r.Day)
}

// EmptiedBin is when a bin was emptied last.
type EmptiedBin struct {
	Bin        string
	Run        int64
	OpenedAt   time.Time
	FinishedAt *time.Time
	Who        string
	Lines      int
}

// EmptiedBins gives, by bin, the last run of a branch.
func (t *Tx) EmptiedBins(branch calendar.Code, bins []string) ([]EmptiedBin, error) {
	return list[EmptiedBin](t, `SELECT r.bin, r.id AS run, r.opened_at, r.finished_at, f.name AS who,
			(SELECT coalesce(sum(count), 0)::int FROM return_piles p WHERE p.run_id = r.id) AS lines
		FROM unnest($2::text[]) b CROSS JOIN LATERAL (SELECT * FROM return_runs o WHERE o.branch_code = $1 AND o.mode
			= 'bin'
			AND o.bin = b ORDER BY o.id DESC LIMIT 1) r JOIN staff f ON f.id = r.staff_id`, branch, bins)
}

// TickPile writes that somebody has looked at a pile of a run and found as many there as were counted; 0 takes that back.
func (t *Tx) TickPile(run int64, kind, place string, count int) {
	t.queueOne("UPDATE return_piles SET ticked = $4 WHERE run_id = $1 AND kind = $2 AND place = $3", run, kind, place, count)
}

// ExcuseLine writes why the lateness of a line is not charged after all.
func (t *Tx) ExcuseLine(id int64, why string) {
	t.queueOne("UPDATE return_lines SET excused = $2, answer = 'waived' WHERE id = $1 AND NOT undone", id, why)
}

// FinishRun ends a run; what is still open in it is answered: charges stay on accounts, notes on items.
func (t *Tx) FinishRun(run int64, at time.Time) {
	t.queue("UPDATE return_lines SET answer = 'account' WHERE run_id = $1 AND answer = 'open'", run)
	t.queue("UPDATE return_lines SET note_answer = 'stays' WHERE run_id = $1 AND note_answer = 'open'", run)
	t.queueOne("UPDATE return_runs SET finished_at = $2 WHERE id = $1 AND finished_at IS NULL", run, at)
}

// Pile is a destination of a run with how much lies there.
type Pile struct {
	Kind, Place string
	Count       int
	Ticked      int // how many lay there when somebody ticked it off
}

// OpenSum is what a patron still has to answer in a run.
type OpenSum struct {
	PatronID                 int64
	LegalName, PreferredName string
	New, Balance             int64 // minor units: new in this run and still owed; all that is owed
	Lines                    int
}

// RunState is a run with what is kept beside its lines.
type RunState struct {
	Run   ReturnRun
	Piles []Pile
	Open  []OpenSum
}

// openSums asks for what is still to be answered in a run, by patron; of one of them with a condition.
func openSums(of string) string {
	return `SELECT l.patron_id, p.legal_name, p.preferred_name, p.balance, count(*)::int AS lines,
		coalesce(sum((SELECT sum(e.amount) FROM ledger e WHERE e.id = l.charge_id OR e.settles = l.charge_id)),
			0)::bigint AS new
	FROM return_lines l JOIN patrons p ON p.id = l.patron_id
	WHERE l.run_id = $1 AND l.answer = 'open' AND NOT l.undone ` + of + `
	GROUP BY l.patron_id, p.id ORDER BY p.legal_name, p.id`
}

// OpenSumOf gives what one patron still has to answer in a run.
func (t *Tx) OpenSumOf(run, patron int64) ([]OpenSum, error) {
	return list[OpenSum](t, openSums("AND l.patron_id = $2"), run, patron)
}

// RunState locks a run, and the patrons whose asks are open in it, and gives it with its piles and open sums; nil
// where there is none.
func (t *Tx) RunState(id int64) (*RunState, error) {
	q := &questions{}
	t.take(Lock{Run: id, OpenOf: id}, q)
	return t.runState(q, id)
}

// LookAtRun gives the same without locking.
func (t *Tx) LookAtRun(id int64) (*RunState, error) { return t.runState(&questions{}, id) }

func (t *Tx) runState(q *questions, id int64) (*RunState, error) {
	var runs []ReturnRun
	s := &RunState{}
	ask(q, &runs, "SELECT "+runColumns+" FROM return_runs r WHERE r.id = $1", id)
	ask(
		q,
		&s.Piles,
		"SELECT kind, place, count, ticked FROM return_piles WHERE run_id = $1 AND count > 0 ORDER BY kind, place",
		id,
	)
	ask(q, &s.Open, openSums(""), id)
	if err := t.send(q); err != nil || len(runs) == 0 {
		return nil, err
	}
	s.Run = runs[0]
	return s, nil
}

// ReturnFacts is what a scan of a returns run asks for.
type ReturnFacts struct {
	Run    ReturnRun
	Facts  *Facts // nil: no item has the number
	Before bool   // the item was scanned before in this run
	Piles  []Pile
}

// ReturnFacts locks a run and, with a barcode, an item's borrower and title, and gives all that a return asks for; nil
// where there is no such run.
func (t *Tx) ReturnFacts(run int64, barcode string) (*ReturnFacts, error) {
	q := &questions{}
	t.take(Lock{Run: run, Barcode: barcode}, q)
	var runs []struct {
		ReturnRun
		Before bool
	}
	var items []itemRow
	r := &ReturnFacts{}
	ask(
		q,
		&runs,
		"SELECT "+runColumns+`, EXISTS (SELECT 1 FROM return_lines l WHERE l.run_id = r.id
				AND l.item_id = (SELECT id FROM items WHERE barcode = $2) AND NOT l.undone) AS before
		FROM return_runs r WHERE r.id = $1`,
		run,
		barcode,
	)
	ask(q, &r.Piles, "SELECT kind, place, count, ticked FROM return_piles WHERE run_id = $1", run)
	if barcode != "" {
		askItem(q, &items, barcode, 0)
	}
	if err := t.send(q); err != nil || len(runs) == 0 {
		return nil, err
	}
	r.Run, r.Before = runs[0].ReturnRun, runs[0].Before
	var err error
	r.Facts, err = t.settled(items)
	return r, err
}

// AddLine writes a line of a run. Its id must have been given.
func (t *Tx) AddLine(l *ReturnLine) {
	t.queue(
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

// CountPile counts a pile of a run up or down.
func (t *Tx) CountPile(run int64, kind, place string, by int) {
	t.queue(`INSERT INTO return_piles (run_id, kind, place, count) VALUES ($1, $2, $3, greatest($4, 0))
		ON CONFLICT (run_id, kind, place) DO UPDATE SET count = return_piles.count + $4`, run, kind, place, by)
}

// LineFacts is a line of a run with its run and what is going on with its item.
type LineFacts struct {
	Line   ReturnLine
	Run    ReturnRun
	Facts  *Facts  // nil: the line is of no item
	Billed []Entry // what the line itself has put on the account
	Owed   int64   // what is still owed of its charge
	Since  bool    // the item has been lent since, and that loan was not undone
}

const lineColumns = `l.id, l.run_id, l.at, l.text, l.item_id, l.loan_id, l.patron_id, l.found, l.sign, l.why,
		l.fine, l.charge_id, l.answer, l.undone,
	l.note, l.note_answer, l.then_sign, l.did, l.excused, l.staff_id`

// LineFacts locks the run, patron and title of a line, and gives what is known of it; nil where there is none.
func (t *Tx) LineFacts(id int64) (*LineFacts, error) {
	q := &questions{}
	t.take(Lock{Line: id}, q)
	var lines []ReturnLine
	var runs []ReturnRun
	var items []itemRow
	var owed []int64
	out := &LineFacts{}
	ask(q, &lines, "SELECT "+lineColumns+" FROM return_lines l WHERE l.id = $1", id)
	ask(
		q,
		&runs,
		"SELECT "+runColumns+" FROM return_runs r WHERE r.id = (SELECT run_id FROM return_lines WHERE id = $1)",
		id,
	)
	ask(q, &items, itemFacts+"i.id = (SELECT item_id FROM return_lines WHERE id = $1)", id)
	ask(
		q,
		&out.Billed,
		`SELECT id, patron_id, kind, amount, settles, loan_id, receipt_id, about, reason, line_id, at FROM ledger
				WHERE line_id = $1 ORDER BY id`,
		id,
	)
	askEach(
		q,
		&owed,
		`SELECT coalesce(sum(e.amount), 0)::bigint FROM return_lines l JOIN ledger e ON e.id = l.charge_id
				OR e.settles = l.charge_id WHERE l.id = $1`,
		id,
	)
	var since []bool
	askEach(
		q,
		&since,
		`SELECT EXISTS (SELECT 1 FROM return_lines r JOIN loans l ON l.item_id = r.item_id AND l.lent_at >= r.at
				AND l.id <> r.loan_id AND NOT l.undone WHERE r.id = $1)`,
		id,
	)
	if err := t.send(q); err != nil || len(lines) == 0 {
		return nil, err
	}
	out.Line, out.Run, out.Owed, out.Since = lines[0], runs[0], owed[0], since[0]
	if len(items) > 0 {
		out.Facts = items[0].facts()
	}
	return out, nil
}

// AnswerLine writes how the note of a line was answered, and where its item goes now.
func (t *Tx) AnswerLine(l *ReturnLine) {
	t.queueOne(
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
func (t *Tx) UndoLine(id int64) {
	t.queueOne("UPDATE return_lines SET undone = true WHERE id = $1 AND NOT undone", id)
}

// LeaveOnAccount answers what is open of a patron in a run: it stays on the account.
func (t *Tx) LeaveOnAccount(run, patron int64) {
	t.queue(
		"UPDATE return_lines SET answer = 'account' WHERE run_id = $1 AND patron_id = $2 AND answer = 'open'",
		run,
		patron,
	)
}

// AnswerSettled answers the open lines of a patron whose charges nothing is owed of any more.
func (t *Tx) AnswerSettled(patron int64, answer string) {
	t.queue(`UPDATE return_lines l SET answer = $2 WHERE l.patron_id = $1 AND l.answer = 'open'
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
func (t *Tx) Lines(run int64, page Page) ([]LineShown, Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return paged(t, page, func(l *LineShown) Cursor { return Cursor{ID: l.ID} },
		linesShown+"WHERE l.run_id = $1 AND $2::bigint = 0 AND l.id < $3 ORDER BY l.id DESC", run)
}

// OpenLines gives the lines of a run with an ask that waits: a note, or a charge of a patron (0: of nobody).
func (t *Tx) OpenLines(run int64) ([]LineShown, error) {
	return list[LineShown](
		t,
		linesShown+"WHERE l.run_id = $1 AND l.note_answer = 'open' AND NOT l.undone ORDER BY l.id DESC",
		run,
	)
}

// OneLine gives one line as a run shows it.
func (t *Tx) OneLine(id int64) (*LineShown, error) {
	return one[LineShown](t, linesShown+"WHERE l.id = $1", id)
}

// BroughtBack gives the lines of a run that ended a loan, in the order in which they were scanned; of a patron, or of all where
// it is 0.
func (t *Tx) BroughtBack(run, patron int64) ([]LineShown, error) {
	return list[LineShown](t, linesShown+`WHERE l.run_id = $1 AND l.loan_id IS NOT NULL AND NOT l.undone
		AND ($2 = 0 OR l.patron_id = $2) ORDER BY l.id`, run, patron)
}

// LinesOfPatron gives the lines of a patron in a run that have a charge.
func (t *Tx) LinesOfPatron(run, patron int64) ([]LineShown, error) {
	return list[LineShown](
		t,
		linesShown+"WHERE l.run_id = $1 AND l.patron_id = $2 AND l.charge_id IS NOT NULL ORDER BY l.id DESC",
		run,
		patron,
	)
}

// JSON writes a value for a jsonb column; nil gives null.
func JSON[T any](v *T) json.RawMessage {
	if v == nil {
		return nil
	}
	data, err := json.Marshal(v)
	if err != nil {
		panic("store: plain data did not marshal: " + err.Error())
	}
	return data
}
