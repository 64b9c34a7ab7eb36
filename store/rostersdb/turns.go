package rostersdb

import (
	"time"

	"nevrin/store"
	"nevrin/store/peopledb"
)

// Year is in which school year somebody was, and is.
type Year struct {
	Patron int64  `json:"patron"`
	Was    string `json:"was"`
	Is     string `json:"is"`
}

// SetYears writes a school year into the records of patrons who are locked, and gives those whose it changed.
func SetYears(tx *store.Tx, patrons []int64, year string) ([]Year, error) {
	return store.List[Year](tx, `WITH was AS MATERIALIZED (SELECT id, school_year FROM patrons WHERE id = ANY($1) AND school_year <> $2),
		changed AS (UPDATE patrons p SET school_year = $2, revision = revision + 1 FROM was WHERE p.id = was.id)
		SELECT id AS patron, school_year AS was, $2 AS is FROM was ORDER BY id`, patrons, year)
}

// ResetYears writes back the school years of patrons who still have the one given, and gives whose.
func ResetYears(tx *store.Tx, years []Year) ([]int64, error) {
	if len(years) == 0 {
		return nil, nil
	}
	ids, was, is := []int64{}, []string{}, []string{}
	for _, y := range years {
		ids, was, is = append(ids, y.Patron), append(was, y.Was), append(is, y.Is)
	}
	return store.Each[int64](tx, `UPDATE patrons p SET school_year = d.was, revision = revision + 1
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
func AnswersOf(tx *store.Tx, what string, patrons []int64) ([]Turned, error) {
	return store.List[Turned](tx,
		"SELECT p.id AS patron, "+answers[what]+" AS was, '' AS is FROM patrons p WHERE p.id = ANY($1)", patrons)
}

// KeepAnswersOf writes answers of many patrons who are locked: into their history, and on the patron as what counts. Where an answer is
// undone to none, only the latter.
func KeepAnswersOf(tx *store.Tx, what string, those []Turned, staff int64, reason string, at time.Time) {
	ids, is := []int64{}, []string{}
	for _, a := range those {
		ids, is = append(ids, a.Patron), append(is, a.Is)
	}
	tx.Queue(`INSERT INTO consents (patron_id, what, answer, at, staff_id, reason, letter)
		SELECT d.id, $3, d.answer, $4, nullif($5::bigint, 0), $6, true FROM unnest($1::bigint[], $2::text[]) d(id, answer) WHERE d.answer <> ''`,
		ids, is, what, at, staff, reason)
	tx.Queue("UPDATE patrons p SET "+peopledb.WritesConsent(what, "d.answer")+", revision = revision + 1 FROM unnest($1::bigint[], $2::text[]) d(id, answer) WHERE p.id = d.id", ids, is)
}
