package transitsdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/tote"
	"nevrin/store"
)

// Tote is a box in which things go from one branch to another.
type Tote struct {
	ID         int64
	FromBranch calendar.Code
	ToBranch   calendar.Code
	State      tote.State
	OpenedAt   time.Time
	ClosedAt   *time.Time
	LeftAt     *time.Time
	RunID      *string
	RunDate    *time.Time
	AtBranch   calendar.Code // where it was seen last
	SeenAt     time.Time
	EndedAt    *time.Time
}

const toteColumns = `b.id, b.from_branch, b.to_branch, b.state, b.opened_at, b.closed_at, b.left_at, b.run_id, b.run_date, b.at_branch,
	b.seen_at, b.ended_at`

// ToteShown is a tote with what is in it.
type ToteShown struct {
	Tote
	Things   int        // that went into it
	Inside   int        // that have not come out
	Holds    int        // of those, how many somebody waits for
	Promised *time.Time // when the last of it is to be there
}

// inIt tells what went with a tote: what is in it, and what came out after it was closed. What was taken out before
// never went.
const inIt = "coalesce(r.ended_at > b.closed_at, r.ended_at IS NULL)"

const toteShown = `SELECT ` + toteColumns + `, n.things, n.inside, n.holds, n.promised FROM totes b CROSS JOIN LATERAL (
		SELECT count(*)::int AS things, count(*) FILTER (WHERE r.ended_at IS NULL)::int AS inside,
			count(r.hold_id) FILTER (WHERE r.ended_at IS NULL)::int AS holds,
			max(r.promised_at) FILTER (WHERE r.ended_at IS NULL) AS promised
		FROM transits r WHERE r.tote_id = b.id AND ` + inIt + `) n `

// Totes gives the totes that have not ended and that come from a branch, go to it, or are at it.
func Totes(tx *store.Tx, branch calendar.Code) ([]ToteShown, error) {
	return store.List[ToteShown](tx, toteShown+`WHERE b.ended_at IS NULL AND (b.from_branch = $1 OR b.to_branch = $1 OR b.at_branch = $1)
		ORDER BY b.to_branch, b.id`, branch)
}

// TotesAway gives the totes that a run has taken and that have not come.
func TotesAway(tx *store.Tx) ([]ToteShown, error) {
	return store.List[ToteShown](tx, toteShown+"WHERE b.ended_at IS NULL AND b.state = 'away' AND b.run_id IS NOT NULL ORDER BY b.id")
}

// PastTotes gives a page of the totes from or to a branch that have been unpacked or declared lost, the last first.
func PastTotes(tx *store.Tx, branch calendar.Code, page store.Page) ([]ToteShown, store.Page, error) {
	at := func(r *ToteShown) store.Cursor {
		return store.Cursor{ID: r.ID, Text: r.EndedAt.UTC().Format(time.RFC3339Nano)}
	}
	return store.Paged(tx, page, at, toteShown+`WHERE b.ended_at IS NOT NULL AND (b.from_branch = $1 OR b.to_branch = $1)
			AND $2::bigint >= 0 AND (b.ended_at, b.id) < (coalesce(nullif($3, ''), 'infinity')::timestamptz,
				coalesce(nullif($4::bigint, 0), 9223372036854775807))
		ORDER BY b.ended_at DESC, b.id DESC`, branch)
}

// ToteByID gives a tote; nil where there is none.
func ToteByID(tx *store.Tx, id int64) (*ToteShown, error) {
	return store.One[ToteShown](tx, toteShown+"WHERE b.id = $1", id)
}

// LockTote gives a tote of which nobody else changes anything meanwhile; nil where there is none. Totes are locked
// after titles.
func LockTote(tx *store.Tx, id int64) (*Tote, error) {
	return store.One[Tote](tx, "SELECT "+toteColumns+" FROM totes b WHERE b.id = $1 FOR NO KEY UPDATE", id)
}

// BeginTote begins to fill a tote and gives its number; 0 where one from there to there is being filled already.
func BeginTote(tx *store.Tx, from, to calendar.Code, at time.Time) (int64, error) {
	return store.Value[int64](tx, `INSERT INTO totes (from_branch, to_branch, opened_at, at_branch, seen_at) VALUES ($1, $2, $3, $1, $3)
		ON CONFLICT (from_branch, to_branch) WHERE state = 'open' DO NOTHING RETURNING id`, from, to, at)
}

// OpenTote gives the number of the tote that is being filled from one branch to another; 0 for none.
func OpenTote(tx *store.Tx, from, to calendar.Code) (int64, error) {
	return store.Value[int64](tx, "SELECT id FROM totes WHERE from_branch = $1 AND to_branch = $2 AND state = 'open'", from, to)
}

// KeepTote writes how a tote is.
func KeepTote(tx *store.Tx, b *Tote) {
	tx.QueueOne(`UPDATE totes SET state = $2, closed_at = $3, left_at = $4, run_id = $5, run_date = $6, at_branch = $7, seen_at = $8,
		ended_at = $9 WHERE id = $1`, b.ID, b.State, b.ClosedAt, b.LeftAt, b.RunID, b.RunDate, b.AtBranch, b.SeenAt, b.EndedAt)
}

// DropTote takes a tote away with which nothing ever went. What was put in and taken out again knows of it no more.
func DropTote(tx *store.Tx, id int64) {
	tx.Queue("UPDATE transits SET tote_id = NULL WHERE tote_id = $1", id)
	tx.QueueOne("DELETE FROM totes WHERE id = $1", id)
}

// SeeInTote writes that something of a tote is in hand at a branch: if that is where the tote goes it has come, whether
// or not that was scanned. Anywhere else the thing may have fallen out, and the tote is where it was.
func SeeInTote(tx *store.Tx, id int64, branch calendar.Code, at time.Time) {
	tx.Queue(`UPDATE totes SET state = 'here', at_branch = $2, seen_at = $3, run_id = NULL, run_date = NULL
		WHERE id = $1 AND state IN ('closed', 'away') AND to_branch = $2`, id, branch, at)
}

// LoseTote writes that a tote is lost whose last thing was declared lost, at an instant, before the tote had come.
func LoseTote(tx *store.Tx, id int64, at time.Time) {
	tx.Queue("UPDATE totes SET state = 'lost' WHERE id = $1 AND state = 'empty' AND ended_at = $2 AND at_branch <> to_branch", id, at)
}

// ToteStep is something that was done with a tote.
type ToteStep struct {
	ID         int64
	ToteID     int64
	Step       tote.Step
	At         time.Time
	StaffID    *int64
	Who        *string // the name of that person, where it is listed
	BranchCode calendar.Code
	Was        json.RawMessage // how the tote was before
	Did        json.RawMessage // what else it has set going
	Undone     bool
}

// From is the state in which the tote was before a step; empty before its beginning.
func (s *ToteStep) From() tote.State {
	var was Tote
	if len(s.Was) == 0 || json.Unmarshal(s.Was, &was) != nil {
		return ""
	}
	return was.State
}

// AddToteStep writes down what was done with a tote.
func AddToteStep(tx *store.Tx, s *ToteStep) (err error) {
	if s.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(`INSERT INTO tote_steps (id, tote_id, step, at, staff_id, branch_code, was, did) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		s.ID, s.ToteID, s.Step, s.At, s.StaffID, s.BranchCode, s.Was, s.Did)
	return nil
}

// ToteSteps gives what was done with a tote, in order, and whether it was undone.
func ToteSteps(tx *store.Tx, id int64) ([]ToteStep, error) {
	return store.List[ToteStep](tx, `SELECT s.id, s.tote_id, s.step, s.at, s.staff_id, f.name AS who, s.branch_code, s.was, s.did, s.undone
		FROM tote_steps s LEFT JOIN staff f ON f.id = s.staff_id WHERE s.tote_id = $1 ORDER BY s.id`, id)
}

// UndoToteStep writes that a step was undone.
func UndoToteStep(tx *store.Tx, id int64) {
	tx.QueueOne("UPDATE tote_steps SET undone = true WHERE id = $1 AND NOT undone", id)
}

// InTote is something that went into a tote.
type InTote struct {
	TransitID  int64
	ItemID     int64
	TitleID    int64
	PatronID   int64
	Title      string
	Barcode    string
	CallNumber string
	Hold       bool
	PromisedAt *time.Time
	EndedAt    *time.Time
	Last       bool // it was not sent anywhere since
}

// ItemsInTote gives what went into a tote, in the order in which it did.
func ItemsInTote(tx *store.Tx, id int64) ([]InTote, error) {
	return store.List[InTote](tx, `SELECT r.id AS transit_id, r.item_id, i.title_id, coalesce(h.patron_id, 0) AS patron_id,
			t.name AS title, i.barcode, i.call_number, r.hold_id IS NOT NULL AS hold, r.promised_at, r.ended_at,
			NOT EXISTS (SELECT 1 FROM transits n WHERE n.item_id = r.item_id AND n.sent_at > r.sent_at) AS last
		FROM totes b JOIN transits r ON r.tote_id = b.id
		JOIN items i ON i.id = r.item_id JOIN titles t ON t.id = i.title_id
		LEFT JOIN holds h ON h.id = r.hold_id
		WHERE b.id = $1 AND `+inIt+` ORDER BY r.sent_at, r.id`, id)
}

// Loose is something that was sent to a branch and is in no tote.
type Loose struct {
	ID       int64
	ToBranch calendar.Code
	SentAt   time.Time
}

// LooseAt gives what has been sent from a branch, is in no tote, and has not missed its promise.
func LooseAt(tx *store.Tx, branch calendar.Code, now time.Time) ([]Loose, error) {
	return store.List[Loose](tx, `SELECT id, to_branch, sent_at FROM transits
		WHERE from_branch = $1 AND ended_at IS NULL AND tote_id IS NULL AND promised_at >= $2 ORDER BY to_branch, id`, branch, now)
}

// Gather puts things into a tote that is being filled, as far as they are still loose and go where it goes.
func Gather(tx *store.Tx, b *Tote, transits []int64) {
	tx.Queue(`UPDATE transits SET tote_id = $1 WHERE id = ANY($2) AND from_branch = $3 AND to_branch = $4 AND ended_at IS NULL
		AND tote_id IS NULL`, b.ID, transits, b.FromBranch, b.ToBranch)
}

// TakeOut takes something out of a tote again, which is still to be sent.
func TakeOut(tx *store.Tx, id, transit int64) {
	tx.QueueOne("UPDATE transits SET tote_id = NULL WHERE id = $1 AND tote_id = $2 AND ended_at IS NULL", transit, id)
}

// PromiseTote writes when what is in a tote is to be on its shelf, and so for the holds that it serves.
func PromiseTote(tx *store.Tx, id int64, at *time.Time) {
	tx.Queue(`UPDATE holds SET promised_at = $2 FROM transits r
		WHERE r.tote_id = $1 AND r.ended_at IS NULL AND holds.id = r.hold_id AND holds.state = 'moving'`, id, at)
	tx.Queue("UPDATE transits SET promised_at = $2 WHERE tote_id = $1 AND ended_at IS NULL", id, at)
}
