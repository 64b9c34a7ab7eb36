package night_test

import (
	"context"
	"fmt"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/night"
	"nevrin/app/notices"
	"nevrin/app/problem"
	"nevrin/app/today"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/statusdb"
	"nevrin/testkit"
)

func lend(t *testing.T, w *testkit.World, who act.Actor, patron int64, item string) int64 {
	t.Helper()
	r := testkit.Do(
		t,
		w.House,
		who,
		func(a *act.Act) (*desk.Result, error) { return desk.Lend(a, desk.Lending{Item: item, Patron: patron}) },
	)
	require.Equal(t, "lent", r.Kind, r.Text)
	return r.Line.LoanID
}

// A laptop lent by the hour and not brought back is late at once at its branch, is told of like anything else, once in
// each stage, and counts as lost in its time.
func TestHourLoansAreToldOfToo(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, _ := w.Title()
	laptop := w.Item(title, "HVH", map[string]any{"material": "laptop"})
	p := w.Patron("HVH")
	loan := lend(t, w, here, p, laptop)
	overdue := func() today.Count {
		for _, r := range testkit.Do(t, w.House, here, today.Look) {
			if r.Branch == "HVH" {
				return r.Overdue
			}
		}
		return today.Count{}
	}
	assert.Equal(t, today.Count{}, overdue())
	w.Later(3*time.Hour + time.Minute)
	assert.Equal(t, today.Count{All: 1}, overdue(), "late")
	require.NoError(t, night.Up(context.Background(), w.House, calendar.MakeDate(2026, 10, 9)))
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM notices WHERE loan_id = ? AND kind = 'overdue' AND stage = 0", loan))
	run, err := strconv.ParseInt(w.Ask("SELECT id FROM mailings"), 10, 64)
	require.NoError(t, err)
	says := testkit.Do(t, w.House, here, func(a *act.Act) (*notices.Message, error) { return notices.Text(a, run, p, "mail") })
	assert.Contains(t, says.Body, "due Tue 6 Oct 2026, 12:1", "as it was due, with its hour")
	assert.Equal(t, today.Count{All: 1}, overdue())
	require.NoError(t, night.Up(context.Background(), w.House, calendar.MakeDate(2026, 11, 20)))
	assert.Equal(
		t,
		"1 1",
		w.Ask(
			"SELECT string_agg(n::text, ' ') FROM (SELECT count(*) AS n FROM notices WHERE loan_id = ? AND kind = 'overdue' GROUP BY stage ORDER BY stage) x",
			loan,
		),
		"once in each stage",
	)
	assert.NotEmpty(t, w.Ask("SELECT lost_at::text FROM loans WHERE id = ?", loan))
}

// A night that is interrupted goes on where it was, and does nothing twice: here the program is stopped after every few
// acts, again and again, while another copy works at the same nights.
func TestANightThatIsInterruptedGoesOn(t *testing.T) {
	w := testkit.NewWorld(t)
	const people = 300 // more than two parts of a step
	w.Set(
		`INSERT INTO patrons (card, legal_name, shelf_name, class, branch_code, email) SELECT '24321' || lpad((1000000 + n)::text, 9, '0'), 'Q ' || n, 'Q', 'adult', 'HVH', 'q' || n || '@post.invalid'
		FROM generate_series(1, ?) n`,
		people,
	)
	title, _ := w.Title()
	w.Set(
		`INSERT INTO items (barcode, title_id, branch_code, at_branch, collection, material, price) SELECT '34321' || lpad((1000000 + n)::text, 9, '0'), ?, 'HVH', 'HVH', 'general', 'book', 1000
		FROM generate_series(1, ?) n`,
		title,
		2*people,
	)
	w.Set(`INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date)
		SELECT i.id, p.id, 'HVH', (SELECT min(id) FROM editions), '{HVH,HVH,general,book,adult}', '2026-08-01', CASE i.n % 2 WHEN 0 THEN date '2026-10-05' ELSE '2026-09-04' END
		FROM (SELECT id, row_number() OVER (ORDER BY id) AS n FROM items) i JOIN (SELECT id, row_number() OVER (ORDER BY id) AS n FROM patrons) p ON p.n = (i.n - 1) / 2 + 1`)
	require.NoError(t, night.Up(context.Background(), w.House, calendar.MakeDate(2026, 10, 7)))
	until := calendar.MakeDate(2026, 10, 18)
	var both sync.WaitGroup
	for copyOf := range 2 {
		both.Go(func() {
			for k := 1; ; k++ {
				ctx, cancel := context.WithTimeout(context.Background(), time.Duration(40+60*k)*time.Millisecond)
				err := night.Up(ctx, w.House, until)
				cancel()
				if err == nil {
					return
				}
				if !assert.Error(t, ctx.Err(), "copy %d: %v", copyOf, err) || !assert.Less(t, k, 200) {
					return
				}
			}
		})
	}
	both.Wait()
	ask := func(what string) string { return w.Ask("SELECT count(*)::text FROM " + what) }
	assert.Equal(t, "0", ask("nights WHERE ended_at IS NULL"))
	assert.Equal(t, fmt.Sprint(people), ask("notices WHERE kind = 'overdue' AND stage = 0"), "each loan told of once")
	assert.Equal(t, fmt.Sprint(people), w.Ask("SELECT count(DISTINCT recipient_id) FROM notices WHERE kind = 'overdue'"))
	assert.Equal(t, fmt.Sprint(people), ask("loans WHERE lost_at IS NOT NULL"))
	assert.Equal(t, fmt.Sprint(people), ask("ledger WHERE about = 'lost'"), "each billed once")
	assert.Equal(
		t,
		"0",
		ask("patrons p WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)"),
	)
}

// A loan that is renewed while the night looks at it is not lost, and nobody is billed for it.
func TestALoanRenewedMeanwhileIsNotLost(t *testing.T) {
	w := testkit.NewWorld(t)
	_, numbers := w.Title("HVH")
	loan := lend(t, w, w.Staff(role.Desk, "HVH"), w.Patron("HVH"), numbers[0])
	day := calendar.MakeDate(2027, 3, 1)
	tries := 0
	require.NoError(t, w.Store.Write(context.Background(), func(tx *store.Tx) error {
		tries++
		late, err := loansdb.LoansMaybeLost(tx, day.UTC(), 0, 10)
		if err != nil || len(late) == 0 {
			return err
		}
		require.Equal(t, 1, tries, "looked at again it is not late")
		w.Set("UPDATE loans SET due_date = '2027-03-20', renewals = 1 WHERE id = ?", loan)
		loansdb.LoseLoan(tx, &late[0].Loan, time.Date(2027, 3, 1, 5, 0, 0, 0, time.UTC))
		return nil
	}))
	assert.Equal(t, 2, tries)
	assert.Empty(t, w.Ask("SELECT coalesce(lost_at::text, '') FROM loans WHERE id = ?", loan))
	assert.Equal(t, "in_use", w.Ask("SELECT standing FROM items WHERE barcode = ?", numbers[0]))
}

// Lapsed holds of a night end to the last one, also where somebody fetches one of a part while it is worked.
func TestALongNightOfLapsedHoldsIsDoneWhole(t *testing.T) {
	w := testkit.NewWorld(t)
	const number = 600 // more than two parts
	title, _ := w.Title()
	w.Set(
		`INSERT INTO items (barcode, title_id, branch_code, at_branch, collection, material)
		SELECT '34321' || lpad((1000000 + n)::text, 9, '0'), ?, 'HVH', 'HVH', 'general', 'book' FROM generate_series(1, ?) n`,
		title, number,
	)
	w.Set(
		`INSERT INTO patrons (card, legal_name, shelf_name, class, branch_code)
		SELECT '24321' || lpad((1000000 + n)::text, 9, '0'), 'Q ' || n, 'Q', 'adult', 'HVH' FROM generate_series(1, ?) n`,
		number,
	)
	w.Set(`INSERT INTO holds (title_id, patron_id, pickup, placed_at, place, state, item_id, ready_at, shelf_until)
		SELECT i.title_id, p.id, 'HVH', '2026-09-01', p.n, 'ready', i.id, '2026-09-02', '2026-09-10'
		FROM (SELECT id, title_id, row_number() OVER (ORDER BY id) AS n FROM items) i
		JOIN (SELECT id, row_number() OVER (ORDER BY id) AS n FROM patrons) p ON p.n = i.n`)
	done := make(chan error, 1)
	go func() { done <- night.Step(context.Background(), w.House, calendar.MakeDate(2026, 10, 7), "lapse") }()
	here := w.Staff(role.Desk, "HVH")
	for ended := false; !ended; {
		select {
		case err := <-done:
			require.NoError(t, err)
			ended = true
		default:
			open := w.Ask("SELECT coalesce(min(id), 0)::text FROM holds WHERE state = 'ready'")
			id, err := strconv.ParseInt(open, 10, 64)
			require.NoError(t, err)
			_, err = act.Do(context.Background(), w.House, here, "", nil, func(a *act.Act) (*holds.Hold, error) {
				return holds.Cancel(a, id, "no longer wanted")
			})
			require.True(t, err == nil || problem.Of(err) != nil, "%v", err)
		}
	}
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM holds WHERE closed_at IS NULL"))
	assert.ErrorContains(t, night.Step(context.Background(), w.House, 0, "lapses"), "its steps are events, lapse")
}

// Answers that nobody can ask for again go, and events find a partition of their month.
func TestWhatIsKeptAndWhatGoes(t *testing.T) {
	w := testkit.NewWorld(t)
	w.Set(
		"INSERT INTO answers (key, staff_id, request, response, at) VALUES ('old-key-1', 1, 'x', '{}', now() - interval '3 days'), ('new-key-1', 1, 'x', '{}', now())",
	)
	require.NoError(t, night.Up(context.Background(), w.House, calendar.MakeDate(2027, 3, 1)))
	assert.Equal(t, "new-key-1", w.Ask("SELECT string_agg(key, ',') FROM answers"))
	assert.Equal(t, "events_2027_06", w.Ask("SELECT to_regclass('events_2027_06')::text"))
}

// A copy that is killed in any step of a night, or told to stop in it, holds nobody up: the next one goes on as soon as the first has
// not been heard of for ten seconds, or has let go, and each step is done once.
func TestKilledInEachStep(t *testing.T) {
	w := testkit.NewWorld(t)
	worker := &night.Worker{House: w.House}
	require.NoError(t, worker.Work(t.Context(), nil))
	w.Set(`CREATE FUNCTION killed() RETURNS trigger LANGUAGE plpgsql AS $$
		BEGIN RAISE EXCEPTION 'killed in the step %', NEW.step; END $$`)
	for k, step := range append(night.Steps(), statusdb.WholeNight) {
		w.Later(24 * time.Hour)
		w.Set(fmt.Sprintf("CREATE TRIGGER killing BEFORE UPDATE ON nights FOR EACH ROW WHEN (NEW.step = '%s') EXECUTE FUNCTION killed()", step))
		assert.ErrorContains(t, worker.Work(t.Context(), nil), "killed in the step "+step)
		w.Set("DROP TRIGGER killing ON nights")
		// What a killed program leaves: its claim, of which nothing more is heard.
		w.Set("INSERT INTO work_claims VALUES ('night', 'one that is killed', clock_timestamp())")
		require.NoError(t, worker.Work(t.Context(), nil))
		assert.Equal(t, fmt.Sprint(k+1), w.Ask("SELECT count(*)::text FROM nights WHERE step = 'whole'"), "it may be there still")
		w.Set("UPDATE work_claims SET beat_at = beat_at - interval '10 seconds'")
		require.NoError(t, worker.Work(t.Context(), nil))
		assert.Equal(t, fmt.Sprint(k+2), w.Ask("SELECT count(*)::text FROM nights WHERE step = 'whole'"), step)
	}
	nights := len(night.Steps()) + 2
	assert.Equal(t, fmt.Sprint(nights), w.Ask("SELECT count(*)::text FROM nights WHERE step = 'whole'"))
	assert.Equal(t, fmt.Sprint(nights*(len(night.Steps())+1)), w.Ask("SELECT count(*)::text FROM nights"))
}

// A later version may have steps that the nights before did not have. The nights go on from the last one that was done whole.
func TestAnUpgradeAddsAStep(t *testing.T) {
	w := testkit.NewWorld(t)
	day := calendar.MakeDate(2026, 10, 7)
	require.NoError(t, night.Up(t.Context(), w.House, day))
	w.Set("DELETE FROM nights WHERE step = ?", night.Steps()[3]) // as an earlier version left them, which did not have it
	require.NoError(t, night.Up(t.Context(), w.House, day+3))
	assert.Equal(t, "2026-10-07 2026-10-08 2026-10-09 2026-10-10", w.Ask("SELECT string_agg(day::text, ' ' ORDER BY day) FROM nights WHERE step = 'whole'"),
		"no night is left out, and none is done anew")
	assert.Equal(t, "3", w.Ask("SELECT count(*)::text FROM nights WHERE step = ?", night.Steps()[3]))
}

// The network moves to a zone half a day and half an hour away: no night is left out or done twice, and what was lent is due when it
// was.
func TestANetworkMovesToAnotherZone(t *testing.T) {
	for _, zone := range []string{"Asia/Kolkata", "Pacific/Kiritimati", "Pacific/Marquesas", "Australia/Lord_Howe"} {
		w := testkit.NewWorld(t)
		here := w.Staff(role.Desk, "HVH")
		_, items := w.Title("HVH")
		loan := lend(t, w, here, w.Patron("HVH"), items[0])
		due := func() string {
			return w.Ask("SELECT coalesce(due_date::text, due_at::text) FROM loans WHERE id = ?", loan)
		}
		before := due()
		worker := &night.Worker{House: w.House}
		require.NoError(t, worker.Work(t.Context(), nil))
		w.Set("UPDATE network SET timezone = ?, version = version + 1", zone)
		for range 5 {
			require.NoError(t, worker.Work(t.Context(), nil))
			w.Later(12 * time.Hour)
		}
		require.NoError(t, worker.Work(t.Context(), nil))
		assert.Equal(t, before, due(), zone)
		first, last := w.Ask("SELECT min(day)::text FROM nights"), w.Ask("SELECT max(day)::text FROM nights WHERE step = 'whole'")
		assert.Equal(t, w.Ask("SELECT (?::date - ?::date + 1)::text", last, first), w.Ask("SELECT count(*)::text FROM nights WHERE step = 'whole'"), "%s: one night for each day", zone)
		assert.Equal(t, w.Ask("SELECT ((shows + (clock_timestamp() - real_at)) AT TIME ZONE ?)::date::text FROM training_clock", zone), last, zone)
	}
}
