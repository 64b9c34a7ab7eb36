package desk

import (
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/lent"
	"nevrin/app/moving"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/sight"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// Lending is an item that is to be lent to a patron at the actor's branch.
type Lending struct {
	Item      string // its number
	Patron    int64
	Past      []loan.StopKind // stops that were seen and are gone past
	Reason    string          // why they are
	Completed bool            // the number's check digit was added
	Try       bool            // only to see what would come of it
	Missing   string          // what of its parts is missing, to be noted for whoever takes it back
	Counted   int             // how many parts of it a pad has counted; 0: none did
	Fetching  int64           // the patron who fetches it for who waits for it; 0: they borrow it themselves
}

// Lend lends an item, asks about it, or says why it is not lent.
func Lend(a *act.Act, l Lending) (*Result, error) {
	here := l.Patron
	if l.Fetching != 0 {
		here = l.Fetching
	}
	if err := people.InHand(a, here); err != nil {
		return nil, err
	}
	f, b, err := deskdb.LendingFacts(a.Tx, l.Patron, l.Item)
	switch {
	case err != nil:
		return nil, err
	case b == nil:
		return nil, problem.NoSuch("patron")
	case f == nil:
		return &Result{Kind: "wrong", Text: ident.Unknown("item", l.Item, l.Completed)}, nil
	}
	if b.Patron.MergedInto != nil {
		return nil, problem.Newf(problem.Refused, "The record of this card has been merged into another. Scan the card again.")
	}
	r := &Result{Patron: l.Patron, Item: &ItemShown{f.Item.ID, f.Item.Barcode, f.Item.Title.Name}}
	if text := elsewhere(a, f, b.Patron); text != "" {
		r.Kind, r.Text = "refused", text
		return r, nil
	}
	if f.Loan != nil {
		return r, onLoan(a, f, r)
	}
	if err := fetched(a, f, l); err != nil {
		return nil, err
	}
	in, err := lendingOf(a, f, b, l)
	if err != nil {
		return nil, err
	}
	v := circulation.Lend(*in)
	r.Why = &v.Why
	if before := hadBefore(a, b); before != nil {
		r.Before = before.Text
	}
	r.Waiting = circulation.Waiting(in.Awaited)
	if len(v.Left) > 0 {
		refuse(r, &v, in.Claim)
		return r, nil
	}
	if v.ReasonMissing(l.Reason) {
		return nil, problem.Newf(problem.Invalid, "Enter a reason for the override.")
	}
	r.Kind, r.Text = "staged", "Would be due "+v.Due.Near(a.Here(), a.Today())
	row := rowOf(a, f, b, in, &v)
	if !l.Try {
		if err := write(a, f, b, in, &v, row, l); err != nil {
			return nil, err
		}
		r.Kind, r.Text = "lent", "Due "+v.Due.Near(a.Here(), a.Today())
		if l.Fetching != 0 {
			r.Text = "Lent to " + b.Patron.Name() + ", due " + v.Due.Near(a.Here(), a.Today())
		}
	}
	r.Filled, r.Stale = f.Hold != nil && b.Own != nil && f.Hold.ID == b.Own.ID, b.Own != nil
	line := people.ShowLoan(a, &loansdb.LoanShown{
		Loan: *row, Barcode: f.Item.Barcode, TitleName: f.Item.Title.Name, HomeBranch: f.Item.BranchCode,
		CallNumber: f.Item.CallNumber, Material: f.Item.Material, Price: f.Item.Price,
	})
	line.Period = v.Terms.Value(rulebook.LoanPeriod).Say(rulebook.LoanPeriod, a.Network.Money, a.Style())
	if v.Short {
		line.Period = v.Terms.Value(rulebook.AwaitedPeriod).Say(rulebook.AwaitedPeriod, a.Network.Money, a.Style())
	}
	r.Line = &line
	return r, nil
}

// onLoan asks about an item that is still on loan to somebody else: it is returned first, with what that charges, and to whom.
func onLoan(a *act.Act, f *deskdb.Facts, r *Result) error {
	shown := loansdb.LoanShown{
		Loan: *f.Loan, Barcode: f.Item.Barcode, TitleName: f.Item.Title.Name, HomeBranch: f.Item.BranchCode,
		CallNumber: f.Item.CallNumber, Material: f.Item.Material, Price: f.Item.Price,
	}
	charge, err := lent.Accrued(a, &shown)
	if err != nil {
		return err
	}
	who := "somebody else"
	if p := f.Loan.Patron; p != nil && sight.OfPatron(a.Who.Role) == sight.Whole {
		who = p.Name()
		people.Seen(a, people.Opened, p.ID, "")
	}
	r.Kind = "ask"
	r.Text = "Still on loan to " + who + ", due " + people.ShowLoan(a, &shown).Due + "."
	if f.Loan.LostAt != nil {
		r.Text += " It is marked lost. Returning it reverses the lost charge."
	}
	if charge > 0 {
		r.Text += " Returning it charges " + price(a, charge) + " to their account."
	}
	r.Asks = []Choice{{"back", "Return it and lend it", false}, {"leave", "Not now", false}}
	return nil
}

// elsewhere says that the patron has it on loan already, or that it is withdrawn, which nobody goes past.
func elsewhere(a *act.Act, f *deskdb.Facts, p *peopledb.Patron) string {
	switch {
	case f.Item.Standing == circulation.ItemWithdrawn:
		return f.Item.Title.Name + " is withdrawn."
	case f.Loan == nil:
		return ""
	case f.Loan.PatronID != nil && *f.Loan.PatronID == p.ID:
		return "On loan to " + p.Name() + " already, since " + a.SayInstant(f.Loan.LentAt) + "."
	}
	return ""
}

func lendingOf(a *act.Act, f *deskdb.Facts, b *deskdb.Borrowing, l Lending) (*circulation.Lending, error) {
	in := &circulation.Lending{
		Rules: a.Book.Rulebook, Branch: a.Here(), Now: a.Now, Borrower: people.Borrower(a, b.Patron),
		At:  rulebook.Situate(a.Who.Branch, f.Item.BranchCode, f.Item.Collection, f.Item.Material, b.Patron.Class),
		May: a.May(), Past: l.Past, Reason: l.Reason,
	}
	for _, o := range b.OnLoan {
		branch := a.Network.Timetable.Branches[o.BranchCode].Branch
		in.OnLoan = append(
			in.OnLoan,
			circulation.OnLoan{Material: o.Material, Branch: branch, Due: loansdb.DueOf(o.DueDate, o.DueAt)},
		)
	}
	if h := f.Hold; h != nil && h.PatronID != b.Patron.ID {
		in.Claim = &circulation.Claim{
			Ready:  h.State == queue.Ready,
			Pickup: a.Network.BranchName(h.Pickup),
			Why:    act.Trace(h.Why),
		}
		if in.Claim.Ready {
			in.Claim.Until = *store.DateOf(h.ShelfUntil)
		}
	}
	if a.Network.Settled.Asks(b.Patron.AskBefore, b.Patron.HistorySeen) {
		in.Asks = append(in.Asks, hadBefore(a, b))
	}
	in.Asks = append(in.Asks, loan.Note(f.Item.Note), loan.Parts(f.Item.Parts, f.Item.PartsSay, l.Counted))
	in.Awaited = b.Waiting
	waitsHere := in.Claim != nil && in.Claim.Ready && f.Hold.Pickup == a.Who.Branch
	if waitsHere && l.Fetching == 0 && mayFetch(a, f.Hold.Patron, b.Patron) {
		in.Claim.For = f.Hold.Patron.Name()
	}
	var err error
	in.Own, err = lent.OwnTerms(a.Book.Rulebook, f.Item)
	return in, err
}

// fetched refuses to lend what somebody fetches for another who does not let them.
func fetched(a *act.Act, f *deskdb.Facts, l Lending) error {
	if l.Fetching == 0 {
		return nil
	}
	comes, err := peopledb.PatronByID(a.Tx, l.Fetching)
	if err != nil {
		return err
	}
	waits := f.Hold != nil && f.Hold.State == queue.Ready && f.Hold.PatronID == l.Patron
	if !waits || comes == nil || !mayFetch(a, f.Hold.Patron, comes) {
		return problem.Newf(problem.Refused, "It is not on hold here for somebody this patron can collect for. Scan it again.")
	}
	return nil
}

// mayFetch tells whether somebody may fetch what waits for another, as the network has settled.
func mayFetch(a *act.Act, waits, comes *peopledb.Patron) bool {
	return person.MayFetch(a.Network.Settled.Counter.Collect, person.Fetching{
		Named: waits.MayUse, Names: []string{comes.LegalName, comes.Name()},
		Together: waits.HouseholdID != nil && comes.HouseholdID != nil && *waits.HouseholdID == *comes.HouseholdID,
	})
}

// refuse says what stands in the way: an ask where all of it may be gone past by who is here.
func refuse(r *Result, v *circulation.Verdict, claim *circulation.Claim) {
	var texts []string
	for _, s := range v.Left {
		texts = append(texts, s.Text)
		r.Stops = append(r.Stops, s.Kind)
	}
	r.Kind, r.Text = "refused", strings.Join(texts, " ")
	if v.May {
		r.Kind = "ask"
		r.Asks = answersTo(v)
	}
	if v.Fetch && slices.ContainsFunc(v.Left, func(s loan.Stop) bool { return s.Kind == loan.MeantForElse }) {
		if r.Kind == "refused" {
			r.Kind, r.Asks = "ask", []Choice{{"leave", "Not now", false}}
		}
		r.Asks = append([]Choice{{"fetch", "Lend to " + claim.For, false}}, r.Asks...)
	}
}

// answersTo are the ways to go where all that is left may be gone past.
func answersTo(v *circulation.Verdict) []Choice {
	only := func(kind loan.StopKind) bool {
		return !slices.ContainsFunc(v.Left, func(s loan.Stop) bool { return s.Kind != kind })
	}
	leave := Choice{"leave", "Not now", false}
	switch {
	case only(loan.PartsToCount):
		return []Choice{{"lend", "All parts there", false}, {"missing", "Lend without the missing part", true}, leave}
	case !v.Reason:
		return []Choice{{"lend", "Lend it", false}, leave}
	}
	return []Choice{{"lend", "Lend anyway", v.Reason}, leave}
}

// hadBefore says that the patron has had this title before; nil where not.
func hadBefore(a *act.Act, b *deskdb.Borrowing) *loan.Stop {
	if b.Before == 0 {
		return nil
	}
	return loan.Earlier(b.Before, calendar.DateOf(b.Last.In(a.Here().Location)), a.Style())
}

// rowOf is the loan that is made.
func rowOf(
	a *act.Act,
	f *deskdb.Facts,
	b *deskdb.Borrowing,
	in *circulation.Lending,
	v *circulation.Verdict,
) *loansdb.Loan {
	row := &loansdb.Loan{
		ItemID: f.Item.ID, PatronID: &b.Patron.ID, BranchCode: a.Who.Branch, EditionID: a.Book.ID, Situation: in.At[:],
		LentAt: a.Now, Awaited: in.Awaited > 0,
	}
	row.SetDue(v.Due)
	return row
}

// write makes the loan, and ends what it ends: a transit, the patron's own hold on the title, another's claim on the
// item.
func write(
	a *act.Act,
	f *deskdb.Facts,
	b *deskdb.Borrowing,
	in *circulation.Lending,
	v *circulation.Verdict,
	row *loansdb.Loan,
	l Lending,
) error {
	p, item := b.Patron, f.Item
	if f.Missed {
		stockdb.Seen(a.Tx, item.ID, a.Now)
	}
	if f.Uncleared {
		holdsdb.Cleared(a.Tx, item.ID)
	}
	if f.Transit != nil {
		if f.Transit.ToteID != nil {
			transitsdb.SeeInTote(a.Tx, *f.Transit.ToteID, a.Who.Branch, a.Now)
		}
		transitsdb.EndTransit(a.Tx, f.Transit.ID, a.Now)
		a.Tell(event.Event{Kind: event.TransitEnded, Item: item.ID, Detail: event.Detail{Branch: f.Transit.ToBranch}})
	}
	if item.AtBranch != a.Who.Branch || item.Standing != circulation.ItemInUse {
		stockdb.SetStatusAt(a.Tx, item.ID, a.Who.Branch, circulation.ItemInUse)
		if item.Standing == circulation.ItemMissing {
			a.Tell(event.Event{Kind: event.Found, Item: item.ID})
		}
	}
	if l.Missing != "" {
		note := strings.TrimSpace(item.Note + "\nMissing when lent: " + l.Missing)
		stockdb.NoteItem(a.Tx, item.ID, note)
		a.Tell(event.Event{Kind: event.Noted, Item: item.ID, Detail: event.Detail{Is: note}})
	}
	passed := f.Hold
	if b.Own != nil {
		row.FilledHold, row.FilledFrom = &b.Own.ID, b.Own.State
		if passed != nil && passed.ID == b.Own.ID {
			passed = nil
		}
		b.Own.ItemID = &item.ID
		if err := holdsdb.MoveHold(a.Tx, b.Own, queue.Fill, a.Now); err != nil {
			return err
		}
	}
	if passed != nil { // lent past somebody's claim: they wait again, in their old place
		if err := holdsdb.MoveHold(a.Tx, passed, queue.PutBack, a.Now); err != nil {
			return err
		}
		a.Tell(event.Event{Kind: event.HoldPutBack, Patron: passed.PatronID, Hold: passed.ID, Item: item.ID})
	}
	if err := loansdb.AddLoan(a.Tx, row); err != nil {
		return err
	}
	a.Tell(event.Event{Kind: event.Lent, Patron: p.ID, Item: item.ID, Loan: row.ID, Why: &v.Why, Detail: lentDetail(v, l)})
	if b.Own != nil {
		a.Tell(event.Event{Kind: event.HoldFilled, Patron: p.ID, Hold: b.Own.ID, Item: item.ID, Loan: row.ID})
	}
	// Another copy that was chosen for the patron's hold is free again; so is, for who was passed, any other.
	if passed != nil || b.Own != nil && row.FilledFrom != queue.Waiting && (f.Hold == nil || f.Hold.ID != b.Own.ID) {
		if _, err := moving.Route(a, item.TitleID, 0); err != nil {
			return err
		}
	}
	return nil
}

// lentDetail is what is kept of a loan beside its links.
func lentDetail(v *circulation.Verdict, l Lending) event.Detail {
	d := event.Due(v.Due)
	if l.Fetching != 0 {
		d.Reason = "collected by a person they named"
	}
	return d
}

// price is a sum as people write it; empty where it is nothing.
func price(a *act.Act, amount money.Amount) string {
	if amount == 0 {
		return ""
	}
	return a.Network.Money.Format(amount)
}
