package calendars_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/calendars"
	"nevrin/app/desk"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

func day(month time.Month, d int) calendar.Date { return calendar.MakeDate(2026, month, d) }

func change(t *testing.T, h *act.House, who act.Actor, c calendars.Change) (*calendars.Touched, error) {
	t.Helper()
	return act.Do(context.Background(), h, who, "", nil, func(a *act.Act) (*calendars.Touched, error) {
		c.Version = a.Network.Version
		return calendars.Apply(a, c)
	})
}

func movedLoans(t *testing.T, h *act.House, who act.Actor, c calendars.Change) []calendars.MovedLoan {
	return testkit.Whole(t, h, who, 7, func(a *act.Act, page store.Page) ([]calendars.MovedLoan, store.Page, error) {
		return calendars.MovedLoans(a, c, page)
	})
}

func movedHolds(t *testing.T, h *act.House, who act.Actor, c calendars.Change) []calendars.MovedHold {
	return testkit.Whole(t, h, who, 2, func(a *act.Act, page store.Page) ([]calendars.MovedHold, store.Page, error) {
		return calendars.MovedHolds(a, c, page)
	})
}

func look(t *testing.T, h *act.House, who act.Actor, branch calendar.Code) *calendars.Calendar {
	t.Helper()
	return testkit.Do(t, h, who, func(a *act.Act) (*calendars.Calendar, error) { return calendars.Look(a, branch, 2026) })
}

func dayIn(c *calendars.Calendar, d calendar.Date) calendars.Day {
	for _, x := range c.Days {
		if x.Date == d {
			return x
		}
	}
	return calendars.Day{}
}

// A closure is looked at first, then due dates and hold shelves move along, and all of it is undone as one.
func TestClosureMovesDueDatesAndIsUndone(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	sat := day(10, 31)
	to := day(11, 3)
	c := calendars.Change{
		Branches: []calendar.Code{"SLM"},
		Close:    &calendars.Closure{From: day(10, 27), To: &to, Name: "New floor"},
	}
	touched := testkit.Do(t, h, maren, func(a *act.Act) (*calendars.Touched, error) { return calendars.Preview(a, c) })
	moving := movedLoans(t, h, maren, c)
	require.NotEmpty(t, moving)
	assert.Len(t, moving, touched.Loans)
	due := "SELECT count(*)::text FROM loans WHERE branch_code = 'SLM' AND returned_at IS NULL AND due_date BETWEEN '2026-10-27' AND '2026-11-03'"
	before := testkit.Text(t, h, due)
	seen := map[int64]bool{}
	for _, l := range moving {
		assert.Equal(t, "Saltmere", l.Branch)
		assert.False(t, seen[l.Loan], "each once")
		seen[l.Loan] = true
	}
	assert.NotEmpty(t, touched.Runs, "the south van calls there")
	assert.Equal(t, before, testkit.Text(t, h, due), "looking changes nothing")

	stays := moving[0].Loan
	c.LeaveOut = []int64{stays}
	applied, err := change(t, h, maren, c)
	require.NoError(t, err)
	assert.Equal(t, "closure", dayIn(look(t, h, maren, "SLM"), sat).Kind)
	assert.Equal(
		t,
		"1",
		testkit.Text(t, h, due+" AND situation[4] <> 'magazine'"),
		"only the one left out is still due then",
	)
	assert.Equal(t, len(moving)-1, applied.Loans)
	last := moving[len(moving)-1]
	assert.Equal(t, "Wed 4 Nov", last.After)
	assert.Equal(t, "2026-11-04", testkit.Text(t, h, "SELECT due_date::text FROM loans WHERE id = ?", last.Loan))
	assert.NotEmpty(t, testkit.Text(t, h, "SELECT detail->>'day' FROM events WHERE kind = 'due_moved' LIMIT 1"))

	// One of them is renewed meanwhile: undoing leaves that one alone.
	renewed := last.Loan
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("UPDATE loans SET due_date = '2026-12-01', renewals = renewals + 1, renewed_at = lent_at WHERE id = ?", renewed).
			Error,
	)
	undo := func(a *act.Act) error { return calendars.Undo(a, applied.Sweep) }
	testkit.Done(t, h, maren, undo)
	list := testkit.Do(t, h, maren, func(a *act.Act) ([]calendars.Sweep, error) {
		rows, _, err := calendars.Sweeps(a, store.Page{Most: 1})
		return rows, err
	})
	assert.Equal(t, applied.Sweep, list[0].ID, "the latest first")
	assert.NotNil(t, list[0].Undone)
	assert.Equal(t, "open", dayIn(look(t, h, maren, "SLM"), sat).Kind)
	assert.Equal(t, "2026-12-01", testkit.Text(t, h, "SELECT due_date::text FROM loans WHERE id = ?", renewed))
	after := testkit.Text(t, h, due)
	assert.NotEqual(t, "1", after)
	_, err = testkit.Try(h, maren, func(a *act.Act) (bool, error) { return true, undo(a) })
	assert.ErrorContains(t, err, "undone already")
}

// A storm: today is closed from this hour on; what is due today moves to the next open day, what waits on the
// hold shelf until today waits on, and a laptop due this afternoon is due at the next opening.
func TestWeCloseNow(t *testing.T) {
	h := testkit.House(t)
	bea, jory := testkit.Somebody(t, h, "bea"), testkit.Somebody(t, h, "jory")
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("UPDATE loans SET due_date = '2026-10-06' WHERE id IN (SELECT id FROM loans WHERE branch_code = 'HVH' AND returned_at IS NULL AND due_at IS NULL AND situation[4] = 'book' ORDER BY id LIMIT 5)").
			Error,
	)
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("UPDATE holds SET shelf_until = '2026-10-06' WHERE id IN (SELECT id FROM holds WHERE pickup = 'HVH' AND state = 'ready' ORDER BY id LIMIT 3)").
			Error,
	)
	_, err := change(t, h, jory, calendars.Change{Branches: []calendar.Code{"HVH"}, Now: "Storm"})
	assert.ErrorContains(t, err, "Only the branch where you are")
	_, err = change(
		t,
		h,
		bea,
		calendars.Change{Branches: []calendar.Code{"HVH"}, Close: &calendars.Closure{From: day(12, 1), Name: "Whim"}},
	)
	assert.ErrorContains(t, err, "Only supervisors can change calendars.")
	storm := calendars.Change{Branches: []calendar.Code{"HVH"}, Now: "Storm"}
	loans, shelf := movedLoans(t, h, bea, storm), movedHolds(t, h, bea, storm)
	touched, err := change(t, h, bea, storm)
	require.NoError(t, err)
	assert.Equal(t, [2]int{len(loans), len(shelf)}, [2]int{touched.Loans, touched.Holds})
	assert.Contains(t, touched.Text, "closed from 09:")
	moved := 0
	for _, l := range loans {
		if l.Before == "Tue 6 Oct" {
			assert.Equal(t, "Wed 7 Oct", l.After)
			moved++
		}
	}
	assert.GreaterOrEqual(t, moved, 5)
	held := 0
	for _, x := range shelf {
		if x.Before == "Tue 6 Oct" {
			assert.Equal(t, "Wed 7 Oct", x.After)
			held++
		}
	}
	assert.GreaterOrEqual(t, held, 3)
	assert.False(t, look(t, h, bea, "HVH").Days[278].Hours == "", "the morning stays on record")
	_, err = change(t, h, bea, calendars.Change{Branches: []calendar.Code{"HVH"}, Now: "Storm"})
	assert.ErrorContains(t, err, "has already closed for today.")
}

// What lending does follows a changed calendar at once; recurring closures count as closed days, years ahead.
func TestLendingFollowsTheCalendar(t *testing.T) {
	h := testkit.House(t)
	maren, jory := testkit.Somebody(t, h, "maren"), testkit.Somebody(t, h, "jory")
	_, err := change(
		t,
		h,
		maren,
		calendars.Change{
			Branches: []calendar.Code{"SLM", "THB"},
			Recur: &calendars.Recurring{
				From: day(10, 27),
				Days: 1,
				Rule: "FREQ=MONTHLY;BYDAY=-1TU",
				Name: "Stocktaking",
			},
		},
	)
	require.NoError(t, err)
	card, item := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult"), testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	opened := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	lent := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: item, Patron: opened.Card.ID})
	})
	assert.Equal(t, "2026-10-28", lent.Line.DueExact, "the 27th is the last Tuesday of the month")
	c := look(t, h, maren, "THB")
	assert.Equal(t, "closure", dayIn(c, day(11, 24)).Kind)
	assert.Contains(t, c.Recurring[0].Says, "Tue 27 Oct, Tue 24 Nov")
	text := testkit.Do(t, h, maren, func(a *act.Act) (string, error) { return calendars.File(a, "THB") })
	days := testkit.Do(t, h, maren, func(a *act.Act) ([]calendars.Days, error) { return calendars.Bring(a, text) })
	_, err = change(t, h, maren, calendars.Change{Branches: []calendar.Code{"WRN"}, Days: days})
	require.NoError(t, err)
	assert.Equal(
		t,
		"closure",
		dayIn(look(t, h, maren, "WRN"), day(11, 24)).Kind,
		"from one branch's file into another's calendar",
	)
}

func TestWhatDoesNotFitIsRefused(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	early := day(10, 1)
	for _, c := range []struct {
		name, says string
		change     calendars.Change
	}{
		{"a span that ends before it begins", "does not end after it begins", calendars.Change{Hours: map[string][]string{"mon": {"18:00-10:00"}}}},
		{"overlapping spans", "overlaps", calendars.Change{Hours: map[string][]string{"mon": {"10:00-14:00", "13:00-17:00"}}}},
		{"an unknown day", "mon", calendars.Change{Hours: map[string][]string{"monday": {"10:00-14:00"}}}},
		{"a closure that ends before it begins", "not before", calendars.Change{Close: &calendars.Closure{From: day(10, 7), To: &early, Name: "x"}}},
		{"no rule", "not a recurrence rule", calendars.Change{Recur: &calendars.Recurring{From: early, Days: 1, Rule: "FREQ=NOW", Name: "x"}}},
		{"an unknown branch", "no branch", calendars.Change{Branches: []calendar.Code{"XXX"}, Now: "x"}},
		{"nothing", "Choose what to change.", calendars.Change{}},
		{"what is gone", "That entry no longer exists.", calendars.Change{Remove: &calendars.Removal{Kind: "closure", Date: early, Name: "x"}}},
	} {
		if c.change.Branches == nil {
			c.change.Branches = []calendar.Code{"SLM"}
		}
		_, err := change(t, h, maren, c.change)
		assert.ErrorContains(t, err, c.says, c.name)
	}
}

// Two supervisors change calendars at once: one change counts, the other is told, nothing is lost.
func TestTwoSupervisorsOneCalendar(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	version := look(t, h, maren, "SLM").Version
	errs := make([]error, 4)
	var all sync.WaitGroup
	for k := range errs {
		all.Go(func() {
			_, errs[k] = act.Do(context.Background(), h, maren, "", nil, func(a *act.Act) (*calendars.Touched, error) {
				return calendars.Apply(
					a,
					calendars.Change{
						Branches: []calendar.Code{"SLM"},
						Version:  version,
						Close:    &calendars.Closure{From: day(11, 10+k), Name: "Works"},
					},
				)
			})
		})
	}
	all.Wait()
	won := 0
	for _, err := range errs {
		if err == nil {
			won++
		} else {
			assert.ErrorContains(t, err, "Somebody else has changed")
		}
	}
	assert.Equal(t, 1, won)
	closures := 0
	for _, c := range look(t, h, maren, "SLM").Closures {
		if c.Name == "Works" {
			closures++
		}
	}
	assert.Equal(t, 1, closures)
}

// Entries of a calendar file with hours are special hours of their day, not a day on which it is closed; and a preview says how far it
// looked, and counts what recurs each time.
func TestSpecialHoursFromAFileAndHowFarAPreviewLooked(t *testing.T) {
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Supervisor, "HVH")
	event := func(uid, from, to, name string) string {
		return "BEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTART" + from + "\r\nDTEND" + to + "\r\nSUMMARY:" + name + "\r\nEND:VEVENT\r\n"
	}
	file := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" +
		event("1", ":20261224T100000", ":20261224T120000", "The eve") + event("2", ":20261224T130000", ":20261224T150000", "The eve") +
		event("3", ";VALUE=DATE:20261225", ";VALUE=DATE:20261226", "A holiday") + "END:VCALENDAR\r\n"
	list := testkit.Do(t, w.House, boss, func(a *act.Act) ([]calendars.Days, error) { return calendars.Bring(a, file) })
	change := func(c calendars.Change) calendars.Change {
		c.Branches = []calendar.Code{"HVH"}
		c.Version = testkit.Do(t, w.House, boss, func(a *act.Act) (*calendars.Calendar, error) { return calendars.Look(a, "HVH", 2026) }).Version
		return c
	}
	apply := func(c calendars.Change) *calendars.Touched {
		return testkit.Do(t, w.House, boss, func(a *act.Act) (*calendars.Touched, error) { return calendars.Apply(a, change(c)) })
	}
	assert.Contains(t, apply(calendars.Change{Days: list}).Text, "1 closure and special hours on 1 day from a calendar file")
	apply(calendars.Change{Days: list}) // brought twice, it is once
	is := testkit.Do(t, w.House, boss, func(a *act.Act) (*calendars.Calendar, error) { return calendars.Look(a, "HVH", 2026) })
	assert.Equal(t, []calendars.Opening{{Date: calendar.MakeDate(2026, 12, 24), Hours: []string{"10:00-12:00", "13:00-15:00"}, Name: "The eve"}}, is.Openings)
	days := map[string]string{}
	for _, d := range is.Days {
		days[d.Date.String()] = d.Kind + " " + d.Hours
	}
	assert.Equal(t, "special 10:00-12:00, 13:00-15:00", days["2026-12-24"])
	assert.Equal(t, "closure ", days["2026-12-25"])

	// The first Tuesday of each month, from today, the sixth of October 2026, on: until October 2028 that is 24 times, all of them looked at.
	touched := testkit.Do(t, w.House, boss, func(a *act.Act) (*calendars.Touched, error) {
		return calendars.Preview(a, change(calendars.Change{Recur: &calendars.Recurring{
			From: calendar.MakeDate(2026, 11, 3), Days: 1, Rule: "FREQ=MONTHLY;BYDAY=1TU", Name: "Staff training",
		}}))
	})
	assert.Equal(t, calendar.MakeDate(2028, 10, 6), touched.Looked)
	assert.Equal(t, 24, touched.Closed)
	assert.Zero(t, touched.Opened)
}
