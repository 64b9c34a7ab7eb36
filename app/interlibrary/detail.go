package interlibrary

import (
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/history"
	"nevrin/app/partners"
	"nevrin/app/problem"
	"nevrin/core/exchange"
	"nevrin/formats/parcel"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
)

// Message is one message about a request, ours or theirs.
type Message struct {
	ID       int64     `json:"id"`
	At       time.Time `json:"at"`
	Outgoing bool      `json:"outgoing" doc:"We sent it"`
	Says     string    `json:"says" doc:"What it says, in plain words"`
	Kind     string    `json:"kind" doc:"By the standard, ISO 18626"`
	State    string    `json:"state" enum:"queued,sent,refused,received"`
	Problem  string    `json:"problem" doc:"Why it was not taken; empty: it was"`
	Body     string    `json:"body" doc:"As it was sent, XML"`
}

// Detail is a request with its whole story.
type Detail struct {
	Request  Request            `json:"request"`
	Messages []Message          `json:"messages" doc:"The oldest first"`
	History  []history.Happened `json:"history" doc:"What staff did about it, the newest first"`
	Proposal *Proposal          `json:"proposal,omitempty" doc:"Of a request that waits for an answer"`
}

// One gives a request with its whole story.
func One(a *act.Act, id int64) (*Detail, error) {
	r, err := one(a, id)
	switch {
	case err != nil:
		return nil, err
	case r == nil:
		return nil, problem.NoSuch("request")
	}
	out := &Detail{Request: *r, Messages: []Message{}}
	rows, err := interlibrarydb.ExchangesOf(a.Tx, id)
	if err != nil {
		return nil, err
	}
	for _, e := range rows {
		out.Messages = append(out.Messages, Message{
			ID: e.ID, At: e.At, Outgoing: e.Outgoing, Kind: e.Kind, Says: partners.SayMessage(a, e.Kind, e.Body), State: e.State, Problem: e.Problem,
			Body: e.Body,
		})
	}
	if out.History, _, err = history.OfRequest(a, id, store.Page{Most: 100}); err != nil {
		return nil, err
	}
	if r.Next == StepAnswer || r.Next == StepChoose {
		out.Proposal, err = ProposalFor(a, id)
	}
	return out, err
}

// Papers gives the sheets that travel with parcels: of some requests, or of all that is packed here.
func Papers(a *act.Act, ids []int64) ([]parcel.Paper, error) {
	rows, err := interlibrarydb.SomeRequests(a.Tx, ids)
	if len(ids) == 0 {
		rows, err = interlibrarydb.PackedAt(a.Tx, a.Who.Branch)
	}
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return nil, problem.Newf(problem.Refused, "Nothing is packed here, so there is no paper to print.")
	}
	here := a.Network.Row(a.Who.Branch)
	us := append([]string{a.Network.Name, here.Name}, lines(here.Address)...)
	out := []parcel.Paper{}
	for k := range rows {
		r := &rows[k]
		them := append([]string{r.Partner.Name}, lines(r.Partner.Address)...)
		half := parcel.Half{
			Heading: "Interlibrary loan", From: us, To: them, Number: r.Number, Statement: a.Network.Settled.Outside.Statement,
			Facts: [][2]string{{"Title", r.Title}, {"Author", r.Author}, {"Part", r.Part}, {"Sent by", map[string]string{"post": "Post", "courier": "Courier"}[r.Partner.Way]}},
		}
		if r.Item != nil {
			half.Item = r.Item.Barcode
		}
		if r.Role == exchange.Requesting {
			half.Heading = "Interlibrary return"
			out = append(out, parcel.Paper{There: half})
			continue
		}
		back := half
		back.Heading, back.From, back.To = "Return this half with it", them, us
		if due := store.DateOf(r.Due); due != nil {
			half.Facts = slices.Concat(half.Facts, [][2]string{{"Due back here", a.SayDate(*due)}, {"Note", r.Note}})
			back.Facts = slices.Concat(back.Facts, [][2]string{{"Due back", a.SayDate(*due)}})
		}
		out = append(out, parcel.Paper{There: half, Back: &back})
	}
	return out, nil
}

// lines are the lines of an address.
func lines(address string) []string {
	var out []string
	for line := range strings.SplitSeq(address, "\n") {
		if line = strings.TrimSpace(line); line != "" {
			out = append(out, line)
		}
	}
	return out
}
