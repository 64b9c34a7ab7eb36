package noticesdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/queue"
	"nevrin/store"
)

// Notice is one notice to one person: about a loan with its due date, a hold with the time it became ready, or a patron on a day.
type Notice struct {
	ID            int64
	Kind          plan.Kind
	Stage         int
	Plan          string // its code
	MailingID     *int64
	PatronID      int64 // whom it concerns
	RecipientID   int64 // who gets it
	Channel       person.Way
	BranchCode    calendar.Code
	LoanID        *int64
	HoldID        *int64
	DueDate       *time.Time
	DueAt         *time.Time
	MessageID     *int64
	State, Reason string
	At            time.Time
}

// Add stores notices. Those stored before are skipped.
func Add(tx *store.Tx, notices []Notice) {
	for k := range notices {
		n := &notices[k]
		tx.Queue(`INSERT INTO notices (kind, stage, plan, mailing_id, patron_id, recipient_id, channel, branch_code, loan_id, hold_id, due_date,
				due_at, message_id, state, at)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15) ON CONFLICT DO NOTHING`,
			n.Kind, n.Stage, n.Plan, n.MailingID, n.PatronID, n.RecipientID, n.Channel, n.BranchCode, n.LoanID, n.HoldID, n.DueDate, n.DueAt,
			n.MessageID, n.State, n.At)
	}
}

// Gather adds a notice to the message that is being gathered for its recipient, and begins one if needed.
func Gather(tx *store.Tx, n *Notice, address string) {
	tx.Queue(`WITH message AS (INSERT INTO messages (kind, patron_id, address, subject, body, items, state, at, channel)
			VALUES ($1, $5, $11, '', '', 1, 'gathering', $10, $6)
			ON CONFLICT (patron_id, channel) WHERE state = 'gathering' DO UPDATE SET items = messages.items + 1 RETURNING id)
		INSERT INTO notices (kind, stage, plan, patron_id, recipient_id, channel, branch_code, loan_id, hold_id, due_at, message_id, state, at)
			SELECT $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, id, 'told', $10 FROM message ON CONFLICT DO NOTHING`,
		n.Kind, n.Stage, n.Plan, n.PatronID, n.RecipientID, n.Channel, n.BranchCode, n.LoanID, n.HoldID, n.At, address)
}

// Join adds a notice to the call that waits for its recipient, and begins one if there is none.
func Join(tx *store.Tx, n *Notice, address string) {
	tx.Queue(`WITH waits AS (UPDATE messages SET items = items + 1 WHERE id = (SELECT id FROM messages
				WHERE patron_id = $5 AND channel = $6 AND state = 'by_hand' ORDER BY id LIMIT 1) AND state = 'by_hand' RETURNING id),
			begun AS (INSERT INTO messages (kind, patron_id, address, subject, body, items, state, at, channel)
				SELECT $1, $5, $11, '', '', 1, 'by_hand', $10, $6 WHERE NOT EXISTS (SELECT 1 FROM waits) RETURNING id)
		INSERT INTO notices (kind, stage, plan, patron_id, recipient_id, channel, branch_code, loan_id, hold_id, due_at, message_id, state, at)
			SELECT $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, id, 'told', $10 FROM (TABLE waits UNION ALL TABLE begun) m ON CONFLICT DO NOTHING`,
		n.Kind, n.Stage, n.Plan, n.PatronID, n.RecipientID, n.Channel, n.BranchCode, n.LoanID, n.HoldID, n.At, address)
}

// Candidate is a loan, hold or patron that may need a notice.
type Candidate struct {
	PatronID                           int64
	LoanID, HoldID                     *int64
	DueDate, DueAt                     *time.Time
	Lost                               bool
	BranchCode, Home                   calendar.Code
	Class, Material, Collection, Owner string
	GuardianID, AnsweringID, AdultID   *int64
	Rosters                            []int64
	Told                               []string // kinds and stages of it that stand already, as "overdue:1"
	CardUntil                          *time.Time
	Unconfirmed                        bool // their details were not confirmed lately
	Balance                            money.Amount
}

// concerned are the columns of a candidate that come from its patron p.
const concerned = `p.id AS patron_id, p.class, p.branch_code AS home, p.guardian_id, p.balance, p.card_until,
	(SELECT min(o.id) FROM patrons o WHERE o.household_id = p.household_id AND o.answers_for_all AND o.id <> p.id) AS answering_id,
	(SELECT min(r.adult_id) FROM roster_members m JOIN rosters r ON r.id = m.roster_id AND r.ended_at IS NULL
		WHERE m.patron_id = p.id) AS adult_id,
	coalesce((SELECT array_agg(m.roster_id) FROM roster_members m WHERE m.patron_id = p.id), '{}') AS rosters`

// standing is the column with the kinds and stages of notices that meet a condition and were stored before.
func standing(condition string) string {
	return `coalesce((SELECT array_agg(n.kind || ':' || n.stage) FROM notices n WHERE n.state IN ('trial', 'approved', 'told') AND ` +
		condition + `), '{}') AS told`
}

// dueBetween holds for a loan l of a branch b that is due after the date $1 and up to $2 by the branch's clock.
const dueBetween = "coalesce(l.due_date, (l.due_at AT TIME ZONE b.timezone)::date) > $1 AND coalesce(l.due_date, (l.due_at AT TIME ZONE b.timezone)::date) <= $2"

// Loans gives open loans due after one date and up to another by their branch's clock, of a number of patrons after a given one. It walks
// the open loans in the order of patrons, so that all parts together read each loan twice, however many parts there are.
func Loans(tx *store.Tx, after, last time.Time, from int64, patrons int) ([]Candidate, error) {
	return store.List[Candidate](tx, `WITH those AS MATERIALIZED (
			SELECT DISTINCT l.patron_id FROM loans l JOIN branches b ON b.code = l.branch_code
			WHERE l.returned_at IS NULL AND l.patron_id > $3 AND `+dueBetween+` ORDER BY l.patron_id LIMIT $4)
		SELECT `+concerned+`, l.id AS loan_id, l.due_date, l.due_at, l.lost_at IS NOT NULL AS lost, l.branch_code, i.material,
			i.collection, i.branch_code AS owner, `+standing(`n.loan_id = l.id AND n.due_date IS NOT DISTINCT FROM l.due_date
				AND n.due_at IS NOT DISTINCT FROM l.due_at`)+`
		FROM those JOIN loans l ON l.patron_id = those.patron_id AND l.returned_at IS NULL JOIN branches b ON b.code = l.branch_code
			JOIN patrons p ON p.id = those.patron_id JOIN items i ON i.id = l.item_id
		WHERE `+dueBetween+` AND p.class <> 'partner' AND NOT EXISTS (SELECT 1 FROM claims c WHERE c.loan_id = l.id AND c.undone_at IS NULL)
		ORDER BY p.id, coalesce(l.due_date, l.due_at), l.id`, after, last, from, patrons)
}

// HoldsOnShelf gives holds whose last day on the hold shelf is after one date and up to another, of a number of patrons after a given one.
func HoldsOnShelf(tx *store.Tx, after, last time.Time, from int64, patrons int) ([]Candidate, error) {
	return store.List[Candidate](tx, `WITH those AS (SELECT DISTINCT patron_id FROM holds WHERE state = 'ready' AND shelf_until > $1
				AND shelf_until <= $2 AND patron_id > $3 ORDER BY patron_id LIMIT $4)
		SELECT `+concerned+`, h.id AS hold_id, h.shelf_until AS due_date, h.pickup AS branch_code, i.material, i.collection,
			i.branch_code AS owner, `+standing("n.hold_id = h.id AND n.due_date = h.shelf_until")+`
		FROM those JOIN holds h ON h.patron_id = those.patron_id AND h.state = 'ready' AND h.shelf_until > $1 AND h.shelf_until <= $2
			JOIN patrons p ON p.id = h.patron_id JOIN items i ON i.id = h.item_id
		WHERE p.class <> 'partner' ORDER BY p.id, h.id`, after, last, from, patrons)
}

// Holds gives holds as candidates, by their ids.
func Holds(tx *store.Tx, ids []int64) ([]Candidate, error) {
	return store.List[Candidate](tx, `SELECT `+concerned+`, h.id AS hold_id, h.pickup AS branch_code, coalesce(i.material, '') AS material,
			coalesce(i.collection, '') AS collection, coalesce(i.branch_code, '') AS owner
		FROM holds h JOIN patrons p ON p.id = h.patron_id LEFT JOIN items i ON i.id = h.item_id
		WHERE h.id = ANY($1) AND p.class <> 'partner' ORDER BY h.id`, ids)
}

// Near gives a patron as a candidate, for their guardian, who answers for the household, and the adult of their roster.
func Near(tx *store.Tx, patron int64) (*Candidate, error) {
	return store.One[Candidate](tx, "SELECT "+concerned+" FROM patrons p WHERE p.id = $1", patron)
}

// Which selects patrons. Conditions that are nil are not checked.
type Which struct {
	CardAfter, CardLast  *time.Time    // cards that end after one date and up to another
	Owing                *money.Amount // who owes as much or more
	Unconfirmed          *time.Time    // whose details were confirmed before this date or never
	OwingAgain, AskAgain int           // the days after which the two are told again
}

// Patrons gives up to so many patrons after a given one who meet any of the conditions.
func Patrons(tx *store.Tx, w Which, from int64, most int, now time.Time) ([]Candidate, error) {
	return store.List[Candidate](tx, `SELECT `+concerned+`, p.branch_code,
			coalesce(coalesce(p.confirmed_on, p.joined_on) < $5::date, false) AS unconfirmed, `+standing(`n.patron_id = p.id AND n.loan_id IS NULL
			AND n.hold_id IS NULL AND CASE n.kind WHEN 'card_expiring' THEN n.due_date = p.card_until
				WHEN 'owed' THEN n.at > $6::timestamptz - make_interval(days => $7) ELSE n.at > $6::timestamptz - make_interval(days => $8) END`)+`
		FROM patrons p WHERE p.id > $1 AND p.class <> 'partner' AND p.merged_into IS NULL AND p.forgotten_at IS NULL
			AND (p.card_until > $2::date AND p.card_until <= $3::date OR p.balance >= $4::bigint
				OR coalesce(p.confirmed_on, p.joined_on) < $5::date AND (p.card_until IS NULL OR p.card_until >= $6::timestamptz::date))
		ORDER BY p.id LIMIT $9`, from, w.CardAfter, w.CardLast, w.Owing, w.Unconfirmed, now, w.OwingAgain, w.AskAgain, most)
}

// Recipient is somebody who receives notices.
type Recipient struct {
	ID                        int64
	LegalName, PreferredName  string
	Email, Phone, TextNumber  string
	EmailReturned             bool
	Language                  string // that they have chosen; empty: none
	Address, PostalCode, Town string
	GuardianName              string
	BranchCode                calendar.Code
	Notices                   json.RawMessage
	Balance                   money.Amount
}

const recipientColumns = `id, legal_name, preferred_name, email, phone, text_number, email_returned, language, address, postal_code, town, guardian_name,
	branch_code, notices, balance`

// Recipients gives recipients by their ids, in any order.
func Recipients(tx *store.Tx, ids []int64) ([]Recipient, error) {
	return store.List[Recipient](tx, "SELECT "+recipientColumns+" FROM patrons WHERE id = ANY($1)", store.Sorted(ids))
}

// Told is a notice with the present state of its loan, hold or patron.
type Told struct {
	Notice
	ReturnedAt, LostAt       *time.Time
	Claimed                  bool
	NowDate, NowAt           *time.Time // as the loan is due now
	HoldState                queue.State
	ReadyAt, ShelfUntil      *time.Time
	Pickup                   calendar.Code
	Title, Author, Barcode   string
	LegalName, PreferredName string // of whom it concerns
	CardUntil, ConfirmedOn   *time.Time
	Balance                  money.Amount
}

const told = `SELECT n.*, l.returned_at, l.lost_at, l.due_date AS now_date, l.due_at AS now_at,
		EXISTS (SELECT 1 FROM claims c WHERE c.loan_id = l.id AND c.undone_at IS NULL) AS claimed,
		coalesce(h.state, '') AS hold_state, h.ready_at, h.shelf_until, coalesce(h.pickup, '') AS pickup,
		coalesce(t.name, '') AS title, coalesce(t.author, '') AS author, coalesce(i.barcode, '') AS barcode,
		p.legal_name, p.preferred_name, p.card_until, p.confirmed_on, p.balance
	FROM notices n JOIN patrons p ON p.id = n.patron_id LEFT JOIN loans l ON l.id = n.loan_id LEFT JOIN holds h ON h.id = n.hold_id
		LEFT JOIN items i ON i.id = coalesce(l.item_id, h.item_id) LEFT JOIN titles t ON t.id = coalesce(i.title_id, h.title_id) `

// OfMessages gives the notices of messages.
func OfMessages(tx *store.Tx, messages []int64) ([]Told, error) {
	return store.List[Told](tx, told+"WHERE n.message_id = ANY($1) ORDER BY n.message_id, n.kind, n.stage, n.due_date, n.due_at, n.id", messages)
}

// OfRecipient gives a run's notices for a recipient by one channel.
func OfRecipient(tx *store.Tx, mailing, recipient int64, channel person.Way) ([]Told, error) {
	return store.List[Told](tx, told+`WHERE n.mailing_id = $1 AND n.recipient_id = $2 AND n.channel = $3
		ORDER BY n.kind, n.stage, n.due_date, n.due_at, n.id`, mailing, recipient, channel)
}

// Latest gives the latest notices of a kind for one recipient, to preview a wording with; none if there are none yet.
func Latest(tx *store.Tx, kind plan.Kind) ([]Told, error) {
	return store.List[Told](tx, told+`WHERE (n.recipient_id, n.mailing_id IS NULL, coalesce(n.mailing_id, n.message_id)) IN (
			SELECT recipient_id, mailing_id IS NULL, coalesce(mailing_id, message_id) FROM notices
			WHERE kind = $1 ORDER BY id DESC LIMIT 1) AND n.kind = $1 ORDER BY n.id LIMIT 20`, kind)
}

// Overtake marks a notice as no longer needed, with the reason.
func Overtake(tx *store.Tx, id int64, reason string) {
	tx.Queue("UPDATE notices SET state = 'overtaken', reason = $2, message_id = NULL WHERE id = $1", id, reason)
}
