package flows_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/flows"
	"nevrin/app/holds"
	"nevrin/app/returns"
	"nevrin/app/stock"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/testkit"
)

// A copy of Havenhead is fetched for readers at Saltmere four times and read at home by nobody: it had better belong there. One
// act gives it that home, is looked at first, and is undone.
func TestWhatTravelsAgainAndAgain(t *testing.T) {
	w := testkit.NewWorld(t)
	here, there, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM"), w.Staff(role.Supervisor, "HVH")
	title, items := w.Title("HVH")
	_, other := w.Title("HVH")
	w.Lend(other[0], w.Patron("HVH"), "2026-10-20")
	inHand := func(who act.Actor) {
		t.Helper()
		testkit.Do(t, w.House, who, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	}
	for range 4 {
		reader := w.Patron("SLM")
		testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(a, holds.Order{Title: title, Patron: reader, Pickup: "SLM"})
		})
		inHand(here)
		inHand(there)
		w.Set("INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, returned_at) "+
			"SELECT i.id, ?, 'SLM', (SELECT max(id) FROM editions), ARRAY['SLM','HVH','general','book','adult'], c.shows, '2026-10-30', c.shows "+
			"FROM items i, training_clock c WHERE i.barcode = ?", reader, items[0])
		w.Set("UPDATE holds SET state = 'filled', closed_at = now(), slot = NULL WHERE state = 'ready'")
		run := testkit.Do(t, w.House, there, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
		testkit.Do(t, w.House, there, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, items[0]) })
		inHand(here)
		w.Later(time.Hour)
	}
	look := func() *flows.Flows {
		t.Helper()
		f, err := act.Look(t.Context(), w.House, boss, func(a *act.Act) (*flows.Flows, error) { return flows.Of(a, 30) })
		require.NoError(t, err)
		return f
	}
	f := look()
	assert.Equal(t, []flows.Pair{{From: "HVH", To: "SLM", Holds: 4}, {From: "SLM", To: "HVH", Others: 4}}, f.Pairs)
	require.Len(t, f.Better, 1)
	b := f.Better[0]
	assert.Equal(t, calendar.Code("SLM"), b.ToCode)
	assert.Equal(t, []int{4, 0, 4, 4}, []int{b.Journeys, b.LentHome, b.LentThere, b.Saves})

	move := stock.Many{Which: stock.Which{Items: []int64{b.ItemID}}, Change: stock.Becoming{Branch: b.ToCode}, Try: true}
	would := testkit.Do(t, w.House, boss, func(a *act.Act) (*stock.ManyChanged, error) { return stock.ChangeMany(a, move) })
	assert.Equal(t, 1, would.Changed)
	assert.Len(t, look().Better, 1, "nothing is done yet")
	move.Try = false
	done := testkit.Do(t, w.House, boss, func(a *act.Act) (*stock.ManyChanged, error) { return stock.ChangeMany(a, move) })
	assert.Empty(t, look().Better)
	testkit.Do(t, w.House, boss, func(a *act.Act) (*stock.Undone, error) { return stock.Undo(a, done.Deed) })
	assert.Len(t, look().Better, 1)
}
