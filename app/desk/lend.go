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
	facts, borrowing, err := deskdb.LendingFacts(a.Tx, l.Patron, l.Item)
	switch {
	case err != nil:
		return nil, err
	case borrowing == nil:
		return nil, problem.NoSuch("patron")
	case facts == nil:
		return &Result{Kind: "wrong", Text: ident.Unknown("item", l.Item, l.Completed)}, nil
	}
	if borrowing.Patron.MergedInto != nil {
		return nil, problem.Newf(problem.Refused, "The record of this card has been merged into another. Scan the card again.")
	}
	r := &Result{Patron: l.Patron, Item: &ItemShown{facts.Item.ID, facts.Item.Barcode, facts.Item.Title.Name}}
	if text := elsewhere(a, facts, borrowing.Patron); text != "" {
		r.Kind, r.Text = "refused", text
		return r, nil
	}
	if facts.Loan != nil {
		return r, onLoan(a, facts, r)
	}
	if err := fetched(a, facts, l); err != nil {
		return nil, err
	}
	in, err := lendingOf(a, facts, borrowing, l)
	if err != nil {
		return nil, err
	}
	verdict := circulation.Lend(*in)
	r.Why = &verdict.Why
	if before := hadBefore(a, borrowing); before != nil {
		r.Before = before.Text
	}
	r.Waiting = circulation.Waiting(in.Awaited)
	if len(verdict.Left) > 0 {
		refuse(r, &verdict, in.Claim)
		return r, nil
	}
	if verdict.ReasonMissing(l.Reason) {
		return nil, problem.Newf(problem.Invalid, "Enter a reason for the override.")
	}
	r.Kind, r.Text = "staged", "Would be due "+verdict.Due.Near(a.Here(), a.Today())
	row := rowOf(a, facts, borrowing, in, &verdict)
	if !l.Try {
		if err := write(a, facts, borrowing, in, &verdict, row, l); err != nil {
			return nil, err
		}
		r.Kind, r.Text = "lent", "Due "+verdict.Due.Near(a.Here(), a.Today())
		if l.Fetching != 0 {
			r.Text = "Lent to " + borrowing.Patron.Name() + ", due " + verdict.Due.Near(a.Here(), a.Today())
		}
	}
	r.Filled, r.Stale = facts.Hold != nil && borrowing.Own != nil && facts.Hold.ID == borrowing.Own.ID, borrowing.Own != nil
	line := people.ShowLoan(a, &loansdb.LoanShown{
		Loan: *row, Barcode: facts.Item.Barcode, TitleName: facts.Item.Title.Name, HomeBranch: facts.Item.BranchCode,
		CallNumber: facts.Item.CallNumber, Material: facts.Item.Material, Price: facts.Item.Price,
	})
	line.Period = verdict.Terms.Value(rulebook.LoanPeriod).Say(rulebook.LoanPeriod, a.Network.Money, a.Style())
	if verdict.Short {
		line.Period = verdict.Terms.Value(rulebook.AwaitedPeriod).Say(rulebook.AwaitedPeriod, a.Network.Money, a.Style())
	}
	r.Line = &line
	return r, nil
}

// onLoan asks about an item that is still on loan to somebody else: it is returned first, with what that charges, and to whom.
func onLoan(a *act.Act, facts *deskdb.Facts, r *Result) error {
	shown := loansdb.LoanShown{
		Loan: *facts.Loan, Barcode: facts.Item.Barcode, TitleName: facts.Item.Title.Name, HomeBranch: facts.Item.BranchCode,
		CallNumber: facts.Item.CallNumber, Material: facts.Item.Material, Price: facts.Item.Price,
	}
	charge, err := lent.Accrued(a, &shown)
	if err != nil {
		return err
	}
	who := "somebody else"
	if p := facts.Loan.Patron; p != nil && sight.OfPatron(a.Who.Role) == sight.Whole {
		who = p.Name()
		people.Seen(a, people.Opened, p.ID, "")
	}
	r.Kind = "ask"
	r.Text = "Still on loan to " + who + ", due " + people.ShowLoan(a, &shown).Due + "."
	if facts.Loan.LostAt != nil {
		r.Text += " It is marked lost. Returning it reverses the lost charge."
	}
	if charge > 0 {
		r.Text += " Returning it charges " + price(a, charge) + " to their account."
	}
	r.Asks = []Choice{{"back", "Return it and lend it", false}, {"leave", "Not now", false}}
	return nil
}

// elsewhere says that the patron has it on loan already, or that it is withdrawn, which nobody goes past.
func elsewhere(a *act.Act, facts *deskdb.Facts, p *peopledb.Patron) string {
	switch {
	case facts.Item.Standing == circulation.ItemWithdrawn:
		return facts.Item.Title.Name + " is withdrawn."
	case facts.Loan == nil:
		return ""
	case facts.Loan.PatronID != nil && *facts.Loan.PatronID == p.ID:
		return "On loan to " + p.Name() + " already, since " + a.SayInstant(facts.Loan.LentAt) + "."
	}
	return ""
}

func lendingOf(a *act.Act, facts *deskdb.Facts, borrowing *deskdb.Borrowing, l Lending) (*circulation.Lending, error) {
	in := &circulation.Lending{
		Rules: a.Book.Rulebook, Branch: a.Here(), Now: a.Now, Borrower: people.Borrower(a, borrowing.Patron),
		At:  rulebook.Situate(a.Who.Branch, facts.Item.BranchCode, facts.Item.Collection, facts.Item.Material, borrowing.Patron.Class),
		May: a.May(), Past: l.Past, Reason: l.Reason,
	}
	for _, o := range borrowing.OnLoan {
		branch := a.Network.Timetable.Branches[o.BranchCode].Branch
		in.OnLoan = append(
			in.OnLoan,
			circulation.OnLoan{Material: o.Material, Branch: branch, Due: loansdb.DueOf(o.DueDate, o.DueAt)},
		)
	}
	if h := facts.Hold; h != nil && h.PatronID != borrowing.Patron.ID {
		in.Claim = &circulation.Claim{
			Ready:  h.State == queue.Ready,
			Pickup: a.Network.BranchName(h.Pickup),
			Why:    act.Trace(h.Why),
		}
		if in.Claim.Ready {
			in.Claim.Until = *store.DateOf(h.ShelfUntil)
		}
	}
	if a.Network.Settled.Asks(borrowing.Patron.AskBefore, borrowing.Patron.HistorySeen) {
		in.Asks = append(in.Asks, hadBefore(a, borrowing))
	}
	in.Asks = append(in.Asks, loan.Note(facts.Item.Note), loan.Parts(facts.Item.Parts, facts.Item.PartsSay, l.Counted))
	in.Awaited = borrowing.Waiting
	waitsHere := in.Claim != nil && in.Claim.Ready && facts.Hold.Pickup == a.Who.Branch
	if waitsHere && l.Fetching == 0 && mayFetch(a, facts.Hold.Patron, borrowing.Patron) {
		in.Claim.For = facts.Hold.Patron.Name()
	}
	var err error
	in.Own, err = lent.OwnTerms(a.Book.Rulebook, facts.Item)
	return in, err
}

// fetched refuses to lend what somebody fetches for another who does not let them.
func fetched(a *act.Act, facts *deskdb.Facts, l Lending) error {
	if l.Fetching == 0 {
		return nil
	}
	comes, err := peopledb.PatronByID(a.Tx, l.Fetching)
	if err != nil {
		return err
	}
	waits := facts.Hold != nil && facts.Hold.State == queue.Ready && facts.Hold.PatronID == l.Patron
	if !waits || comes == nil || !mayFetch(a, facts.Hold.Patron, comes) {
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
func refuse(r *Result, verdict *circulation.Verdict, claim *circulation.Claim) {
	var texts []string
	for _, s := range verdict.Left {
		texts = append(texts, s.Text)
		r.Stops = append(r.Stops, s.Kind)
	}
	r.Kind, r.Text = "refused", strings.Join(texts, " ")
	if verdict.May {
		r.Kind = "ask"
		r.Asks = answersTo(verdict)
	}
	if verdict.Fetch && slices.ContainsFunc(verdict.Left, func(s loan.Stop) bool { return s.Kind == loan.MeantForElse }) {
		if r.Kind == "refused" {
			r.Kind, r.Asks = "ask", []Choice{{"leave", "Not now", false}}
		}
		r.Asks = append([]Choice{{"fetch", "Lend to " + claim.For, false}}, r.Asks...)
	}
}

// answersTo are the ways to go where all that is left may be gone past.
func answersTo(verdict *circulation.Verdict) []Choice {
	only := func(kind loan.StopKind) bool {
		return !slices.ContainsFunc(verdict.Left, func(s loan.Stop) bool { return s.Kind != kind })
	}
	leave := Choice{"leave", "Not now", false}
	switch {
	case only(loan.PartsToCount):
		return []Choice{{"lend", "All parts there", false}, {"missing", "Lend without the missing part", true}, leave}
	case !verdict.Reason:
		return []Choice{{"lend", "Lend it", false}, leave}
	}
	return []Choice{{"lend", "Lend anyway", verdict.Reason}, leave}
}

// hadBefore says that the patron has had this title before; nil where not.
func hadBefore(a *act.Act, borrowing *deskdb.Borrowing) *loan.Stop {
	if borrowing.Before == 0 {
		return nil
	}
	return loan.Earlier(borrowing.Before, calendar.DateOf(borrowing.Last.In(a.Here().Location)), a.Style())
}

// rowOf is the loan that is made.
func rowOf(
	a *act.Act,
	facts *deskdb.Facts,
	borrowing *deskdb.Borrowing,
	in *circulation.Lending,
	verdict *circulation.Verdict,
) *loansdb.Loan {
	row := &loansdb.Loan{
		ItemID: facts.Item.ID, PatronID: &borrowing.Patron.ID, BranchCode: a.Who.Branch, EditionID: a.Book.ID, Situation: in.At[:],
		LentAt: a.Now, Awaited: in.Awaited > 0,
	}
	row.SetDue(verdict.Due)
	return row
}

// write makes the loan, and ends what it ends: a transit, the patron's own hold on the title, another's claim on the
// item.
func write(
	a *act.Act,
	facts *deskdb.Facts,
	borrowing *deskdb.Borrowing,
	in *circulation.Lending,
	verdict *circulation.Verdict,
	row *loansdb.Loan,
	l Lending,
) error {
	p, item := borrowing.Patron, facts.Item
	if facts.Missed {
		stockdb.Seen(a.Tx, item.ID, a.Now)
	}
	if facts.Uncleared {
		holdsdb.Cleared(a.Tx, item.ID)
	}
	if facts.Transit != nil {
		if facts.Transit.ToteID != nil {
			transitsdb.SeeInTote(a.Tx, *facts.Transit.ToteID, a.Who.Branch, a.Now)
		}
		transitsdb.EndTransit(a.Tx, facts.Transit.ID, a.Now)
		a.Tell(event.Event{Kind: event.TransitEnded, Item: item.ID, Detail: event.Detail{Branch: facts.Transit.ToBranch}})
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
	passed := facts.Hold
	if borrowing.Own != nil {
		row.FilledHold, row.FilledFrom = &borrowing.Own.ID, borrowing.Own.State
		if passed != nil && passed.ID == borrowing.Own.ID {
			passed = nil
		}
		borrowing.Own.ItemID = &item.ID
		if err := holdsdb.MoveHold(a.Tx, borrowing.Own, queue.Fill, a.Now); err != nil {
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
	a.Tell(event.Event{Kind: event.Lent, Patron: p.ID, Item: item.ID, Loan: row.ID, Why: &verdict.Why, Detail: lentDetail(verdict, l)})
	if borrowing.Own != nil {
		a.Tell(event.Event{Kind: event.HoldFilled, Patron: p.ID, Hold: borrowing.Own.ID, Item: item.ID, Loan: row.ID})
	}
	// Another copy that was chosen for the patron's hold is free again; so is, for who was passed, any other.
	if passed != nil || borrowing.Own != nil && row.FilledFrom != queue.Waiting && (facts.Hold == nil || facts.Hold.ID != borrowing.Own.ID) {
		if _, err := moving.Route(a, item.TitleID, 0); err != nil {
			return err
		}
	}
	return nil
}

// lentDetail is what is kept of a loan beside its links.
func lentDetail(verdict *circulation.Verdict, l Lending) event.Detail {
	d := event.Due(verdict.Due)
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
