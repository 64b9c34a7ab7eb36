// Package today shows what waits at each branch, and what is in transit.
package today

import (
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/statusdb"
	"nevrin/store/transitsdb"
)

// Count is a number of things that wait, and how many of them are late.
type Count struct {
	All  int `json:"all"`
	Late int `json:"late"`
}

// Row counts the work that waits at one branch.
type Row struct {
	Branch  calendar.Code `json:"branch"`
	Name    string        `json:"name"`
	Open    string        `json:"open" doc:"Today's hours, or why it is closed"`
	Fetch   Count         `json:"fetch"`
	Clear   Count         `json:"clear" doc:"Hold shelf to clear"`
	Coming  Count         `json:"coming" doc:"Items on their way here; late: past their promise"`
	Overdue Count         `json:"overdue" doc:"Late loans of this branch"`
	Ready   Count         `json:"ready" doc:"On the hold shelf"`
	Missing Count         `json:"missing" doc:"Items reported missing"`
}

// of is the count of a kind.
func (r *Row) of(kind string) *Count {
	switch kind {
	case "fetch":
		return &r.Fetch
	case "clear":
		return &r.Clear
	case "coming":
		return &r.Coming
	case "overdue":
		return &r.Overdue
	case "ready":
		return &r.Ready
	}
	return &r.Missing
}

// Look counts what waits, one query for all branches.
func Look(a *act.Act) ([]Row, error) {
	counts, err := statusdb.WaitsByBranch(a.Tx, a.Now)
	if err != nil {
		return nil, err
	}
	branches := a.Network.Open()
	out := make([]Row, len(branches))
	at := map[calendar.Code]int{}
	for k, b := range branches {
		hours, by, name := b.Settled(b.Date(a.Now))
		open := b.Style.Spans(hours)
		switch {
		case len(hours) > 0:
		case by == calendar.ByWeek:
			open = "Closed on " + b.Date(a.Now).Weekday().String() + "s"
		default:
			open = "Closed: " + name
		}
		out[k], at[b.Code] = Row{Branch: b.Code, Name: b.Name, Open: open}, k
	}
	for _, c := range counts {
		k, open := at[c.Branch]
		if !open { // closed permanently: nothing is done there any more
			continue
		}
		n := out[k].of(c.Kind)
		n.All += c.Number
		n.Late += c.Late
	}
	return out, nil
}

// Transit is an item in transit as the courier's place shows it.
type Transit struct {
	ItemID   int64         `json:"item_id"`
	Barcode  string        `json:"barcode"`
	Title    string        `json:"title"`
	From     string        `json:"from"`
	To       string        `json:"to"`
	ToBranch calendar.Code `json:"to_branch"`
	Hold     bool          `json:"hold"`
	SentAt   time.Time     `json:"sent_at"`
	Promised *time.Time    `json:"promised_at,omitempty"`
	Stray    bool          `json:"stray" doc:"Has missed its promise"`
}

// Moving gives a page of what is in transit to or from a branch, strays first.
func Moving(a *act.Act, branch calendar.Code, page store.Page) ([]Transit, store.Page, error) {
	rows, next, err := transitsdb.TransitsAt(a.Tx, branch, page)
	out := []Transit{}
	for _, r := range rows {
		out = append(out, Transit{
			ItemID: r.ItemID, Barcode: r.Barcode, Title: r.TitleName, From: a.Network.BranchName(r.FromBranch),
			To: a.Network.BranchName(r.ToBranch), ToBranch: r.ToBranch, Hold: r.HoldID != nil,
			SentAt: r.SentAt, Promised: r.PromisedAt,
			Stray: r.PromisedAt != nil && r.PromisedAt.Before(a.Now),
		})
	}
	return out, next, err
}
