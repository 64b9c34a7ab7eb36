package store

import (
	"encoding/json"
	"maps"
	"slices"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/roster"
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
func (t *Tx) Rosters(branch calendar.Code, words string, page Page) ([]RosterShown, Page, error) {
	at := func(r *RosterShown) Cursor { return Cursor{Text: rosterOrder(&r.Roster), ID: r.ID} }
	return paged(t, page, at, rostersShown+`WHERE r.ended_at IS NULL AND ($1 = '' OR r.branch_code = $1)
		AND position(lower($2) IN lower(r.name || ' ' || r.school)) > 0 AND `+after("(r.branch_code || ' ' || r.school || ' ' || r.name)", "r.id", 2)+
		` ORDER BY r.branch_code || ' ' || r.school || ' ' || r.name, r.id`, branch, words)
}

func rosterOrder(r *Roster) string { return string(r.BranchCode) + " " + r.School + " " + r.Name }

// RostersOf gives the rosters in which a patron is.
func (t *Tx) RostersOf(patron int64) ([]RosterShown, error) {
	return list[RosterShown](t, rostersShown+`JOIN roster_members o ON o.roster_id = r.id WHERE o.patron_id = $1
		AND r.ended_at IS NULL ORDER BY r.kind, r.name`, patron)
}

// Roster gives one; nil where there is none.
func (t *Tx) Roster(id int64) (*RosterShown, error) {
	return one[RosterShown](t, rostersShown+"WHERE r.id = $1", id)
}

// MembersOf gives a page of who is in a roster, by name.
func (t *Tx) MembersOf(id int64, page Page) ([]Patron, Page, error) {
	return paged(t, page, func(p *Patron) Cursor { return Cursor{Text: p.LegalName, ID: p.ID} },
		"SELECT "+patronColumns+` FROM patrons p JOIN roster_members m ON m.patron_id = p.id WHERE m.roster_id = $1 AND `+
			after("p.legal_name", "p.id", 1)+" ORDER BY p.legal_name, p.id", id)
}

// RostersLocked locks rosters, after those patrons and all who are in them if that is asked for, and gives them; those that are
// dissolved too.
func (t *Tx) RostersLocked(ids []int64, pupils bool, patrons ...int64) ([]Roster, error) {
	q := &questions{}
	l := Lock{Rosters: ids, Patrons: patrons}
	if pupils {
		l.Pupils = ids
	}
	t.take(l, q)
	var rows []Roster
	ask(q, &rows, "SELECT "+rosterColumns+" FROM rosters r WHERE r.id = ANY($1) ORDER BY r.id", ids)
	return rows, t.send(q)
}

// RosterNamed gives the roster in use that a school, or a branch without one, has by a name; nil where there is none.
func (t *Tx) RosterNamed(branch calendar.Code, school, name string) (*Roster, error) {
	return one[Roster](t, "SELECT "+rosterColumns+` FROM rosters r WHERE r.branch_code = $1 AND lower(r.school) = lower($2)
		AND lower(r.name) = lower($3) AND r.ended_at IS NULL`, branch, school, name)
}

// RostersBeside gives the classes in use of the schools of some, these left out.
func (t *Tx) RostersBeside(ids []int64) ([]Roster, error) {
	return list[Roster](t, "SELECT "+rosterColumns+` FROM rosters r WHERE r.ended_at IS NULL AND r.id <> ALL($1)
		AND EXISTS (SELECT 1 FROM rosters o WHERE o.id = ANY($1) AND o.branch_code = r.branch_code AND lower(o.school) = lower(r.school))`, ids)
}

// PutRoster writes a roster, new or changed, or dissolved.
func (t *Tx) PutRoster(r *Roster, at time.Time) {
	t.queueOne(`INSERT INTO rosters (id, kind, name, branch_code, school, school_year, adult_id, made_at, ended_at)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		ON CONFLICT (id) DO UPDATE SET name = $3, branch_code = $4, school = $5, school_year = $6, adult_id = $7,
		ended_at = $9,
			revision = rosters.revision + 1`,
		r.ID, r.Kind, r.Name, r.BranchCode, r.School, r.SchoolYear, r.AdultID, at, r.EndedAt)
}

// Numbered is a patron whose card, of now or before, or whose school number is one of those sought.
type Numbered struct {
	Number   string // as a school number in small letters
	Patron   int64
	School   bool
	Standing loan.Standing
}

// ByNumbers gives the patrons who have cards, or whose school has numbers, among some; set-wise, since lists are long.
func (t *Tx) ByNumbers(cards, schools []string) ([]Numbered, error) {
	return list[Numbered](t, `SELECT p.card AS number, coalesce(p.merged_into, p.id) AS patron, false AS school, p.standing
			FROM patrons p WHERE p.card = ANY($1) AND p.forgotten_at IS NULL
		UNION ALL SELECT f.card, coalesce(p.merged_into, p.id), false, p.standing FROM former_cards f
			JOIN patrons p ON p.id = f.patron_id
			WHERE f.card = ANY($1) AND p.forgotten_at IS NULL
		UNION ALL SELECT p.school, p.id, true, p.standing FROM patrons p
			WHERE p.school = ANY($2) AND p.school <> '' AND p.forgotten_at IS NULL AND p.merged_into IS NULL`, cards, schools)
}

// Membership is that somebody is in a roster.
type Membership struct {
	RosterID int64     `json:"roster"`
	PatronID int64     `json:"patron"`
	Since    time.Time `json:"since"`
}

// Memberships gives who is in rosters, and in which classes patrons are.
func (t *Tx) Memberships(rosters, patrons []int64) ([]Membership, error) {
	return list[Membership](t, `SELECT roster_id, patron_id, since FROM roster_members WHERE roster_id = ANY($1)
		UNION SELECT roster_id, patron_id, since FROM roster_members WHERE patron_id = ANY($2) AND kind = 'class'`, rosters, patrons)
}

// PatronsIn gives who is in rosters, by name.
func (t *Tx) PatronsIn(rosters []int64) ([]int64, error) {
	return each[int64](t, `SELECT p.id FROM roster_members m JOIN patrons p ON p.id = m.patron_id
		WHERE m.roster_id = ANY($1) ORDER BY p.legal_name, p.id`, rosters)
}

// Leave takes patrons out of rosters. It goes roster by roster: joined to a list of pairs, PostgreSQL looks at the whole table for
// each of them where its figures date from when the table was empty.
func (t *Tx) Leave(those []Membership) {
	in := map[int64][]int64{}
	for _, m := range those {
		in[m.RosterID] = append(in[m.RosterID], m.PatronID)
	}
	for _, roster := range slices.Sorted(maps.Keys(in)) {
		t.queue("DELETE FROM roster_members WHERE roster_id = $1 AND patron_id = ANY($2)", roster, in[roster])
	}
}

// Enter puts patrons into rosters in use, where they are not, nor, of a class, in another; it gives whom it put. Who has been
// forgotten or merged into another record meanwhile is put nowhere.
func (t *Tx) Enter(those []Membership) ([]int64, error) {
	if len(those) == 0 {
		return nil, nil
	}
	rosters, patrons, since := columns(those)
	return each[int64](t, `INSERT INTO roster_members (roster_id, kind, patron_id, since)
		SELECT r.id, r.kind, d.patron_id, d.since
		FROM unnest($1::bigint[], $2::bigint[], $3::timestamptz[]) d(roster_id, patron_id, since)
			JOIN rosters r ON r.id = d.roster_id JOIN patrons p ON p.id = d.patron_id
		WHERE r.ended_at IS NULL AND p.merged_into IS NULL AND p.forgotten_at IS NULL
			AND NOT (r.kind = 'class' AND EXISTS (SELECT 1 FROM roster_members o
				WHERE o.patron_id = d.patron_id AND o.kind = 'class'))
		ON CONFLICT (roster_id, patron_id) DO NOTHING RETURNING patron_id`, rosters, patrons, since)
}

func columns(those []Membership) (rosters, patrons []int64, since []time.Time) {
	rosters, patrons, since = []int64{}, []int64{}, []time.Time{}
	for _, m := range those {
		rosters, patrons, since = append(rosters, m.RosterID), append(patrons, m.PatronID), append(since, m.Since)
	}
	return rosters, patrons, since
}

// Year is in which school year somebody was, and is.
type Year struct {
	Patron int64  `json:"patron"`
	Was    string `json:"was"`
	Is     string `json:"is"`
}

// SetYears writes a school year into the records of patrons who are locked, and gives those whose it changed.
func (t *Tx) SetYears(patrons []int64, year string) ([]Year, error) {
	return list[Year](t, `WITH was AS MATERIALIZED (SELECT id, school_year FROM patrons WHERE id = ANY($1) AND school_year <> $2),
		changed AS (UPDATE patrons p SET school_year = $2, revision = revision + 1 FROM was WHERE p.id = was.id)
		SELECT id AS patron, school_year AS was, $2 AS is FROM was ORDER BY id`, patrons, year)
}

// ResetYears writes back the school years of patrons who still have the one given, and gives whose.
func (t *Tx) ResetYears(years []Year) ([]int64, error) {
	if len(years) == 0 {
		return nil, nil
	}
	ids, was, is := []int64{}, []string{}, []string{}
	for _, y := range years {
		ids, was, is = append(ids, y.Patron), append(was, y.Was), append(is, y.Is)
	}
	return each[int64](t, `UPDATE patrons p SET school_year = d.was, revision = revision + 1
		FROM unnest($1::bigint[], $2::text[], $3::text[]) d(id, was, "is") WHERE p.id = d.id AND p.school_year = d.is
		RETURNING p.id`, ids, was, is)
}

// Turned is an answer of somebody before and after.
type Turned struct {
	Patron int64  `json:"patron"`
	Was    string `json:"was"`
	Is     string `json:"is"`
}

// answers are the answers that count, as texts.
var answers = map[string]string{
	"older_reader": "CASE p.older_reader WHEN true THEN 'yes' WHEN false THEN 'no' ELSE '' END",
	"photo":        "CASE p.photo WHEN true THEN 'yes' WHEN false THEN 'no' ELSE '' END",
	"internet":     "p.internet",
}

// AnswersOf gives the answers that patrons have given to one thing so far; empty: never asked.
func (t *Tx) AnswersOf(what string, patrons []int64) ([]Turned, error) {
	return list[Turned](t,
		"SELECT p.id AS patron, "+answers[what]+" AS was, '' AS is FROM patrons p WHERE p.id = ANY($1)", patrons)
}

// KeepAnswersOf writes answers of many patrons who are locked: for good, and on the patron as what counts. Where an answer is
// taken back to none, only the latter.
func (t *Tx) KeepAnswersOf(what string, those []Turned, staff int64, reason string, at time.Time) {
	ids, is := []int64{}, []string{}
	for _, a := range those {
		ids, is = append(ids, a.Patron), append(is, a.Is)
	}
	t.queue(`INSERT INTO consents (patron_id, what, answer, at, staff_id, reason, letter)
		SELECT d.id, $3, d.answer, $4, nullif($5::bigint, 0), $6, true FROM unnest($1::bigint[], $2::text[]) d(id, answer) WHERE d.answer <> ''`,
		ids, is, what, at, staff, reason)
	t.queue("UPDATE patrons p SET "+writesConsent(what, "d.answer")+", revision = revision + 1 FROM unnest($1::bigint[], $2::text[]) d(id, answer) WHERE p.id = d.id", ids, is)
}

// Deed is something that was done to many patrons at once.
type Deed struct {
	ID       int64
	Kind     string
	At       time.Time
	Who      *string
	Did      json.RawMessage
	UndoneAt *time.Time
}

const deedsShown = `SELECT d.id, d.kind, d.at, f.name AS who, d.did, d.undone_at FROM deeds d LEFT JOIN staff f ON f.id = d.staff_id `

// Deeds gives a page of what was done to many patrons, or many items, at once, newest first.
func (t *Tx) Deeds(area string, page Page) ([]Deed, Page, error) {
	if page.After.ID == 0 {
		page.After.ID = 1 << 62
	}
	return paged(t, page, func(d *Deed) Cursor { return Cursor{ID: d.ID} },
		deedsShown+"WHERE d.area = $1 AND $2::bigint = 0 AND d.id < $3::bigint ORDER BY d.id DESC", area)
}

// DeedLocked locks a deed of an area; nil where there is none.
func (t *Tx) DeedLocked(area string, id int64) (*Deed, error) {
	return one[Deed](t, deedsShown+"WHERE d.id = $1 AND d.area = $2 FOR NO KEY UPDATE OF d", id, area)
}

// AddDeed keeps what was done.
func (t *Tx) AddDeed(kind string, staff int64, did json.RawMessage, at time.Time) (int64, error) {
	id, err := t.NextID()
	t.queueOne("INSERT INTO deeds (id, kind, at, staff_id, did) VALUES ($1, $2, $3, nullif($4::bigint, 0), $5)", id, kind, at, staff, did)
	return id, err
}

// DeedUndone writes that a deed was taken back; ErrMoved where it just was.
func (t *Tx) DeedUndone(id int64, at time.Time) {
	t.queueOne("UPDATE deeds SET undone_at = $2 WHERE id = $1 AND undone_at IS NULL", id, at)
}

// Entrant is somebody who comes into a roster.
type Entrant struct {
	ID                       int64
	LegalName, PreferredName string
	Born                     *time.Time
}

// Entrants gives those of some patrons who are named first, in order of their names, and the birth dates of all who are in a roster.
func (t *Tx) Entrants(roster int64, patrons []int64, most int) (who []Entrant, born []time.Time, err error) {
	q := &questions{}
	ask(q, &who, "SELECT id, legal_name, preferred_name, born FROM patrons WHERE id = ANY($1) ORDER BY legal_name, id LIMIT $2", patrons, most)
	askEach(q, &born, `SELECT p.born FROM roster_members m JOIN patrons p ON p.id = m.patron_id
		WHERE m.roster_id = $1 AND p.born IS NOT NULL AND p.id <> ALL ($2)`, roster, patrons)
	return who, born, t.send(q)
}
