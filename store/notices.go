package store

import (
	"cmp"
	"context"
	"encoding/json"
	"time"

	"nevrin/core/calendar"
)

// AddMessage writes a message and gives it its id.
func (t *Tx) AddMessage(m *Message) (err error) {
	if m.ID, err = t.NextID(); err != nil {
		return err
	}
	t.queue(`INSERT INTO messages (id, mailing_id, stage, patron_id, address, subject, body, items, state, at, channel)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`, m.ID, m.MailingID, m.Stage, m.PatronID, m.Address, m.Subject, m.Body, m.Items,
		m.State, m.At, cmp.Or(m.Channel, "mail"))
	return nil
}

// Told writes that a message tells of a hold as it became ready.
func (t *Tx) Told(stage string, hold int64, ready time.Time, message int64) {
	t.queue("INSERT INTO told (stage, hold_id, due_at, message_id) VALUES ($1, $2, $3, $4)", stage, hold, ready, message)
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

// Overdue gives late loans whose due day at their branch is after one date and up to another, and of which nothing
// was told in a stage as they are due now: patron by patron, from after one patron on, those of a number of patrons.
func (t *Tx) Overdue(stage string, after, last time.Time, from int64, patrons int) ([]Overdue, error) {
	return list[Overdue](t, `WITH late AS (
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

// Mailing gives the mailing of a stage for a day, made where it is not there yet.
func (t *Tx) Mailing(stage string, day time.Time) (*Mailing, error) {
	id, err := t.NextID()
	if err != nil {
		return nil, err
	}
	return one[Mailing](t, `INSERT INTO mailings (id, stage, day, state) VALUES ($1, $2, $3, 'trial')
		ON CONFLICT (stage, day) DO UPDATE SET stage = excluded.stage RETURNING id, stage, day, state, sent_at`, id, stage, day)
}

// AddOverdue writes messages of a mailing, and of which loans each tells.
func (t *Tx) AddOverdue(messages []Message, loans [][]Overdue) error {
	if len(messages) == 0 {
		return nil
	}
	var all []int64
	for k := range messages {
		if err := t.AddMessage(&messages[k]); err != nil {
			return err
		}
		for _, l := range loans[k] {
			all = append(all, l.LoanID)
			t.queue("INSERT INTO told (stage, loan_id, due_date, due_at, message_id) VALUES ($1, $2, $3, $4, $5)",
				messages[k].Stage, l.LoanID, l.DueDate, l.DueAt, messages[k].ID)
		}
	}
	t.queue("UPDATE loans SET told = true WHERE id = ANY($1) AND NOT told", all)
	return t.Flush()
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
func (t *Tx) Mailings(page Page) ([]MailingShown, Page, error) {
	if page.After.Text == "" {
		page.After.Text, page.After.ID = "infinity", 1<<62
	}
	at := func(m *MailingShown) Cursor { return Cursor{Text: DateOf(&m.Day).String(), ID: m.ID} }
	return paged(t, page, at, `SELECT m.id, m.stage, m.day, m.state, m.sent_at, n.*
		FROM mailings m CROSS JOIN LATERAL (SELECT count(*)::int AS patrons, coalesce(sum(s.items), 0)::int AS items,
			count(*) FILTER (WHERE s.address = '')::int AS no_address, count(*) FILTER (WHERE s.state IN ('queued',
				'sending'))::int AS queued,
			count(*) FILTER (WHERE s.state = 'sent')::int AS sent,
				count(*) FILTER (WHERE s.state = 'unclear')::int AS unclear,
				count(*) FILTER (WHERE s.state = 'refused')::int AS refused
			FROM messages s WHERE s.mailing_id = m.id) n
		WHERE $1::bigint = 0 AND (m.day, m.id) < ($2::text::date, $3::bigint) ORDER BY m.day DESC, m.id DESC`)
}

// MessageShown is a message with its patron.
type MessageShown struct {
	Message
	LegalName, PreferredName string
}

const messagesShown = `SELECT s.id, s.mailing_id, s.stage, s.patron_id, s.address, s.subject, s.body, s.items,
		s.state, s.tries, s.problem, s.at, s.begun_at, s.sent_at, s.channel,
		p.legal_name, p.preferred_name FROM messages s JOIN patrons p ON p.id = s.patron_id `

// Messages gives a page of the messages of a mailing.
func (t *Tx) Messages(mailing int64, page Page) ([]MessageShown, Page, error) {
	return paged(t, page, func(m *MessageShown) Cursor { return Cursor{ID: m.ID} },
		messagesShown+"WHERE s.mailing_id = $1 AND $2::bigint = 0 AND s.id > $3 ORDER BY s.id", mailing)
}

// StuckMessages gives messages that are queued, under way or unclear, and those of lately that had no address.
func (t *Tx) StuckMessages(now time.Time, most int) ([]MessageShown, error) {
	return list[MessageShown](t, messagesShown+`WHERE s.id IN (
			SELECT id FROM messages WHERE state IN ('queued', 'sending', 'unclear')
			UNION ALL SELECT id FROM messages WHERE state = 'refused'
			UNION ALL SELECT id FROM messages WHERE state = 'by_hand'
			UNION ALL SELECT id FROM messages WHERE state = 'no_address' AND mailing_id IS NULL
				AND at > $1::timestamptz - interval '7 days')
		ORDER BY s.at DESC, s.id DESC LIMIT $2`, now, most)
}

// MailingLocked locks a mailing and gives it; nil where there is none.
func (t *Tx) MailingLocked(id int64) (*Mailing, error) {
	return one[Mailing](t, "SELECT id, stage, day, state, sent_at FROM mailings WHERE id = $1 FOR UPDATE", id)
}

// SendMailing queues the messages of a trial run but for those left out, which are not told of, so that they come up
// again with the next night. It gives the ids of what is to be sent.
func (t *Tx) SendMailing(id int64, leaveOut []int64, now time.Time) ([]int64, error) {
	left := notNil(leaveOut)
	t.queue(untell, id, left)
	t.queue("UPDATE messages SET state = 'left_out' WHERE mailing_id = $1 AND id = ANY($2)", id, left)
	t.queue(
		"UPDATE messages SET state = CASE WHEN channel <> 'mail' THEN 'by_hand' WHEN address = '' THEN 'no_address' ELSE 'queued' END WHERE mailing_id = $1 AND state = 'trial'",
		id,
	)
	t.queueOne("UPDATE mailings SET state = 'sent', sent_at = $2 WHERE id = $1 AND state = 'trial'", id, now)
	q := &questions{}
	var ids []int64
	askEach(q, &ids, "SELECT id FROM messages WHERE mailing_id = $1 AND state = 'queued' ORDER BY id", id)
	return ids, t.send(q)
}

// DropMailing gives a trial run up; what it told of comes up again. False where it is no trial run.
func (t *Tx) DropMailing(id int64) (bool, error) {
	n, err := t.exec("UPDATE mailings SET state = 'dropped' WHERE id = $1 AND state = 'trial'", id)
	if err != nil || n == 0 {
		return false, err
	}
	_, err = t.exec(untell, id, nil)
	return true, err
}

// SettleMessage decides a message that was told by hand, was refused or, if that is asked for, is unclear; nil where it is none of
// these. One that was refused goes to the address that the patron has now.
func (t *Tx) SettleMessage(id int64, state string, at time.Time, unclear bool) (*Message, error) {
	return one[Message](
		t,
		`UPDATE messages SET state = $2, problem = '', begun_at = NULL, sent_at = CASE $2 WHEN 'sent' THEN $3::timestamptz END,
			tries = CASE state WHEN 'refused' THEN 0 ELSE tries END,
			address = CASE state WHEN 'refused' THEN coalesce((SELECT nullif(p.email, '') FROM patrons p WHERE p.id = patron_id), address)
				ELSE address END
		WHERE id = $1 AND (state = 'unclear' AND $4 OR state = 'refused' OR state = 'by_hand' AND $2 = 'sent') RETURNING id, patron_id, stage, state, channel`,
		id,
		state,
		at,
		unclear,
	)
}

// BeginSending marks a queued message as being sent and gives it; nil where it is not queued any more.
func (s *Store) BeginSending(ctx context.Context, id int64) (*Message, error) {
	var m Message
	done := s.db.WithContext(ctx).
		Raw(`UPDATE messages SET state = 'sending', tries = tries + 1, begun_at = clock_timestamp()
		WHERE id = ? AND state = 'queued' RETURNING *`, id).
		Scan(&m)
	if done.Error != nil || done.RowsAffected == 0 {
		return nil, done.Error
	}
	return &m, nil
}

// SendingFailed writes what becomes of a message that this very attempt did not send, and why it did not.
func (s *Store) SendingFailed(ctx context.Context, m *Message, state, problem string) error {
	return s.db.WithContext(ctx).
		Exec("UPDATE messages SET state = ?, problem = ?, begun_at = NULL WHERE id = ? AND state = 'sending' AND tries = ?", state, problem, m.ID, m.Tries).
		Error
}

// Sent marks a message as sent, if this very attempt is still the last one.
func (t *Tx) Sent(m *Message, now time.Time) (bool, error) {
	n, err := t.exec(
		"UPDATE messages SET state = 'sent', sent_at = $3, problem = '', begun_at = NULL WHERE id = $1 AND tries = $2 AND state IN ('sending', 'unclear')",
		m.ID,
		m.Tries,
		now,
	)
	return n == 1, err
}

// LeftSending marks messages as unclear whose sending began longer ago than an attempt can take: whoever sent them is
// gone. A person decides whether they went.
func (s *Store) LeftSending(ctx context.Context, age time.Duration) (int64, error) {
	done := s.db.WithContext(ctx).
		Exec(`UPDATE messages SET state = 'unclear',
				problem = 'The program stopped while this was being sent. It may have gone.'
		WHERE state = 'sending' AND begun_at < clock_timestamp() - make_interval(secs => ?)`, age.Seconds())
	return done.RowsAffected, done.Error
}

// MessagesOf gives what a patron was told, newest first, up to a number; what is only a trial is not yet said.
func (t *Tx) MessagesOf(patron int64, most int) ([]MessageShown, error) {
	return list[MessageShown](t, messagesShown+"WHERE s.patron_id = $1 AND s.state <> 'trial' ORDER BY s.id DESC LIMIT $2", patron, most)
}

// MessageToCall locks a message of which somebody is told by telephone; nil where there is none.
func (t *Tx) MessageToCall(id int64) (*Message, error) {
	return one[Message](t, `SELECT id, stage, patron_id, channel, address, state, tries FROM messages
		WHERE id = $1 AND channel = 'phone' FOR UPDATE`, id)
}

// CalledFor writes what came of a call: who was reached has been told.
func (t *Tx) CalledFor(id int64, reached bool, says string, at time.Time) {
	t.queueOne(`UPDATE messages SET tries = tries + 1, problem = $3, state = CASE WHEN $2 THEN 'sent' ELSE state END,
		sent_at = CASE WHEN $2 THEN $4::timestamptz END WHERE id = $1 AND state = 'by_hand'`, id, reached, says, at)
}
