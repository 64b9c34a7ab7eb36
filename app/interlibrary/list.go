package interlibrary

import (
	"time"

	"nevrin/app/act"
	"nevrin/core/exchange"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
)

// Request is a request as staff see it.
type Request struct {
	ID          int64          `json:"id"`
	Number      string         `json:"number"`
	Role        exchange.Role  `json:"role" enum:"requesting,supplying"`
	Partner     string         `json:"partner"`
	Stage       exchange.Stage `json:"stage" enum:"asked,promised,shipped,there,back,done,refused,withdrawn"`
	OurMove     bool           `json:"our_move"`
	Says        string         `json:"says"`
	Title       string         `json:"title"`
	Author      string         `json:"author"`
	Copy        bool           `json:"copy" doc:"A copy is asked for, not a loan"`
	Part        string         `json:"part" doc:"Which part is asked for: an article, a volume, pages; empty: all of it"`
	Withdrawing bool           `json:"withdrawing" doc:"We have withdrawn it, and they have not answered yet"`
	Renewing    bool           `json:"renewing" doc:"We have asked the lender to renew it"`
	Patron      string         `json:"patron" doc:"For whom, for our own staff only"`
	PatronID    int64          `json:"patron_id,omitempty"`
	Pickup      string         `json:"pickup"`
	NeededBy    string         `json:"needed_by"`
	Due         string         `json:"due"`
	DuePast     bool           `json:"due_past" doc:"That day has gone by"`
	Note        string         `json:"note"`
	LastNote    string         `json:"last_note"`
	ItemID      int64          `json:"item_id,omitempty"`
	Barcode     string         `json:"barcode"`
	MovedAt     time.Time      `json:"moved_at"`
	Waiting     string         `json:"waiting" doc:"Why the newest message of ours has not got through; empty: it has"`
}

func one(a *act.Act, id int64) (*Request, error) {
	rows, err := interlibrarydb.OneRequest(a.Tx, id)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	list, err := showAll(a, rows)
	if err != nil {
		return nil, err
	}
	return &list[0], nil
}

// List gives a page of the open requests and those that ended in the last month, our move first.
func List(a *act.Act, page store.Page) ([]Request, store.Page, error) {
	rows, next, err := interlibrarydb.Requests(a.Tx, a.Now.AddDate(0, 0, -30), supplying, requesting, page)
	if err != nil {
		return nil, next, err
	}
	out, err := showAll(a, rows)
	return out, next, err
}

// Ours counts the requests where we act next.
func Ours(a *act.Act) (int, error) { return interlibrarydb.OurRequests(a.Tx, supplying, requesting) }

var supplying, requesting = exchange.OurMoves[exchange.Supplying], exchange.OurMoves[exchange.Requesting]

func showAll(a *act.Act, rows []interlibrarydb.Request) ([]Request, error) {
	ids := make([]int64, len(rows))
	for k, r := range rows {
		ids[k] = r.ID
	}
	stuck, err := interlibrarydb.NewestSent(a.Tx, ids)
	if err != nil {
		return nil, err
	}
	waiting := map[int64]string{}
	for _, s := range stuck {
		switch {
		case s.State == "refused":
			waiting[s.RequestID] = "The partner rejected our last message: " + s.Problem
		case s.State == "queued" && s.Problem != "":
			waiting[s.RequestID] = "Our last message was not delivered and is being resent: " + s.Problem
		}
	}
	held, err := withPatron(a, rows)
	if err != nil {
		return nil, err
	}
	out := []Request{}
	for k := range rows {
		r := show(a, &rows[k])
		with, away := held[r.ItemID]
		r.OurMove = exchange.OurMove(r.Role, r.Stage, rows[k].Seen, away)
		if away && r.Role == exchange.Requesting && r.Stage == exchange.There {
			if r.Says = with; r.Renewing {
				r.Says += ". Renewal requested; waiting for the lender’s answer"
			}
		}
		r.Waiting = waiting[r.ID]
		out = append(out, r)
	}
	return out, nil
}

// withPatron tells which partners' things are with the patron or wait for them: then nobody has to move.
func withPatron(a *act.Act, rows []interlibrarydb.Request) (map[int64]string, error) {
	var ids []int64
	for _, r := range rows {
		if r.ItemID != nil && r.Stage == exchange.There {
			ids = append(ids, *r.ItemID)
		}
	}
	out := map[int64]string{}
	if len(ids) == 0 {
		return out, nil
	}
	busy, err := interlibrarydb.PlacesOf(a.Tx, ids)
	for _, b := range busy {
		if says := sayPlace[b.Place]; says != "" {
			out[b.ItemID] = says
		}
	}
	return out, err
}

var sayPlace = map[string]string{"lent": "With the patron", "hold_shelf": "On the hold shelf for the patron",
	"fetching": "In transit to the pickup branch", "under_way": "In transit to the pickup branch"}

func show(a *act.Act, r *interlibrarydb.Request) Request {
	out := Request{
		ID:          r.ID,
		Number:      r.Number,
		Role:        r.Role,
		Partner:     r.Partner.Name,
		Stage:       r.Stage,
		Title:       r.Title,
		Author:      r.Author,
		Copy:        isCopy(r),
		Part:        r.Part,
		Withdrawing: r.Role == exchange.Requesting && r.Withdrawing,
		Renewing:    r.Renewing,
		Note:        r.Note,
		LastNote:    r.LastNote,
		Says:        says(r),
		MovedAt:     r.MovedAt,
	}
	if r.Patron != nil {
		out.Patron, out.PatronID = r.Patron.Name(), r.Patron.ID
	}
	if r.Pickup != nil {
		out.Pickup = a.Network.BranchName(*r.Pickup)
	}
	if r.Item != nil {
		out.ItemID, out.Barcode = r.Item.ID, r.Item.Barcode
	}
	if d := store.DateOf(r.NeededBy); d != nil {
		out.NeededBy = a.SayDate(*d)
	}
	if d := store.DateOf(r.Due); d != nil {
		out.Due, out.DuePast = a.SayDate(*d), *d < a.Today()
	}
	return out
}

// says tells how a request stands, from where we are.
func says(r *interlibrarydb.Request) string {
	if r.Withdrawing {
		return "Withdrawn by us; waiting for their answer"
	}
	ours := map[exchange.Stage]string{
		exchange.Asked:     "Requested",
		exchange.Promised:  "Promised",
		exchange.Shipped:   "In transit to us",
		exchange.There:     "Here, to be sent back",
		exchange.Back:      "In transit home",
		exchange.Done:      "Returned",
		exchange.Refused:   "Declined",
		exchange.Withdrawn: "Withdrawn",
	}
	theirs := map[exchange.Stage]string{
		exchange.Asked:     "New request",
		exchange.Promised:  "Promised, to ship",
		exchange.Shipped:   "In transit to them",
		exchange.There:     "With them",
		exchange.Back:      "In transit back to us",
		exchange.Done:      "Returned",
		exchange.Refused:   "Declined by us",
		exchange.Withdrawn: "Withdrawn by them",
	}
	if r.Role == exchange.Supplying {
		return theirs[r.Stage]
	}
	return ours[r.Stage]
}
