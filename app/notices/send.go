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
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"github.com/riverqueue/river"
	"golang.org/x/time/rate"

	"nevrin/app/act"
	"nevrin/app/event"
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

// InsertOpts puts it where messages wait, which nothing long stands in.
func (SendArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: Queue} }

// Queue is the queue of messages that leave.
const Queue = "messages"

// Off is a reason why no messages leave by a channel.
type Off string

// Why nothing leaves; empty: it does.
const (
	On       Off = ""
	NoServer Off = "server" // none was named to the program
	NoSender Off = "sender" // the network has not settled from whom it comes
)

// carrier sends messages by one channel, and tells how that ended. The error is what stood in the way.
type carrier interface {
	Send(ctx context.Context, m *noticesdb.Message) (plan.Attempt, error)
}

// carrierOf gives how messages leave by a channel, and whether they do.
func carrierOf(a *act.Act, way person.Way) (carrier, Off) {
	if way == person.ByText {
		return texter(a)
	}
	return mailer(a)
}

// WhyOff gives the reason why no email is sent.
func WhyOff(a *act.Act) Off {
	_, off := mailer(a)
	return off
}

const (
	attempt   = 30 * time.Second // bounds one attempt at sending
	aftermath = 20 * time.Second // and what is written of it then
	turn      = 20 * time.Second // and how long it waits for its turn
)

// abandoned is the time after which an attempt that has not ended cannot be running any more.
const abandoned = 2 * (attempt + aftermath)

// Sender works the sending jobs.
type Sender struct {
	river.WorkerDefaults[SendArgs]
	House *act.House

	turns sync.Mutex
	limit *rate.Limiter // nil: none has waited yet
	most  atomic.Int64  // messages a minute, as last seen, and one more; 0: not seen yet
}

// Timeout bounds a job: its turn, the attempt, and writing how it ended.
func (s *Sender) Timeout(*river.Job[SendArgs]) time.Duration { return turn + attempt + aftermath }

// NextRetry tries again soon: a mail server that is down for lunch should not delay notices a day.
func (s *Sender) NextRetry(job *river.Job[SendArgs]) time.Time {
	return time.Now().Add(min(time.Duration(job.Attempt)*5*time.Second, 5*time.Minute))
}

// waitsForTurn waits until another message may leave, with so many a minute. It returns how much longer it takes if that is too long to wait.
func (s *Sender) waitsForTurn(ctx context.Context, perMinute int) time.Duration {
	if perMinute == 0 {
		return 0
	}
	every := rate.Limit(float64(perMinute) / 60)
	s.turns.Lock()
	if s.limit == nil || s.limit.Limit() != every {
		s.limit = rate.NewLimiter(every, 1)
	}
	turnAt := s.limit.Reserve()
	s.turns.Unlock()
	wait := turnAt.Delay()
	if wait > turn {
		turnAt.Cancel()
		return wait
	}
	select {
	case <-ctx.Done():
	case <-time.After(wait):
	}
	return 0
}

// seen keeps how many messages a minute may leave.
func (s *Sender) seen(a *act.Act) { s.most.Store(int64(a.Network.Settled.Notices.PerMinute) + 1) }

// whileOff is the time after which it is checked again whether messages can be sent.
const whileOff = 2 * time.Minute

// begin marks a message as being sent, with the text it leaves with. Notices that no longer apply are left out of it, at each attempt anew; if
// none is left, the message is not sent. Nil if it is not to be sent, or has been.
func begin(a *act.Act, m *noticesdb.Message) (*noticesdb.Message, error) {
	told, err := noticesdb.OfMessages(a.Tx, []int64{m.ID})
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
		noticesdb.Overtaken(a.Tx, m.ID, why)
		a.Touch(event.Notices)
		return nil, nil
	}
	if !written {
		people, err := noticesdb.Recipients(a.Tx, []int64{m.PatronID})
		if err != nil {
			return nil, err
		}
		if m.Stop == nil && optional(open) {
			m.Stop = new(rand.Text())
		}
		says, err := compose(a, &people[0], m.Channel, open, stopPage(a, m.Stop))
		if err != nil {
			return nil, err
		}
		m.Subject, m.Body, m.Items, m.Kind = says.Subject, says.Body, len(open), open[0].Kind
	}
	noticesdb.BeginSending(a.Tx, m)
	return m, nil
}

// otherWay switches a refused message to the next channel of its plan that reaches the recipient. False if there is none.
// Says is what stood in the way, as a sentence.
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
	way := p.Next(m.Channel, record(a, &people[0]))
	if way == "" {
		return false, nil
	}
	goes := addressOf(&people[0], way)
	state := plan.First(way, goes)
	done, err := noticesdb.GoBy(a.Tx, m, way, goes, string(state), says)
	if err == nil && done && state == plan.Again {
		err = a.Enqueue(SendArgs{m.ID})
	}
	return done, err
}

// Work sends the message of a job unless that has been done or begun before. While its channel is off, outside of the hours in which messages
// leave, and while others have their turn, it waits.
func (s *Sender) Work(ctx context.Context, job *river.Job[SendArgs]) error {
	look := func() error {
		_, err := act.Look(ctx, s.House, act.Machine, func(a *act.Act) (bool, error) { s.seen(a); return true, nil })
		return err
	}
	if s.most.Load() == 0 { // later ones see it on their way
		if err := look(); err != nil {
			return err
		}
	}
	if wait := s.waitsForTurn(ctx, int(s.most.Load()-1)); wait > 0 {
		if err := look(); err != nil { // it may have been changed
			return err
		}
		return river.JobSnooze(wait)
	}
	var by carrier
	var wait time.Duration
	m, err := act.Do(ctx, s.House, act.Machine, "", nil, func(a *act.Act) (*noticesdb.Message, error) {
		s.seen(a)
		m, err := noticesdb.ToSend(a.Tx, job.Args.Message)
		if err != nil || m == nil {
			return nil, err
		}
		var off Off
		wait = a.Network.Settled.Notices.Hours.Wait(a.Now, a.Network.Location)
		if by, off = carrierOf(a, m.Channel); off != On {
			wait = whileOff
		}
		if wait > 0 {
			return nil, nil
		}
		return begin(a, m)
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
				return otherWay(a, m, sayRefused(m.Channel, sayFailed(becomes, failed)))
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
			a.Tell(event.Event{Kind: event.Told, Patron: m.PatronID, Message: m.ID, Detail: event.Detail{Stage: KindName(m.Kind), Means: string(m.Channel)}})
		}
		return struct{}{}, err
	})
	return err
}

// sayRefused says that a message did not get through by a channel.
func sayRefused(way person.Way, why string) string {
	return "By " + person.SayWay[way] + " it was refused: " + why
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

// Out sends an email to a library outside, and says what stood in the way.
func Out(ctx context.Context, h *act.House, who act.Actor, to, subject, body string) error {
	var off Off
	var by Mailer
	if _, err := act.Look(ctx, h, who, func(a *act.Act) (struct{}, error) {
		by, off = mailer(a)
		return struct{}{}, nil
	}); err != nil {
		return err
	}
	if off != On {
		return errors.New("email is off here")
	}
	_, err := by.Send(ctx, &noticesdb.Message{Address: to, Subject: subject, Body: body})
	return err
}

// Test sends an email to somebody to see whether mail goes, or how a wording looks, and says in a sentence what stood in the way where it does
// not.
func Test(ctx context.Context, h *act.House, who act.Actor, to string, wording *Trying) error {
	if !person.PlainMail(to) {
		return problem.Newf(problem.Invalid, "%q is not an email address. Enter one such as name@library.example.", to)
	}
	var off Off
	var by Mailer
	text, err := act.Look(ctx, h, who, func(a *act.Act) (msg noticesdb.Message, err error) {
		by, off = mailer(a)
		msg = noticesdb.Message{
			Address: to, Subject: "Test of " + a.Network.Name,
			Body: fmt.Sprintf("This email was sent from the settings of %s by %s to see whether email goes.\n", a.Network.Name, a.Who.Name),
		}
		if wording != nil {
			err = fill(a, *wording, &msg)
		}
		return msg, err
	})
	switch {
	case err != nil:
		return err
	case off == NoServer:
		return problem.Newf(problem.Refused, "Email is off: NEVRIN_SMTP was not set when the program was started.")
	case off == NoSender:
		return problem.Newf(problem.Refused, "Email is off: save a sender address first.")
	}
	by.Server.Patience = testPatience
	if _, err := by.Send(ctx, &text); err != nil {
		return problem.Newf(problem.Refused, "Not sent: %s", expect.Shown(err.Error()))
	}
	return nil
}

// fill writes a wording that is tried into an email, within the frame.
func fill(a *act.Act, t Trying, msg *noticesdb.Message) error {
	tried, err := Try(a, t)
	if err != nil {
		return err
	}
	if tried.Problem != "" {
		return problem.New(problem.Invalid, tried.Problem)
	}
	msg.Subject, msg.Body = oneLine(tried.Subject), tried.Body
	if t.Kind == "" {
		return nil
	}
	with := example("")
	with["text"] = tried.Body
	msg.Body, err = write(bodyOf(WordingOf(a, plan.Frame), Speech(a, t.Language).Language, person.ByMail), with)
	return err
}

// testPatience bounds each exchange of a test: somebody waits for it.
const testPatience = 5 * time.Second
