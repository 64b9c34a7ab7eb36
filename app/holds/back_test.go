package holds_test

import (
	"fmt"
	"strings"
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

func change(t *testing.T, w *testkit.World, who act.Actor, hold int64, c holds.Changed) *holds.Hold {
	t.Helper()
	return testkit.Do(t, w.House, who, func(a *act.Act) (*holds.Hold, error) { return holds.Change(a, hold, c) })
}

func changeBack(w *testkit.World, who act.Actor, h *holds.Hold) (*holds.Hold, error) {
	return testkit.Try(w.House, who, func(a *act.Act) (*holds.Hold, error) { return holds.ChangeBack(a, h.ID, *h.ChangedAt) })
}

// What of a hold changed is undone, once, by the change that it was: where it is picked up, from when on and until
// when. A copy that the change brought it is left to others.
func TestAChangeIsTakenBack(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, _ := w.Title("HVH")
	hold := placed(t, w, here, title, w.Patron("HVH"), "HVH")
	w.Set("UPDATE holds SET state = 'waiting', item_id = NULL, fetch_at = NULL, promised_at = NULL WHERE id = ?", hold)
	w.Set("DELETE FROM whereabouts")
	state := func() string {
		return w.Ask("SELECT concat_ws(' ', state, pickup, paused_until, wanted_until) FROM holds WHERE id = ?", hold)
	}
	text := func(s string) *string { return &s }
	pickup := calendar.Code("SLM")
	first := change(t, w, here, hold, holds.Changed{PausedUntil: text("2026-11-20"), WantedUntil: text("2027-01-31")})
	assert.Equal(t, "waiting HVH 2026-11-20 2027-01-31", state())
	second := change(t, w, here, hold, holds.Changed{Pickup: &pickup, PausedUntil: text("")})
	assert.Equal(t, "fetching SLM 2027-01-31", state(), "it waits no longer, and is given the copy")
	_, err := changeBack(w, here, first)
	require.ErrorContains(t, err, "This hold has changed again since, or the change is already undone.")
	back, err := changeBack(w, w.Staff(role.Supervisor, "HVH"), second)
	require.NoError(t, err)
	assert.Nil(t, back.ChangedAt)
	assert.Equal(t, "waiting HVH 2026-11-20 2027-01-31", state())
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM whereabouts"), "the copy is free")
	_, err = changeBack(w, here, second)
	require.ErrorContains(t, err, "This hold has changed again since, or the change is already undone.")
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'hold_changed_back'"))
}

// Moved in its queue it stands again where it stood, and counts as moved by hand no more; only who supervises does so.
func TestAMoveIsTakenBack(t *testing.T) {
	w := testkit.NewWorld(t)
	here, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
	title, items := w.Title("HVH")
	w.Lend(items[0], w.Patron("HVH"), "2026-10-20")
	ids := make([]int64, 4)
	for k := range ids {
		ids[k] = placed(t, w, here, title, w.Patron("HVH"), "HVH")
	}
	queue := func() string {
		return w.Ask("SELECT string_agg(array_position(string_to_array(?, ',')::bigint[], id)::text, ' ' ORDER BY band, place, id) FROM holds WHERE title_id = ?",
			strings.ReplaceAll(strings.Trim(fmt.Sprint(ids), "[]"), " ", ","), title)
	}
	move := func(hold, before int64) *holds.Hold {
		return testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.Hold, error) {
			return holds.MoveInQueue(a, hold, holds.Move{Before: before, Reason: "An exam"})
		})
	}
	for name, c := range map[string]struct {
		hold, before int
		then         string
	}{
		"to the head":        {2, 0, "3 1 2 4"},
		"behind all":         {1, -1, "1 3 4 2"},
		"the last one ahead": {3, 1, "1 4 2 3"},
	} {
		before := int64(0)
		if c.before >= 0 {
			before = ids[c.before]
		}
		moved := move(ids[c.hold], before)
		assert.Equal(t, c.then, queue(), name)
		_, err := changeBack(w, here, moved)
		require.ErrorContains(t, err, "Your role cannot move holds. Ask a supervisor.")
		_, err = changeBack(w, boss, moved)
		require.NoError(t, err)
		assert.Equal(t, "1 2 3 4", queue(), name)
	}
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM holds WHERE moved"))

	// Whoever it stood in front of is gone: it is said, and nothing changes.
	moved := move(ids[0], 0)
	testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, ids[1], "no longer wanted") })
	_, err := changeBack(w, boss, moved)
	require.ErrorContains(t, err, "does not wait in this queue any more")
	assert.Equal(t, "2 3 4 1", queue())
}

// Gone on meanwhile it stays as it is; two who take the same change back at once do so once.
func TestAChangeIsTakenBackOnce(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	w.Lend(items[0], w.Patron("HVH"), "2026-10-20")
	hold := placed(t, w, here, title, w.Patron("HVH"), "HVH")
	until := "2027-01-31"
	is := change(t, w, here, hold, holds.Changed{WantedUntil: &until})
	var both sync.WaitGroup
	errs := make([]error, 2)
	for k := range errs {
		both.Go(func() { _, errs[k] = changeBack(w, here, is) })
	}
	both.Wait()
	assert.True(t, (errs[0] == nil) != (errs[1] == nil), "%v", errs)
	assert.Equal(t, "none", w.Ask("SELECT coalesce(wanted_until::text, 'none') FROM holds WHERE id = ?", hold))

	is = change(t, w, here, hold, holds.Changed{WantedUntil: &until})
	w.Later(time.Hour)
	w.Set("UPDATE loans SET returned_at = (SELECT shows FROM training_clock)")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	_, err := changeBack(w, here, is)
	require.ErrorContains(t, err, "A copy is already in transit for this hold. You can cancel it, but not edit it.")
	assert.Equal(t, until, w.Ask("SELECT wanted_until::text FROM holds WHERE id = ?", hold))
}

// Where the network has settled reasons for which holds are cancelled, one has to be given, and nothing is cancelled without.
func TestACancelledHoldHasAReason(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	var id int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM holds WHERE state = 'waiting' ORDER BY id LIMIT 1").Scan(&id).Error)
	for _, reason := range []string{"", "  "} {
		_, err := testkit.Try(h, maren, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, id, reason) })
		require.ErrorContains(t, err, "Enter a reason, such as: no longer wanted.")
	}
	assert.Equal(t, "waiting", testkit.Text(t, h, "SELECT state FROM holds WHERE id = ?", id))
	testkit.Do(t, h, maren, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, id, " Asked by phone ") })
	assert.Equal(t, "Asked by phone", testkit.Text(t, h, "SELECT detail->>'reason' FROM events WHERE kind = 'hold_cancelled' AND hold_id = ?", id))
	require.NoError(t, testkit.SQL(h).Exec("UPDATE choices SET retired = true WHERE list = 'cancel'").Error)
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM holds WHERE state = 'waiting' ORDER BY id LIMIT 1").Scan(&id).Error)
	testkit.Do(t, h, maren, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, id, "") })
}
