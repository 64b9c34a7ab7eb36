package stockdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Look is a search for an item at a place.
type Look struct {
	At         time.Time
	Who        *string
	BranchCode calendar.Code
	Place      string
	Found      bool
}

// LooksFor gives who looked where for an item, the latest first.
func LooksFor(tx *store.Tx, item int64) ([]Look, error) {
	return store.List[Look](
		tx,
		`SELECT l.at, s.name AS who, l.branch_code, l.place, l.found FROM looks l LEFT JOIN staff s ON s.id = l.staff_id
		WHERE l.item_id = $1 ORDER BY l.id DESC LIMIT 100`,
		item,
	)
}

// AddLook writes that somebody searched for an item.
func AddLook(tx *store.Tx, item, staff int64, branch calendar.Code, place string, found bool, at time.Time) {
	tx.QueueOne(
		`INSERT INTO looks (item_id, at, staff_id, branch_code, place, found) VALUES ($1, $2, nullif($3::bigint, 0), $4, $5, $6)`,
		item,
		at,
		staff,
		branch,
		place,
		found,
	)
}

// SoughtItem is something that is searched for: missing, or said to have been brought back.
type SoughtItem struct {
	ItemShown
	Looks   int
	Last    *time.Time
	Where   *string
	Claimed *string // what its borrower says
	Since   *time.Time
}

// Sought gives a page of what is searched for at a branch, or at all: what was not found there, and what its borrower says was
// brought back or never had.
func Sought(tx *store.Tx, branch calendar.Code, page store.Page) ([]SoughtItem, store.Page, error) {
	return store.Paged(tx, page, func(i *SoughtItem) store.Cursor { return store.Cursor{ID: i.ID} }, "SELECT "+itemColumns+`,
		(SELECT count(*)::int FROM looks o WHERE o.item_id = i.id) AS looks, k.at AS last, k.place AS "where", c.what AS claimed, c.at AS since`+
		itemsFrom+`LEFT JOIN LATERAL (SELECT o.at, o.place FROM looks o WHERE o.item_id = i.id ORDER BY o.id DESC LIMIT 1) k ON true
		LEFT JOIN claims c ON c.loan_id = l.id AND c.undone_at IS NULL
		WHERE i.id = ANY(ARRAY(SELECT m.id FROM items m WHERE m.standing = 'missing' UNION
			SELECT n.item_id FROM claims d JOIN loans n ON n.id = d.loan_id WHERE d.undone_at IS NULL
				AND n.returned_at IS NULL))
			AND ($1 = '' OR i.at_branch = $1 OR i.branch_code = $1) AND $2::bigint = 0 AND i.id > $3::bigint ORDER BY i.id`, branch)
}
