package store

import (
	"time"

	"nevrin/core/calendar"
)

// SentPair is how often something was sent from one branch to another at a time; without a time it is to be fetched.
type SentPair struct {
	FromBranch, ToBranch calendar.Code
	SentAt               *time.Time
	Times                int
}

// SentBetween gives what was sent between two instants and had not come by a third, and what is to be fetched for another
// branch.
func (t *Tx) SentBetween(from, until, since time.Time) ([]SentPair, error) {
	return list[SentPair](t, `SELECT from_branch, to_branch, date_trunc('minute', sent_at) AS sent_at, count(*)::int AS times
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
func (t *Tx) Strays(branch calendar.Code, now time.Time, page Page) ([]StrayShown, Page, error) {
	at := func(r *StrayShown) Cursor {
		return Cursor{ID: r.ID, Text: r.PromisedAt.UTC().Format(time.RFC3339Nano)}
	}
	const look = `LEFT JOIN LATERAL (SELECT l.at, s.name FROM looks l LEFT JOIN staff s ON s.id = l.staff_id
		WHERE l.item_id = r.item_id AND l.at >= r.sent_at AND l.branch_code = r.`
	return paged(t, page, at, `SELECT r.id, r.item_id, r.from_branch, r.to_branch, r.hold_id, r.sent_at, r.promised_at, r.tote_id, i.barcode,
			t.name AS title_name, f.at AS from_look, f.name AS from_who, o.at AS to_look, o.name AS to_who
		FROM transits r JOIN items i ON i.id = r.item_id JOIN titles t ON t.id = i.title_id
		`+look+`from_branch ORDER BY l.id DESC LIMIT 1) f ON true
		`+look+`to_branch ORDER BY l.id DESC LIMIT 1) o ON true
		WHERE r.ended_at IS NULL AND r.promised_at < $2 AND ($1 = '' OR r.from_branch = $1 OR r.to_branch = $1)
			AND $3::bigint >= 0 AND (r.promised_at, r.id) > (coalesce(nullif($4, ''), '-infinity')::timestamptz, $5)
		ORDER BY r.promised_at, r.id`, branch, now)
}

// TransitByID gives a transit; nil where there is none.
func (t *Tx) TransitByID(id int64) (*Transit, error) {
	return one[Transit](t, `SELECT id, item_id, from_branch, to_branch, hold_id, sent_at, promised_at, ended_at, reminded_at
		FROM transits WHERE id = $1`, id)
}

// LateTransit is something that has missed its promise, with what has to be locked to do anything about it.
type LateTransit struct {
	Transit
	TitleID, PatronID int64
}

// LateTransits gives what has missed its promise, in order and after one, up to a number.
func (t *Tx) LateTransits(now time.Time, after int64, most int) ([]LateTransit, error) {
	return list[LateTransit](t, `SELECT r.id, r.item_id, r.from_branch, r.to_branch, r.hold_id, r.sent_at, r.promised_at, r.reminded_at,
			i.title_id, coalesce(h.patron_id, 0) AS patron_id
		FROM transits r JOIN items i ON i.id = r.item_id LEFT JOIN holds h ON h.id = r.hold_id
		WHERE r.ended_at IS NULL AND r.promised_at < $1 AND r.id > $2 ORDER BY r.id LIMIT $3`, now, after, most)
}

// Remind writes that both ends have been asked to look for something.
func (t *Tx) Remind(id int64, at time.Time) {
	t.queue("UPDATE transits SET reminded_at = $2 WHERE id = $1 AND reminded_at IS NULL", id, at)
}
