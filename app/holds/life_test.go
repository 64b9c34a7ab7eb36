package holds_test

import (
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/testkit"
)

func placed(t *testing.T, w *testkit.World, who act.Actor, title, patron int64, pickup calendar.Code) int64 {
	t.Helper()
	return testkit.Do(t, w.House, who, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: pickup})
	}).ID
}

func missed(t *testing.T, w *testkit.World, who act.Actor, hold int64) {
	t.Helper()
	testkit.Do(t, w.House, who, func(a *act.Act) (*holds.NotHere, error) { return holds.Missed(a, hold) })
}

// Missed once, found, and missed again long after for another hold is missed once: being seen ends a miss. Missed twice
// without being seen is missing; scanned anywhere, it is found, and goes to who waits.
func TestBeingSeenEndsAMiss(t *testing.T) {
	w := testkit.NewWorld(t)
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	title, items := w.Title("HVH")
	standing := func() string { return w.Ask("SELECT standing FROM items WHERE barcode = ?", items[0]) }
	first := placed(t, w, here, title, w.Patron("HVH"), "HVH")
	missed(t, w, here, first)
	assert.Equal(t, "in_use", standing())
	assert.Equal(
		t,
		"waiting",
		w.Ask("SELECT state FROM holds WHERE id = ?", first),
		"it is not looked for in vain twice for one hold",
	)
	testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, first, "no longer wanted") })
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	w.Later(365 * 24 * time.Hour)
	second := placed(t, w, here, title, w.Patron("HVH", map[string]any{"card_until": "2031-01-01"}), "HVH")
	missed(t, w, here, second)
	assert.Equal(t, "in_use", standing(), "missed once since it was last seen")
	third := placed(t, w, here, title, w.Patron("HVH", map[string]any{"card_until": "2031-01-01"}), "HVH")
	missed(t, w, here, third)
	assert.Equal(t, "missing", standing())
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM holds WHERE state = 'waiting'"))
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	assert.Equal(t, "in_use", standing())
	assert.Equal(t, "ready", w.Ask("SELECT state FROM holds WHERE id = ?", second), "the first in the queue gets it")
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'found'"))
}

// A hold cancelled at one station while its item is placed at another: whichever comes first, neither fails, and the
// item stands where it was put or goes where it is needed.
func TestCancellingWhileTheItemIsPlaced(t *testing.T) {
	w := testkit.NewWorld(t)
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	for range 12 {
		title, items := w.Title("HVH")
		hold := placed(t, w, here, title, w.Patron("HVH"), "SLM")
		var both sync.WaitGroup
		var cancelled, taken error
		both.Go(func() {
			_, cancelled = testkit.Try(
				w.House,
				there,
				func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, hold, "no longer wanted") },
			)
		})
		both.Go(func() {
			_, taken = testkit.Try(
				w.House,
				here,
				func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) },
			)
		})
		both.Wait()
		require.NoError(t, cancelled)
		require.NoError(t, taken)
		assert.Equal(t, "cancelled", w.Ask("SELECT state FROM holds WHERE id = ?", hold))
	}
}

// A long queue is routed without being read whole, and still in its order.
func TestALongQueueKeepsItsOrder(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	first := w.Patron("HVH")
	w.Set("UPDATE items SET standing = 'aside'")
	hold := placed(t, w, here, title, first, "HVH")
	w.Set(
		`INSERT INTO patrons (card, legal_name, shelf_name, class, branch_code) SELECT '24321' || lpad((1000000 + n)::text, 9, '0'), 'Q ' || n, 'Q', 'adult', 'HVH' FROM generate_series(1, 900) n`,
	)
	w.Set(
		`INSERT INTO holds (title_id, patron_id, pickup, placed_at, place) SELECT ?, id, 'SLM', now(), 10 + row_number() OVER (ORDER BY id) FROM patrons WHERE legal_name LIKE 'Q %'`,
		title,
	)
	w.Set("UPDATE items SET standing = 'in_use'")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	assert.Equal(t, "ready", w.Ask("SELECT state FROM holds WHERE id = ?", hold))
	// Nobody at the head of the queue may have it: the search goes on until somebody may.
	w.Set("UPDATE holds SET only_item = (SELECT min(id) FROM items) WHERE place < 700 AND state = 'waiting'")
	second := w.Item(title, "SLM", nil)
	there := w.Staff(role.Desk, "SLM")
	testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, second) })
	assert.Equal(
		t,
		"700",
		w.Ask("SELECT place::text FROM holds h JOIN items i ON i.id = h.item_id WHERE i.barcode = ?", second),
	)
}

// Undoing and moving on is for those who may: a volunteer does not cancel.
func TestAVolunteerDoesNotCancel(t *testing.T) {
	w := testkit.NewWorld(t)
	here, volunteer := w.Staff(role.Desk, "HVH"), w.Staff(role.Volunteer, "HVH")
	title, _ := w.Title("HVH")
	hold := placed(t, w, here, title, w.Patron("HVH"), "HVH")
	_, err := testkit.Try(
		w.House,
		volunteer,
		func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, hold, "no longer wanted") },
	)
	assert.ErrorContains(t, err, "Your role cannot cancel holds. Ask a colleague who can.")
}
