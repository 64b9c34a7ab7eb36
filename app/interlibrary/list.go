package interlibrary

import (
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/exchange"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
)

// Request is a request as staff see it.
type Request struct {
	ID          int64          `json:"id"`
	Number      string         `json:"number"`
	Role        exchange.Role  `json:"role" enum:"requesting,supplying"`
	PartnerID   int64          `json:"partner_id"`
	Partner     string         `json:"partner"`
	Stage       exchange.Stage `json:"stage" enum:"asked,promised,shipped,there,back,done,refused,withdrawn"`
	OurMove     bool           `json:"our_move"`
	Says        string         `json:"says"`
	Late        string         `json:"late" doc:"What is late about it; empty: nothing"`
	Next        Step           `json:"next" enum:",answer,choose,pack,hand_over,send_copy,receive,elsewhere" doc:"What is to be done next here; empty: nothing"`
	May         []Step         `json:"may" doc:"What else can be done"`
	Title       string         `json:"title"`
	Author      string         `json:"author"`
	Year        string         `json:"year"`
	Edition     string         `json:"edition"`
	AnyEdition  bool           `json:"any_edition"`
	Numbers     string         `json:"numbers" doc:"ISBN and ISSN"`
	Copy        bool           `json:"copy" doc:"A copy is asked for, not a loan"`
	Part        string         `json:"part" doc:"Which part is asked for: an article, a volume, pages; empty: all of it"`
	Withdrawing bool           `json:"withdrawing" doc:"We have withdrawn it, and they have not answered yet"`
	Renewing    bool           `json:"renewing" doc:"We have asked the lender to renew it"`
	Recalled    bool           `json:"recalled" doc:"The lender wants it back now"`
	ByHand      bool           `json:"by_hand" doc:"The partner has no system: what they say is entered by hand"`
	Packed      bool           `json:"packed" doc:"In a parcel that has not been handed over"`
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
	Call        string         `json:"call_number" doc:"Of our copy for a partner"`
	BegunAt     time.Time      `json:"begun_at"`
	MovedAt     time.Time      `json:"moved_at"`
	Waiting     string         `json:"waiting" doc:"Why the newest message of ours has not got through; empty: it has"`
}

// Step is something that can be done about a request.
type Step string

// The steps.
const (
	StepAnswer    Step = "answer"
	StepChoose    Step = "choose" // another copy, or decline after all
	StepPack      Step = "pack"
	StepHandOver  Step = "hand_over"
	StepSendCopy  Step = "send_copy"
	StepReceive   Step = "receive"
	StepElsewhere Step = "elsewhere"
	StepWithdraw  Step = "withdraw"
	StepRenew     Step = "renew"
	StepUnpack    Step = "unpack"
	StepRecall    Step = "recall"
	StepLost      Step = "lost"   // by them
	StepReport    Step = "report" // damaged or lost with us
	StepChase     Step = "chase"  // ask how it stands
)

func one(a *act.Act, id int64) (*Request, error) {
	if err := a.Tx.Flush(); err != nil {
		return nil, err
	}
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

// List gives a page of requests, our move first; without a group those that are open or ended in the last month.
func List(a *act.Act, f interlibrarydb.Filter, page store.Page) ([]Request, store.Page, error) {
	rows, next, err := interlibrarydb.Requests(a.Tx, when(a), &f, page)
	if err != nil {
		return nil, next, err
	}
	out, err := showAll(a, rows)
	return out, next, err
}

// when is the time by which requests are late.
func when(a *act.Act) *interlibrarydb.When {
	w := &interlibrarydb.When{Today: a.Today().UTC(), Since: a.Now.AddDate(0, 0, -30)}
	for role, stages := range exchange.Patience {
		for stage, days := range stages {
			w.Patience = append(w.Patience, interlibrarydb.Patience{Role: string(role), Stage: string(stage), Days: days})
		}
	}
	return w
}

// Counts are how many requests are at each part of the list.
type Counts struct {
	Ours   int `json:"ours" doc:"Where we act next"`
	Theirs int `json:"theirs" doc:"Where somebody else does"`
	Late   int `json:"late"`
	Packed int `json:"packed" doc:"In parcels that have not been handed over"`
	New    int `json:"new" doc:"Of partners, not answered yet"`
}

// Count counts the requests.
func Count(a *act.Act) (*Counts, error) {
	n, err := interlibrarydb.CountRequests(a.Tx, when(a))
	if err != nil {
		return nil, err
	}
	return (*Counts)(n), nil
}

// Partner is a library outside, by which the list is narrowed.
type Partner struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

// Partners lists the libraries outside by name.
func Partners(a *act.Act) ([]Partner, error) {
	rows, err := interlibrarydb.Partners(a.Tx)
	out := make([]Partner, len(rows))
	for k, p := range rows {
		out[k] = Partner{p.ID, p.Name}
	}
	return out, err
}

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
	places, err := withPatron(a, rows)
	if err != nil {
		return nil, err
	}
	promised, err := interlibrarydb.HeldFor(a.Tx, ids)
	if err != nil {
		return nil, err
	}
	held := map[int64]*interlibrarydb.Held{}
	for k := range promised {
		held[promised[k].RequestID] = &promised[k]
	}
	out := []Request{}
	for k := range rows {
		row := &rows[k]
		r := show(a, row)
		with, away := places[r.ItemID]
		r.OurMove = exchange.OurMove(row.Role, row.Stage, row.Seen, away && !row.Recalled)
		if away && r.Role == exchange.Requesting && r.Stage == exchange.There {
			if r.Says = with; r.Renewing {
				r.Says += ". Renewal requested; waiting for the lender’s answer"
			}
			if r.Recalled {
				r.Says = "Recalled by the lender. " + r.Says
			}
		}
		if r.Role == exchange.Supplying && r.Stage == exchange.Promised && !r.Copy {
			r.onItsWay(a, row, held[r.ID])
		}
		r.next(row, held[r.ID], away)
		r.Waiting = waiting[r.ID]
		out = append(out, r)
	}
	return out, nil
}

// onItsWay says where the copy is that a partner was promised.
func (r *Request) onItsWay(a *act.Act, row *interlibrarydb.Request, h *interlibrarydb.Held) {
	if h != nil {
		r.ItemID, r.Barcode, r.Call = h.ItemID, h.Barcode, h.CallNumber
	}
	switch {
	case row.PackedAt != nil:
		r.Says = "Packed at " + a.Network.BranchName(*row.PackedIn) + ", to hand over"
	case h == nil:
		r.Says = "Promised; choose a copy"
	case h.State == queue.Waiting:
		r.Says = "Promised; the copy was not found at " + a.Network.BranchName(calendar.Code(h.Branch))
	case h.State == queue.Fetching:
		r.Says, r.OurMove = "On the fetch list of "+a.Network.BranchName(*h.FetchAt), false
	case h.State == queue.Moving:
		r.Says, r.OurMove = "In transit to "+a.Network.BranchName(h.Pickup)+", to be packed there", false
	default:
		r.Says = "At " + a.Network.BranchName(h.Pickup) + ", to pack"
	}
}

// next tells what can be done now.
func (r *Request) next(row *interlibrarydb.Request, h *interlibrarydb.Held, away bool) {
	r.May = []Step{}
	may := func(s Step, when bool) {
		if when {
			r.May = append(r.May, s)
		}
	}
	if r.Packed {
		r.Next = StepHandOver
		may(StepUnpack, true)
		return
	}
	switch stage := row.Stage; row.Role {
	case exchange.Supplying:
		switch stage {
		case exchange.Asked:
			r.Next = StepAnswer
		case exchange.Promised:
			switch {
			case r.Copy:
				r.Next = StepSendCopy
			case h == nil || h.State == queue.Waiting:
				r.Next = StepChoose
			case h.State == queue.Ready: // while it is fetched, only a scan packs it
				r.Next = StepPack
			}
		}
		out := row.LoanID != nil && slices.Contains([]exchange.Stage{exchange.Shipped, exchange.There, exchange.Back}, stage)
		may(StepRecall, out && !row.Recalled && stage != exchange.Back)
		may(StepLost, out)
	case exchange.Requesting:
		switch stage {
		case exchange.Asked, exchange.Promised:
			may(StepWithdraw, !row.Withdrawing)
			may(StepChase, r.Late != "")
		case exchange.Shipped:
			r.Next = StepReceive
			may(StepChase, r.Late != "")
		case exchange.There:
			if !away {
				r.Next = StepPack
			}
			may(StepRenew, away && !row.Renewing && !row.Recalled)
			may(StepReport, true)
		case exchange.Refused:
			if r.OurMove {
				r.Next = StepElsewhere
			}
		case exchange.Back:
			may(StepChase, r.Late != "")
		}
	}
}

// withPatron tells which partners' things are with the patron or wait for them: then nobody has to move.
func withPatron(a *act.Act, rows []interlibrarydb.Request) (map[int64]string, error) {
	var ids []int64
	for _, r := range rows {
		if r.ItemID != nil && r.Stage == exchange.There && r.Role == exchange.Requesting {
			ids = append(ids, *r.ItemID)
		}
	}
	out := map[int64]string{}
	if len(ids) == 0 {
		return out, nil
	}
	busy, err := interlibrarydb.PlacesOf(a.Tx, ids)
	for _, b := range busy {
		if says := sayWith[b.Place]; says != "" {
			out[b.ItemID] = says
		}
	}
	return out, err
}

var sayWith = map[circulation.Place]string{
	circulation.PlaceLent: "With the patron", circulation.PlaceHoldShelf: "On the hold shelf for the patron",
	circulation.PlaceFetching: "In transit to the pickup branch", circulation.PlaceUnderWay: "In transit to the pickup branch",
}

func show(a *act.Act, r *interlibrarydb.Request) Request {
	out := Request{
		ID: r.ID, Number: r.Number, Role: r.Role, PartnerID: r.PartnerID, Partner: r.Partner.Name, Stage: r.Stage, Title: r.Title, Author: r.Author,
		Year: r.Year, Edition: r.Edition, AnyEdition: r.AnyEdition, Numbers: r.Numbers, Copy: isCopy(r), Part: r.Part,
		Withdrawing: r.Role == exchange.Requesting && r.Withdrawing, Renewing: r.Renewing, Recalled: r.Recalled, ByHand: r.Partner.MessageURL == "", Packed: r.PackedAt != nil,
		Note: r.Note, LastNote: r.LastNote, Says: says(a, r), BegunAt: r.BegunAt, MovedAt: r.MovedAt,
	}
	if r.Patron != nil {
		out.Patron, out.PatronID = r.Patron.Name(), r.Patron.ID
	}
	if r.Pickup != nil {
		out.Pickup = a.Network.BranchName(*r.Pickup)
	}
	if r.Item != nil {
		out.ItemID, out.Barcode, out.Call = r.Item.ID, r.Item.Barcode, r.Item.CallNumber
	}
	if d := store.DateOf(r.NeededBy); d != nil {
		out.NeededBy = a.SayDate(*d)
	}
	if d := store.DateOf(r.Due); d != nil {
		out.Due, out.DuePast = a.SayDate(*d), *d < a.Today()
	}
	out.Late = exchange.Late(r.Role, r.Stage, calendar.DateOf(r.MovedAt.In(a.Network.Location)), a.Today(), store.DateOf(r.Due), store.DateOf(r.NeededBy))
	return out
}

// says tells how a request stands, from where we are.
func says(a *act.Act, r *interlibrarydb.Request) string {
	switch {
	case r.Stage == exchange.Done && r.Unreturned:
		return "Ended without return"
	case r.Stage == exchange.Done && isCopy(r) && r.Role == exchange.Supplying:
		return "Copy sent"
	case r.Stage == exchange.Done && isCopy(r):
		return "Copy received"
	case r.Role == exchange.Supplying && r.Recalled && !r.Stage.Ended():
		return "Recalled by us, with them"
	case r.Role == exchange.Supplying:
		return sayTheirs[r.Stage]
	case r.Withdrawing:
		return "Withdrawn by us; waiting for their answer"
	case r.PackedAt != nil:
		return "Packed at " + a.Network.BranchName(*r.PackedIn) + ", to hand over"
	}
	return sayOurs[r.Stage]
}

var (
	sayOurs = map[exchange.Stage]string{
		exchange.Asked: "Requested", exchange.Promised: "Promised", exchange.Shipped: "In transit to us", exchange.There: "Here, to be sent back",
		exchange.Back: "In transit home", exchange.Done: "Returned", exchange.Refused: "Declined", exchange.Withdrawn: "Withdrawn",
	}
	sayTheirs = map[exchange.Stage]string{
		exchange.Asked: "New request", exchange.Promised: "Promised, to copy and send", exchange.Shipped: "In transit to them",
		exchange.There: "With them", exchange.Back: "In transit back to us", exchange.Done: "Returned", exchange.Refused: "Declined by us",
		exchange.Withdrawn: "Withdrawn by them",
	}
)
