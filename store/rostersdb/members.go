package rostersdb

import (
	"maps"
	"slices"
	"time"

	"nevrin/core/loan"
	"nevrin/store"
	"nevrin/store/peopledb"
)

// MembersOf gives a page of who is in a roster, by name.
func MembersOf(tx *store.Tx, id int64, page store.Page) ([]peopledb.Patron, store.Page, error) {
	return store.Paged(tx, page, func(p *peopledb.Patron) store.Cursor { return store.Cursor{Text: p.LegalName, ID: p.ID} },
		"SELECT "+peopledb.PatronColumns+` FROM patrons p JOIN roster_members m ON m.patron_id = p.id WHERE m.roster_id = $1 AND `+
			store.After("p.legal_name", "p.id", 1)+" ORDER BY p.legal_name, p.id", id)
}

// Numbered is a patron whose card, of now or before, or whose school number is one of those sought.
type Numbered struct {
	Number   string // as a school number in small letters
	Patron   int64
	School   bool
	Standing loan.Status
}

// ByNumbers gives the patrons who have cards, or whose school has numbers, among some; set-wise, since lists are long.
func ByNumbers(tx *store.Tx, cards, schools []string) ([]Numbered, error) {
	return store.List[Numbered](tx, `SELECT p.card AS number, coalesce(p.merged_into, p.id) AS patron, false AS school, p.standing
			FROM patrons p WHERE p.card = ANY($1) AND p.forgotten_at IS NULL
		UNION ALL SELECT f.card, coalesce(p.merged_into, p.id), false, p.standing FROM former_cards f
			JOIN patrons p ON p.id = f.patron_id
			WHERE f.card = ANY($1) AND p.forgotten_at IS NULL
		UNION ALL SELECT p.school, p.id, true, p.standing FROM patrons p
			WHERE p.school = ANY($2) AND p.school <> '' AND p.forgotten_at IS NULL AND p.merged_into IS NULL`, cards, schools)
}

// Membership is a patron's membership in a roster.
type Membership struct {
	RosterID int64     `json:"roster"`
	PatronID int64     `json:"patron"`
	Since    time.Time `json:"since"`
}

// Memberships gives who is in rosters, and in which classes patrons are.
func Memberships(tx *store.Tx, rosters, patrons []int64) ([]Membership, error) {
	return store.List[Membership](tx, `SELECT roster_id, patron_id, since FROM roster_members WHERE roster_id = ANY($1)
		UNION SELECT roster_id, patron_id, since FROM roster_members WHERE patron_id = ANY($2) AND kind = 'class'`, rosters, patrons)
}

// PatronsIn gives who is in rosters, by name.
func PatronsIn(tx *store.Tx, rosters []int64) ([]int64, error) {
	return store.Each[int64](tx, `SELECT p.id FROM roster_members m JOIN patrons p ON p.id = m.patron_id
		WHERE m.roster_id = ANY($1) ORDER BY p.legal_name, p.id`, rosters)
}

// Leave takes patrons out of rosters. It goes roster by roster: joined to a list of pairs, PostgreSQL looks at the whole table for
// each of them where its figures date from when the table was empty.
func Leave(tx *store.Tx, those []Membership) {
	in := map[int64][]int64{}
	for _, m := range those {
		in[m.RosterID] = append(in[m.RosterID], m.PatronID)
	}
	for _, roster := range slices.Sorted(maps.Keys(in)) {
		tx.Queue("DELETE FROM roster_members WHERE roster_id = $1 AND patron_id = ANY($2)", roster, in[roster])
	}
}

// Enter puts patrons into rosters in use, where they are not, nor, of a class, in another; it gives whom it put. Who has been
// forgotten or merged into another record meanwhile is put nowhere.
func Enter(tx *store.Tx, those []Membership) ([]int64, error) {
	if len(those) == 0 {
		return nil, nil
	}
	rosters, patrons, since := columns(those)
	return store.Each[int64](tx, `INSERT INTO roster_members (roster_id, kind, patron_id, since)
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

// Entrant is somebody who comes into a roster.
type Entrant struct {
	ID                       int64
	LegalName, PreferredName string
	Born                     *time.Time
}

// Entrants gives those of some patrons who are named first, in order of their names, and the birth dates of all who are in a roster.
func Entrants(tx *store.Tx, roster int64, patrons []int64, most int) (who []Entrant, born []time.Time, err error) {
	q := &store.Questions{}
	store.Ask(q, &who, "SELECT id, legal_name, preferred_name, born FROM patrons WHERE id = ANY($1) ORDER BY legal_name, id LIMIT $2", patrons, most)
	store.AskEach(q, &born, `SELECT p.born FROM roster_members m JOIN patrons p ON p.id = m.patron_id
		WHERE m.roster_id = $1 AND p.born IS NOT NULL AND p.id <> ALL ($2)`, roster, patrons)
	return who, born, tx.Send(q)
}
