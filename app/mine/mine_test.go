package mine_test

import (
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/mine"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

// A paused hold keeps its place and is passed over: it takes no copy, holds up no renewal, and a night lets it wait again.
func TestPausedHolds(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	reader, first, second := w.Patron("HVH"), w.Patron("HVH"), w.Patron("SLM")
	title, labels := w.Title("HVH")
	lend := func() {
		testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Result, error) {
			return desk.Take(a, desk.Scan{Text: labels[0], Patron: reader})
		})
	}
	lend()
	own := act.Actor{Role: role.Administrator, Branch: "HVH"}
	do := func(change func(*act.Act) (string, error)) (string, error) { return testkit.Try(w.House, own, change) }
	must := func(change func(*act.Act) (string, error)) string {
		t.Helper()
		says, err := do(change)
		require.NoError(t, err)
		return says
	}
	id := func(query string, args ...any) int64 {
		n, err := strconv.ParseInt(w.Ask(query, args...), 10, 64)
		require.NoError(t, err)
		return n
	}
	must(func(a *act.Act) (string, error) { return mine.Hold(a, first, title, "HVH") })
	hold := id("SELECT id::text FROM holds WHERE patron_id = ?", first)
	loan := id("SELECT id::text FROM loans")
	_, err := do(func(a *act.Act) (string, error) { return mine.Renew(a, reader, loan) })
	require.ErrorContains(t, err, "wait", "somebody is waiting for it")

	until := calendar.MakeDate(2026, 10, 20)
	must(func(a *act.Act) (string, error) { return mine.Pause(a, first, hold, &until) })
	assert.Contains(t, must(func(a *act.Act) (string, error) { return mine.Renew(a, reader, loan) }), "Renewed, due")

	// A second one waits behind; the copy comes back and goes to them.
	must(func(a *act.Act) (string, error) { return mine.Hold(a, second, title, "SLM") })
	w.Set("UPDATE loans SET returned_at = now()")
	testkit.Do(t, w.House, act.Machine, func(a *act.Act) (bool, error) {
		_, over, err := mine.EndPauses(a, calendar.MakeDate(2026, 10, 19), 0)
		return over, err
	})
	assert.Equal(t, "waiting 2026-10-20", w.Ask("SELECT state || ' ' || paused_until FROM holds WHERE id = ?", hold))
	must(func(a *act.Act) (string, error) {
		return mine.Pickup(a, second, id("SELECT id::text FROM holds WHERE patron_id = ?", second), "HVH")
	})
	assert.Equal(t, "fetching", w.Ask("SELECT state FROM holds WHERE patron_id = ?", second))
	_, err = do(func(a *act.Act) (string, error) {
		return mine.Pause(a, second, id("SELECT id::text FROM holds WHERE patron_id = ?", second), &until)
	})
	require.ErrorContains(t, err, "A copy is already in transit for this hold. You can cancel it, but not edit it.")

	// The pause is over: there is another copy by now.
	w.Item(title, "HVH", nil)
	w.Later(14 * 24 * time.Hour)
	testkit.Do(t, w.House, act.Machine, func(a *act.Act) (bool, error) {
		_, over, err := mine.EndPauses(a, until, 0)
		return over, err
	})
	assert.Equal(t, "fetching", w.Ask("SELECT state FROM holds WHERE id = ?", hold))
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'hold_paused'"))
}

// What is not theirs or not for the public is not there; who is excluded waits for nothing.
func TestWhatCannotBeWaitedFor(t *testing.T) {
	w := testkit.NewWorld(t)
	patron := w.Patron("HVH")
	title, _ := w.Title("HVH")
	outside, _ := w.Title()
	w.Item(outside, "HVH", map[string]any{"material": "interlibrary"})
	own := act.Actor{Role: role.Administrator, Branch: "HVH"}
	hold := func(title int64) error {
		_, err := testkit.Try(w.House, own, func(a *act.Act) (string, error) { return mine.Hold(a, patron, title, "HVH") })
		return err
	}
	require.ErrorContains(t, hold(outside), "no such title")
	w.Set("UPDATE classes SET staff_only = true WHERE kind = 'collection'")
	require.ErrorContains(t, hold(title), "no such title")
	w.Set("UPDATE classes SET staff_only = false")
	w.Set("UPDATE patrons SET standing = 'excluded'")
	require.ErrorContains(t, hold(title), "No holds can be placed with this card")
	w.Set("UPDATE patrons SET standing = 'active', stopped = 'Kites not back'")
	require.NoError(t, hold(title), "who may not borrow looks and waits")
	found := func(words string) int {
		out, err := act.Look(t.Context(), w.House, mine.Visitor, func(a *act.Act) (int, error) {
			f, err := mine.Search(a, words, store.Page{Most: 10})
			return len(f.Rows), err
		})
		require.NoError(t, err)
		return out
	}
	assert.Equal(t, 1, found(w.Ask("SELECT name FROM titles WHERE id = ?", title)))
	assert.Equal(t, 0, found(w.Ask("SELECT name FROM titles WHERE id = ?", outside)), "what came from outside is for who asked")
}
