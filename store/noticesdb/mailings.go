package noticesdb

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/store"
)

// Mailing is one batch of notices of a stage for a day.
type Mailing struct {
	ID     int64
	Stage  string
	Day    time.Time `gorm:"type:date"`
	State  string
	SentAt *time.Time
}

// Overdue is a late loan to be told of.
type Overdue struct {
	LoanID, PatronID         int64
	LegalName, PreferredName string
	Email, Phone, Title      string
	Address                  string // of the post, with town
	Notices                  json.RawMessage
	BranchCode               calendar.Code
	DueDate, DueAt           *time.Time
}

// OverdueLoans gives late loans whose due day at their branch is after one date and up to another, and of which nothing
// was told in a stage as they are due now: patron by patron, from after one patron on, those of a number of patrons.
func OverdueLoans(tx *store.Tx, stage string, after, last time.Time, from int64, patrons int) ([]Overdue, error) {
	return store.List[Overdue](tx, `WITH late AS (
			SELECT l.id, l.patron_id FROM branches b JOIN loans l ON l.branch_code = b.code AND l.due_date > $2
				AND l.due_date <= $3
			WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.patron_id > $4
			UNION ALL
			SELECT l.id, l.patron_id FROM loans l JOIN branches b ON b.code = l.branch_code
			WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.due_at > $2::date::timestamptz
				AND l.due_at < $3::date::timestamptz + interval '3 days'
				AND (l.due_at AT TIME ZONE b.timezone)::date > $2 AND (l.due_at AT TIME ZONE b.timezone)::date <= $3
					AND l.patron_id > $4),
		open AS (SELECT late.id, late.patron_id FROM late JOIN loans l ON l.id = late.id
			WHERE NOT EXISTS (SELECT 1 FROM claims c WHERE c.loan_id = l.id AND c.undone_at IS NULL)
				AND NOT EXISTS (SELECT 1 FROM told WHERE told.loan_id = l.id AND told.stage = $1
				AND told.due_date IS NOT DISTINCT FROM l.due_date AND told.due_at IS NOT DISTINCT FROM l.due_at)),
		those AS (SELECT DISTINCT patron_id FROM open ORDER BY patron_id LIMIT $5)
		SELECT l.id AS loan_id, p.id AS patron_id, p.legal_name, p.preferred_name, p.email, p.phone,
			concat_ws(', ', nullif(p.address, ''),
				nullif(concat_ws(' ', nullif(p.postal_code, ''), nullif(p.town, '')), '')) AS address,
			p.notices, t.name AS title,
			l.branch_code, l.due_date, l.due_at
		FROM open JOIN those ON those.patron_id = open.patron_id JOIN loans l ON l.id = open.id
			JOIN patrons p ON p.id = l.patron_id
		JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id WHERE p.class <> 'partner'
		ORDER BY p.id, coalesce(l.due_date, l.due_at), l.id`, stage, after, last, from, patrons)
}

// MailingOf gives the mailing of a stage for a day, made where it is not there yet.
func MailingOf(tx *store.Tx, stage string, day time.Time) (*Mailing, error) {
	id, err := tx.NextID()
	if err != nil {
		return nil, err
	}
	return store.One[Mailing](tx, `INSERT INTO mailings (id, stage, day, state) VALUES ($1, $2, $3, 'trial')
		ON CONFLICT (stage, day) DO UPDATE SET stage = excluded.stage RETURNING id, stage, day, state, sent_at`, id, stage, day)
}

// AddOverdue writes messages of a mailing, and of which loans each tells.
func AddOverdue(tx *store.Tx, messages []Message, loans [][]Overdue) error {
	if len(messages) == 0 {
		return nil
	}
	var all []int64
	for k := range messages {
		if err := AddMessage(tx, &messages[k]); err != nil {
			return err
		}
		for _, l := range loans[k] {
			all = append(all, l.LoanID)
			tx.Queue("INSERT INTO told (stage, loan_id, due_date, due_at, message_id) VALUES ($1, $2, $3, $4, $5)",
				messages[k].Stage, l.LoanID, l.DueDate, l.DueAt, messages[k].ID)
		}
	}
	tx.Queue("UPDATE loans SET told = true WHERE id = ANY($1) AND NOT told", all)
	return tx.Flush()
}

// untell drops what messages of a mailing told of, all or some of them, so that it comes up again.
const untell = `WITH gone AS (DELETE FROM told USING messages s WHERE told.message_id = s.id AND s.mailing_id = $1
		AND ($2::bigint[] IS NULL OR s.id = ANY($2)) RETURNING told.loan_id, told.stage)
	UPDATE loans l SET told = EXISTS (SELECT 1 FROM told o WHERE o.loan_id = l.id
			AND o.due_date IS NOT DISTINCT FROM l.due_date AND o.due_at IS NOT DISTINCT FROM l.due_at
			AND o.stage <> gone.stage)
	FROM gone WHERE gone.loan_id = l.id`

// MailingShown is a mailing with its counts.
type MailingShown struct {
	Mailing
	Patrons, Items, NoAddress, Queued, Sent, Unclear, Refused int
}

// Mailings gives a page of the mailings, newest first.
func Mailings(tx *store.Tx, page store.Page) ([]MailingShown, store.Page, error) {
	if page.After.Text == "" {
		page.After.Text, page.After.ID = "infinity", 1<<62
	}
	at := func(m *MailingShown) store.Cursor { return store.Cursor{Text: store.DateOf(&m.Day).String(), ID: m.ID} }
	return store.Paged(tx, page, at, `SELECT m.id, m.stage, m.day, m.state, m.sent_at, n.*
		FROM mailings m CROSS JOIN LATERAL (SELECT count(*)::int AS patrons, coalesce(sum(s.items), 0)::int AS items,
			count(*) FILTER (WHERE s.address = '')::int AS no_address, count(*) FILTER (WHERE s.state IN ('queued',
				'sending'))::int AS queued,
			count(*) FILTER (WHERE s.state = 'sent')::int AS sent,
				count(*) FILTER (WHERE s.state = 'unclear')::int AS unclear,
				count(*) FILTER (WHERE s.state = 'refused')::int AS refused
			FROM messages s WHERE s.mailing_id = m.id) n
		WHERE $1::bigint = 0 AND (m.day, m.id) < ($2::text::date, $3::bigint) ORDER BY m.day DESC, m.id DESC`)
}

// firstState is plan.First in SQL, for a message.
var firstState = func() string {
	var sql strings.Builder
	sql.WriteString("CASE channel")
	for _, way := range []person.Way{person.ByMail, person.ByPhone, person.ByLetter} {
		fmt.Fprintf(&sql, " WHEN '%s' THEN CASE address WHEN '' THEN '%s' ELSE '%s' END", way, plan.First(way, ""), plan.First(way, "an address"))
	}
	return sql.String() + " END"
}()

// MailingLocked locks a mailing and gives it; nil where there is none.
func MailingLocked(tx *store.Tx, id int64) (*Mailing, error) {
	return store.One[Mailing](tx, "SELECT id, stage, day, state, sent_at FROM mailings WHERE id = $1 FOR UPDATE", id)
}

// SendMailing queues the messages of a trial run but for those left out, which are not told of, so that they come up
// again with the next night. It gives the ids of what is to be sent.
func SendMailing(tx *store.Tx, id int64, leaveOut []int64, now time.Time) ([]int64, error) {
	left := store.NotNil(leaveOut)
	tx.Queue(untell, id, left)
	tx.Queue("UPDATE messages SET state = 'left_out' WHERE mailing_id = $1 AND id = ANY($2)", id, left)
	tx.Queue("UPDATE messages SET state = "+firstState+" WHERE mailing_id = $1 AND state = 'trial'", id)
	tx.QueueOne("UPDATE mailings SET state = 'sent', sent_at = $2 WHERE id = $1 AND state = 'trial'", id, now)
	q := &store.Questions{}
	var ids []int64
	store.AskEach(q, &ids, "SELECT id FROM messages WHERE mailing_id = $1 AND state = 'queued' ORDER BY id", id)
	return ids, tx.Send(q)
}

// DropMailing gives a trial run up; what it told of comes up again. False where it is no trial run.
func DropMailing(tx *store.Tx, id int64) (bool, error) {
	n, err := tx.Exec("UPDATE mailings SET state = 'dropped' WHERE id = $1 AND state = 'trial'", id)
	if err != nil || n == 0 {
		return false, err
	}
	_, err = tx.Exec(untell, id, nil)
	return true, err
}
