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
	"sync"
	"time"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
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
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/rulesdb"
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
	partners []interlibrarydb.Partner
	declined map[declined]string
}

type declined struct {
	partner int64
	title   string
}

// declinedFor is the number of days for which it is said that a partner has declined a title.
const declinedFor = 90

// ToAsk lists whom a search asks.
func ToAsk(a *act.Act) (*Asked, error) {
	out := &Asked{declined: map[declined]string{}}
	var err error
	if out.partners, err = interlibrarydb.Partners(a.Tx); err != nil {
		return nil, err
	}
	rows, err := interlibrarydb.DeclinedSince(a.Tx, a.Now.AddDate(0, 0, -declinedFor))
	for _, r := range rows {
		says := "Declined on " + a.SayDate(calendar.DateOf(r.MovedAt.In(a.Network.Location)))
		if r.LastNote != "" {
			says += ": " + r.LastNote
		}
		out.declined[declined{r.PartnerID, r.Title}] = says
	}
	return out, err
}

// Search asks all partners at once; one that is down does not hold up the others.
func Search(ctx context.Context, h *act.House, of *Asked, words string) []Found {
	list := of.partners
	ctx, cancel := context.WithTimeout(ctx, 6*time.Second)
	defer cancel()
	out := make([]Found, len(list))
	var all sync.WaitGroup
	for k, p := range list {
		out[k] = Found{PartnerID: p.ID, Partner: p.Name, Records: []Record{}}
		all.Go(func() {
			records, err := sru.Search(ctx, h.Outside.HTTP(), p.SRUURL, words)
			if err != nil {
				out[k].Problem = "No answer: " + outside.Because(err).Error()
			}
			for _, r := range records {
				out[k].Records = append(out[k].Records, Record{
					ID: r.ID, Title: r.Title, Author: r.Author, Date: r.Date, ISBN: r.ISBN, Format: r.Format,
					Declined: of.declined[declined{p.ID, strings.ToLower(r.Title)}],
				})
			}
		})
	}
	all.Wait()
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

// locked loads a request of a role for a change that may touch its thing, or another item.
func locked(a *act.Act, id int64, role exchange.Role, item int64) (*interlibrarydb.Request, error) {
	r, err := interlibrarydb.RequestForChange(a.Tx, id, item)
	if err == nil && (r == nil || r.Role != role) {
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

// SendHome says that the thing has been packed and handed over.
func SendHome(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, exchange.Requesting, 0)
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
	switch {
	case facts.Loan != nil:
		return nil, problem.Newf(problem.Refused, "It is still on loan to the patron. Return it first.")
	case facts.Transit != nil || facts.Hold != nil:
		return nil, problem.Newf(problem.Refused, "It is still on hold or in transit. Receive it or cancel the hold first.")
	}
	if err := partners.Act(a, r, exchange.ShippedReturn); err != nil {
		return nil, err
	}
	stockdb.SetStatus(a.Tx, facts.Item.ID, circulation.ItemWithdrawn, "")
	a.Tell(event.Event{Kind: event.SentHome, Item: facts.Item.ID, Patron: *r.PatronID, Request: r.ID})
	return one(a, id)
}

// Answer is our answer to a partner's request.
type Answer struct {
	Yes    bool   `json:"yes"`
	Item   int64  `json:"item,omitempty" doc:"Which item, for a yes to a loan"`
	Reason string `json:"reason,omitempty" enum:",NotAvailable,NonCirculating,NotHeld,OnLoan,Other" doc:"Why not; ISO 18626 reasons"`
	Note   string `json:"note,omitempty" maxLength:"500"`
}

// Reply answers a partner's request: yes with a copy, or no with a reason.
func Reply(a *act.Act, id int64, answer Answer) (*Request, error) {
	r, err := locked(a, id, exchange.Supplying, answer.Item)
	if err != nil {
		return nil, err
	}
	if r.Stage != exchange.Asked {
		return nil, problem.Newf(problem.Refused, "This request has been answered already.")
	}
	if !answer.Yes {
		if answer.Reason == "" {
			return nil, problem.Newf(problem.Invalid, "Choose a reason.")
		}
		if err := partners.Report(a, r, exchange.Unfilled, answer.Reason, answer.Note); err != nil {
			return nil, err
		}
		return one(a, id)
	}
	if isCopy(r) { // of which nothing leaves
		if err := partners.Report(a, r, exchange.WillSupply, "", answer.Note); err != nil {
			return nil, err
		}
		return one(a, id)
	}
	facts, err := deskdb.ItemFactsByID(a.Tx, answer.Item)
	if err != nil {
		return nil, err
	}
	if facts == nil {
		return nil, problem.NoSuch("item")
	}
	if facts.Elsewhere() {
		return nil, problem.Newf(problem.Refused, "This copy is not on the shelf. Choose another, or decline.")
	}
	r.ItemID = &facts.Item.ID
	if err := partners.Report(a, r, exchange.WillSupply, "", answer.Note); err != nil {
		return nil, err
	}
	return one(a, id)
}

// Ship lends the copy to the partner in our own records and tells them, with the same due date.
func Ship(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, exchange.Supplying, 0)
	if err != nil {
		return nil, err
	}
	if isCopy(r) && r.Stage == exchange.Promised {
		if err := partners.Report(a, r, exchange.CopyCompleted, "", ""); err != nil {
			return nil, err
		}
		return one(a, id)
	}
	if r.Stage != exchange.Promised || r.ItemID == nil {
		return nil, problem.Newf(problem.Refused, "Supply a copy first, then ship it.")
	}
	item, err := rulesdb.ItemWithTitle(a.Tx, *r.ItemID)
	if err != nil {
		return nil, err
	}
	lent, err := desk.Lend(a, desk.Lending{Item: item.Barcode, Patron: r.Partner.PatronID})
	if err != nil {
		return nil, err
	}
	if lent.Line == nil {
		return nil, problem.Newf(problem.Refused, "It cannot be lent to them: %s", lent.Text)
	}
	l, err := loansdb.OldLoan(a.Tx, lent.Line.LoanID)
	if err != nil {
		return nil, err
	}
	r.LoanID, r.Due = &l.ID, l.DueDate
	if err := partners.Report(a, r, exchange.Loaned, "", ""); err != nil {
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

// Copy is one of our copies of what a partner asks for.
type Copy struct {
	ID      int64  `json:"id"`
	Barcode string `json:"barcode"`
	Branch  string `json:"branch"`
	Call    string `json:"call_number"`
	May     bool   `json:"may" doc:"Rules let it leave"`
	Says    string `json:"says"`
}

// atNoBranch is where a partner picks up: at no branch, so what is new and stays at home does not leave.
const atNoBranch = ""

// Copies are our copies with the title or ISBN of a partner's request, with what the rules say.
func Copies(a *act.Act, id int64) ([]Copy, error) {
	r, err := interlibrarydb.RequestRow(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if r == nil {
		return nil, problem.NoSuch("request")
	}
	items, err := interlibrarydb.FreeCopies(a.Tx, r.Title, r.ISBN, 50)
	out := []Copy{}
	for _, i := range items {
		c := Copy{
			ID:      i.ID,
			Barcode: i.Barcode,
			Branch:  a.Network.BranchName(i.AtBranch),
			Call:    i.CallNumber,
			Says:    "On the shelf",
		}
		terms := a.Book.Decide(rulebook.Situate(a.Who.Branch, i.BranchCode, i.Collection, i.Material, "partner"), nil)
		pair := queue.Pair{
			Home:       i.BranchCode,
			Pickup:     atNoBranch,
			PatronHome: atNoBranch,
			Added:      calendar.DateOf(i.AddedOn.UTC()),
			Today:      a.Today(),
		}
		may, says := queue.MayServe(pair, terms.Holding())
		if c.May = may; !may {
			c.Says = says
		}
		out = append(out, c)
	}
	return out, err
}
