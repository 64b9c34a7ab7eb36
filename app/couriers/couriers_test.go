package couriers_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/couriers"
	"nevrin/app/holds"
	"nevrin/app/moving"
	"nevrin/app/night"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

// sent has a copy of a title at Havenhead sent to Saltmere for somebody there, with another copy at Thistle Bay.
func sent(t *testing.T, w *testkit.World) (hold int64, item string) {
	t.Helper()
	here, there := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "SLM")
	title, items := w.Title("HVH")
	hold = testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("SLM"), Pickup: "SLM"})
	}).ID
	taken := testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	require.Equal(t, circulation.Tote, taken.Sign.Kind)
	w.Item(title, "THB", nil)
	return hold, items[0]
}

func strays(t *testing.T, w *testkit.World, who act.Actor) []couriers.Stray {
	t.Helper()
	rows, err := act.Look(t.Context(), w.House, who, func(a *act.Act) ([]couriers.Stray, error) {
		rows, _, err := couriers.Strays(a, who.Branch, store.Page{})
		return rows, err
	})
	require.NoError(t, err)
	return rows
}

// What was sent and does not come is late, then both ends are asked to look, then it is missing and whoever waits gets another
// copy. Nobody has to remember it; and turning up it is found.
func TestWhatDoesNotComeIsFollowed(t *testing.T) {
	w := testkit.NewWorld(t)
	there, elsewhere := w.Staff(role.Desk, "SLM"), w.Staff(role.Desk, "THB")
	hold, item := sent(t, w)
	assert.Empty(t, strays(t, w, there), "its promise holds")
	follow := func(day int) {
		require.NoError(t, night.Step(t.Context(), w.House, calendar.MakeDate(2026, 10, day), "strays"))
	}
	w.Later(24 * time.Hour) // Wednesday 7
	follow(7)
	rows := strays(t, w, there)
	require.Len(t, rows, 1)
	assert.Equal(t, 0, rows[0].Late, "the day after its promise has not ended")
	assert.False(t, rows[0].Asked)
	assert.True(t, rows[0].Hold)
	w.Later(3 * 24 * time.Hour) // Saturday 10: Wednesday to Friday have gone by
	follow(10)
	rows = strays(t, w, there)
	require.Len(t, rows, 1)
	assert.Equal(t, 3, rows[0].Late)
	assert.True(t, rows[0].Asked)
	assert.Contains(t, rows[0].Next, "Marked missing on")
	assert.Equal(t, "to", rows[0].Here)
	assert.Empty(t, strays(t, w, elsewhere))
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'stray_asked'"))

	look := func(who act.Actor, l couriers.Looked) error {
		_, err := testkit.Try(w.House, who, func(a *act.Act) (bool, error) { return true, couriers.Look(a, rows[0].TransitID, l) })
		return err
	}
	require.ErrorContains(t, look(elsewhere, couriers.Looked{Place: "sort room"}), "It was sent from Havenhead to Saltmere")
	require.NoError(t, look(there, couriers.Looked{Place: "sort room"}))
	assert.Equal(t, there.Name, strays(t, w, there)[0].AtTo.Who)
	assert.False(t, strays(t, w, there)[0].AtFrom.Looked)

	w.Later(21 * 24 * time.Hour)
	follow(31)
	assert.Empty(t, strays(t, w, there))
	assert.Equal(t, "missing", w.Ask("SELECT standing FROM items WHERE barcode = ?", item))
	assert.Equal(t, "fetching THB", w.Ask("SELECT state || ' ' || fetch_at FROM holds WHERE id = ?", hold), "another copy serves it")
	taken := testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, item) })
	assert.True(t, taken.OK)
	assert.Equal(t, "in_use", w.Ask("SELECT standing FROM items WHERE barcode = ?", item))
}

// round is the run of the world as its timetable is written.
func round(t *testing.T, w *testkit.World) upkeep.Shown[upkeep.Trip] {
	t.Helper()
	rows, err := act.Look(t.Context(), w.House, act.Machine, upkeep.Trips)
	require.NoError(t, err)
	require.NotEmpty(t, rows)
	return rows[0]
}

// A timetable is looked at before it counts: which promises it moves, for whom. Put in force it moves just these; undone
// they are as before.
func TestAnotherTimetable(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	hold, _ := sent(t, w)
	promise := func() string {
		return w.Ask("SELECT to_char(promised_at AT TIME ZONE 'America/Halifax', 'DD HH24:MI') FROM holds WHERE id = ?", hold)
	}
	require.Equal(t, "06 12:10", promise())
	now := round(t, w)
	try := func(change func(*upkeep.Trip)) (*moving.Retimed, error) {
		is := now.Is
		is.Stops = append([]upkeep.TripStop{}, now.Is.Stops...)
		change(&is)
		return act.Look(t.Context(), w.House, boss, func(a *act.Act) (*moving.Retimed, error) {
			return upkeep.TryTrip(a, now.Key, upkeep.Trying{Is: &is, Seen: now.Seen})
		})
	}
	r, err := try(func(is *upkeep.Trip) { is.NotOn = []calendar.Date{calendar.MakeDate(2026, 10, 6)} })
	require.NoError(t, err)
	assert.Equal(t, 1, r.Later)
	assert.Equal(t, 1, r.Patrons)
	require.Len(t, r.Moved, 1)
	assert.Equal(t, "Title 001", strings.TrimSpace(r.Moved[0].Title)[:9])
	assert.Equal(t, "06 12:10", promise(), "nothing counts yet")
	r, err = try(func(is *upkeep.Trip) { is.Stops = is.Stops[2:] })
	require.NoError(t, err)
	assert.Equal(t, 1, r.Never, "a branch is taken out of the timetable with something on its way there")
	r, err = try(func(is *upkeep.Trip) { is.Late = map[string]int{"2026-10-06": 45} })
	require.NoError(t, err)
	assert.Equal(t, 1, r.Later)
	for name, c := range map[string]struct {
		change func(*upkeep.Trip)
		says   string
	}{
		"leaves before it arrives": {func(is *upkeep.Trip) { is.Stops[1].Depart = "11:30" }, "Times must increase"},
		"no time":                  {func(is *upkeep.Trip) { is.Stops[1] = upkeep.TripStop{Branch: "SLM"} }, "has no time"},
		"a time that is none":      {func(is *upkeep.Trip) { is.Stops[1].Arrive = "25:99" }, "is not a time. Enter one such as 08:10."},
		"an unknown branch":        {func(is *upkeep.Trip) { is.Stops[1].Branch = "XXX" }, "There is no branch"},
		"an unknown day":           {func(is *upkeep.Trip) { is.Days = []string{"monday"} }, "There is no day"},
		"one stop":                 {func(is *upkeep.Trip) { is.Stops = is.Stops[:1] }, "A run needs at least two stops."},
	} {
		_, err := try(c.change)
		assert.ErrorContains(t, err, c.says, name)
	}

	is := now.Is
	is.NotOn = []calendar.Date{calendar.MakeDate(2026, 10, 6)}
	kept := testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) {
		return upkeep.KeepTrip(a, now.Key, upkeep.Trying{Is: &is, Seen: now.Seen})
	})
	assert.Equal(t, "07 12:10", promise())
	_, err = testkit.Try(w.House, boss, func(a *act.Act) (*upkeep.Kept, error) {
		return upkeep.KeepTrip(a, now.Key, upkeep.Trying{Is: &now.Is, Seen: now.Seen})
	})
	require.ErrorContains(t, err, ", after you opened it. Your changes were not saved.", "somebody else has changed it meanwhile")
	testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.TakeBack(a, kept.Seen) })
	assert.Equal(t, "06 12:10", promise())
}

// From a date on a run goes otherwise; until the day before, as it did.
func TestATimetableFromADateOn(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	now := round(t, w)
	is := now.Is
	is.Stops = []upkeep.TripStop{{Branch: "HVH", Depart: "15:00"}, {Branch: "SLM", Arrive: "16:00"}}
	keep := func(on calendar.Date) (*upkeep.Kept, error) {
		return testkit.Try(w.House, boss, func(a *act.Act) (*upkeep.Kept, error) {
			return upkeep.KeepTrip(a, now.Key, upkeep.Trying{Is: &is, Seen: now.Seen, On: &on})
		})
	}
	_, err := keep(calendar.MakeDate(2026, 10, 6))
	require.ErrorContains(t, err, "a date after today")
	kept, err := keep(calendar.MakeDate(2026, 10, 12))
	require.NoError(t, err)
	day := func(d int) string {
		shown, err := act.Look(t.Context(), w.House, boss, func(a *act.Act) (*couriers.Day, error) {
			return couriers.DayOf(a, calendar.MakeDate(2026, 10, d))
		})
		require.NoError(t, err)
		var out []string
		for _, r := range shown.Runs {
			out = append(out, fmt.Sprintf("%s %s %d", r.ID, r.Calls[0].Depart.Format("15:04"), len(r.Calls)))
		}
		return strings.Join(out, ", ")
	}
	assert.Equal(t, "round 11:00 4", day(9))
	assert.Equal(t, "round-2026-10-12 15:00 2", day(12))
	testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.TakeBackTrip(a, kept.Seen) })
	assert.Equal(t, "round 11:00 4", day(12), "taken back, it goes on as it did, and no other run is left")
}

// A day shows what is aboard between the calls, what does not go and why.
func TestADayOfTheCourier(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	sent(t, w)
	sent(t, w)
	look := func(d int) *couriers.Day {
		shown, err := act.Look(t.Context(), w.House, boss, func(a *act.Act) (*couriers.Day, error) {
			return couriers.DayOf(a, calendar.MakeDate(2026, 10, d))
		})
		require.NoError(t, err)
		return shown
	}
	today := look(6)
	require.Len(t, today.Runs, 1)
	assert.Equal(t, []int{2, 0, 0}, today.Runs[0].Aboard)
	assert.Equal(t, 2, today.Runs[0].Most)
	assert.Equal(t, 0, today.Runs[0].Now, "it has not left yet")
	assert.Len(t, today.Branches, 3)
	w.Later(2 * time.Hour) // 11:12, between Havenhead and Saltmere
	assert.Equal(t, 2, look(6).Runs[0].Now)
	now := round(t, w)
	is := now.Is
	is.NotOn = []calendar.Date{calendar.MakeDate(2026, 10, 8)}
	testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) {
		return upkeep.KeepTrip(a, now.Key, upkeep.Trying{Is: &is, Seen: now.Seen})
	})
	assert.Equal(t, "Does not run on this date", look(8).Off[0].Says)
	_, err := act.Look(t.Context(), w.House, boss, func(a *act.Act) (*couriers.Day, error) {
		return couriers.DayOf(a, calendar.MakeDate(2031, 1, 1))
	})
	require.ErrorContains(t, err, "within 60 days")
}

// What went in the last four weeks is tried without its run, with that run earlier, and with a branch closed; nothing is changed
// by it.
func TestAnotherTimetableOnWhatWent(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	hold, item := sent(t, w) // at 09:12, leaves at 11:00, on its shelf at 12:10
	w.Later(24 * time.Hour)
	now := round(t, w)
	try := func(is *upkeep.Trip) *couriers.Tried {
		t.Helper()
		r, err := act.Look(t.Context(), w.House, boss, func(a *act.Act) (*couriers.Tried, error) {
			return upkeep.TryTripPast(a, now.Key, upkeep.Trying{Is: is, Seen: now.Seen})
		})
		require.NoError(t, err)
		return r
	}
	same := now.Is
	r := try(&same)
	assert.Equal(t, []int{1, 0, 0, 0}, []int{r.Holds, r.Later, r.Sooner, r.Never})
	assert.InDelta(t, 2.97, r.Before.Mean, 0.02)
	assert.Equal(t, 1, r.Before.Loads[0].Most)
	r = try(nil)
	assert.Equal(t, []int{0, 0, 1}, []int{r.Later, r.Sooner, r.Never})
	require.Len(t, r.Worst, 1)
	assert.Equal(t, item, r.Worst[0].Barcode)
	assert.Nil(t, r.Worst[0].After)
	assert.Empty(t, r.After.Loads)
	early := now.Is
	early.Stops = append([]upkeep.TripStop{}, now.Is.Stops...)
	early.Stops[0].Depart, early.Stops[1].Arrive = "10:00", "10:40"
	r = try(&early)
	assert.Equal(t, []int{0, 1, 0}, []int{r.Later, r.Sooner, r.Never})
	assert.Empty(t, r.Worst, "nothing is worse")

	shut := func(from, until int) (*couriers.Tried, error) {
		return act.Look(t.Context(), w.House, boss, func(a *act.Act) (*couriers.Tried, error) {
			return couriers.TryShut(a, couriers.Shut{
				Branch: "SLM", From: calendar.MakeDate(2026, 10, from), Until: calendar.MakeDate(2026, 10, until),
			})
		})
	}
	r, err := shut(6, 6)
	require.NoError(t, err)
	assert.Equal(t, 1, r.Later)
	assert.InDelta(t, 24, r.After.Mean-r.Before.Mean, 8, "it opens the next day")
	// What was set aside for somebody where it stood waits for that day too.
	there, at := w.Staff(role.Desk, "SLM"), "2026-10-06T14:00:00Z"
	title, items := w.Title("SLM")
	local := testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("SLM"), Pickup: "SLM"})
	}).ID
	testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	w.Set("UPDATE holds SET ready_at = ? WHERE id = ?", at, local)
	r, err = shut(6, 6)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 2, 1, 2}, []int{r.Moves, r.Holds, r.Local, r.Later})
	assert.InDelta(t, 2.97/2, r.Before.Mean, 0.02)
	require.Len(t, r.Worst, 2)
	worst := r.Worst[slices.IndexFunc(r.Worst, func(o couriers.Worst) bool { return o.ID == local })]
	assert.Equal(t, [3]string{items[0], "Saltmere", "Saltmere"}, [3]string{worst.Barcode, worst.From, worst.To})
	assert.True(t, worst.Before.Equal(worst.Ready))
	for _, c := range [][2]int{{6, 5}, {6, 7}} {
		_, err = shut(c[0], c[1])
		require.ErrorContains(t, err, "Choose days from Wed 9 Sep to Tue 6 Oct")
	}
	assert.Equal(t, "moving", w.Ask("SELECT state FROM holds WHERE id = ?", hold))
}
