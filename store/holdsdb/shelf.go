package holdsdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Cleared notes that the item of a lapsed or cancelled hold has left the hold shelf.
func Cleared(tx *store.Tx, item int64) {
	tx.Queue("UPDATE holds SET cleared = true WHERE item_id = $1 AND state IN ('lapsed', 'cancelled') AND NOT cleared", item)
}

// FreeSlot gives the slot of a branch's hold shelf, of so many, in which least stands.
func FreeSlot(tx *store.Tx, branch calendar.Code, slots int) (int, error) {
	return store.Value[int](tx, `SELECT s.n FROM generate_series(1, $2::int) s(n)
		LEFT JOIN holds h ON h.pickup = $1 AND h.state = 'ready' AND h.slot = s.n
		GROUP BY s.n ORDER BY count(h.id), s.n LIMIT 1`, branch, slots)
}

// ShelfRow is a thing on a hold shelf, or one that stands there still for a hold that has ended.
type ShelfRow struct {
	StandsUnder string // the key of its place on a shelf that goes by name
	HoldShown
	Barcode, Author, CallNumber string
	Material                    string
	MessageID                   *int64
	Channel, MessageState       *string
	Address                     *string
	Calls                       *int // how often somebody has called
}

// OnHoldShelf gives a page of what stands on the hold shelf of a branch for somebody, by its last day.
func OnHoldShelf(tx *store.Tx, branch calendar.Code, page store.Page) ([]ShelfRow, store.Page, error) {
	at := func(h *ShelfRow) store.Cursor {
		return store.Cursor{Text: store.DateOf(h.ShelfUntil).String(), ID: h.ID}
	}
	return store.Paged(tx, page, at, "SELECT "+shelfColumns+shelfFrom+`WHERE h.pickup = $1 AND h.state = 'ready' AND h.request_id IS NULL
		AND $2::bigint >= 0 AND (h.shelf_until, h.id) > (coalesce(nullif($3, ''), '-infinity')::date, $4)
		ORDER BY h.shelf_until, h.id`, branch)
}

// ShelfDay counts the holds of a hold shelf that have the same last day there, or are promised for the same day.
type ShelfDay struct {
	Day    time.Time
	Ready  int // on the shelf, with that last day
	Coming int // on their way, promised for that day
}

// ShelfDays counts what stands on the hold shelf of a branch by its last day, and what is on its way there by the day of
// its promise, in the zone of the branch.
func ShelfDays(tx *store.Tx, branch calendar.Code) ([]ShelfDay, error) {
	return store.List[ShelfDay](tx, `SELECT day, count(*) FILTER (WHERE state = 'ready')::int AS ready,
			count(*) FILTER (WHERE state <> 'ready')::int AS coming
		FROM (SELECT h.state, CASE h.state WHEN 'ready' THEN h.shelf_until
				ELSE (h.promised_at AT TIME ZONE b.timezone)::date END AS day
			FROM holds h JOIN branches b ON b.code = h.pickup
			WHERE h.pickup = $1 AND h.state IN ('ready', 'fetching', 'moving') AND h.closed_at IS NULL) s
		WHERE day IS NOT NULL GROUP BY day ORDER BY day`, branch)
}

// ToClear gives a page of what still stands on the hold shelf of a branch for holds that have ended, as it stands there: by slot,
// or by the name it stands under.
func ToClear(tx *store.Tx, branch calendar.Code, page store.Page) ([]ShelfRow, store.Page, error) {
	at := func(h *ShelfRow) store.Cursor {
		c := store.Cursor{Text: h.StandsUnder, ID: h.ID}
		if h.Slot != nil {
			c.Rank = int64(*h.Slot)
		}
		return c
	}
	return store.Paged(tx, page, at, "SELECT "+shelfColumns+shelfFrom+`WHERE h.pickup = $1 AND h.state IN ('lapsed', 'cancelled')
		AND h.item_id IS NOT NULL AND h.ready_at IS NOT NULL AND NOT h.cleared
		AND (coalesce(h.slot, 0), `+standsUnder+`, h.id) > ($2::bigint, $3::text COLLATE "C", $4)
		ORDER BY coalesce(h.slot, 0), `+standsUnder+`, h.id`, branch)
}
