package holds_test

import (
	"fmt"
	"os"
	"strconv"
	"strings"
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
	"nevrin/app/stock"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/loan"
	"nevrin/core/plan"
	"nevrin/core/queue"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store"
	"nevrin/testkit"
)

// settle writes how holds go in the network.
func settle(t *testing.T, w *testkit.World, change func(*settings.Holds)) {
	t.Helper()
	boss := w.Staff(role.Administrator, "HVH")
	is := settings.Usual()
	change(&is.Holds)
	seen := 0
	if w.Ask("SELECT count(*)::text FROM changes WHERE part = 'settings'") != "0" {
		_, _ = fmt.Sscan(w.Ask("SELECT max(id)::text FROM changes WHERE part = 'settings'"), &seen)
	}
	testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Put(a, "settings", "", int64(seen), is) })
}

// order is the patrons of the open holds of a title as the queue has them.
func order(w *testkit.World, title int64) string {
	return w.Ask(`SELECT string_agg(patron_id::text, ' ' ORDER BY band, place, id) FROM holds
		WHERE title_id = ? AND closed_at IS NULL`, title)
}

func ids(list ...int64) string { return strings.Trim(fmt.Sprint(list), "[]") }

func waitingAt(t *testing.T, w *testkit.World, who act.Actor, title int64, branch string, class string) (hold, patron int64) {
	t.Helper()
	patron = w.Patron(branch, map[string]any{"class": class})
	return placed(t, w, who, title, patron, calendar.Code(branch)), patron
}

// Some classes stand before all others, some behind; a hold that was moved by hand keeps its place whatever its class; and a
// changed setting orders those who wait already.
func TestBandsAndMoving(t *testing.T) {
	w := testkit.NewWorld(t)
	here, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
	settle(t, w, func(h *settings.Holds) { h.Order = queue.Order{First: []string{"housebound"}, Last: []string{"staff"}} })
	title, items := w.Title("HVH")
	w.Set("UPDATE items SET standing = 'missing' WHERE barcode = ?", items[0])
	w.Item(title, "HVH", map[string]any{"standing": "aside"})
	_, staff := waitingAt(t, w, here, title, "HVH", "staff")
	second, adult := waitingAt(t, w, here, title, "HVH", "adult")
	_, other := waitingAt(t, w, here, title, "HVH", "adult")
	_, housebound := waitingAt(t, w, here, title, "HVH", "housebound")
	assert.Equal(t, ids(housebound, adult, other, staff), order(w, title))

	move := func(hold, before int64, reason string) error {
		_, err := testkit.Try(w.House, boss, func(a *act.Act) (*holds.Hold, error) {
			return holds.MoveInQueue(a, hold, holds.Move{Before: before, Reason: reason})
		})
		return err
	}
	require.NoError(t, move(second, 0, "asked to wait"))
	assert.Equal(t, ids(housebound, other, staff, adult), order(w, title))
	first := holdOf(w, housebound)
	require.NoError(t, move(second, first, "an exam on Friday"))
	assert.Equal(t, ids(adult, housebound, other, staff), order(w, title))
	assert.ErrorContains(t, move(second, second, "why not"), "in front of itself")
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'hold_moved' AND detail->>'reason' <> ''"))

	settle(t, w, func(h *settings.Holds) { h.Order = queue.Order{First: []string{"staff"}, Last: []string{"adult"}} })
	assert.Equal(t, ids(staff, adult, housebound, other), order(w, title), "who was moved keeps the band they were moved into")
	w.Set("UPDATE patrons SET class = 'staff' WHERE id = ?", other)
	require.NoError(t, night.Step(t.Context(), w.House, calendar.MakeDate(2026, 10, 7), "unwanted"))
	assert.Equal(t, ids(staff, adult, other, housebound), order(w, title), "whose class changed moves by night")
}

// What a move would do is what it does, numbers and likely days, to the moved hold and to the others; afterwards it is seen who did it
// and why. What has changed nothing is left out.
func TestWhatAMoveWouldDo(t *testing.T) {
	w := testkit.NewWorld(t)
	here, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
	title, items := w.Title("HVH", "HVH")
	for k, item := range items {
		lent := testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Result, error) {
			return desk.Lend(a, desk.Lending{Item: item, Patron: w.Patron("HVH")})
		})
		w.Set("UPDATE loans SET due_date = due_date + ?::int WHERE id = ?", 7*k, lent.Line.LoanID)
	}
	var all []int64
	for range 5 {
		id, _ := waitingAt(t, w, here, title, "HVH", "adult")
		all = append(all, id)
	}
	type stands struct{ number, likely string }
	now := func() map[int64]stands {
		q := testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.TitleQueue, error) { return holds.QueueOf(a, title) })
		out := map[int64]stands{}
		for _, h := range q.Holds {
			s := stands{number: fmt.Sprint(h.Waiting)}
			if h.Foreseen != nil {
				s.likely = h.Foreseen.Likely.String()
			}
			out[h.ID] = s
		}
		return out
	}
	look := func(id, before int64) ([]holds.Shifted, error) {
		return testkit.Try(w.House, boss, func(a *act.Act) ([]holds.Shifted, error) { return holds.LookAtMove(a, id, before) })
	}
	for _, m := range [][2]int{{4, 0}, {0, -1}, {1, 3}, {3, 1}} {
		id, before := all[m[0]], int64(0)
		if m[1] >= 0 {
			before = all[m[1]]
		}
		was := now()
		would, err := look(id, before)
		require.NoError(t, err)
		require.NotEmpty(t, would)
		assert.Equal(t, was, now(), "looking moves nothing")
		testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.Hold, error) {
			return holds.MoveInQueue(a, id, holds.Move{Before: before, Reason: "an exam"})
		})
		is := now()
		for _, s := range would {
			assert.Equal(t, was[s.Hold].number, fmt.Sprint(s.Was))
			assert.Equal(t, is[s.Hold].number, fmt.Sprint(s.Is), m)
			require.NotNil(t, s.Then)
			assert.Equal(t, is[s.Hold].likely, s.Then.Likely.String(), m)
			delete(was, s.Hold)
		}
		for id, before := range was {
			assert.Equal(t, before, is[id], "nothing was said of it, and nothing changed")
		}
	}
	q := testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.TitleQueue, error) { return holds.QueueOf(a, title) })
	for _, h := range q.Holds {
		if h.ID == all[2] {
			assert.Nil(t, h.Moved, "nobody moved it")
			continue
		}
		require.NotNil(t, h.Moved)
		assert.Equal(t, "an exam", h.Moved.Reason)
		assert.Equal(t, boss.Name, h.Moved.Who)
	}
	same, err := look(q.Holds[0].ID, q.Holds[1].ID)
	require.NoError(t, err)
	assert.Empty(t, same, "it stands there already")
	_, err = look(all[0], 999)
	require.ErrorContains(t, err, "The other hold is no longer in this queue. Check the queue again.")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, all[0], "gone") })
	_, err = look(all[0], 0)
	require.ErrorContains(t, err, "This hold is no longer in the queue. Check the queue again.")
}

func holdOf(w *testkit.World, patron int64) (id int64) {
	_, _ = fmt.Sscan(w.Ask("SELECT id::text FROM holds WHERE patron_id = ? AND closed_at IS NULL", patron), &id)
	return id
}

// Places can be halved only so often; then they are numbered anew, and the order stays.
func TestMovingVeryOften(t *testing.T) {
	w := testkit.NewWorld(t)
	here, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
	title, items := w.Title("HVH")
	w.Set("UPDATE items SET standing = 'aside' WHERE barcode = ?", items[0])
	var holdsOf, patrons [3]int64
	for k := range 3 {
		holdsOf[k], patrons[k] = waitingAt(t, w, here, title, "HVH", "adult")
	}
	for n := range 120 {
		moved, before := holdsOf[1+n%2], holdsOf[1+(n+1)%2]
		testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.Hold, error) {
			return holds.MoveInQueue(a, moved, holds.Move{Before: before, Reason: "once more"})
		})
	}
	assert.Equal(t, ids(patrons[0], patrons[2], patrons[1]), order(w, title))
}

// A copy that comes back goes to a reader there first, as far as that costs nobody who asked earlier too much; the why says
// whom it passed over, and what it cost them is remembered.
func TestReadersWhereACopyCameBack(t *testing.T) {
	for _, c := range []struct {
		name   string
		local  int
		due    string // of the other copy
		passed int
		first  bool // whether the reader at Saltmere gets it
	}{
		{"the next copy comes three days later", 4, "2026-10-09", 0, true},
		{"the next copy comes two weeks later", 4, "2026-10-23", 0, false},
		{"passed over before", 4, "2026-10-09", 3, false},
		{"the network lets nobody wait", 0, "2026-10-07", 0, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := testkit.NewWorld(t)
			here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
			settle(t, w, func(h *settings.Holds) { h.Local = c.local })
			title, items := w.Title("HVH", "HVH")
			for k, due := range []string{"2026-10-06", c.due} {
				w.Lend(items[k], w.Patron("HVH"), due)
			}
			earlier, _ := waitingAt(t, w, here, title, "HVH", "adult")
			local, _ := waitingAt(t, w, there, title, "SLM", "adult")
			w.Set("UPDATE holds SET passed_days = ? WHERE id = ?", c.passed, earlier)
			w.Set("UPDATE loans SET returned_at = (SELECT shows FROM training_clock) WHERE item_id = (SELECT id FROM items WHERE barcode = ?)", items[0])
			taken := testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
			why := string(store.JSON(taken.Why))
			if !c.first {
				assert.Equal(t, circulation.Tote, taken.Sign.Kind)
				assert.Equal(t, earlier, taken.Sign.HoldID)
				if c.local > 0 {
					assert.Contains(t, why, "The queue order applies")
				}
				return
			}
			assert.Equal(t, circulation.HoldShelf, taken.Sign.Kind)
			assert.Equal(t, local, taken.Sign.HoldID)
			assert.Contains(t, why, "Number 1 of the queue, at Havenhead, waits")
			assert.NotEqual(t, "0", w.Ask("SELECT passed_days::text FROM holds WHERE id = ?", earlier))
			assert.Equal(t, "waiting", w.Ask("SELECT state FROM holds WHERE id = ?", earlier))
		})
	}
}

// Holds may be for an edition, a volume or one very item; a copy of another kind serves them not, and lending one fills them not.
func TestHoldsForSomeOfTheCopies(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, _ := w.Title()
	one := w.Item(title, "HVH", map[string]any{"volume": "v.1"})
	two := w.Item(title, "HVH", map[string]any{"volume": "v.2", "edition": "2nd ed."})
	place := func(f holds.For, patron int64) (*holds.Hold, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: "HVH", For: f})
		})
	}
	text := func(s string) *string { return &s }
	reader := w.Patron("HVH")
	first, err := place(holds.For{Volume: text("v.1")}, reader)
	require.NoError(t, err)
	second, err := place(holds.For{Volume: text("v.2")}, reader)
	require.NoError(t, err, "somebody may wait for two volumes of a title")
	_, err = place(holds.For{Volume: text("v.2")}, reader)
	require.ErrorContains(t, err, "has a hold on this title already")
	_, err = place(holds.For{Volume: text("v.9")}, w.Patron("HVH"))
	require.ErrorContains(t, err, "No copy of Title 001 in use is v.9")
	assert.Equal(t, one, w.Ask("SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.id = ?", first.ID))
	assert.Equal(t, two, w.Ask("SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.id = ?", second.ID))

	edition, err := place(holds.For{Edition: text("2nd ed.")}, w.Patron("HVH"))
	require.NoError(t, err)
	assert.Equal(t, queue.Waiting, edition.State, "the other copy would be free, were it of that edition")
	assert.Equal(t, "2nd ed.", edition.Only)
	item, err := place(holds.For{Item: idOf(w, one)}, w.Patron("HVH"))
	require.NoError(t, err)
	assert.Equal(t, queue.Waiting, item.State)
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, first.ID, "no longer wanted") })
	assert.Equal(t, "fetching", w.Ask("SELECT state FROM holds WHERE id = ?", item.ID))
}

func idOf(w *testkit.World, barcode string) (id int64) {
	_, _ = fmt.Sscan(w.Ask("SELECT id::text FROM items WHERE barcode = ?", barcode), &id)
	return id
}

// A hold past its last day of interest ends by night; one that would be served after it is not served by that copy; days that
// make no sense are refused.
func TestLastDayOfInterest(t *testing.T) {
	w := testkit.NewWorld(t)
	there := w.Staff(role.Desk, "SLM")
	title, _ := w.Title("HVH")
	day := func(d int) *calendar.Date { date := calendar.MakeDate(2026, 10, d); return &date }
	place := func(f holds.For) (*holds.Hold, error) {
		return testkit.Try(w.House, there, func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("SLM"), Pickup: "SLM", For: f})
		})
	}
	_, err := place(holds.For{WantedUntil: day(5)})
	require.ErrorContains(t, err, "is in the past. Choose today or a later day.")
	_, err = place(holds.For{WantedUntil: day(8), PausedUntil: day(9)})
	require.ErrorContains(t, err, "It would be paused beyond the day it is needed,")
	w.Later(5 * time.Hour) // today's round has gone
	late, err := place(holds.For{WantedUntil: day(6)})
	require.NoError(t, err)
	assert.Equal(t, queue.Waiting, late.State, "it would come tomorrow, which is too late")
	fine, err := place(holds.For{WantedUntil: day(7)})
	require.NoError(t, err)
	assert.Equal(t, queue.Fetching, fine.State)
	w.Later(24 * time.Hour)
	require.NoError(t, night.Step(t.Context(), w.House, calendar.MakeDate(2026, 10, 7), "unwanted"))
	assert.Equal(t, "cancelled", w.Ask("SELECT state FROM holds WHERE id = ?", late.ID))
	assert.Equal(t, "fetching", w.Ask("SELECT state FROM holds WHERE id = ?", fine.ID))
}

// What waits is changed by who may: paused, picked up elsewhere, cancelled and undone into its old place.
func TestChangingWhatWaits(t *testing.T) {
	w := testkit.NewWorld(t)
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	title, items := w.Title("HVH")
	w.Set("UPDATE items SET standing = 'aside' WHERE barcode = ?", items[0])
	first, one := waitingAt(t, w, here, title, "HVH", "adult")
	_, two := waitingAt(t, w, here, title, "HVH", "adult")
	change := func(who act.Actor, c holds.Changed) (*holds.Hold, error) {
		return testkit.Try(w.House, who, func(a *act.Act) (*holds.Hold, error) { return holds.Change(a, first, c) })
	}
	text := func(s string) *string { return &s }
	_, err := change(there, holds.Changed{PausedUntil: text("2026-10-20")})
	require.ErrorContains(t, err, "Open the patron’s card first if they are here; otherwise it can be changed only there")
	_, err = change(here, holds.Changed{PausedUntil: text("20 October")})
	require.ErrorContains(t, err, "20 October")
	h, err := change(here, holds.Changed{PausedUntil: text("2026-10-20"), WantedUntil: text("2026-12-01")})
	require.NoError(t, err)
	assert.Equal(t, "2026-10-20", h.Paused)
	assert.Equal(t, "2026-12-01", h.Wanted)
	branch := calendar.Code("THB")
	h, err = change(here, holds.Changed{PausedUntil: text(""), Pickup: &branch})
	require.NoError(t, err)
	assert.Empty(t, h.Paused)
	assert.Equal(t, branch, h.Pickup)

	boss := w.Staff(role.Supervisor, "HVH")
	testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, first, "by mistake") })
	assert.Equal(t, ids(two), order(w, title))
	testkit.Do(t, w.House, boss, func(a *act.Act) (*holds.Hold, error) { return holds.Revive(a, first) })
	assert.Equal(t, ids(one, two), order(w, title))
	_, err = testkit.Try(w.House, boss, func(a *act.Act) (*holds.Hold, error) { return holds.Revive(a, first) })
	require.ErrorContains(t, err, "not cancelled")
}

// Placed for many at once, each picks up where they usually do; for whom it cannot be is said, and the others have it.
func TestPlacingForMany(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	w.Set("UPDATE items SET standing = 'aside' WHERE barcode = ?", items[0])
	roster := w.Row("rosters", map[string]any{"kind": "club", "name": "Tide readers", "branch_code": "HVH", "made_at": "2026-09-01"})
	fine, elsewhere := w.Patron("HVH"), w.Patron("HVH", map[string]any{"pickup": "SLM"})
	excluded := w.Patron("HVH", map[string]any{"standing": "excluded"})
	for _, p := range []int64{fine, elsewhere, excluded} {
		w.Set("INSERT INTO roster_members (roster_id, kind, patron_id, since) VALUES (?, 'club', ?, '2026-09-01')", roster, p)
	}
	many := func(o holds.Orders) (*holds.Placed, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*holds.Placed, error) { return holds.PlaceMany(a, o) })
	}
	p, err := many(holds.Orders{Title: title, Roster: roster})
	require.NoError(t, err)
	require.Len(t, p.Refused, 1)
	assert.Equal(t, excluded, p.Refused[0].Patron)
	assert.Equal(t, "SLM", w.Ask("SELECT pickup FROM holds WHERE patron_id = ?", elsewhere))
	require.Len(t, p.Holds, 2, "each is told with where and when")
	assert.Equal(t, []calendar.Code{"HVH", "SLM"}, []calendar.Code{p.Holds[0].Pickup, p.Holds[1].Pickup})
	assert.Equal(t, []int64{holdOf(w, fine), holdOf(w, elsewhere)}, []int64{p.Holds[0].Hold, p.Holds[1].Hold})
	p, err = many(holds.Orders{Title: title, Patrons: []int64{fine, fine, w.Patron("HVH")}, Pickup: "THB"})
	require.NoError(t, err)
	require.Len(t, p.Holds, 1)
	assert.Equal(t, "THB", w.Ask("SELECT pickup FROM holds WHERE id = ?", p.Holds[0].Hold))
	assert.Contains(t, p.Refused[0].Says, "already")
	_, err = many(holds.Orders{Title: title})
	assert.ErrorContains(t, err, "Choose patrons, or a roster that is not empty.")
}

// Where a branch fetches no more than so much in a round, further holds are served from elsewhere, or promised for a round
// later.
func TestAFullFetchList(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	settle(t, w, func(h *settings.Holds) {
		h.FetchMost, h.RoundMinutes = map[string]int{"SLM": 1}, 240
	})
	place := func(branches ...string) *holds.Hold {
		title, _ := w.Title(branches...)
		return testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("HVH"), Pickup: "HVH"})
		})
	}
	first := place("SLM")
	at := func(h *holds.Hold) string { return w.Ask("SELECT fetch_at FROM holds WHERE id = ?", h.ID) }
	promise := func(h *holds.Hold) string { return w.Ask("SELECT promised_at::text FROM holds WHERE id = ?", h.ID) }
	assert.Equal(t, "THB", at(place("SLM", "THB")), "Saltmere has enough to do")
	assert.Greater(t, promise(place("SLM")), promise(first), "a round later")
}

// Of a title's queue: who waits, when each is likely ready, what the copies are at, and why nothing can fill one.
func TestQueueOfATitle(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	w.Lend(items[0], w.Patron("HVH"), "2026-10-16")
	gone := w.Item(title, "SLM", map[string]any{"volume": "v.2"})
	text := "v.2"
	waitingAt(t, w, here, title, "HVH", "adult")
	waitingAt(t, w, here, title, "HVH", "adult")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("HVH"), Pickup: "HVH", For: holds.For{Volume: &text}})
	})
	w.Set("UPDATE holds SET state = 'waiting', item_id = NULL, fetch_at = NULL WHERE only_volume = 'v.2' OR item_id IS NOT NULL")
	w.Set("UPDATE items SET standing = 'missing' WHERE barcode = ?", gone)
	q, err := act.Look(t.Context(), w.House, here, func(a *act.Act) (*holds.TitleQueue, error) { return holds.QueueOf(a, title) })
	require.NoError(t, err)
	require.Len(t, q.Holds, 3)
	assert.Len(t, q.Copies, 2)
	require.NotNil(t, q.Holds[0].Foreseen)
	first, second := q.Holds[0].Foreseen, q.Holds[1].Foreseen
	assert.InDelta(t, float64(calendar.MakeDate(2026, 10, 16)), float64(first.Likely), 4)
	assert.Greater(t, second.Likely, first.Likely)
	assert.LessOrEqual(t, first.From, first.Likely)
	assert.Contains(t, string(store.JSON(q.Holds[0].WhySo)), "Not enough history in this network yet; default values are used")
	assert.True(t, q.Holds[2].Nothing)
	assert.Contains(t, string(store.JSON(q.Holds[2].WhySo)), "Is missing.")
}

// On the hold shelf: slots, who is to be called with what came of it, kept longer, and what stands there for nobody any more
// until it has been scanned.
func TestHoldShelf(t *testing.T) {
	w := testkit.NewWorld(t)
	w.Set("UPDATE branches SET slots = 2 WHERE code = 'HVH'")
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	title, items := w.Title("HVH", "HVH", "HVH")
	called := w.Patron("HVH", map[string]any{"phone": "902 555 0101", "notices": `{"hold_ready": "phone"}`})
	all := []int64{placed(t, w, here, title, called, "HVH")}
	for range 2 {
		all = append(all, placed(t, w, here, title, w.Patron("HVH"), "HVH"))
	}
	for _, i := range items {
		taken := testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, i) })
		assert.Contains(t, taken.Sign.Detail, "Slot ")
	}
	assert.Equal(t, "1 1 2", w.Ask("SELECT string_agg(slot::text, ' ' ORDER BY slot) FROM holds WHERE state = 'ready'"))
	shelf := func(ask func(*act.Act, calendar.Code, store.Page) ([]holds.OnShelf, store.Page, error)) []holds.OnShelf {
		rows, err := act.Look(t.Context(), w.House, here, func(a *act.Act) ([]holds.OnShelf, error) {
			rows, _, err := ask(a, "HVH", store.Page{})
			return rows, err
		})
		require.NoError(t, err)
		return rows
	}
	rows := shelf(holds.Shelf)
	require.Len(t, rows, 3)
	calls, err := act.Look(t.Context(), w.House, here, func(a *act.Act) ([]notices.Call, error) {
		rows, _, err := notices.Calls(a, "HVH", store.Page{})
		return rows, err
	})
	require.NoError(t, err)
	require.Len(t, calls, 1)
	assert.Equal(t, "902 555 0101", calls[0].Phone)
	call := func(o plan.Outcome) error {
		_, err := testkit.Try(w.House, here, func(a *act.Act) (bool, error) {
			return true, notices.SetCalled(a, calls[0].Message, notices.Called{Outcome: o, Items: calls[0].Items, Note: "the daughter will tell"})
		})
		return err
	}
	require.NoError(t, call(plan.MessageLeft))
	assert.Equal(t, "To call, 1 call so far", shelf(holds.Shelf)[0].Told, "who was not reached stays on the list")
	require.NoError(t, call(plan.Reached))
	assert.Equal(t, "Notified by phone", shelf(holds.Shelf)[0].Told)
	require.ErrorContains(t, call(plan.Reached), "This call is no longer waiting")

	longer := func(who act.Actor, until calendar.Date) error {
		_, err := testkit.Try(w.House, who, func(a *act.Act) (*holds.Hold, error) { return holds.KeepLonger(a, all[0], until, "in hospital") })
		return err
	}
	require.ErrorContains(t, longer(there, calendar.MakeDate(2026, 10, 30)), "It stands at Havenhead")
	require.ErrorContains(t, longer(here, calendar.MakeDate(2027, 10, 30)), "within 60 days")
	require.NoError(t, longer(here, calendar.MakeDate(2026, 10, 30)))
	w.Later(20 * 24 * time.Hour)
	require.NoError(t, night.Step(t.Context(), w.House, calendar.MakeDate(2026, 10, 26), "lapse"))
	assert.Len(t, shelf(holds.Shelf), 1, "kept longer, it has not lapsed")
	toClear := shelf(holds.ToClear)
	require.Len(t, toClear, 2)
	assert.Equal(t, "Expired", toClear[0].Ended)
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, toClear[0].Barcode) })
	assert.Len(t, shelf(holds.ToClear), 1)
}

// Two people share a fetch list: who goes for something is seen, and nobody goes twice. What is not found passes on, and that
// can be undone, also once it has been reported missing.
func TestSharingAFetchList(t *testing.T) {
	w := testkit.NewWorld(t)
	one, other := w.Staff(role.Volunteer, "SLM"), w.Staff(role.Volunteer, "SLM")
	title, items := w.Title("SLM")
	hold := placed(t, w, w.Staff(role.Desk, "HVH"), title, w.Patron("HVH"), "HVH")
	going := func(who act.Actor, is bool) error {
		_, err := testkit.Try(w.House, who, func(a *act.Act) (bool, error) { return true, holds.Take(a, hold, is) })
		return err
	}
	list := func(who act.Actor) holds.Fetch {
		rows, err := act.Look(t.Context(), w.House, who, func(a *act.Act) ([]holds.Fetch, error) { return holds.FetchList(a, "SLM") })
		require.NoError(t, err)
		require.Len(t, rows, 1)
		return rows[0]
	}
	require.NoError(t, going(one, true))
	require.ErrorContains(t, going(other, true), "Somebody else is already getting it.")
	assert.True(t, list(one).Mine)
	assert.Equal(t, one.Name, list(other).TakenBy)
	assert.Equal(t, "round", list(one).Run)
	assert.Contains(t, list(one).IfNot, "1 day later at Havenhead")
	require.NoError(t, going(one, false))
	require.NoError(t, going(other, true))

	came := testkit.Do(t, w.House, other, func(a *act.Act) (*holds.NotHere, error) { return holds.Missed(a, hold) })
	assert.Contains(t, came.Says, "Waiting for another copy")
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM looks WHERE NOT found"), "who looked is kept")
	w.Set("UPDATE items SET standing = 'missing' WHERE barcode = ?", items[0])
	undo := func() error {
		_, err := testkit.Try(w.House, other, func(a *act.Act) (*holds.NotHere, error) { return holds.UndoMissed(a, hold, came.ItemID) })
		return err
	}
	require.NoError(t, undo())
	assert.Equal(t, "in_use", w.Ask("SELECT standing FROM items WHERE barcode = ?", items[0]))
	assert.Equal(t, hold, list(one).HoldID)
	require.ErrorContains(t, undo(), "nothing to undo")
}

// Many holds placed at once for a new title with few copies: each is kept once, all stand in one order, and the copies serve
// the first of them.
func TestARushOnANewTitle(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, _ := w.Title("HVH", "HVH", "SLM")
	rush := 120
	if much := os.Getenv("NEVRIN_RUSH"); much != "" { // such as 5000, to see how long a real one takes
		var err error
		rush, err = strconv.Atoi(much)
		require.NoError(t, err)
	}
	patrons := make([]int64, rush)
	for k := range patrons {
		patrons[k] = w.Patron("HVH")
	}
	begun := time.Now()
	var all sync.WaitGroup
	errs := make([]error, 8)
	for worker := range errs {
		all.Go(func() {
			for k := worker; k < rush; k += len(errs) {
				if _, err := testkit.Try(w.House, here, func(a *act.Act) (*holds.Hold, error) {
					return holds.Place(a, holds.Order{Title: title, Patron: patrons[k], Pickup: "HVH"})
				}); err != nil {
					errs[worker] = err
				}
			}
		})
	}
	all.Wait()
	for _, err := range errs {
		require.NoError(t, err)
	}
	t.Logf("%d holds in %s", rush, time.Since(begun).Round(time.Millisecond))
	assert.Equal(t, fmt.Sprint(rush), w.Ask("SELECT count(DISTINCT place)::text FROM holds"))
	assert.Equal(t, "3", w.Ask("SELECT count(*)::text FROM holds WHERE state = 'fetching'"))
	assert.Equal(t, "3", w.Ask("SELECT count(*)::text FROM (SELECT state FROM holds ORDER BY band, place LIMIT 3) h WHERE state = 'fetching'"))
	assert.Equal(t, "true", w.Ask("SELECT (count(*) BETWEEN 30 AND 80)::text FROM foretold"), "of the first it is said at once")
	require.NoError(t, night.Step(t.Context(), w.House, calendar.MakeDate(2026, 10, 7), "foretold"))
	assert.Equal(t, fmt.Sprint(rush), w.Ask("SELECT count(*)::text FROM foretold"), "of the others by night")
	begun = time.Now()
	q, err := act.Look(t.Context(), w.House, here, func(a *act.Act) (*holds.TitleQueue, error) { return holds.QueueOf(a, title) })
	require.NoError(t, err)
	assert.Len(t, q.Holds, min(rush, 300))
	t.Logf("its queue shown in %s", time.Since(begun).Round(time.Millisecond))
}

// Several things of a hold changed at once are all kept, also where one of them alone would have given it a copy.
func TestChangingSeveralThingsAtOnce(t *testing.T) {
	w := testkit.NewWorld(t)
	there := w.Staff(role.Desk, "SLM")
	title, _ := w.Title("HVH")
	w.Later(5 * time.Hour) // today's round has gone, so that nothing comes before tomorrow
	today, later, paused := calendar.MakeDate(2026, 10, 6), "2026-12-01", "2026-11-01"
	h := testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("SLM"), Pickup: "SLM", For: holds.For{WantedUntil: &today}})
	})
	require.Equal(t, queue.Waiting, h.State)
	h = testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Hold, error) {
		return holds.Change(a, h.ID, holds.Changed{WantedUntil: &later, PausedUntil: &paused})
	})
	assert.Equal(t, queue.Waiting, h.State, "paused, though the copy could come in time by now")
	assert.Equal(t, paused, h.Paused)
	assert.Equal(t, later, h.Wanted)
}

// An item of the fetch list is lent at the desk in the second in which it is fetched: one of both happens, and the hold either
// goes on with it or waits again; nothing is in two places.
func TestLentWhileItIsFetched(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Supervisor, "HVH")
	for range 12 {
		title, items := w.Title("HVH")
		hold := placed(t, w, here, title, w.Patron("SLM"), "SLM")
		borrower := w.Patron("HVH")
		var both sync.WaitGroup
		var lent, taken error
		both.Go(func() {
			_, lent = testkit.Try(w.House, here, func(a *act.Act) (*desk.Result, error) {
				return desk.Take(a, desk.Scan{
					Text: items[0], Patron: borrower, Past: []loan.StopKind{loan.MeantForElse}, Reason: "they are in a hurry",
				})
			})
		})
		both.Go(func() {
			_, taken = testkit.Try(w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
		})
		both.Wait()
		require.NoError(t, lent)
		require.NoError(t, taken)
		state := w.Ask("SELECT state FROM holds WHERE id = ?", hold)
		place := w.Ask("SELECT place FROM whereabouts w JOIN items i ON i.id = w.item_id WHERE i.barcode = ?", items[0])
		assert.Contains(t, []string{"moving under_way", "waiting lent"}, state+" "+place)
	}
}

// The pickup branch closes for weeks: nobody is told a day on which it is closed, and what is sent there is promised for the
// day on which it opens again. What its hold shelf does then is tried with calendars.
func TestThePickupBranchClosesForWeeks(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	w.Lend(items[0], w.Patron("HVH"), "2026-10-08")
	w.Set(`UPDATE branches SET closures = '[{"from": "2026-10-07", "to": "2026-11-03", "name": "New floor"}]' WHERE code = 'SLM'`)
	hold := placed(t, w, here, title, w.Patron("SLM"), "SLM")
	q, err := act.Look(t.Context(), w.House, here, func(a *act.Act) (*holds.TitleQueue, error) { return holds.QueueOf(a, title) })
	require.NoError(t, err)
	require.NotNil(t, q.Holds[0].Foreseen)
	assert.GreaterOrEqual(t, q.Holds[0].Foreseen.Likely, calendar.MakeDate(2026, 11, 4))
	w.Later(24 * time.Hour)
	w.Set("UPDATE loans SET returned_at = (SELECT shows FROM training_clock)")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	assert.Equal(t, "2026-11-04", w.Ask("SELECT (promised_at AT TIME ZONE 'America/Halifax')::date::text FROM holds WHERE id = ?", hold))
}

// Closures ahead say what each means for the hold shelf: days in it do not count, and what is in transit comes after it.
func TestClosuresAheadOfAHoldShelf(t *testing.T) {
	w := testkit.NewWorld(t)
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	ahead := func() []holds.Closed {
		list, err := act.Look(t.Context(), w.House, there, holds.Ahead)
		require.NoError(t, err)
		return list
	}
	assert.Empty(t, ahead())
	w.Set(`UPDATE branches SET closures = '[{"from": "2026-10-08", "to": "2026-10-09", "name": "New floor"},
		{"from": "2026-12-25", "to": "2026-12-25", "name": "Not yet"}]' WHERE code = 'SLM'`)
	for _, until := range []string{"", "2026-10-07"} {
		title, items := w.Title("SLM")
		hold := placed(t, w, there, title, w.Patron("SLM"), "SLM")
		testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
		if until != "" {
			w.Set("UPDATE holds SET shelf_until = ? WHERE id = ?", until, hold)
		}
	}
	for _, promised := range []string{"2026-10-07 12:00", "2026-10-10 12:00", "2026-10-12 12:00"} {
		title, _ := w.Title("HVH")
		hold := placed(t, w, here, title, w.Patron("SLM"), "SLM")
		w.Set("UPDATE holds SET promised_at = ?::timestamp AT TIME ZONE 'America/Halifax' WHERE id = ?", promised, hold)
	}
	got := ahead()
	require.Len(t, got, 1)
	assert.Equal(t, []string{"New floor"}, got[0].Names)
	assert.Equal(t, calendar.MakeDate(2026, 10, 8), got[0].From)
	require.NotNil(t, got[0].Reopens)
	assert.Equal(t, *got[0].Reopens-1, got[0].Until)
	assert.Equal(t, [4]int{1, 1, 1, 2}, [4]int{got[0].Before, got[0].Beyond, got[0].Coming, got[0].Later})
}

// Holds that nothing can fill are listed with why, at their branch or of the whole network: no copy left, missing or lost ones,
// rules that let none serve, an edition that there is not. What is only out, or paused, is not among them.
func TestHoldsThatNothingCanFill(t *testing.T) {
	w := testkit.NewWorld(t)
	here, boss := w.Staff(role.Desk, "SLM"), w.Staff(role.Supervisor, "HVH")
	stuck := func(who act.Actor, all bool) map[int64]string {
		out := map[int64]string{}
		branch := who.Branch
		if all {
			branch = ""
		}
		list, err := act.Look(t.Context(), w.House, who, func(a *act.Act) ([]holds.Stuck, error) {
			list, next, err := holds.StuckHolds(a, branch, store.Page{Most: 50})
			assert.False(t, next.More)
			return list, err
		})
		require.NoError(t, err)
		for _, s := range list {
			require.NotNil(t, s.WhySo)
			assert.NotEmpty(t, s.WhySo.Steps)
			out[s.ID] = s.Because
		}
		return out
	}
	wait := func(pickup string, out bool) (hold int64, item string) {
		title, items := w.Title("HVH")
		w.Lend(items[0], w.Patron("HVH"), "2026-10-20")
		hold = placed(t, w, here, title, w.Patron("SLM"), calendar.Code(pickup))
		if !out {
			w.Set("UPDATE loans SET returned_at = (SELECT shows FROM training_clock) WHERE returned_at IS NULL AND item_id = (SELECT id FROM items WHERE barcode = ?)", items[0])
			w.Set("DELETE FROM whereabouts WHERE item_id = (SELECT id FROM items WHERE barcode = ?)", items[0])
		}
		return hold, items[0]
	}
	wait("SLM", true)
	assert.Empty(t, stuck(boss, true), "one copy is out, and comes back")
	missing, item := wait("SLM", false)
	w.Set("UPDATE items SET standing = 'missing' WHERE barcode = ?", item)
	gone, item := wait("SLM", false)
	w.Set("UPDATE items SET standing = 'withdrawn' WHERE barcode = ?", item)
	edition, _ := wait("HVH", true)
	w.Set("UPDATE holds SET only_edition = '1st' WHERE id = ?", edition)
	paused, item := wait("SLM", false)
	w.Set("UPDATE items SET standing = 'missing' WHERE barcode = ?", item)
	w.Set("UPDATE holds SET paused_until = '2026-11-20' WHERE id = ?", paused)
	lost, item := wait("SLM", true)
	w.Set("UPDATE loans SET lost_at = lent_at + interval '1 minute' WHERE item_id = (SELECT id FROM items WHERE barcode = ?)", item)

	at := map[int64]string{
		missing: "All copies are missing, lost or set aside", lost: "All copies are missing, lost or set aside",
		gone: "The title has no copies",
	}
	assert.Equal(t, at, stuck(here, false))
	at[edition] = "No copy matches, or the rules allow none"
	assert.Equal(t, at, stuck(boss, true))
}

// On the demo the list of what nothing can fill, and the queues of the titles, agree on each hold that waits.
func TestQueuesSayTheSameOfWhatNothingCanFill(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	said, queues := map[int64]bool{}, map[int64]bool{}
	_, err := act.Look(t.Context(), h, maren, func(a *act.Act) (bool, error) {
		page := store.Page{Most: 50}
		for more := true; more; more = page.More {
			var list []holds.Stuck
			var err error
			if list, page, err = holds.StuckHolds(a, "", page); err != nil {
				return false, err
			}
			for _, s := range list {
				said[s.ID] = true
			}
		}
		var titles []int64
		testkit.SQL(h).Raw("SELECT DISTINCT title_id FROM holds WHERE state = 'waiting' AND paused_until IS NULL").Scan(&titles)
		for _, title := range titles {
			q, err := holds.QueueOf(a, title)
			if err != nil {
				return false, err
			}
			for _, one := range q.Holds {
				if one.Nothing && one.Paused == "" {
					queues[one.ID] = true
				}
			}
		}
		return true, nil
	})
	require.NoError(t, err)
	assert.NotEmpty(t, said)
	assert.Equal(t, queues, said)
}

// A hold is placed in the second in which the last copy is said to be missing: either that comes first, and the hold is refused
// with a sentence; or the copy is to be fetched by then, and who looks for it says that it is not there. No fetch list has what
// is known not to be there.
func TestPlacedWhileTheLastCopyIsBeingLost(t *testing.T) {
	for range 8 {
		w := testkit.NewWorld(t)
		here, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
		title, items := w.Title("HVH")
		item := number(t, w.Ask("SELECT id::text FROM items WHERE barcode = ?", items[0]))
		patron := w.Patron("HVH")
		var both sync.WaitGroup
		var placing, losing error
		both.Go(func() {
			_, placing = testkit.Try(w.House, here, func(a *act.Act) (*holds.Hold, error) {
				return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: "HVH"})
			})
		})
		both.Go(func() {
			_, losing = testkit.Try(w.House, boss, func(a *act.Act) (bool, error) {
				return true, stock.SetStatus(a, item, stock.NewStatus{Standing: circulation.ItemMissing})
			})
		})
		both.Wait()
		standing := w.Ask("SELECT standing FROM items WHERE id = ?", item)
		if placing != nil {
			require.NoError(t, losing)
			require.ErrorContains(t, placing, "is in use. Request it from a partner.")
			assert.Equal(t, "0 missing", w.Ask("SELECT count(*)::text FROM holds")+" "+standing)
			continue
		}
		require.NotNil(t, problem.Of(losing), losing)
		assert.Equal(t, "fetching in_use", w.Ask("SELECT state FROM holds")+" "+standing)
		missed(t, w, here, number(t, w.Ask("SELECT id::text FROM holds")))
		assert.Equal(t, "waiting", w.Ask("SELECT state FROM holds"))
	}
}
