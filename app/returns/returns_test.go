package returns_test

import (
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/returns"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ledger"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

func lend(t *testing.T, w *testkit.World, who act.Actor, patron int64, item string) int64 {
	t.Helper()
	r := testkit.Do(t, w.House, who, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: item, Patron: patron})
	})
	require.Equal(t, "lent", r.Kind, r.Text)
	return r.Line.LoanID
}

// begin opens a run.
func begin(t *testing.T, w *testkit.World, who act.Actor, mode string) *returns.Run {
	t.Helper()
	return testkit.Do(t, w.House, who, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, mode, "") })
}

func scan(t *testing.T, w *testkit.World, who act.Actor, run int64, item string) returns.Line {
	t.Helper()
	c := testkit.Do(t, w.House, who, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run, item) })
	require.Len(t, c.Lines, 1)
	return c.Lines[0]
}

func undo(w *testkit.World, who act.Actor, line int64) error {
	_, err := testkit.Try(w.House, who, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, line) })
	return err
}

func place(t *testing.T, w *testkit.World, who act.Actor, title, patron int64, pickup calendar.Code) *holds.Hold {
	t.Helper()
	return testkit.Do(t, w.House, who, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: pickup})
	})
}

func state(w *testkit.World, hold int64) string {
	return w.Ask(
		"SELECT state || coalesce(' ' || (SELECT barcode FROM items WHERE id = item_id), '') FROM holds WHERE id = ?",
		hold,
	)
}

// The first emptying of a bin on a day counts as the last open day; later ones of that day as now. The next day begins
// anew, another branch's bin has a day of its own, and a bin is one, whoever empties it.
func TestOnlyTheFirstEmptyingOfADayCountsAsTheLastOpenDay(t *testing.T) {
	w := testkit.NewWorld(t)
	here, colleague, other := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	finish := func(who act.Actor, run int64) {
		testkit.Do(t, w.House, who, func(a *act.Act) (*returns.Run, error) { return returns.Finish(a, run) })
	}
	first := begin(t, w, here, "bin")
	assert.Equal(t, "2026-10-05", first.Counted, "Tuesday's first bin counts as Monday")
	assert.Equal(t, first.ID, begin(t, w, here, "bin").ID, "it is still there on coming back")
	finish(here, first.ID)
	assert.Empty(t, begin(t, w, here, "bin").Counted, "the second of the day counts as now")
	assert.Empty(t, begin(t, w, colleague, "bin").Counted, "whoever empties it")
	assert.Equal(t, "2026-10-03", begin(t, w, other, "bin").Counted, "Saltmere, closed on Mondays, counts as Saturday")
	assert.Empty(t, begin(t, w, here, "patron").Counted, "with the patron there it is now")
	w.Later(24 * time.Hour)
	third := w.Staff(role.Desk, "HVH")
	assert.Equal(t, "2026-10-06", begin(t, w, third, "bin").Counted, "the next day begins anew")
	w.Set("UPDATE branches SET bins_now = true WHERE code = 'HVH'")
	w.Later(24 * time.Hour)
	assert.Empty(t, begin(t, w, w.Staff(role.Desk, "HVH"), "bin").Counted, "a branch may settle that its bins count as now")
}

// Undoing a return takes back what it did: the loan, its charge, the tote; and what waits for the title is looked at
// again, so that no hold waits beside a free copy.
func TestUndoingAReturnTakesBackJustWhatItDid(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	borrower, reader := w.Patron("HVH"), w.Patron("SLM")
	loan := lend(t, w, here, borrower, items[0])
	hold := place(t, w, here, title, reader, "SLM")
	assert.Equal(t, "waiting", state(w, hold.ID))
	run := begin(t, w, here, "bin")
	line := scan(t, w, here, run.ID, items[0])
	assert.Equal(t, circulation.Tote, line.Sign.Kind)
	assert.Equal(t, "moving "+items[0], state(w, hold.ID))

	require.NoError(t, undo(w, here, line.ID))
	assert.Equal(t, "waiting", state(w, hold.ID), "it waits again, in its old place")
	assert.Equal(t, "lent", w.Ask("SELECT place FROM whereabouts"))
	assert.Equal(t, "t", w.Ask("SELECT (returned_at IS NULL)::text::char FROM loans WHERE id = ?", loan))

	// With a second copy free meanwhile, the hold that is put back goes to that one.
	line = scan(t, w, here, run.ID, items[0])
	second := w.Item(title, "THB", nil)
	require.NoError(t, undo(w, here, line.ID))
	assert.Equal(t, "fetching "+second, state(w, hold.ID))
}

// A hold that was given the item after the return, and has not got it yet, waits again; one that has it keeps it.
func TestUndoingAReturnLeavesAlone(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	borrower, reader := w.Patron("HVH"), w.Patron("HVH")
	lend(t, w, here, borrower, items[0])
	run := begin(t, w, here, "patron")
	line := scan(t, w, here, run.ID, items[0])
	assert.Equal(t, circulation.Shelf, line.Sign.Kind)
	hold := place(t, w, here, title, reader, "HVH")
	assert.Equal(t, "fetching "+items[0], state(w, hold.ID))
	require.NoError(t, undo(w, here, line.ID))
	assert.Equal(t, "waiting", state(w, hold.ID))

	line = scan(t, w, here, run.ID, items[0])
	assert.Equal(t, "ready "+items[0], state(w, hold.ID))
	cancelled := testkit.Do(
		t,
		w.House,
		here,
		func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, hold.ID, "no longer wanted") },
	)
	assert.EqualValues(t, "cancelled", cancelled.State)
	require.NoError(t, undo(w, here, line.ID), "a hold that ended meanwhile is no hindrance")
	assert.Equal(t, "cancelled "+items[0], state(w, hold.ID), "and stays as it ended")

	line = scan(t, w, here, run.ID, items[0])
	other := place(t, w, here, title, w.Patron("HVH"), "HVH")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	assert.Equal(t, "ready "+items[0], state(w, other.ID))
	assert.ErrorContains(t, undo(w, here, line.ID), "now fills a hold, so this cannot be undone.")
}

// What has gone on from the tote is no longer undone here.
func TestUndoingAReturnThatHasGoneOn(t *testing.T) {
	w := testkit.NewWorld(t)
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	_, items := w.Title("SLM")
	lend(t, w, here, w.Patron("HVH"), items[0])
	run := begin(t, w, here, "bin")
	line := scan(t, w, here, run.ID, items[0])
	require.Equal(t, circulation.Tote, line.Sign.Kind)
	testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	assert.ErrorContains(t, undo(w, here, line.ID), "scanned elsewhere since")
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM whereabouts"))
}

// A loan that was begun before a return and had to wait for it comes after it, in its times too: the return can no
// longer be undone under it, and the history of the item tells them in their order.
func TestWhoWaitedComesAfter(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH")
	lend(t, w, here, w.Patron("HVH"), items[0])
	run := begin(t, w, here, "patron")
	var line returns.Line
	next := w.Patron("HVH")
	lent := testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Result, error) {
		line = scan(t, w, here, run.ID, items[0]) // by another station, while this act is under way
		return desk.Lend(a, desk.Lending{Item: items[0], Patron: next})
	})
	require.Equal(t, "lent", lent.Kind, lent.Text)
	require.Equal(t, circulation.FoundOnLoan, scan(t, w, here, run.ID, items[0]).Kind)
	assert.ErrorContains(t, undo(w, here, line.ID), "lent again since")
	assert.Equal(t, "lent returned lent returned",
		w.Ask("SELECT string_agg(kind, ' ' ORDER BY at, id) FROM events WHERE kind IN ('lent', 'returned')"))
}

// A line of something that was under way, undone, is under way again; its hold too.
func TestUndoingWhatWasReceived(t *testing.T) {
	w := testkit.NewWorld(t)
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	title, items := w.Title("HVH")
	hold := place(t, w, here, title, w.Patron("SLM"), "SLM")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	require.Equal(t, "moving "+items[0], state(w, hold.ID))
	run := begin(t, w, there, "bin")
	line := scan(t, w, there, run.ID, items[0])
	assert.Equal(t, circulation.FoundUnderWay, line.Kind)
	assert.Equal(t, "ready "+items[0], state(w, hold.ID))
	require.NoError(t, undo(w, there, line.ID))
	assert.Equal(t, "moving "+items[0], state(w, hold.ID))
	assert.Equal(t, "under_way", w.Ask("SELECT place FROM whereabouts"))
	assert.Equal(t, "HVH", w.Ask("SELECT at_branch FROM items"))
	again := scan(t, w, there, run.ID, items[0])
	assert.Equal(t, circulation.HoldShelf, again.Sign.Kind)
}

// Piles are counted with every scan and again when a line is undone; a page of lines says whether there are more.
func TestPilesAndPages(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	run := begin(t, w, here, "bin")
	_, atHome := w.Title("HVH", "HVH", "SLM")
	var last returns.Line
	_, gone := w.Title("HVH")
	w.Set("UPDATE items SET standing = 'withdrawn' WHERE barcode = ?", gone[0])
	for _, item := range append(atHome, "31", "no label", gone[0]) {
		last = scan(t, w, here, run.ID, item)
	}
	look := func() map[string]int {
		r := testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Run, error) { return returns.Look(a, run.ID) })
		out := map[string]int{}
		for _, p := range r.Piles {
			out[p.Name] = p.Count
		}
		return out
	}
	assert.Equal(t, map[string]int{"Shelve here": 2, "Tote: Saltmere": 1, "Aside": 1}, look(), "a misread is no thing that lies aside")
	require.NoError(t, undo(w, here, last.ID))
	assert.Equal(t, map[string]int{"Shelve here": 2, "Tote: Saltmere": 1}, look())
	assert.ErrorContains(t, undo(w, here, last.ID), "undone already")
	var seen []int64
	for page, more := (store.Page{Most: 2}), true; more; {
		var lines []returns.Line
		_, err := testkit.Try(w.House, here, func(a *act.Act) (int, error) {
			var err error
			lines, page, err = returns.Lines(a, run.ID, page)
			return 0, err
		})
		require.NoError(t, err)
		for _, l := range lines {
			seen = append(seen, l.ID)
		}
		more = page.More
	}
	assert.Len(t, seen, 6)
	for k := 1; k < len(seen); k++ {
		assert.Less(t, seen[k], seen[k-1], "newest first, none twice")
	}
}

// Money from both ends: what was lost and paid in part is credited when found in time, owed again when that is undone,
// and credited once more; a waiver larger than what is left is refused whole; of two payments at once of all that is
// owed, one is taken.
func TestMoneyAtBothEnds(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH")
	patron := w.Patron("HVH")
	loan := lend(t, w, here, patron, items[0])
	w.Set(
		"UPDATE loans SET lent_at = lent_at - interval '100 days', lost_at = lent_at - interval '30 days', due_date = '2026-07-20' WHERE id = ?",
		loan,
	)
	w.Set(
		"INSERT INTO ledger (patron_id, kind, amount, loan_id, about, at) VALUES (?, 'charge', 2000, ?, 'lost', now())",
		patron,
		loan,
	)
	balance := func() string { return w.Ask("SELECT balance::text FROM patrons WHERE id = ?", patron) }
	settle := func(amount, means, reason string) error {
		_, err := testkit.Try(w.House, here, func(a *act.Act) (*accounts.Settled, error) {
			return accounts.Settle(a, accounts.Settling{Patrons: []int64{patron}, Amount: amount, Means: ledger.Means(means), Reason: reason})
		})
		return err
	}
	require.NoError(t, settle("7.50", "cash", ""))
	assert.Equal(t, "1250", balance())
	run := begin(t, w, here, "bin")
	line := scan(t, w, here, run.ID, items[0])
	assert.Equal(t, circulation.FoundLost, line.Kind)
	assert.Contains(t, line.Found, "20.00 credited")
	fine, err := strconv.ParseInt(w.Ask("SELECT fine::text FROM return_lines WHERE id = ?", line.ID), 10, 64)
	require.NoError(t, err)
	assert.Positive(t, fine, "lateness up to when it was lost is charged instead")
	assert.Equal(t, strconv.FormatInt(fine, 10), balance())
	assert.Equal(
		t,
		"750",
		w.Ask("SELECT amount::text FROM ledger WHERE kind = 'refund'"),
		"what was paid is to be given back",
	)
	require.NoError(t, undo(w, here, line.ID))
	assert.Equal(t, "1250", balance(), "owed as before; what was paid counts")
	assert.Equal(t, "lost", w.Ask("SELECT standing FROM items WHERE barcode = ?", items[0]))
	line = scan(t, w, here, run.ID, items[0])
	assert.Contains(t, line.Found, "20.00 credited")
	assert.Equal(t, strconv.FormatInt(fine, 10), balance())

	assert.ErrorContains(t, settle("1000.00", "cash", ""), "is more than the")
	assert.ErrorContains(t, settle("5.01", "", "Too much for the desk"), "can waive up to $5.00 at once. Ask somebody with a higher limit.")
	assert.Equal(t, strconv.FormatInt(fine, 10), balance(), "nothing of it was waived")
	assert.ErrorContains(t, settle("1.00", "", "  "), "Enter a reason for the waiver.")
	all := w.Ask(
		"SELECT (balance / 100)::text || '.' || lpad((balance % 100)::text, 2, '0') FROM patrons WHERE id = ?",
		patron,
	)
	errs := make(chan error, 2)
	for range 2 {
		go func() { errs <- settle(all, "card", "") }()
	}
	one, two := <-errs, <-errs
	assert.True(t, (one == nil) != (two == nil), "one is taken, the other is told: %v, %v", one, two)
	assert.Equal(t, "0", balance())
}
