package notices

import (
	"context"
	"errors"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/expect"
	"nevrin/core/plan"
	"nevrin/formats/dsn"
	"nevrin/formats/sms"
	"nevrin/store/noticesdb"
)

// Reported reads a report of RFC 3464 on emails that were sent. One that came back goes by the next channel of its plan; an address that will
// not work is marked on the record, until somebody changes it. It returns how many messages it was about.
func Reported(a *act.Act, report io.Reader) (int, error) {
	r, err := dsn.Read(report)
	if err != nil {
		return 0, problem.From(problem.Invalid, err)
	}
	n := 0
	for k := range r.Recipients {
		to := &r.Recipients[k]
		if to.Action != dsn.Failed { // delays end in delivery or failure, of which there is another report
			continue
		}
		m, err := reportedOn(a, r.MessageID, to.Address)
		if err != nil {
			return n, err
		}
		if m == nil {
			continue
		}
		n++
		says := "It came back"
		if to.Diagnostic != "" {
			says += ": " + expect.Shown(to.Diagnostic)
		}
		if to.Permanent() {
			noticesdb.EmailReturned(a.Tx, m.PatronID, m.Address)
		}
		if err := cameBack(a, m, says); err != nil {
			return n, err
		}
		a.Tell(event.Event{Kind: event.MessageReturned, Patron: m.PatronID, Message: m.ID, Detail: event.Detail{Reason: says, Stage: KindName(m.Kind)}})
	}
	return n, nil
}

// reportedOn gives the sent email that a report is about: by its Message-ID, otherwise the last one to the address.
func reportedOn(a *act.Act, id, address string) (*noticesdb.Message, error) {
	number, named := strings.CutPrefix(id, messageID)
	number, _, _ = strings.Cut(number, "@")
	if n, err := strconv.ParseInt(number, 10, 64); named && err == nil {
		return noticesdb.SentEmail(a.Tx, n, "")
	}
	return noticesdb.SentEmail(a.Tx, 0, strings.ToLower(address))
}

// cameBack lets a message that was sent go by its next channel, or lists it as refused.
func cameBack(a *act.Act, m *noticesdb.Message, says string) error {
	noticesdb.Returned(a.Tx, m.ID, says)
	m.State = string(plan.Refused)
	_, err := otherWay(a, m, sayRefused(m.Channel, says))
	return err
}

// AskArgs is the job that asks the text gateway what became of text messages.
type AskArgs struct{}

// Kind names the job in the queue.
func (AskArgs) Kind() string { return "ask_gateway" }

// InsertOpts lets it fail: the next one comes in a moment, and asks anew.
func (AskArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{MaxAttempts: 1} }

// Asker works these jobs.
type Asker struct {
	river.WorkerDefaults[AskArgs]
	House *act.House
}

const (
	askedAtOnce = 200            // messages in one job
	askedFor    = 72 * time.Hour // after which nothing more is expected of the gateway
	asking      = 45 * time.Second
)

// Work asks about messages that have not arrived yet, those that were asked about longest ago first.
func (k *Asker) Work(ctx context.Context, _ *river.Job[AskArgs]) error {
	var by *Texter
	var off Off
	open, err := act.Look(ctx, k.House, act.Machine, func(a *act.Act) ([]noticesdb.Message, error) {
		if by, off = texter(a); off != On {
			return nil, nil
		}
		return noticesdb.OnTheWay(a.Tx, a.Now.Add(-askedFor), askedAtOnce)
	})
	if err != nil {
		return err
	}
	bounded, cancel := context.WithTimeout(ctx, asking)
	defer cancel()
	for i := range open {
		m := &open[i]
		status, says, err := by.Gateway.Status(bounded, by.By, m.Gateway)
		if err != nil && !errors.As(err, new(*sms.Refused)) { // one that it does not know must not stand in the way of the others
			return err
		}
		_, err = act.Do(ctx, k.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
			noticesdb.Asked(a.Tx, m.ID)
			switch status {
			case sms.DeliveredToTerminal:
				noticesdb.Delivered(a.Tx, m.ID, a.Now)
				a.Touch(event.Notices)
			case sms.DeliveryImpossible:
				a.Touch(event.Notices)
				return true, cameBack(a, m, strings.TrimSuffix("It was not delivered: "+expect.Shown(says), ": "))
			}
			return true, nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// OptOut opts a patron out of notices about holds, by what the link in an email says. ErrNoLink where there is no such link.
func OptOut(a *act.Act, link string) error {
	patron, err := noticesdb.OptOut(a.Tx, link)
	if err != nil {
		return err
	}
	if patron == 0 {
		return ErrNoLink
	}
	a.Tell(event.Event{Kind: event.NoticesChosen, Patron: patron, Detail: event.Detail{Is: "none", About: "hold_ready"}})
	return nil
}

// ErrNoLink is the error for a link that no email has.
var ErrNoLink = errors.New("this link is not valid any more")
