package holdsdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/store"
)

// PassOver writes by how many days a hold was passed over.
func PassOver(tx *store.Tx, hold int64, days int) {
	tx.Queue("UPDATE holds SET passed_days = passed_days + $2 WHERE id = $1", hold, days)
}

// Miss writes that an item was not found for a hold, and gives how often it was not found since it was last seen.
func Miss(tx *store.Tx, hold, item int64, at time.Time) (int, error) {
	tx.Queue("INSERT INTO misses (hold_id, item_id, at) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING", hold, item, at)
	return store.Value[int](tx, "SELECT count(*)::int FROM misses WHERE item_id = $1 AND seen_at IS NULL", item)
}

// MissedItem is an item that was not found for a hold and has not been seen since.
type MissedItem struct {
	Standing circulation.ItemStatus
	AtBranch calendar.Code
}

// MissedBy gives an item that was not found for a hold, whose title is locked; nil where it has been seen since.
func MissedBy(tx *store.Tx, hold, item int64) (*MissedItem, error) {
	return store.One[MissedItem](tx, `SELECT i.standing, i.at_branch FROM misses m JOIN items i ON i.id = m.item_id
		WHERE m.hold_id = $1 AND m.item_id = $2 AND m.seen_at IS NULL`, hold, item)
}

// TakeFetch writes who is on the way to what a hold waits for; nil: nobody.
func TakeFetch(tx *store.Tx, hold int64, by *int64, at *time.Time) {
	tx.QueueOne("UPDATE holds SET taken_by = $2, taken_at = $3 WHERE id = $1 AND state = 'fetching'", hold, by, at)
}

// Fetch is one line of a branch's fetch list.
type Fetch struct {
	HoldID, ItemID                   int64
	Barcode, Title, Author           string
	Collection, CallNumber, Material string
	Volume                           string
	Pickup                           calendar.Code
	TakenBy                          *int64
	TakenAt                          *time.Time
	TakerName                        *string
	PromisedAt                       *time.Time
	PlacedAt                         time.Time
	RequestID                        *int64
	Why                              json.RawMessage
}

// FetchList gives what a branch is to take from its shelves.
func FetchList(tx *store.Tx, branch calendar.Code) ([]Fetch, error) {
	return store.List[Fetch](
		tx,
		`SELECT h.id AS hold_id, i.id AS item_id, i.barcode, t.name AS title, t.author, i.collection, i.call_number,
				i.material, i.volume,
			h.pickup, h.promised_at, h.placed_at, h.request_id, h.why, h.taken_by, h.taken_at, s.name AS taker_name
		FROM holds h JOIN items i ON i.id = h.item_id JOIN titles t ON t.id = i.title_id
		LEFT JOIN staff s ON s.id = h.taken_by
		WHERE h.state = 'fetching' AND h.fetch_at = $1`,
		branch,
	)
}

// Promised is something in transit, or to be fetched for another branch, with what has been promised of it.
type Promised struct {
	TransitID, HoldID, ItemID, PatronID int64
	Title, Barcode                      string
	FromBranch, ToBranch                calendar.Code
	SentAt                              *time.Time // nil: it is to be fetched
	PromisedAt                          *time.Time
	LegalName, PreferredName, ShelfName string
}

// PromisedTransits gives what was sent since an instant and is in transit, and what is to be fetched for another branch.
func PromisedTransits(tx *store.Tx, since time.Time) ([]Promised, error) {
	const of = `, i.id AS item_id, coalesce(h.patron_id, 0) AS patron_id, t.name AS title, i.barcode,
		coalesce(p.legal_name, '') AS legal_name, coalesce(p.preferred_name, '') AS preferred_name, coalesce(p.shelf_name, '') AS shelf_name`
	return store.List[Promised](tx, `SELECT r.id AS transit_id, coalesce(r.hold_id, 0) AS hold_id, r.from_branch, r.to_branch, r.sent_at,
			r.promised_at`+of+` FROM transits r JOIN items i ON i.id = r.item_id JOIN titles t ON t.id = i.title_id
			LEFT JOIN holds h ON h.id = r.hold_id LEFT JOIN patrons p ON p.id = h.patron_id
		WHERE r.ended_at IS NULL AND r.sent_at >= $1
		UNION ALL SELECT 0, h.id, h.fetch_at, h.pickup, NULL, h.promised_at`+of+`
		FROM holds h JOIN items i ON i.id = h.item_id JOIN titles t ON t.id = i.title_id
		JOIN patrons p ON p.id = h.patron_id
		WHERE h.state = 'fetching' AND h.fetch_at <> h.pickup`, since)
}

// Promise writes another promise of a transit, and of the hold that it serves.
func Promise(tx *store.Tx, transit, hold int64, at *time.Time) {
	if transit != 0 {
		tx.Queue("UPDATE transits SET promised_at = $2 WHERE id = $1 AND ended_at IS NULL", transit, at)
	}
	if hold != 0 {
		tx.Queue("UPDATE holds SET promised_at = $2 WHERE id = $1 AND state IN ('fetching', 'moving')", hold, at)
	}
}
