package keepingdb

import (
	"encoding/json"
	"time"

	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/accountsdb"
)

// OpenOf counts a patron's open loans, holds and sums, which stand in the way of forgetting them.
type OpenOf struct {
	Loans, Holds, Requests, Unsent int
	Outside                        int // libraries outside to which we lend on this account
	Balance                        money.Amount
	Refunds                        money.Amount // to be refunded
}

// WhatIsOpen counts what of a patron is open.
func WhatIsOpen(tx *store.Tx, patron int64) (OpenOf, error) {
	row, err := store.One[OpenOf](tx, `SELECT
		(SELECT count(*)::int FROM loans WHERE patron_id = $1 AND returned_at IS NULL) AS loans,
		(SELECT count(*)::int FROM holds WHERE patron_id = $1 AND closed_at IS NULL) AS holds,
		(SELECT count(*)::int FROM requests WHERE patron_id = $1
			AND stage NOT IN ('done', 'refused', 'withdrawn')) AS requests,
		(SELECT count(*)::int FROM messages WHERE patron_id = $1
			AND state IN ('gathering', 'queued', 'sending', 'stopped', 'unclear', 'refused')) AS unsent,
		(SELECT count(*)::int FROM partners WHERE patron_id = $1) AS outside,
		(`+accountsdb.SumOwedTo("$1")+`) AS refunds,
		coalesce((SELECT balance FROM patrons WHERE id = $1), 0) AS balance`, patron)
	if row == nil {
		return OpenOf{}, err
	}
	return *row, err
}

// Forgotten counts what was cut off or deleted when a patron was forgotten.
type Forgotten struct {
	Loans, Holds, Events, Messages, Requests, Readings, Entries int64
}

// Forget cuts everything off a patron whose row is locked and of whom nothing is open, and empties the row. The row itself
// stays, since entries of the ledger are under it; nothing in it tells who it was.
func Forget(tx *store.Tx, patron int64, now time.Time) (Forgotten, error) {
	row, err := store.One[Forgotten](tx, `WITH
		loans_cut AS (UPDATE loans SET patron_id = NULL WHERE patron_id = $1 RETURNING id),
		lines AS (UPDATE return_lines r SET patron_id = NULL WHERE r.loan_id IN (SELECT id FROM loans
			WHERE patron_id = $1)),
		cards AS (UPDATE return_lines r SET text = '' WHERE r.found = 'card' AND r.text = (SELECT card
			FROM patrons WHERE id = $1)),
		holds_cut AS (UPDATE holds SET patron_id = NULL WHERE patron_id = $1 RETURNING id),
		events_cut AS (UPDATE events SET patron_id = NULL WHERE patron_id = $1 RETURNING id),
		untold AS (DELETE FROM notices WHERE patron_id = $1 OR recipient_id = $1),
		dropped AS (DELETE FROM messages m WHERE patron_id = $1 OR EXISTS (SELECT 1 FROM notices n WHERE n.message_id = m.id
			AND n.patron_id = $1) RETURNING id),
		asked AS (UPDATE requests SET patron_id = NULL, note = '' WHERE patron_id = $1 RETURNING id),
		told AS (UPDATE reports SET patron_id = NULL, happened = 'The patron has been forgotten.', expected = ''
			WHERE patron_id = $1),
		reads AS (DELETE FROM readings WHERE patron_id = $1 RETURNING id),
		books AS (UPDATE ledger SET loan_id = NULL, line_id = NULL, why = NULL WHERE patron_id = $1
			AND (loan_id IS NOT NULL
			OR line_id IS NOT NULL OR why IS NOT NULL) RETURNING id),
		disputed AS (UPDATE disputes d SET says = 'The patron has been forgotten.' FROM ledger c
			WHERE c.id = d.charge_id AND c.patron_id = $1),
		alone AS (DELETE FROM households h USING patrons p WHERE p.id = $1 AND h.id = p.household_id
			AND NOT EXISTS (SELECT 1 FROM patrons o WHERE o.household_id = h.id AND o.id <> $1)),
		emptied AS (UPDATE patrons
			SET card = '20' || lpad((id % 1000000000000)::text, 12, '0'), legal_name = 'Forgotten',
			preferred_name = '', shelf_name = '', born = NULL, household_id = NULL, standing = 'inactive',
				card_until = NULL,
			email = '', phone = '', address = '', older_reader = NULL, history_months = NULL,
			history_seen = false, forgotten_at = $2, other_phones = '{}', text_number = '', postal_code = '', town = '',
			home_address = '', guardian_id = NULL, guardian_name = '', answers_for_all = false, identity = '',
			identity_two = '', identity_number = '', identity_guardian = false, school = '', school_year = '',
			pickup = NULL, may_use = '{}',
			marks = '{}', stopped = '', standing_reason = '', internet = '', photo = NULL, photo_at = NULL,
			pin_hash = '',
			in_area = NULL,
			mail_returned = false, merged_into = NULL, confirmed_on = NULL, ask_before = NULL, notices = '{}',
			receipt = NULL, email_returned = false, language = ''
			WHERE id = $1),
		parted AS (DELETE FROM merges WHERE gone_id = $1 OR kept_id = $1),
		ward AS (UPDATE patrons SET guardian_id = NULL WHERE guardian_id = $1),
		pictured AS (DELETE FROM patron_photos WHERE patron_id = $1),
		noted AS (DELETE FROM patron_notes WHERE patron_id = $1),
		agreed AS (DELETE FROM consents WHERE patron_id = $1),
		listed AS (DELETE FROM roster_members WHERE patron_id = $1),
		adult AS (UPDATE rosters SET adult_id = NULL WHERE adult_id = $1),
		came AS (DELETE FROM sign_ups WHERE patron_id = $1),
		claimed AS (DELETE FROM claims WHERE patron_id = $1),
		entered AS (DELETE FROM patron_sessions WHERE patron_id = $1),
		known AS (DELETE FROM patron_places WHERE patron_id = $1),
		moved AS (DELETE FROM came_from WHERE kind = 'patrons' AND ref = $1),
		carded AS (DELETE FROM former_cards WHERE patron_id = $1)
		SELECT (SELECT count(*) FROM loans_cut) AS loans, (SELECT count(*) FROM holds_cut) AS holds,
			(SELECT count(*) FROM events_cut) AS events, (SELECT count(*) FROM dropped) AS messages,
			(SELECT count(*) FROM asked) AS requests, (SELECT count(*) FROM reads) AS readings,
			(SELECT count(*) FROM books) AS entries`, patron, now)
	if row == nil {
		return Forgotten{}, err
	}
	return *row, err
}

// KeepHistoryChoice writes what a patron has chosen of their history: for how many months it is kept, nil: as the network
// has settled, whether staff may see it, and whether lending asks for what they have had before.
func KeepHistoryChoice(tx *store.Tx, patron int64, months *int, seen bool, ask *bool) {
	tx.QueueOne(`UPDATE patrons SET history_months = $2, history_seen = $3, ask_before = $4,
		history_changed = true, revision = revision + 1 WHERE id = $1`, patron, months, seen, ask)
}

// KeepSettings writes what the network has settled.
func KeepSettings(tx *store.Tx, data json.RawMessage) {
	tx.QueueOne("UPDATE network SET settings = $1, version = version + 1", data)
}

// AllOf is everything that is kept of a patron, as JSON by kind; each question gives a list of rows.
func AllOf(tx *store.Tx, patron int64) (map[string]json.RawMessage, error) {
	parts := map[string]string{
		"patron": `SELECT card, legal_name, preferred_name, shelf_name, born, class, branch_code AS home_branch,
			standing,
			card_until, email, phone, address, older_reader, history_months, history_seen, institution, other_phones,
			text_number, postal_code, town, home_address, mail_returned, in_area, guardian_name, answers_for_all,
			identity, identity_two, identity_number, identity_guardian, school, school_year, pickup, may_use, marks,
			stopped,
			standing_reason, internet, photo, joined_on, confirmed_on, ask_before, notices, email_returned, language,
			(SELECT g.legal_name FROM patrons g WHERE g.id = p.guardian_id) AS guardian,
			(SELECT name FROM households WHERE id = p.household_id) AS household FROM patrons p WHERE id = $1`,
		"loans": `SELECT i.barcode, t.name AS title, t.author, l.branch_code AS branch, l.lent_at, l.due_date,
			l.due_at, l.renewals,
			l.returned_at, l.lost_at, l.undone
			FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
			WHERE l.patron_id = $1 ORDER BY l.lent_at`,
		"holds": `SELECT t.name AS title, t.author, h.pickup, h.placed_at, h.state, h.ready_at, h.shelf_until,
			h.paused_until, h.closed_at
			FROM holds h JOIN titles t ON t.id = h.title_id WHERE h.patron_id = $1 ORDER BY h.placed_at`,
		"account": `SELECT b.at, b.kind, b.amount AS minor_units, b.about, r.means, b.reason,
			b.branch_code AS branch, t.name AS title
			FROM ledger b LEFT JOIN receipts r ON r.id = b.receipt_id
			LEFT JOIN loans l ON l.id = b.loan_id LEFT JOIN items i ON i.id = l.item_id LEFT JOIN titles t ON t.id = i.title_id WHERE b.patron_id = $1 ORDER BY b.id`,
		"disputes": `SELECT d.at, d.says, d.answer, d.ended_at FROM disputes d JOIN ledger c ON c.id = d.charge_id
			WHERE c.patron_id = $1 ORDER BY d.id`,
		"invoices": "SELECT number, day, due, addressed, note, withdrawn_at, reason FROM invoices WHERE patron_id = $1 ORDER BY id",
		"messages": `SELECT at, kind, address, subject, body, state, sent_at FROM messages WHERE patron_id = $1 ORDER BY at`,
		"notices": `SELECT n.at, n.kind, n.stage, n.channel, n.state, n.reason, t.name AS title, n.due_date, n.due_at FROM notices n
			LEFT JOIN loans l ON l.id = n.loan_id LEFT JOIN holds h ON h.id = n.hold_id LEFT JOIN items i ON i.id = l.item_id
			LEFT JOIN titles t ON t.id = coalesce(i.title_id, h.title_id) WHERE n.patron_id = $1 ORDER BY n.id`,
		"asked_outside": `SELECT number, title, author, isbn, note, needed_by, due, stage, begun_at, moved_at
			FROM requests
			WHERE patron_id = $1 ORDER BY begun_at`,
		"events": `SELECT e.at, e.kind, e.branch_code AS branch, t.name AS title, e.detail FROM events e
			LEFT JOIN items i ON i.id = e.item_id LEFT JOIN titles t ON t.id = i.title_id WHERE e.patron_id = $1 ORDER BY e.at, e.id`,
		"notes": `SELECT n.at, n.kind, n.text, n.ended_at, f.name AS written_by FROM patron_notes n
			LEFT JOIN staff f ON f.id = n.staff_id WHERE n.patron_id = $1 ORDER BY n.id`,
		"consents":   "SELECT at, what, answer, reason, letter FROM consents WHERE patron_id = $1 ORDER BY id",
		"photograph": "SELECT kind, encode(picture, 'base64') AS picture FROM patron_photos WHERE patron_id = $1",
		"former_cards": `SELECT card, ended_at, why FROM former_cards WHERE patron_id = $1
			OR patron_id IN (SELECT id FROM patrons WHERE merged_into = $1) ORDER BY ended_at`,
		"merged_records": `SELECT p.card, p.legal_name, p.preferred_name, p.born, p.email, p.phone, p.address, m.at FROM merges m
			JOIN patrons p ON p.id = m.gone_id WHERE m.kept_id = $1 AND m.undone_at IS NULL ORDER BY m.id`,
		"rosters": `SELECT r.kind, r.name, r.branch_code AS branch, r.school, r.school_year, m.since FROM roster_members m
			JOIN rosters r ON r.id = m.roster_id WHERE m.patron_id = $1 ORDER BY m.since`,
		"signed_in": "SELECT begun_at, seen_at FROM patron_sessions WHERE patron_id = $1 ORDER BY begun_at",
		"known_in":  "SELECT kind, last_at FROM patron_places WHERE patron_id = $1 ORDER BY last_at",
		"came_from": "SELECT source, number FROM came_from WHERE kind = 'patrons' AND ref = $1 ORDER BY source",
		"claims":    "SELECT at, what, undone_at FROM claims WHERE patron_id = $1 ORDER BY id",
		"sign_ups":  "SELECT at, record, state, answered_at, reason FROM sign_ups WHERE patron_id = $1 ORDER BY id",
		"reports":   `SELECT at, happened, expected, answer FROM reports WHERE patron_id = $1 ORDER BY at`,
		"opened_by": `SELECT r.at, f.name AS who, r.branch_code AS branch, r.kind FROM readings r
			JOIN staff f ON f.id = r.staff_id
			WHERE r.patron_id = $1 OR r.patron_id IN (SELECT id FROM patrons WHERE merged_into = $1) ORDER BY r.id`,
	}
	q := &store.Questions{}
	out := map[string]json.RawMessage{}
	found := map[string]*[]string{}
	for name, query := range parts {
		found[name] = &[]string{}
		store.AskEach(q, found[name], "SELECT coalesce(json_agg(row_to_json(x)), '[]')::text FROM ("+query+") x", patron)
	}
	if err := tx.Send(q); err != nil {
		return nil, err
	}
	for name, rows := range found {
		out[name] = json.RawMessage((*rows)[0])
	}
	return out, nil
}
