package notices

import (
	"encoding/json"
	"fmt"
	"strings"

	"github.com/osteele/liquid"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/noticesdb"
	"nevrin/store/peopledb"
)

// Stage is one kind of notice with its wording, a liquid template.
type Stage struct {
	ID, Name      string
	Subject, Body string
}

// Overdue are the wordings of the stages of overdue notices, in the order of plan.Overdue.
var Overdue = []Stage{
	{
		ID: "overdue_1", Name: "Overdue, first", Subject: "Please return {{ count }}",
		Body: "Dear {{ name }},\n\nthese items are overdue:\n\n" +
			"{% for i in items %}  {{ i.title }}, due {{ i.due }} ({{ i.branch }})\n{% endfor %}\n" +
			"If you have already returned them, thank you. Please ignore this message.\n\n{{ network }}\n",
	},
	{
		ID: "overdue_2", Name: "Overdue, second", Subject: "Overdue: please return {{ count }}",
		Body: "Dear {{ name }},\n\nwe have written to you about these items before. Other patrons may be waiting for them:\n\n" +
			"{% for i in items %}  {{ i.title }}, due {{ i.due }} ({{ i.branch }})\n{% endfor %}\n" +
			"Please return them to any branch, or contact us.\n\n{{ network }}\n",
	},
}

var holdReady = Stage{
	ID: "hold_ready", Name: "Hold ready", Subject: "Ready for you: {{ title }}",
	Body: "Dear {{ name }},\n\n{{ title }} waits for you at {{ branch }} until {{ until }}.\n\n{{ network }}\n",
}

var lentNow = Stage{
	ID: "lent", Name: "What was lent", Subject: "Lent to you at {{ branch }}",
	Body: "Dear {{ name }},\n\nthese were lent to you today at {{ branch }}:\n\n" +
		"{% for i in items %}  {{ i.title }}, due {{ i.due }}\n{% endfor %}\n{{ network }}\n",
}

var engine = liquid.NewEngine()

func (s Stage) write(with map[string]any) (subject, body string, err error) {
	if subject, err = engine.ParseAndRenderString(s.Subject, with); err != nil {
		return "", "", fmt.Errorf("wording of %s: %w", s.Name, err)
	}
	body, err = engine.ParseAndRenderString(s.Body, with)
	return subject, body, err
}

// reach tells by what way somebody is told of something, and where that goes: by email, to no address, where there is none.
func reach(chosen json.RawMessage, of person.Notice, p *peopledb.Patron) (person.Way, string) {
	r := person.Record{Email: strings.TrimSpace(p.Email)}
	switch way := people.Notices(&peopledb.Patron{Notices: chosen}).Of(of, &r); way {
	case person.ByPhone:
		return way, p.Phone
	case person.ByLetter:
		return way, strings.Trim(
			strings.Join([]string{p.Address, strings.TrimSpace(p.PostalCode + " " + p.Town)}, ", "),
			", ",
		)
	case person.NotTold:
		return way, ""
	}
	return person.ByMail, r.Email
}

// HoldReady tells a patron that a hold waits for them.
func HoldReady(a *act.Act, h *holdsdb.Hold, title, branch string, until calendar.Date) error {
	way, address := reach(h.Patron.Notices, person.HoldReady, h.Patron)
	if way == person.NotTold {
		return nil
	}
	subject, body, err := holdReady.write(map[string]any{
		"name": h.Patron.Name(), "title": title, "branch": branch, "until": a.Network.SayDate(until), "network": a.Network.Name,
	})
	if err != nil {
		return err
	}
	m := &noticesdb.Message{
		Stage:    holdReady.ID,
		PatronID: h.PatronID,
		Channel:  string(way),
		Address:  address,
		Subject:  subject,
		Body:     body,
	}
	if err := Queue(a, m); err != nil {
		return err
	}
	noticesdb.Told(a.Tx, holdReady.ID, h.ID, a.Now, m.ID)
	return nil
}

// WorkOut works out the overdue notices of a stage on a day as a trial run: one message a patron, each loan as it is
// due told of once in each stage. It goes on after one patron, takes a bounded number of patrons, and gives the last of them;
// 0 when there are no more. Nothing is sent.
func WorkOut(a *act.Act, stage int, day calendar.Date, after int64) (int64, error) {
	const patrons = 2000
	s := Overdue[stage]
	from, last := plan.DueBetween(plan.Overdue, stage, day)
	loans, err := noticesdb.OverdueLoans(a.Tx, s.ID, from.UTC(), last.UTC(), after, patrons)
	if err != nil || len(loans) == 0 {
		return 0, err
	}
	mailing, err := noticesdb.MailingOf(a.Tx, s.ID, day.UTC())
	if err != nil {
		return 0, err
	}
	if mailing.State != "trial" { // dealt with already; what has come since is told of tomorrow
		return 0, nil
	}
	var messages []noticesdb.Message
	var groups [][]noticesdb.Overdue
	for len(loans) > 0 {
		n := 1
		for n < len(loans) && loans[n].PatronID == loans[0].PatronID {
			n++
		}
		m, err := s.message(a, loans[:n])
		if err != nil {
			return 0, err
		}
		m.MailingID = &mailing.ID
		messages, groups = append(messages, m), append(groups, loans[:n])
		loans = loans[n:]
	}
	return messages[len(messages)-1].PatronID, noticesdb.AddOverdue(a.Tx, messages, groups)
}

func (s Stage) message(a *act.Act, loans []noticesdb.Overdue) (noticesdb.Message, error) {
	items := make([]map[string]any, len(loans))
	for k := range loans {
		branch, err := a.Network.Branch(loans[k].BranchCode)
		if err != nil {
			return noticesdb.Message{}, err
		}
		due := loansdb.DueOf(loans[k].DueDate, loans[k].DueAt)
		items[k] = map[string]any{"title": loans[k].Title, "due": due.Say(branch), "branch": branch.Name}
	}
	count := "an item"
	if len(loans) > 1 {
		count = calendar.Count(len(loans), "item")
	}
	p := peopledb.Patron{
		LegalName: loans[0].LegalName, PreferredName: loans[0].PreferredName, Email: loans[0].Email,
		Phone:   loans[0].Phone,
		Address: loans[0].Address,
	}
	way, address := reach(loans[0].Notices, person.Overdue, &p)
	subject, body, err := s.write(
		map[string]any{"name": p.Name(), "count": count, "items": items, "network": a.Network.Name},
	)
	return noticesdb.Message{
		Stage: s.ID, PatronID: loans[0].PatronID, Channel: string(way), Address: address, Subject: subject,
		Body:  body,
		Items: len(loans), State: "trial", At: a.Now,
	}, err
}

// StageName is the name of a stage.
func StageName(id string) string {
	for _, s := range append(Overdue, holdReady, lentNow) {
		if s.ID == id {
			return s.Name
		}
	}
	return id
}

// lately is how many messages a patron's page shows.
const lately = 20

// OfPatron gives what a patron was told lately, newest first.
func OfPatron(a *act.Act, patron int64) ([]Message, error) {
	rows, err := noticesdb.MessagesOf(a.Tx, patron, lately)
	out := []Message{}
	for k := range rows {
		out = append(out, showMessage(&rows[k]))
	}
	return out, err
}

// Lent mails a patron what was lent to them, each with its title and when it is due.
func Lent(a *act.Act, p *peopledb.Patron, items []map[string]any) error {
	subject, body, err := lentNow.write(map[string]any{
		"name": p.Name(), "branch": a.Network.BranchName(a.Who.Branch), "items": items, "network": a.Network.Name,
	})
	if err != nil {
		return err
	}
	return Queue(a, &noticesdb.Message{
		Stage: lentNow.ID, PatronID: p.ID, Channel: string(person.ByMail), Address: p.Email,
		Subject: subject, Body: body,
		Items: len(items),
	})
}
