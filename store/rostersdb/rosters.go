package rostersdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/roster"
	"nevrin/store"
)

// Roster is a school class or a club.
type Roster struct {
	ID         int64         `json:"id"`
	Kind       roster.Kind   `json:"kind"`
	Name       string        `json:"name"`
	BranchCode calendar.Code `json:"branch"`
	School     string        `json:"school"`
	SchoolYear string        `json:"school_year"`
	AdultID    *int64        `json:"adult,omitempty"`
	Revision   int           `json:"-"`
	EndedAt    *time.Time    `json:"ended,omitempty"`
}

// RosterShown is a roster with how many are in it, and who answers for it.
type RosterShown struct {
	Roster
	Members int
	Adult   *string
}

const rosterColumns = `r.id, r.kind, r.name, r.branch_code, r.school, r.school_year, r.adult_id, r.revision, r.ended_at`

const rostersShown = `SELECT ` + rosterColumns + `, (SELECT count(*)::int FROM roster_members m WHERE m.roster_id = r.id) AS members,
	p.legal_name AS adult FROM rosters r LEFT JOIN patrons p ON p.id = r.adult_id `

// Rosters gives a page of the rosters in use, of a branch or of all, in whose name or school some words stand.
func Rosters(tx *store.Tx, branch calendar.Code, words string, page store.Page) ([]RosterShown, store.Page, error) {
	at := func(r *RosterShown) store.Cursor { return store.Cursor{Text: rosterOrder(&r.Roster), ID: r.ID} }
	return store.Paged(tx, page, at, rostersShown+`WHERE r.ended_at IS NULL AND ($1 = '' OR r.branch_code = $1)
		AND position(lower($2) IN lower(r.name || ' ' || r.school)) > 0 AND `+store.After("(r.branch_code || ' ' || r.school || ' ' || r.name)", "r.id", 2)+
		` ORDER BY r.branch_code || ' ' || r.school || ' ' || r.name, r.id`, branch, words)
}

func rosterOrder(r *Roster) string { return string(r.BranchCode) + " " + r.School + " " + r.Name }

// RostersOf gives the rosters in which a patron is.
func RostersOf(tx *store.Tx, patron int64) ([]RosterShown, error) {
	return store.List[RosterShown](tx, rostersShown+`JOIN roster_members o ON o.roster_id = r.id WHERE o.patron_id = $1
		AND r.ended_at IS NULL ORDER BY r.kind, r.name`, patron)
}

// RosterByID gives one; nil where there is none.
func RosterByID(tx *store.Tx, id int64) (*RosterShown, error) {
	return store.One[RosterShown](tx, rostersShown+"WHERE r.id = $1", id)
}

// RostersLocked locks rosters, after those patrons and all who are in them if that is asked for, and gives them; those that are
// dissolved too.
func RostersLocked(tx *store.Tx, ids []int64, pupils bool, patrons ...int64) ([]Roster, error) {
	q := &store.Questions{}
	l := store.Lock{Rosters: ids, Patrons: patrons}
	if pupils {
		l.Pupils = ids
	}
	tx.LockFirst(l, q)
	var rows []Roster
	store.Ask(q, &rows, "SELECT "+rosterColumns+" FROM rosters r WHERE r.id = ANY($1) ORDER BY r.id", ids)
	return rows, tx.Send(q)
}

// RosterNamed gives the roster in use that a school, or a branch without one, has by a name; nil where there is none.
func RosterNamed(tx *store.Tx, branch calendar.Code, school, name string) (*Roster, error) {
	return store.One[Roster](tx, "SELECT "+rosterColumns+` FROM rosters r WHERE r.branch_code = $1 AND lower(r.school) = lower($2)
		AND lower(r.name) = lower($3) AND r.ended_at IS NULL`, branch, school, name)
}

// RostersBeside gives the classes in use of the schools of some, these left out.
func RostersBeside(tx *store.Tx, ids []int64) ([]Roster, error) {
	return store.List[Roster](tx, "SELECT "+rosterColumns+` FROM rosters r WHERE r.ended_at IS NULL AND r.id <> ALL($1)
		AND EXISTS (SELECT 1 FROM rosters o WHERE o.id = ANY($1) AND o.branch_code = r.branch_code AND lower(o.school) = lower(r.school))`, ids)
}

// PutRoster writes a roster, new or changed, or dissolved.
func PutRoster(tx *store.Tx, r *Roster, at time.Time) {
	tx.QueueOne(`INSERT INTO rosters (id, kind, name, branch_code, school, school_year, adult_id, made_at, ended_at)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		ON CONFLICT (id) DO UPDATE SET name = $3, branch_code = $4, school = $5, school_year = $6, adult_id = $7,
		ended_at = $9,
			revision = rosters.revision + 1`,
		r.ID, r.Kind, r.Name, r.BranchCode, r.School, r.SchoolYear, r.AdultID, at, r.EndedAt)
}
