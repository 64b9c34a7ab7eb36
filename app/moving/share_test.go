package moving_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/moving"
	"nevrin/app/returns"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store"
	"nevrin/testkit"
)

// rounds lets branches fetch only so much in a round of four hours.
func rounds(t *testing.T, w *testkit.World, most map[string]int) {
	t.Helper()
	is, seen := settings.Usual(), 0
	is.Holds.FetchMost, is.Holds.RoundMinutes = most, 240
	if w.Ask("SELECT count(*)::text FROM changes WHERE part = 'settings'") != "0" {
		_, _ = fmt.Sscan(w.Ask("SELECT max(id)::text FROM changes WHERE part = 'settings'"), &seen)
	}
	testkit.Do(t, w.House, w.Staff(role.Administrator, "HVH"), func(a *act.Act) (*upkeep.Kept, error) {
		return upkeep.Put(a, "settings", "", int64(seen), is)
	})
}

// fetched is a hold whose item is to be fetched at a branch, for pickup at Havenhead, with the items at other branches that
// were added after it was routed.
func fetched(t *testing.T, w *testkit.World, at string, also ...string) (hold int64, items []string) {
	t.Helper()
	title, items := w.Title(at)
	hold = testkit.Do(t, w.House, w.Staff(role.Desk, "HVH"), func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("HVH"), Pickup: "HVH"})
	}).ID
	for _, branch := range also {
		items = append(items, w.Item(title, branch, nil))
	}
	return hold, items
}

func share(t *testing.T, w *testkit.World) *moving.Round {
	t.Helper()
	r, err := act.Look(t.Context(), w.House, w.Staff(role.Supervisor, "HVH"), moving.ShareRound)
	require.NoError(t, err)
	return r
}

func reassign(t *testing.T, w *testkit.World, given ...moving.Given) *moving.Reassigned {
	t.Helper()
	return testkit.Do(t, w.House, w.Staff(role.Supervisor, "HVH"), func(a *act.Act) (*moving.Reassigned, error) {
		return moving.Reassign(a, given)
	})
}

// asLooked are the swaps of a look, to be done or, back, to be undone.
func asLooked(r *moving.Round, back bool) []moving.Given {
	var out []moving.Given
	for _, s := range r.Swaps {
		if back {
			out = append(out, moving.Given{Hold: s.Hold, Item: s.FromItem, PutOff: s.WasPutOff})
		} else {
			out = append(out, moving.Given{Hold: s.Hold, Item: s.ToItem, PutOff: s.PutOff})
		}
	}
	return out
}

// Saltmere has three things to fetch and can fetch one in a round: what stands elsewhere too is fetched there, what does not
// waits for the next round and is promised so. All of it is undone.
func TestTheWorkOfARoundIsShared(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "SLM")
	assert.Empty(t, share(t, w).Full)
	one, _ := fetched(t, w, "SLM")
	two, _ := fetched(t, w, "SLM")
	three, items := fetched(t, w, "SLM", "THB")
	at := func(hold int64) string {
		return w.Ask("SELECT i.barcode || ' ' || h.fetch_at FROM holds h JOIN items i ON i.id = h.item_id WHERE h.id = ?", hold)
	}
	promised := func(hold int64) string { return w.Ask("SELECT promised_at::text FROM holds WHERE id = ?", hold) }
	rounds(t, w, map[string]int{"SLM": 3})
	assert.Empty(t, share(t, w).Full, "three can be fetched")
	rounds(t, w, map[string]int{"SLM": 1})
	r := share(t, w)
	require.Len(t, r.Full, 1)
	assert.Equal(t, moving.Eased{Full: moving.Full{Code: "SLM", Name: "Saltmere", Most: 1, Lines: 3}, After: 2, Later: 1}, r.Full[0])
	assert.Equal(t, 3, r.Lines)
	assert.Less(t, r.After, r.Before)
	assert.Equal(t, r.After, r.Bound, "of so few lines the best is found")
	require.Len(t, r.Swaps, 2)
	was := map[int64]string{one: at(one), two: at(two), three: at(three)}
	first, second := promised(one), promised(two)

	assert.Equal(t, moving.Reassigned{Done: 2, Stayed: []moving.Stayed{}}, *reassign(t, w, asLooked(r, false)...))
	assert.Equal(t, items[1]+" THB", at(three))
	assert.Contains(t, w.Ask("SELECT why::text FROM holds WHERE id = ?", three), "Fetching was shared among branches by")
	later := 0
	for hold, before := range map[int64]string{one: first, two: second} {
		assert.Equal(t, was[hold], at(hold))
		if promised(hold) > before {
			later++
		}
	}
	assert.Equal(t, 1, later, "one of the two is fetched a round later, and is promised so")
	again := share(t, w)
	assert.Empty(t, again.Swaps, "shared once, it stays shared")
	assert.Equal(t, again.After, again.Before)

	assert.Equal(t, 2, reassign(t, w, asLooked(r, true)...).Done)
	for hold, before := range was {
		assert.Equal(t, before, at(hold))
	}
	// Somebody goes for one: it stays where it is.
	testkit.Do(t, w.House, here, func(a *act.Act) (bool, error) { return true, holds.Take(a, three, true) })
	for _, s := range share(t, w).Swaps {
		assert.NotEqual(t, three, s.Hold)
	}
}

// Who wants it until today only is not put off to a round that brings it tomorrow: another waits instead.
func TestNobodyIsPutOffPastTheirLastDay(t *testing.T) {
	w := testkit.NewWorld(t)
	one, _ := fetched(t, w, "SLM")
	two, _ := fetched(t, w, "SLM")
	rounds(t, w, map[string]int{"SLM": 1})
	put := func() (off []int64) {
		for _, s := range share(t, w).Swaps {
			if s.PutOff {
				off = append(off, s.Hold)
			}
		}
		return off
	}
	off := put()
	require.Len(t, off, 1)
	assert.Contains(t, []int64{one, two}, off[0])
	w.Set("UPDATE holds SET wanted_until = '2026-10-06' WHERE id = ?", off[0])
	assert.Equal(t, []int64{one + two - off[0]}, put())
}

// What has changed since the look stays as it is: the copy was lent, the hold was cancelled, somebody is on the way.
func TestWhatChangedSinceTheLookStays(t *testing.T) {
	for name, meanwhile := range map[string]func(t *testing.T, w *testkit.World, hold int64, items []string){
		"the other copy is lent": func(_ *testing.T, w *testkit.World, _ int64, items []string) {
			w.Lend(items[1], w.Patron("THB"), "2026-10-20")
		},
		"the hold is cancelled": func(t *testing.T, w *testkit.World, hold int64, _ []string) {
			testkit.Do(t, w.House, w.Staff(role.Desk, "HVH"), func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, hold, "no longer wanted") })
		},
		"somebody is on the way": func(t *testing.T, w *testkit.World, hold int64, _ []string) {
			testkit.Do(t, w.House, w.Staff(role.Desk, "SLM"), func(a *act.Act) (bool, error) { return true, holds.Take(a, hold, true) })
		},
		"the other copy serves somebody else": func(t *testing.T, w *testkit.World, hold int64, _ []string) {
			testkit.Do(t, w.House, w.Staff(role.Desk, "THB"), func(a *act.Act) (*holds.Hold, error) {
				var title int64
				_, _ = fmt.Sscan(w.Ask("SELECT title_id::text FROM holds WHERE id = ?", hold), &title)
				return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("THB"), Pickup: "THB"})
			})
		},
	} {
		t.Run(name, func(t *testing.T) {
			w := testkit.NewWorld(t)
			fetched(t, w, "SLM")
			hold, items := fetched(t, w, "SLM", "THB")
			rounds(t, w, map[string]int{"SLM": 1})
			r := share(t, w)
			require.Len(t, r.Swaps, 1)
			require.Equal(t, hold, r.Swaps[0].Hold)
			meanwhile(t, w, hold, items)
			state := func() string { return w.Ask("SELECT h::text FROM holds h WHERE id = ?", hold) }
			before := state()
			got := reassign(t, w, asLooked(r, false)...)
			assert.Zero(t, got.Done)
			require.Len(t, got.Stayed, 1)
			assert.NotEmpty(t, got.Stayed[0].Says)
			assert.Equal(t, before, state())
		})
	}
}

// Given an item that may not serve it, that is another's, or that two were given, a line stays as it is.
func TestNobodyIsGivenWhatCannotServeThem(t *testing.T) {
	w := testkit.NewWorld(t)
	hold, _ := fetched(t, w, "SLM")
	_, others := fetched(t, w, "SLM", "THB")
	id := func(barcode string) (n int64) {
		_, _ = fmt.Sscan(w.Ask("SELECT id::text FROM items WHERE barcode = ?", barcode), &n)
		return n
	}
	assert.Zero(t, reassign(t, w, moving.Given{Hold: hold, Item: id(others[1])}).Done, "a copy of another title")
	assert.Empty(t, reassign(t, w, moving.Given{Hold: 1, Item: 2}).Stayed, "no such hold")

	// Two lines of a title exchange their copies.
	title, items := w.Title("SLM", "THB")
	var lines [2]int64
	for k := range lines {
		lines[k] = testkit.Do(t, w.House, w.Staff(role.Desk, "HVH"), func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("HVH"), Pickup: "HVH"})
		}).ID
	}
	of := func(k int) int64 {
		var n int64
		_, _ = fmt.Sscan(w.Ask("SELECT item_id::text FROM holds WHERE id = ?", lines[k]), &n)
		return n
	}
	x, y := of(0), of(1)
	assert.ElementsMatch(t, []int64{id(items[0]), id(items[1])}, []int64{x, y})
	assert.Zero(t, reassign(t, w, moving.Given{Hold: lines[0], Item: y}).Done, "it is the other's")
	assert.Equal(t, 2, reassign(t, w, moving.Given{Hold: lines[0], Item: y}, moving.Given{Hold: lines[1], Item: x}).Done)
	assert.Equal(t, [2]int64{y, x}, [2]int64{of(0), of(1)})
}

// A copy that comes back serves somebody whose copy is still to be fetched elsewhere, where it gets to them as early at
// least: that one stays on its shelf. Undone, the other is to be fetched again.
func TestWhatComesBackSavesAWay(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	hold, items := fetched(t, w, "SLM", "HVH")
	state := func() string {
		return w.Ask(`SELECT h.state || ' ' || i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.id = ?`, hold)
	}
	require.Equal(t, "fetching "+items[0], state())
	w.Lend(items[1], w.Patron("HVH"), "2026-10-20")
	run := testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "bin", "") })
	change := testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, items[1]) })
	assert.Equal(t, "ready "+items[1], state())
	assert.Contains(t, string(store.JSON(change.Lines[0].Why)), ". The other copy is no longer needed.")
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM whereabouts w JOIN items i ON i.id = w.item_id WHERE i.barcode = ?", items[0]))

	testkit.Do(t, w.House, here, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, change.Lines[0].ID) })
	assert.Equal(t, "fetching "+items[0], state())
	assert.Equal(t, "lent", w.Ask("SELECT place FROM whereabouts w JOIN items i ON i.id = w.item_id WHERE i.barcode = ?", items[1]))
}

// It saves no way where somebody is on theirs already, where it would come later or too late, or is not what was asked for.
func TestWhatComesBackLeavesTheOther(t *testing.T) {
	for name, c := range map[string]struct {
		at, set string
		saves   bool
	}{
		"another copy of the same shelf will do":         {at: "SLM", saves: true},
		"somebody is on the way to the other":            {at: "HVH", set: "UPDATE holds SET taken_at = '2026-10-06 12:00Z', taken_by = (SELECT min(id) FROM staff)"},
		"somebody was on the way long ago":               {at: "HVH", set: "UPDATE holds SET taken_at = '2026-10-05 12:00Z', taken_by = (SELECT min(id) FROM staff)", saves: true},
		"it would come later":                            {at: "THB", set: "UPDATE holds SET pickup = 'SLM'"},
		"it is for another edition":                      {at: "HVH", set: "UPDATE holds SET only_edition = 'first'"},
		"it comes too late for the last day of interest": {at: "THB", set: "UPDATE holds SET wanted_until = '2026-10-05'"},
	} {
		t.Run(name, func(t *testing.T) {
			w := testkit.NewWorld(t)
			hold, items := fetched(t, w, "SLM", c.at)
			there := w.Staff(role.Desk, calendar.Code(c.at))
			if c.set != "" {
				w.Set(c.set)
			}
			inHand(t, w.House, there, items[1])
			got := w.Ask("SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.id = ?", hold)
			assert.Equal(t, map[bool]string{true: items[1], false: items[0]}[c.saves], got)
		})
	}
}
