package store

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
)

// The work of the nights is cut into steps; each is begun, and ended, once over all copies.

// WholeNight stands among the steps of a night when all of them have been done.
const WholeNight = "whole"

// NextNight gives the day after the last one whose nightly work has been done whole; nil where none has.
func (t *Tx) NextNight() (*time.Time, error) {
	last, err := one[struct{ Day time.Time }](
		t,
		"SELECT day FROM nights WHERE step = $1 AND ended_at IS NOT NULL ORDER BY day DESC LIMIT 1",
		WholeNight,
	)
	if err != nil || last == nil {
		return nil, err
	}
	next := last.Day.AddDate(0, 0, 1)
	return &next, nil
}

// NightStep is how far a step of a night has come.
type NightStep struct {
	Done    int64
	EndedAt *time.Time
}

// NightStep locks a step of a night, so that copies take turns, and gives how far it has come.
func (t *Tx) NightStep(day time.Time, step string) (*NightStep, error) {
	if _, err := t.exec("INSERT INTO nights (day, step) VALUES ($1, $2) ON CONFLICT DO NOTHING", day, step); err != nil {
		return nil, err
	}
	return one[NightStep](t, "SELECT done, ended_at FROM nights WHERE day = $1 AND step = $2 FOR UPDATE", day, step)
}

// NightDone writes how far a step has come with a part that took so long, and that it has ended.
func (t *Tx) NightDone(day time.Time, step string, done int64, took time.Duration, ended *time.Time) {
	t.queueOne("UPDATE nights SET done = $3, ended_at = $4, seconds = seconds + $5 WHERE day = $1 AND step = $2", day, step, done, ended,
		took.Seconds())
}

// MaybeLost is a late loan with what decides whether it counts as lost.
type MaybeLost struct {
	Loan
	TitleID  int64
	OwnTerms json.RawMessage
	Price    *int64
}

// MaybeLost gives loans that are late on a day, after one and up to a number of them.
func (t *Tx) MaybeLost(day time.Time, after int64, most int) ([]MaybeLost, error) {
	return list[MaybeLost](t, `SELECT `+loanColumns+`, i.title_id, i.own_terms, i.price FROM (
			SELECT id FROM (
				SELECT l.id FROM branches b JOIN loans l ON l.branch_code = b.code AND l.due_date < $1
					WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.id > $2
				UNION ALL SELECT id FROM loans WHERE returned_at IS NULL AND lost_at IS NULL
					AND due_at < $1::date::timestamptz AND id > $2) u
			WHERE NOT EXISTS (SELECT 1 FROM claims c WHERE c.loan_id = u.id AND c.undone_at IS NULL)
			ORDER BY id LIMIT $3) late
		JOIN loans l ON l.id = late.id JOIN items i ON i.id = l.item_id ORDER BY l.id`, day, after, most)
}

// Waits counts what waits at the branches.
type Waits struct {
	Kind         string
	Branch       calendar.Code
	Number, Late int
}

// Waits counts what waits at each branch, in one question.
func (t *Tx) Waits(now time.Time) ([]Waits, error) {
	return list[Waits](
		t,
		`WITH today AS (SELECT code, ($1::timestamptz AT TIME ZONE timezone)::date AS day FROM branches)
		SELECT fetch_at AS branch, 'fetch' AS kind, count(*)::int AS number,
			count(*) FILTER (WHERE promised_at < $1)::int AS late FROM holds WHERE state = 'fetching' GROUP BY 1
		UNION ALL SELECT h.pickup, 'clear', count(*)::int,
			count(*) FILTER (WHERE h.closed_at < $1 - interval '2 days')::int
			FROM holds h WHERE h.state IN ('lapsed', 'cancelled') AND h.item_id IS NOT NULL
				AND h.ready_at IS NOT NULL AND NOT h.cleared GROUP BY 1
		UNION ALL SELECT to_branch, 'coming', count(*)::int, count(*) FILTER (WHERE promised_at < $1)::int
			FROM transits WHERE ended_at IS NULL GROUP BY 1
		UNION ALL SELECT today.code, 'overdue', n.number, n.late FROM today CROSS JOIN LATERAL (
			SELECT count(*)::int AS number, count(*) FILTER (WHERE NOT l.told)::int AS late FROM loans l
			WHERE l.branch_code = today.code AND l.due_date < today.day AND l.returned_at IS NULL AND l.lost_at IS NULL) n
		UNION ALL SELECT l.branch_code, 'overdue', count(*)::int, count(*) FILTER (WHERE NOT l.told)::int
			FROM loans l WHERE l.returned_at IS NULL AND l.due_at < $1 AND l.lost_at IS NULL GROUP BY 1
		UNION ALL SELECT pickup, 'ready', count(*)::int, 0 FROM holds WHERE state = 'ready' GROUP BY 1
		UNION ALL SELECT branch_code, 'missing', count(*)::int, 0 FROM items WHERE standing = 'missing' GROUP BY 1`,
		now,
	)
}

// Desks counts open sign-ups by branch, and open reports about the rules and trial runs of the network, whose branch is empty.
func (t *Tx) Desks() ([]Waits, error) {
	return list[Waits](t, `SELECT branch_code AS branch, 'sign_ups' AS kind, count(*)::int AS number, 0 AS late
			FROM sign_ups WHERE state = 'waiting' GROUP BY 1
		UNION ALL SELECT '', 'reports', count(*)::int, 0 FROM reports WHERE answered_at IS NULL
		UNION ALL SELECT '', 'trials', count(*)::int, 0 FROM mailings WHERE state = 'trial'`)
}

// TransitShown is an item under way as the courier's place shows it.
type TransitShown struct {
	Transit
	Barcode, TitleName string
}

// TransitsAt gives a page of what is under way to or from a branch, the oldest promise first.
func (t *Tx) TransitsAt(branch calendar.Code, page Page) ([]TransitShown, Page, error) {
	at := func(r *TransitShown) Cursor {
		c := Cursor{ID: r.ID, Text: "-infinity"}
		if r.PromisedAt != nil {
			c.Text = r.PromisedAt.UTC().Format(time.RFC3339Nano)
		}
		return c
	}
	order := "coalesce(r.promised_at, '-infinity'), r.id"
	return paged(
		t,
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

// CountLoans adds the loans made between two instants to the counts by situation of a month.
func (t *Tx) CountLoans(since, until, month time.Time) (int64, error) {
	return t.exec(`INSERT INTO loan_counts (month, situation, n)
			SELECT $3::date, situation, count(*)::int FROM loans
			WHERE lent_at >= $1 AND lent_at < $2 AND NOT undone GROUP BY situation
		ON CONFLICT (month, situation) DO UPDATE SET n = loan_counts.n + excluded.n`, since, until, month)
}
