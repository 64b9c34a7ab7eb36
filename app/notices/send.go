// Package notices tells patrons: it works out who is to be told what, and sends it.
//
// A message is written to the database in the act that causes it, together with a job that sends
// it. Sending marks the message first, so that a program killed in the middle leaves it unclear,
// for a person to decide, rather than sent twice.
package notices

import (
	"context"
	"fmt"
	"time"

	"github.com/riverqueue/river"
	"github.com/wneessen/go-mail"
	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/store"
)

// SendArgs is the job of sending one message.
type SendArgs struct {
	Message int64 `json:"message"`
}

// Kind names the job in the queue.
func (SendArgs) Kind() string { return "send_message" }

// Queue writes a message and the job that sends it, in the act's transaction. Without an address it
// is kept as such, for the list of those who could not be told.
func Queue(a *act.Act, m store.Message) (store.Message, error) {
	m.At, m.State = a.Now, "queued"
	if m.Address == "" {
		m.State = "no_address"
	}
	if err := a.Create(&m).Error; err != nil {
		return m, err
	}
	return m, enqueue(a, m)
}

func enqueue(a *act.Act, m store.Message) error {
	if m.State != "queued" || a.House.Jobs == nil {
		return nil
	}
	_, err := a.House.Jobs.InsertTx(a.Context, store.Tx(a.DB), SendArgs{m.ID}, nil)
	return err
}

// Mailer sends mail to one server.
type Mailer struct {
	Host string
	Port int
	From string
}

// Send sends one message. The Message-ID is made of the message's number, so that a mail server can
// tell a repeated one.
func (m Mailer) Send(ctx context.Context, msg store.Message) error {
	letter := mail.NewMsg()
	if err := letter.From(m.From); err != nil {
		return fmt.Errorf("the sender's address %q: %w", m.From, err)
	}
	if err := letter.To(msg.Address); err != nil {
		return fmt.Errorf("the address %q: %w", msg.Address, err)
	}
	letter.Subject(msg.Subject)
	letter.SetMessageIDWithValue(fmt.Sprintf("message-%d@nevrin.invalid", msg.ID))
	letter.SetBodyString(mail.TypeTextPlain, msg.Body)
	client, err := mail.NewClient(m.Host, mail.WithPort(m.Port), mail.WithTLSPolicy(mail.TLSOpportunistic), mail.WithTimeout(10*time.Second))
	if err != nil {
		return err
	}
	return client.DialAndSendWithContext(ctx, letter)
}

// Sender works the sending jobs.
type Sender struct {
	river.WorkerDefaults[SendArgs]
	House  *act.House
	Mailer Mailer
}

// Timeout bounds one attempt.
func (s *Sender) Timeout(*river.Job[SendArgs]) time.Duration { return 30 * time.Second }

// NextRetry tries again soon: a mail server that is down for lunch should not delay notices a day.
func (s *Sender) NextRetry(job *river.Job[SendArgs]) time.Time {
	return time.Now().Add(min(time.Duration(job.Attempt)*5*time.Second, 5*time.Minute))
}

// Work sends the message of a job unless that has been done or begun before.
func (s *Sender) Work(ctx context.Context, job *river.Job[SendArgs]) error {
	db := s.House.DB.WithContext(ctx)
	begun := db.Exec("UPDATE messages SET state = 'sending', tries = tries + 1 WHERE id = ? AND state = 'queued'", job.Args.Message)
	if begun.Error != nil || begun.RowsAffected == 0 {
		return begun.Error
	}
	var m store.Message
	if err := db.Take(&m, job.Args.Message).Error; err != nil {
		return err
	}
	failed := s.Mailer.Send(ctx, m)
	if failed != nil {
		err := db.Exec("UPDATE messages SET state = 'queued', problem = ? WHERE id = ?", failed.Error(), m.ID).Error
		if err != nil {
			return err
		}
		return failed
	}
	_, err := act.Do(ctx, s.House, act.Machine, "", nil, func(a *act.Act) (struct{}, error) {
		if err := a.Exec("UPDATE messages SET state = 'sent', sent_at = ?, problem = '' WHERE id = ?", a.Now, m.ID).Error; err != nil {
			return struct{}{}, err
		}
		return struct{}{}, a.Tell(act.Happened{Kind: "told", Patron: m.PatronID, Text: "Told by mail to " + m.Address + ": " + m.Subject})
	})
	return err
}

// Unclear marks messages that a killed program left half sent, so that a person decides.
func Unclear(db *gorm.DB) error {
	return db.Exec("UPDATE messages SET state = 'unclear', problem = 'The program stopped while this was being sent. It may have gone.' WHERE state = 'sending'").Error
}
