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
	People    int           `json:"people" doc:"Who is told, each by one way; without those left out"`
	Things    int           `json:"things" doc:"Of how many loans, holds or accounts"`
	Ways      []Way         `json:"ways" nullable:"false" doc:"How many by each way"`
	LeftOut   int           `json:"left_out"`
	Overtaken int           `json:"overtaken" doc:"Not told any more, since something changed before it left"`
	Waiting   int           `json:"waiting" doc:"Not sent yet"`
	Sent      int           `json:"sent"`
	Unclear   int           `json:"unclear"`
	Refused   int           `json:"refused" doc:"Email that was refused permanently"`
	Last      *int          `json:"last,omitempty" doc:"How many the run before told"`
	Usual     bool          `json:"usual" doc:"Its numbers are as usual"`
	Why       why.Trace     `json:"why" doc:"Compared with the runs before"`
}

// Way is how many are told by a way.
type Way struct {
	Channel person.Way `json:"channel" enum:",mail,phone,letter" doc:"Empty: there is none"`
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
	Channel  string     `json:"channel" enum:",mail,phone,letter" doc:"By what way it goes"`
	State    string     `json:"state" enum:"gathering,queued,sending,sent,stopped,overtaken,unclear,refused,no_address,by_hand"`
	Problem  string     `json:"problem"`
	Items    int        `json:"items"`
	At       time.Time  `json:"at"`
	SentAt   *time.Time `json:"sent_at,omitempty"`
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
	ids := make([]int64, len(rows))
	for k := range rows {
		ids[k] = rows[k].ID
	}
	counts, err := noticesdb.Counts(a.Tx, ids)
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
		*r = Run{ID: m.ID, Plan: m.Plan, Name: planName(a, m.Plan), Day: *store.DateOf(&m.Day), State: m.State, Ways: []Way{}}
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

// showMessages gives messages. What has not left yet is shown as it would leave now.
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
			SentAt: m.SentAt,
		}
	}
	return out, err
}

// written writes messages as they would leave now.
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
		if out[id], err = compose(a, &people[at], notices); err != nil {
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

// InRun is somebody in a run with what they are told by one way.
type InRun struct {
	Recipient int64      `json:"recipient" doc:"Who gets it"`
	Name      string     `json:"name"`
	About     string     `json:"about" doc:"Whom it concerns, where that is somebody else"`
	Home      string     `json:"home" doc:"Their home branch"`
	Channel   person.Way `json:"channel" enum:",mail,phone,letter" doc:"Empty: there is none"`
	Address   string     `json:"address"`
	Things    int        `json:"things"`
	Titles    string     `json:"titles" doc:"The first titles"`
	State     string     `json:"state" enum:"trial,left_out,dropped,approved,told,overtaken,gathering,queued,sending,sent,stopped,unclear,refused,no_address,by_hand"`
	Reason    string     `json:"reason" doc:"Why they were left out, or why it was not sent"`
}

// Which is the part of a run that is asked for.
type Which struct {
	Channel string `query:"channel" enum:"mail,phone,letter,none" doc:"By one way alone; none: those who cannot be reached"`
	Branch  string `query:"branch" maxLength:"3" doc:"Of what was lent or waits at a branch"`
	Words   string `query:"words" maxLength:"80" doc:"In their names"`
}

// People gives a page of those whom a run tells.
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

// Text gives what somebody is told by one way in a run: as it was sent, or as it would be sent now.
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
	says, err := compose(a, &people[0], told)
	out.Subject, out.Body, out.State, out.At = says.Subject, says.Body, "queued", a.Now
	return &out, err
}

// LeavingOut is somebody who is left out of a trial run, or taken in again.
type LeavingOut struct {
	Recipient int64  `json:"recipient"`
	Channel   string `json:"channel" enum:",mail,phone,letter"`
	Out       bool   `json:"out" doc:"Left out; otherwise taken in again"`
	Reason    string `json:"reason" maxLength:"200"`
}

// LeaveOut leaves somebody out of a trial run, or takes them in again. What they were left out of comes up again with the next night.
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

// LeaveTitle leaves out of a trial run what it tells of a title.
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

// Send sends trial runs: what is not left out goes, in one message for each person and way. What is no longer so when it leaves is not
// sent.
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

func approve(a *act.Act, m *noticesdb.Mailing) error {
	noticesdb.Approve(a.Tx, m.ID, a.Now)
	a.Tell(event.Event{Kind: event.MailingSent, Detail: event.Detail{Stage: planName(a, m.Plan), Day: store.DateOf(&m.Day)}})
	return a.Enqueue(ComposeArgs{Run: m.ID})
}

// Drop gives a trial run up; what it told of comes up again with the next night.
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

// Stop keeps what of a run has not left yet from leaving.
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

// GoOn sends on what was stopped.
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

// ComposeArgs is the job that makes the messages of a run that is sent, part by part.
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

// recipientsAtOnce is how many people one act makes messages for.
const recipientsAtOnce = 500

// Work makes messages for some people, and leaves the next to a job that stands in the queue with what this one did.
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

// makeMessages makes one message for each of some people and each way of all that is approved for them, from whichever runs.
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

// KeepText keeps what a message says that is told by hand just now.
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

// Settle decides a message that is unclear: it went, or it is queued again; one that is told by hand has been told.
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
