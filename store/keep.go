package store

import (
	"encoding/json"
	"time"
)

// What concerns persons is kept for as long as has been settled. The night cuts off whose it was, and deletes what only
// concerned that person; what happened, and the books, stay.

// HistoryStretch is a stretch of time of which loans that ended are to be looked at, for the patrons who have their history kept for so
// many months. It begins where the one before it ended.
type HistoryStretch struct {
	Months       int // for which it is kept; usualHistory: as the network has settled
	Since, Until time.Time
}

// NextHistory gives a stretch that has not been looked at, as of an instant, where the network keeps histories for so many months; nil
// where all has been looked at. Months nil: without limit.
func (t *Tx) NextHistory(now time.Time, months *int) (*HistoryStretch, error) {
	return one[HistoryStretch](t, `SELECT g.months, coalesce(m.until, timestamptz '1900-01-01') AS since,
			$1::timestamptz - make_interval(months => coalesce(nullif(g.months, -1), $2)) AS until
		FROM (SELECT -1 AS months UNION SELECT DISTINCT history_months FROM patrons WHERE history_months IS NOT NULL) g
		LEFT JOIN history_marks m ON m.months = g.months
		WHERE coalesce(nullif(g.months, -1), $2) IS NOT NULL
			AND coalesce(m.until, '-infinity') < $1::timestamptz - make_interval(months => coalesce(nullif(g.months, -1), $2))
		ORDER BY g.months LIMIT 1`, now, months)
}

// notOwed is the condition that nothing is owed for a loan k.
const notOwed = `NOT EXISTS (SELECT 1 FROM ledger c WHERE c.loan_id = k.id AND c.kind = 'charge'
	AND (SELECT sum(s.amount) FROM ledger s WHERE s.id = c.id OR s.settles = c.id) > 0)`

// cutting cuts the loans of "ending" off their patrons, and what tells of them.
const cutting = `cut AS (UPDATE loans l SET patron_id = NULL FROM ending e WHERE l.id = e.id RETURNING l.id),
	lines AS (UPDATE return_lines r SET patron_id = NULL FROM ending e WHERE r.loan_id = e.id),
	books AS (UPDATE ledger b SET loan_id = NULL, line_id = NULL, why = NULL FROM ending e WHERE b.loan_id = e.id),
	claimed AS (UPDATE claims c SET loan_id = NULL FROM ending e WHERE c.loan_id = e.id),
	wanted AS (UPDATE holds h SET patron_id = NULL FROM ending e WHERE h.id = e.filled_hold AND h.closed_at IS NOT NULL),
	told AS (UPDATE events v SET patron_id = NULL FROM ending e
		WHERE v.patron_id = e.patron_id AND (v.loan_id = e.id OR v.hold_id = e.filled_hold))`

// CutHistory cuts loans that ended within a stretch, and the holds that they filled, off their patrons, unless something is owed for
// them: these are looked at again. It looks at a number of loans, marks how far it has come, and gives how many it has cut.
func (t *Tx) CutHistory(s *HistoryStretch, most int) (int64, error) {
	return value[int64](t, `WITH looked AS MATERIALIZED (
			SELECT l.id, l.patron_id, l.filled_hold, l.returned_at FROM loans l WHERE l.returned_at IS NOT NULL
				AND l.patron_id IS NOT NULL
				AND l.returned_at > $2 AND l.returned_at <= $3 ORDER BY l.returned_at FETCH FIRST $4 ROWS WITH TIES),
		theirs AS MATERIALIZED (SELECT k.id, k.patron_id, k.filled_hold, `+notOwed+` AS free FROM looked k
			JOIN patrons p ON p.id = k.patron_id WHERE coalesce(p.history_months, -1) = $1),
		ending AS MATERIALIZED (SELECT id, patron_id, filled_hold FROM theirs WHERE free),
		later AS (INSERT INTO history_later (loan_id) SELECT id FROM theirs WHERE NOT free ON CONFLICT DO NOTHING),
		`+cutting+`,
		marked AS (INSERT INTO history_marks (months, until)
			SELECT $1, CASE WHEN count(*) >= $4 THEN max(returned_at) ELSE $3 END FROM looked
			ON CONFLICT (months) DO UPDATE SET until = excluded.until)
		SELECT count(*) FROM cut`, s.Months, s.Since, s.Until, most)
}

// CutChanged cuts histories that are to be looked at beside the stretches, as of an instant: of patrons who have chosen anew, and of
// loans for which something was owed.
func (t *Tx) CutChanged(now time.Time, months *int) (int64, error) {
	return value[int64](t, `WITH looked AS MATERIALIZED (
			SELECT l.id, l.patron_id, l.filled_hold, l.returned_at FROM patrons p JOIN loans l ON l.patron_id = p.id
				WHERE p.history_changed AND l.returned_at IS NOT NULL
			UNION SELECT l.id, l.patron_id, l.filled_hold, l.returned_at FROM history_later h JOIN loans l ON l.id = h.loan_id
				WHERE l.patron_id IS NOT NULL),
		ending AS MATERIALIZED (SELECT k.id, k.patron_id, k.filled_hold FROM looked k JOIN patrons p ON p.id = k.patron_id
			WHERE k.returned_at <= $1::timestamptz - make_interval(months => coalesce(p.history_months, $2)) AND `+notOwed+`),
		later AS (INSERT INTO history_later (loan_id) SELECT k.id FROM looked k JOIN patrons p ON p.id = k.patron_id
			WHERE k.returned_at <= $1::timestamptz - make_interval(months => coalesce(p.history_months, $2)) AND NOT (`+notOwed+`)
			ON CONFLICT DO NOTHING),
		gone AS (DELETE FROM history_later h USING ending e WHERE h.loan_id = e.id),
		done AS (UPDATE patrons SET history_changed = false WHERE history_changed),
		`+cutting+`
		SELECT count(*) FROM cut`, now, months)
}

// HistoryAnew lets all histories be looked at from the beginning, for what came in from elsewhere with earlier times.
func (t *Tx) HistoryAnew() { t.queue("DELETE FROM history_marks") }

// CutHolds cuts holds and requests that ended before an instant off their patrons, up to a number of them.
func (t *Tx) CutHolds(before time.Time, most int) (int64, error) {
	return value[int64](t, `WITH ending AS MATERIALIZED (SELECT id, patron_id FROM holds
			WHERE closed_at < $1 AND patron_id IS NOT NULL ORDER BY closed_at LIMIT $2),
		cut AS (UPDATE holds h SET patron_id = NULL FROM ending e WHERE h.id = e.id RETURNING h.id),
		told AS (UPDATE events v SET patron_id = NULL FROM ending e
			WHERE v.patron_id = e.patron_id AND v.hold_id = e.id),
		asked AS (UPDATE requests SET patron_id = NULL, note = '' WHERE id IN (SELECT id FROM requests
			WHERE patron_id IS NOT NULL AND moved_at < $1 AND stage IN ('done', 'refused', 'withdrawn') LIMIT $2)
			RETURNING id)
		SELECT (SELECT count(*) FROM cut) + (SELECT count(*) FROM asked)`, before, most)
}

// DropMessages deletes messages from before an instant that are done with, up to a number of them. What still keeps a
// loan or a hold from being told of twice stays.
func (t *Tx) DropMessages(before time.Time, most int) (int64, error) {
	return t.exec(`DELETE FROM messages WHERE id IN (SELECT m.id FROM messages m WHERE m.at < $1
			AND m.state IN ('sent', 'left_out', 'no_address', 'refused')
			AND NOT EXISTS (SELECT 1 FROM told d JOIN loans l ON l.id = d.loan_id
				WHERE d.message_id = m.id AND l.returned_at IS NULL)
			AND NOT EXISTS (SELECT 1 FROM told d JOIN holds h ON h.id = d.hold_id
				WHERE d.message_id = m.id AND h.closed_at IS NULL)
		ORDER BY m.at LIMIT $2)`, before, most)
}

// DropReadings deletes records of reading from before an instant, up to a number of them.
func (t *Tx) DropReadings(before time.Time, most int) (int64, error) {
	return t.exec(
		"DELETE FROM readings WHERE id IN (SELECT id FROM readings WHERE at < $1 ORDER BY at LIMIT $2)",
		before,
		most,
	)
}

// OpenOf is what of a patron is open, and would be left hanging if they were forgotten.
type OpenOf struct {
	Loans, Holds, Requests, Unsent int
	Outside                        int // libraries outside to which we lend on this account
	Balance                        int64
	Refunds                        int64 // to be given back
}

// OpenOf counts what of a patron is open.
func (t *Tx) OpenOf(patron int64) (OpenOf, error) {
	row, err := one[OpenOf](t, `SELECT
		(SELECT count(*)::int FROM loans WHERE patron_id = $1 AND returned_at IS NULL) AS loans,
		(SELECT count(*)::int FROM holds WHERE patron_id = $1 AND closed_at IS NULL) AS holds,
		(SELECT count(*)::int FROM requests WHERE patron_id = $1
			AND stage NOT IN ('done', 'refused', 'withdrawn')) AS requests,
		(SELECT count(*)::int FROM messages WHERE patron_id = $1
			AND state IN ('queued', 'sending', 'unclear', 'refused')) AS unsent,
		(SELECT count(*)::int FROM partners WHERE patron_id = $1) AS outside,
		(SELECT coalesce(sum(r.amount), 0)::bigint FROM ledger r WHERE r.patron_id = $1 AND r.kind = 'refund'
			AND NOT EXISTS (SELECT 1 FROM refund_ends e WHERE e.refund_id = r.id)) AS refunds,
		coalesce((SELECT balance FROM patrons WHERE id = $1), 0) AS balance`, patron)
	if row == nil {
		return OpenOf{}, err
	}
	return *row, err
}

// Forgotten is how much was cut off or deleted when a patron was forgotten.
type Forgotten struct {
	Loans, Holds, Events, Messages, Requests, Readings, Entries int64
}

// Forget cuts everything off a patron whose row is locked and of whom nothing is open, and empties the row. The row itself
// stays, since entries of the ledger are under it; nothing in it tells who it was.
func (t *Tx) Forget(patron int64, now time.Time) (Forgotten, error) {
	row, err := one[Forgotten](t, `WITH
		loans_cut AS (UPDATE loans SET patron_id = NULL WHERE patron_id = $1 RETURNING id),
		lines AS (UPDATE return_lines r SET patron_id = NULL WHERE r.loan_id IN (SELECT id FROM loans
			WHERE patron_id = $1)),
		cards AS (UPDATE return_lines r SET text = '' WHERE r.found = 'card' AND r.text = (SELECT card
			FROM patrons WHERE id = $1)),
		holds_cut AS (UPDATE holds SET patron_id = NULL WHERE patron_id = $1 RETURNING id),
		events_cut AS (UPDATE events SET patron_id = NULL WHERE patron_id = $1 RETURNING id),
		dropped AS (DELETE FROM messages WHERE patron_id = $1 RETURNING id),
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
			receipt = NULL
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
func (t *Tx) KeepHistoryChoice(patron int64, months *int, seen bool, ask *bool) {
	t.queueOne(`UPDATE patrons SET history_months = $2, history_seen = $3, ask_before = $4,
		history_changed = true, revision = revision + 1 WHERE id = $1`, patron, months, seen, ask)
}

// KeepSettings writes what the network has settled.
func (t *Tx) KeepSettings(data json.RawMessage) {
	t.queueOne("UPDATE network SET settings = $1, version = version + 1", data)
}

// AllOf is everything that is kept of a patron, as JSON by kind; each question gives a list of rows.
func (t *Tx) AllOf(patron int64) (map[string]json.RawMessage, error) {
	parts := map[string]string{
		"patron": `SELECT card, legal_name, preferred_name, shelf_name, born, class, branch_code AS home_branch,
			standing,
			card_until, email, phone, address, older_reader, history_months, history_seen, institution, other_phones,
			text_number, postal_code, town, home_address, mail_returned, in_area, guardian_name, answers_for_all,
			identity, identity_two, identity_number, identity_guardian, school, school_year, pickup, may_use, marks,
			stopped,
			standing_reason, internet, photo, joined_on, confirmed_on, ask_before, notices,
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
		"messages": `SELECT at, stage, address, subject, body, state, sent_at FROM messages WHERE patron_id = $1 ORDER BY at`,
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
	q := &questions{}
	out := map[string]json.RawMessage{}
	found := map[string]*[]string{}
	for name, query := range parts {
		found[name] = &[]string{}
		askEach(q, found[name], "SELECT coalesce(json_agg(row_to_json(x)), '[]')::text FROM ("+query+") x", patron)
	}
	if err := t.send(q); err != nil {
		return nil, err
	}
	for name, rows := range found {
		out[name] = json.RawMessage((*rows)[0])
	}
	return out, nil
}
