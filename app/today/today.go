// Package today shows what waits at each branch, and does what every night brings.
package today

import (
	"context"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/notices"
	"nevrin/core/calendar"
	"nevrin/store"
)

// Count is a number of things that wait, and how many of them are late.
type Count struct {
	All  int `json:"all"`
	Late int `json:"late"`
}

// Row is what waits at one branch.
type Row struct {
	Branch  string `json:"branch"`
	Name    string `json:"name"`
	Open    string `json:"open" doc:"Today's hours, or why it is closed"`
	Fetch   Count  `json:"fetch"`
	Clear   Count  `json:"clear" doc:"Hold shelf to clear"`
	Coming  Count  `json:"coming" doc:"Items on their way here; late: past their promise"`
	Overdue Count  `json:"overdue" doc:"Late loans of this branch; late: not told yet"`
	Ready   Count  `json:"ready" doc:"On the hold shelf"`
	Missing Count  `json:"missing" doc:"Items reported missing"`
}

// Look counts what waits, one query for all branches.
func Look(a *act.Act) ([]Row, error) {
	var counts []struct {
		Branch       string
		Kind         string
		Number, Late int
	}
	err := a.Raw(`WITH p AS (SELECT ?::timestamptz AS now, ?::date AS today)
		SELECT i.at_branch AS branch, 'fetch' AS kind, count(*) AS number, count(*) FILTER (WHERE h.promised_at < (SELECT now FROM p)) AS late
			FROM holds h JOIN items i ON i.id = h.item_id WHERE h.state = 'fetching' GROUP BY 1
		UNION ALL SELECT h.pickup, 'clear', count(*), count(*) FILTER (WHERE h.closed_at < (SELECT now FROM p) - interval '2 days')
			FROM holds h WHERE h.state IN ('lapsed', 'cancelled') AND h.item_id IS NOT NULL AND h.ready_at IS NOT NULL AND NOT h.cleared GROUP BY 1
		UNION ALL SELECT to_branch, 'coming', count(*), count(*) FILTER (WHERE promised_at < (SELECT now FROM p)) FROM transits WHERE ended_at IS NULL GROUP BY 1
		UNION ALL SELECT branch_code, 'overdue', count(*), count(*) FILTER (WHERE NOT EXISTS (SELECT 1 FROM told WHERE told.loan_id = loans.id AND told.due = loans.due_date::text))
			FROM loans WHERE returned_at IS NULL AND due_date < (SELECT today FROM p) GROUP BY 1
		UNION ALL SELECT pickup, 'ready', count(*), 0 FROM holds WHERE state = 'ready' GROUP BY 1
		UNION ALL SELECT branch_code, 'missing', count(*), 0 FROM items WHERE standing = 'missing' GROUP BY 1`,
		a.Now, a.Today().String()).Scan(&counts).Error
	if err != nil {
		return nil, err
	}
	out := make([]Row, len(a.Network.Branches))
	at := map[string]int{}
	for k, b := range a.Network.Branches {
		hours, reason := b.DayWithReason(b.Date(a.Now))
		open := hours.String()
		if len(hours) == 0 {
			open = "Closed: " + strings.TrimPrefix(reason, "closed ")
		}
		out[k], at[b.Code] = Row{Branch: b.Code, Name: b.Name, Open: open}, k
	}
	for _, c := range counts {
		row := &out[at[c.Branch]]
		n := Count{c.Number, c.Late}
		switch c.Kind {
		case "fetch":
			row.Fetch = n
		case "clear":
			row.Clear = n
		case "coming":
			row.Coming = n
		case "overdue":
			row.Overdue = n
		case "ready":
			row.Ready = n
		case "missing":
			row.Missing = n
		}
	}
	return out, nil
}

// Transit is an item under way as the courier's place shows it.
type Transit struct {
	ItemID   int64      `json:"item_id"`
	Barcode  string     `json:"barcode"`
	Title    string     `json:"title"`
	From     string     `json:"from"`
	To       string     `json:"to"`
	Hold     bool       `json:"hold"`
	SentAt   time.Time  `json:"sent_at"`
	Promised *time.Time `json:"promised_at,omitempty"`
	Stray    bool       `json:"stray" doc:"Has missed its promise"`
}

// Moving lists what is under way to or from a branch, strays first.
func Moving(a *act.Act, branch string) ([]Transit, error) {
	out := []Transit{}
	err := a.Raw(`SELECT t.item_id, i.barcode, b.name AS title, t.from_branch AS "from", t.to_branch AS "to", t.hold_id IS NOT NULL AS hold, t.sent_at, t.promised_at AS promised,
			coalesce(t.promised_at < ?, false) AS stray
		FROM transits t JOIN items i ON i.id = t.item_id JOIN titles b ON b.id = i.title_id
		WHERE t.ended_at IS NULL AND (t.to_branch = ? OR t.from_branch = ?) ORDER BY t.promised_at NULLS FIRST, t.id LIMIT 500`, a.Now, branch, branch).Scan(&out).Error
	for k := range out {
		out[k].From, out[k].To = a.Network.BranchName(out[k].From), a.Network.BranchName(out[k].To)
	}
	return out, err
}

// NightArgs is the job of one night.
type NightArgs struct {
	Day string `json:"day"`
}

// Kind names the job in the queue.
func (NightArgs) Kind() string { return "night" }

// Night works nightly jobs.
type Night struct {
	river.WorkerDefaults[NightArgs]
	House *act.House
}

// Work does the nights up to that of the job which have not been done yet, in order, each in one act.
func (n *Night) Work(ctx context.Context, job *river.Job[NightArgs]) error {
	day, err := calendar.ParseDate(job.Args.Day)
	if err != nil {
		return err
	}
	return Nights(ctx, n.House, day)
}

// Nights does every night up to a day that has not been done yet. Two copies take turns.
func Nights(ctx context.Context, h *act.House, until calendar.Date) error {
	for {
		done, err := act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) { return oneNight(a, until) })
		if err != nil || done {
			return err
		}
	}
}

func oneNight(a *act.Act, until calendar.Date) (done bool, err error) {
	if err := a.Exec("SELECT pg_advisory_xact_lock(7001)").Error; err != nil {
		return false, err
	}
	var last *time.Time
	if err := a.Raw("SELECT max(day) FROM nights").Scan(&last).Error; err != nil {
		return false, err
	}
	day := until
	if last != nil {
		day = calendar.DateOf(last.UTC()) + 1
	}
	if day > until {
		return true, nil
	}
	if err := a.Exec("INSERT INTO nights (day, done_at) VALUES (?, ?)", day.String(), a.Now).Error; err != nil {
		return false, err
	}
	if err := holds.Lapse(a, day); err != nil {
		return false, err
	}
	if err := desk.Lose(a, day); err != nil {
		return false, err
	}
	return false, notices.WorkOut(a, day)
}

// MoveClock moves the training clock forward and sets the nights passed to work.
func MoveClock(a *act.Act, by time.Duration) (time.Time, error) {
	if by <= 0 || by > 400*24*time.Hour {
		return a.Now, act.Problemf(act.Invalid, "The training clock only goes forward, by at most 400 days.")
	}
	moved := a.Exec("UPDATE training_clock SET shows = shows + make_interval(secs => ?)", by.Seconds())
	if moved.Error != nil {
		return a.Now, moved.Error
	}
	if moved.RowsAffected == 0 {
		return a.Now, act.Problemf(act.Refused, "This installation runs on real time. Only the demo has a training clock.")
	}
	now := a.Now.Add(by)
	if err := a.Tell(act.Happened{Kind: "clock_moved", Text: "Training clock moved to " + calendar.SayInstant(now, a.Network.Location)}); err != nil {
		return now, err
	}
	if a.House.Jobs == nil {
		return now, nil
	}
	_, err := a.House.Jobs.InsertTx(a.Context, store.Tx(a.DB), NightArgs{calendar.DateOf(now.In(a.Network.Location)).String()}, nil)
	return now, err
}
