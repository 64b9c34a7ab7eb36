package notices

import (
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/store"
	"nevrin/store/noticesdb"
	"nevrin/store/peopledb"
)

// Call is a message that somebody is to be told by telephone.
type Call struct {
	Message int64         `json:"message"`
	Patron  int64         `json:"patron"`
	Name    string        `json:"name"`
	Phone   string        `json:"phone"`
	Branch  calendar.Code `json:"branch" doc:"Where their hold waits, else their home branch"`
	Kind    string        `json:"kind" doc:"What it is about, in words"`
	Titles  string        `json:"titles"`
	Items   int           `json:"items" doc:"How many notices it carries, whether or not all are still needed"`
	Says    string        `json:"says" doc:"What is to be said"`
	At      time.Time     `json:"at"`
	Calls   int           `json:"calls" doc:"How often somebody has called without reaching them"`
	Last    string        `json:"last" doc:"The outcome of the last call"`
	Again   *time.Time    `json:"again,omitempty" doc:"When they are to be called again"`
	Later   bool          `json:"later" doc:"That is still to come"`
	Caller  string        `json:"caller" doc:"Somebody else who is calling them now"`
}

// callTakes is the time for which a call counts as under way.
const callTakes = 10 * time.Minute

// Calls gives a page of the calls that wait, of a branch or of all. Those that are no longer needed are left out.
func Calls(a *act.Act, branch calendar.Code, page store.Page) ([]Call, store.Page, error) {
	rows, next, err := noticesdb.Calls(a.Tx, branch, page)
	if err != nil {
		return nil, page, err
	}
	ids, who := make([]int64, len(rows)), make([]int64, len(rows))
	for k := range rows {
		ids[k], who[k] = rows[k].ID, rows[k].PatronID
	}
	needed, err := stillNeeded(a, ids)
	if err != nil {
		return nil, page, err
	}
	people, err := noticesdb.Recipients(a.Tx, who)
	if err != nil {
		return nil, page, err
	}
	out := []Call{}
	for k := range rows {
		m := &rows[k]
		told := needed[m.ID]
		if len(told) == 0 {
			continue // those of before notices were kept one by one have ended long ago
		}
		to := &people[slices.IndexFunc(people, func(r noticesdb.Recipient) bool { return r.ID == m.PatronID })]
		says, err := compose(a, to, person.ByPhone, told, "")
		if err != nil {
			return nil, page, err
		}
		c := Call{
			Message: m.ID, Patron: m.PatronID, Name: (&peopledb.Patron{LegalName: m.LegalName, PreferredName: m.PreferredName}).Name(),
			Phone: to.Phone, Branch: m.BranchCode, Kind: KindName(told[0].Kind), Titles: titlesOf(told), Items: m.Items, Says: says.Body, At: m.At, Calls: m.Tries,
			Last: m.Problem, Again: m.AgainAt, Later: m.AgainAt != nil && m.AgainAt.After(a.Now),
		}
		if isCalling(a, &m.Message) && m.Caller != nil {
			c.Caller = *m.Caller
		}
		out = append(out, c)
	}
	return out, next, nil
}

// isCalling tells whether somebody other than who asks is at a call.
func isCalling(a *act.Act, m *noticesdb.Message) bool {
	return m.CallerID != nil && *m.CallerID != a.Who.ID && m.CallingAt.Add(callTakes).After(a.Now)
}

// titlesOf gives the titles of notices, each once.
func titlesOf(told []noticesdb.Told) string {
	var names []string
	for _, n := range told {
		if n.Title != "" && !slices.Contains(names, n.Title) {
			names = append(names, n.Title)
		}
	}
	return strings.Join(names, "; ")
}

// stillNeeded gives the notices of messages that are still to be told.
func stillNeeded(a *act.Act, messages []int64) (map[int64][]noticesdb.Told, error) {
	told, err := noticesdb.OfMessages(a.Tx, messages)
	of := map[int64][]noticesdb.Told{}
	for k := range told {
		if overtaken(a, &told[k]) == "" {
			of[*told[k].MessageID] = append(of[*told[k].MessageID], told[k])
		}
	}
	return of, err
}

// Calling is whether who is signed in is at a call.
type Calling struct {
	Now bool `json:"now" doc:"The call begins; otherwise it was given up"`
}

// SetCalling writes that somebody begins a call, so that nobody else calls the same patron, or that they have given it up.
func SetCalling(a *act.Act, id int64, v Calling) error {
	m, err := toCall(a, id)
	if err != nil {
		return err
	}
	a.Touch(event.Notices)
	switch {
	case !v.Now && m.CallerID != nil && *m.CallerID == a.Who.ID:
		noticesdb.Calling(a.Tx, id, nil, a.Now)
	case v.Now && isCalling(a, m):
		return problem.Newf(problem.Refused, "Somebody else is calling them now.")
	case v.Now:
		noticesdb.Calling(a.Tx, id, &a.Who.ID, a.Now)
	}
	return nil
}

// Called is what came of a call.
type Called struct {
	Outcome plan.Outcome `json:"outcome" enum:"reached,message_left,no_answer,wrong_number,later"`
	Items   int          `json:"items" doc:"How many notices the call carried when it was looked at"`
	Note    string       `json:"note" maxLength:"120" doc:"In a few words"`
	Again   string       `json:"again" maxLength:"16" doc:"When they are to be called again, by the clock of the branch, such as 2026-10-06T14:00; empty: any time"`
}

// latestCall is the number of days ahead until which a call can be put off.
const latestCall = 14

// SetCalled writes what came of a call. Who was reached has been told. A wrong number goes by the next channel of the plan or, without
// one, is listed as not sent. All others stay on the list.
func SetCalled(a *act.Act, id int64, c Called) error {
	m, err := toCall(a, id)
	if err != nil {
		return err
	}
	if c.Outcome == plan.Reached && m.Items != c.Items {
		return problem.Newf(problem.Refused, "There is more to tell them since you looked. Read the new text, and choose the outcome again.")
	}
	again, err := c.again(a)
	if err != nil {
		return err
	}
	says := c.Outcome.Say()
	if note := strings.TrimSpace(c.Note); note != "" {
		says += ": " + note
	}
	state := c.Outcome.Ends()
	noticesdb.CalledFor(a.Tx, id, string(state), says, a.Now, again)
	if state == plan.Sent {
		if err := KeepText(a, id); err != nil {
			return err
		}
	}
	a.Tell(event.Event{
		Kind: event.MessageSettled, Patron: m.PatronID, Message: id,
		Detail: event.Detail{Is: string(state), Means: string(person.ByPhone), Stage: KindName(m.Kind), Reason: says},
	})
	if state != plan.Refused {
		return nil
	}
	if err := a.Tx.Flush(); err != nil {
		return err
	}
	m.Tries++
	_, err = otherWay(a, m, says)
	return err
}

// again gives when somebody is to be called again; nil: at any time.
func (c *Called) again(a *act.Act) (*time.Time, error) {
	if c.Outcome != plan.Later {
		return nil, nil
	}
	t, err := calendar.ParseInstant(c.Again, a.Here().Location)
	switch {
	case err != nil:
		return nil, problem.Newf(problem.Invalid, "Enter the date and the time when you call again.")
	case !t.After(a.Now):
		return nil, problem.Newf(problem.Invalid, "%s is over. Choose a later time.", a.SayInstant(t))
	case t.After(a.Now.AddDate(0, 0, latestCall)):
		return nil, problem.Newf(problem.Invalid, "Choose a time within %d days.", latestCall)
	}
	return &t, nil
}

// UndoCalled takes back that somebody was told by telephone today: they are on the list again.
func UndoCalled(a *act.Act, id int64) error {
	m, err := noticesdb.MessageToCall(a.Tx, id)
	switch {
	case err != nil:
		return err
	case m == nil:
		return problem.NoSuch("message")
	case m.State != string(plan.Sent) || calendar.DateOf(m.SentAt.In(a.Network.Location)) != a.Today():
		return problem.Newf(problem.Refused, "Only today’s calls can be undone.")
	}
	noticesdb.NotCalledFor(a.Tx, id)
	a.Tell(event.Event{
		Kind: event.MessageSettled, Patron: m.PatronID, Message: id,
		Detail: event.Detail{Is: string(plan.ByHand), Means: string(person.ByPhone), Stage: KindName(m.Kind), Reason: "Undone"},
	})
	return nil
}

// toCall locks a call that waits.
func toCall(a *act.Act, id int64) (*noticesdb.Message, error) {
	m, err := noticesdb.MessageToCall(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case m == nil:
		return nil, problem.NoSuch("message")
	case m.State != string(plan.ByHand):
		return nil, problem.Newf(problem.Refused, "This call is no longer waiting: they have been told, or it is no longer needed.")
	}
	return m, nil
}
