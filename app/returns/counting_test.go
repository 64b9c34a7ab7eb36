package returns_test

import (
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/people"
	"nevrin/app/returns"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

func countAs(w *testkit.World, who act.Actor, run int64, c returns.Counting) (*returns.Run, error) {
	return testkit.Try(w.House, who, func(a *act.Act) (*returns.Run, error) { return returns.CountAs(a, run, c) })
}

// lateLoan is a loan of a book of Havenhead that was due five open days ago.
func lateLoan(t *testing.T, w *testkit.World, who act.Actor) (patron int64, item string) {
	t.Helper()
	_, items := w.Title("HVH")
	patron = w.Patron("HVH")
	loan := lend(t, w, who, patron, items[0])
	w.Set("UPDATE loans SET lent_at = lent_at - interval '40 days', due_date = '2026-09-30' WHERE id = ?", loan)
	return patron, items[0]
}

// What returns count as is kept for the next ones, plainly said, and bounded by who may; the sum follows.
func TestWhatReturnsCountAs(t *testing.T) {
	w := testkit.NewWorld(t)
	here, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
	run := begin(t, w, here, "bin")
	day := calendar.MakeDate(2026, 10, 2)
	for _, c := range []struct {
		as   returns.Counting
		says string
		fine string
	}{
		{returns.Counting{}, "Counted as now.", "1.25"},
		{returns.Counting{Day: &day}, "Counted as returned Fri 2 Oct.", "0.50"},
		{returns.Counting{At: "2026-10-03T10:00"}, "Counted as returned Sat 3 Oct, 10:00.", "0.75"},
		{returns.Counting{LetOff: 2}, "Counted as now. 2 days of lateness forgiven.", "0.75"},
		{returns.Counting{Excused: "Never taken in on Friday"}, "No charge: Never taken in on Friday.", ""},
	} {
		patron, item := lateLoan(t, w, here)
		counted, err := countAs(w, here, run.ID, c.as)
		require.NoError(t, err)
		assert.Contains(t, counted.Says, c.says)
		assert.Equal(t, c.as != returns.Counting{}, counted.Odd)
		line := scan(t, w, here, run.ID, item)
		assert.Equal(t, circulation.FoundLate, line.Kind)
		assert.Equal(t, c.fine, line.Fine, c.says)
		if c.fine == "" {
			assert.Equal(t, c.as.Excused, line.Excused)
			assert.Equal(t, "0", w.Ask("SELECT balance::text FROM patrons WHERE id = ?", patron))
		}
	}
	for says, c := range map[string]returns.Counting{
		"can forgive up to 3 days":                                       {LetOff: 4},
		"Returns cannot be dated in the future. Choose an earlier time.": {At: "2026-10-06T23:00"},
		"Supervisors can choose an earlier day.":                         {At: "2026-09-20T10:00"},
		"expected":                                                       {At: "yesterday"},
	} {
		_, err := countAs(w, here, run.ID, c)
		assert.ErrorContains(t, err, says)
	}
	_, err := countAs(w, boss, run.ID, returns.Counting{LetOff: 10, At: "2026-09-20T10:00"})
	require.NoError(t, err)
}

// An hour loan that came back in the morning, while the line was down, counts as then.
func TestHourLoanCountedAsAnInstant(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, _ := w.Title()
	laptop := w.Item(title, "HVH", map[string]any{"material": "laptop"})
	lend(t, w, here, w.Patron("HVH"), laptop)
	w.Later(6 * time.Hour) // due at 12:12, now 15:12
	run := begin(t, w, here, "patron")
	_, err := countAs(w, here, run.ID, returns.Counting{At: "2026-10-06T13:00"})
	require.NoError(t, err)
	assert.Equal(t, "2.00", scan(t, w, here, run.ID, laptop).Fine, "one hour begun, not three")
}

// What somebody has said to have brought back, and is found, was here since they said so.
func TestClaimedAndHereItIs(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, item := lateLoan(t, w, here)
	loan := w.Ask("SELECT id::text FROM loans")
	var id int64
	_, err := fmt.Sscan(loan, &id)
	require.NoError(t, err)
	testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) { return desk.Claim(a, id, "returned") })
	w.Set("UPDATE claims SET at = '2026-10-02 12:00-03'")
	line := scan(t, w, here, begin(t, w, here, "bin").ID, item)
	assert.Equal(t, "0.50", line.Fine, "two days late when they said so")
}

// A bin is one, whoever empties it: two stations scan into its run together, and each thing comes back once.
func TestTwoStationsOneBin(t *testing.T) {
	w := testkit.NewWorld(t)
	one, two := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "HVH")
	run := begin(t, w, one, "bin")
	assert.Equal(t, run.ID, begin(t, w, two, "bin").ID)
	assert.NotEqual(t, begin(t, w, one, "patron").ID, begin(t, w, two, "patron").ID, "a patron is at one desk")
	branches := make([]string, 20)
	for k := range branches {
		branches[k] = "HVH"
	}
	_, items := w.Title(branches...)
	p := w.Patron("HVH")
	for _, i := range items {
		lend(t, w, one, p, i)
	}
	var all sync.WaitGroup
	for _, who := range []act.Actor{one, two} {
		all.Go(func() {
			for _, i := range items {
				_, _ = testkit.Try(w.House, who, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, i) })
			}
		})
	}
	all.Wait()
	assert.Equal(t, "20", w.Ask("SELECT count(*)::text FROM return_lines WHERE loan_id IS NOT NULL"))
	assert.Equal(t, "40", w.Ask("SELECT count(*)::text FROM return_lines"))
	assert.Equal(t, "20", w.Ask("SELECT count::text FROM return_piles WHERE kind = 'shelf'"), "what is scanned twice lies there once")
	testkit.Do(t, w.House, two, func(a *act.Act) (*returns.Run, error) { return returns.Finish(a, run.ID) })
	assert.NotEqual(t, run.ID, begin(t, w, one, "bin").ID)
}

// A station that was left on overnight does not go on with yesterday's run: its next scan is told that it is over, and begins one that
// counts as the last open day.
func TestRunOfYesterdayIsOver(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH")
	run := begin(t, w, here, "bin")
	w.Later(24 * time.Hour)
	_, err := testkit.Try(w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, items[0]) })
	require.ErrorContains(t, err, "This batch was started on another day. Start a new one.")
	looked := testkit.Do(t, w.House, w.Staff(role.Supervisor, "HVH"), func(a *act.Act) (*returns.Run, error) { return returns.Look(a, run.ID) })
	assert.True(t, looked.Finished, "so the station asks for another")
	next := begin(t, w, here, "bin")
	assert.NotEqual(t, run.ID, next.ID)
	assert.Equal(t, "2026-10-06", next.Counted)
	scan(t, w, here, next.ID, items[0])
	with := begin(t, w, here, "patron")
	w.Later(24 * time.Hour)
	scan(t, w, here, with.ID, items[0])

	// Nor does what somebody chose yesterday for a patron's things hold for the next patron's.
	yesterday, err := calendar.ParseDate("2026-10-07")
	require.NoError(t, err)
	count := testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Run, error) {
		return returns.CountAs(a, begin(t, w, here, "patron").ID, returns.Counting{Day: &yesterday})
	})
	assert.Equal(t, with.ID, count.ID)
	scan(t, w, here, count.ID, items[0])
	assert.Equal(t, "2026-10-07", begin(t, w, here, "patron").Counted, "what was chosen today holds today")
	w.Later(24 * time.Hour)
	_, err = testkit.Try(w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, count.ID, items[0]) })
	require.ErrorContains(t, err, "This batch was started on another day. Start a new one.")
	assert.Empty(t, begin(t, w, here, "patron").Counted)
}

// Bins have names; each is emptied by itself, and it is known when and by whom.
func TestNamedBins(t *testing.T) {
	w := testkit.NewWorld(t)
	w.Set("UPDATE branches SET bins = '{Front door,Station}' WHERE code = 'HVH'")
	here := w.Staff(role.Desk, "HVH")
	open := func(bin string) (*returns.Run, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "bin", bin) })
	}
	_, err := open("Back door")
	require.ErrorContains(t, err, "It has: Front door, Station")
	front, err := open("")
	require.NoError(t, err)
	assert.Equal(t, []string{"Front door", "2026-10-05"}, []string{front.Bin, front.Counted})
	testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Run, error) { return returns.Finish(a, front.ID) })
	w.Later(95 * time.Minute)
	again, err := open("Front door")
	require.NoError(t, err)
	assert.Empty(t, again.Counted, "emptied today already")
	station, err := open("Station")
	require.NoError(t, err)
	assert.Equal(t, "2026-10-05", station.Counted, "this one not yet")
	bins := testkit.Do(t, w.House, here, func(a *act.Act) ([]returns.Bin, error) { return returns.Bins(a) })
	require.Len(t, bins, 2)
	assert.True(t, bins[0].Open)
	assert.Equal(t, here.Name, bins[0].Who)
	w.Later(2 * time.Hour)
	assert.Equal(t, 2, testkit.Do(t, w.House, here, func(a *act.Act) ([]returns.Bin, error) { return returns.Bins(a) })[0].Hours)
}

// Piles are ticked off with their counts; one that grows since is to be looked at again.
func TestTickingPiles(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH", "HVH")
	run := begin(t, w, here, "bin")
	scan(t, w, here, run.ID, items[0])
	tick := func(kind circulation.Kind, seen bool) (*returns.Change, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.Tick(a, run.ID, kind, "", seen) })
	}
	c, err := tick(circulation.Shelf, true)
	require.NoError(t, err)
	assert.True(t, c.Piles[0].Seen)
	scan(t, w, here, run.ID, items[1])
	assert.False(t, begin(t, w, here, "bin").Piles[0].Seen, "one more lies there")
	_, err = tick(circulation.Aside, true)
	require.ErrorContains(t, err, "This pile is empty.")
}

// What is missing of something that came back stands in its note, and it is set aside; undone it is as before.
func TestPartsMissing(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Volunteer, "HVH")
	title, _ := w.Title()
	game := w.Item(title, "HVH", map[string]any{"parts": 3, "parts_say": "Board, dice, cards"})
	run := begin(t, w, here, "bin")
	line := scan(t, w, here, run.ID, game)
	assert.Equal(t, 3, line.Parts)
	missing := func(what string) (*returns.Change, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.Missing(a, line.ID, what) })
	}
	_, err := missing(" ")
	require.ErrorContains(t, err, "Enter what is missing, such as “disc 2”.")
	c, err := missing("the dice")
	require.NoError(t, err)
	assert.Equal(t, circulation.Aside, c.Lines[0].Sign.Kind)
	_, err = missing("the board")
	require.ErrorContains(t, err, "already")
	item := func() string {
		return w.Ask("SELECT standing || ' ' || aside_for || ' ' || note FROM items WHERE barcode = ?", game)
	}
	assert.Equal(t, "aside damaged Missing: the dice", item())
	require.NoError(t, undo(w, here, line.ID))
	assert.Equal(t, "in_use  ", item())
}

// The library's own error takes the charge of a line back, with who said so; what was paid of it is refunded.
func TestOwnError(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	patron, item := lateLoan(t, w, here)
	run := begin(t, w, here, "patron")
	line := scan(t, w, here, run.ID, item)
	require.Equal(t, "1.25", line.Fine)
	testkit.Do(t, w.House, here, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{patron}, Amount: "1.00", Means: "card"})
	})
	c := testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.Excuse(a, line.ID, "Stood on the shelf") })
	assert.Equal(t, []string{"Stood on the shelf", "waived"}, []string{c.Lines[0].Excused, c.Lines[0].Answer})
	assert.Empty(t, c.Open[0].New)
	assert.Equal(t, "0 100", w.Ask("SELECT balance || ' ' || (SELECT amount FROM ledger WHERE kind = 'refund') FROM patrons WHERE id = ?", patron))
	_, err := testkit.Try(w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.Excuse(a, line.ID, "Again") })
	require.ErrorContains(t, err, "This charge has already been waived or reversed.")

	// Undone after that: the loan is open again, and of the money nothing is credited twice.
	require.NoError(t, undo(w, here, line.ID))
	assert.Equal(t, "0 100 1", w.Ask(`SELECT balance || ' ' || (SELECT sum(amount) FROM ledger WHERE kind = 'refund')
		|| ' ' || (SELECT count(*) FROM loans WHERE patron_id = p.id AND returned_at IS NULL) FROM patrons p WHERE id = ?`, patron))
	again := scan(t, w, here, run.ID, item)
	assert.Equal(t, "1.25", again.Fine, "and comes back as any other")
}

// Copies on loan are found by their titles; what has come back is not among them.
func TestFoundByTitle(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Volunteer, "HVH")
	title, items := w.Title("HVH", "HVH")
	w.Set("UPDATE titles SET name = 'Čas ve větru' WHERE id = ?", title)
	desk := w.Staff(role.Desk, "HVH")
	lend(t, w, desk, w.Patron("HVH"), items[0])
	found := testkit.Whole(t, w.House, here, 10, func(a *act.Act, p store.Page) ([]returns.OnLoan, store.Page, error) {
		return returns.Find(a, "větru čas", p)
	})
	require.Len(t, found, 1)
	assert.Equal(t, items[0], found[0].Barcode)
}

// Piles count things: what is scanned again lies there already, and a misread number, words or a card are nothing that lies anywhere.
func TestPilesCountThings(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	run := begin(t, w, here, "bin").ID
	_, items := w.Title("HVH", "HVH", "HVH")
	card := w.Ask("SELECT card FROM patrons WHERE id = ?", w.Patron("HVH"))
	piles := func() string {
		return w.Ask("SELECT coalesce(string_agg(kind || ' ' || count, ', ' ORDER BY kind), '') FROM return_piles WHERE count > 0")
	}
	for _, text := range []string{items[0], items[1], items[0], items[1], items[2], items[0], "31846000000000", "what is this", card} {
		scan(t, w, here, run, text)
	}
	assert.Equal(t, "9", w.Ask("SELECT count(*)::text FROM return_lines"))
	assert.Equal(t, "shelf 3", piles())
	// Undoing the second scan of a thing leaves it there; undoing the first takes it away.
	line := func(which string) int64 {
		var id int64
		_, err := fmt.Sscan(w.Ask("SELECT "+which+"(l.id)::text FROM return_lines l JOIN items i ON i.id = l.item_id WHERE i.barcode = ? AND NOT l.undone", items[0]), &id)
		require.NoError(t, err)
		return id
	}
	undo := func(id int64) {
		testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, id) })
	}
	undo(line("max"))
	assert.Equal(t, "shelf 3", piles())
	undo(line("min"))
	assert.Equal(t, "shelf 2", piles())
}
