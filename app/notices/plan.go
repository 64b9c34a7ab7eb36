package notices

import (
	"fmt"
	"strings"

	"github.com/osteele/liquid"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/plan"
	"nevrin/store"
)

// Stage is one kind of notice with its wording, a liquid template.
type Stage struct {
	ID, Name      string
	Subject, Body string
}

// Overdue are the wordings of the stages of overdue notices, in the order of plan.Overdue.
var Overdue = []Stage{
	{ID: "overdue_1", Name: "Overdue, first", Subject: "Please bring back {{ count }}",
		Body: "Dear {{ name }},\n\nthese are past their date:\n\n{% for i in items %}  {{ i.title }}, due {{ i.due }} ({{ i.branch }})\n{% endfor %}\nIf they are on their way back already, thank you, and please take no notice of this.\n\n{{ network }}\n"},
	{ID: "overdue_2", Name: "Overdue, second", Subject: "Still waiting for {{ count }}",
		Body: "Dear {{ name }},\n\nwe have written about these before. Others may be waiting for them:\n\n{% for i in items %}  {{ i.title }}, due {{ i.due }} ({{ i.branch }})\n{% endfor %}\nPlease bring them to any branch, or talk to us.\n\n{{ network }}\n"},
}

var holdReady = Stage{ID: "hold_ready", Name: "Hold ready", Subject: "Ready for you: {{ title }}",
	Body: "Dear {{ name }},\n\n{{ title }} waits for you at {{ branch }} until {{ until }}.\n\n{{ network }}\n"}

var engine = liquid.NewEngine()

func (s Stage) write(with map[string]any) (subject, body string, err error) {
	if subject, err = engine.ParseAndRenderString(s.Subject, with); err != nil {
		return "", "", fmt.Errorf("wording of %s: %w", s.Name, err)
	}
	body, err = engine.ParseAndRenderString(s.Body, with)
	return subject, body, err
}

// HoldReady tells a patron that a hold waits for them.
func HoldReady(a *act.Act, h *store.Hold, title, branch string, until calendar.Date) error {
	subject, body, err := holdReady.write(map[string]any{"name": h.Patron.Name(), "title": title, "branch": branch, "until": until.Say(), "network": a.Network.Name})
	if err != nil {
		return err
	}
	m, err := Queue(a, store.Message{Stage: holdReady.ID, PatronID: h.PatronID, Address: h.Patron.Email, Subject: subject, Body: body})
	if err != nil {
		return err
	}
	return a.Exec("INSERT INTO told (stage, hold_id, due, message_id) VALUES (?, ?, ?, ?)", holdReady.ID, h.ID, until.String()+" "+a.Now.UTC().Format("150405.000000"), m.ID).Error
}

// late is one late loan to be told of.
type late struct {
	LoanID   int64
	PatronID int64
	Name     string
	Email    string
	Title    string
	Branch   string
	Due      string
}

// WorkOut works out the overdue notices of a day as trial runs, one mailing a stage: one message a
// patron, each loan and due date told of once in each stage. Nothing is sent.
func WorkOut(a *act.Act, day calendar.Date) error {
	for k, s := range Overdue {
		after, last := plan.DueBetween(plan.Overdue, k, day)
		if err := workOutStage(a, s, after, last, day); err != nil {
			return err
		}
	}
	return nil
}

func workOutStage(a *act.Act, s Stage, after, last, day calendar.Date) error {
	var loans []late
	err := a.Raw(`SELECT l.id AS loan_id, p.id AS patron_id, coalesce(nullif(p.preferred_name, ''), p.legal_name) AS name, p.email, t.name AS title,
			b.name AS branch, l.due_date::text AS due
		FROM loans l JOIN patrons p ON p.id = l.patron_id JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id JOIN branches b ON b.code = l.branch_code
		WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.due_date <= ?::date AND l.due_date > ?::date AND p.class <> 'partner'
		AND NOT EXISTS (SELECT 1 FROM told WHERE told.loan_id = l.id AND told.stage = ? AND told.due = l.due_date::text)
		ORDER BY p.id, l.due_date, l.id`, last.String(), after.String(), s.ID).Scan(&loans).Error
	if err != nil || len(loans) == 0 {
		return err
	}
	mailing := store.Mailing{Stage: s.ID, Day: day.UTC(), State: "trial"}
	if err := a.Create(&mailing).Error; err != nil {
		return err
	}
	var messages []store.Message
	var groups [][]late
	for len(loans) > 0 {
		n := 1
		for n < len(loans) && loans[n].PatronID == loans[0].PatronID {
			n++
		}
		m, err := s.message(a, loans[:n])
		if err != nil {
			return err
		}
		m.MailingID = &mailing.ID
		messages, groups = append(messages, m), append(groups, loans[:n])
		loans = loans[n:]
	}
	if err := a.CreateInBatches(&messages, 500).Error; err != nil {
		return err
	}
	var told []map[string]any
	for k, g := range groups {
		for _, l := range g {
			told = append(told, map[string]any{"stage": s.ID, "loan_id": l.LoanID, "due": l.Due, "message_id": messages[k].ID})
		}
	}
	return a.Table("told").CreateInBatches(told, 1000).Error
}

func (s Stage) message(a *act.Act, loans []late) (store.Message, error) {
	items := make([]map[string]any, len(loans))
	for k, l := range loans {
		due, err := calendar.ParseDate(l.Due)
		if err != nil {
			return store.Message{}, err
		}
		items[k] = map[string]any{"title": l.Title, "due": due.Say(), "branch": l.Branch}
	}
	count := "an item"
	if len(loans) > 1 {
		count = calendar.Count(len(loans), "item")
	}
	subject, body, err := s.write(map[string]any{"name": loans[0].Name, "count": count, "items": items, "network": a.Network.Name})
	return store.Message{Stage: s.ID, PatronID: loans[0].PatronID, Address: strings.TrimSpace(loans[0].Email), Subject: subject, Body: body, State: "trial", At: a.Now}, err
}

// StageName is the name of a stage.
func StageName(id string) string {
	for _, s := range append(Overdue, holdReady) {
		if s.ID == id {
			return s.Name
		}
	}
	return id
}
