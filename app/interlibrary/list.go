package interlibrary

import (
	"time"

	"nevrin/app/act"
	"nevrin/core/exchange"
	"nevrin/store"
)

// Request is a request as staff see it.
type Request struct {
	ID       int64     `json:"id"`
	Number   string    `json:"number"`
	Role     string    `json:"role" enum:"requesting,supplying"`
	Partner  string    `json:"partner"`
	Stage    string    `json:"stage" enum:"asked,promised,shipped,there,back,done,refused,withdrawn"`
	OurMove  bool      `json:"our_move"`
	Says     string    `json:"says"`
	Title    string    `json:"title"`
	Author   string    `json:"author"`
	Patron   string    `json:"patron" doc:"For whom, for our own staff only"`
	PatronID int64     `json:"patron_id,omitempty"`
	Pickup   string    `json:"pickup"`
	NeededBy string    `json:"needed_by"`
	Due      string    `json:"due"`
	Note     string    `json:"note"`
	LastNote string    `json:"last_note"`
	ItemID   int64     `json:"item_id,omitempty"`
	Barcode  string    `json:"barcode"`
	MovedAt  time.Time `json:"moved_at"`
	Waiting  string    `json:"waiting" doc:"Why the newest message of ours has not got through; empty: it has"`
}

func one(a *act.Act, id int64) (*Request, error) {
	rows, err := a.Tx.OneRequest(id)
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
	rows, next, err := a.Tx.Requests(a.Now.AddDate(0, 0, -30), supplying, requesting, page)
	if err != nil {
		return nil, next, err
	}
	out, err := showAll(a, rows)
	return out, next, err
}

// Ours counts the requests where we act next.
func Ours(a *act.Act) (int, error) { return a.Tx.OurRequests(supplying, requesting) }

var supplying, requesting = stages(exchange.Supplying), stages(exchange.Requesting)

func stages(of exchange.Role) []string {
	var out []string
	for _, s := range exchange.OurMoves[of] {
		out = append(out, string(s))
	}
	return out
}

func showAll(a *act.Act, rows []store.Request) ([]Request, error) {
	ids := make([]int64, len(rows))
	for k, r := range rows {
		ids[k] = r.ID
	}
	stuck, err := a.Tx.NewestSent(ids)
	if err != nil {
		return nil, err
	}
	waiting := map[int64]string{}
	for _, s := range stuck {
		switch {
		case s.State == "refused":
			waiting[s.RequestID] = "They did not accept our last message: " + s.Problem
		case s.State == "queued" && s.Problem != "":
			waiting[s.RequestID] = "Our last message has not got through and is tried again: " + s.Problem
		}
	}
	held, err := withPatron(a, rows)
	if err != nil {
		return nil, err
	}
	out := []Request{}
	for k := range rows {
		r := show(a, &rows[k])
		if says, ok := held[r.ItemID]; ok && r.Role == string(exchange.Requesting) && r.Stage == string(exchange.There) {
			r.Says, r.OurMove = says, false
		}
		r.Waiting = waiting[r.ID]
		out = append(out, r)
	}
	return out, nil
}

// withPatron tells which partners' things are with the patron or wait for them: then nobody has to move.
func withPatron(a *act.Act, rows []store.Request) (map[int64]string, error) {
	var ids []int64
	for _, r := range rows {
		if r.ItemID != nil && r.Stage == string(exchange.There) {
			ids = append(ids, *r.ItemID)
		}
	}
	out := map[int64]string{}
	if len(ids) == 0 {
		return out, nil
	}
	busy, err := a.Tx.PlacesOf(ids)
	for _, b := range busy {
		if says := sayPlace[b.Place]; says != "" {
			out[b.ItemID] = says
		}
	}
	return out, err
}

var sayPlace = map[string]string{"lent": "With the patron", "hold_shelf": "Waits for the patron on the hold shelf",
	"fetching": "On its way to the pickup branch", "under_way": "On its way to the pickup branch"}

func show(a *act.Act, r *store.Request) Request {
	out := Request{
		ID:       r.ID,
		Number:   r.Number,
		Role:     r.Role,
		Partner:  r.Partner.Name,
		Stage:    r.Stage,
		Title:    r.Title,
		Author:   r.Author,
		Note:     r.Note,
		LastNote: r.LastNote,
		OurMove: exchange.OurMove(exchange.Role(r.Role), exchange.Stage(r.Stage)) &&
			!r.Seen,
		Says:    says(r),
		MovedAt: r.MovedAt,
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
		out.NeededBy = d.Say()
	}
	if d := store.DateOf(r.Due); d != nil {
		out.Due = d.Say()
	}
	return out
}

// says tells how a request stands, from where we are.
func says(r *store.Request) string {
	if r.Withdrawing {
		return "Withdrawn by us; runs until they answer"
	}
	ours := map[string]string{
		"asked":     "Asked; they answer next",
		"promised":  "They will send it",
		"shipped":   "On its way to us",
		"there":     "Here; to be packed and sent home",
		"back":      "On its way home",
		"done":      "Home again",
		"refused":   "They cannot lend it",
		"withdrawn": "Withdrawn",
	}
	theirs := map[string]string{
		"asked":     "They ask; answer yes or no",
		"promised":  "Promised; send it",
		"shipped":   "On its way to them",
		"there":     "With them",
		"back":      "On its way back to us",
		"done":      "Back here",
		"refused":   "We said no",
		"withdrawn": "They withdrew it",
	}
	if r.Role == string(exchange.Supplying) {
		return theirs[r.Stage]
	}
	return ours[r.Stage]
}
