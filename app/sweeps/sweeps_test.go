package sweeps_test

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/sweeps"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/core/sweep"
	"nevrin/store"
	"nevrin/store/sweepsdb"
	"nevrin/testkit"
)

type world struct {
	*testkit.World
	t    *testing.T
	boss act.Actor
}

func newWorld(t *testing.T) *world {
	t.Helper()
	w := testkit.NewWorld(t)
	return &world{w, t, w.Staff(role.Supervisor, "HVH")}
}

func (w *world) preview(c sweeps.Change) *sweeps.Previewed {
	w.t.Helper()
	return testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (*sweeps.Previewed, error) { return sweeps.Preview(a, c) })
}

func (w *world) lines(c sweeps.Change) []sweeps.Record {
	w.t.Helper()
	return testkit.Do(w.t, w.House, w.boss, func(a *act.Act) ([]sweeps.Record, error) {
		rows, _, err := sweeps.Lines(a, c, store.Page{})
		return rows, err
	})
}

// apply applies a change and does its lines.
func (w *world) apply(c sweeps.Change) *sweeps.Applied {
	w.t.Helper()
	s := testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c) })
	return w.work(s.ID)
}

func (w *world) work(id int64) *sweeps.Applied {
	w.t.Helper()
	require.NoError(w.t, sweeps.Work(w.t.Context(), w.House, id))
	return w.now(id)
}

func (w *world) now(id int64) *sweeps.Applied {
	w.t.Helper()
	for _, s := range testkit.Do(w.t, w.House, w.boss, func(a *act.Act) ([]sweeps.Applied, error) {
		rows, _, err := sweeps.List(a, store.Page{})
		return rows, err
	}) {
		if s.ID == id {
			return &s
		}
	}
	w.t.Fatalf("there is no sweep %d", id)
	return nil
}

func (w *world) do(id int64, what func(*act.Act, int64) (*sweeps.Applied, error)) error {
	_, err := testkit.Try(w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) { return what(a, id) })
	return err
}

// undo undoes a change with all its lines.
func (w *world) undo(id int64) *sweeps.Applied {
	w.t.Helper()
	require.NoError(w.t, w.do(id, sweeps.Undo))
	return w.work(id)
}

func (w *world) due(item string) string {
	return w.Ask("SELECT coalesce(l.due_date::text, l.due_at::text) FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = ? AND l.returned_at IS NULL", item)
}

func day(y, m, d int) *calendar.Date { return new(calendar.MakeDate(y, time.Month(m), d)) }

func (w *world) lent(branch, due string) string {
	_, items := w.Title(branch)
	w.Lend(items[0], w.Patron("HVH"), due)
	return items[0]
}

// Due dates move for those meant, but for those left out, and back where nothing else has happened to them.
func TestDueDates(t *testing.T) {
	w := newWorld(t)
	here, there, late := w.lent("HVH", "2026-10-20"), w.lent("SLM", "2026-10-20"), w.lent("HVH", "2026-10-02")
	out, after := w.lent("HVH", "2026-10-21"), w.lent("HVH", "2026-10-30")
	var left int64
	require.NoError(t, testkit.SQL(w.House).Raw("SELECT l.id FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = ?", out).Scan(&left).Error)
	c := sweeps.Change{
		Kind: sweepsdb.Due, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}, To: day(2026, 10, 25)}, Dates: sweep.Dates{To: day(2026, 10, 27)},
		LeftOut: []int64{left}, Reason: "Storm",
	}
	p := w.preview(c)
	assert.Equal(t, 2, p.Lines)
	assert.Equal(t, 2, p.Patrons)
	assert.Contains(t, p.Text, "Due dates to")
	assert.Contains(t, p.Text, "Havenhead")
	lines := w.lines(c)
	require.Len(t, lines, 3, "what is left out stands there, too")
	assert.NotEqual(t, lines[0].Before, lines[0].After)

	s := w.apply(c)
	assert.Equal(t, "done", s.State)
	assert.Equal(t, 2, s.Done)
	assert.Equal(t, "2026-10-27", w.due(here))
	assert.Equal(t, "2026-10-27", w.due(late))
	assert.Equal(t, "2026-10-20", w.due(there), "at another branch")
	assert.Equal(t, "2026-10-21", w.due(out), "left out")
	assert.Equal(t, "2026-10-30", w.due(after), "due later")
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'due_moved' AND staff_id = ?", w.boss.ID))

	// One of them has been renewed since, one returned: those stay, and say so.
	w.Set("UPDATE loans l SET due_date = '2026-11-20' FROM items i WHERE i.id = l.item_id AND i.barcode = ?", here)
	w.Set("UPDATE loans l SET returned_at = '2026-10-06 13:00Z' FROM items i WHERE i.id = l.item_id AND i.barcode = ?", late)
	s = w.undo(s.ID)
	assert.Equal(t, "undone", s.State)
	assert.Equal(t, 2, s.Stays)
	assert.Equal(t, "2026-11-20", w.due(here))
	stays := testkit.Do(t, w.House, w.boss, func(a *act.Act) ([]sweeps.Record, error) {
		rows, _, err := sweeps.LinesOf(a, s.ID, "stays", store.Page{})
		return rows, err
	})
	reasons := []string{stays[0].Reason, stays[1].Reason}
	assert.ElementsMatch(t, []string{"Changed in the meantime", "Returned, picked up or closed in the meantime"}, reasons)
	require.ErrorContains(t, w.do(s.ID, sweeps.Undo), "already been undone")
}

// What comes back between looking and doing stays as it is.
func TestReturnedMeanwhile(t *testing.T) {
	w := newWorld(t)
	item := w.lent("HVH", "2026-10-20")
	c := sweeps.Change{Kind: sweepsdb.Due, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}}, Dates: sweep.Dates{Days: 7}}
	applied := testkit.Do(t, w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c) })
	assert.Equal(t, "working", applied.State)
	w.Set("UPDATE loans l SET returned_at = '2026-10-06 13:00Z' FROM items i WHERE i.id = l.item_id AND i.barcode = ?", item)
	s := w.work(applied.ID)
	assert.Equal(t, 1, s.Kept)
	assert.Equal(t, "2026-10-20", w.Ask("SELECT due_date::text FROM loans"))
}

// Two changes of the same loans at once: each loan is moved by one of them, and the other says that it was not.
func TestTwoAtOnce(t *testing.T) {
	w := newWorld(t)
	for range 30 {
		w.lent("HVH", "2026-10-20")
	}
	c := sweeps.Change{Kind: sweepsdb.Due, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}}, Dates: sweep.Dates{Days: 7}}
	var ids []int64
	for range 2 {
		ids = append(ids, testkit.Do(t, w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c) }).ID)
	}
	var both sync.WaitGroup
	for _, id := range ids {
		both.Go(func() { assert.NoError(t, sweeps.Work(context.Background(), w.House, id)) })
	}
	both.Wait()
	one, other := w.now(ids[0]), w.now(ids[1])
	assert.Equal(t, 30, one.Done+other.Done)
	assert.Equal(t, 30, one.Kept+other.Kept)
	assert.Equal(t, "30", w.Ask("SELECT count(*)::text FROM loans WHERE due_date = '2026-10-27'"))
	assert.Equal(t, "30", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'due_moved'"))
}

// Killed in the middle, a change goes on where it was; stopped, it stays there until it is continued; undone from there, the rest never was.
func TestKilledStoppedContinued(t *testing.T) {
	w := newWorld(t)
	for range 12 {
		w.lent("HVH", "2026-10-20")
	}
	renewed := func() string { return w.Ask("SELECT count(*)::text FROM loans WHERE renewals = 1") }
	c := sweeps.Change{Kind: sweepsdb.Renewals, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}}}
	applied := testkit.Do(t, w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c) })
	// Somebody has the patron of the sixth line in hand, so that it is killed there.
	hand := testkit.SQL(w.House).Begin()
	require.NoError(t, hand.Exec(`SELECT 1 FROM patrons WHERE id = (SELECT l.patron_id FROM sweep_lines s JOIN loans l ON l.id = s.loan_id
		ORDER BY s.id OFFSET 5 LIMIT 1) FOR UPDATE`).Error)
	ctx, kill := context.WithCancel(t.Context())
	var worker sync.WaitGroup
	worker.Go(func() { _ = sweeps.Work(ctx, w.House, applied.ID) })
	require.Eventually(t, func() bool { return w.Ask("SELECT count(*)::text FROM sweep_lines WHERE state = 'done'") == "5" }, 20*time.Second, 5*time.Millisecond)
	kill()
	worker.Wait()
	require.NoError(t, hand.Rollback().Error)
	s := w.now(applied.ID)
	require.Equal(t, "working", s.State)
	require.Positive(t, s.Waiting)
	require.NoError(t, w.do(s.ID, sweeps.Stop))
	require.ErrorContains(t, w.do(s.ID, sweeps.Stop), "not being applied")
	before := w.now(s.ID).Done
	assert.Equal(t, before, w.work(s.ID).Done, "stopped, it does not go on by itself")
	assert.Equal(t, fmt.Sprint(before), renewed())
	left, err := sweepsdb.Left(t.Context(), w.Store, false)
	require.NoError(t, err)
	assert.Empty(t, left)

	require.NoError(t, w.do(s.ID, sweeps.Continue))
	left, err = sweepsdb.Left(t.Context(), w.Store, false)
	require.NoError(t, err)
	assert.Equal(t, []int64{s.ID}, left, "whoever comes next does the rest")
	assert.Equal(t, 12, w.work(s.ID).Done)
	assert.Equal(t, "12", renewed(), "each once")
	assert.Equal(t, "12", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'renewed'"))
	assert.Equal(t, 12, w.undo(s.ID).Undone)
	assert.Equal(t, "0", renewed())
	assert.Equal(t, "12", w.Ask("SELECT count(*)::text FROM loans WHERE due_date = '2026-10-20' AND renewed_at IS NULL"))
}

// Due dates that move on to the next open day are those that PostgreSQL itself finds with generate_series over the calendar as it is
// stored: all loans of the demo network, onto each day of a fortnight with closures.
func TestDueDatesAgreeWithPostgreSQL(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	for days := 1; days < 15; days++ {
		c := sweeps.Change{Kind: sweepsdb.Due, Dates: sweep.Dates{Days: days, Open: true}}
		testkit.Do(t, h, maren, func(a *act.Act) (bool, error) {
			for _, b := range a.Network.Open() {
				c.Which.Branches = append(c.Which.Branches, b.Code)
			}
			return true, nil
		})
		s := testkit.Do(t, h, maren, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c) })
		const found = `WITH days AS MATERIALIZED (SELECT b.code, d::date AS d, ` + testkit.OpensOn + ` AS opens FROM branches b,
				generate_series((SELECT min(due_date) FROM loans WHERE returned_at IS NULL), (SELECT max(due_date) + 90 FROM loans), interval '1 day') d),
			next AS (SELECT code, d, min(d) FILTER (WHERE opens) OVER (PARTITION BY code ORDER BY d ROWS BETWEEN CURRENT ROW AND UNBOUNDED FOLLOWING) AS open
				FROM days),
			want AS (SELECT l.id, l.due_date AS old, n.open AS new FROM loans l JOIN next n ON n.code = l.branch_code AND n.d = l.due_date + CAST(@days AS int)
				WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND l.due_date IS NOT NULL),
			moves AS (SELECT * FROM want WHERE new > old AND new >= '2026-10-06'),
			lines AS (SELECT loan_id, day_after FROM sweep_lines WHERE sweep_id = @sweep AND day_after IS NOT NULL)
			SELECT count(*) || ' moved, ' || count(*) FILTER (WHERE m.new IS DISTINCT FROM l.day_after) || ' otherwise'
			FROM moves m FULL JOIN lines l ON l.loan_id = m.id`
		var says string
		require.NoError(t, testkit.SQL(h).Raw(found, map[string]any{"days": days, "sweep": s.ID}).Scan(&says).Error)
		assert.Regexp(t, `^\d\d+ moved, 0 otherwise$`, says, "%d days", days)
	}
}

// killer ends the work under way at one of its round trips.
type killer struct {
	left atomic.Int64 // round trips until then; 0 or less: it lets all go on
	kill context.CancelFunc
}

func (k *killer) asked() {
	if k.left.Add(-1) == 0 {
		k.kill()
	}
}

func (k *killer) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	k.asked()
	return ctx
}

func (k *killer) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	k.asked()
	return ctx
}
func (*killer) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData)     {}
func (*killer) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}
func (*killer) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData)     {}

// Killed at any of its round trips and begun again, a change is done once, and so is its undoing.
func TestKilledAtEachStep(t *testing.T) {
	k := &killer{}
	w := &world{testkit.NewWorldTold(t, k), t, act.Actor{}}
	w.boss = w.Staff(role.Supervisor, "HVH")
	for range 3 {
		w.lent("HVH", "2026-10-20")
	}
	// killed works on a change until it is killed after some round trips, and then to its end. False if it ended before.
	killed := func(id int64, trips int) bool {
		ctx, cancel := context.WithCancel(t.Context())
		defer cancel()
		k.kill = cancel
		k.left.Store(int64(trips))
		err := sweeps.Work(ctx, w.House, id)
		reached := k.left.Swap(0) <= 0
		require.True(t, reached || err == nil)
		require.NoError(t, sweeps.Work(t.Context(), w.House, id))
		return reached
	}
	for _, c := range []struct {
		change sweeps.Change
		moved  string // what it does to the loans
		events string // what is told of it
	}{
		{sweeps.Change{Kind: sweepsdb.Due, Dates: sweep.Dates{Days: 7}}, "SELECT string_agg(due_date::text, ' ') FROM loans", "due_moved"},
		{sweeps.Change{Kind: sweepsdb.Renewals}, "SELECT string_agg(renewals || ' ' || due_date, ' ') FROM loans", "renewed"},
	} {
		c.change.Which.Branches = []calendar.Code{"HVH"}
		was := w.Ask(c.moved)
		becomes, trips := "", 1
		for reached := true; reached; trips++ {
			since := w.Ask("SELECT coalesce(max(id), 0)::text FROM events")
			applied := testkit.Do(t, w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c.change) })
			reached = killed(applied.ID, trips)
			require.Equal(t, "done 3", fmt.Sprint(w.now(applied.ID).State, " ", w.now(applied.ID).Done))
			if becomes == "" {
				becomes = w.Ask(c.moved)
				require.NotEqual(t, was, becomes)
			}
			require.Equal(t, becomes, w.Ask(c.moved), "killed at %d", trips)
			require.Equal(t, "3", w.Ask("SELECT count(*)::text FROM events WHERE kind = ? AND id > ?::bigint", c.events, since), "killed at %d", trips)
			require.NoError(t, w.do(applied.ID, sweeps.Undo))
			reached = killed(applied.ID, trips) || reached
			require.Equal(t, "undone 3", fmt.Sprint(w.now(applied.ID).State, " ", w.now(applied.ID).Undone))
			require.Equal(t, was, w.Ask(c.moved), "killed at %d", trips)
		}
		t.Logf("%s: killed at each of %d round trips", c.change.Kind, trips-2)
		require.Greater(t, trips, 5)
	}
}

// A renewal that rules refuse is not made, and the line says why. What is charged for lateness with a renewal is cancelled with it.
func TestRenewals(t *testing.T) {
	w := newWorld(t)
	fine, awaited, late := w.lent("HVH", "2026-10-20"), w.lent("HVH", "2026-10-20"), w.lent("HVH", "2026-10-01")
	w.Set(`INSERT INTO holds (title_id, patron_id, pickup, placed_at, place) SELECT i.title_id, ?, 'HVH', '2026-10-06 12:00Z', 1 FROM items i WHERE i.barcode = ?`,
		w.Patron("SLM"), awaited)
	c := sweeps.Change{Kind: sweepsdb.Renewals, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}}}
	assert.Equal(t, 1, w.preview(c).Awaited)
	says := map[string]string{}
	for _, l := range w.lines(c) {
		says[l.Barcode] = l.After
	}
	assert.Contains(t, says[fine], "Oct")
	assert.Contains(t, says[awaited], "somebody is waiting")
	s := w.apply(c)
	assert.Equal(t, 2, s.Done)
	assert.Equal(t, 1, s.Kept)
	assert.Equal(t, "2026-10-20", w.due(awaited))
	assert.Equal(t, "2026-10-27", w.due(late), "three weeks from today")
	charged := w.Ask("SELECT sum(amount)::text FROM ledger WHERE kind = 'charge'")
	require.NotEmpty(t, charged, "lateness until the renewal")
	assert.Equal(t, 2, w.undo(s.ID).Undone)
	assert.Equal(t, "2026-10-01", w.due(late))
	assert.Equal(t, "0", w.Ask("SELECT sum(balance)::text FROM patrons"))
}

// All late fines of a storm week are waived with one reason, and owed again where that is undone.
func TestCharges(t *testing.T) {
	w := newWorld(t)
	charge := func(branch, at, about string, amount int) int64 {
		p := w.Patron("HVH")
		w.Row("ledger", map[string]any{"patron_id": p, "kind": "charge", "amount": amount, "about": about, "at": at, "branch_code": branch, "reason": "x"})
		return p
	}
	in, before, elsewhere := charge("HVH", "2026-10-02 15:00Z", "late", 150), charge("HVH", "2026-09-20 15:00Z", "late", 70), charge("SLM", "2026-10-02 15:00Z", "late", 80)
	price := charge("HVH", "2026-10-02 15:00Z", "lost", 2000)
	// Of a loan that began an hour before midnight at Havenhead, three hours behind UTC: 2 October there is the 3rd by UTC.
	midnight := charge("HVH", "2026-10-03 02:30Z", "late", 30)
	c := sweeps.Change{
		Kind: sweepsdb.Charges, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}, From: day(2026, 10, 1), To: day(2026, 10, 2)}, Reason: "Storm of 1 October",
	}
	p := w.preview(c)
	assert.Equal(t, 2, p.Lines)
	assert.Equal(t, "$1.80", p.Sum)
	s := w.apply(c)
	assert.Equal(t, 2, s.Done)
	owes := func(patron int64) string { return w.Ask("SELECT balance::text FROM patrons WHERE id = ?", patron) }
	for patron, owed := range map[int64]string{in: "0", before: "70", elsewhere: "80", price: "2000", midnight: "0"} {
		assert.Equal(t, owed, owes(patron))
	}
	assert.Equal(t, "Storm of 1 October", w.Ask("SELECT DISTINCT reason FROM ledger WHERE kind = 'waiver'"))
	applier := w.boss
	w.boss = w.Staff(role.Supervisor, "SLM")
	assert.Equal(t, 2, w.undo(s.ID).Undone)
	assert.Equal(t, fmt.Sprint(w.boss.ID, " SLM"), w.Ask("SELECT DISTINCT staff_id || ' ' || branch_code FROM ledger WHERE kind = 'unwaiver'"), "by whoever undoes it")
	assert.Equal(t, fmt.Sprint(applier.ID), w.Ask("SELECT staff_id::text FROM sweeps"))
	assert.Equal(t, "150", owes(in))
	_, err := testkit.Try(w.House, w.boss, func(a *act.Act) (*sweeps.Previewed, error) {
		return sweeps.Preview(a, sweeps.Change{Kind: sweepsdb.Charges, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}}})
	})
	require.ErrorContains(t, err, "Enter a reason")
}

// Cards are extended, classes moved by age, and pickups from a closed branch to another; each is undone.
func TestPatronsAndHolds(t *testing.T) {
	w := newWorld(t)
	soon, long := w.Patron("HVH", map[string]any{"card_until": "2026-10-15"}), w.Patron("HVH", map[string]any{"card_until": "2029-01-01"})
	s := w.apply(sweeps.Change{
		Kind: sweepsdb.Cards, Which: sweeps.Which{From: day(2026, 10, 1), To: day(2026, 12, 31)}, Dates: sweep.Dates{To: day(2027, 6, 30)},
	})
	until := func(p int64) string { return w.Ask("SELECT card_until::text FROM patrons WHERE id = ?", p) }
	assert.Equal(t, 1, s.Done)
	assert.Equal(t, "2027-06-30", until(soon))
	assert.Equal(t, "2029-01-01", until(long))
	w.undo(s.ID)
	assert.Equal(t, "2026-10-15", until(soon))

	child := w.Patron("HVH", map[string]any{"class": "child", "born": "2014-10-06"})
	younger := w.Patron("HVH", map[string]any{"class": "child", "born": "2014-10-07"})
	class := func(p int64) string { return w.Ask("SELECT class FROM patrons WHERE id = ?", p) }
	s = w.apply(sweeps.Change{Kind: sweepsdb.Classes, Which: sweeps.Which{Classes: []string{"child"}, FromAge: new(12)}, Class: "adult"})
	assert.Equal(t, 1, s.Done, "who becomes 12 tomorrow is not 12")
	assert.Equal(t, "adult", class(child))
	assert.Equal(t, "child", class(younger))
	w.undo(s.ID)
	assert.Equal(t, "child", class(child))

	title, _ := w.Title("THB")
	waits := w.Row("holds", map[string]any{"title_id": title, "patron_id": soon, "pickup": "HVH", "placed_at": "2026-10-05 12:00Z", "place": 1})
	ready := w.Row("holds", map[string]any{
		"title_id": title, "patron_id": long, "pickup": "HVH", "placed_at": "2026-10-05 12:00Z", "place": 2, "state": "moving",
		"item_id": w.Row("items", map[string]any{"barcode": "30017000099994", "title_id": title, "branch_code": "THB", "at_branch": "THB", "collection": "general", "material": "book", "price": 1}),
	})
	s = w.apply(sweeps.Change{Kind: sweepsdb.Pickups, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}}, Pickup: "SLM"})
	assert.Equal(t, 1, s.Done)
	assert.Equal(t, 1, s.Kept, "its copy is on the way")
	pickup := func(h int64) string { return w.Ask("SELECT pickup FROM holds WHERE id = ?", h) }
	assert.Equal(t, "SLM", pickup(waits))
	assert.Equal(t, "HVH", pickup(ready))
}

// What makes no sense is said, and nothing is begun.
func TestBadChanges(t *testing.T) {
	w := newWorld(t)
	w.lent("HVH", "2026-10-20")
	at := sweeps.Which{Branches: []calendar.Code{"HVH"}}
	for says, c := range map[string]sweeps.Change{
		"neither a day nor a number of days": {Kind: sweepsdb.Due, Which: at},
		"expected one of them":               {Kind: sweepsdb.Due, Which: at, Dates: sweep.Dates{To: day(2026, 11, 1), Days: 3}},
		"may become earlier":                 {Kind: sweepsdb.Due, Which: at, Dates: sweep.Dates{Days: -3}},
		"is in the past":                     {Kind: sweepsdb.Due, Which: at, Dates: sweep.Dates{To: day(2026, 9, 1), Earlier: true}},
		"Without any filter":                 {Kind: sweepsdb.Due, Dates: sweep.Dates{Days: 3}},
		`no branch "XXX"`:                    {Kind: sweepsdb.Due, Which: sweeps.Which{Branches: []calendar.Code{"XXX"}}, Dates: sweep.Dates{Days: 3}},
		"no such roster":                     {Kind: sweepsdb.Due, Which: sweeps.Which{Roster: 5}, Dates: sweep.Dates{Days: 3}},
		"Choose the new patron class":        {Kind: sweepsdb.Classes, Which: at, Class: "knight"},
		"a patron class or a roster":         {Kind: sweepsdb.Classes, Which: at, Class: "adult"},
		"is before":                          {Kind: sweepsdb.Due, Which: sweeps.Which{From: day(2026, 10, 9), To: day(2026, 10, 8)}, Dates: sweep.Dates{Days: 3}},
		"where holds are picked up now":      {Kind: sweepsdb.Pickups, Which: sweeps.Which{Homes: []calendar.Code{"HVH"}}, Pickup: "SLM"},
		"would be all of them":               {Kind: sweepsdb.Charges, Reason: "Storm"},
		"are to be picked up":                {Kind: sweepsdb.Pickups, Which: at, Pickup: "XXX"},
		"Nothing would change":               {Kind: sweepsdb.Due, Which: sweeps.Which{Branches: []calendar.Code{"SLM"}}, Dates: sweep.Dates{Days: 3}},
	} {
		_, err := testkit.Try(w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) { return sweeps.Apply(a, c) })
		require.ErrorContains(t, err, says)
	}
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM sweeps"))
}
