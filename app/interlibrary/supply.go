package interlibrary

import (
	"cmp"
	"strconv"
	"strings"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/event"
	"nevrin/app/lent"
	"nevrin/app/partners"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/exchange"
	"nevrin/core/money"
	"nevrin/core/queue"
	"nevrin/core/routing"
	"nevrin/core/rulebook"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/interlibrarydb"
	"nevrin/store/loansdb"
)

// Copy is one of our copies that a partner's request may be for.
type Copy struct {
	ID      int64  `json:"id"`
	TitleID int64  `json:"title_id"`
	Title   string `json:"title"`
	Author  string `json:"author"`
	Year    string `json:"year"`
	Barcode string `json:"barcode"`
	Branch  string `json:"branch"`
	Call    string `json:"call_number"`
	Volume  string `json:"volume"`
	Fits    string `json:"fits" doc:"How it fits what is asked for, or what is different"`
	Badly   bool   `json:"badly" doc:"It fits badly"`
	May     bool   `json:"may" doc:"It can be promised: rules let it leave, and it is free"`
	Says    string `json:"says"`
	There   string `json:"there" doc:"By when it can be with them"`
	Awaited int    `json:"awaited" doc:"By so many holds of our own patrons"`
}

// Proposal is a partner's new request with what an answer needs.
type Proposal struct {
	Request Request `json:"request"`
	Copies  []Copy  `json:"copies"`
	Answer  string  `json:"answer" enum:"yes,no,look" doc:"What is proposed; look: a person has to"`
	Item    int64   `json:"item,omitempty" doc:"Which copy, for a yes"`
	Reason  string  `json:"reason,omitempty" doc:"For a no; ISO 18626"`
	Says    string  `json:"says"`
}

// mostNew is how many new requests are worked at once.
const mostNew = 100

// Proposals gives the new requests of partners, the oldest first, each with our copies and a proposed answer.
func Proposals(a *act.Act) ([]Proposal, error) {
	rows, err := interlibrarydb.NewRequests(a.Tx, mostNew)
	if err != nil {
		return nil, err
	}
	return propose(a, rows)
}

// ProposalFor does the same for one request.
func ProposalFor(a *act.Act, id int64) (*Proposal, error) {
	rows, err := interlibrarydb.OneRequest(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 || rows[0].Role != exchange.Supplying {
		return nil, problem.NoSuch("request")
	}
	out, err := propose(a, rows)
	if err != nil {
		return nil, err
	}
	return &out[0], nil
}

func propose(a *act.Act, rows []interlibrarydb.Request) ([]Proposal, error) {
	ids := make([]int64, len(rows))
	for k := range rows {
		ids[k] = rows[k].ID
	}
	candidates, err := interlibrarydb.Candidates(a.Tx, ids)
	if err != nil {
		return nil, err
	}
	shown, err := showAll(a, rows)
	if err != nil {
		return nil, err
	}
	of := map[int64][]interlibrarydb.Candidate{}
	for _, c := range candidates {
		of[c.RequestID] = append(of[c.RequestID], c)
	}
	reaches := routing.ReachesBy(a.Network.Ahead(calendar.DateOf(a.Now)).Courier, a.Now, a.Network.FetchMinutes)
	out := make([]Proposal, len(rows))
	promised := map[int64]bool{} // in an answer before: no copy is proposed twice
	for k := range rows {
		out[k] = proposeOne(a, &rows[k], of[rows[k].ID], reaches, promised)
		if out[k].Item != 0 && !isCopy(&rows[k]) {
			promised[out[k].Item] = true
		}
		out[k].Request = shown[k]
	}
	return out, nil
}

func proposeOne(
	a *act.Act, r *interlibrarydb.Request, candidates []interlibrarydb.Candidate, reaches *routing.Reaches, promised map[int64]bool,
) Proposal {
	asked := exchange.Work{
		Title: r.Title, Author: r.Author, Year: r.Year, Edition: r.Edition, Numbers: strings.Fields(r.Numbers), Record: r.Record, AnyEdition: r.AnyEdition,
	}
	ours := make([]exchange.OurCopy, len(candidates))
	out := Proposal{Copies: []Copy{}, Answer: "look"}
	for k := range candidates {
		c := &candidates[k]
		o := exchange.OurCopy{
			Free: c.Place == nil && c.Standing == circulation.ItemInUse, Lent: c.Place != nil && *c.Place == circulation.PlaceLent, Awaited: c.Awaited,
		}
		year := ""
		if c.Year != 0 {
			year = strconv.Itoa(c.Year)
		}
		var fits string
		o.Fit, fits = exchange.Match(asked, exchange.Work{
			Title: c.Name, Author: c.Author, Year: year, Edition: cmp.Or(c.Edition, c.OfEdition), Numbers: strings.Fields(c.ISBN + " " + c.Numbers),
			Record: strconv.FormatInt(c.TitleID, 10),
		})
		o.May, o.New, o.Why = mayLeave(a, c)
		o.There = there(a, r, reaches.Between(c.AtBranch, a.Who.Branch))
		ours[k] = o
		ours[k].Free = o.Free && !promised[c.ID]
		shown := Copy{
			ID: c.ID, TitleID: c.TitleID, Title: c.Name, Author: c.Author, Year: year, Barcode: c.Barcode, Branch: a.Network.BranchName(c.AtBranch),
			Call: c.CallNumber, Volume: c.Volume, Fits: fits, Badly: o.Fit == exchange.Badly, May: o.Free && (o.May || isCopy(r)), Awaited: o.Awaited,
			Says: sayFree(c, &o, isCopy(r)),
		}
		if o.There != nil && o.Free && !isCopy(r) {
			shown.There = a.SayDate(*o.There)
		}
		out.Copies = append(out.Copies, shown)
	}
	p := exchange.Propose(ours, store.DateOf(r.NeededBy), isCopy(r))
	out.Says = p.Says
	switch {
	case p.Yes:
		out.Answer, out.Item = "yes", candidates[p.Copy].ID
	case !p.Nothing():
		out.Answer, out.Reason = "no", p.Reason
	}
	return out
}

// atNoBranch is where a partner picks up: at no branch, so what is new and stays at home does not leave.
const atNoBranch = ""

// mayLeave tells whether rules let a copy leave for a partner; if not, whether that is because it is new, and why.
func mayLeave(a *act.Act, c *interlibrarydb.Candidate) (may, young bool, says string) {
	terms := a.Book.Decide(rulebook.Situate(a.Who.Branch, c.BranchCode, c.Collection, c.Material, "partner"), nil)
	holding := terms.Holding()
	may, _ = queue.MayServe(queue.Pair{
		Home: c.BranchCode, Pickup: atNoBranch, PatronHome: atNoBranch, Added: calendar.DateOf(c.AddedOn.UTC()), Today: a.Today(),
	}, holding)
	switch {
	case may:
		return true, false, ""
	case !holding.Lent || !holding.Held:
		return false, false, "Our rules do not lend it to partners."
	}
	return false, true, "It is new and does not leave its branch yet."
}

// there is the day by which something can be with a partner: fetched, here by our courier, and sent on by their way.
func there(a *act.Act, r *interlibrarydb.Request, reach *routing.Reach) *calendar.Date {
	if reach == nil {
		return nil
	}
	return new(a.Here().Date(reach.OnShelf).Add(r.Partner.Days))
}

var (
	sayPlace = map[circulation.Place]string{
		circulation.PlaceLent: "On loan", circulation.PlaceUnderWay: "In transit", circulation.PlaceHoldShelf: "On a hold shelf",
		circulation.PlaceFetching: "Being fetched for a hold", circulation.PlaceOutOfUse: "Out of use",
	}
	sayStatus = map[circulation.ItemStatus]string{
		circulation.ItemMissing: "Missing", circulation.ItemLost: "Lost", circulation.ItemAside: "Set aside",
	}
)

// sayFree says how a copy stands.
func sayFree(c *interlibrarydb.Candidate, o *exchange.OurCopy, copied bool) string {
	switch {
	case o.Free && !o.May && !copied:
		return o.Why
	case o.Free && o.Awaited > 0:
		return "On the shelf; " + calendar.Count(o.Awaited, "hold") + " of our own patrons"
	case o.Free:
		return "On the shelf"
	case c.Place != nil && *c.Place != circulation.PlaceOutOfUse:
		return sayPlace[*c.Place]
	}
	return sayStatus[c.Standing]
}

// Answer is our answer to a partner's request.
type Answer struct {
	Yes    bool   `json:"yes"`
	Item   int64  `json:"item,omitempty" doc:"Which item, for a yes to a loan"`
	Reason string `json:"reason,omitempty" enum:",NotAvailable,NonCirculating,NotHeld,OnLoan,PolicyProblem,Other" doc:"Why not; ISO 18626 reasons"`
	Note   string `json:"note,omitempty" maxLength:"500"`
}

// Reply answers a partner's request: yes with a copy, which comes onto the fetch list of its branch, or no with a reason. A copy that was
// not found is replaced by another, or the promise is taken back.
func Reply(a *act.Act, id int64, answer Answer) (*Request, error) {
	r, err := locked(a, id, exchange.Supplying, answer.Item)
	if err != nil {
		return nil, err
	}
	held, err := interlibrarydb.OpenHoldFor(a.Tx, id)
	if err != nil {
		return nil, err
	}
	again := r.Stage == exchange.Promised && r.PackedAt == nil && (held == nil || held.State == queue.Waiting)
	if r.Stage != exchange.Asked && !again {
		return nil, problem.Newf(problem.Refused, "This request has been answered already.")
	}
	if !answer.Yes {
		if answer.Reason == "" {
			return nil, problem.Newf(problem.Invalid, "Choose a reason.")
		}
		if held != nil {
			if err := partners.EndHold(a, r, held); err != nil {
				return nil, err
			}
		}
		if err := partners.Report(a, r, exchange.Unfilled, answer.Reason, answer.Note); err != nil {
			return nil, err
		}
		return one(a, id)
	}
	if !isCopy(r) {
		if err := reserve(a, r, held, answer.Item); err != nil {
			return nil, err
		}
	}
	if again {
		r.MovedAt = a.Now
		if err := interlibrarydb.MoveRequest(a.Tx, r); err != nil {
			return nil, err
		}
		a.Touch(event.Interlibrary)
	} else if err := partners.Report(a, r, exchange.WillSupply, "", answer.Note); err != nil {
		return nil, err
	}
	return one(a, id)
}

// OneOf is the answer to one of several requests.
type OneOf struct {
	Request int64  `json:"request"`
	Answer  Answer `json:"answer"`
}

// ReplyAll answers several requests of partners at once: all of them, or none.
func ReplyAll(a *act.Act, answers []OneOf) ([]Request, error) {
	var ids, items []int64
	for _, one := range answers {
		ids = append(ids, one.Request)
		if one.Answer.Item != 0 {
			items = append(items, one.Answer.Item)
		}
	}
	if err := interlibrarydb.LockRequests(a.Tx, store.Sorted(ids), store.Sorted(items)); err != nil {
		return nil, err
	}
	out := []Request{}
	for _, of := range answers {
		r, err := Reply(a, of.Request, of.Answer)
		if p := problem.Of(err); p != nil {
			if shown, _ := one(a, of.Request); shown != nil {
				return nil, problem.Newf(p.Kind, "%s, %s: %s Nothing was answered.", shown.Title, shown.Number, p.Text)
			}
		}
		if err != nil {
			return nil, err
		}
		out = append(out, *r)
	}
	return out, nil
}

// reserve puts a copy onto the fetch list of its branch for a partner, to be packed where the actor works.
func reserve(a *act.Act, r *interlibrarydb.Request, held *holdsdb.Hold, item int64) error {
	if item == 0 {
		return problem.Newf(problem.Invalid, "Choose a copy.")
	}
	facts, err := deskdb.ItemFactsByID(a.Tx, item)
	if err != nil {
		return err
	}
	if facts == nil {
		return problem.NoSuch("item")
	}
	if facts.Elsewhere() {
		return problem.Newf(problem.Refused, "This copy is not on the shelf. Choose another, or decline.")
	}
	if held != nil { // the copy before was not found
		if err := partners.EndHold(a, r, held); err != nil {
			return err
		}
	}
	r.ItemID = &facts.Item.ID
	h := &holdsdb.Hold{
		TitleID: facts.Item.TitleID, PatronID: r.Partner.PatronID, Pickup: a.Who.Branch, OnlyItem: &facts.Item.ID, PlacedAt: a.Now,
		State: queue.Fetching, ItemID: &facts.Item.ID, RequestID: &r.ID,
	}
	if err := holdsdb.AddHold(a.Tx, h); err != nil {
		return err
	}
	a.Tell(event.Event{
		Kind: event.HoldPlaced, Patron: h.PatronID, Hold: h.ID, Item: facts.Item.ID, Request: r.ID, Detail: event.Detail{Branch: h.Pickup},
	})
	return nil
}

// pack puts the copy of a partner's request into their parcel, by scan: in the same act it is lent to them.
func pack(a *act.Act, r *interlibrarydb.Request, facts *deskdb.Facts) error {
	if r.Stage != exchange.Promised || isCopy(r) {
		return problem.Newf(problem.Refused, "This request is %s; only what was promised can be packed.", r.Stage)
	}
	if r.PackedAt != nil {
		return problem.Newf(problem.Refused, "This request is packed already.")
	}
	l := facts.Loan
	if l == nil || l.PatronID == nil || *l.PatronID != r.Partner.PatronID { // not lent to them at a desk before
		done, err := desk.Lend(a, desk.Lending{Item: facts.Item.Barcode, Patron: r.Partner.PatronID})
		if err != nil {
			return err
		}
		if done.Line == nil {
			return problem.Newf(problem.Refused, "It cannot be lent to them: %s", done.Text)
		}
		if l, err = loansdb.OldLoan(a.Tx, done.Line.LoanID); err != nil {
			return err
		}
	}
	r.LoanID, r.Due, r.ItemID = &l.ID, l.DueDate, &facts.Item.ID
	r.PackedAt, r.PackedIn = &a.Now, &a.Who.Branch
	a.Tell(event.Event{Kind: event.Packed, Item: facts.Item.ID, Patron: r.Partner.PatronID, Request: r.ID})
	return interlibrarydb.MoveRequest(a.Tx, r)
}

// HandOver says that packed parcels have left: their partners are told, and what went home is no longer ours to look after.
func HandOver(a *act.Act, ids []int64) ([]Request, error) {
	out := []Request{}
	ids = store.Sorted(ids)
	if err := interlibrarydb.LockRequests(a.Tx, ids, nil); err != nil {
		return nil, err
	}
	for _, id := range ids {
		r, err := interlibrarydb.RequestLocked(a.Tx, id)
		switch {
		case err != nil:
			return nil, err
		case r == nil:
			return nil, problem.NoSuch("request")
		case r.PackedAt == nil:
			return nil, problem.Newf(problem.Refused, "%s, %s, is not packed.", r.Title, r.Number)
		case !a.Who.MayActOn(*r.PackedIn):
			return nil, problem.Newf(problem.Forbidden, "%s, %s, is packed at %s, where it is handed over.", r.Title, r.Number, a.Network.BranchName(*r.PackedIn))
		}
		if err := leave(a, r); err != nil {
			return nil, err
		}
		shown, err := one(a, id)
		if err != nil {
			return nil, err
		}
		out = append(out, *shown)
	}
	return out, nil
}

func leave(a *act.Act, r *interlibrarydb.Request) error {
	r.PackedAt, r.PackedIn = nil, nil
	if r.Role == exchange.Supplying {
		l, err := loansdb.OldLoan(a.Tx, *r.LoanID)
		if err != nil {
			return err
		}
		if l.ReturnedAt != nil {
			return problem.Newf(problem.Refused, "%s, %s, is no longer on loan to them. Unpack it, and pack it again.", r.Title, r.Number)
		}
		return partners.Report(a, r, exchange.Loaned, "", "")
	}
	return gone(a, r)
}

// Sent says that a copy of an article has been sent.
func Sent(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, exchange.Supplying, 0)
	if err != nil {
		return nil, err
	}
	if !isCopy(r) || r.Stage != exchange.Promised {
		return nil, problem.Newf(problem.Refused, "This request is %s; only a copy that was promised can be sent.", r.Stage)
	}
	if err := partners.Report(a, r, exchange.CopyCompleted, "", ""); err != nil {
		return nil, err
	}
	return one(a, id)
}

// Unpack takes something out of its parcel again. What was for a partner is no longer lent to them and can be packed anew.
func Unpack(a *act.Act, id int64) (*Request, error) {
	r, err := locked(a, id, "", 0)
	if err != nil {
		return nil, err
	}
	if r.PackedAt == nil {
		return nil, problem.Newf(problem.Refused, "This request is not packed.")
	}
	if !a.Who.MayActOn(*r.PackedIn) {
		return nil, problem.Newf(problem.Forbidden, "It is packed at %s, where it is unpacked.", a.Network.BranchName(*r.PackedIn))
	}
	r.PackedAt, r.PackedIn = nil, nil
	a.Tell(event.Event{Kind: event.Unpacked, Item: *r.ItemID, Request: r.ID})
	if r.Role == exchange.Supplying {
		l, err := loansdb.OldLoan(a.Tx, *r.LoanID)
		if err != nil {
			return nil, err
		}
		if l.ReturnedAt == nil { // it may have been undone at a desk
			if _, err := desk.Undo(a, *r.LoanID); err != nil {
				return nil, err
			}
		}
		r.LoanID, r.Due = nil, nil
	}
	if err := interlibrarydb.MoveRequest(a.Tx, r); err != nil {
		return nil, err
	}
	return one(a, id)
}

// Recall asks a partner to send back what they have.
func Recall(a *act.Act, id int64, note string) (*Request, error) {
	r, err := locked(a, id, exchange.Supplying, 0)
	if err != nil {
		return nil, err
	}
	if r.Recalled {
		return nil, problem.Newf(problem.Refused, "It has been recalled already.")
	}
	r.Recalled = true
	if err := partners.Report(a, r, exchange.Recalled, "", note); err != nil {
		return nil, err
	}
	return one(a, id)
}

// LostByThem says that a partner has lost what they had: it is lost here too and billed to their account, and they are told.
func LostByThem(a *act.Act, id int64, note string) (*Request, error) {
	r, err := locked(a, id, exchange.Supplying, 0)
	if err != nil {
		return nil, err
	}
	if r.LoanID == nil || r.Stage.Ended() {
		return nil, problem.Newf(problem.Refused, "Nothing is on loan to them under this request.")
	}
	facts, l, err := deskdb.LoanFacts(a.Tx, *r.LoanID)
	switch {
	case err != nil:
		return nil, err
	case l.ReturnedAt != nil:
		return nil, problem.Newf(problem.Refused, "It has come back already.")
	}
	bill := money.Amount(0)
	if l.LostAt == nil { // the night may have marked it before
		of, err := lent.Of(a, l, facts.Item)
		if err != nil {
			return nil, err
		}
		lost := circulation.Declare(of, a.Today(), a.Now)
		if err := accounts.BillLost(a, l, lost); err != nil {
			return nil, err
		}
		bill = lost.Bill.Price + lost.Bill.Processing
	}
	if bill > 0 {
		note = strings.TrimSpace(note + " To be paid: " + a.Network.Money.Format(bill) + ".")
	}
	if err := partners.Report(a, r, exchange.CompletedWithoutReturn, "", note); err != nil {
		return nil, err
	}
	return one(a, id)
}

// remindAgain is the number of days after which a partner is reminded once more.
const remindAgain = 7

// Remind tells partners what is overdue with them, up to a number at once. It gives how many it has told.
func Remind(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	const part = 100
	ids, err := interlibrarydb.OverdueWithThem(a.Tx, day.UTC(), day.Add(-remindAgain).UTC(), part)
	if err != nil {
		return done, false, err
	}
	for _, id := range ids {
		r, err := interlibrarydb.RequestLocked(a.Tx, id)
		if err != nil || r == nil {
			return done, false, err
		}
		r.RemindedOn = store.Column(day)
		if err := partners.Report(a, r, exchange.Overdue, "", ""); err != nil {
			return done, false, err
		}
	}
	return done + int64(len(ids)), len(ids) < part, nil
}
