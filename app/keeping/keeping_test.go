package keeping_test

import (
	"context"
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/history"
	"nevrin/app/keeping"
	"nevrin/app/night"
	"nevrin/app/people"
	"nevrin/app/returns"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store"
	"nevrin/testkit"
)

// tonight is the night of the small world's day.
var tonight = calendar.MakeDate(2026, 10, 6)

// lentAndBack lends a new title to somebody and takes it back, so many days ago, with a fine where one is given.
func lentAndBack(t *testing.T, w *testkit.World, who act.Actor, patron int64, daysAgo int, fine int) (loan int64) {
	t.Helper()
	_, items := w.Title("HVH")
	loan = w.LentAndBack(who, patron, items[0], daysAgo)
	if fine > 0 {
		w.Set("INSERT INTO ledger (patron_id, kind, amount, about, loan_id, at, why) VALUES (?, 'charge', ?, 'late', ?, now(), '{}')", patron, fine, loan)
	}
	return loan
}

func nightly(t *testing.T, w *testkit.World, steps ...string) {
	t.Helper()
	w.Set("DELETE FROM nights")
	for _, s := range steps {
		require.NoError(t, night.Step(context.Background(), w.House, tonight, s))
	}
}

// The night cuts what is due off, by the patron's choice before the network's, and nothing for which something is owed.
func TestHistoryIsCutOff(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	usual, none, long := w.Patron("HVH"), w.Patron("HVH"), w.Patron("HVH")
	nothing, years := 0, 24
	testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) {
		return keeping.Choose(a, none, keeping.Choice{Months: &nothing})
	})
	testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) {
		return keeping.Choose(a, long, keeping.Choice{Months: &years, Seen: true})
	})
	fresh := lentAndBack(t, w, here, usual, 20, 0)
	old := lentAndBack(t, w, here, usual, 40, 0)
	owed := lentAndBack(t, w, here, usual, 40, 200)
	atOnce := lentAndBack(t, w, here, none, 1, 0)
	kept := lentAndBack(t, w, here, long, 400, 0)
	title, _ := w.Title("HVH")
	hold := `INSERT INTO holds (title_id, patron_id, pickup, placed_at, place, state, closed_at)
		VALUES (?, ?, 'HVH', now(), 1, 'filled', now()) RETURNING id::text`
	wanted := w.Ask(hold, title, usual)
	w.Set("UPDATE loans SET filled_hold = ?, filled_from = 'ready' WHERE id = ?", wanted, old)
	w.Set("INSERT INTO events (at, kind, patron_id, hold_id) VALUES (now(), 'hold_placed', ?, ?)", usual, wanted)
	before := w.Ask("SELECT count(*)::text FROM events")
	nightly(t, w, "history")
	assert.Equal(t, "nobody nobody", w.Ask(`SELECT coalesce(h.patron_id::text, 'nobody') || ' ' || coalesce(e.patron_id::text, 'nobody')
		FROM holds h JOIN events e ON e.hold_id = h.id WHERE h.id = ?`, wanted), "so is the hold that the loan filled")
	whose := func(loan int64) string {
		return w.Ask("SELECT coalesce(patron_id::text, 'nobody') FROM loans WHERE id = ?", loan)
	}
	assert.NotEqual(t, "nobody", whose(fresh))
	assert.Equal(t, "nobody", whose(old))
	assert.NotEqual(t, "nobody", whose(owed), "as long as something is owed for it")
	assert.Equal(t, "nobody", whose(atOnce), "who wants none kept has none the day after")
	assert.NotEqual(t, "nobody", whose(kept))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM events WHERE loan_id = ? AND patron_id IS NOT NULL", old))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM return_lines WHERE loan_id = ? AND patron_id IS NOT NULL", old))
	assert.NotEqual(t, "0", w.Ask("SELECT count(*)::text FROM events WHERE loan_id = ?", old), "what happened stays")
	assert.Equal(t, "2", w.Ask("SELECT sum((detail->>'count')::int)::text FROM events WHERE kind = 'cut_off'"), "and the night says how much it has cut")
	assert.NotEqual(t, before, w.Ask("SELECT count(*)::text FROM events"))

	w.Set("INSERT INTO ledger (patron_id, kind, amount, about, settles, loan_id, at) SELECT patron_id, 'payment', -200, 'late', id, loan_id, now() FROM ledger WHERE loan_id = ?", owed)
	nightly(t, w, "history")
	assert.Equal(t, "nobody", whose(owed))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM ledger WHERE loan_id IS NOT NULL"), "the books say no more of what")
	assert.Equal(t, "0", w.Ask("SELECT sum(amount)::text FROM ledger WHERE patron_id = ?", usual), "but all of how much")
}

// Many loans are cut in parts, each once, whatever order they ended in.
func TestManyAreCutInParts(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	p := w.Patron("HVH")
	loan := lentAndBack(t, w, here, p, 40, 0)
	w.Set(`INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, returned_at)
		SELECT item_id, patron_id, branch_code, edition_id, situation, lent_at - make_interval(secs => n), due_date,
			returned_at - make_interval(secs => n / 3) FROM loans, generate_series(1, 4500) n WHERE id = ?`, loan)
	nightly(t, w, "history")
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM loans WHERE patron_id IS NOT NULL"))
}

func TestOtherThingsAreCutOff(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Supervisor, "HVH")
	p := w.Patron("HVH")
	w.Set("INSERT INTO readings (at, staff_id, kind, patron_id) SELECT '2026-10-06'::timestamptz - make_interval(months => n), ?, 'opened', ? FROM generate_series(0, 14) n", here.ID, p)
	w.Set("INSERT INTO messages (kind, patron_id, address, subject, body, state, at) SELECT 'ready', ?, 'a@example.invalid', 's', 'b', s, '2026-10-06'::timestamptz - make_interval(months => n) FROM generate_series(0, 8) n, unnest(ARRAY['sent', 'unclear']) s", p)
	title, _ := w.Title("HVH")
	w.Set("INSERT INTO holds (title_id, patron_id, pickup, placed_at, place, state, closed_at) SELECT ?, ?, 'HVH', '2025-01-01', n, 'cancelled', '2026-10-06'::timestamptz - make_interval(months => n) FROM generate_series(0, 8) n", title, p)
	nightly(t, w, "ended", "messages", "readings")
	assert.Equal(t, "12", w.Ask("SELECT count(*)::text FROM readings"))
	assert.Equal(t, "6 9", w.Ask("SELECT count(*) FILTER (WHERE state = 'sent') || ' ' || count(*) FILTER (WHERE state = 'unclear') FROM messages"),
		"what is not done with stays")
	assert.Equal(t, "6", w.Ask("SELECT count(*)::text FROM holds WHERE patron_id IS NOT NULL"))

	usual := settings.Usual()
	usual.Keep.Readings = 2
	testkit.Do(t, w.House, here, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Put(a, "settings", "", 0, usual) })
	nightly(t, w, "readings")
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM readings"), "by what the network settles")
	assert.Equal(t, "12 2", w.Ask(`SELECT (was->'keep'->>'readings') || ' ' || ("is"->'keep'->>'readings') FROM changes`))
}

// What is kept of a patron is taken away as a file, whole.
func TestAllThatIsKept(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	p := w.Patron("HVH")
	lentAndBack(t, w, here, p, 3, 150)
	data := testkit.Do(t, w.House, here, func(a *act.Act) ([]byte, error) { return keeping.All(a, p) })
	var all map[string][]map[string]any
	var parts map[string]json.RawMessage
	require.NoError(t, json.Unmarshal(data, &parts))
	for _, name := range []string{"network", "currency", "written_at"} {
		assert.NotEmpty(t, parts[name])
		delete(parts, name)
	}
	rest, err := json.Marshal(parts)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(rest, &all))
	assert.Len(t, all["patron"], 1)
	assert.Len(t, all["loans"], 1)
	assert.InDelta(t, 150, all["account"][0]["minor_units"], 0)
	assert.NotEmpty(t, all["events"])
	assert.Equal(t, "taken_out", all["opened_by"][len(all["opened_by"])-1]["kind"], "taking it out is kept too")
	// Every table that names patrons is in it, or named here with why it is not.
	var tables []string
	require.NoError(t, testkit.SQL(w.House).Raw(`SELECT table_name FROM information_schema.columns
		WHERE column_name = 'patron_id' AND table_schema = 'public' AND table_name NOT LIKE 'events\_%' ORDER BY 1`).Scan(&tables).Error)
	assert.Equal(t, []string{"claims", "consents", "events", "former_cards", "holds", "invoices", "ledger", "loans", "messages", "notices", "partners", "patron_notes", "patron_photos", "patron_places", "patron_sessions", "readings", "reports", "requests", "return_lines", "roster_members", "sign_ups", "sweep_lines", "terminal_payers"},
		tables, "partners are libraries; lines of returns and of sweeps say what loans and events say; who pays at a terminal is gone in a minute")
}

// Forgetting names first what is open; then nothing tells any more who it was, and no figure changes.
func TestForgetting(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	p := w.Patron("HVH")
	w.Set("UPDATE patrons SET legal_name = 'Lark Unmistakable', email = 'lark@example.invalid', address = 'Unmistakable Lane', town = 'Unmistakable', home_address = 'unmistakable', may_use = '{Unmistakable}', guardian_name = 'Unmistakable', school = 'unmistakable', identity_number = 'unmistakable' WHERE id = ?", p)
	w.Set("WITH h AS (INSERT INTO households (name) VALUES ('Unmistakable') RETURNING id) UPDATE patrons SET household_id = h.id FROM h WHERE patrons.id = ?", p)
	w.Set("INSERT INTO patron_notes (patron_id, kind, text, at) VALUES (?, 'desk', 'Unmistakable', now())", p)
	w.Set("INSERT INTO consents (patron_id, what, answer, at, reason) VALUES (?, 'photo', 'no', now(), 'Unmistakable')", p)
	w.Set("INSERT INTO former_cards (card, patron_id, ended_at, why) VALUES ('24321000000994', ?, now(), 'Unmistakable')", p)
	w.Set(`INSERT INTO sign_ups (at, branch_code, record, patron_id) VALUES (now(), 'HVH', '{"legal_name": "Unmistakable"}', ?)`, p)
	w.Set("WITH r AS (INSERT INTO rosters (kind, name, branch_code, made_at) VALUES ('club', 'Chess', 'HVH', now()) RETURNING id) INSERT INTO roster_members SELECT id, 'club', ?, now() FROM r", p)
	lentAndBack(t, w, boss, p, 3, 150)
	_, items := w.Title("HVH")
	testkit.Do(t, w.House, boss, func(a *act.Act) (*desk.Result, error) { return desk.Lend(a, desk.Lending{Item: items[0], Patron: p}) })
	forget := func() (*keeping.Forgetting, error) {
		return testkit.Try(w.House, boss, func(a *act.Act) (*keeping.Forgetting, error) { return keeping.Forget(a, p) })
	}
	_, err := forget()
	assert.EqualError(t, err, "The data of Lark Unmistakable cannot be deleted yet: 1 loan, $1.50 owed. Settle this first.")
	run := testkit.Do(t, w.House, boss, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	testkit.Do(t, w.House, boss, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, items[0]) })
	w.Set("INSERT INTO ledger (patron_id, kind, amount, about, settles, at) SELECT patron_id, 'payment', -150, 'late', id, now() FROM ledger WHERE patron_id = ?", p)
	w.Set("UPDATE patrons SET stopped = 'unmistakable', standing_reason = 'unmistakable' WHERE id = ?", p)
	figures := `SELECT (SELECT count(*) FROM loans) || ' ' || (SELECT count(*) FROM ledger) || ' ' || (SELECT sum(abs(amount)) FROM ledger)
		|| ' ' || (SELECT count(*) FROM events WHERE kind <> 'forgotten') || ' ' || (SELECT count(*) FROM return_lines) || ' ' || (SELECT count(*) FROM patrons)`
	before := w.Ask(figures)
	f, err := forget()
	require.NoError(t, err)
	assert.Contains(t, f.Says, "2 loans")
	assert.Equal(t, before, w.Ask(figures))
	for _, table := range []string{"loans", "holds", "messages", "notices", "return_lines", "events", "readings", "reports", "requests", "patron_notes", "consents", "former_cards"} {
		assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM "+table+" WHERE patron_id = ?", p), table)
	}
	// No text of any table says who it was.
	var columns []struct{ TableName, ColumnName string }
	require.NoError(t, testkit.SQL(w.House).Raw(`SELECT c.table_name, c.column_name FROM information_schema.columns c
		JOIN information_schema.tables t USING (table_schema, table_name) WHERE c.table_schema = 'public' AND t.table_type = 'BASE TABLE'
		AND c.data_type IN ('text', 'jsonb', 'ARRAY')`).Scan(&columns).Error)
	for _, c := range columns {
		assert.Equal(t, "0", w.Ask(`SELECT count(*)::text FROM "`+c.TableName+`" WHERE "`+c.ColumnName+`"`+"::text ILIKE '%unmistakable%'"),
			c.TableName+"."+c.ColumnName)
	}
	_, err = testkit.Try(w.House, boss, func(a *act.Act) (*people.Card, error) { return people.Open(a, p) })
	assert.EqualError(t, err, "There is no such patron.")
	found := testkit.Do(t, w.House, boss, func(a *act.Act) ([]people.Found, error) {
		rows, _, err := people.Find(a, "forgotten", store.Page{})
		return rows, err
	})
	assert.Empty(t, found)
	_, err = forget()
	assert.EqualError(t, err, "There is no such patron.")
}

// The account of a library outside is nobody to be forgotten; and of a household the others stay.
func TestWhoIsNotForgotten(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	library, one, other := w.Patron("HVH"), w.Patron("HVH"), w.Patron("HVH")
	w.Set("INSERT INTO partners (symbol, name, sru_url, message_url, secret_digest, patron_id) VALUES ('KELM', 'Kelmouth', '', '', sha256('x'), ?)", library)
	forget := func(p int64) error {
		_, err := testkit.Try(w.House, boss, func(a *act.Act) (*keeping.Forgetting, error) { return keeping.Forget(a, p) })
		return err
	}
	assert.ErrorContains(t, forget(library), "1 partner library that borrows on this account")
	w.Set("WITH h AS (INSERT INTO households (name) VALUES ('Both') RETURNING id) UPDATE patrons SET household_id = h.id FROM h WHERE patrons.id IN (?, ?)", one, other)
	require.NoError(t, forget(one))
	assert.Equal(t, "Both", w.Ask("SELECT h.name FROM households h JOIN patrons p ON p.household_id = h.id WHERE p.id = ?", other))
	require.NoError(t, forget(other))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM households"))
}

// Who opens a record or searches leaves a record of that, once for the same within minutes, and words typed on are one.
func TestReadingsAreKept(t *testing.T) {
	w := testkit.NewWorld(t)
	here, other := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	p := w.Patron("HVH")
	open := func(who act.Actor) {
		testkit.Do(t, w.House, who, func(a *act.Act) (*people.Card, error) { return people.Open(a, p) })
	}
	open(here)
	open(here)
	open(other)
	w.Set("UPDATE training_clock SET shows = shows + interval '11 minutes'")
	open(here)
	for _, words := range []string{"la", "lar", "lark", "thorne"} {
		testkit.Do(t, w.House, here, func(a *act.Act) (int, error) {
			rows, _, err := people.Find(a, words, store.Page{})
			return len(rows), err
		})
	}
	testkit.Do(t, w.House, here, func(a *act.Act) (int, error) {
		rows, _, err := history.OfPatron(a, p, store.Page{})
		return len(rows), err
	})
	assert.Equal(t, "history 1, opened 3, searched lark 1, searched thorne 1", w.Ask(`SELECT string_agg(k || ' ' || n, ', ' ORDER BY k)
		FROM (SELECT trim(kind || ' ' || words) AS k, count(*) AS n FROM readings GROUP BY 1) x`))
}

// Lending asks first where somebody has had a title before: as the network has settled, unless they chose otherwise, and it says
// when it cannot work.
func TestHadThisTitleBefore(t *testing.T) {
	w := testkit.NewWorld(t)
	boss, here := w.Staff(role.Administrator, "HVH"), w.Staff(role.Volunteer, "HVH")
	p := w.Patron("HVH")
	title, items := w.Title("HVH")
	w.LentAndBack(boss, p, items[0], 3)
	other := w.Item(title, "HVH", nil)
	lend := func(past ...loan.StopKind) *desk.Result {
		testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) {
			return people.OpenByNumber(a, w.Ask("SELECT card FROM patrons WHERE id = ?", p))
		})
		return testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Result, error) {
			return desk.Lend(a, desk.Lending{Item: other, Patron: p, Past: past})
		})
	}
	choose := func(months *int, ask *bool) (*people.Card, error) {
		return testkit.Try(w.House, boss, func(a *act.Act) (*people.Card, error) {
			return keeping.Choose(a, p, keeping.Choice{Months: months, Ask: ask})
		})
	}
	yes, no, none := true, false, 0
	card, err := choose(nil, &yes)
	require.NoError(t, err)
	assert.True(t, card.Asks)
	asked := lend()
	assert.Equal(t, "ask", asked.Kind)
	assert.Contains(t, asked.Text, "Has borrowed this title once before")
	assert.False(t, asked.Asks[0].Reason, "no reason is asked for")
	assert.Equal(t, "lent", lend(loan.HadBefore).Kind, "a volunteer may answer it")
	w.Set("UPDATE loans SET returned_at = lent_at WHERE returned_at IS NULL")
	w.Set("UPDATE loans SET undone = true WHERE item_id = (SELECT id FROM items WHERE barcode = ?)", other)

	usual := settings.Usual()
	usual.AskBefore = true
	testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Put(a, "settings", "", 0, usual) })
	_, err = choose(nil, &no)
	require.NoError(t, err)
	lent := lend()
	assert.Equal(t, "lent", lent.Kind, "they chose otherwise")
	assert.Contains(t, lent.Before, "once before", "it is told all the same")

	_, err = choose(&none, &yes)
	require.ErrorContains(t, err, "no history of theirs is kept")
	card, err = choose(&none, nil)
	require.NoError(t, err)
	assert.Contains(t, card.NoHistory, "cannot work")
}

// Each night begins where the one before it has ended, and misses nothing anyway: of a setting that became shorter, of patrons who
// chose anew, of what was owed and is paid, and of what came in late.
func TestCuttingBeginsWhereItEnded(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	usual, other := w.Patron("HVH"), w.Patron("HVH")
	cut := func(on calendar.Date) {
		w.Set("DELETE FROM nights")
		require.NoError(t, night.Step(t.Context(), w.House, on, "history"))
	}
	count := func() string { return w.Ask("SELECT count(*)::text FROM loans WHERE patron_id IS NOT NULL") }
	months := func(n int) {
		w.Set("UPDATE network SET settings = settings || jsonb_build_object('keep', coalesce(settings->'keep', '{}') || jsonb_build_object('history', ?::int)), version = version + 1", n)
	}
	months(12)
	for _, daysAgo := range []int{10, 100, 200, 400} {
		lentAndBack(t, w, here, usual, daysAgo, 0)
		lentAndBack(t, w, here, other, daysAgo, 0)
	}
	owed := lentAndBack(t, w, here, usual, 500, 200)
	cut(tonight)
	assert.Equal(t, "7", count(), "two of 400 days are cut, what is owed for is kept")
	w.Set("INSERT INTO ledger (patron_id, kind, amount, about, settles, at, why) SELECT patron_id, 'waiver', -amount, about, id, now(), '{}' FROM ledger WHERE loan_id = ?", owed)
	cut(tonight + 1)
	assert.Equal(t, "6", count(), "it is cut once nothing is owed for it")

	six := 6
	testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) { return keeping.Choose(a, other, keeping.Choice{Months: &six}) })
	cut(tonight + 2)
	assert.Equal(t, "5", count(), "who chose six months has no loan of 200 days")
	months(3)
	cut(tonight + 3)
	assert.Equal(t, "3", count(), "the setting became shorter: 100 and 200 days of the other go too")

	lentAndBack(t, w, here, usual, 300, 0) // as if it came from elsewhere
	sunday := tonight + 5
	require.Equal(t, time.Sunday, sunday.Weekday())
	cut(tonight + 4)
	assert.Equal(t, "4", count())
	cut(sunday)
	assert.Equal(t, "3", count(), "on Sundays all is looked at anew")
}
