package mergingdb

import (
	"encoding/json"
	"time"

	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
)

// Merged lists what a merge moved from one record to the other, by id, so that undoing moves back just that.
type Merged struct {
	Loans    []int64  `json:"loans"`
	Holds    []int64  `json:"holds"`
	Ended    []int64  `json:"ended"` // holds of either that were cancelled, since the other had one on the same title
	Lines    []int64  `json:"lines"`
	Entries  []int64  `json:"entries"`
	Messages []int64  `json:"messages"`
	Told     []int64  `json:"told"` // notices that concern them
	Gets     []int64  `json:"gets"` // notices that go to them
	Requests []int64  `json:"requests"`
	Reports  []int64  `json:"reports"`
	Notes    []int64  `json:"notes"`
	Consents []int64  `json:"consents"`
	Events   []int64  `json:"events"`
	Claims   []int64  `json:"claims"`
	Invoices []int64  `json:"invoices"`
	Wards    []int64  `json:"wards"`   // patrons for whom they answer
	Rosters  []int64  `json:"rosters"` // in which they were
	Adult    []int64  `json:"adult"`   // rosters for which they answer
	Joined   []int64  `json:"joined"`  // of these, those in which the other was not
	Filled   []string `json:"filled"`  // fields
	Answers  []string `json:"answers"` // consents that the other had never been asked for
}

// Merge is two records that are one person, as long as it is not undone.
type Merge struct {
	ID             int64
	GoneID, KeptID int64
	At             time.Time
	Did            json.RawMessage
}

// MergeFacts are two records that are to become one, or to be two again.
type MergeFacts struct {
	Gone, Kept *peopledb.Patron
	Holds      []holdsdb.Hold // open ones of both
	Asks       map[int64]int
	Partners   map[int64]bool
	Merge      *Merge // by which the one is part of the other
}

// FactsToMerge locks two patrons and the titles on which the one that goes has holds, and gives what a merge asks about.
func FactsToMerge(tx *store.Tx, gone, kept int64) (*MergeFacts, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: []int64{gone, kept}, HoldsOf: gone}, q)
	f := &MergeFacts{Asks: map[int64]int{}, Partners: map[int64]bool{}}
	both := []int64{gone, kept}
	var patrons []peopledb.Patron
	var asks, partners []int64
	var merges []Merge
	store.Ask(q, &patrons, "SELECT "+peopledb.PatronColumns+" FROM patrons p WHERE p.id = ANY($1)", both)
	store.Ask(q, &f.Holds, "SELECT "+holdsdb.HoldColumns+" FROM holds h WHERE h.patron_id = ANY($1) AND h.closed_at IS NULL ORDER BY h.id",
		both)
	store.AskEach(q, &asks, `SELECT patron_id FROM return_lines WHERE patron_id = ANY($1)
		AND (answer = 'open' OR note_answer = 'open')`, both)
	store.AskEach(q, &partners, "SELECT patron_id FROM partners WHERE patron_id = ANY($1)", both)
	store.Ask(q, &merges, `SELECT id, gone_id, kept_id, at, did FROM merges WHERE gone_id = $1 AND undone_at IS NULL`, gone)
	if err := tx.Send(q); err != nil {
		return nil, err
	}
	for k := range patrons {
		switch patrons[k].ID {
		case gone:
			f.Gone = &patrons[k]
		case kept:
			f.Kept = &patrons[k]
		}
	}
	for _, id := range asks {
		f.Asks[id]++
	}
	for _, id := range partners {
		f.Partners[id] = true
	}
	if len(merges) > 0 {
		f.Merge = &merges[0]
	}
	return f, nil
}

// moved are the tables whose rows follow a person: where their ids are kept, and of what they are.
func (m *Merged) moved() []moving {
	const all = "true"
	return []moving{
		{"loans", "patron_id", all, &m.Loans}, {"holds", "patron_id", all, &m.Holds}, {"return_lines", "patron_id", all, &m.Lines},
		{"ledger", "patron_id", all, &m.Entries},
		// What is being gathered for either goes out by itself.
		{"messages", "patron_id", "state <> 'gathering'", &m.Messages},
		// What patrons were told of themselves concerned that record.
		{"notices", "patron_id", "(loan_id IS NOT NULL OR hold_id IS NOT NULL)", &m.Told}, {"notices", "recipient_id", all, &m.Gets},
		{"requests", "patron_id", all, &m.Requests}, {"reports", "patron_id", all, &m.Reports}, {"patron_notes", "patron_id", all, &m.Notes},
		{"consents", "patron_id", all, &m.Consents}, {"events", "patron_id", all, &m.Events},
		{"claims", "patron_id", all, &m.Claims}, {"invoices", "patron_id", all, &m.Invoices},
	}
}

// moving is a column by which rows of a table are a person's, and which of them follow.
type moving struct {
	table, column, only string
	ids                 *[]int64
}

// MergePatrons gives all that is of one record to another; both are locked, and of one title they have no two open holds. What
// was done is told in did.
func MergePatrons(tx *store.Tx, gone, kept, staff int64, at time.Time, did *Merged) (err error) {
	id, err := tx.NextID()
	if err != nil {
		return err
	}
	// The merge stands first: only by it may events and entries follow.
	if _, err = tx.Exec(`INSERT INTO merges (id, gone_id, kept_id, at, staff_id, did) VALUES ($1, $2, $3, $4, nullif($5::bigint, 0), '{}')`,
		id, gone, kept, at, staff); err != nil {
		return err
	}
	for _, m := range did.moved() {
		move := "UPDATE " + m.table + " SET " + m.column + " = $2 WHERE " + m.column + " = $1 AND " + m.only + " RETURNING id"
		if *m.ids, err = store.Each[int64](tx, move, gone, kept); err != nil {
			return err
		}
	}
	// What moved is kept for as long as the one who has it now wants.
	if _, err = tx.Exec("UPDATE patrons SET history_changed = true WHERE id = $1", kept); err != nil {
		return err
	}
	if did.Wards, err = store.Each[int64](tx, `UPDATE patrons SET guardian_id = $2
		WHERE guardian_id = $1 AND id <> $2 RETURNING id`, gone, kept); err != nil {
		return err
	}
	if did.Joined, err = store.Each[int64](tx, `INSERT INTO roster_members (roster_id, kind, patron_id, since)
		SELECT m.roster_id, m.kind, $2, m.since FROM roster_members m WHERE m.patron_id = $1
			AND NOT EXISTS (SELECT 1 FROM roster_members o WHERE o.patron_id = $2
				AND (o.roster_id = m.roster_id OR m.kind = 'class' AND o.kind = 'class'))
		RETURNING roster_id`, gone, kept); err != nil {
		return err
	}
	if did.Rosters, err = store.Each[int64](tx, "DELETE FROM roster_members WHERE patron_id = $1 RETURNING roster_id", gone); err != nil {
		return err
	}
	if did.Adult, err = store.Each[int64](tx, "UPDATE rosters SET adult_id = $2 WHERE adult_id = $1 RETURNING id", gone, kept); err != nil {
		return err
	}
	tx.QueueOne("UPDATE patrons SET merged_into = $2, revision = revision + 1 WHERE id = $1", gone, kept)
	tx.QueueOne("UPDATE merges SET did = $2 WHERE id = $1", id, store.JSON(did))
	return tx.Flush()
}

// Unmerge gives back what a merge moved, with what has come of it since. What has been cut off or ended meanwhile stays so.
func Unmerge(tx *store.Tx, m *Merge, did *Merged, at time.Time) (err error) {
	tx.QueueOne("UPDATE patrons SET merged_into = NULL, revision = revision + 1 WHERE id = $1", m.GoneID)
	more := map[string]string{
		// Of a loan that goes back, so do its lines, events and entries, and whatever settled an entry that goes back.
		"return_lines": " OR loan_id = ANY($4)",
		"events":       " OR loan_id = ANY($4) OR hold_id = ANY($5)",
		"ledger": ` OR loan_id = ANY($4) OR settles = ANY($3) OR settles IN (SELECT c.id FROM ledger c
			WHERE c.patron_id = $1 AND c.loan_id = ANY($4))`,
	}
	for _, table := range did.moved() {
		args := []any{m.KeptID, m.GoneID, store.NotNil(*table.ids)}
		switch table.table {
		case "return_lines", "ledger":
			args = append(args, store.NotNil(did.Loans))
		case "events":
			args = append(args, store.NotNil(did.Loans), store.NotNil(did.Holds))
		}
		if _, err = tx.Exec("UPDATE "+table.table+" SET "+table.column+" = $2 WHERE "+table.column+" = $1 AND (id = ANY($3)"+
			more[table.table]+")", args...); err != nil {
			return err
		}
	}
	tx.Queue("UPDATE patrons SET guardian_id = $2 WHERE guardian_id = $1 AND id = ANY($3)", m.KeptID, m.GoneID, store.NotNil(did.Wards))
	tx.Queue("UPDATE rosters SET adult_id = $2 WHERE adult_id = $1 AND id = ANY($3)", m.KeptID, m.GoneID, store.NotNil(did.Adult))
	tx.Queue("DELETE FROM roster_members WHERE patron_id = $1 AND roster_id = ANY($2)", m.KeptID, store.NotNil(did.Joined))
	tx.Queue(`INSERT INTO roster_members (roster_id, kind, patron_id, since)
		SELECT r.id, r.kind, $1, $2 FROM rosters r WHERE r.id = ANY($3) AND r.ended_at IS NULL
			AND NOT (r.kind = 'class' AND EXISTS (SELECT 1 FROM roster_members o
				WHERE o.patron_id = $1 AND o.kind = 'class'))
		ON CONFLICT DO NOTHING`, m.GoneID, at, store.NotNil(did.Rosters))
	tx.QueueOne("UPDATE merges SET undone_at = $2 WHERE id = $1 AND undone_at IS NULL", m.ID, at)
	return tx.Flush()
}

// MergedShown is a record that has been merged into another.
type MergedShown struct {
	GoneID          int64
	Card, LegalName string
	At              time.Time
	Who             *string
}

// MergedInto gives the records that have been merged into one, newest first.
func MergedInto(tx *store.Tx, kept int64) ([]MergedShown, error) {
	return store.List[MergedShown](tx, `SELECT m.gone_id, p.card, p.legal_name, m.at, f.name AS who FROM merges m
		JOIN patrons p ON p.id = m.gone_id LEFT JOIN staff f ON f.id = m.staff_id
		WHERE m.kept_id = $1 AND m.undone_at IS NULL ORDER BY m.id DESC`, kept)
}

// KeepAnswers writes the answers that count of one patron, taken over from another, or none where they are taken out again.
func KeepAnswers(tx *store.Tx, p *peopledb.Patron) {
	tx.QueueOne("UPDATE patrons SET older_reader = $2, internet = $3, photo = $4 WHERE id = $1", p.ID, p.OlderReader, p.Internet, p.Photo)
}
