package store

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
)

// Retried counts acts that were tried again, over the life of the program.
var Retried atomic.Int64

// Lock names what an act is about to touch. Everything is locked in one order:
//
//  1. the bin of a branch, 2. a returns run or an inventory, 3. patrons by id, 4. titles by id, 5. rosters by id, 6. requests to and from
//     outside.
//     A change of calendars has the network before all of these.
//
// A title stands for its queue and all its copies: whoever changes where an item is, or a hold, has its title. A
// patron stands for their loans' dates, their money and their answers in runs. Lines, items, loans, holds and transits
// are only changed under these. Patrons and titles may be named by what tells them: an item, a loan, a hold or a line
// of a run. Since that may change before the lock is given, who looks at the facts checks Holds.
type Lock struct {
	Bin     string // branch and bin
	Run     int64
	Line    int64 // its run, patron and title
	OpenOf  int64 // the patrons whose asks are open in a run
	Patrons []int64
	Titles  []int64
	Barcode string  // its title, and the patron who has it
	Item    int64   // likewise
	Loan    int64   // likewise, its patron
	Hold    int64   // its title and patron
	Loans   []int64 // their patrons
	Holds   []int64 // their titles
	HoldsOf int64   // the titles on which this patron has open holds, or has something of a merge
	SignUp  int64   // the patron of its temporary card
	Rosters []int64
	Pupils  []int64 // the patrons who are in these rosters
}

// Locked are the rows that are locked.
type Locked struct {
	Run     int64
	Patrons []int64
	Titles  []int64
	Rosters []int64

	reached place // the last in the order of what has been locked
}

// place is the place of something in the one order.
type place int

// The places, of those that have one.
const (
	placeOfBin place = iota + 1
	placeOfRun
	placeOfPatrons
	placeOfTitles
	placeOfRosters
)

// ErrOrder says that an act takes a lock that stands before what it holds. Two such acts could wait for each other for ever, so it is a
// mistake of ours, and ends the act.
var ErrOrder = errors.New("a lock was taken out of the one order")

// takes looks whether the locks just given at a place, by their ids, stand behind all that were held. What was held already may be named
// again. What is held is in order by that, however much it is.
func (l *Locked) takes(at place, held *[]int64, given []int64) error {
	for _, id := range given {
		if holds(*held, id) {
			continue
		}
		if n := len(*held); l.reached > at || n > 0 && id < (*held)[n-1] {
			return fmt.Errorf("%w: at place %d, after place %d", ErrOrder, at, l.reached)
		}
		*held = append(*held, id)
		l.reached = at
	}
	return nil
}

// holds tells whether an id is among some in order.
func holds(held []int64, id int64) bool {
	_, found := slices.BinarySearch(held, id)
	return found
}

// HoldsPatron tells whether the patron is locked; HoldsTitle whether the title is.
func (l Locked) HoldsPatron(id int64) bool { return holds(l.Patrons, id) }

// HoldsTitle tells whether the title is locked.
func (l Locked) HoldsTitle(id int64) bool { return holds(l.Titles, id) }

const lockRun = `SELECT id FROM return_runs WHERE id = coalesce(nullif($1::bigint, 0), (SELECT run_id
		FROM return_lines WHERE id = $2)) FOR NO KEY UPDATE`

// tells is how a lock may name patrons and titles: by a question that gives their ids, for one argument.
type tells struct{ patrons, titles string }

var (
	byBarcode = tells{
		"SELECT l.patron_id FROM items i JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL " +
			"WHERE i.barcode = $%d",
		"SELECT i.title_id FROM items i WHERE i.barcode = $%d",
	}
	byItem = tells{
		"SELECT l.patron_id FROM loans l WHERE l.item_id = $%d AND l.returned_at IS NULL",
		"SELECT i.title_id FROM items i WHERE i.id = $%d",
	}
	byLoan = tells{
		"SELECT l.patron_id FROM loans l WHERE l.id = $%d",
		"SELECT i.title_id FROM loans l JOIN items i ON i.id = l.item_id WHERE l.id = $%d",
	}
	byHold = tells{"SELECT h.patron_id FROM holds h WHERE h.id = $%d", "SELECT h.title_id FROM holds h WHERE h.id = $%d"}
	byLine = tells{
		"SELECT r.patron_id FROM return_lines r WHERE r.id = $%d",
		"SELECT i.title_id FROM return_lines r JOIN items i ON i.id = r.item_id WHERE r.id = $%d",
	}
	byOpenAsks = tells{
		patrons: "SELECT r.patron_id FROM return_lines r " +
			"WHERE r.run_id = $%d AND (r.answer = 'open' OR r.note_answer = 'open')",
	}
	byLoans = tells{patrons: "SELECT l.patron_id FROM loans l WHERE l.id = ANY($%d::bigint[])"}
	byHolds = tells{titles: "SELECT h.title_id FROM holds h WHERE h.id = ANY($%d::bigint[])"}
	// What a merge has moved or ended is told by what it did, whoever has it now.
	byHoldsOf = tells{
		titles: "SELECT h.title_id FROM holds h WHERE h.closed_at IS NULL AND h.patron_id = $%[1]d UNION " +
			"SELECT h.title_id FROM merges m CROSS JOIN LATERAL jsonb_array_elements_text(m.did->'holds' || (m.did->'ended')) d(id) " +
			"JOIN holds h ON h.id = d.id::bigint WHERE m.gone_id = $%[1]d AND m.undone_at IS NULL",
	}
	bySignUp  = tells{patrons: "SELECT s.patron_id FROM sign_ups s WHERE s.id = $%d"}
	byRosters = tells{patrons: "SELECT m.patron_id FROM roster_members m WHERE m.roster_id = ANY($%d::bigint[])"}
	byIDs     = tells{"SELECT unnest($%d::bigint[])", "SELECT unnest($%d::bigint[])"}
)

// LockFirst puts the locks before further questions, so that these see what is so once they are given.
func (t *Tx) LockFirst(l Lock, q *Questions) {
	if l.Bin != "" {
		t.locked.reached = max(t.locked.reached, placeOfBin)
		Do(q, "SELECT pg_advisory_xact_lock(hashtextextended($1, 1))", l.Bin)
	}
	if l.Run != 0 || l.Line != 0 {
		q.batch.Queue(lockRun, l.Run, l.Line)
		q.reads = append(q.reads, func(rows pgx.Rows) error {
			ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
			if err != nil || len(ids) != 1 {
				return err
			}
			held := []int64{}
			if t.locked.Run != 0 {
				held = append(held, t.locked.Run)
			}
			t.locked.Run = ids[0]
			return t.locked.takes(placeOfRun, &held, ids)
		})
	}
	var patrons, titles, rosters naming
	for _, n := range []struct {
		by    tells
		given bool
		arg   any
	}{
		{byBarcode, l.Barcode != "", l.Barcode}, {byItem, l.Item != 0, l.Item}, {byLoan, l.Loan != 0, l.Loan},
		{byHold, l.Hold != 0, l.Hold}, {byLoans, len(l.Loans) > 0, l.Loans}, {byHolds, len(l.Holds) > 0, l.Holds}, {byHoldsOf, l.HoldsOf != 0, l.HoldsOf},
		{bySignUp, l.SignUp != 0, l.SignUp},
		{byLine, l.Line != 0, l.Line}, {byOpenAsks, l.OpenOf != 0, l.OpenOf},
	} {
		if n.given {
			patrons.add(n.by.patrons, n.arg)
			titles.add(n.by.titles, n.arg)
		}
	}
	if len(l.Patrons) > 0 {
		patrons.add(byIDs.patrons, l.Patrons)
	}
	if len(l.Titles) > 0 {
		titles.add(byIDs.titles, l.Titles)
	}
	if len(l.Pupils) > 0 {
		patrons.add(byRosters.patrons, l.Pupils)
	}
	if len(l.Rosters) > 0 {
		rosters.add("SELECT unnest($%d::bigint[])", l.Rosters)
	}
	t.lockNamed(q, placeOfPatrons, &t.locked.Patrons, "patrons", patrons)
	t.lockNamed(q, placeOfTitles, &t.locked.Titles, "titles", titles)
	t.lockNamed(q, placeOfRosters, &t.locked.Rosters, "rosters", rosters)
}

// KeepTime has told what time it is whenever locks were given: an act that had to wait for another comes after it, in
// its times too, though it was begun before.
// An error of it ends the act: the clock may have been set back meanwhile.
func (t *Tx) KeepTime(tell func(now time.Time) error) { t.keepTime = tell }

// AskTime asks a question that locks something and gives what time it is then.
func (t *Tx) AskTime(q *Questions, query string, args ...any) {
	q.batch.Queue(query, args...)
	q.reads = append(q.reads, func(rows pgx.Rows) error {
		times, err := pgx.CollectRows(rows, pgx.RowTo[time.Time])
		if err == nil && len(times) > 0 && t.keepTime != nil {
			err = t.keepTime(times[len(times)-1])
		}
		return err
	})
}

// naming is the questions that together name what is to be locked.
type naming struct {
	questions []string
	args      []any
}

func (n *naming) add(question string, arg any) {
	if question == "" {
		return
	}
	n.args = append(n.args, arg)
	n.questions = append(n.questions, fmt.Sprintf(question, len(n.args)))
}

// lockNamed locks the rows of a table that are named, in the order of their ids.
func (t *Tx) lockNamed(q *Questions, at place, into *[]int64, table string, n naming) {
	if len(n.questions) == 0 {
		return
	}
	// The time is read of each row once it is locked.
	query := fmt.Sprintf(
		"SELECT id, %s AS now FROM (SELECT id FROM %s WHERE id = ANY(ARRAY(%s)) ORDER BY id FOR NO KEY UPDATE) locked",
		Clock,
		table,
		strings.Join(n.questions, " UNION "),
	)
	q.batch.Queue(query, n.args...)
	q.reads = append(q.reads, func(rows pgx.Rows) error {
		locked, err := pgx.CollectRows(rows, pgx.RowToStructByName[struct {
			ID  int64
			Now time.Time
		}])
		ids := make([]int64, len(locked))
		for k, l := range locked {
			ids[k] = l.ID
		}
		if err == nil {
			err = t.locked.takes(at, into, ids)
		}
		if err == nil && len(locked) > 0 && t.keepTime != nil {
			err = t.keepTime(locked[len(locked)-1].Now)
		}
		return err
	})
}

// Lock takes locks by themselves.
func (t *Tx) Lock(l Lock) error {
	q := &Questions{}
	t.LockFirst(l, q)
	return t.Send(q)
}

// Locked gives what this transaction has locked so far.
func (t *Tx) Locked() Locked { return t.locked }
