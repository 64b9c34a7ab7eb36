package noticesdb

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/store"
)

// Mailing is a run: the notices of a plan on a day.
type Mailing struct {
	ID       int64
	Plan     string
	Day      time.Time
	State    string
	SentAt   *time.Time
	Messages *int       // how many it told, once that is counted
	SendAt   *time.Time // when a trial run is sent by itself; nil: never
}

const mailingColumns = "m.id, m.plan, m.day, m.state, m.sent_at, m.messages, m.send_at"

// MailingOf gives the run of a plan on a day, and creates it if needed.
func MailingOf(tx *store.Tx, code string, day time.Time) (*Mailing, error) {
	id, err := tx.NextID()
	if err != nil {
		return nil, err
	}
	return store.One[Mailing](tx, `INSERT INTO mailings AS m (id, plan, day, state) VALUES ($1, $2, $3, 'trial')
		ON CONFLICT (plan, day) DO UPDATE SET plan = excluded.plan RETURNING `+mailingColumns, id, code, day)
}

// MailingLocked locks a run and gives it; nil if there is none.
func MailingLocked(tx *store.Tx, id int64) (*Mailing, error) {
	return store.One[Mailing](tx, "SELECT "+mailingColumns+" FROM mailings m WHERE m.id = $1 FOR UPDATE", id)
}

// Count is the number of recipients and of notices of a run in one state by one channel.
type Count struct {
	MailingID int64
	Channel   person.Way
	State     string // of notices, or of their message where they have one
	People    int
	Things    int
}

// Counts counts runs.
func Counts(tx *store.Tx, mailings []int64) ([]Count, error) {
	return store.List[Count](tx, `SELECT n.mailing_id, n.channel, coalesce(m.state, n.state) AS state,
			count(DISTINCT n.recipient_id)::int AS people, count(*)::int AS things
		FROM notices n LEFT JOIN messages m ON m.id = n.message_id WHERE n.mailing_id = ANY($1)
		GROUP BY 1, 2, 3 ORDER BY 1, 2, 3`, mailings)
}

// Mailings gives a page of the runs, newest first.
func Mailings(tx *store.Tx, page store.Page) ([]Mailing, store.Page, error) {
	if page.After.Text == "" {
		page.After.Text, page.After.ID = "infinity", 1<<62
	}
	at := func(m *Mailing) store.Cursor { return store.Cursor{Text: store.DateOf(&m.Day).String(), ID: m.ID} }
	return store.Paged(tx, page, at, "SELECT "+mailingColumns+` FROM mailings m
		WHERE $1::bigint = 0 AND (m.day, m.id) < ($2::text::date, $3::bigint) ORDER BY m.day DESC, m.id DESC`)
}

// PastOf gives, for each run, the numbers of messages of its plan's earlier sent runs, latest first.
func PastOf(tx *store.Tx, mailings []int64, most int) (map[int64][]int, error) {
	rows, err := store.List[struct {
		ID       int64
		Messages []int
	}](tx, `SELECT m.id, coalesce((SELECT array_agg(o.messages ORDER BY o.day DESC) FROM (SELECT day, messages FROM mailings
				WHERE plan = m.plan AND day < m.day AND messages IS NOT NULL ORDER BY day DESC LIMIT $2) o), '{}') AS messages
			FROM mailings m WHERE m.id = ANY($1)`, mailings, most)
	out := map[int64][]int{}
	for _, r := range rows {
		out[r.ID] = r.Messages
	}
	return out, err
}

// Trials locks the trial runs of a day and gives them.
func Trials(tx *store.Tx, day time.Time) ([]Mailing, error) {
	return store.List[Mailing](tx, "SELECT "+mailingColumns+" FROM mailings m WHERE m.day = $1 AND m.state = 'trial' ORDER BY m.id FOR UPDATE", day)
}

// Person is a recipient in a run, with what they get by one channel.
type Person struct {
	RecipientID               int64
	LegalName, PreferredName  string
	Email, Phone              string
	Address, PostalCode, Town string
	BranchCode                calendar.Code // their home branch
	Channel                   person.Way
	State, Reason             string // of the notices, or of the message in which they went
	Problem                   string
	MessageID                 *int64
	Things                    int
	Titles                    *string // a few of them
	About                     string  // of whom it is told, where that is somebody else
}

// People is the part of a run that is asked for.
type People struct {
	Mailing int64
	Channel person.Way    // empty: all
	Branch  calendar.Code // where something was lent or waits; empty: all
	None    bool          // those alone who cannot be reached
	Words   string        // in the name, in small letters; empty: all
}

// PeopleOf gives a page of a run's recipients, in the order of their ids.
func PeopleOf(tx *store.Tx, which People, page store.Page) ([]Person, store.Page, error) {
	at := func(p *Person) store.Cursor {
		return store.Cursor{ID: p.RecipientID, Text: string(p.Channel) + " " + p.State}
	}
	return store.Paged(tx, page, at, `WITH those AS (SELECT DISTINCT n.recipient_id AS id FROM notices n JOIN patrons p ON p.id = n.recipient_id
			WHERE n.mailing_id = $1 AND ($2 = '' OR n.channel = $2) AND ($3 = '' OR n.branch_code = $3) AND (NOT $4::boolean OR n.channel = '')
				AND ($5 = '' OR position($5 IN lower(p.legal_name || ' ' || p.preferred_name)) > 0)
				AND $6::bigint = 0 AND n.recipient_id >= $8 ORDER BY 1 LIMIT $9)
		SELECT p.id AS recipient_id, p.legal_name, p.preferred_name, p.email, p.phone, p.address, p.postal_code, p.town, p.branch_code, g.*
		FROM those JOIN patrons p ON p.id = those.id CROSS JOIN LATERAL (
			SELECT n.channel, coalesce(m.state, n.state) AS state, max(n.reason) AS reason, max(coalesce(m.problem, '')) AS problem,
				max(n.message_id) AS message_id, count(*)::int AS things, left(string_agg(DISTINCT t.name, ', '), 200) AS titles,
				coalesce(string_agg(DISTINCT CASE WHEN n.patron_id <> n.recipient_id
					THEN coalesce(nullif(o.preferred_name, ''), o.legal_name) END, ', '), '') AS about
			FROM notices n LEFT JOIN messages m ON m.id = n.message_id LEFT JOIN loans l ON l.id = n.loan_id
				LEFT JOIN holds h ON h.id = n.hold_id LEFT JOIN items i ON i.id = coalesce(l.item_id, h.item_id)
				LEFT JOIN titles t ON t.id = coalesce(i.title_id, h.title_id) LEFT JOIN patrons o ON o.id = n.patron_id
			WHERE n.mailing_id = $1 AND n.recipient_id = p.id AND ($2 = '' OR n.channel = $2) AND ($3 = '' OR n.branch_code = $3)
				AND (NOT $4::boolean OR n.channel = '')
			GROUP BY n.channel, coalesce(m.state, n.state)) g
		WHERE (p.id, g.channel || ' ' || g.state) > ($8, $7)
		ORDER BY p.id, g.channel || ' ' || g.state`, which.Mailing, which.Channel, which.Branch, which.None, which.Words)
}

// LeaveOut leaves a recipient out of a trial run by one channel, or includes them again, and gives the number of notices.
func LeaveOut(tx *store.Tx, mailing, recipient int64, channel person.Way, out bool, reason string) (int64, error) {
	from, to := "trial", "left_out"
	if !out {
		from, to = to, from
	}
	return tx.Exec(`UPDATE notices n SET state = $4, reason = $6 WHERE mailing_id = $1 AND recipient_id = $2 AND channel = $3 AND state = $5
		AND ($4 = 'left_out' OR NOT EXISTS (SELECT 1 FROM notices o WHERE o.id <> n.id AND o.state IN ('trial', 'approved', 'told')
			AND o.loan_id IS NOT DISTINCT FROM n.loan_id AND o.hold_id IS NOT DISTINCT FROM n.hold_id AND o.patron_id = n.patron_id
			AND o.kind = n.kind AND o.stage = n.stage AND o.due_date IS NOT DISTINCT FROM n.due_date
			AND o.due_at IS NOT DISTINCT FROM n.due_at))`, mailing, recipient, channel, to, from, reason)
}

// LeaveOutTitle leaves all notices about a title out of a trial run, and gives their number.
func LeaveOutTitle(tx *store.Tx, mailing, title int64, reason string) (int64, error) {
	return tx.Exec(`UPDATE notices n SET state = 'left_out', reason = $3 WHERE mailing_id = $1 AND state = 'trial' AND EXISTS (
		SELECT 1 FROM items i LEFT JOIN loans l ON l.item_id = i.id LEFT JOIN holds h ON h.item_id = i.id
		WHERE i.title_id = $2 AND (l.id = n.loan_id OR h.id = n.hold_id))`, mailing, title, reason)
}

// Approve marks a trial run and all its notices that are not left out as ready to be sent.
func Approve(tx *store.Tx, id int64, now time.Time) {
	tx.QueueOne("UPDATE mailings SET state = 'sending', sent_at = $2 WHERE id = $1 AND state = 'trial'", id, now)
	tx.Queue("UPDATE notices SET state = 'approved' WHERE mailing_id = $1 AND state = 'trial'", id)
}

// SendAt sets when a trial run is sent by itself; nil: never. False if it is not a trial run any more.
func SendAt(tx *store.Tx, id int64, at *time.Time) (bool, error) {
	n, err := tx.Exec("UPDATE mailings SET send_at = $2 WHERE id = $1 AND state = 'trial'", id, at)
	return n == 1, err
}

// ToSendNow locks and gives the trial runs whose time has come.
func ToSendNow(tx *store.Tx, now time.Time) ([]Mailing, error) {
	return store.List[Mailing](tx, "SELECT "+mailingColumns+" FROM mailings m WHERE m.state = 'trial' AND m.send_at <= $1 ORDER BY m.id FOR UPDATE", now)
}

// Drop discards a trial run. False if it is not a trial run any more.
func Drop(tx *store.Tx, id int64) (bool, error) {
	n, err := tx.Exec("UPDATE mailings SET state = 'dropped', send_at = NULL WHERE id = $1 AND state = 'trial'", id)
	if err != nil || n == 0 {
		return false, err
	}
	_, err = tx.Exec("UPDATE notices SET state = 'dropped' WHERE mailing_id = $1 AND state = 'trial'", id)
	return true, err
}

// Stop holds back the messages of a run that have not been sent, and gives their number. False if the run is not being sent.
func Stop(tx *store.Tx, id int64) (int64, bool, error) {
	n, err := tx.Exec("UPDATE mailings SET state = 'stopped' WHERE id = $1 AND state IN ('sending', 'sent')", id)
	if err != nil || n == 0 {
		return 0, false, err
	}
	held, err := tx.Exec("UPDATE messages SET state = 'stopped' WHERE mailing_id = $1 AND state = 'queued'", id)
	return held, true, err
}

// GoOn continues a stopped run, and gives the messages to send.
func GoOn(tx *store.Tx, id int64) ([]int64, bool, error) {
	n, err := tx.Exec("UPDATE mailings SET state = 'sending' WHERE id = $1 AND state = 'stopped'", id)
	if err != nil || n == 0 {
		return nil, false, err
	}
	ids, err := store.Each[int64](tx, "UPDATE messages SET state = 'queued' WHERE mailing_id = $1 AND state = 'stopped' RETURNING id", id)
	return ids, true, err
}

// Approved locks and gives the approved notices of a run's next recipients, including those from other runs that are being sent, so that
// each recipient gets one message by each channel. Last is the last of these recipients; 0 when there are no more.
func Approved(tx *store.Tx, mailing, after int64, most int) (notices []Notice, last int64, err error) {
	those, err := store.Each[int64](tx, `SELECT DISTINCT recipient_id FROM notices WHERE mailing_id = $1 AND state = 'approved' AND recipient_id > $2
		ORDER BY recipient_id LIMIT $3`, mailing, after, most)
	if err != nil || len(those) == 0 {
		return nil, 0, err
	}
	notices, err = store.List[Notice](tx, `SELECT n.* FROM notices n JOIN mailings m ON m.id = n.mailing_id
		WHERE n.recipient_id = ANY($1) AND n.state = 'approved' AND m.state = 'sending'
		ORDER BY n.recipient_id, n.channel, n.id FOR UPDATE OF n`, those)
	return notices, those[len(those)-1], err
}

// Tell assigns notices to a message.
func Tell(tx *store.Tx, notices []int64, message int64) {
	tx.Queue("UPDATE notices SET state = 'told', message_id = $2 WHERE id = ANY($1)", notices, message)
}

// Ended marks a run as sent and stores its number of recipients.
func Ended(tx *store.Tx, id int64) {
	tx.Queue(`UPDATE mailings m SET state = 'sent', messages = (SELECT count(DISTINCT (recipient_id, channel)) FROM notices n
		WHERE n.mailing_id = m.id AND n.message_id IS NOT NULL) WHERE id = $1 AND state = 'sending'`, id)
}

// InUse tells whether there are runs of a plan.
func InUse(tx *store.Tx, code string) (bool, error) {
	return store.Value[bool](tx, "SELECT EXISTS (SELECT 1 FROM mailings WHERE plan = $1)", code)
}
