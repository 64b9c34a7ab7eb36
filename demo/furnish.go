package demo

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// furnish writes what an administrator would have set up: addresses, stations, lists to choose from, ages of classes.
func (g *generator) furnish(ctx context.Context, tx pgx.Tx) error {
	batch := &pgx.Batch{}
	for _, b := range g.file.Branches {
		batch.Queue("UPDATE branches SET address = $2, phones = $3 WHERE code = $1", b.Code, b.Address, b.Phones)
	}
	for k, c := range g.file.Choices {
		var amount, loud any = nil, false
		if len(c) > 3 {
			switch v := c[3].(type) {
			case float64:
				amount = int64(v)
			default:
				loud = v
			}
		}
		batch.Queue("INSERT INTO choices (list, code, name, position, amount, loud) VALUES ($1, $2, $3, $4, $5, $6)",
			c[0], c[1], c[2], k, amount, loud)
	}
	for _, s := range g.file.Stations {
		batch.Queue(
			"INSERT INTO stations (branch_code, name, paper, slips, sounds, sort_room) VALUES ($1, $2, $3, $4, $5, $6)",
			s...)
	}
	for _, e := range Equipped {
		batch.Queue("UPDATE stations SET pad = 'ws://127.0.0.1:1/', terminal = '127.0.0.1:1' WHERE branch_code = $1 AND name = $2",
			e.Branch, e.Station)
	}
	for class, ages := range g.file.Ages {
		batch.Queue(
			"UPDATE classes SET from_age = $2::float8, to_age = $3::float8, next = $4 WHERE kind = 'patron' AND code = $1",
			append([]any{class}, ages...)...)
	}
	// What a year of registering has written down: identities, towns and postal codes, guardians of the young, notes, answers.
	for _, statement := range []string{
		`UPDATE patrons p SET town = b.name, postal_code = 'B0' || chr(65 + b.position) || ' 1' || chr(65 + (p.id % 5)::int) || (p.id % 9),
			identity = (ARRAY['Driving licence', 'Passport', 'Health card', ''])[1 + (p.id % 4)::int], in_area = true,
			joined_on = DATE '2026-10-06' - (p.id % 2000)::int FROM branches b WHERE b.code = p.branch_code AND p.class <> 'partner'`,
		`UPDATE patrons SET institution = true WHERE class = 'partner'`,
		`UPDATE patrons p SET guardian_id = g.id FROM (SELECT DISTINCT ON (household_id) household_id, id FROM patrons
				WHERE born < DATE '2000-01-01' ORDER BY household_id, id) g
			WHERE g.household_id = p.household_id AND p.born > DATE '2008-10-06' AND g.id <> p.id`,
		`UPDATE patrons p SET answers_for_all = true WHERE id IN (SELECT guardian_id FROM patrons)`,
		`INSERT INTO patron_notes (patron_id, kind, text, at, staff_id) SELECT id, 'desk', 'Ask for the key of the boat shed, lent in August.',
			'2026-08-30 15:00-03', 2 FROM patrons WHERE household_id = 1 AND class = 'adult' ORDER BY id LIMIT 1`,
		`INSERT INTO patron_notes (patron_id, kind, text, at, staff_id) SELECT id, 'quiet', 'Likes to be told of new large print.',
			'2026-05-12 11:00-03', 2 FROM patrons WHERE class = 'housebound' AND id % 5 = 0`,
		`INSERT INTO consents (patron_id, what, answer, at, reason) SELECT id, 'older_reader', CASE WHEN older_reader THEN 'yes' ELSE 'no' END,
			joined_on, 'At registration' FROM patrons WHERE older_reader IS NOT NULL`,
		`UPDATE patrons SET marks = '{Volunteer}' WHERE class = 'adult' AND id % 97 = 0`,
		// Details are asked for again after three years; most have said lately that they are right.
		`UPDATE network SET settings = settings || '{"confirm_months": 36, "sign_ups": {"open": true, "card_days": 14}, "counter": {"photos": true}}'`,
		`UPDATE patrons SET confirmed_on = DATE '2026-09-28' - (id % 400)::int WHERE id % 5 <> 0 AND class <> 'partner'`,
		// The housebound come before all others; a copy may stay where it came back if that costs nobody more than three days.
		`UPDATE network SET settings = settings || '{"holds": {"order": {"first": ["housebound"], "last": ["staff"]}, "local_days": 3,
			"fetch_most": {"UTM": 12, "SKN": 8}}}'`,
		`UPDATE holds h SET band = CASE p.class WHEN 'housebound' THEN -1 ELSE 1 END FROM patrons p
			WHERE p.id = h.patron_id AND p.class IN ('housebound', 'staff') AND h.closed_at IS NULL`,
		// Saltmere's public hold shelf has numbered slots. Some of those who have something there wait for a call.
		`UPDATE branches SET slots = 30 WHERE code = 'SLM'`,
		`UPDATE holds SET slot = 1 + (id % 30)::int WHERE pickup = 'SLM' AND state = 'ready'`,
		`WITH called AS (INSERT INTO messages (kind, patron_id, channel, address, subject, body, state, at)
			SELECT 'hold_ready', h.patron_id, 'phone', p.phone, '', '', 'by_hand', h.ready_at
			FROM holds h JOIN patrons p ON p.id = h.patron_id WHERE h.state = 'ready' AND p.email = '' RETURNING id, patron_id, at)
			INSERT INTO notices (kind, plan, patron_id, recipient_id, channel, branch_code, hold_id, due_at, message_id, state, at)
			SELECT 'hold_ready', 'hold_ready', h.patron_id, h.patron_id, 'phone', h.pickup, h.id, h.ready_at, c.id, 'told', h.ready_at
			FROM called c JOIN holds h ON h.patron_id = c.patron_id AND h.ready_at = c.at AND h.state = 'ready'`,
		// What partners were promised is fetched, or waits to be packed.
		`INSERT INTO holds (title_id, patron_id, pickup, only_item, placed_at, place, state, item_id, fetch_at, ready_at, shelf_until, request_id)
			SELECT i.title_id, p.patron_id, 'HVH', i.id, r.moved_at, coalesce((SELECT max(place) FROM holds h WHERE h.title_id = i.title_id), 0) + 1,
				s.state, i.id, CASE s.state WHEN 'fetching' THEN i.at_branch END, CASE s.state WHEN 'ready' THEN r.moved_at + interval '6 hours' END,
				CASE s.state WHEN 'ready' THEN r.moved_at::date + 10 END, r.id
			FROM requests r JOIN partners p ON p.id = r.partner_id JOIN items i ON i.id = r.item_id
				CROSS JOIN LATERAL (SELECT CASE WHEN i.at_branch = 'HVH' AND r.id % 2 = 0 THEN 'ready' ELSE 'fetching' END AS state) s
			WHERE r.role = 'supplying' AND r.stage = 'promised'`,
		`UPDATE partners SET (address, way, days) = (SELECT v.address, v.way, v.days FROM (VALUES
			('KELMOUTH', E'Library, interlibrary loans\n1 College Green\nKelmouth B4K 2A1', 'courier', 1),
			('PSABEL', E'12 Breakwater Road\nPort Sabel B5S 1C3', 'courier', 2), ('ARDLANE', E'County Hall\nArdlane B6A 4D2', 'post', 4),
			('TIDEINST', E'Institute library\n3 Sluice Lane\nHavenhead B0A 1T7', 'courier', 1), ('GLENFERR', E'88 High Street\nGlenferrin B7G 3E5', 'post', 4),
			('LORROW', E'The Abbey\nLorrow B8L 1F6', 'post', 5)) v(symbol, address, way, days) WHERE v.symbol = partners.symbol)`,
		// Some are written to in French, some get text messages.
		`UPDATE network SET settings = settings || '{"notices": {"languages": ["en", "fr"], "text_sender": "+19025550100", "country": "CA"}}'`,
		`UPDATE patrons SET language = 'fr' WHERE id % 15 = 7 AND class <> 'partner'`,
		`UPDATE patrons SET text_number = '902 555 01' || lpad((id % 100)::text, 2, '0') WHERE id % 6 = 1 AND class IN ('adult', 'youth', 'senior')`,
		`UPDATE patrons SET notices = notices || '{"hold_ready": "text"}' WHERE id % 24 = 1 AND text_number <> ''`,
		// What patrons are told of beside what is usual: staff and children apart, and reminders before something is due.
		`INSERT INTO plans (code, doc) VALUES
			('overdue_staff', ` + told("Overdue, staff", "overdue", 10, `[{"days": 7, "wording": "overdue"}]`, "patron", `["mail"]`, `["staff"]`) + `),
			('overdue_children', ` + told("Overdue, children", "overdue", 20,
			`[{"days": 3, "wording": "overdue"}, {"days": 14, "wording": "overdue_again"}]`, "guardian", `["mail", "letter"]`, `["child", "youth"]`) + `),
			('before_due', ` + told("Due soon", "before_due", 100, `[{"days": 2, "wording": "before_due"}]`, "patron", `["mail"]`, `[]`) + `),
			('hold_expiring', ` + told("Hold about to expire", "hold_expiring", 100, `[{"days": 2, "wording": "hold_expiring"}]`, "patron", `["mail", "phone"]`, `[]`) + `),
			('lost', ` + told("Lost, with its bill", "lost", 100, `[{"days": 0, "wording": "lost"}]`, "patron", `["mail", "letter"]`, `[]`) + `)`,
		// Havenhead has three bins. Money is booked under numbers of the county's own.
		`UPDATE branches SET bins = '{Front door,Quay kerb,Station}' WHERE code = 'HVH'`,
		`UPDATE network SET settings = settings || '{"money": {"till": false, "invoice_days": 30,
			"invoice_sender": "Orrin Sound Libraries\n1 Quay Street\nHavenhead",
			"invoice_foot": "Please pay to the county''s account, with the number of this invoice.",
			"accounts": {"bank": "1000", "cash": "1010", "card": "1020", "cheque": "1030", "receivable": "1200",
				"refunds": "2100", "carried": "3900", "income_late": "4110", "income_lost": "4120",
				"income_processing": "4130", "income_uncollected": "4140", "income_outside": "4150",
				"income_manual": "4160", "income_membership": "4200", "waived": "5100", "rounding": "5900",
				"differences": "5910"}}}'`,
		// A school that is invoiced, with what it owes; a charge that somebody does not accept; one to be refunded.
		`UPDATE patrons SET institution = true, legal_name = 'Quay Street School', preferred_name = '',
			shelf_name = 'QSS', born = NULL, household_id = NULL, address = '9 Quay Street'
			WHERE id = (SELECT min(id) FROM patrons WHERE branch_code = 'HVH' AND class = 'educator')`,
		`INSERT INTO ledger (patron_id, kind, amount, about, reason, at, staff_id, branch_code)
			SELECT p.id, 'charge', c.amount, 'manual', c.reason, '2026-09-29 15:30-03', 3, 'HVH' FROM patrons p,
				(VALUES (4200, 'Atlas of the Sound, soaked on an outing'),
					(1800, 'Six library bags for the reading club')) c (amount, reason)
			WHERE p.legal_name = 'Quay Street School'`,
		`INSERT INTO disputes (charge_id, says, at, staff_id)
			SELECT c.id, 'Says the book stood in the return slot on the day it was due', '2026-10-05 17:20-03', 3
			FROM ledger c JOIN patrons p ON p.id = c.patron_id AND p.balance > 0 AND p.branch_code = 'HVH'
			WHERE c.kind = 'charge' AND c.about = 'late'
				AND NOT EXISTS (SELECT 1 FROM ledger s WHERE s.settles = c.id) ORDER BY c.id DESC LIMIT 1`,
		`INSERT INTO ledger (patron_id, kind, amount, settles, loan_id, about, reason, at, staff_id, branch_code)
			SELECT c.patron_id, 'refund', c.amount, c.id, c.loan_id, c.about, 'Found on the shelf, never taken in',
				'2026-10-05 16:40-03'::timestamptz, 3, 'HVH'
			FROM ledger c JOIN ledger s ON s.settles = c.id AND s.kind = 'payment' AND s.amount = -c.amount
			JOIN patrons p ON p.id = c.patron_id AND p.branch_code = 'HVH'
			WHERE c.kind = 'charge' AND c.about = 'late' AND c.at > '2026-09-01' ORDER BY c.id LIMIT 1`,
		`INSERT INTO ledger (patron_id, kind, amount, settles, loan_id, about, reason, at, staff_id, branch_code)
			SELECT patron_id, 'correction', -amount, settles, loan_id, about, reason, at, staff_id, branch_code
			FROM ledger WHERE kind = 'refund'`,
		// Two schools list their pupils by numbers of their own; classes are those of a year and a letter.
		`UPDATE patrons SET school = branch_code || lpad((id % 100000)::text, 5, '0'),
			school_year = (extract(year FROM age(DATE '2026-09-01', born)) - 5)::int::text
			WHERE branch_code IN ('HVH', 'LNF') AND born BETWEEN DATE '2011-09-01' AND DATE '2020-08-31'`,
		`INSERT INTO rosters (kind, name, branch_code, school, school_year, made_at)
			SELECT DISTINCT 'class', school_year || CASE id % 2 WHEN 0 THEN 'a' ELSE 'b' END, branch_code,
				CASE branch_code WHEN 'HVH' THEN 'Quay Street School' ELSE 'Lanternfield School' END, school_year,
					timestamptz '2026-09-03 10:00-03'
			FROM patrons WHERE school <> '' AND branch_code IN ('HVH', 'LNF')`,
		`INSERT INTO roster_members (roster_id, kind, patron_id, since) SELECT r.id, 'class', p.id, r.made_at FROM patrons p
			JOIN rosters r ON r.branch_code = p.branch_code AND r.name = p.school_year ||
				CASE p.id % 2 WHEN 0 THEN 'a' ELSE 'b' END
			WHERE p.school <> ''`,
		`WITH club AS (INSERT INTO rosters (kind, name, branch_code, made_at, adult_id) SELECT 'club', 'Tide Pool Readers', 'HVH',
				timestamptz '2026-05-02 14:00-03', min(id) FROM patrons WHERE branch_code = 'HVH'
					AND class = 'adult' RETURNING id, made_at)
			INSERT INTO roster_members (roster_id, kind, patron_id, since) SELECT club.id, 'club', p.id,
			club.made_at FROM club,
				(SELECT id FROM patrons WHERE branch_code = 'HVH' AND born > DATE '2012-01-01' ORDER BY id LIMIT 14) p`,
		// One class of this year is half filled: its list came late.
		`DELETE FROM roster_members WHERE roster_id = (SELECT min(id) FROM rosters WHERE kind = 'class' AND branch_code = 'LNF' AND name = '2b')
			AND patron_id % 4 <> 0`,
		// Yesterday's till at Havenhead came out two dollars short, and says why.
		`INSERT INTO tills (branch_code, name, opened_at, opened_by, laid_in, closed_at, closed_by, due_cash, due_card, due_cheque,
				counted_cash, counted_card, counted_cheque, says)
			VALUES ('HVH', 'Front desk', '2026-10-05 09:02-03', 3, 8000, '2026-10-05 20:04-03', 3, 14725, 5200, 0, 14525, 5200, 0,
				'Two dollars short. A payment may have been given change twice around noon.')`,
		// Somebody who is here already has signed up too, and two who are new.
		`INSERT INTO sign_ups (at, branch_code, record) SELECT timestamptz '2026-10-05 21:12-03', 'HVH', jsonb_build_object('legal_name', legal_name,
			'born', born, 'email', email, 'phone', phone, 'address', address, 'branch', 'HVH') FROM patrons
			WHERE branch_code = 'HVH' AND class = 'adult' AND email <> '' ORDER BY id LIMIT 1`,
		`INSERT INTO sign_ups (at, branch_code, record) VALUES
			('2026-10-05 22:40-03', 'QRW', '{"legal_name": "Juniper Askeland", "born": "1995-02-11",
			"email": "juniper.askeland@post.example", "address": "2 Weir Row", "postal_code": "B0B 1A4",
				"town": "Quarrow", "branch": "QRW"}'),
			('2026-10-06 07:03-03', 'HVH', '{"legal_name": "Tobin Reyes", "born": "2014-07-30",
				"guardian_name": "Mara Reyes",
				"phone": "902 555 0184", "address": "31 Quay Street", "town": "Havenhead", "branch": "HVH"}')`,
	} {
		batch.Queue(statement)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return fmt.Errorf("furnishing: %w", err)
	}
	return nil
}

// told is a plan of notices as SQL.
func told(name, kind string, position int, stages, to, ways, classes string) string {
	return fmt.Sprintf(`'{"name": %q, "kind": %q, "active": true, "position": %d, "trusted": false, "stages": %s, "open_days": false, "to": %q,
		"ways": %s, "for": {"classes": %s, "homes": [], "branches": [], "materials": [], "collections": [], "owners": [], "rosters": []}}'`,
		name, kind, position, stages, to, ways, classes)
}
