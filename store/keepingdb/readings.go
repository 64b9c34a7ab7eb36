package keepingdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Reading is an entry of the access log: somebody opened a patron's record, or searched for patrons.
type Reading struct {
	Kind   string // scanned, opened, history, searched, listed, taken_out
	Staff  int64
	Branch calendar.Code
	Patron int64  // 0 of a search or a list
	Words  string // of a search; of a list which it was, and to what it was narrowed
	At     time.Time
}

// readingAgain is the time, in minutes, in which the same person's opening of the same record counts once.
const readingAgain = 10

// Read keeps a reading. The same record opened again shortly after, in the same way, is one; so is a search whose words
// are typed on.
func Read(tx *store.Tx, r Reading) {
	if r.Kind == "listed" {
		tx.Queue(
			`INSERT INTO readings (at, staff_id, branch_code, kind, words)
				SELECT $4::timestamptz, $1::bigint, nullif($2, ''), 'listed', $3 WHERE NOT EXISTS (
					SELECT 1 FROM readings r WHERE r.staff_id = $1 AND r.kind = 'listed' AND r.words = $3
						AND r.branch_code IS NOT DISTINCT FROM nullif($2, '') AND r.at > $4::timestamptz - make_interval(mins => $5))`,
			r.Staff, r.Branch, r.Words, r.At, readingAgain,
		)
		return
	}
	if r.Patron == 0 {
		tx.Queue(
			`WITH last AS (SELECT id, words, at FROM readings WHERE staff_id = $1 ORDER BY id DESC LIMIT 1),
			typed_on AS (UPDATE readings r SET words = $3, at = $4 FROM last
				WHERE r.id = last.id AND r.kind = 'searched' AND starts_with($3, last.words)
					AND last.at > $4::timestamptz - interval '1 minute'
				RETURNING 1)
			INSERT INTO readings (at, staff_id, branch_code, kind, words)
				SELECT $4, $1, nullif($2, ''), 'searched', $3 WHERE NOT EXISTS (SELECT 1 FROM typed_on)`,
			r.Staff, r.Branch, r.Words, r.At,
		)
		return
	}
	tx.Queue(
		`INSERT INTO readings (at, staff_id, branch_code, kind, patron_id)
			SELECT $5::timestamptz, $1::bigint, nullif($2, ''), $3, p.id FROM patrons p WHERE p.id = $4
			AND NOT EXISTS (SELECT 1 FROM readings r WHERE r.patron_id = $4 AND r.staff_id = $1 AND r.kind = $3
				AND r.branch_code IS NOT DISTINCT FROM nullif($2, '') AND r.at > $5::timestamptz - make_interval(mins => $6))`,
		r.Staff, r.Branch, r.Kind, r.Patron, r.At, readingAgain,
	)
}

// HasRead tells whether somebody has opened a patron's record at a branch since an instant, in one of some ways.
func HasRead(tx *store.Tx,
	staff, patron int64,
	branch calendar.Code,
	since time.Time,
	kinds []string,
) (bool, error) {
	return store.Value[bool](tx, `SELECT EXISTS (SELECT 1 FROM readings WHERE patron_id = $1 AND staff_id = $2
		AND branch_code = $3 AND kind = ANY($5) AND at > $4)`, patron, staff, branch, since, kinds)
}

// ReadingShown is a reading as the supervisor looks at it.
type ReadingShown struct {
	ID                       int64
	At                       time.Time
	Who, Kind, Words         string
	BranchCode               *calendar.Code
	PatronID                 *int64
	LegalName, PreferredName *string
}

// Readings gives a page of the readings, the latest first: all, those of a patron, or those by somebody.
func Readings(tx *store.Tx, patron, staff int64, page store.Page) ([]ReadingShown, store.Page, error) {
	where := "$1::bigint = 0 AND $2::bigint = 0"
	switch {
	case patron != 0:
		where = "r.patron_id = $1 AND ($2::bigint = 0 OR r.staff_id = $2)"
	case staff != 0:
		where = "$1::bigint = 0 AND r.staff_id = $2"
	}
	return store.Paged(
		tx,
		page,
		func(r *ReadingShown) store.Cursor { return store.Cursor{ID: r.ID} },
		`SELECT r.id, r.at, f.name AS who, r.kind, r.words, r.branch_code, r.patron_id, p.legal_name, p.preferred_name
		FROM readings r JOIN staff f ON f.id = r.staff_id LEFT JOIN patrons p ON p.id = r.patron_id
		WHERE `+where+` AND $3::bigint = 0 AND ($4::bigint = 0 OR r.id < $4) ORDER BY r.id DESC`,
		patron, staff,
	)
}
