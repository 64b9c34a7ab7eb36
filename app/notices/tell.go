package notices

import (
	"context"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/noticesdb"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// HoldReady tells a patron that a hold waits for them.
func HoldReady(a *act.Act, h *holdsdb.Hold, item *stockdb.Item) error {
	p := h.Patron
	return tell(a, plan.HoldReady, &noticesdb.Candidate{
		PatronID: p.ID, HoldID: &h.ID, BranchCode: h.Pickup, Home: p.BranchCode, Class: p.Class, Material: item.Material,
		Collection: item.Collection, Owner: string(item.BranchCode),
	}, recipient(p))
}

// HoldsEnded tells patrons that holds of theirs have expired or were cancelled.
func HoldsEnded(a *act.Act, kind plan.Kind, ids ...int64) error {
	if len(a.Network.Plans.Ordered(kind)) == 0 || len(ids) == 0 {
		return nil
	}
	candidates, err := noticesdb.Holds(a.Tx, ids)
	if err != nil {
		return err
	}
	for k := range candidates {
		if err := tell(a, kind, &candidates[k], nil); err != nil {
			return err
		}
	}
	return nil
}

// Lent mails a patron what was lent to them.
func Lent(a *act.Act, p *peopledb.Patron, lines []loansdb.LoanShown) error {
	for k := range lines {
		l := &lines[k]
		c := &noticesdb.Candidate{
			PatronID: p.ID, LoanID: &l.ID, BranchCode: l.BranchCode, Home: p.BranchCode, Class: p.Class, Material: l.Material,
		}
		if err := tell(a, plan.Receipt, c, recipient(p)); err != nil {
			return err
		}
	}
	return nil
}

func recipient(p *peopledb.Patron) *noticesdb.Recipient {
	return &noticesdb.Recipient{
		ID: p.ID, LegalName: p.LegalName, PreferredName: p.PreferredName, Email: p.Email, Phone: p.Phone, Address: p.Address,
		PostalCode: p.PostalCode, Town: p.Town, BranchCode: p.BranchCode, Notices: p.Notices, Balance: p.Balance,
	}
}

// tell tells somebody of something as it happens, by the plan of its kind. By email it waits a little for more, so that it is one
// message. To is the patron, where they are known already.
func tell(a *act.Act, kind plan.Kind, c *noticesdb.Candidate, to *noticesdb.Recipient) error {
	code := a.Network.Plans.Of(kind, &plan.Facts{
		Class: c.Class, Home: string(c.Home), Branch: string(c.BranchCode), Material: c.Material, Collection: c.Collection, Owner: c.Owner,
		Rosters: c.Rosters,
	})
	if code == "" {
		return nil
	}
	p := a.Network.Plans[code]
	if p.To != plan.ToPatron || to == nil {
		var err error
		if to, err = whoGets(a, p, c); err != nil {
			return err
		}
	}
	n := noticesdb.Notice{
		Kind: kind, Plan: code, PatronID: c.PatronID, RecipientID: to.ID, BranchCode: c.BranchCode, LoanID: c.LoanID, HoldID: c.HoldID,
		DueAt: &a.Now, State: "told", At: a.Now,
	}
	way, goes := reach(p, to)
	switch n.Channel = way; way {
	case person.NotTold:
		return nil
	case person.ByMail:
		noticesdb.Gather(a.Tx, &n, goes)
		return a.EnqueueIn(time.Duration(a.Network.Settled.Notices.Gather)*time.Minute, GatherArgs{to.ID, way})
	}
	m := noticesdb.Message{Kind: kind, PatronID: to.ID, Channel: way, Address: goes, State: string(plan.First(way, goes)), At: a.Now, Items: 1}
	if err := noticesdb.AddMessage(a.Tx, &m); err != nil {
		return err
	}
	n.MessageID = &m.ID
	noticesdb.Add(a.Tx, []noticesdb.Notice{n})
	return nil
}

// whoGets gives who gets what a plan tells of somebody.
func whoGets(a *act.Act, p *plan.Plan, c *noticesdb.Candidate) (*noticesdb.Recipient, error) {
	if p.To != plan.ToPatron {
		near, err := noticesdb.Near(a.Tx, c.PatronID)
		if err != nil {
			return nil, err
		}
		c.GuardianID, c.AnsweringID, c.AdultID = near.GuardianID, near.AnsweringID, near.AdultID
	}
	rows, err := noticesdb.Recipients(a.Tx, []int64{recipientOf(p, c)})
	if err != nil {
		return nil, err
	}
	return &rows[0], nil
}

// GatherArgs is the job that lets go what was gathered for somebody.
type GatherArgs struct {
	Patron  int64      `json:"patron"`
	Channel person.Way `json:"channel"`
}

// Kind names the job in the queue.
func (GatherArgs) Kind() string { return "gathered_message" }

// Gatherer works these jobs.
type Gatherer struct {
	river.WorkerDefaults[GatherArgs]
	House *act.House
}

// Work lets the message that is being gathered leave; what is told after that begins another.
func (g *Gatherer) Work(ctx context.Context, job *river.Job[GatherArgs]) error {
	_, err := act.Do(ctx, g.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		id, err := noticesdb.Gathered(a.Tx, job.Args.Patron, string(job.Args.Channel))
		if err != nil || id == 0 {
			return false, err
		}
		return true, a.Enqueue(SendArgs{id})
	})
	return err
}
