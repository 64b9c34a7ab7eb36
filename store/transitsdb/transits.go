package transitsdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/stockdb"
)

// Transit is an item in transit.
type Transit struct {
	ID         int64
	ItemID     int64
	Item       *stockdb.Item
	FromBranch calendar.Code
	ToBranch   calendar.Code
	HoldID     *int64
	Hold       *holdsdb.Hold
	SentAt     time.Time
	PromisedAt *time.Time
	EndedAt    *time.Time
	Why        json.RawMessage `gorm:"type:jsonb"`
	RemindedAt *time.Time      // when both ends were asked to look for it
	ToteID     *int64
}

// StartTransit writes a transit and gives it its id. The database puts it into the tote
// that is being filled for where it goes, if one is.
func StartTransit(tx *store.Tx, r *Transit) (err error) {
	if r.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(
		`INSERT INTO transits (id, item_id, from_branch, to_branch, hold_id, sent_at, promised_at, why)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		r.ID,
		r.ItemID,
		r.FromBranch,
		r.ToBranch,
		r.HoldID,
		r.SentAt,
		r.PromisedAt,
		r.Why,
	)
	return nil
}

// EndTransit ends a live transit.
func EndTransit(tx *store.Tx, id int64, at time.Time) {
	tx.QueueOne("UPDATE transits SET ended_at = $2 WHERE id = $1 AND ended_at IS NULL", id, at)
}

// ResumeTransit takes the end of a transit back.
func ResumeTransit(tx *store.Tx, id int64) {
	tx.QueueOne("UPDATE transits SET ended_at = NULL WHERE id = $1 AND ended_at IS NOT NULL", id)
}

// TransitShown is an item in transit as the courier's place shows it.
type TransitShown struct {
	Transit
	Barcode, TitleName string
}

// TransitsAt gives a page of what is in transit to or from a branch, the oldest promise first.
func TransitsAt(tx *store.Tx, branch calendar.Code, page store.Page) ([]TransitShown, store.Page, error) {
	at := func(r *TransitShown) store.Cursor {
		c := store.Cursor{ID: r.ID, Text: "-infinity"}
		if r.PromisedAt != nil {
			c.Text = r.PromisedAt.UTC().Format(time.RFC3339Nano)
		}
		return c
	}
	order := "coalesce(r.promised_at, '-infinity'), r.id"
	return store.Paged(
		tx,
		page,
		at,
		`SELECT r.id, r.item_id, r.from_branch, r.to_branch, r.hold_id, r.sent_at, r.promised_at, i.barcode,
				t.name AS title_name
		FROM (SELECT * FROM transits WHERE to_branch = $1 AND ended_at IS NULL UNION ALL SELECT * FROM transits
			WHERE from_branch = $1 AND ended_at IS NULL) r
		JOIN items i ON i.id = r.item_id JOIN titles t ON t.id = i.title_id
		WHERE $2::bigint = 0 AND (`+order+`) > (coalesce(nullif($3, ''), '-infinity')::text::timestamptz, $4) ORDER BY `+order,
		branch,
	)
}

// SentPair counts what was sent from one branch to another at a time; without a time it is still to be fetched.
type SentPair struct {
	FromBranch, ToBranch calendar.Code
	SentAt               *time.Time
	Times                int
}

// SentBetween gives what was sent between two instants and had not come by a third, and what is to be fetched for another
// branch.
func SentBetween(tx *store.Tx, from, until, since time.Time) ([]SentPair, error) {
	return store.List[SentPair](tx, `SELECT from_branch, to_branch, date_trunc('minute', sent_at) AS sent_at, count(*)::int AS times
		FROM transits WHERE sent_at >= $1 AND sent_at < $2 AND coalesce(ended_at, 'infinity') >= $3 GROUP BY 1, 2, 3
		UNION ALL SELECT fetch_at, pickup, NULL, count(*)::int FROM holds WHERE state = 'fetching' AND fetch_at <> pickup GROUP BY 1, 2`,
		from, until, since)
}

// StrayShown is something that has missed its promise, with who looked last at either end.
type StrayShown struct {
	TransitShown
	FromLook, ToLook *time.Time
	FromWho, ToWho   *string
}

// Strays gives a page of what has missed its promise, from or to a branch, or anywhere where none is named; the latest first.
func Strays(tx *store.Tx, branch calendar.Code, now time.Time, page store.Page) ([]StrayShown, store.Page, error) {
	at := func(r *StrayShown) store.Cursor {
		return store.Cursor{ID: r.ID, Text: r.PromisedAt.UTC().Format(time.RFC3339Nano)}
	}
	const look = `LEFT JOIN LATERAL (SELECT l.at, s.name FROM looks l LEFT JOIN staff s ON s.id = l.staff_id
		WHERE l.item_id = r.item_id AND l.at >= r.sent_at AND l.branch_code = r.`
	return store.Paged(tx, page, at, `SELECT r.id, r.item_id, r.from_branch, r.to_branch, r.hold_id, r.sent_at, r.promised_at, r.tote_id, i.barcode,
			t.name AS title_name, f.at AS from_look, f.name AS from_who, o.at AS to_look, o.name AS to_who
		FROM transits r JOIN items i ON i.id = r.item_id JOIN titles t ON t.id = i.title_id
		`+look+`from_branch ORDER BY l.id DESC LIMIT 1) f ON true
		`+look+`to_branch ORDER BY l.id DESC LIMIT 1) o ON true
		WHERE r.ended_at IS NULL AND r.promised_at < $2 AND ($1 = '' OR r.from_branch = $1 OR r.to_branch = $1)
			AND $3::bigint >= 0 AND (r.promised_at, r.id) > (coalesce(nullif($4, ''), '-infinity')::timestamptz, $5)
		ORDER BY r.promised_at, r.id`, branch, now)
}

// TransitByID gives a transit; nil where there is none.
func TransitByID(tx *store.Tx, id int64) (*Transit, error) {
	return store.One[Transit](tx, `SELECT id, item_id, from_branch, to_branch, hold_id, sent_at, promised_at, ended_at, reminded_at
		FROM transits WHERE id = $1`, id)
}

// LateTransit is something that has missed its promise, with what has to be locked to do anything about it.
type LateTransit struct {
	Transit
	TitleID, PatronID int64
}

// LateTransits gives what has missed its promise, in order and after one, up to a number.
func LateTransits(tx *store.Tx, now time.Time, after int64, most int) ([]LateTransit, error) {
	return store.List[LateTransit](tx, `SELECT r.id, r.item_id, r.from_branch, r.to_branch, r.hold_id, r.sent_at, r.promised_at, r.reminded_at,
			i.title_id, coalesce(h.patron_id, 0) AS patron_id
		FROM transits r JOIN items i ON i.id = r.item_id LEFT JOIN holds h ON h.id = r.hold_id
		WHERE r.ended_at IS NULL AND r.promised_at < $1 AND r.id > $2 ORDER BY r.id LIMIT $3`, now, after, most)
}

// Remind writes that both ends have been asked to look for something.
func Remind(tx *store.Tx, id int64, at time.Time) {
	tx.Queue("UPDATE transits SET reminded_at = $2 WHERE id = $1 AND reminded_at IS NULL", id, at)
}
