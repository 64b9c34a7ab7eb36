package notices

import (
	"fmt"
	"slices"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/plan"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/noticesdb"
)

// Part is one part of what a night works out: of loans, holds or patrons.
type Part struct {
	Name string
	// ask lists the candidates for the days from one to another, in the order of patrons, for up to so many patrons after a given one.
	ask func(a *act.Act, from, to calendar.Date, after int64, most int) ([]noticesdb.Candidate, error)
	// of gives the kinds of notice that a candidate may need, each with its date.
	of func(a *act.Act, c *noticesdb.Candidate, day calendar.Date) []dated
}

// dated is a kind of notice with its date: when a loan is due, a hold leaves the shelf, or a card expires.
type dated struct {
	kind plan.Kind
	on   calendar.Date
}

// Parts are all parts in the order in which they are worked out.
var Parts = []Part{{"notices_loans", loans, ofLoan}, {"notices_holds", holds, ofHold}, {"notices_patrons", patrons, ofPatron}}

// atOnce is how many patrons one act of working out looks at.
const atOnce = 2000

// WorkOut adds a day's notices of one part to the trial runs, for a bounded number of patrons after a given one. It returns the last of
// these patrons, or 0 when there are no more. Nothing is sent. Calling it twice does no harm: the database keeps each notice once.
func WorkOut(a *act.Act, part Part, day calendar.Date, after int64) (int64, error) {
	due, last, err := part.find(a, day, after)
	if err != nil {
		return 0, err
	}
	runs := map[string]*noticesdb.Mailing{}
	var ready []noticesdb.Notice
	for k := range due {
		n := &due[k]
		run := runs[n.Plan]
		if run == nil {
			if run, err = noticesdb.MailingOf(a.Tx, n.Plan, day.UTC()); err != nil {
				return 0, err
			}
			runs[n.Plan] = run
		}
		if run.State == "trial" { // otherwise it has been dealt with; what has come since is told of tomorrow
			n.MailingID = &run.ID
			ready = append(ready, *n)
		}
	}
	noticesdb.Add(a.Tx, ready)
	return last, a.Tx.Flush()
}

// find lists the notices due on a day for some patrons after a given one, and returns the last of these; 0 when there are no more.
func (p Part) find(a *act.Act, day calendar.Date, after int64) (due []noticesdb.Notice, last int64, err error) {
	candidates, err := p.ask(a, day, day, after, atOnce)
	if err != nil || len(candidates) == 0 {
		return nil, 0, err
	}
	for k := range candidates {
		for _, one := range p.of(a, &candidates[k], day) {
			if n := noticeOf(a, &candidates[k], one, day); n != nil {
				due = append(due, *n)
			}
		}
	}
	return due, candidates[len(candidates)-1].PatronID, address(a, due)
}

// noticeOf gives the notice of a kind that a candidate needs on a day; nil if it needs none or has had it.
func noticeOf(a *act.Act, c *noticesdb.Candidate, of dated, day calendar.Date) *noticesdb.Notice {
	code := a.Network.Plans.Of(of.kind, &plan.Facts{
		Class: c.Class, Home: string(c.Home), Branch: string(c.BranchCode), Material: c.Material, Collection: c.Collection,
		Owner: c.Owner, Rosters: c.Rosters,
	})
	if code == "" {
		return nil
	}
	one := a.Network.Plans[code]
	if one.Sum != nil && c.Balance < *one.Sum {
		return nil
	}
	branch, err := a.Network.Branch(c.BranchCode)
	if err != nil {
		return nil
	}
	stage := one.Stage(branch, of.on, day)
	if stage < 0 || slices.Contains(c.Told, fmt.Sprintf("%s:%d", of.kind, stage)) {
		return nil
	}
	n := &noticesdb.Notice{
		Kind: of.kind, Stage: stage, Plan: code, PatronID: c.PatronID, RecipientID: one.Recipient(c.PatronID, near(c)), BranchCode: c.BranchCode,
		LoanID: c.LoanID, HoldID: c.HoldID, DueDate: c.DueDate, DueAt: c.DueAt, State: "trial", At: a.Now,
	}
	if c.LoanID == nil && c.HoldID == nil {
		n.DueDate = store.Column(of.on)
	}
	return n
}

// near gives the guardian and others who may get a patron's notices.
func near(c *noticesdb.Candidate) plan.Near {
	return plan.Near{Guardian: c.GuardianID, Answering: c.AnsweringID, Adult: c.AdultID}
}

// address sets the channel of each notice, by its plan and its recipient.
func address(a *act.Act, due []noticesdb.Notice) error {
	var ids []int64
	for k := range due {
		ids = append(ids, due[k].RecipientID)
	}
	rows, err := noticesdb.Recipients(a.Tx, ids)
	if err != nil {
		return err
	}
	people := map[int64]*noticesdb.Recipient{}
	for k := range rows {
		people[rows[k].ID] = &rows[k]
	}
	for k := range due {
		due[k].Channel, _ = reach(a, a.Network.Plans[due[k].Plan], people[due[k].RecipientID])
	}
	return nil
}

func loans(a *act.Act, from, to calendar.Date, after int64, most int) ([]noticesdb.Candidate, error) {
	plans := a.Network.Plans
	ahead, _ := plans.Furthest(plan.BeforeDue)
	_, back := plans.Furthest(plan.Overdue)
	_, lost := plans.Furthest(plan.Lost)
	return noticesdb.Loans(a.Tx, from.Add(-max(back, lost)-1).UTC(), to.Add(ahead).UTC(), after, most)
}

func ofLoan(a *act.Act, c *noticesdb.Candidate, day calendar.Date) []dated {
	branch, err := a.Network.Branch(c.BranchCode)
	if err != nil {
		return nil
	}
	due := loansdb.DueOf(c.DueDate, c.DueAt)
	on := due.Date
	if due.Hours {
		on = branch.Date(due.At)
	}
	return []dated{{plan.OfLoan(c.Lost, on, day), on}}
}

func holds(a *act.Act, from, to calendar.Date, after int64, most int) ([]noticesdb.Candidate, error) {
	ahead, _ := a.Network.Plans.Furthest(plan.HoldExpiring)
	if ahead == 0 {
		return nil, nil
	}
	return noticesdb.HoldsOnShelf(a.Tx, from.UTC(), to.Add(ahead).UTC(), after, most)
}

func ofHold(_ *act.Act, c *noticesdb.Candidate, _ calendar.Date) []dated {
	return []dated{{plan.HoldExpiring, *store.DateOf(c.DueDate)}}
}

func patrons(a *act.Act, from, to calendar.Date, after int64, most int) ([]noticesdb.Candidate, error) {
	which, none := noticesdb.Which{OwingAgain: plan.DaysApart(plan.Owed), AskAgain: plan.DaysApart(plan.Details)}, true
	if ahead, _ := a.Network.Plans.Furthest(plan.CardExpiring); ahead > 0 {
		which.CardAfter, which.CardLast, none = store.Column(from), store.Column(to.Add(ahead)), false
	}
	for _, code := range a.Network.Plans.Ordered(plan.Owed) {
		if sum := a.Network.Plans[code].Sum; which.Owing == nil || *sum < *which.Owing {
			which.Owing, none = sum, false
		}
	}
	if months := a.Network.Settled.Confirm; months > 0 && len(a.Network.Plans.Ordered(plan.Details)) > 0 {
		before := to.UTC().AddDate(0, -months, 0)
		which.Unconfirmed, none = &before, false
	}
	if none {
		return nil, nil
	}
	return noticesdb.Patrons(a.Tx, which, after, most, a.Now)
}

func ofPatron(a *act.Act, c *noticesdb.Candidate, day calendar.Date) []dated {
	out := []dated{{plan.Owed, day}}
	if until := store.DateOf(c.CardUntil); until != nil {
		out = append(out, dated{plan.CardExpiring, *until})
	}
	if c.Unconfirmed {
		out = append(out, dated{plan.Details, day})
	}
	return out
}
