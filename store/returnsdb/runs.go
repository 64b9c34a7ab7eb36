package returnsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/deskdb"
)

// ReturnRun is one emptying of a bin, or one patron at the desk.
type ReturnRun struct {
	ID         int64
	BranchCode calendar.Code
	Mode       string
	Bin        string
	Day        time.Time  `gorm:"type:date"` // the branch's date when it was opened
	CountedAs  *time.Time `gorm:"type:date"` // what returns count as: a date, or an instant; neither: when they happen
	CountedAt  *time.Time
	LetOff     int    // days of lateness, of each return
	Excused    string // why nothing is charged: the library itself was at fault
	StaffID    int64
	OpenedAt   time.Time
	FinishedAt *time.Time
}

const runColumns = "r.id, r.branch_code, r.mode, r.bin, r.day, r.counted_as, r.counted_at, r.let_off, r.excused, r.staff_id, r.opened_at, r.finished_at"

// OpenRun locks a branch's bin and gives its open run, or somebody's open run with a patron; nil for none; and whether the bin
// was emptied before on a day.
func OpenRun(tx *store.Tx, branch calendar.Code, staff int64, mode, bin string, day time.Time) (*ReturnRun, bool, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Bin: string(branch) + " " + mode + " " + bin}, q)
	var runs []ReturnRun
	var emptied []bool
	store.Ask(
		q,
		&runs,
		"SELECT "+runColumns+" FROM return_runs r WHERE r.branch_code = $1 AND r.mode = $3 AND r.finished_at IS NULL "+
			"AND CASE r.mode WHEN 'bin' THEN r.bin = $4 ELSE r.staff_id = $2 END",
		branch,
		staff,
		mode,
		bin,
	)
	store.AskEach(
		q,
		&emptied,
		"SELECT EXISTS (SELECT 1 FROM return_runs r WHERE r.branch_code = $1 AND r.day = $2 AND r.bin = $3 AND r.mode = 'bin')",
		branch,
		day,
		bin,
	)
	if err := tx.Send(q); err != nil {
		return nil, false, err
	}
	if len(runs) == 0 {
		return nil, emptied[0], nil
	}
	return &runs[0], emptied[0], nil
}

// AddRun writes a run and gives it its id.
func AddRun(tx *store.Tx, r *ReturnRun) (err error) {
	if r.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(
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
func CountRunAs(tx *store.Tx, r *ReturnRun) {
	tx.QueueOne(`UPDATE return_runs SET counted_as = $2, counted_at = $3, let_off = $4, excused = $5, day = $6
		WHERE id = $1 AND finished_at IS NULL`, r.ID, r.CountedAs, r.CountedAt, r.LetOff, r.Excused, r.Day)
}

// EmptiedBin is a bin with the time it was last emptied.
type EmptiedBin struct {
	Bin        string
	Run        int64
	OpenedAt   time.Time
	FinishedAt *time.Time
	Who        string
	Lines      int
}

// EmptiedBins gives, by bin, the last run of a branch.
func EmptiedBins(tx *store.Tx, branch calendar.Code, bins []string) ([]EmptiedBin, error) {
	return store.List[EmptiedBin](tx, `SELECT r.bin, r.id AS run, r.opened_at, r.finished_at, f.name AS who,
			(SELECT coalesce(sum(count), 0)::int FROM return_piles p WHERE p.run_id = r.id) AS lines
		FROM unnest($2::text[]) b CROSS JOIN LATERAL (SELECT * FROM return_runs o WHERE o.branch_code = $1 AND o.mode
			= 'bin'
			AND o.bin = b ORDER BY o.id DESC LIMIT 1) r JOIN staff f ON f.id = r.staff_id`, branch, bins)
}

// TickPile writes that somebody has looked at a pile of a run and found as many there as were counted; 0 takes that back.
func TickPile(tx *store.Tx, run int64, kind, place string, count int) {
	tx.QueueOne("UPDATE return_piles SET ticked = $4 WHERE run_id = $1 AND kind = $2 AND place = $3", run, kind, place, count)
}

// FinishRun ends a run; what is still open in it is answered: charges stay on accounts, notes on items.
func FinishRun(tx *store.Tx, run int64, at time.Time) {
	tx.Queue("UPDATE return_lines SET answer = 'account' WHERE run_id = $1 AND answer = 'open'", run)
	tx.Queue("UPDATE return_lines SET note_answer = 'stays' WHERE run_id = $1 AND note_answer = 'open'", run)
	tx.QueueOne("UPDATE return_runs SET finished_at = $2 WHERE id = $1 AND finished_at IS NULL", run, at)
}

// Pile is a destination of a run with how much lies there.
type Pile struct {
	Kind, Place string
	Count       int
	Ticked      int // how many lay there when somebody ticked it off
}

// OpenSum is what a patron has been asked to pay in a batch.
type OpenSum struct {
	PatronID                 int64
	LegalName, PreferredName string
	New, Balance             money.Amount // minor units: new in this run and still owed; all that is owed
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
func OpenSumOf(tx *store.Tx, run, patron int64) ([]OpenSum, error) {
	return store.List[OpenSum](tx, openSums("AND l.patron_id = $2"), run, patron)
}

// StateOfRun locks a run, and the patrons whose asks are open in it, and gives it with its piles and open sums; nil
// where there is none.
func StateOfRun(tx *store.Tx, id int64) (*RunState, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Run: id, OpenOf: id}, q)
	return runState(tx, q, id)
}

// LookAtRun gives the same without locking.
func LookAtRun(tx *store.Tx, id int64) (*RunState, error) {
	return runState(tx, &store.Questions{}, id)
}

func runState(tx *store.Tx, q *store.Questions, id int64) (*RunState, error) {
	var runs []ReturnRun
	s := &RunState{}
	store.Ask(q, &runs, "SELECT "+runColumns+" FROM return_runs r WHERE r.id = $1", id)
	store.Ask(
		q,
		&s.Piles,
		"SELECT kind, place, count, ticked FROM return_piles WHERE run_id = $1 AND count > 0 ORDER BY kind, place",
		id,
	)
	store.Ask(q, &s.Open, openSums(""), id)
	if err := tx.Send(q); err != nil || len(runs) == 0 {
		return nil, err
	}
	s.Run = runs[0]
	return s, nil
}

// ReturnFacts are the batch, item and loan that a scan of a return needs.
type ReturnFacts struct {
	Run    ReturnRun
	Facts  *deskdb.Facts // nil: no item has the number
	Before bool          // the item was scanned before in this run
	Piles  []Pile
}

// FactsOfReturn locks a run and, with a barcode, an item's borrower and title, and gives all that a return asks for; nil
// where there is no such run.
func FactsOfReturn(tx *store.Tx, run int64, barcode string) (*ReturnFacts, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Run: run, Barcode: barcode}, q)
	var runs []struct {
		ReturnRun
		Before bool
	}
	var items []deskdb.ItemRow
	r := &ReturnFacts{}
	store.Ask(
		q,
		&runs,
		"SELECT "+runColumns+`, EXISTS (SELECT 1 FROM return_lines l WHERE l.run_id = r.id
				AND l.item_id = (SELECT id FROM items WHERE barcode = $2) AND NOT l.undone) AS before
		FROM return_runs r WHERE r.id = $1`,
		run,
		barcode,
	)
	store.Ask(q, &r.Piles, "SELECT kind, place, count, ticked FROM return_piles WHERE run_id = $1", run)
	if barcode != "" {
		deskdb.AskItem(q, &items, barcode, 0)
	}
	if err := tx.Send(q); err != nil || len(runs) == 0 {
		return nil, err
	}
	r.Run, r.Before = runs[0].ReturnRun, runs[0].Before
	var err error
	r.Facts, err = deskdb.Settled(tx, items)
	return r, err
}

// CountPile counts a pile of a run up or down.
func CountPile(tx *store.Tx, run int64, kind, place string, by int) {
	tx.Queue(`INSERT INTO return_piles (run_id, kind, place, count) VALUES ($1, $2, $3, greatest($4, 0))
		ON CONFLICT (run_id, kind, place) DO UPDATE SET count = return_piles.count + $4`, run, kind, place, by)
}
