package totes_test

import (
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/moving"
	"nevrin/app/night"
	"nevrin/app/problem"
	"nevrin/app/returns"
	"nevrin/app/totes"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/role"
	"nevrin/core/tote"
	"nevrin/testkit"
)

// world is a world with staff at both ends and in between. Its round leaves Havenhead at 11:00, is at Saltmere at
// 11:40, and at Thistle Bay at 12:30.
type world struct {
	*testkit.World
	t                 *testing.T
	here, there, next act.Actor
}

func newWorld(t *testing.T) *world {
	w := testkit.NewWorld(t)
	return &world{w, t, w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM"), w.Staff(role.Desk, "THB")}
}

func (w *world) begin(gather bool) *totes.Detail {
	w.t.Helper()
	return testkit.Do(w.t, w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.Begin(a, "SLM", gather) })
}

func (w *world) scan(who act.Actor, text string) *holds.Taken {
	w.t.Helper()
	return testkit.Do(w.t, w.House, who, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, text) })
}

func (w *world) do(who act.Actor, id int64, what func(*act.Act, int64) (*totes.Detail, error)) (*totes.Detail, error) {
	w.t.Helper()
	return testkit.Try(w.House, who, func(a *act.Act) (*totes.Detail, error) { return what(a, id) })
}

// back takes the last step back that stands in what a station sees.
func (w *world) back(who act.Actor, id int64) (*totes.Detail, error) {
	w.t.Helper()
	d, err := act.Look(w.t.Context(), w.House, who, func(a *act.Act) (*totes.Detail, error) { return totes.Of(a, id) })
	require.NoError(w.t, err)
	last := d.Steps[len(d.Steps)-1]
	for k := len(d.Steps) - 1; k > 0 && last.Undone; k-- {
		last = d.Steps[k-1]
	}
	return w.do(who, id, func(a *act.Act, id int64) (*totes.Detail, error) { return totes.Back(a, id, last.ID) })
}

func (w *world) close(id int64, next bool) *totes.Detail {
	w.t.Helper()
	return testkit.Do(w.t, w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.Close(a, id, next) })
}

// home is a copy that belongs to Saltmere and is in hand elsewhere.
func (w *world) home() string {
	w.t.Helper()
	_, items := w.Title("SLM")
	return items[0]
}

func (w *world) state(id int64) string {
	w.t.Helper()
	return w.Ask("SELECT state || ' ' || at_branch FROM totes WHERE id = ?", id)
}

// A tote is filled by scanning what goes there, closed, taken, comes, and is unpacked, partly thing by thing; every
// step can be undone, and what was scanned twice counts once.
func TestATotesLife(t *testing.T) {
	w := newWorld(t)
	first := w.home()
	w.scan(w.here, first)
	b := w.begin(true)
	require.Len(t, b.In, 1, "what was sent before is gathered")
	reader := w.Patron("SLM")
	title, items := w.Title("HVH")
	hold := testkit.Do(t, w.House, w.there, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: reader, Pickup: "SLM"})
	}).ID
	w.scan(w.here, items[0])
	third := w.home()
	w.scan(w.here, third)
	w.scan(w.here, third)
	d, err := w.do(w.here, b.ID, totes.Of)
	require.NoError(t, err)
	assert.Equal(t, 3, d.Inside, "what is scanned twice is in it once")
	assert.Equal(t, 1, d.Holds)
	_, err = testkit.Try(w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.Begin(a, "SLM", false) })
	require.ErrorContains(t, err, "There is already an open tote for Saltmere")

	says := w.scan(w.here, tote.Number(b.ID))
	assert.False(t, says.OK)
	assert.Contains(t, says.Text, "Close it under Totes")
	w.close(b.ID, true)
	_, err = testkit.Try(w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.TakeOut(a, b.ID, d.In[0].TransitID) })
	require.ErrorContains(t, err, "is closed. Open it again first")
	_, err = w.back(w.here, b.ID)
	require.ErrorContains(t, err, "open for Saltmere. Close that one first.", "there would be two of them")
	late := w.home()
	w.scan(w.here, late)
	d, _ = w.do(w.here, b.ID, totes.Of)
	assert.Equal(t, 3, d.Things, "what comes later goes into the next one")

	taken := w.scan(w.here, tote.Number(b.ID))
	assert.True(t, taken.OK)
	assert.Contains(t, taken.Sign.Heading, "goes with the courier to")
	assert.Equal(t, "away HVH", w.state(b.ID))
	assert.Contains(t, w.scan(w.here, tote.Number(b.ID)).Sign.Heading, "was already taken, to")
	comes := w.scan(w.there, tote.Number(b.ID))
	assert.Contains(t, comes.Sign.Heading, "arrived from")
	assert.Contains(t, w.scan(w.there, tote.Number(b.ID)).Sign.Heading, "has already arrived, from", "received twice")
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM tote_steps WHERE tote_id = ? AND step IN ('leave', 'come')", b.ID))

	assert.Equal(t, circulation.Shelf, w.scan(w.there, first).Sign.Kind)
	_, err = testkit.Try(w.House, w.here, func(a *act.Act) (*totes.Unpacked, error) { return totes.Unpack(a, b.ID) })
	require.ErrorContains(t, err, "This is done at Saltmere")
	u := testkit.Do(t, w.House, w.there, func(a *act.Act) (*totes.Unpacked, error) { return totes.Unpack(a, b.ID) })
	require.Len(t, u.Signs, 2)
	assert.Equal(t, "ready", w.Ask("SELECT state FROM holds WHERE id = ?", hold))
	assert.Equal(t, "empty SLM", w.state(b.ID))
	assert.Contains(t, w.scan(w.there, tote.Number(b.ID)).Text, ". Remove its label. Scan anything still in it item by item.")

	d, err = w.back(w.there, b.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, d.Inside, "in it again, but what was scanned by itself")
	assert.Equal(t, "moving", w.Ask("SELECT state FROM holds WHERE id = ?", hold))
	assert.Equal(t, "here SLM", w.state(b.ID))
	d, err = w.back(w.there, b.ID)
	require.NoError(t, err)
	assert.Equal(t, "away HVH", w.state(b.ID))
	assert.Zero(t, d.Back, "its leaving is taken back where it left")
}

// Nobody has to scan the label: what comes out of a tote says where it is, and the last thing ends it. A return that
// took the last thing out and is undone puts it in again.
func TestThingsSayWhereTheirToteIs(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	one, two := w.home(), w.home()
	w.scan(w.here, one)
	w.scan(w.here, two)
	w.close(b.ID, false)
	w.scan(w.there, one)
	assert.Equal(t, "here SLM", w.state(b.ID))
	run := testkit.Do(t, w.House, w.there, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	line := testkit.Do(t, w.House, w.there, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, two) }).Lines[0]
	assert.Equal(t, "empty SLM", w.state(b.ID))
	testkit.Do(t, w.House, w.there, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, line.ID) })
	assert.Equal(t, "here SLM", w.state(b.ID))
	w.scan(w.next, two) // and it turns up somewhere else
	assert.Equal(t, "empty SLM", w.state(b.ID))
}

// At a wrong branch a tote says by which run it goes on, and what is in it is promised by that.
func TestAToteAtAWrongBranch(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	w.scan(w.here, w.home())
	promised := func() string {
		return w.Ask("SELECT to_char(promised_at AT TIME ZONE 'America/Halifax', 'DD HH24:MI') FROM transits WHERE tote_id = ?", b.ID)
	}
	w.close(b.ID, false)
	testkit.Do(t, w.House, w.here, func(a *act.Act) (*totes.AtBranch, error) { return totes.Leave(a, []int64{b.ID}) })
	require.Equal(t, "06 12:10", promised())
	w.Later(4 * time.Hour)
	says := w.scan(w.next, tote.Number(b.ID))
	assert.Contains(t, says.Sign.Heading, "goes on to")
	assert.Equal(t, "Saltmere", says.Sign.Place)
	assert.Equal(t, "away THB", w.state(b.ID))
	assert.Greater(t, promised(), "06 12:10")
	_, err := w.back(w.next, b.ID)
	require.NoError(t, err)
	assert.Equal(t, "away HVH", w.state(b.ID))
}

// What was in a tote that is declared lost is missing, and whoever waits gets another copy. Undone it is in transit
// again, but what has turned up meanwhile.
func TestALostTote(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	title, items := w.Title("HVH")
	reader := w.Patron("SLM")
	hold := testkit.Do(t, w.House, w.there, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: reader, Pickup: "SLM"})
	}).ID
	home := w.home()
	w.scan(w.here, items[0])
	w.scan(w.here, home)
	w.close(b.ID, false)
	w.scan(w.here, tote.Number(b.ID))
	w.Item(title, "THB", nil)
	d, err := w.do(w.there, b.ID, totes.Lose)
	require.NoError(t, err)
	assert.Equal(t, "lost HVH", w.state(b.ID))
	assert.Equal(t, "fetching THB", w.Ask("SELECT state || ' ' || fetch_at FROM holds WHERE id = ?", hold))
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM items WHERE standing = 'missing'"))
	assert.Equal(t, d.Steps[len(d.Steps)-1].ID, d.Back)
	d, err = w.back(w.there, b.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, d.Inside)
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM items WHERE standing = 'missing'"))

	// Given up again, one thing turns up by itself; the label brings back the other, and nothing else.
	_, err = w.do(w.there, b.ID, totes.Lose)
	require.NoError(t, err)
	assert.Equal(t, circulation.Shelf, w.scan(w.there, home).Sign.Kind)
	found := w.scan(w.there, tote.Number(b.ID))
	assert.Contains(t, found.Sign.Heading, "was declared lost and has arrived from")
	assert.Contains(t, found.Sign.Detail, "1 item in it")
	assert.Equal(t, "here SLM", w.state(b.ID))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM items WHERE standing = 'missing'"))
	_, err = w.back(w.there, b.ID)
	require.ErrorContains(t, err, "has been used since, or this is already undone.", "that it turned up stays so")
	u := testkit.Do(t, w.House, w.there, func(a *act.Act) (*totes.Unpacked, error) { return totes.Unpack(a, b.ID) })
	require.Len(t, u.Signs, 1)
	assert.Equal(t, "empty SLM", w.state(b.ID))
}

// The night gives up thing by thing what has not arrived: so a tote that never came is lost, and its label, found when all of it has
// turned up, is only taken off.
func TestANightGivesAToteUp(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	home := w.home()
	w.scan(w.here, home)
	w.close(b.ID, false)
	w.scan(w.here, tote.Number(b.ID))
	w.Later(40 * 24 * time.Hour)
	require.NoError(t, night.Step(t.Context(), w.House, calendar.MakeDate(2026, 11, 15), "strays"))
	assert.Equal(t, "lost HVH", w.state(b.ID))
	w.scan(w.next, home)
	says := w.scan(w.there, tote.Number(b.ID))
	assert.False(t, says.OK)
	assert.Contains(t, says.Text, "was declared lost, and all its items have turned up. Remove its label.")
	assert.Equal(t, "empty SLM", w.state(b.ID))
}

// What fell out of a tote on the way says nothing of the tote: its label still comes.
func TestAThingFellOutOfATote(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	one, two := w.home(), w.home()
	w.scan(w.here, one)
	w.scan(w.here, two)
	w.close(b.ID, false)
	w.scan(w.here, tote.Number(b.ID))
	w.scan(w.next, one)
	assert.Equal(t, "away HVH", w.state(b.ID))
	assert.Contains(t, w.scan(w.there, tote.Number(b.ID)).Sign.Detail, "1 item in it")
}

// The closing of a tote is undone while somebody else begins another for the same way: one of them is told, and there is one
// open tote. It ended as a mistake of ours where both were as fast as each other.
func TestClosingTakenBackWhileAnotherBegins(t *testing.T) {
	w := newWorld(t)
	for range 25 {
		b := w.begin(false)
		w.scan(w.here, w.home())
		w.close(b.ID, false)
		d, err := w.do(w.here, b.ID, totes.Of)
		require.NoError(t, err)
		errs := make([]error, 2)
		var all sync.WaitGroup
		all.Go(func() {
			_, errs[0] = testkit.Try(w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.Back(a, b.ID, d.Back) })
		})
		all.Go(func() {
			_, errs[1] = testkit.Try(w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.Begin(a, "SLM", false) })
		})
		all.Wait()
		for _, err := range errs {
			if err != nil {
				assert.NotNil(t, problem.Of(err), "told in a sentence: %v", err)
			}
		}
		assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM totes WHERE state = 'open'"))
		w.Set("UPDATE totes SET state = 'closed', closed_at = now() WHERE state = 'open'")
	}
}

// Two stations take the same step back: it is undone once, and the step before it stays.
func TestTheSameStepTakenBackTwice(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	w.scan(w.here, w.home())
	w.close(b.ID, false)
	w.scan(w.here, tote.Number(b.ID))
	d, err := w.do(w.here, b.ID, totes.Of)
	require.NoError(t, err)
	errs := make([]error, 2)
	var all sync.WaitGroup
	for k := range errs {
		all.Go(func() {
			_, errs[k] = testkit.Try(w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.Back(a, b.ID, d.Back) })
		})
	}
	all.Wait()
	assert.Equal(t, "closed HVH", w.state(b.ID))
	assert.NotEqual(t, errs[0] == nil, errs[1] == nil)
}

// A tote in which something was, and is no more, is given back as if it had never been begun. What has left without a tote is
// not gathered into one.
func TestBegunForNothing(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	run := testkit.Do(t, w.House, w.here, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	thing := w.home()
	line := testkit.Do(t, w.House, w.here, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, thing) }).Lines[0]
	testkit.Do(t, w.House, w.here, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, line.ID) })
	d, err := w.back(w.here, b.ID)
	require.NoError(t, err)
	assert.Nil(t, d)
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM totes"))

	w.scan(w.here, w.home())
	w.Later(2 * time.Hour) // the round has gone with it, and is not there yet
	w.scan(w.here, w.home())
	assert.Len(t, w.begin(true).In, 1)
}

// A run is cancelled with a tote aboard: that is said before it counts, and afterwards somebody has to say where the
// tote is.
func TestARunIsCancelledWithATotesAboard(t *testing.T) {
	w := newWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	b := w.begin(false)
	w.scan(w.here, w.home())
	w.close(b.ID, false)
	w.scan(w.here, tote.Number(b.ID))
	runs, err := act.Look(t.Context(), w.House, act.Machine, upkeep.Trips)
	require.NoError(t, err)
	is := runs[0].Is
	is.NotOn = []calendar.Date{calendar.MakeDate(2026, 10, 6)}
	tried := upkeep.Trying{Is: &is, Seen: runs[0].Seen}
	r, err := act.Look(t.Context(), w.House, boss, func(a *act.Act) (*moving.Retimed, error) { return upkeep.TryTrip(a, runs[0].Key, tried) })
	require.NoError(t, err)
	require.Len(t, r.Aboard, 1)
	assert.Equal(t, tote.Number(b.ID), r.Aboard[0].Number)
	testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.KeepTrip(a, runs[0].Key, tried) })
	d, err := w.do(w.here, b.ID, totes.Of)
	require.NoError(t, err)
	assert.True(t, d.Stranded)
	d, err = w.back(w.here, b.ID) // it never left
	require.NoError(t, err)
	assert.Equal(t, tote.Closed, d.State)
	assert.Equal(t, "07", w.Ask("SELECT to_char(promised_at AT TIME ZONE 'America/Halifax', 'DD') FROM transits WHERE tote_id = ?", b.ID))
}

// The rest is not in it: that ends the tote, and who looked is kept with each thing.
func TestTheRestIsNotInIt(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	gone := w.home()
	w.scan(w.here, gone)
	w.close(b.ID, false)
	w.scan(w.there, tote.Number(b.ID))
	d, err := w.do(w.there, b.ID, totes.Finish)
	require.NoError(t, err)
	assert.Equal(t, tote.Empty, d.State)
	assert.Equal(t, "Tote "+tote.Number(b.ID),
		w.Ask("SELECT l.place FROM looks l JOIN items i ON i.id = l.item_id WHERE i.barcode = ?", gone))
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM transits WHERE ended_at IS NULL"), "it is still to be found")
}

// Eight stations send, one closes and begins anew, two unpack: nothing is in a tote that was closed before it was sent,
// nothing is lost, and the tote ends once.
func TestManyStationsAndATote(t *testing.T) {
	w := newWorld(t)
	b := w.begin(false)
	const many = 24
	var things []string
	for range many {
		things = append(things, w.home())
	}
	w.scan(w.here, w.home())
	var all sync.WaitGroup
	for k := range 8 {
		all.Go(func() {
			for n := k; n < many; n += 8 {
				_, err := testkit.Try(w.House, w.here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, things[n]) })
				assert.NoError(t, err)
			}
		})
	}
	all.Go(func() {
		_, err := testkit.Try(w.House, w.here, func(a *act.Act) (*totes.Detail, error) { return totes.Close(a, b.ID, true) })
		assert.NoError(t, err)
	})
	all.Wait()
	assert.Equal(t, "25", w.Ask("SELECT count(*)::text FROM transits WHERE ended_at IS NULL AND tote_id IS NOT NULL"))
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM totes WHERE state = 'open'"))
	for _, who := range []act.Actor{w.there, w.Staff(role.Volunteer, "SLM")} {
		all.Go(func() {
			_, err := testkit.Try(w.House, who, func(a *act.Act) (*totes.Unpacked, error) { return totes.Unpack(a, b.ID) })
			if err != nil {
				assert.ErrorContains(t, err, "has been unpacked")
			}
		})
	}
	all.Wait()
	assert.Equal(t, "empty SLM", w.state(b.ID))
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM tote_steps WHERE step = 'unpack'"))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM transits WHERE tote_id = ? AND ended_at IS NULL", b.ID))
}
