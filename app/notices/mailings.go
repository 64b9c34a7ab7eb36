package notices

import (
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/store"
)

// Mailing is a batch with its counts.
type Mailing struct {
	ID        int64         `json:"id"`
	Stage     string        `json:"stage"`
	Day       calendar.Date `json:"day" format:"date"`
	State     string        `json:"state" enum:"trial,sent,dropped"`
	Patrons   int           `json:"patrons"`
	Items     int           `json:"items"`
	NoAddress int           `json:"no_address" doc:"Patrons without a mail address"`
	Queued    int           `json:"queued"`
	Sent      int           `json:"sent"`
	Unclear   int           `json:"unclear"`
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
	State    string     `json:"state"`
	Problem  string     `json:"problem"`
	Items    int        `json:"items"`
	At       time.Time  `json:"at"`
	SentAt   *time.Time `json:"sent_at,omitempty"`
}

// Overview is all mailings of late, and single messages that did not go out.
type Overview struct {
	Mailings []Mailing `json:"mailings"`
	Stuck    []Message `json:"stuck" doc:"Messages queued, unclear or without address, newest first"`
}

// Look lists mailings, newest first, and what is stuck.
func Look(a *act.Act) (Overview, error) {
	out := Overview{Mailings: []Mailing{}, Stuck: []Message{}}
	var rows []struct {
		Mailing
		Date time.Time
	}
	err := a.Raw(`SELECT m.id, m.stage, m.day AS date, m.state, count(*) AS patrons, coalesce(sum(n.items), 0) AS items,
			count(*) FILTER (WHERE s.address = '') AS no_address, count(*) FILTER (WHERE s.state IN ('queued', 'sending')) AS queued,
			count(*) FILTER (WHERE s.state = 'sent') AS sent, count(*) FILTER (WHERE s.state = 'unclear') AS unclear
		FROM mailings m JOIN messages s ON s.mailing_id = m.id
		LEFT JOIN LATERAL (SELECT count(*) AS items FROM told WHERE told.message_id = s.id) n ON true
		GROUP BY m.id ORDER BY m.day DESC, m.id DESC LIMIT 60`).Scan(&rows).Error
	if err != nil {
		return out, err
	}
	for _, r := range rows {
		r.Day = calendar.DateOf(r.Date.UTC())
		r.Stage = StageName(r.Stage)
		out.Mailings = append(out.Mailings, r.Mailing)
	}
	out.Stuck, err = messages(a, "s.mailing_id IS NULL AND s.state = 'no_address' AND s.stage = 'hold_ready' AND s.at > ?::timestamptz - interval '7 days' OR s.state IN ('queued', 'unclear')", 100, a.Now)
	return out, err
}

// Messages lists the messages of one mailing.
func Messages(a *act.Act, mailing int64) ([]Message, error) {
	return messages(a, "s.mailing_id = ?", 5000, mailing)
}

func messages(a *act.Act, where string, most int, args ...any) ([]Message, error) {
	out := []Message{}
	err := a.Raw(`SELECT s.id, s.patron_id, coalesce(nullif(p.preferred_name, ''), p.legal_name) AS patron, s.stage, s.address, s.subject, s.body, s.state, s.problem, s.at, s.sent_at,
			(SELECT count(*) FROM told WHERE told.message_id = s.id) AS items
		FROM messages s JOIN patrons p ON p.id = s.patron_id WHERE `+where+` ORDER BY patron, s.id LIMIT ?`, append(args, most)...).Scan(&out).Error
	for k := range out {
		out[k].Stage = StageName(out[k].Stage)
	}
	return out, err
}

// Send sends a trial run: every message that is not left out is queued, each once.
func Send(a *act.Act, id int64, leaveOut []int64) (Mailing, error) {
	var m store.Mailing
	if err := a.Raw("SELECT * FROM mailings WHERE id = ? FOR UPDATE", id).Scan(&m).Error; err != nil {
		return Mailing{}, err
	}
	switch {
	case m.ID == 0:
		return Mailing{}, act.Problemf(act.Missing, "There is no such mailing.")
	case m.State != "trial":
		return Mailing{}, act.Problemf(act.Refused, "This mailing has been %s already.", m.State)
	}
	if len(leaveOut) > 0 {
		// What is left out is not told of, so that it comes up again with the next night.
		if err := a.Exec("DELETE FROM told USING messages s WHERE told.message_id = s.id AND s.mailing_id = ? AND s.id IN ?", id, leaveOut).Error; err != nil {
			return Mailing{}, err
		}
		if err := a.Exec("UPDATE messages SET state = 'left_out' WHERE mailing_id = ? AND id IN ?", id, leaveOut).Error; err != nil {
			return Mailing{}, err
		}
	}
	if err := a.Exec("UPDATE messages SET state = CASE WHEN address = '' THEN 'no_address' ELSE 'queued' END WHERE mailing_id = ? AND state = 'trial'", id).Error; err != nil {
		return Mailing{}, err
	}
	var ids []int64
	if err := a.Raw("SELECT id FROM messages WHERE mailing_id = ? AND state = 'queued' ORDER BY id", id).Scan(&ids).Error; err != nil {
		return Mailing{}, err
	}
	if a.House.Jobs != nil && len(ids) > 0 {
		jobs := make([]river.InsertManyParams, len(ids))
		for k, message := range ids {
			jobs[k].Args = SendArgs{message}
		}
		if _, err := a.House.Jobs.InsertManyTx(a.Context, store.Tx(a.DB), jobs); err != nil {
			return Mailing{}, err
		}
	}
	if err := a.Exec("UPDATE mailings SET state = 'sent', sent_at = ? WHERE id = ?", a.Now, id).Error; err != nil {
		return Mailing{}, err
	}
	err := a.Tell(act.Happened{Kind: "mailing_sent", Text: StageName(m.Stage) + " of " + calendar.DateOf(m.Day.UTC()).Say() + ": " + calendar.Count(len(ids), "message") + " queued"})
	return Mailing{ID: id, Stage: StageName(m.Stage), Day: calendar.DateOf(m.Day.UTC()), State: "sent", Patrons: len(ids), Queued: len(ids)}, err
}

// Drop gives a trial run up; what it told of comes up again with the next night.
func Drop(a *act.Act, id int64) error {
	done := a.Exec("UPDATE mailings SET state = 'dropped' WHERE id = ? AND state = 'trial'", id)
	if done.Error != nil {
		return done.Error
	}
	if done.RowsAffected == 0 {
		return act.Problemf(act.Refused, "Only a trial run can be dropped.")
	}
	return a.Exec("DELETE FROM told USING messages s WHERE told.message_id = s.id AND s.mailing_id = ?", id).Error
}

// Settle decides an unclear message: it went, or it is queued again.
func Settle(a *act.Act, id int64, again bool) error {
	state := "sent"
	if again {
		state = "queued"
	}
	done := a.Exec("UPDATE messages SET state = ?, problem = '' WHERE id = ? AND state = 'unclear'", state, id)
	if done.Error != nil {
		return done.Error
	}
	if done.RowsAffected == 0 {
		return act.Problemf(act.Refused, "This message is not unclear.")
	}
	return enqueue(a, store.Message{ID: id, State: state})
}
