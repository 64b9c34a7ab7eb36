// Command world makes a large network in an empty database, set-wise: 50 branches, 1,000,000 items, 300,000 patrons,
// 400,000 open loans, 4,000,000 past ones, 100,000 open holds and 1,250,000 journeys of half a year. It is no demo: nobody reads its names.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"time"

	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/store"
)

// size is a part of the whole: 100 is all of it.
var size = 100

const branches = 50

func main() {
	if len(os.Args) > 1 {
		if _, err := fmt.Sscan(os.Args[1], &size); err != nil || size < 1 {
			fmt.Fprintf(
				os.Stderr,
				"world: found %q; expected how many hundredths of the large world to make, 1 to 100\n",
				os.Args[1],
			)
			os.Exit(2)
		}
	}
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, "world:", err)
		os.Exit(1)
	}
}

func code(n int) string { return fmt.Sprintf("%c%c%c", 'A'+n/26, 'A'+n%26, 'X') }

// network is the rulebook and courier files of the large world: one hub, a van a zone, twice a day.
func network() (rulebook, courier []byte, err error) {
	hours := map[string][]string{}
	days := []string{"mon", "tue", "wed", "thu", "fri", "sat"}
	for _, d := range days {
		hours[d] = []string{"09:00-20:00"}
	}
	var list []map[string]any
	for n := range branches {
		list = append(
			list,
			map[string]any{
				"code":     code(n),
				"name":     fmt.Sprintf("Branch %02d", n),
				"zone":     fmt.Sprintf("zone%d", n/10),
				"timezone": "America/Halifax",
				"hours":    hours,
			},
		)
	}
	rules := []map[string]any{
		{
			"id":    "base",
			"name":  "Base rule",
			"scope": map[string]any{},
			"terms": map[string]any{
				"loan_period":       "P21D",
				"renewals":          2,
				"fine_rate":         "0.25",
				"lost_after":        42,
				"processing_charge": "4.00",
				"hold_shelf_days":   7,
			},
		},
		{
			"id":    "films",
			"name":  "Films a week",
			"scope": map[string]any{"material_class": []string{"film"}},
			"terms": map[string]any{"loan_period": "P7D"},
		},
	}
	if rulebook, err = json.Marshal(map[string]any{"format": "nevrin-rulebook/1", "currency": "CAD",
		"branches": list, "rules": rules, "examples": []any{
			map[string]any{"name": "A film", "given": map[string]any{"lending_branch": code(0),
				"home_branch": code(0), "collection": "general", "material_class": "film",
				"patron_class": "adult", "lent": "2026-10-06T14:00"}, "expect": map[string]any{}},
			map[string]any{"name": "A book", "given": map[string]any{"lending_branch": code(0),
				"home_branch": code(0), "collection": "general", "material_class": "book",
				"patron_class": "adult", "lent": "2026-10-06T14:00"}, "expect": map[string]any{}},
		}}); err != nil {
		return nil, nil, err
	}
	var runs []map[string]any
	for zone := range branches / 10 {
		for half, begin := range []int{8 * 60, 13 * 60} {
			at := func(minute int) string { return fmt.Sprintf("%02d:%02d", minute/60, minute%60) }
			way := []map[string]any{{"branch": code(0), "depart": at(begin)}}
			for k := range 10 {
				if n := zone*10 + k; n > 0 {
					begin += 20
					way = append(way, map[string]any{"branch": code(n), "arrive": at(begin), "depart": at(begin + 5)})
				}
			}
			way = append(way, map[string]any{"branch": code(0), "arrive": at(begin + 25)})
			runs = append(runs, map[string]any{"id": fmt.Sprintf("zone%d-%d", zone, half), "days": days, "stops": way})
		}
	}
	for k := range list {
		list[k]["sort_minutes"], list[k]["receive_minutes"] = 20, 30
	}
	courier, err = json.Marshal(
		map[string]any{"format": "nevrin-courier/1", "timezone": "America/Halifax", "branches": list, "runs": runs},
	)
	return rulebook, courier, err
}

func run(ctx context.Context) error {
	begun := time.Now()
	s, err := store.Open(os.Getenv("DATABASE_URL"), nil)
	if err != nil {
		return err
	}
	if err := s.Migrate(ctx); err != nil {
		return err
	}
	rulebook, courier, err := network()
	if err != nil {
		return err
	}
	if err := rules.SetUp(ctx, s, rules.Network{Name: "A large world", Digits: "1846",
		Timezone: "America/Halifax", Rulebook: rulebook, Courier: courier, From: calendar.MakeDate(2000, 1, 1)}); err != nil {
		return err
	}
	conn, err := s.Pool().Conn(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	for _, step := range steps() {
		if _, err := conn.ExecContext(ctx, step); err != nil {
			return fmt.Errorf("%.80s: %w", step, err)
		}
	}
	fmt.Printf("large world made in %.0f s\n", time.Since(begun).Seconds())
	return nil
}

// names are those of patron g: fifty given names, and family names of three syllables, as unlike each other as names are. Names
// that all share most of their letters would make every search for alike ones read them all.
const names = `(ARRAY['Ada','Bram','Cato','Dora','Elin','Finn','Greta','Hugo','Ines','Jonas','Klara','Leif',
	'Mina','Nils','Oda', 'Pavel','Quinn','Rosa','Sven','Tilda','Ulla','Viktor','Wanda','Xenia',
	'Yusuf','Zora','Amir','Britt','Casper','Dagny', 'Emil','Freya','Goran','Hanne','Ivar','Jette',
	'Kofi','Lotte','Malik','Noor','Oskar','Petra','Rafael','Sigrid','Tomas', 'Una','Vera','Wilma',
	'Yara','Zeno'])[1 + g % 50] || ' ' || (ARRAY['Bar','Cor','Dal','Fen','Gar','Hol','Jor','Kel',
	'Lund','Mar','Nor','Ost','Pel','Rav','Sel','Tor','Ulv','Ven','Wes','Zan', 'Ber','Cal','Dro',
	'Eng','Fro','Gul','Has','Isk','Kro','Lin','Mol'])[1 + (g / 50) % 31] || (ARRAY['a','be','di',
	'em','fi','go','hu','is','ki','lo','mu','na','or','pi','ra','so','ti','um','va','wi','ye','ze',
	'an','el', 'il','on','ut','ar','ey','ob','ul','in','ad','oc','es','ig',
	'ym'])[1 + (g / 1550) % 37] || (ARRAY['berg','dal','en','feld','gard','heim','ing','kov','land',
	'man','nes','quist','ros','stad','ton','vik', 'worth'])[1 + (g / 57350 + g) % 17]`

// steps make the world, table by table. Numbers of things follow from their ids, so that all of it is one sum away.
func steps() []string {
	scaled := func(n int) string { return fmt.Sprint(n * size / 100) }
	fill := strings.NewReplacer(
		"ITEMS",
		scaled(1_000_000),
		"TITLES",
		scaled(400_000),
		"PATRONS",
		scaled(300_000),
		"OPEN",
		scaled(400_000),
		"PAST",
		scaled(4_000_000),
		"HOLDS",
		scaled(100_000),
		"JOURNEYS",
		scaled(1_250_000),
		"LATE",
		scaled(50_000),
		"NOW",
		"timestamptz '2026-10-06 09:12-03'",
		"NAMES", names,
		"TODAY",
		"date '2026-10-06'",
	)
	// check is the digit that makes a number valid after ISO/IEC 7812-1 Annex B.
	const check = `CREATE FUNCTION pg_temp.numbered(kind text, n bigint) RETURNS text LANGUAGE sql IMMUTABLE AS $$
		SELECT d || ((10 - (SELECT sum(CASE WHEN (14 - k) % 2 = 1 THEN (2 * c) / 10 + (2 * c) % 10 ELSE c END)
			FROM (SELECT k, substr(d, k, 1)::int AS c FROM generate_series(1, 13) k) x) % 10) % 10)
		FROM (SELECT kind || '1846' || lpad(n::text, 8, '0') AS d) y $$`
	plain := []string{
		"SET statement_timeout = 0", "SET enable_seqscan = on", "SET session_replication_role = replica",
		"SET synchronous_commit = off", "SET work_mem = '256MB'", "SET maintenance_work_mem = '512MB'", check,
		"INSERT INTO training_clock (shows) VALUES (NOW)",
		"CREATE TEMP TABLE b AS SELECT code, row_number() OVER (ORDER BY position) - 1 AS n FROM branches",
		"CREATE TEMP TABLE e AS SELECT min(id) AS id FROM editions",
		`INSERT INTO staff (id, login, name, role, branch_code, demo) SELECT 1 + n, 'desk' || n, 'Desk ' || n,
				'desk', code, true FROM b
			UNION ALL SELECT 100, 'super', 'Supervisor', 'supervisor', (SELECT code FROM b WHERE n = 0), true`,
		`INSERT INTO patrons (id, card, legal_name, shelf_name, born, class, branch_code, card_until, email,
				phone, address, postal_code, town, school)
			SELECT g, pg_temp.numbered('2', g), NAMES, 'S' || g,
				date '1950-01-01' + (g % 25000)::int, 'adult', b.code, '2030-01-01', 'p' || g || '@post.invalid',
				'902 ' || lpad((g / 10000)::text, 3, '0') || ' ' || lpad((g % 10000)::text, 4, '0'), g ||
				' Quay Street',
				'B' || g % 10 || 'J 2E' || g % 9, 'Town ' || b.n, CASE WHEN g % 5 = 0 THEN 'P' || g ELSE '' END
			FROM generate_series(1, PATRONS) g JOIN b ON b.n = g % 50`,
		`INSERT INTO titles (id, name, author, isbn, year) SELECT g,
				'Word' || g % 1999 || ' of the Word' || g % 7919 || ' ' || g, 'Author' || g % 9973,
				'97999' || lpad(g::text, 8, '0'), 1985 + g % 40
			FROM generate_series(1, TITLES) g`,
		`INSERT INTO items (id, barcode, title_id, branch_code, at_branch, collection, material, call_number, price)
			SELECT g, pg_temp.numbered('3', g), 1 + (g::bigint * 7919) % TITLES, b.code, b.code, 'general',
				CASE WHEN g % 12 = 0 THEN 'film' ELSE 'book' END, 'FIC ' || g % 999, 2000
			FROM generate_series(1, ITEMS) g JOIN b ON b.n = g % 50`,
		`INSERT INTO loans (id, item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, returned_at)
			SELECT 10000000 + g, 1 + g % ITEMS, 1 + (g * 31) % PATRONS, b.code, e.id, ARRAY[b.code, b.code,
				'general', 'book', 'adult'],
				NOW - interval '1 day' - (PAST - g) * interval '30 days' / (PAST / 13),
					(NOW - (PAST - g) * interval '30 days' / (PAST / 13))::date + 20,
					NOW - interval '1 day' - (PAST - g) * interval '30 days' / (PAST / 13) + interval '9 days'
			FROM generate_series(1, PAST) g JOIN b ON b.n = (1 + g % ITEMS) % 50 CROSS JOIN e`,
		"UPDATE loans SET returned_at = NOW - interval '1 hour' WHERE returned_at > NOW",
		`INSERT INTO loans (id, item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date)
			SELECT 20000000 + g, g, 1 + (g * 17) % PATRONS, b.code, e.id, ARRAY[b.code, b.code, 'general', 'book',
				'adult'],
				NOW - (CASE WHEN g <= LATE THEN 25 ELSE g % 20 END) * interval '1 day' - interval '10 minutes',
					CASE WHEN g <= LATE THEN TODAY - 4 ELSE TODAY + 21 - (g % 20)::int END
			FROM generate_series(1, OPEN) g JOIN b ON b.n = g % 50 CROSS JOIN e`,
		// Half of the holds wait for titles that are out; the others are fetched, ready or moving.
		`INSERT INTO holds (id, title_id, patron_id, pickup, placed_at, place, state)
			SELECT 30000000 + g, i.title_id, 1 + (g * 13) % PATRONS, b.code, NOW - (g % 900) * interval '1 hour', g,
				'waiting'
			FROM generate_series(1, HOLDS / 2) g JOIN items i ON i.id = 1 + g % OPEN JOIN b ON b.n = (g / 7) % 50
				ON CONFLICT DO NOTHING`,
		`INSERT INTO holds (id, title_id, patron_id, pickup, placed_at, place, state, item_id, fetch_at, promised_at,
				ready_at, shelf_until)
			SELECT 31000000 + g, i.title_id, 1 + (g * 19) % PATRONS,
				CASE g % 3 WHEN 2 THEN o.code ELSE i.at_branch END, NOW - (g % 200) * interval '1 hour', g,
				(ARRAY['fetching', 'ready', 'moving'])[1 + g % 3], i.id, CASE g % 3 WHEN 0 THEN i.at_branch END,
				NOW + interval '1 day',
				CASE g % 3 WHEN 1 THEN NOW - interval '1 day' END, CASE g % 3 WHEN 1 THEN TODAY + (g % 7)::int END
			FROM generate_series(1, HOLDS / 2) g JOIN items i ON i.id = OPEN + 1 + g * 3
				JOIN b o ON o.n = (i.id + 3) % 50 ON CONFLICT DO NOTHING`,
		`INSERT INTO transits (id, item_id, from_branch, to_branch, hold_id, sent_at, promised_at)
			SELECT h.id + 5000000, h.item_id, i.at_branch, h.pickup, h.id, NOW - interval '3 hours',
				NOW + interval '20 hours' FROM holds h JOIN items i ON i.id = h.item_id WHERE h.state = 'moving'
				AND i.at_branch <> h.pickup`,
		// Half a year of journeys: every other one for a hold, each thing again and again to the same branch.
		`INSERT INTO holds (id, title_id, patron_id, pickup, placed_at, place, state, item_id, ready_at, closed_at)
			SELECT 60000000 + g, i.title_id, 1 + (g * 23) % PATRONS, o.code,
				NOW - (JOURNEYS - g) * interval '180 days' / JOURNEYS - interval '3 days', g, 'filled', i.id,
				NOW - (JOURNEYS - g) * interval '180 days' / JOURNEYS,
				NOW - (JOURNEYS - g) * interval '180 days' / JOURNEYS
			FROM generate_series(1, JOURNEYS, 2) g JOIN items i ON i.id = 1 + g % (ITEMS / 3)
				JOIN b o ON o.n = (i.id + 7) % 50`,
		`INSERT INTO transits (id, item_id, from_branch, to_branch, hold_id, sent_at, promised_at, ended_at)
			SELECT 65000000 + g, i.id, CASE g % 2 WHEN 1 THEN i.branch_code ELSE o.code END,
				CASE g % 2 WHEN 1 THEN o.code ELSE i.branch_code END, CASE g % 2 WHEN 1 THEN 60000000 + g END,
				NOW - (JOURNEYS - g) * interval '180 days' / JOURNEYS - interval '26 hours',
				NOW - (JOURNEYS - g) * interval '180 days' / JOURNEYS,
				NOW - (JOURNEYS - g) * interval '180 days' / JOURNEYS
			FROM generate_series(1, JOURNEYS) g JOIN items i ON i.id = 1 + g % (ITEMS / 3)
				JOIN b o ON o.n = (i.id + 7) % 50`,
		"DELETE FROM holds h WHERE state = 'moving' AND NOT EXISTS (SELECT 1 FROM transits t WHERE t.hold_id = h.id)",
		"UPDATE items i SET at_branch = h.pickup FROM holds h WHERE h.item_id = i.id AND h.state = 'ready'",
		`INSERT INTO whereabouts SELECT item_id, 'lent', id FROM loans WHERE returned_at IS NULL
				UNION ALL SELECT item_id, 'under_way', id FROM transits WHERE ended_at IS NULL
			UNION ALL SELECT item_id, CASE state WHEN 'ready' THEN 'hold_shelf' ELSE 'fetching' END, id FROM holds
				WHERE state IN ('fetching', 'ready')`,
		`INSERT INTO ledger (id, patron_id, kind, amount, about, at) SELECT 40000000 + g, 1 + (g * 11) % PATRONS,
				'charge', 25 * (1 + g % 8), 'late', NOW - interval '20 days' FROM generate_series(1, PATRONS / 5) g`,
		`UPDATE patrons p SET balance = l.sum
		FROM (SELECT patron_id, sum(amount) AS sum FROM ledger GROUP BY 1) l WHERE l.patron_id = p.id`,
		`INSERT INTO events (id, at, kind, staff_id, branch_code, patron_id, item_id,
				loan_id) SELECT 50000000 + l.id, l.lent_at, 'lent', 1, l.branch_code, l.patron_id, l.item_id, l.id
				FROM loans l`,
		`INSERT INTO events (id, at, kind, staff_id, branch_code, patron_id, item_id,
				loan_id) SELECT 90000000 + l.id, l.returned_at, 'returned', 1, l.branch_code, l.patron_id,
				l.item_id, l.id FROM loans l WHERE l.returned_at IS NOT NULL`,
		`INSERT INTO loan_counts (month, situation, n)
			SELECT date_trunc('month', lent_at)::date, situation, count(*) FROM loans GROUP BY 1, 2`,
		"SELECT setval('ids', 200000000)",
		"SET session_replication_role = DEFAULT", "ANALYZE",
	}
	for k, step := range plain {
		plain[k] = fill.Replace(step)
	}
	return plain
}
