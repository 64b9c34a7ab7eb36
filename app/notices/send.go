// Package notices tells patrons: it works out who is to be told what, and sends it.
//
// A notice is about one loan, hold or account. Those prepared at night stay in a trial run until somebody sends it; those caused at the desk
// are sent at once. All notices for one person by one channel form one message. Its text is written when it is sent, without the notices
// that no longer apply.
//
// Sending marks the message first, with the attempt it is, so that a program killed in the middle leaves it unclear, for a person to
// decide, rather than sent twice. How an attempt ended is written apart from the attempt's own time limit, and only where no later attempt
// has begun. Begin to read with WorkOut, Send and Sender.
package notices

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"github.com/wneessen/go-mail"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/outside"
	"nevrin/app/problem"
	"nevrin/core/expect"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/store/noticesdb"
)

// SendArgs is the job of sending one message.
type SendArgs struct {
	Message int64 `json:"message"`
}

// Kind names the job in the queue.
func (SendArgs) Kind() string { return "send_message" }

// Mailer sends mail to one server, from one sender.
type Mailer struct {
	Server outside.MailServer
	From   string // the sender's address
	Name   string // the sender's name
	Reply  string // where answers go; empty: to the sender
}

// Off is a reason why no email is sent.
type Off string

// Why no email goes; empty: it does.
const (
	On       Off = ""
	NoServer Off = "server" // none was named to the program
	NoSender Off = "sender" // the network has not settled from whom it comes
)

// mailer is how email goes from here, and whether it does.
func mailer(a *act.Act) (Mailer, Off) {
	of := a.Network.Settled.Mail
	m := Mailer{Server: a.House.Mail, From: of.Sender, Name: a.Network.Name, Reply: of.Reply}
	switch {
	case m.Server.Off():
		return m, NoServer
	case m.From == "":
		return m, NoSender
	}
	return m, On
}

// Send sends one message, and tells how that ended; the error is what stood in the way. The Message-ID is made of the message's number,
// so that a mail server can tell a repeated one.
func (m Mailer) Send(ctx context.Context, msg *noticesdb.Message) (plan.Attempt, error) {
	ended := plan.Attempt{Tries: msg.Tries}
	letter := mail.NewMsg()
	if err := letter.FromFormat(m.Name, m.From); err != nil {
		return ended, fmt.Errorf("the sender's address %q: %w", m.From, err)
	}
	if m.Reply != "" {
		if err := letter.ReplyTo(m.Reply); err != nil {
			return ended, fmt.Errorf("the address for answers %q: %w", m.Reply, err)
		}
	}
	if err := letter.To(msg.Address); err != nil {
		ended.BadAddress = true
		return ended, errors.New("this is not an email address")
	}
	letter.Subject(msg.Subject)
	_, domain, _ := strings.Cut(m.From, "@")
	number := strconv.FormatInt(msg.ID, 10)
	if msg.ID == 0 { // a test, which nobody sends twice
		number = rand.Text()
	}
	letter.SetMessageIDWithValue("message-" + number + "@" + domain)
	letter.SetBodyString(mail.TypeTextPlain, msg.Body)
	client, err := m.client()
	if err != nil {
		return ended, err
	}
	err = client.DialAndSendWithContext(ctx, letter)
	ended.Delivered = letter.IsDelivered()
	var refused *mail.SendError
	if errors.As(err, &refused) {
		ended.Code = refused.ErrorCode()
		ended.OfMessage = slices.Contains([]mail.SendErrReason{mail.ErrSMTPRcptTo, mail.ErrSMTPData, mail.ErrSMTPDataClose}, refused.Reason)
		ended.AllSent = refused.Reason == mail.ErrSMTPDataClose
	}
	return ended, err
}

// WhyOff gives the reason why no email is sent.
func WhyOff(a *act.Act) Off {
	_, off := mailer(a)
	return off
}

// client speaks with the mail server. Who says who they are does so over an encrypted line only.
func (m Mailer) client() (*mail.Client, error) {
	options := []mail.Option{
		mail.WithPort(m.Server.Port),
		mail.WithTLSPolicy(mail.TLSOpportunistic),
		mail.WithTimeout(cmp.Or(m.Server.Patience, attempt/3)),
	}
	if m.Server.User != "" {
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory), mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover),
			mail.WithUsername(m.Server.User), mail.WithPassword(m.Server.Password))
	}
	if m.Server.Encrypted {
		options = append(options, mail.WithSSL())
	}
	return mail.NewClient(m.Server.Host, options...)
}

const (
	attempt   = 30 * time.Second // bounds one attempt at sending
	aftermath = 20 * time.Second // and what is written of it then
)

// abandoned is the time after which an attempt that has not ended cannot be running any more.
const abandoned = 2 * (attempt + aftermath)

// Sender works the sending jobs.
type Sender struct {
	river.WorkerDefaults[SendArgs]
	House *act.House
}

// Timeout bounds a job: the attempt, and writing how it ended.
func (s *Sender) Timeout(*river.Job[SendArgs]) time.Duration { return attempt + aftermath }

// NextRetry tries again soon: a mail server that is down for lunch should not delay notices a day.
func (s *Sender) NextRetry(job *river.Job[SendArgs]) time.Time {
	return time.Now().Add(min(time.Duration(job.Attempt)*5*time.Second, 5*time.Minute))
}

// whileOff is the time after which it is checked again whether email can be sent.
const whileOff = 2 * time.Minute

// begin marks a message as being sent, with the text it leaves with. Notices that no longer apply are left out of it, at each attempt anew; if
// none is left, the message is not sent. Nil if it is not to be sent, or has been.
func begin(a *act.Act, id int64) (*noticesdb.Message, error) {
	m, err := noticesdb.ToSend(a.Tx, id)
	if err != nil || m == nil {
		return nil, err
	}
	told, err := noticesdb.OfMessages(a.Tx, []int64{id})
	if err != nil {
		return nil, err
	}
	why := "Nothing of it is left"
	written := len(told) == 0 && m.Body != "" // before notices were kept one by one
	var open []noticesdb.Told
	for k := range told {
		if says := overtaken(a, &told[k]); says != "" {
			noticesdb.Overtake(a.Tx, told[k].ID, says)
			why = says
			continue
		}
		open = append(open, told[k])
	}
	if len(open) == 0 && !written {
		noticesdb.Overtaken(a.Tx, id, why)
		a.Touch(event.Notices)
		return nil, nil
	}
	if !written {
		people, err := noticesdb.Recipients(a.Tx, []int64{m.PatronID})
		if err != nil {
			return nil, err
		}
		says, err := compose(a, &people[0], open)
		if err != nil {
			return nil, err
		}
		m.Subject, m.Body, m.Items, m.Kind = says.Subject, says.Body, len(open), open[0].Kind
	}
	noticesdb.BeginSending(a.Tx, m)
	return m, nil
}

// otherWay switches a refused message to the next channel of its plan that reaches the recipient. False if there is none.
func otherWay(a *act.Act, m *noticesdb.Message, says string) (bool, error) {
	told, err := noticesdb.OfMessages(a.Tx, []int64{m.ID})
	if err != nil || len(told) == 0 {
		return false, err
	}
	p := a.Network.Plans[told[0].Plan]
	people, err := noticesdb.Recipients(a.Tx, []int64{m.PatronID})
	if err != nil || p == nil {
		return false, err
	}
	way := p.Next(m.Channel, record(&people[0]))
	if way == "" {
		return false, nil
	}
	goes := addressOf(&people[0], way)
	return noticesdb.GoBy(a.Tx, m, way, goes, string(plan.First(way, goes)), "By "+person.SayWay[m.Channel]+" it was refused: "+says)
}

// Work sends the message of a job unless that has been done or begun before. While mail is off, and outside of the hours in which messages
// leave, it waits.
func (s *Sender) Work(ctx context.Context, job *river.Job[SendArgs]) error {
	var by Mailer
	var wait time.Duration
	m, err := act.Do(ctx, s.House, act.Machine, "", nil, func(a *act.Act) (m *noticesdb.Message, err error) {
		var off Off
		wait = a.Network.Settled.Notices.Hours.Wait(a.Now, a.Network.Location)
		if by, off = mailer(a); off != On {
			wait = whileOff
		}
		if wait > 0 {
			return nil, nil
		}
		return begin(a, job.Args.Message)
	})
	if err != nil {
		return err
	}
	if wait > 0 {
		return river.JobSnooze(wait)
	}
	if m == nil {
		return nil
	}
	bounded, cancel := context.WithTimeout(ctx, attempt)
	ended, failed := by.Send(bounded, m)
	cancel()
	// The attempt's time may be up, and the program told to stop; what became of it is written anyway.
	after, done := context.WithTimeout(context.WithoutCancel(ctx), aftermath)
	defer done()
	defer s.House.Live.Changed("", event.Notices)
	if becomes := ended.Ends(); becomes != plan.Sent {
		if becomes == plan.Refused {
			otherwise, err := act.Do(after, s.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
				return otherWay(a, m, sayFailed(becomes, failed))
			})
			if err != nil || otherwise {
				return err
			}
		}
		if err := noticesdb.SendingFailed(after, s.House.Store, m, string(becomes), sayFailed(becomes, failed)); err != nil || becomes != plan.Again {
			return err
		}
		return failed
	}
	_, err = act.Do(after, s.House, act.Machine, "", nil, func(a *act.Act) (struct{}, error) {
		ours, err := noticesdb.Sent(a.Tx, m, a.Now)
		if err == nil && ours {
			a.Tell(event.Event{Kind: event.Told, Patron: m.PatronID, Message: m.ID, Detail: event.Detail{Stage: KindName(m.Kind)}})
		}
		return struct{}{}, err
	})
	return err
}

// sayFailed says why a message has not gone, in a sentence that stays short whatever the mail server says.
func sayFailed(becomes plan.After, err error) string {
	says := expect.Shown(err.Error())
	if becomes == plan.Unclear {
		return "The connection was lost after everything was sent. The mail server may have accepted it. (" + says + ")"
	}
	return says
}

// ReclaimArgs is the job that looks for attempts nobody is at any more.
type ReclaimArgs struct{}

// Kind names the job in the queue.
func (ReclaimArgs) Kind() string { return "reclaim_messages" }

// Reclaimer marks messages as unclear that a killed program left half sent, so that a person decides.
type Reclaimer struct {
	river.WorkerDefaults[ReclaimArgs]
	House *act.House
}

// Work looks at all messages under way.
func (r *Reclaimer) Work(ctx context.Context, _ *river.Job[ReclaimArgs]) error {
	_, err := noticesdb.LeftSending(ctx, r.House.Store, abandoned)
	return err
}

// Test sends an email to somebody to see whether mail goes, and says in a sentence what stood in the way where it does not.
func Test(ctx context.Context, h *act.House, who act.Actor, to string) error {
	if !person.PlainMail(to) {
		return problem.Newf(problem.Invalid, "%q is not an email address. Enter one such as name@library.example.", to)
	}
	var off Off
	var by Mailer
	text, err := act.Look(ctx, h, who, func(a *act.Act) (noticesdb.Message, error) {
		by, off = mailer(a)
		return noticesdb.Message{
			Address: to, Subject: "Test of " + a.Network.Name,
			Body: fmt.Sprintf("This email was sent from the settings of %s by %s to see whether email goes.\n", a.Network.Name, a.Who.Name),
		}, nil
	})
	switch {
	case err != nil:
		return err
	case off == NoServer:
		return problem.Newf(problem.Refused, "Email is off: NEVRIN_SMTP was not set when the program was started.")
	case off == NoSender:
		return problem.Newf(problem.Refused, "Email is off: save a sender address first.")
	}
	by.Server.Patience = testing
	if _, err := by.Send(ctx, &text); err != nil {
		return problem.Newf(problem.Refused, "Not sent: %s", expect.Shown(err.Error()))
	}
	return nil
}

// testing bounds each exchange of a test: somebody waits for it.
const testing = 5 * time.Second
