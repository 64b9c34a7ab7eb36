package notices

import (
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/noticesdb"
	"nevrin/store/peopledb"
)

// Mailing is a batch with its counts.
type Mailing struct {
	ID        int64         `json:"id"`
	Stage     string        `json:"stage"`
	Day       calendar.Date `json:"day" format:"date"`
	State     string        `json:"state" enum:"trial,sent,dropped"`
	Patrons   int           `json:"patrons"`
	Items     int           `json:"items"`
	NoAddress int           `json:"no_address" doc:"Patrons without a email address"`
	Queued    int           `json:"queued"`
	Sent      int           `json:"sent"`
	Unclear   int           `json:"unclear"`
	Refused   int           `json:"refused" doc:"Email that was refused permanently"`
}

// Message is one message as staff see it.
type Message struct {
	ID       int64      `json:"id"`
	PatronID int64      `json:"patron_id"`
	Patron   string     `json:"patron"`
	Stage    string     `json:"stage"`
	Address  string     `json:"address"`
	Subject  string     `json:"subject"`
	Body     string     `json:"body"`
	Channel  string     `json:"channel" enum:"mail,phone,letter" doc:"By what way it goes"`
	State    string     `json:"state" enum:"trial,left_out,queued,sending,sent,unclear,refused,no_address,by_hand"`
	Problem  string     `json:"problem"`
	Items    int        `json:"items"`
	At       time.Time  `json:"at"`
	SentAt   *time.Time `json:"sent_at,omitempty"`
}

// Overview is mailings, and single messages that did not go out.
type Overview struct {
	Mailings []Mailing `json:"mailings"`
	Next     string    `json:"next" doc:"Ask with this for earlier mailings; empty: there are none"`
	Stuck    []Message `json:"stuck" doc:"Messages queued, unclear, refused or without address, newest first"`
	More     bool      `json:"more_stuck" doc:"There are more of these"`
	Off      Off       `json:"mail_off" enum:",server,sender" doc:"Why no email goes: no mail server was named to the program, or no sender to the network; empty: it goes"`
}

// stuckMost is how many messages that did not go out are shown at once.
const stuckMost = 100

// Look gives a page of the mailings, newest first, and what is stuck.
func Look(a *act.Act, page store.Page) (Overview, error) {
	out := Overview{Mailings: []Mailing{}, Stuck: []Message{}}
	out.Off = WhyOff(a)
	rows, next, err := noticesdb.Mailings(a.Tx, page)
	if err != nil {
		return out, err
	}
	for k := range rows {
		out.Mailings = append(out.Mailings, show(&rows[k]))
	}
	out.Next = next.Next()
	stuck, err := noticesdb.StuckMessages(a.Tx, a.Now, stuckMost+1)
	if out.More = len(stuck) > stuckMost; out.More {
		stuck = stuck[:stuckMost]
	}
	for k := range stuck {
		out.Stuck = append(out.Stuck, showMessage(&stuck[k]))
	}
	return out, err
}

func show(m *noticesdb.MailingShown) Mailing {
	return Mailing{
		ID: m.ID, Stage: StageName(m.Stage), Day: *store.DateOf(&m.Day), State: m.State, Patrons: m.Patrons,
		Items:     m.Items,
		NoAddress: m.NoAddress, Queued: m.Queued, Sent: m.Sent, Unclear: m.Unclear, Refused: m.Refused,
	}
}

func showMessage(m *noticesdb.MessageShown) Message {
	p := peopledb.Patron{LegalName: m.LegalName, PreferredName: m.PreferredName}
	return Message{
		ID: m.ID, PatronID: m.PatronID, Patron: p.Name(), Stage: StageName(m.Stage), Address: m.Address,
		Channel: m.Channel,
		Subject: m.Subject,
		Body:    m.Body, State: m.State, Problem: m.Problem, Items: m.Items, At: m.At, SentAt: m.SentAt,
	}
}

// Messages gives a page of the messages of one mailing.
func Messages(a *act.Act, mailing int64, page store.Page) ([]Message, store.Page, error) {
	rows, next, err := noticesdb.Messages(a.Tx, mailing, page)
	out := []Message{}
	for k := range rows {
		out = append(out, showMessage(&rows[k]))
	}
	return out, next, err
}

// Send sends a trial run: every message that is not left out is queued, each once.
func Send(a *act.Act, id int64, leaveOut []int64) (Mailing, error) {
	m, err := noticesdb.MailingLocked(a.Tx, id)
	switch {
	case err != nil:
		return Mailing{}, err
	case m == nil:
		return Mailing{}, problem.NoSuch("mailing")
	case m.State != "trial":
		return Mailing{}, problem.Newf(problem.Refused, "This mailing has already been %s.", m.State)
	}
	ids, err := noticesdb.SendMailing(a.Tx, id, leaveOut, a.Now)
	if err != nil {
		return Mailing{}, err
	}
	jobs := make([]river.InsertManyParams, len(ids))
	for k, message := range ids {
		jobs[k].Args = SendArgs{message}
	}
	if err := a.EnqueueMany(jobs); err != nil {
		return Mailing{}, err
	}
	day := *store.DateOf(&m.Day)
	a.Tell(event.Event{Kind: event.MailingSent, Detail: event.Detail{Stage: m.Stage, Day: &day, Count: len(ids)}})
	return Mailing{
		ID:      id,
		Stage:   StageName(m.Stage),
		Day:     day,
		State:   "sent",
		Patrons: len(ids),
		Queued:  len(ids),
	}, nil
}

// Drop gives a trial run up; what it told of comes up again with the next night.
func Drop(a *act.Act, id int64) error {
	done, err := noticesdb.DropMailing(a.Tx, id)
	if err != nil {
		return err
	}
	if !done {
		return problem.Newf(problem.Refused, "Only a trial run can be discarded.")
	}
	a.Tell(event.Event{Kind: event.MailingDropped})
	return nil
}

// Settle decides a message that is unclear: it went, or it is queued again; one that is told by hand has been told.
func Settle(a *act.Act, id int64, again bool) error {
	state := "sent"
	if again {
		state = "queued"
	}
	m, err := noticesdb.SettleMessage(a.Tx, id, state, a.Now, a.Who.Role.Supervises())
	if err != nil {
		return err
	}
	if m == nil {
		return problem.Newf(problem.Refused, "This message is no longer waiting. Only supervisors decide unclear messages.")
	}
	a.Tell(
		event.Event{
			Kind:    event.MessageSettled,
			Patron:  m.PatronID,
			Message: id,
			Detail:  event.Detail{Is: state, Stage: m.Stage},
		},
	)
	if !again {
		return nil
	}
	return a.Enqueue(SendArgs{id})
}
