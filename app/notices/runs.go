package notices

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/jobs"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/noticesdb"
	"nevrin/store/peopledb"
)

// Run is what a plan tells on a day, with its counts.
type Run struct {
	ID        int64         `json:"id"`
	Plan      string        `json:"plan" doc:"Its code"`
	Name      string        `json:"name" doc:"The plan's name"`
	Day       calendar.Date `json:"day" format:"date"`
	State     string        `json:"state" enum:"trial,sending,stopped,sent,dropped"`
	People    int           `json:"people" doc:"Recipients, counted once for each channel; without those left out"`
	Things    int           `json:"things" doc:"Of how many loans, holds or accounts"`
	Ways      []Way         `json:"ways" nullable:"false" doc:"Recipients by channel"`
	LeftOut   int           `json:"left_out"`
	Overtaken int           `json:"overtaken" doc:"No longer needed: something changed before it was sent"`
	Waiting   int           `json:"waiting" doc:"Not sent yet"`
	Sent      int           `json:"sent"`
	Unclear   int           `json:"unclear"`
	Refused   int           `json:"refused" doc:"Email that was refused permanently"`
	Last      *int          `json:"last,omitempty" doc:"Recipients of the previous run"`
	Usual     bool          `json:"usual" doc:"Its numbers are as usual"`
	SendAt    *time.Time    `json:"send_at,omitempty" doc:"When it is sent by itself, as a trial run"`
	Why       why.Trace     `json:"why" doc:"Compared with the runs before"`
}

// Way is the number of recipients by one channel.
type Way struct {
	Channel person.Way `json:"channel" enum:",mail,text,phone,letter" doc:"Empty: there is none"`
	People  int        `json:"people"`
}

// Message is one message as staff see it.
type Message struct {
	ID       int64      `json:"id"`
	PatronID int64      `json:"patron_id"`
	Patron   string     `json:"patron"`
	Kind     string     `json:"kind" doc:"What it tells, in words"`
	Address  string     `json:"address"`
	Subject  string     `json:"subject"`
	Body     string     `json:"body"`
	Channel  string     `json:"channel" enum:",mail,text,phone,letter" doc:"How it is sent"`
	State    string     `json:"state" enum:"gathering,queued,sending,sent,stopped,overtaken,unclear,refused,no_address,by_hand"`
	Problem  string     `json:"problem"`
	Items    int        `json:"items"`
	At       time.Time  `json:"at"`
	SentAt   *time.Time `json:"sent_at,omitempty"`
	Arrived  *time.Time `json:"delivered_at,omitempty" doc:"When a text message arrived, as the gateway says"`
}

// Overview is runs, and single messages that did not go out.
type Overview struct {
	Runs  []Run     `json:"runs" nullable:"false"`
	Next  string    `json:"next" doc:"Ask with this for earlier runs; empty: there are none"`
	Stuck []Message `json:"stuck" nullable:"false" doc:"Messages queued, unclear, refused or without address, newest first"`
	More  bool      `json:"more_stuck" doc:"There are more of these"`
	Off   Off       `json:"mail_off" enum:",server,sender" doc:"Why no email goes: no mail server was named to the program, or no sender to the network; empty: it goes"`
}

// stuckMost is how many messages that did not go out are shown at once.
const stuckMost = 100

// counted is the number of days for which sent runs are counted in full. Older ones show only their number of patrons.
const counted = 7

// compared is how many earlier runs one is compared with.
const compared = 8

// Look gives a page of the runs, newest first, and what is stuck.
func Look(a *act.Act, page store.Page) (Overview, error) {
	out := Overview{Runs: []Run{}, Stuck: []Message{}, Off: WhyOff(a)}
	rows, next, err := noticesdb.Mailings(a.Tx, page)
	if err != nil {
		return out, err
	}
	if out.Runs, err = show(a, rows); err != nil {
		return out, err
	}
	out.Next = next.Next()
	stuck, err := noticesdb.StuckMessages(a.Tx, a.Now, stuckMost+1)
	if err != nil {
		return out, err
	}
	if out.More = len(stuck) > stuckMost; out.More {
		stuck = stuck[:stuckMost]
	}
	out.Stuck, err = showMessages(a, stuck)
	return out, err
}

// show gives runs with their counts and what they are compared with.
func show(a *act.Act, rows []noticesdb.Mailing) ([]Run, error) {
	var ids, recent []int64
	for k := range rows {
		ids = append(ids, rows[k].ID)
		if rows[k].State != "sent" || *store.DateOf(&rows[k].Day) > a.Today().Add(-counted) {
			recent = append(recent, rows[k].ID)
		}
	}
	counts, err := noticesdb.Counts(a.Tx, recent)
	if err != nil {
		return nil, err
	}
	past, err := noticesdb.PastOf(a.Tx, ids, compared)
	if err != nil {
		return nil, err
	}
	out := make([]Run, len(rows))
	for k := range rows {
		m := &rows[k]
		r := &out[k]
		*r = Run{ID: m.ID, Plan: m.Plan, Name: planName(a, m.Plan), Day: *store.DateOf(&m.Day), State: m.State, Ways: []Way{}, SendAt: m.SendAt}
		for _, c := range counts {
			if c.MailingID == m.ID {
				r.count(&c)
			}
		}
		if m.Messages != nil { // what it told may have been deleted since
			r.People = max(r.People, *m.Messages)
		}
		before := past[m.ID]
		if len(before) > 0 {
			r.Last = &before[0]
		}
		r.Usual, r.Why = plan.Compare(r.People, before)
	}
	return out, nil
}

func (r *Run) count(c *noticesdb.Count) {
	switch c.State {
	case "left_out":
		r.LeftOut += c.People
		return
	case "overtaken", "dropped":
		r.Overtaken += c.People
		return
	case string(plan.Sent):
		r.Sent += c.People
	case string(plan.Unclear):
		r.Unclear += c.People
	case string(plan.Refused):
		r.Refused += c.People
	case string(plan.NoAddress):
	default:
		r.Waiting += c.People
	}
	r.People, r.Things = r.People+c.People, r.Things+c.Things
	at := slices.IndexFunc(r.Ways, func(w Way) bool { return w.Channel == c.Channel })
	if at < 0 {
		r.Ways = append(r.Ways, Way{c.Channel, c.People})
		return
	}
	r.Ways[at].People += c.People
}

func planName(a *act.Act, code string) string {
	if p := a.Network.Plans[code]; p != nil {
		return p.Name
	}
	return code
}

// KindName is the name of a kind.
func KindName(k plan.Kind) string {
	if sort, ok := plan.SortOf(k); ok {
		return sort.Name
	}
	return string(k)
}

// showMessages gives messages. Those not sent yet are shown as they would be sent now.
func showMessages(a *act.Act, rows []noticesdb.MessageShown) ([]Message, error) {
	var open []int64
	for k := range rows {
		if rows[k].Body == "" {
			open = append(open, rows[k].ID)
		}
	}
	texts, err := written(a, open)
	out := make([]Message, len(rows))
	for k := range rows {
		m := &rows[k]
		p := peopledb.Patron{LegalName: m.LegalName, PreferredName: m.PreferredName}
		says := Written{m.Subject, m.Body}
		if w, ok := texts[m.ID]; ok {
			says = w
		}
		out[k] = Message{
			ID: m.ID, PatronID: m.PatronID, Patron: p.Name(), Kind: KindName(m.Kind), Address: m.Address, Channel: string(m.Channel),
			Subject: cmp.Or(says.Subject, KindName(m.Kind)), Body: says.Body, State: m.State, Problem: m.Problem, Items: m.Items, At: m.At,
			SentAt: m.SentAt, Arrived: m.DeliveredAt,
		}
	}
	return out, err
}

// written gives the text that messages would be sent with now.
func written(a *act.Act, messages []int64) (map[int64]Written, error) {
	if len(messages) == 0 {
		return nil, nil
	}
	told, err := noticesdb.OfMessages(a.Tx, messages)
	if err != nil {
		return nil, err
	}
	of, who := map[int64][]noticesdb.Told{}, []int64{}
	for _, n := range told {
		of[*n.MessageID] = append(of[*n.MessageID], n)
		who = append(who, n.RecipientID)
	}
	people, err := noticesdb.Recipients(a.Tx, who)
	if err != nil {
		return nil, err
	}
	out := map[int64]Written{}
	for id, notices := range of {
		at := slices.IndexFunc(people, func(r noticesdb.Recipient) bool { return r.ID == notices[0].RecipientID })
		if out[id], err = compose(a, &people[at], notices[0].Channel, notices, ""); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// lately is how many messages a patron's page shows.
const lately = 20

// OfPatron gives what a patron was told lately, newest first.
func OfPatron(a *act.Act, patron int64) ([]Message, error) {
	rows, err := noticesdb.MessagesOf(a.Tx, patron, lately)
	if err != nil {
		return nil, err
	}
	return showMessages(a, rows)
}

// InRun is a recipient in a run, with what they get by one channel.
type InRun struct {
	Recipient int64      `json:"recipient" doc:"Who gets it"`
	Name      string     `json:"name"`
	About     string     `json:"about" doc:"Whom it concerns, if not the recipient"`
	Home      string     `json:"home" doc:"Their home branch"`
	Channel   person.Way `json:"channel" enum:",mail,text,phone,letter" doc:"Empty: there is none"`
	Address   string     `json:"address"`
	Things    int        `json:"things"`
	Titles    string     `json:"titles" doc:"The first titles"`
	State     string     `json:"state" enum:"trial,left_out,dropped,approved,told,overtaken,gathering,queued,sending,sent,stopped,unclear,refused,no_address,by_hand"`
	Reason    string     `json:"reason" doc:"Why they were left out, or why it was not sent"`
}

// Which is the part of a run that is asked for.
type Which struct {
	Channel string `query:"channel" enum:"mail,text,phone,letter,none" doc:"Only this channel; none: those who cannot be reached"`
	Branch  string `query:"branch" maxLength:"3" doc:"Of what was lent or waits at a branch"`
	Words   string `query:"words" maxLength:"80" doc:"In their names"`
}

// People gives a page of a run's recipients.
func People(a *act.Act, run int64, which Which, page store.Page) ([]InRun, store.Page, error) {
	ask := noticesdb.People{Mailing: run, Branch: calendar.Code(which.Branch), Words: strings.ToLower(strings.TrimSpace(which.Words))}
	if which.Channel == "none" {
		ask.None = true
	} else {
		ask.Channel = person.Way(which.Channel)
	}
	rows, next, err := noticesdb.PeopleOf(a.Tx, ask, page)
	out := make([]InRun, len(rows))
	for k := range rows {
		p := &rows[k]
		to := &noticesdb.Recipient{
			LegalName: p.LegalName, PreferredName: p.PreferredName, Email: p.Email, Phone: p.Phone, Address: p.Address, PostalCode: p.PostalCode,
			Town: p.Town,
		}
		out[k] = InRun{
			Recipient: p.RecipientID, Name: nameOf(to), About: p.About, Home: a.Network.BranchName(p.BranchCode), Channel: p.Channel,
			Address: addressOf(to, p.Channel), Things: p.Things, Titles: orEmpty(p.Titles), State: p.State, Reason: cmp.Or(p.Reason, p.Problem),
		}
	}
	return out, next, err
}

func orEmpty(text *string) string {
	if text == nil {
		return ""
	}
	return *text
}

// Text gives what a recipient gets by one channel in a run: as it was sent, or as it would be sent now.
func Text(a *act.Act, run, recipient int64, channel string) (*Message, error) {
	told, err := noticesdb.OfRecipient(a.Tx, run, recipient, person.Way(channel))
	if err != nil {
		return nil, err
	}
	people, err := noticesdb.Recipients(a.Tx, []int64{recipient})
	if err != nil {
		return nil, err
	}
	if len(told) == 0 || len(people) == 0 {
		return nil, problem.NoSuch("message")
	}
	out := Message{PatronID: recipient, Patron: nameOf(&people[0]), Channel: channel, Address: addressOf(&people[0], person.Way(channel)), Items: len(told)}
	if id := told[0].MessageID; id != nil {
		rows, err := noticesdb.MessagesByID(a.Tx, []int64{*id})
		if err != nil {
			return nil, err
		}
		shown, err := showMessages(a, rows)
		if err != nil || len(shown) == 0 {
			return nil, err
		}
		return &shown[0], nil
	}
	says, err := compose(a, &people[0], person.Way(channel), told, "")
	out.Subject, out.Body, out.State, out.At = says.Subject, says.Body, "queued", a.Now
	return &out, err
}

// LeavingOut is a recipient to be left out of a trial run, or included again.
type LeavingOut struct {
	Recipient int64  `json:"recipient"`
	Channel   string `json:"channel" enum:",mail,text,phone,letter"`
	Out       bool   `json:"out" doc:"Left out; otherwise included again"`
	Reason    string `json:"reason" maxLength:"200"`
}

// LeaveOut leaves a recipient out of a trial run, or includes them again. The next night prepares what was left out anew.
func LeaveOut(a *act.Act, run int64, v LeavingOut) error {
	n, err := noticesdb.LeaveOut(a.Tx, run, v.Recipient, person.Way(v.Channel), v.Out, strings.TrimSpace(v.Reason))
	if err != nil {
		return err
	}
	if n == 0 {
		return problem.Newf(problem.Refused, "This is no longer part of a trial run.")
	}
	a.Touch(event.Notices)
	return nil
}

// LeavingTitle is a title that is left out of a trial run.
type LeavingTitle struct {
	Title  int64  `json:"title"`
	Reason string `json:"reason" maxLength:"200"`
}

// LeaveTitle leaves all notices about a title out of a trial run.
func LeaveTitle(a *act.Act, run int64, v LeavingTitle) error {
	n, err := noticesdb.LeaveOutTitle(a.Tx, run, v.Title, strings.TrimSpace(v.Reason))
	if err != nil {
		return err
	}
	if n == 0 {
		return problem.Newf(problem.Refused, "This trial run tells nobody of that title.")
	}
	a.Touch(event.Notices)
	return nil
}

// Send sends trial runs together, as one message for each recipient and channel. Notices that no longer apply when their message leaves
// are not sent.
func Send(a *act.Act, ids []int64) error {
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		m, err := noticesdb.MailingLocked(a.Tx, id)
		switch {
		case err != nil:
			return err
		case m == nil:
			return problem.NoSuch("run")
		case m.State != "trial":
			return problem.Newf(problem.Refused, "%s of %s is no longer a trial run: it was sent or discarded.", planName(a, m.Plan),
				a.SayDate(*store.DateOf(&m.Day)))
		}
		if err := approve(a, m); err != nil {
			return err
		}
	}
	return nil
}

// SendingLater is the time at which a trial run is to be sent.
type SendingLater struct {
	At string `json:"at" maxLength:"16" doc:"By the clock of the branch, such as 2026-10-06T14:00; empty: not by itself"`
}

// latestSending is the number of days ahead for which a run can be set to be sent.
const latestSending = 7

// SendLater sets when a trial run is sent by itself, or that it is not.
func SendLater(a *act.Act, id int64, v SendingLater) error {
	var at *time.Time
	if v.At != "" {
		t, err := calendar.ParseInstant(v.At, a.Here().Location)
		switch {
		case err != nil:
			return problem.From(problem.Invalid, err)
		case !t.After(a.Now):
			return problem.Newf(problem.Invalid, "%s is over. Choose a later time.", a.SayInstant(t))
		case t.After(a.Now.AddDate(0, 0, latestSending)):
			return problem.Newf(problem.Invalid, "Choose a time within %d days.", latestSending)
		}
		at = &t
	}
	done, err := noticesdb.SendAt(a.Tx, id, at)
	if err == nil && !done {
		err = problem.Newf(problem.Refused, "This is no longer a trial run: it was sent or discarded.")
	}
	a.Touch(event.Notices)
	return err
}

// DueArgs is the job that sends runs whose time has come.
type DueArgs struct{}

// Kind names the job in the queue.
func (DueArgs) Kind() string { return "send_due_runs" }

// Dispatcher works these jobs.
type Dispatcher struct {
	river.WorkerDefaults[DueArgs]
	House *act.House
}

// Work sends the runs whose time has come, together.
func (d *Dispatcher) Work(ctx context.Context, _ *river.Job[DueArgs]) error {
	_, err := act.Do(ctx, d.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		due, err := noticesdb.ToSendNow(a.Tx, a.Now)
		for k := range due {
			if err == nil {
				err = approve(a, &due[k])
			}
		}
		return len(due) > 0, err
	})
	return err
}

func approve(a *act.Act, m *noticesdb.Mailing) error {
	noticesdb.Approve(a.Tx, m.ID, a.Now)
	a.Tell(event.Event{Kind: event.MailingSent, Detail: event.Detail{Stage: planName(a, m.Plan), Day: store.DateOf(&m.Day)}})
	return a.Enqueue(ComposeArgs{Run: m.ID})
}

// Drop discards a trial run. The next night prepares its notices anew.
func Drop(a *act.Act, id int64) error {
	done, err := noticesdb.Drop(a.Tx, id)
	if err != nil {
		return err
	}
	if !done {
		return problem.Newf(problem.Refused, "Only a trial run can be discarded.")
	}
	a.Tell(event.Event{Kind: event.MailingDropped})
	return nil
}

// Stop holds back the messages of a run that have not been sent yet.
func Stop(a *act.Act, id int64) error {
	_, done, err := noticesdb.Stop(a.Tx, id)
	if err != nil {
		return err
	}
	if !done {
		return problem.Newf(problem.Refused, "This run is not being sent.")
	}
	a.Touch(event.Notices)
	return nil
}

// GoOn continues sending a stopped run.
func GoOn(a *act.Act, id int64) error {
	ids, done, err := noticesdb.GoOn(a.Tx, id)
	if err != nil {
		return err
	}
	if !done {
		return problem.Newf(problem.Refused, "This run is not stopped.")
	}
	a.Touch(event.Notices)
	if err := enqueue(a, ids); err != nil {
		return err
	}
	return a.Enqueue(ComposeArgs{Run: id})
}

func enqueue(a *act.Act, messages []int64) error {
	work := make([]river.InsertManyParams, len(messages))
	for k, id := range messages {
		work[k].Args = SendArgs{id}
	}
	return a.EnqueueMany(work)
}

// ComposeArgs is the job that creates the messages of a run, some recipients at a time.
type ComposeArgs struct {
	Run   int64 `json:"run"`
	After int64 `json:"after"` // the last recipient who has theirs
}

// Kind names the job in the queue.
func (ComposeArgs) Kind() string { return "compose_messages" }

// InsertOpts puts it where work waits that takes long.
func (ComposeArgs) InsertOpts() river.InsertOpts { return jobs.Long() }

// Composer works these jobs.
type Composer struct {
	river.WorkerDefaults[ComposeArgs]
	House *act.House
}

// recipientsAtOnce is the number of recipients for whom one act creates messages.
const recipientsAtOnce = 500

// Work creates the messages of some recipients and queues a job for the next ones in the same transaction.
func (c *Composer) Work(ctx context.Context, job *river.Job[ComposeArgs]) error {
	_, err := act.Do(ctx, c.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		m, err := noticesdb.MailingLocked(a.Tx, job.Args.Run)
		if err != nil || m == nil || m.State != "sending" {
			return false, err
		}
		a.Touch(event.Notices)
		last, err := makeMessages(a, m.ID, job.Args.After)
		if err != nil {
			return false, err
		}
		if last != 0 {
			return true, a.Enqueue(ComposeArgs{m.ID, last})
		}
		noticesdb.Ended(a.Tx, m.ID)
		return true, nil
	})
	return err
}

// makeMessages creates one message for each of some recipients and each channel, from the approved notices of all runs.
func makeMessages(a *act.Act, run, after int64) (int64, error) {
	notices, last, err := noticesdb.Approved(a.Tx, run, after, recipientsAtOnce)
	if err != nil || last == 0 {
		return 0, err
	}
	who := make([]int64, len(notices))
	for k := range notices {
		who[k] = notices[k].RecipientID
	}
	rows, err := noticesdb.Recipients(a.Tx, who)
	if err != nil {
		return 0, err
	}
	people := map[int64]*noticesdb.Recipient{}
	for k := range rows {
		people[rows[k].ID] = &rows[k]
	}
	var queued []int64
	for len(notices) > 0 {
		n := 1
		for n < len(notices) && notices[n].RecipientID == notices[0].RecipientID && notices[n].Channel == notices[0].Channel {
			n++
		}
		first := &notices[0]
		goes := addressOf(people[first.RecipientID], first.Channel)
		m := noticesdb.Message{
			MailingID: &run, Kind: first.Kind, PatronID: first.RecipientID, Channel: first.Channel, Address: goes, At: a.Now, Items: n,
			State: string(plan.First(first.Channel, goes)),
		}
		if err := noticesdb.AddMessage(a.Tx, &m); err != nil {
			return 0, err
		}
		ids := make([]int64, n)
		for k := range ids {
			ids[k] = notices[k].ID
		}
		noticesdb.Tell(a.Tx, ids, m.ID)
		if m.State == string(plan.Again) {
			queued = append(queued, m.ID)
		}
		notices = notices[n:]
	}
	return last, enqueue(a, queued)
}

// KeepText stores the text of a message that has just been passed on by hand.
func KeepText(a *act.Act, id int64) error {
	texts, err := written(a, []int64{id})
	if err != nil {
		return err
	}
	if says, ok := texts[id]; ok {
		noticesdb.KeepText(a.Tx, id, says.Subject, says.Body)
	}
	return nil
}

// Settle decides a message that is unclear or was refused: it went or is not sent any more, or it is queued again.
func Settle(a *act.Act, id int64, again bool) error {
	state := "sent"
	if again {
		state = "queued"
	} else if err := KeepText(a, id); err != nil {
		return err
	}
	m, err := noticesdb.SettleMessage(a.Tx, id, state, a.Now, a.Who.Role.Supervises())
	if err != nil {
		return err
	}
	if m == nil {
		return problem.Newf(problem.Refused, "This message is no longer waiting. Only supervisors decide unclear messages.")
	}
	a.Tell(event.Event{
		Kind: event.MessageSettled, Patron: m.PatronID, Message: id, Detail: event.Detail{Is: state, Stage: KindName(m.Kind)},
	})
	if !again {
		return nil
	}
	return a.Enqueue(SendArgs{id})
}
