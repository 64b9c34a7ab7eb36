package noticesdb

import (
	"cmp"
	"context"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/store"
	"nevrin/store/peopledb"
)

// Message is one message to one patron.
type Message struct {
	ID        int64
	MailingID *int64
	Kind      plan.Kind // the first of what it tells
	PatronID  int64     // who gets it
	Patron    *peopledb.Patron
	Channel   person.Way
	Address   string
	Subject   string // empty until it leaves
	Body      string
	Items     int // of how many things it tells
	State     string
	Tries     int
	Problem   string
	At        time.Time
	BegunAt   *time.Time // real time at which the attempt under way began
	SentAt    *time.Time

	Gateway     string     // of a text message: where the gateway tells what became of it
	DeliveredAt *time.Time // as the gateway said
	AskedAt     *time.Time // real time of the last question to the gateway
	Stop        *string    // by which its recipient can opt out
	AgainAt     *time.Time // of a call: when it is to be tried again
	CallerID    *int64     // of a call: who is at it, since CallingAt
	CallingAt   *time.Time
}

// AddMessage writes a message and gives it its id.
func AddMessage(tx *store.Tx, m *Message) (err error) {
	if m.ID, err = tx.NextID(); err != nil {
		return err
	}
	tx.Queue(`INSERT INTO messages (id, mailing_id, kind, patron_id, address, subject, body, items, state, at, channel)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`, m.ID, m.MailingID, m.Kind, m.PatronID, m.Address, m.Subject, m.Body, m.Items,
		m.State, m.At, cmp.Or(m.Channel, "mail"))
	return nil
}

// MessageShown is a message with its patron.
type MessageShown struct {
	Message
	LegalName, PreferredName string
}

const messagesShown = `SELECT s.id, s.mailing_id, s.kind, s.patron_id, s.address, s.subject, s.body, s.items,
		s.state, s.tries, s.problem, s.at, s.begun_at, s.sent_at, s.channel, s.gateway, s.delivered_at,
		p.legal_name, p.preferred_name FROM messages s JOIN patrons p ON p.id = s.patron_id `

// MessagesByID gives messages by their ids.
func MessagesByID(tx *store.Tx, ids []int64) ([]MessageShown, error) {
	return store.List[MessageShown](tx, messagesShown+"WHERE s.id = ANY($1) ORDER BY s.id", ids)
}

// LettersToPost gives the letters waiting to be posted, of a branch's patrons or of all, in postal order.
func LettersToPost(tx *store.Tx, branch calendar.Code, most int) ([]Message, error) {
	return store.List[Message](tx, `SELECT s.id, s.kind, s.patron_id, s.subject, s.body, s.state, s.at, s.channel FROM messages s
			JOIN patrons p ON p.id = s.patron_id
		WHERE s.state = 'by_hand' AND s.channel = 'letter' AND ($1 = '' OR p.branch_code = $1)
		ORDER BY p.postal_code, p.town, p.address, s.id LIMIT $2`, branch, most)
}

// ByHand gives calls and letters that wait, the oldest first.
func ByHand(tx *store.Tx, most int) ([]int64, error) {
	return store.Each[int64](tx, "SELECT id FROM messages WHERE state = 'by_hand' ORDER BY at, id LIMIT $1", most)
}

// PostedAs marks a letter as posted, with what it said.
func PostedAs(tx *store.Tx, id int64, subject, body string, at time.Time) {
	tx.QueueOne(`UPDATE messages SET state = 'sent', sent_at = $4, subject = $2, body = $3, problem = '' WHERE id = $1 AND state = 'by_hand'
		AND channel = 'letter'`, id, subject, body, at)
}

// StuckMessages gives messages that are stopped, queued, under way or unclear, and those of lately that had no address, newest first. Each
// sort is read from its own end: right after a large run is made, the database has no notion yet of how many wait.
func StuckMessages(tx *store.Tx, now time.Time, most int) ([]MessageShown, error) {
	const newest = " ORDER BY at DESC, id DESC LIMIT $2) "
	return store.List[MessageShown](tx, messagesShown+`JOIN (
			(SELECT id, at FROM messages WHERE state IN ('queued', 'sending', 'unclear', 'stopped')`+newest+`
			UNION ALL (SELECT id, at FROM messages WHERE state = 'refused'`+newest+`
			UNION ALL (SELECT id, at FROM messages WHERE state = 'no_address' AND mailing_id IS NULL
				AND at > $1::timestamptz - interval '7 days'`+newest+`
			ORDER BY at DESC, id DESC LIMIT $2) latest ON latest.id = s.id
		ORDER BY s.at DESC, s.id DESC`, now, most)
}

// SettleMessage decides a message that was refused or, if that is asked for, is unclear; nil where it is neither. One that was refused goes to the address that the patron has now. A text message gets a new time, which is part of its key.
func SettleMessage(tx *store.Tx, id int64, state string, at time.Time, unclear bool) (*Message, error) {
	return store.One[Message](
		tx,
		`UPDATE messages SET state = $2, problem = '', begun_at = NULL, sent_at = CASE $2 WHEN 'sent' THEN $3::timestamptz END,
			tries = CASE state WHEN 'refused' THEN 0 ELSE tries END,
			address = CASE state WHEN 'refused' THEN coalesce((SELECT nullif(CASE channel WHEN 'text' THEN p.text_number ELSE p.email END, '')
				FROM patrons p WHERE p.id = patron_id), address) ELSE address END,
			at = CASE WHEN $2 = 'queued' AND channel = 'text' THEN $3 ELSE at END
		WHERE id = $1 AND (state = 'unclear' AND $4 OR state = 'refused') RETURNING id, patron_id, kind, state, channel`,
		id,
		state,
		at,
		unclear,
	)
}

// ToSend locks a message that is queued and gives it; nil where it is not any more.
func ToSend(tx *store.Tx, id int64) (*Message, error) {
	return store.One[Message](tx, "SELECT * FROM messages WHERE id = $1 AND state = 'queued' FOR UPDATE", id)
}

// Gathered queues the message that is being gathered for a recipient and channel, and gives its id; 0 if there is none.
func Gathered(tx *store.Tx, patron int64, channel string) (int64, error) {
	return store.Value[int64](tx, "UPDATE messages SET state = 'queued' WHERE patron_id = $1 AND channel = $2 AND state = 'gathering' RETURNING id",
		patron, channel)
}

// BeginSending marks a message as being sent and stores the text that it is sent with.
func BeginSending(tx *store.Tx, m *Message) {
	m.Tries++
	tx.QueueOne(`UPDATE messages SET state = 'sending', tries = tries + 1, begun_at = clock_timestamp(), subject = $2, body = $3, items = $4, kind = $5,
		stop = $6 WHERE id = $1 AND state = 'queued'`, m.ID, m.Subject, m.Body, m.Items, m.Kind, m.Stop)
}

// KeepText stores the text of a message that was passed on by hand.
func KeepText(tx *store.Tx, id int64, subject, body string) {
	tx.Queue("UPDATE messages SET subject = $2, body = $3 WHERE id = $1 AND body = ''", id, subject, body)
}

// Overtaken closes a message that is no longer needed, with the reason.
func Overtaken(tx *store.Tx, id int64, reason string) {
	tx.Queue("UPDATE messages SET state = 'overtaken', problem = $2 WHERE id = $1", id, reason)
}

// SendingFailed writes what becomes of a message that this very attempt did not send, and why it did not.
func SendingFailed(ctx context.Context, s *store.Store, m *Message, state, problem string) error {
	return s.ORM(ctx).
		Exec("UPDATE messages SET state = ?, problem = ?, begun_at = NULL WHERE id = ? AND state = 'sending' AND tries = ?", state, problem, m.ID, m.Tries).
		Error
}

// Sent marks a message as sent, if this very attempt is still the last one.
func Sent(tx *store.Tx, m *Message, now time.Time) (bool, error) {
	n, err := tx.Exec(
		"UPDATE messages SET state = 'sent', sent_at = $3, problem = '', begun_at = NULL, gateway = $4 WHERE id = $1 AND tries = $2 AND state IN ('sending', 'unclear')",
		m.ID,
		m.Tries,
		now,
		m.Gateway,
	)
	return n == 1, err
}

// LeftSending marks messages as unclear whose sending began longer ago than an attempt can take: whoever sent them is
// gone. A person decides whether they went.
func LeftSending(ctx context.Context, s *store.Store, age time.Duration) (int64, error) {
	done := s.ORM(ctx).
		Exec(`UPDATE messages SET state = 'unclear',
				problem = 'The program stopped while this was being sent. It may have gone.'
		WHERE state = 'sending' AND begun_at < clock_timestamp() - make_interval(secs => ?)`, age.Seconds())
	return done.RowsAffected, done.Error
}

// MessagesOf gives what a patron was told, newest first, up to a number.
func MessagesOf(tx *store.Tx, patron int64, most int) ([]MessageShown, error) {
	return store.List[MessageShown](tx, messagesShown+"WHERE s.patron_id = $1 ORDER BY s.id DESC LIMIT $2", patron, most)
}

// MessageToCall locks a message of which somebody is told by telephone; nil where there is none.
func MessageToCall(tx *store.Tx, id int64) (*Message, error) {
	return store.One[Message](tx, `SELECT id, kind, patron_id, channel, address, items, state, tries, sent_at, caller_id, calling_at FROM messages
		WHERE id = $1 AND channel = 'phone' FOR UPDATE`, id)
}

// CallRow is a call that waits, with whom it is for and who is at it.
type CallRow struct {
	MessageShown
	BranchCode calendar.Code // where their hold waits, else their home branch
	Caller     *string
}

// Calls gives a page of the calls that wait, of a branch or of all: what is to be tried now by its age, then what is to be tried later.
func Calls(tx *store.Tx, branch calendar.Code, page store.Page) ([]CallRow, store.Page, error) {
	if page.After.Text == "" {
		page.After.Text = "-infinity"
	}
	at := func(c *CallRow) store.Cursor {
		return store.Cursor{Text: when(c.AgainAt, c.At).Format(time.RFC3339Nano), ID: c.ID}
	}
	return store.Paged(tx, page, at, `SELECT * FROM (SELECT s.*, p.legal_name, p.preferred_name, f.name AS caller,
			coalesce((SELECT n.branch_code FROM notices n WHERE n.message_id = s.id AND n.hold_id IS NOT NULL ORDER BY n.id LIMIT 1), p.branch_code)
				AS branch_code
		FROM messages s JOIN patrons p ON p.id = s.patron_id LEFT JOIN staff f ON f.id = s.caller_id
		WHERE s.state = 'by_hand' AND s.channel = 'phone' AND $2::bigint = 0 AND (coalesce(s.again_at, s.at), s.id) > ($3::text::timestamptz, $4::bigint)) c
		WHERE $1 = '' OR c.branch_code = $1 ORDER BY coalesce(c.again_at, c.at), c.id`, branch)
}

func when(again *time.Time, at time.Time) time.Time {
	if again != nil {
		return *again
	}
	return at
}

// Calling writes who is at a call; nil: nobody.
func Calling(tx *store.Tx, id int64, staff *int64, at time.Time) {
	tx.QueueOne(`UPDATE messages SET caller_id = $2, calling_at = CASE WHEN $2::bigint IS NOT NULL THEN $3::timestamptz END
		WHERE id = $1 AND state = 'by_hand'`, id, staff, at)
}

// CalledFor writes what came of a call, in which state it leaves the message, and when it is to be tried again.
func CalledFor(tx *store.Tx, id int64, state, says string, at time.Time, again *time.Time) {
	tx.QueueOne(`UPDATE messages SET tries = tries + 1, problem = $3, state = $2, sent_at = CASE WHEN $2 = 'sent' THEN $4::timestamptz END,
		again_at = $5, caller_id = NULL, calling_at = NULL WHERE id = $1 AND state = 'by_hand'`, id, state, says, at, again)
}

// NotCalledFor takes back that somebody was told by telephone.
func NotCalledFor(tx *store.Tx, id int64) {
	tx.QueueOne(`UPDATE messages SET tries = tries - 1, problem = '', state = 'by_hand', sent_at = NULL, subject = '', body = ''
		WHERE id = $1 AND state = 'sent'`, id)
}

// GoBy switches a message that is being sent, or was refused, to another channel. False if another attempt has begun since.
func GoBy(tx *store.Tx, m *Message, way person.Way, address, state, problem string) (bool, error) {
	n, err := tx.Exec(`UPDATE messages SET channel = $3, address = $4, state = $5, problem = $6, begun_at = NULL, subject = '', body = '', tries = 0,
		sent_at = NULL, gateway = '', delivered_at = NULL, again_at = NULL, caller_id = NULL, calling_at = NULL WHERE id = $1 AND tries = $2 AND state IN ('sending', 'refused')`, m.ID, m.Tries, way, address, state, problem)
	if err != nil || n == 0 {
		return false, err
	}
	_, err = tx.Exec("UPDATE notices SET channel = $2 WHERE message_id = $1", m.ID, way)
	return true, err
}

// SentEmail locks an email that was sent: the one with an id or, with none, the last one to an address in small letters; nil if there is none.
func SentEmail(tx *store.Tx, id int64, address string) (*Message, error) {
	return store.One[Message](tx, `SELECT * FROM messages WHERE channel = 'mail' AND state = 'sent' AND CASE WHEN $1::bigint <> 0 THEN id = $1
		ELSE id = (SELECT id FROM messages WHERE channel = 'mail' AND state = 'sent' AND lower(address) = $2 ORDER BY id DESC LIMIT 1) END
		FOR UPDATE`, id, address)
}

// Returned marks a message as refused that was sent and came back.
func Returned(tx *store.Tx, id int64, problem string) {
	tx.Queue("UPDATE messages SET state = 'refused', problem = $2, gateway = '' WHERE id = $1 AND state = 'sent'", id, problem)
}

// EmailReturned marks on a patron's record that email to their address came back, if that still is their address.
func EmailReturned(tx *store.Tx, patron int64, address string) {
	tx.Queue("UPDATE patrons SET email_returned = true, revision = revision + 1 WHERE NOT email_returned AND id = $1 AND lower(email) = lower($2)", patron, address)
}

// OnTheWay gives text messages sent since an instant that have not arrived yet, those asked about longest ago first.
func OnTheWay(tx *store.Tx, since time.Time, most int) ([]Message, error) {
	return store.List[Message](tx, `SELECT * FROM messages WHERE state = 'sent' AND gateway <> '' AND delivered_at IS NULL AND sent_at > $1
		ORDER BY asked_at NULLS FIRST, id LIMIT $2`, since, most)
}

// Asked writes that the gateway has been asked about a message.
func Asked(tx *store.Tx, id int64) {
	tx.Queue("UPDATE messages SET asked_at = clock_timestamp() WHERE id = $1", id)
}

// Delivered writes that a message has arrived.
func Delivered(tx *store.Tx, id int64, at time.Time) {
	tx.Queue("UPDATE messages SET delivered_at = $2 WHERE id = $1 AND state = 'sent'", id, at)
}

// OptOut opts the recipient of the email with a link out of notices about holds, and gives them; 0 if there is no such link.
func OptOut(tx *store.Tx, link string) (int64, error) {
	return store.Value[int64](tx, `UPDATE patrons p SET notices = p.notices || '{"hold_ready": "none"}' FROM messages m
		WHERE m.stop = $1 AND p.id = m.patron_id RETURNING p.id`, link)
}
