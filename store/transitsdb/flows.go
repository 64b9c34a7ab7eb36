package transitsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// FlowPair counts what was sent from one branch to another.
type FlowPair struct {
	FromBranch, ToBranch calendar.Code
	Holds, Others        int
}

// Flows gives how much was sent between branches since an instant.
func Flows(tx *store.Tx, since time.Time) ([]FlowPair, error) {
	return store.List[FlowPair](tx, `SELECT from_branch, to_branch, count(hold_id)::int AS holds, (count(*) - count(hold_id))::int AS others
		FROM transits WHERE sent_at >= $1 GROUP BY 1, 2 ORDER BY 1, 2`, since)
}

// Travels is an item that was sent to the same branch for holds again and again, with where it was lent over the same
// time.
type Travels struct {
	ItemID     int64
	Barcode    string
	Title      string
	CallNumber string
	Collection string
	BranchCode calendar.Code // its home
	AtBranch   calendar.Code
	ToBranch   calendar.Code
	Journeys   int
	LentHome   int
	LentThere  int
}

// Travelling gives the items that belong to a branch permanently and were sent to another for holds at least so often
// since an instant, those that travelled most first.
func Travelling(tx *store.Tx, since time.Time, often, most int) ([]Travels, error) {
	return store.List[Travels](tx, `WITH j AS (SELECT item_id, to_branch, count(*)::int AS journeys FROM transits
			WHERE sent_at >= $1 AND hold_id IS NOT NULL GROUP BY 1, 2 HAVING count(*) >= $2),
		-- Only of what is shown loans are looked up.
		m AS (SELECT i.id AS item_id, i.barcode, i.title_id, i.call_number, i.collection, i.branch_code, i.at_branch,
				j.to_branch, j.journeys
			FROM j JOIN items i ON i.id = j.item_id
			WHERE i.branch_code <> j.to_branch AND i.standing = 'in_use' AND i.home_until IS NULL
			ORDER BY j.journeys DESC, i.id LIMIT $3)
		SELECT m.item_id, m.barcode, t.name AS title, m.call_number, m.collection, m.branch_code, m.at_branch,
			m.to_branch, m.journeys, l.lent_home, l.lent_there
		FROM m JOIN titles t ON t.id = m.title_id CROSS JOIN LATERAL (
			SELECT count(*) FILTER (WHERE o.branch_code = m.branch_code)::int AS lent_home,
				count(*) FILTER (WHERE o.branch_code = m.to_branch)::int AS lent_there
			FROM loans o WHERE o.item_id = m.item_id AND o.lent_at >= $1 AND NOT o.undone) l
		ORDER BY m.journeys DESC, m.item_id`, since, often, most)
}

// Went is something that was sent from one branch to another.
type Went struct {
	ID                   int64
	FromBranch, ToBranch calendar.Code
	SentAt               time.Time
	Hold                 bool
}

// WentBetween gives what was sent between two instants, the second not among them.
func WentBetween(tx *store.Tx, from, until time.Time) ([]Went, error) {
	return store.List[Went](tx, `SELECT id, from_branch, to_branch, sent_at, hold_id IS NOT NULL AS hold FROM transits
		WHERE sent_at >= $1 AND sent_at < $2 ORDER BY sent_at, id`, from, until)
}

// ReadyBetween gives the holds that got onto a hold shelf between two instants, the first included, without anything
// having travelled for them.
func ReadyBetween(tx *store.Tx, from, until time.Time) ([]Went, error) {
	return store.List[Went](tx, `SELECT h.id, h.pickup AS from_branch, h.pickup AS to_branch, h.ready_at AS sent_at, true AS hold
		FROM holds h WHERE h.ready_at >= $1 AND h.ready_at < $2
		AND NOT EXISTS (SELECT 1 FROM transits r WHERE r.hold_id = h.id) ORDER BY h.ready_at, h.id`, from, until)
}

// WentNamed gives the titles and numbers of things that were sent, or got onto a hold shelf without.
func WentNamed(tx *store.Tx, ids []int64) ([]TransitShown, error) {
	return store.List[TransitShown](tx, `SELECT w.id, i.id AS item_id, i.barcode, t.name AS title_name
		FROM (SELECT id, item_id FROM transits WHERE id = ANY($1)
			UNION ALL SELECT id, item_id FROM holds WHERE id = ANY($1)) w
		JOIN items i ON i.id = w.item_id JOIN titles t ON t.id = i.title_id`, ids)
}
