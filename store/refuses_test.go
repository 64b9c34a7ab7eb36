package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/testkit"
)

// The database itself refuses what must not be, whoever asks.
func TestDatabaseRefusesWhatMustNotBe(t *testing.T) {
	h := testkit.House(t)
	open := "SELECT item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date FROM loans WHERE returned_at IS NULL AND due_date IS NOT NULL LIMIT 1"
	cases := []struct{ name, statement, reason string }{
		{
			"a second open loan of one item",
			"INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date) " + open,
			"loans_one_open",
		},
		{
			"a loan without a due date",
			"UPDATE loans SET due_date = NULL WHERE due_date IS NOT NULL AND returned_at IS NULL",
			"loans_check",
		},
		{
			"a return before the loan",
			"UPDATE loans SET returned_at = lent_at - interval '1 day' WHERE returned_at IS NULL",
			"loans_check",
		},
		{
			"a second live transit of one item",
			"INSERT INTO transits (item_id, from_branch, to_branch, sent_at) SELECT item_id, from_branch, to_branch, sent_at FROM transits WHERE ended_at IS NULL LIMIT 1",
			"transits_one_live",
		},
		{
			"a transit to the same branch",
			"UPDATE transits SET to_branch = from_branch WHERE ended_at IS NULL",
			"transits_check",
		},
		{
			"two totes filled at once for one branch",
			"INSERT INTO totes (from_branch, to_branch, opened_at, at_branch, seen_at) SELECT from_branch, to_branch, now(), from_branch, now() FROM totes WHERE state = 'open' LIMIT 1",
			"totes_one_open",
		},
		{
			"something into a tote that has left",
			"UPDATE transits SET tote_id = b.id FROM totes b WHERE b.state = 'away' AND b.from_branch = transits.from_branch AND b.to_branch = transits.to_branch",
			"is not open",
		},
		{
			"something into a tote that goes elsewhere",
			"UPDATE transits SET tote_id = b.id FROM totes b WHERE b.state = 'open' AND b.from_branch = transits.from_branch AND b.to_branch <> transits.to_branch",
			"transits_in_tote",
		},
		{
			"a till that is closed before what went into it",
			`WITH r AS (SELECT branch_code, staff_id FROM receipts LIMIT 1), t AS (
				INSERT INTO tills (branch_code, name, opened_at, opened_by, laid_in) SELECT branch_code, 'Test', '2026-10-06 08:00-03', staff_id, 0 FROM r
				RETURNING id) SELECT 1 FROM t; 
			INSERT INTO till_moves (till_id, at, staff_id, amount, reason) SELECT t.id, now() + interval '10 years', t.opened_by, 1, 'x' FROM tills t WHERE t.name = 'Test';
			UPDATE tills SET closed_at = opened_at + interval '1 hour', closed_by = opened_by, due_cash = 1, due_card = 0, due_cheque = 0,
				counted_cash = 1, counted_card = 0, counted_cheque = 0 WHERE name = 'Test'`,
			"would be closed before what went into it",
		},
		{
			"a place of a patron of an unknown kind",
			"INSERT INTO patron_places (patron_id, kind, digest, last_at) SELECT id, 'x', '', now() FROM patrons LIMIT 1",
			"patron_places_kind_check",
		},
		{
			"a second factor offered in clear",
			"INSERT INTO second_offers (session, staff_id, sealed, until) SELECT sha256('x'), id, 'JBSWY3DP', now() FROM staff LIMIT 1",
			"second_offers_sealed_check",
		},
		{
			"a list that was read and names one patron",
			"INSERT INTO readings (at, staff_id, kind, patron_id) SELECT now(), f.id, 'listed', p.id FROM staff f, patrons p LIMIT 1",
			"readings_check",
		},
		{"a tote that has ended and is open", "UPDATE totes SET ended_at = now() WHERE state = 'open'", "totes_check"},
		{"an unknown state of a hold", "UPDATE holds SET state = 'somewhere' WHERE state = 'waiting'", "holds_state_check"},
		{"a hold on the shelf without an item", "UPDATE holds SET item_id = NULL WHERE state = 'ready'", "holds_check"},
		{
			"two holds for one item",
			"UPDATE holds SET item_id = (SELECT min(item_id) FROM holds WHERE state = 'ready') WHERE state = 'ready'",
			"holds_one_item",
		},
		{
			"a charge below nothing",
			"INSERT INTO ledger (about, patron_id, kind, amount, at) SELECT 'late', min(id), 'charge', -5, now() FROM patrons",
			"ledger_check",
		},
		{
			"a payment of no charge",
			"INSERT INTO ledger (about, patron_id, kind, amount, at) SELECT 'late', min(id), 'payment', -5, now() FROM patrons",
			"ledger_check",
		},
		{
			"a payment of more than is owed",
			"INSERT INTO ledger (about, patron_id, kind, amount, settles, at) SELECT 'late', patron_id, 'payment', -amount - 1, id, now() FROM ledger WHERE kind = 'charge' LIMIT 1",
			"balance",
		},
		{
			"a payment for somebody else's charge",
			"INSERT INTO ledger (about, patron_id, kind, amount, settles, at) SELECT 'late', (SELECT max(p.id) FROM patrons p WHERE p.balance > 100 AND p.id <> l.patron_id), 'payment', -1, l.id, now() FROM ledger l WHERE kind = 'charge' LIMIT 1",
			"settles no charge",
		},
		{
			"a waiver undone that names none",
			"INSERT INTO ledger (about, patron_id, kind, amount, settles, at) SELECT 'late', patron_id, 'unwaiver', 1, id, now() FROM ledger WHERE kind = 'charge' LIMIT 1",
			"ledger_undoes_check",
		},
		{
			"a waiver undone twice",
			`WITH w AS (INSERT INTO ledger (about, patron_id, kind, amount, settles, at) SELECT 'late', c.patron_id, 'waiver', -1, c.id, now() FROM ledger c
				JOIN patrons p ON p.id = c.patron_id WHERE c.kind = 'charge' AND NOT EXISTS (SELECT 1 FROM ledger s WHERE s.settles = c.id)
				ORDER BY c.id LIMIT 1 RETURNING *)
			INSERT INTO ledger (about, patron_id, kind, amount, settles, undoes, at) SELECT 'late', patron_id, 'unwaiver', 1, settles, id, now() FROM w, generate_series(1, 2)`,
			"ledger_undone_once",
		},
		{
			"an item on loan and under way",
			"INSERT INTO transits (item_id, from_branch, to_branch, sent_at) SELECT item_id, 'HVH', 'SLM', now() FROM loans WHERE returned_at IS NULL LIMIT 1",
			"whereabouts_pkey",
		},
		{
			"an item on loan and on a hold shelf",
			"UPDATE holds SET item_id = (SELECT min(item_id) FROM loans WHERE returned_at IS NULL) WHERE id = (SELECT min(id) FROM holds WHERE state = 'ready')",
			"whereabouts_pkey",
		},
		{
			"an item under way and being fetched",
			"UPDATE holds SET state = 'fetching', fetch_at = pickup, item_id = (SELECT min(item_id) FROM transits WHERE ended_at IS NULL AND hold_id IS NULL) WHERE id = (SELECT min(id) FROM holds WHERE state = 'waiting')",
			"whereabouts_pkey",
		},
		{
			"an item on loan and put aside",
			"UPDATE items SET standing = 'aside' WHERE id = (SELECT min(item_id) FROM loans WHERE returned_at IS NULL)",
			"is somewhere else",
		},
		{
			"a missing item that is lent",
			"INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date) SELECT (SELECT min(id) FROM items WHERE standing = 'missing'), patron_id, branch_code, edition_id, situation, lent_at, due_date FROM loans WHERE due_date IS NOT NULL LIMIT 1",
			"whereabouts_pkey",
		},
		{
			"a loan that ended comes back while the item is elsewhere",
			"UPDATE loans SET returned_at = NULL WHERE id = (SELECT min(l.id) FROM loans l JOIN transits t ON t.item_id = l.item_id AND t.ended_at IS NULL)",
			"whereabouts_pkey",
		},
		{"an event that says something else", "UPDATE events SET kind = 'returned' WHERE kind = 'lent'", "never changed"},
		{"an event about somebody else", "UPDATE events SET patron_id = 2 WHERE patron_id = 1", "never changed"},
		{
			"an event without its person that says something else",
			"UPDATE events SET patron_id = NULL, item_id = NULL WHERE kind = 'lent'",
			"never changed",
		},
		{"a message being sent by nobody", "UPDATE messages SET state = 'sending'", "messages_check"},
		{
			"one loan told of twice in a stage",
			"INSERT INTO notices (kind, stage, plan, patron_id, recipient_id, channel, branch_code, loan_id, due_date, message_id, state, at) SELECT kind, stage, 'another', patron_id, recipient_id, channel, branch_code, loan_id, due_date, message_id, state, at FROM notices WHERE loan_id IS NOT NULL AND state = 'told' LIMIT 1",
			"notices_once",
		},
		{
			"a pile of less than nothing",
			"INSERT INTO return_runs (id, branch_code, mode, day, staff_id, opened_at) VALUES (1, 'HVH', 'bin', now(), 1, now()); INSERT INTO return_piles VALUES (1, 'shelf', '', -1)",
			"return_piles_count_check",
		},
		{"a receipt of nothing", "INSERT INTO receipts (at, branch_code, means, amount) VALUES (now(), 'HVH', 'cash', 0)", "receipts_amount_check"},
		{"a receipt that settles nothing", "INSERT INTO receipts (at, branch_code, means, amount) VALUES (now(), 'HVH', 'cash', 5)", "is not what its parts come to"},
		{
			"an entry that a receipt does not have",
			"INSERT INTO ledger (about, patron_id, kind, amount, settles, receipt_id, at) SELECT 'late', c.patron_id, 'payment', -1, c.id, (SELECT max(id) FROM receipts), now() FROM ledger c JOIN patrons p ON p.id = c.patron_id WHERE c.kind = 'charge' AND p.balance > 0 AND NOT EXISTS (SELECT 1 FROM ledger s WHERE s.settles = c.id) LIMIT 1",
			"is not what its parts come to",
		},
		{"a card payment that is rounded", "INSERT INTO receipts (at, branch_code, means, amount, rounding) VALUES (now(), 'HVH', 'card', 5, 1)", "receipts_check"},
		{"less laid down than taken", "INSERT INTO receipts (at, branch_code, means, amount, laid_down) VALUES (now(), 'HVH', 'cash', 5, 4)", "receipts_check"},
		{"a changed receipt", "UPDATE receipts SET amount = amount + 1", "never changed"},
		{"a reversal without a receipt", "INSERT INTO ledger (about, patron_id, kind, amount, settles, at) SELECT 'late', patron_id, 'reversal', 1, id, now() FROM ledger WHERE kind = 'charge' LIMIT 1", "ledger_check"},
		{
			"money into a till that has been closed",
			"INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in, closed_at, closed_by, due_cash, due_card, due_cheque, counted_cash, counted_card, counted_cheque) VALUES (1, 'HVH', 'x', now(), 1, 0, now(), 1, 0, 0, 0, 0, 0, 0); INSERT INTO receipts (at, branch_code, till_id, means, amount) VALUES (now(), 'HVH', 1, 'cash', 5)",
			"has been closed",
		},
		{
			"a receipt that is moved from one till to another",
			"INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in) VALUES (-1, 'HVH', 'x', now(), 1, 0), (-2, 'HVH', 'y', now(), 1, 0); INSERT INTO receipts (id, at, branch_code, till_id, means, amount) VALUES (-3, now(), 'HVH', -1, 'cash', 5); UPDATE receipts SET till_id = -2 WHERE id = -3",
			"never changed",
		},
		{
			"a receipt that goes into another branch's till",
			"INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in) VALUES (1, 'SLM', 'x', now(), 1, 0); INSERT INTO receipts (id, at, branch_code, means, amount) VALUES (-3, now(), 'HVH', 'cash', 5); UPDATE receipts SET till_id = 1 WHERE id = -3",
			"never changed",
		},
		{
			"a receipt whose sum changes on its way into a till",
			"INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in) VALUES (1, 'HVH', 'x', now(), 1, 0); INSERT INTO receipts (id, at, branch_code, means, amount) VALUES (-3, now(), 'HVH', 'cash', 5); UPDATE receipts SET till_id = 1, amount = 6 WHERE id = -3",
			"never changed",
		},
		{
			"a receipt that leaves the till it was taken into",
			"INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in) VALUES (1, 'HVH', 'x', now(), 1, 0); INSERT INTO receipts (id, at, branch_code, till_id, means, amount) VALUES (-3, now(), 'HVH', 1, 'cash', 5); UPDATE receipts SET till_id = NULL WHERE id = -3",
			"never changed",
		},
		{
			"a receipt that leaves a till which has been counted",
			"INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in) VALUES (1, 'HVH', 'x', now(), 1, 0); INSERT INTO receipts (id, at, branch_code, till_id, means, amount) VALUES (-3, now(), 'HVH', 1, 'cash', 5); UPDATE tills SET closed_at = now(), closed_by = 1, due_cash = 5, due_card = 0, due_cheque = 0, counted_cash = 5, counted_card = 0, counted_cheque = 0 WHERE id = 1; UPDATE receipts SET till_id = NULL WHERE id = -3",
			"has been closed",
		},
		{"a till half closed", "INSERT INTO tills (branch_code, name, opened_at, opened_by, laid_in, closed_at) VALUES ('HVH', 'x', now(), 1, 0, now())", "tills_check"},
		{
			"a difference that nobody explains",
			"INSERT INTO tills (branch_code, name, opened_at, opened_by, laid_in, closed_at, closed_by, due_cash, due_card, due_cheque, counted_cash, counted_card, counted_cheque) VALUES ('HVH', 'x', now(), 1, 0, now(), 1, 5, 0, 0, 0, 0, 0)",
			"tills_difference_said",
		},
		{"two open tills of one name", "INSERT INTO tills (branch_code, name, opened_at, opened_by, laid_in) VALUES ('HVH', 'x', now(), 1, 0), ('HVH', 'X', now(), 1, 0)", "tills_one_open"},
		{"cash that moves nowhere", "INSERT INTO tills (id, branch_code, name, opened_at, opened_by, laid_in) VALUES (1, 'HVH', 'x', now(), 1, 0); INSERT INTO till_moves (till_id, at, staff_id, amount, reason) VALUES (1, now(), 1, 5, '')", "till_moves_reason_check"},
		{
			"one charge on two invoices",
			"INSERT INTO invoices (id, number, patron_id, branch_code, made_at, made_by, day, due, addressed) SELECT n, n::text, 1, 'HVH', now(), 1, now(), now(), 'x' FROM generate_series(1, 2) n; INSERT INTO invoice_lines (invoice_id, charge_id, text, amount) SELECT n, (SELECT min(id) FROM ledger WHERE kind = 'charge'), 'x', 5 FROM generate_series(1, 2) n",
			"invoice_lines_once",
		},
		{"a dispute twice", "INSERT INTO disputes (charge_id, says, at) SELECT min(id), 'x', now() FROM ledger, generate_series(1, 2) n WHERE kind = 'charge' GROUP BY n", "disputes_once"},
		{"a changed entry of the ledger", "UPDATE ledger SET amount = 1 WHERE kind = 'charge'", "never changed"},
		{"a deleted event", "DELETE FROM events WHERE id = 1", "never changed"},
		{"a changed edition in force", "UPDATE editions SET rules = '[]' WHERE state = 'in_force'", "never changed"},
		{
			"a refund that names no charge",
			"INSERT INTO ledger (about, patron_id, kind, amount, at) SELECT 'late', min(id), 'refund', 5, now() FROM patrons",
			"ledger_check",
		},
		{
			"a payment that adds to what is owed",
			"INSERT INTO ledger (about, patron_id, kind, amount, settles, at) SELECT 'late', patron_id, 'payment', 5, id, now() FROM ledger WHERE kind = 'charge' LIMIT 1",
			"ledger_check",
		},
		{
			"lost before it was lent",
			"UPDATE loans SET lost_at = lent_at - interval '1 day' WHERE returned_at IS NULL",
			"loans_check",
		},
		{"an item in an unknown standing", "UPDATE items SET standing = 'dreamt'", "items_standing_check"},
		{"an item put aside for nothing known", "UPDATE items SET standing = 'aside', aside_for = 'dreamt' WHERE id = (SELECT min(item_id) FROM loans)", "items_aside_for"},
		{"something in use that is in repair", "UPDATE items SET aside_for = 'repair' WHERE standing = 'in_use'", "items_aside_why"},
		{"a season without an end", "UPDATE items SET home_after = 'SLM' WHERE branch_code = 'HVH'", "items_season"},
		{"a season that ends where it is", "UPDATE items SET home_after = branch_code, home_until = '2027-01-01'", "items_season"},
		{"own terms that are a list", "UPDATE items SET own_terms = '[]'", "items_own_terms"},
		{"something without a part", "UPDATE items SET parts = 0", "items_parts_check"},
		{"a number of books that is none", "UPDATE titles SET isbn = '92-95055-02-0'", "titles_isbn_form"},
		{"a language of two letters", "UPDATE titles SET language = 'en'", "titles_language_check"},
		{"two titles from one record", "UPDATE titles SET source = 'Coast Records rs1'", "titles_source"},
		{"a picture of nothing", "INSERT INTO covers SELECT min(id), 'image/png', '' FROM titles", "covers_picture_check"},
		{"a look at no place", "INSERT INTO looks (item_id, at, branch_code, place, found) SELECT min(id), now(), 'HVH', '', false FROM items", "looks_place_check"},
		{
			"one item twice along a shelf",
			"INSERT INTO inventories (id, branch_code, collection, name, opened_at) VALUES (1, 'HVH', '', 'x', now()); INSERT INTO inventory_lines (inventory_id, at, text, item_id, found) SELECT 1, now(), 'x', i.id, 'in_place' FROM (SELECT min(id) AS id FROM items) i, generate_series(1, 2)",
			"inventory_lines_once",
		},
		{"a deed of an unknown kind", "INSERT INTO deeds (area, kind, at, did) VALUES ('stock', 'filled', now(), '{}')", "deeds_kind_check"},
		{"an item number of a wrong form", "UPDATE items SET barcode = '3-1846' WHERE id = 1", "items_barcode_form"},
		{"a card number of a wrong form", "UPDATE patrons SET card = 'w 17' WHERE id = 1", "patrons_card_form"},
		{"a branch that is closed and followed by none", "UPDATE branches SET closed_on = '2026-10-06' WHERE code = 'SKN'", "branches_closed"},
		{"a branch that follows itself", "UPDATE branches SET closed_on = '2026-10-06', follows = code WHERE code = 'SKN'", "branches_closed"},
		{"a manual charge without a price", "UPDATE choices SET amount = NULL WHERE list = 'charge'", "choices_check"},
		{"a reason with a price", "UPDATE choices SET amount = 5 WHERE list = 'waive'", "choices_check"},
		{"two stations of one name at a branch", "INSERT INTO stations (branch_code, name, paper, slips, sounds) VALUES ('SLM', 'Counter', 'a4', true, true)", "stations_branch_code_name_key"},
		{"a class that ends before it begins", "UPDATE classes SET to_age = 3 WHERE kind = 'patron' AND code = 'youth'", "classes_check"},
		{"a change that changes nothing", "INSERT INTO changes (at, part, key, was, \"is\") VALUES (now(), 'network', '', '{}', '{}')", "changes_check"},
		{
			"one title held twice by one patron",
			"INSERT INTO holds (title_id, patron_id, pickup, placed_at, place) SELECT title_id, patron_id, pickup, placed_at, 99 FROM holds WHERE state = 'waiting' LIMIT 1",
			"holds_once",
		},
		{
			"one volume held twice by one patron",
			"UPDATE holds SET only_volume = 'v.1' WHERE id = (SELECT min(id) FROM holds WHERE state = 'waiting'); INSERT INTO holds (title_id, patron_id, pickup, placed_at, place, only_volume) SELECT title_id, patron_id, pickup, placed_at, 99, 'v.1' FROM holds WHERE only_volume = 'v.1'",
			"holds_once",
		},
		{"a band that there is not", "UPDATE holds SET band = 2 WHERE state = 'waiting'", "holds_band_check"},
		{"a slot below the first", "UPDATE holds SET slot = 0 WHERE state = 'ready'", "holds_slot_check"},
		{
			"a range that what is likely lies outside of",
			"INSERT INTO foretold (hold_id, said_at, likely, earliest, latest, at_once) SELECT min(id), now(), '2026-10-20', '2026-10-08', '2026-10-12', false FROM holds",
			"foretold_check",
		},
		{"a branch with fewer slots than none", "UPDATE branches SET slots = -1", "branches_slots_check"},
		{
			"a note without an answer",
			"INSERT INTO return_runs (id, branch_code, mode, day, staff_id, opened_at) VALUES (1, 'HVH', 'bin', now(), 1, now()); INSERT INTO return_lines (run_id, at, text, found, sign, note) VALUES (1, now(), 'x', 'words', '{}', 'broken')",
			"return_lines_check",
		},
		{
			"a finished rehearsal without a result",
			"INSERT INTO rehearsals (edition_id, revision, since, until, state, staff_id, begun_at) VALUES (3, 1, '2026-01-01', '2026-02-01', 'done', 1, now())",
			"rehearsals_check",
		},
		{
			"a rehearsal of a period that ends before it begins",
			"INSERT INTO rehearsals (edition_id, revision, since, until, staff_id, begun_at) VALUES (3, 1, '2026-02-01', '2026-01-01', 1, now())",
			"rehearsals_check",
		},
		{"an answered report without an answer", "UPDATE reports SET answered_at = now(), answered_by = 1", "reports_check"},
		{
			"a sweep's line of nothing",
			"INSERT INTO sweeps (id, at, staff_id, text, branches, changed) VALUES (1, now(), 1, 'x', '{}', '{}'); INSERT INTO sweep_lines (sweep_id, day_before, day_after) VALUES (1, '2026-01-01', '2026-01-02')",
			"sweep_lines_of_one",
		},
		{"a request in an unknown stage", "UPDATE requests SET stage = 'teleported'", "requests_stage_check"},
		{
			"a request of ours for nobody",
			"UPDATE requests SET patron_id = NULL WHERE role = 'requesting' AND stage NOT IN ('done', 'refused', 'withdrawn')",
			"requests_sides",
		},
		{"an open hold of nobody", "UPDATE holds SET patron_id = NULL WHERE closed_at IS NULL", "holds_of_somebody"},
		{
			"a sum of the ledger that changes along with what it was for",
			"UPDATE ledger SET loan_id = NULL, line_id = NULL, why = NULL, amount = amount + 1",
			"never changed",
		},
		{
			"a session under a token itself",
			"INSERT INTO sessions (digest, data, expiry) VALUES ('the token', '', now())",
			"sessions_digest_check",
		},
		{
			"a search for patrons that names one",
			"INSERT INTO readings (at, staff_id, kind, patron_id) SELECT now(), f.id, 'searched', p.id FROM staff f, patrons p LIMIT 1",
			"readings_check",
		},
		{"a second network", "INSERT INTO network (name, numbers, timezone) VALUES ('Other', '{}', 'UTC')", "network_pkey"},
		{
			"somebody who pays at two terminals",
			`WITH p AS (INSERT INTO terminal_payments (at, branch_code, staff_id, terminal, amount, settling, state)
				SELECT now(), 'HVH', f.id, 'desk:1', 100, '{}', 'asked' FROM staff f LIMIT 2 RETURNING id)
				INSERT INTO terminal_payers (patron_id, payment_id) SELECT 1, id FROM p`,
			"terminal_payers_pkey",
		},
		{
			"a card payment that is taken, and has no receipt",
			`INSERT INTO terminal_payments (at, branch_code, staff_id, terminal, amount, state, ended_at)
				SELECT now(), 'HVH', id, 'desk:1', 100, 'taken', now() FROM staff LIMIT 1`,
			"terminal_payments_check",
		},
		{
			"a card payment that has ended, and says still what it was to settle",
			`INSERT INTO terminal_payments (at, branch_code, staff_id, terminal, amount, settling, state, ended_at)
				SELECT now(), 'HVH', id, 'desk:1', 100, '{}', 'refused', now() FROM staff LIMIT 1`,
			"terminal_payments_check",
		},
		{
			"a till counted while somebody pays into it at a terminal",
			`DO $$ DECLARE till bigint; BEGIN
				INSERT INTO tills (branch_code, name, opened_at, opened_by, laid_in)
					SELECT 'HVH', 'Terminal', now(), id, 0 FROM staff LIMIT 1 RETURNING id INTO till;
				INSERT INTO terminal_payments (at, branch_code, staff_id, terminal, till_id, amount, settling, state)
					SELECT now(), 'HVH', id, 'desk:1', till, 100, '{}', 'asked' FROM staff LIMIT 1;
				UPDATE tills SET closed_at = now(), closed_by = opened_by, due_cash = 0, due_card = 0, due_cheque = 0,
					counted_cash = 0, counted_card = 0, counted_cheque = 0 WHERE id = till;
			END $$`,
			"somebody pays into till",
		},
		{"a pad beyond its station", "UPDATE stations SET pad = 'ws://pad.invalid:7411/'", "stations_pad_check"},
		{"an unknown role", "UPDATE staff SET role = 'king'", "staff_role_check"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			err := testkit.SQL(h).Exec(c.statement).Error
			require.Error(t, err)
			assert.Contains(t, err.Error(), c.reason)
		})
	}
	// The link of an event to its person can be cut, and nothing else is changed by that.
	before := testkit.Text(
		t,
		h,
		"SELECT md5(string_agg((to_jsonb(e) - 'patron_id')::text, '' ORDER BY e.id)) FROM events e WHERE patron_id = 3",
	)
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("CREATE TABLE those AS SELECT id FROM events WHERE patron_id = 3; UPDATE events SET patron_id = NULL WHERE patron_id = 3").
			Error,
	)
	assert.Equal(
		t,
		before,
		testkit.Text(
			t,
			h,
			"SELECT md5(string_agg((to_jsonb(e) - 'patron_id')::text, '' ORDER BY e.id)) FROM events e JOIN those USING (id)",
		),
	)
	// Where items are agrees with what is on loan, under way and waiting for.
	places := `SELECT count(*)::text FROM (
		(SELECT item_id, 'lent' AS place, id AS ref FROM loans WHERE returned_at IS NULL UNION ALL SELECT item_id, 'under_way', id FROM transits WHERE ended_at IS NULL
			UNION ALL SELECT item_id, CASE state WHEN 'ready' THEN 'hold_shelf' ELSE 'fetching' END, id FROM holds WHERE state IN ('fetching', 'ready')
			UNION ALL SELECT id, 'aside', id FROM items WHERE standing IN ('aside', 'missing', 'withdrawn'))
		EXCEPT SELECT item_id, place, ref FROM whereabouts) x`
	assert.Equal(t, "0", testkit.Text(t, h, places))
	var off int
	require.NoError(
		t,
		testkit.SQL(h).
			Raw("SELECT count(*) FROM patrons p WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)").
			Scan(&off).
			Error,
	)
	assert.Zero(t, off, "balances match the ledger")
}
