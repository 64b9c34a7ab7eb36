package notices

import (
	"context"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/circulation"
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
	c := &noticesdb.Candidate{
		PatronID: p.ID, HoldID: &h.ID, BranchCode: h.Pickup, Home: p.BranchCode, Class: p.Class, Material: item.Material,
		Collection: item.Collection, Owner: string(item.BranchCode),
	}
	kind := plan.HoldReady
	if item.Material == circulation.Interlibrary && len(a.Network.Plans.Ordered(plan.IllArrived)) > 0 {
		kind = plan.IllArrived
	}
	_, err := tell(a, kind, c, recipient(p))
	return err
}

// CardExtended tells a patron that their card was renewed.
func CardExtended(a *act.Act, p *peopledb.Patron) error { return tellPatron(a, plan.Membership, p) }

// SignedUp tells somebody with a temporary card that their registration was received.
func SignedUp(a *act.Act, p *peopledb.Patron) error { return tellPatron(a, plan.SignUp, p) }

func tellPatron(a *act.Act, kind plan.Kind, p *peopledb.Patron) error {
	_, err := tell(a, kind, &noticesdb.Candidate{PatronID: p.ID, BranchCode: p.BranchCode, Home: p.BranchCode, Class: p.Class}, recipient(p))
	return err
}

// RenewalRefused tells a patron that a loan was not renewed, since somebody waits for it.
func RenewalRefused(a *act.Act, l *loansdb.Loan, item *stockdb.Item) error {
	p := l.Patron
	_, err := tell(a, plan.RenewalRefused, &noticesdb.Candidate{
		PatronID: p.ID, LoanID: &l.ID, BranchCode: l.BranchCode, Home: p.BranchCode, Class: p.Class, Material: item.Material,
		Collection: item.Collection, Owner: string(item.BranchCode),
	}, nil) // facts of a loan hold no addresses
	return err
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
		if _, err := tell(a, kind, &candidates[k], nil); err != nil {
			return err
		}
	}
	return nil
}

// Lent mails a patron what was lent to them.
func Lent(a *act.Act, p *peopledb.Patron, lines []loansdb.LoanShown) error {
	sent := false
	for k := range lines {
		l := &lines[k]
		c := &noticesdb.Candidate{
			PatronID: p.ID, LoanID: &l.ID, BranchCode: l.BranchCode, Home: p.BranchCode, Class: p.Class, Material: l.Material,
		}
		told, err := tell(a, plan.Receipt, c, recipient(p))
		if err != nil {
			return err
		}
		sent = sent || told
	}
	if !sent {
		return problem.Newf(problem.Refused, "No plan sends receipts to %s (Notices, Plans). Print a slip.", p.Name())
	}
	return nil
}

func recipient(p *peopledb.Patron) *noticesdb.Recipient {
	return &noticesdb.Recipient{
		ID: p.ID, LegalName: p.LegalName, PreferredName: p.PreferredName, Email: p.Email, Phone: p.Phone, TextNumber: p.TextNumber,
		EmailReturned: p.EmailReturned, Language: p.Language, Address: p.Address,
		PostalCode: p.PostalCode, Town: p.Town, BranchCode: p.BranchCode, Notices: p.Notices, Balance: p.Balance,
	}
}

// tell notifies somebody of something that has just happened, by the plan of its kind. Emails wait for some minutes, so that several notices
// become one message. To is the patron if already known. Told is false if no plan covers it or the patron does not want these notices.
func tell(a *act.Act, kind plan.Kind, c *noticesdb.Candidate, to *noticesdb.Recipient) (told bool, err error) {
	code := a.Network.Plans.Of(kind, &plan.Facts{
		Class: c.Class, Home: string(c.Home), Branch: string(c.BranchCode), Material: c.Material, Collection: c.Collection, Owner: c.Owner,
		Rosters: c.Rosters,
	})
	if code == "" {
		return false, nil
	}
	p := a.Network.Plans[code]
	if p.To != plan.ToPatron || to == nil {
		if to, err = whoGets(a, p, c); err != nil {
			return false, err
		}
	}
	n := noticesdb.Notice{
		Kind: kind, Plan: code, PatronID: c.PatronID, RecipientID: to.ID, BranchCode: c.BranchCode, LoanID: c.LoanID, HoldID: c.HoldID,
		DueAt: &a.Now, State: "told", At: a.Now,
	}
	way, goes := reach(a, p, to)
	switch n.Channel = way; way {
	case person.NotTold:
		return false, nil
	case person.ByMail, person.ByText:
		noticesdb.Gather(a.Tx, &n, goes)
		return true, a.EnqueueIn(time.Duration(a.Network.Settled.Notices.Gather)*time.Minute, GatherArgs{to.ID, way})
	case person.ByPhone:
		noticesdb.Join(a.Tx, &n, goes)
		return true, nil
	}
	m := noticesdb.Message{Kind: kind, PatronID: to.ID, Channel: way, Address: goes, State: string(plan.First(way, goes)), At: a.Now, Items: 1}
	if err := noticesdb.AddMessage(a.Tx, &m); err != nil {
		return false, err
	}
	n.MessageID = &m.ID
	noticesdb.Add(a.Tx, []noticesdb.Notice{n})
	return true, nil
}

// whoGets gives the recipient of a plan's notices about a patron.
func whoGets(a *act.Act, p *plan.Plan, c *noticesdb.Candidate) (*noticesdb.Recipient, error) {
	known := near(c)
	if p.To != plan.ToPatron {
		row, err := noticesdb.Near(a.Tx, c.PatronID)
		if err != nil {
			return nil, err
		}
		known = near(row)
	}
	rows, err := noticesdb.Recipients(a.Tx, []int64{p.Recipient(c.PatronID, known)})
	if err != nil {
		return nil, err
	}
	return &rows[0], nil
}

// GatherArgs is the job that sends the message gathered for somebody.
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

// Work queues the gathered message for sending. Later notices begin a new one.
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
