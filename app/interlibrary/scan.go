package interlibrary

import (
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/partners"
	"nevrin/app/problem"
	"nevrin/core/exchange"
	"nevrin/core/ident"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/interlibrarydb"
	"nevrin/store/peopledb"
)

// Scanned is what a scan at the interlibrary desk has done.
type Scanned struct {
	Kind    string       `json:"kind" enum:"packed,received,shown,search,wrong"`
	Says    string       `json:"says" doc:"For a metre away; of a wrong scan, what was wrong"`
	Request *Request     `json:"request,omitempty"`
	Sign    *moving.Sign `json:"sign,omitempty" doc:"Where what was received goes"`
	Why     *why.Trace   `json:"why,omitempty"`
	Patron  int64        `json:"patron,omitempty" doc:"Whose card it was"`
	Item    int64        `json:"item,omitempty" doc:"An item that no request is about"`
}

// Scan takes what somebody at the interlibrary desk has in hand. Our copy for a partner, or a partner's thing that goes home, is packed;
// the number of a request on a parcel's paper receives it, or shows it; words search.
func Scan(a *act.Act, text string) (*Scanned, error) {
	text = strings.TrimSpace(text)
	scan := a.Network.Numbers.Read(text)
	switch scan.Kind {
	case ident.Item:
		return scanItem(a, scan)
	case ident.Card:
		p, err := peopledb.PatronByCard(a.Tx, scan.Number)
		if err != nil || p == nil {
			return &Scanned{Kind: "wrong", Says: ident.Unknown("card", scan.Number, scan.Completed)}, err
		}
		return &Scanned{
			Kind: "wrong", Patron: p.ID, Says: "This is a patron’s card. It was not sent to any partner. Scan cards at the Desk.",
		}, nil
	}
	id, err := interlibrarydb.RequestWithNumber(a.Tx, text)
	switch {
	case err != nil:
		return nil, err
	case id != 0:
		return scanNumber(a, id)
	case scan.Kind == ident.Wrong && !scan.Product:
		return &Scanned{Kind: "wrong", Says: scan.Problem}, nil
	}
	return &Scanned{Kind: "search", Says: text}, nil
}

func scanItem(a *act.Act, scan ident.Scan) (*Scanned, error) {
	about, err := interlibrarydb.RequestOfBarcode(a.Tx, scan.Number)
	if err != nil {
		return nil, err
	}
	if about.Item == 0 {
		return &Scanned{Kind: "wrong", Says: ident.Unknown("item", scan.Number, scan.Completed)}, nil
	}
	if about.Request == 0 {
		return &Scanned{
			Kind: "wrong", Item: about.Item,
			Says: "No request waits for this item. It was not sent to any partner. Return it under Returns, or find it under Items.",
		}, nil
	}
	r, err := locked(a, about.Request, "", about.Item)
	if err != nil {
		return nil, err
	}
	facts, err := deskdb.ItemFactsByID(a.Tx, about.Item)
	if err != nil {
		return nil, err
	}
	switch {
	case r.PackedAt != nil:
		return shown(a, r.ID, "Packed already")
	case r.Role == exchange.Supplying && r.Stage != exchange.Promised:
		return &Scanned{Kind: "wrong", Item: about.Item, Says: "It is on loan to " + r.Partner.Name + ". Return it under Returns."}, nil
	case r.Role == exchange.Supplying:
		err = pack(a, r, facts)
	default:
		err = packHome(a, r, facts)
	}
	if p := problem.Of(err); p != nil {
		return &Scanned{Kind: "wrong", Says: p.Text, Item: about.Item}, nil
	} else if err != nil {
		return nil, err
	}
	out, err := shown(a, r.ID, "Pack for "+r.Partner.Name)
	if out != nil {
		out.Kind = "packed"
	}
	return out, err
}

// scanNumber receives what a partner sent under a number, or shows the request.
func scanNumber(a *act.Act, id int64) (*Scanned, error) {
	r, err := locked(a, id, "", 0)
	if err != nil {
		return nil, err
	}
	due := store.DateOf(r.Due)
	if r.Role != exchange.Requesting || r.Stage != exchange.Shipped || due != nil && *due < a.Today() {
		return shown(a, id, "")
	}
	taken, err := arrived(a, r, nil)
	if err != nil {
		return nil, err
	}
	out, err := shown(a, id, "Received")
	if err != nil {
		return nil, err
	}
	out.Kind, out.Sign, out.Why = "received", &taken.Sign, taken.Why
	return out, nil
}

func shown(a *act.Act, id int64, says string) (*Scanned, error) {
	r, err := one(a, id)
	return &Scanned{Kind: "shown", Says: says, Request: r}, err
}

// Trouble is what happened to something of a partner's with us.
type Trouble struct {
	What string `json:"what" enum:"lost,damaged"`
	Note string `json:"note" minLength:"3" maxLength:"500" doc:"For the lender: what happened. Who had it is never told"`
}

// ReportTrouble tells a lender that something of theirs was lost or damaged here. What it costs they say; until then the request stays open.
func ReportTrouble(a *act.Act, id int64, t Trouble) (*Request, error) {
	r, err := locked(a, id, exchange.Requesting, 0)
	if err != nil {
		return nil, err
	}
	if r.Stage != exchange.There {
		return nil, problem.Newf(problem.Refused, "Only what is here can be reported.")
	}
	says := map[string]string{"lost": "Lost: ", "damaged": "Damaged: "}[t.What]
	if err := partners.Say(a, r, exchange.Notification, says+t.Note); err != nil {
		return nil, err
	}
	r.LastNote = "Reported to the lender. " + says + t.Note
	if err := interlibrarydb.MoveRequest(a.Tx, r); err != nil {
		return nil, err
	}
	a.Touch(event.Interlibrary)
	return one(a, id)
}

// Chase asks the lender how a request of ours stands.
func Chase(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, exchange.Requesting, 0)
	if err != nil {
		return nil, err
	}
	if r.Stage.Ended() {
		return nil, problem.Newf(problem.Refused, "This request has ended.")
	}
	if err := partners.Act(a, r, exchange.StatusRequest); err != nil {
		return nil, err
	}
	return one(a, id)
}

// Hear takes what a partner without a system has said about a request.
func Hear(a *act.Act, id int64, heard partners.Heard) (*Request, error) {
	r, err := locked(a, id, "", 0)
	if err != nil {
		return nil, err
	}
	if err := partners.Hear(a, r, heard); err != nil {
		return nil, err
	}
	return one(a, id)
}

// Enter takes a request of a partner without a system.
func Enter(a *act.Act, t partners.Theirs) (*Request, error) {
	id, err := partners.Enter(a, t)
	if err != nil {
		return nil, err
	}
	return one(a, id)
}
