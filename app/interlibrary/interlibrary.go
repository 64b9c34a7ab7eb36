// Package interlibrary works requests to and from libraries outside.
//
// We ask: search partners, ask one, receive what comes and lend it with the lender's due date, send
// it home. They ask: see what we have, answer yes or no with a reason, lend it to them in our own
// records, take it back in one scan. A list says whose move it is.
package interlibrary

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/outside"
	"nevrin/app/partners"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/exchange"
	"nevrin/core/ident"
	"nevrin/core/ledger"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/formats/sru"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/interlibrarydb"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// Found is one partner's answer to a search.
type Found struct {
	PartnerID int64    `json:"partner_id"`
	Partner   string   `json:"partner"`
	Problem   string   `json:"problem" doc:"Why nothing could be found there; empty: it answered"`
	Records   []Record `json:"records"`
}

// Record is a title that a partner has.
type Record struct {
	ID     string `json:"id"`
	Title  string `json:"title"`
	Author string `json:"author"`
	Date   string `json:"date"`
	ISBN   string `json:"isbn"`
	Format string `json:"format"`

	Declined string `json:"declined" doc:"When and why this partner has declined it lately; empty: they have not"`
}

// Asked is whom a search asks, and what they have declined lately.
type Asked struct {
	partner  *interlibrarydb.Partner
	declined map[string]string // by title, in small letters
}

// declinedFor is the number of days for which it is said that a partner has declined a title.
const declinedFor = 90

// ToAsk gives whom a search asks.
func ToAsk(a *act.Act, partner int64) (*Asked, error) {
	out := &Asked{declined: map[string]string{}}
	var err error
	if out.partner, err = interlibrarydb.PartnerByID(a.Tx, partner); err != nil {
		return nil, err
	}
	if out.partner == nil {
		return nil, problem.NoSuch("partner")
	}
	rows, err := interlibrarydb.DeclinedSince(a.Tx, partner, a.Now.AddDate(0, 0, -declinedFor))
	for _, r := range rows {
		says := "Declined on " + a.SayDate(calendar.DateOf(r.MovedAt.In(a.Network.Location)))
		if r.LastNote != "" {
			says += ": " + r.LastNote
		}
		out.declined[r.Title] = says
	}
	return out, err
}

// patience is how long a partner may take to answer a search.
const patience = 8 * time.Second

// Search asks one partner. Who searches several asks each by itself, so that one that is slow or down holds up none of the others.
func Search(ctx context.Context, h *act.House, of *Asked, words string) Found {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	p := of.partner
	out := Found{PartnerID: p.ID, Partner: p.Name, Records: []Record{}}
	if p.SRUURL == "" {
		out.Problem = "They have no catalogue to search. Ask them by their name."
		return out
	}
	records, err := sru.Search(ctx, h.Outside.HTTP(), p.SRUURL, words)
	if err != nil {
		out.Problem = "No answer: " + outside.Because(err).Error()
	}
	for _, r := range records {
		out.Records = append(out.Records, Record{
			ID: r.ID, Title: r.Title, Author: r.Author, Date: r.Date, ISBN: r.ISBN, Format: r.Format, Declined: of.declined[strings.ToLower(r.Title)],
		})
	}
	return out
}

// Order is a request of ours to be made.
type Order struct {
	Partner  int64          `json:"partner"`
	Record   string         `json:"record" maxLength:"200"`
	Title    string         `json:"title" minLength:"1" maxLength:"500"`
	Author   string         `json:"author" maxLength:"300"`
	ISBN     string         `json:"isbn" maxLength:"20"`
	Patron   int64          `json:"patron"`
	Pickup   calendar.Code  `json:"pickup"`
	Note     string         `json:"note" maxLength:"1000" doc:"For the partner. Who it is for is never told"`
	NeededBy *calendar.Date `json:"needed_by,omitempty" format:"date"`
}

// Ask asks a partner for a title. The number is given at once.
func Ask(a *act.Act, o Order) (*Request, error) {
	if _, err := a.Network.OpenBranch(o.Pickup); err != nil {
		return nil, err
	}
	locked, err := peopledb.PatronLocked(a.Tx, o.Patron)
	if err != nil {
		return nil, err
	}
	p, err := people.InUse(locked)
	if err != nil {
		return nil, err
	}
	terms := a.Book.Decide(rulebook.Situate(o.Pickup, "", "", "interlibrary", p.Class), nil)
	if err := mayAsk(a, p, &terms); err != nil {
		return nil, err
	}
	partner, err := interlibrarydb.PartnerByID(a.Tx, o.Partner)
	if err != nil {
		return nil, err
	}
	if partner == nil {
		return nil, problem.NoSuch("partner")
	}
	n, err := interlibrarydb.NextRequest(a.Tx)
	if err != nil {
		return nil, err
	}
	r := interlibrarydb.Request{
		Number:    fmt.Sprintf("%s-%06d", a.Network.Symbol, n),
		Role:      exchange.Requesting,
		Service:   exchange.Loan,
		PartnerID: partner.ID,
		Partner:   partner,
		Stage:     exchange.Asked,
		Title:     o.Title,
		Author:    o.Author,
		ISBN:      o.ISBN,
		Record:    o.Record,
		Note:      o.Note,
		PatronID:  &p.ID,
		Pickup:    &o.Pickup,
		BegunAt:   a.Now,
		MovedAt:   a.Now,
	}
	if o.NeededBy != nil {
		r.NeededBy = store.Column(*o.NeededBy)
	}
	if err := interlibrarydb.AddRequest(a.Tx, &r); err != nil {
		return nil, err
	}
	if err := partners.Ask(a, &r); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.AskedOutside, Patron: p.ID, Request: r.ID})
	charge := &accountsdb.Entry{
		PatronID: p.ID,
		Amount:   terms.Value(rulebook.InterlibraryCharge).Amount(),
		About:    ledger.AboutOutside,
	}
	if err := accounts.Put(a, charge, 0); err != nil {
		return nil, err
	}
	return one(a, r.ID)
}

// mayAsk tells, as a problem, that rules do not let this patron ask outside, or not for more.
func mayAsk(a *act.Act, p *peopledb.Patron, terms *rulebook.Terms) error {
	if !terms.Value(rulebook.InterlibraryAllowed).YesNo() {
		return problem.Newf(
			problem.Refused,
			"Interlibrary requests are not allowed for the patron class %s.",
			a.Network.ClassName("patron", p.Class),
		)
	}
	limit := terms.Limit(rulebook.InterlibraryAtOnce)
	open, err := interlibrarydb.RunningRequests(a.Tx, p.ID)
	if err == nil && queue.TooMany(open, limit) {
		return problem.Newf(
			problem.Refused,
			"%s has %s open; %d are allowed at once.",
			p.Name(),
			calendar.Count(open, "request"),
			*limit,
		)
	}
	return err
}

// locked loads a request of a role, or of either if none is named, for a change that may touch its thing, or another item.
func locked(a *act.Act, id int64, role exchange.Role, item int64) (*interlibrarydb.Request, error) {
	r, err := interlibrarydb.RequestForChange(a.Tx, id, item)
	if err == nil && (r == nil || role != "" && r.Role != role) {
		err = problem.NoSuch("request")
	}
	return r, err
}

// Withdraw takes a request of ours back. Until the partner has answered that, it is still running.
func Withdraw(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, exchange.Requesting, 0)
	if err != nil {
		return nil, err
	}
	if r.Withdrawing {
		return nil, problem.Newf(problem.Refused, "This request is already withdrawn. The partner has not answered yet.")
	}
	r.Withdrawing = true
	if err := partners.Act(a, r, exchange.Cancel); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.RequestWithdrawn, Patron: *r.PatronID, Request: r.ID})
	return one(a, id)
}

// Renew asks the lender to renew what our patron has. It is due as it was until they have answered.
func Renew(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, exchange.Requesting, 0)
	if err != nil {
		return nil, err
	}
	switch {
	case r.Stage != exchange.There || r.ItemID == nil:
		return nil, problem.Newf(problem.Refused, "Only an item that is here can be renewed.")
	case r.Renewing:
		return nil, problem.Newf(problem.Refused, "The lender has already been asked and has not answered yet.")
	}
	r.Renewing = true
	if err := partners.Act(a, r, exchange.Renew); err != nil {
		return nil, err
	}
	return one(a, id)
}

// isCopy tells whether a request is for a copy, of which nothing comes back.
func isCopy(r *interlibrarydb.Request) bool { return r.Service == exchange.Copy }

// Seen says that a partner's no has been dealt with: asked elsewhere, or left.
func Seen(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, exchange.Requesting, 0)
	if err != nil {
		return nil, err
	}
	if r.Stage != exchange.Refused {
		return nil, problem.Newf(problem.Refused, "The partner has not declined.")
	}
	if err := interlibrarydb.SeeRequest(a.Tx, r); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.RequestSeen, Patron: *r.PatronID, Request: r.ID})
	return one(a, id)
}

// Arrived takes in what a partner sent: it gets a label, waits for its patron under the lender's due
// date, and goes to the pickup branch.
func Arrived(a *act.Act, id int64, agreed *calendar.Date) (*Taken, error) {
	r, err := locked(a, id, exchange.Requesting, 0)
	if err != nil {
		return nil, err
	}
	return arrived(a, r, agreed)
}

func arrived(a *act.Act, r *interlibrarydb.Request, agreed *calendar.Date) (*Taken, error) {
	if agreed != nil {
		r.Due = store.Column(*agreed)
	}
	if due := store.DateOf(r.Due); due != nil && *due < a.Today() {
		return nil, problem.Newf(
			problem.Refused,
			"The lender’s due date, %s, has passed. Agree on another date, then receive it with that.",
			a.SayDate(*due),
		)
	}
	if r.Stage != exchange.Shipped {
		return nil, problem.Newf(
			problem.Refused,
			"This request is %s; only what the partner has sent can be received.",
			r.Stage,
		)
	}
	item, err := lodge(a, r)
	if err != nil {
		return nil, err
	}
	r.ItemID = &item.ID
	if err := partners.Act(a, r, exchange.Received); err != nil {
		return nil, err
	}
	h := &holdsdb.Hold{
		TitleID:  item.TitleID,
		PatronID: *r.PatronID,
		Pickup:   *r.Pickup,
		OnlyItem: &item.ID,
		PlacedAt: a.Now,
		State:    queue.Fetching,
		ItemID:   &item.ID,
	}
	if err := holdsdb.AddHold(a.Tx, h); err != nil {
		return nil, err
	}
	facts, err := deskdb.ItemFactsByID(a.Tx, item.ID)
	if err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.ArrivedOutside, Patron: *r.PatronID, Item: item.ID, Request: r.ID})
	placed, err := moving.Place(a, facts)
	if err != nil {
		return nil, err
	}
	return &Taken{Sign: placed.Sign, Title: r.Title, Code: item.Barcode, Why: &placed.Why}, nil
}

// lodge makes the item for a partner's thing. Its own terms hold it to the lender's due date.
func lodge(a *act.Act, r *interlibrarydb.Request) (*stockdb.Item, error) {
	isbn, _ := ident.ISBN(r.ISBN)
	t := stockdb.Title{Name: r.Title, Author: r.Author, ISBN: isbn}
	if err := stockdb.AddTitle(a.Tx, &t); err != nil {
		return nil, err
	}
	due := store.DateOf(r.Due)
	if due != nil {
		due = new(exchange.DueHere(*due, r.Partner.Margin, a.Today()))
	}
	own, err := json.Marshal(exchange.OwnTerms(due, a.Today()))
	if err != nil {
		return nil, err
	}
	next, err := stockdb.NextLodged(a.Tx)
	if err != nil {
		return nil, err
	}
	label, _ := a.Network.Numbers.Guests() // there is one, or the numbers could not be settled
	if next > label.Last() {
		return nil, problem.Newf(problem.Refused,
			"All labels of %q are used. An administrator can set longer ones under Network, Numbers.", label.Name)
	}
	item := stockdb.Item{
		Barcode:    label.Number(next),
		TitleID:    t.ID,
		BranchCode: a.Who.Branch,
		AtBranch:   a.Who.Branch,
		Collection: "interlibrary",
		Material:   circulation.Interlibrary,
		OwnTerms:   own,
		Standing:   circulation.ItemInUse,
		AddedOn:    a.Today().UTC(),
	}
	return &item, stockdb.AddItem(a.Tx, &item)
}

// packHome puts something of a partner into the parcel in which it goes home.
func packHome(a *act.Act, r *interlibrarydb.Request, facts *deskdb.Facts) error {
	switch {
	case r.Stage != exchange.There || r.ItemID == nil:
		return problem.Newf(problem.Refused, "No item of this request is here.")
	case r.PackedAt != nil:
		return problem.Newf(problem.Refused, "This request is packed already.")
	case facts.Loan != nil:
		return problem.Newf(problem.Refused, "It is still on loan to the patron. Return it first.")
	case facts.Transit != nil || facts.Hold != nil:
		return problem.Newf(problem.Refused, "It is still on hold or in transit. Receive it or cancel the hold first.")
	}
	r.PackedAt, r.PackedIn = &a.Now, &a.Who.Branch
	stockdb.SetStatusAt(a.Tx, facts.Item.ID, a.Who.Branch, circulation.ItemInUse)
	a.Tell(event.Event{Kind: event.Packed, Item: facts.Item.ID, Patron: *r.PatronID, Request: r.ID})
	return interlibrarydb.MoveRequest(a.Tx, r)
}

// gone says that something of a partner is on its way home.
func gone(a *act.Act, r *interlibrarydb.Request) error {
	if err := partners.Act(a, r, exchange.ShippedReturn); err != nil {
		return err
	}
	stockdb.SetStatus(a.Tx, *r.ItemID, circulation.ItemWithdrawn, "")
	a.Tell(event.Event{Kind: event.SentHome, Item: *r.ItemID, Patron: *r.PatronID, Request: r.ID})
	return nil
}

// Pack packs what a request is about, without a scan of its label: for a thing whose label cannot be read.
func Pack(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, "", 0)
	if err != nil {
		return nil, err
	}
	if r.ItemID == nil {
		return nil, problem.Newf(problem.Refused, "No item of this request is here.")
	}
	facts, err := deskdb.ItemFactsByID(a.Tx, *r.ItemID)
	if err != nil {
		return nil, err
	}
	if facts.Item.AtBranch != a.Who.Branch && facts.Place() != circulation.PlaceLent {
		return nil, problem.Newf(problem.Refused, "It is at %s. Only what is here can be packed.", a.Network.BranchName(facts.Item.AtBranch))
	}
	if r.Role == exchange.Supplying {
		err = pack(a, r, facts)
	} else {
		err = packHome(a, r, facts)
	}
	if err != nil {
		return nil, err
	}
	return one(a, id)
}

// Taken is the result of receiving something.
type Taken struct {
	Title string      `json:"title"`
	Code  string      `json:"barcode"`
	Sign  moving.Sign `json:"sign"`
	Why   *why.Trace  `json:"why,omitempty"`
}
