package calendars_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/calendars"
	"nevrin/app/desk"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/sweepsdb"
	"nevrin/testkit"
)

// Due dates that are many move in parts, after the change itself; killed on the way, it goes on where it was; and back the same way.
func TestManyMoveInParts(t *testing.T) {
	h := testkit.House(t)
	calendars.AtOnce(t, 20)
	maren := testkit.Somebody(t, h, "maren")
	all := "SELECT string_agg(id || ' ' || coalesce(due_date::text, due_at::text), ',' ORDER BY id) FROM loans WHERE returned_at IS NULL"
	before := testkit.Text(t, h, all)
	to := day(11, 3)
	c := calendars.Change{
		Branches: []calendar.Code{"SLM", "HVH", "QRW"}, Close: &calendars.Closure{From: day(10, 20), To: &to, Name: "Every branch"},
	}
	expected := len(movedLoans(t, h, maren, c))
	require.Greater(t, expected, 100, "several parts")
	applied, err := change(t, h, maren, c)
	require.NoError(t, err)
	assert.True(t, applied.Parts)
	assert.Equal(t, expected, applied.Loans)
	assert.Equal(t, before, testkit.Text(t, h, all), "nothing has moved with the change itself")
	latest := func() calendars.Sweep {
		return testkit.Do(t, h, maren, func(a *act.Act) ([]calendars.Sweep, error) {
			rows, _, err := calendars.Sweeps(a, store.Page{Most: 1})
			return rows, err
		})[0]
	}
	undo := func() error {
		_, err := testkit.Try(h, maren, func(a *act.Act) (bool, error) { return true, calendars.Undo(a, applied.Sweep) })
		return err
	}
	assert.True(t, latest().Parts)
	require.ErrorContains(t, undo(), "The due dates of this change are still being updated. You can undo it when that is done.")

	// It is stopped in the middle, wherever that is, and begun again.
	for stopped := 0; latest().Parts; stopped++ {
		ctx, stop := context.WithCancel(context.Background())
		moved := latest().Moved
		go func() {
			for ctx.Err() == nil && testkit.Text(t, h, "SELECT count(*)::text FROM sweep_lines WHERE state = 'done'") == "0" && moved == 0 {
				time.Sleep(time.Millisecond)
			}
			if stopped == 0 {
				stop()
			}
		}()
		if err := calendars.Follow(ctx, h, applied.Sweep); stopped > 0 {
			require.NoError(t, err)
		}
		stop()
		require.Less(t, stopped, 10)
	}
	assert.Equal(t, expected, testkitCount(t, h, "SELECT count(*) FROM events WHERE kind = 'due_moved'"), "each once")
	assert.Equal(t, 0, testkitCount(t, h, `SELECT count(*) FROM sweep_lines s JOIN loans l ON l.id = s.loan_id
		WHERE l.due_date IS DISTINCT FROM s.day_after OR l.due_at IS DISTINCT FROM s.at_after`))

	require.NoError(t, undo())
	assert.True(t, latest().Parts)
	require.NoError(t, calendars.Follow(context.Background(), h, applied.Sweep))
	assert.False(t, latest().Parts)
	assert.Equal(t, before, testkit.Text(t, h, all))
}

func testkitCount(t *testing.T, h *act.House, query string) int {
	var n int
	require.NoError(t, testkit.SQL(h).Raw(query).Scan(&n).Error)
	return n
}

// What is lent while a calendar is changed was decided by the calendar before; it follows, too, once both are done.
func TestLentWhileACalendarChanges(t *testing.T) {
	h := testkit.House(t)
	maren, jory := testkit.Somebody(t, h, "maren"), testkit.Somebody(t, h, "jory")
	var patron int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM patrons WHERE card = ?", testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")).Scan(&patron).Error)
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	begun, goOn, lent := make(chan bool), make(chan bool), make(chan error, 1)
	go func() {
		_, err := testkit.Try(h, jory, func(a *act.Act) (*desk.Result, error) {
			begun <- true // it knows the calendar as it is
			<-goOn
			return desk.Take(a, desk.Scan{Text: item, Patron: patron})
		})
		lent <- err
	}()
	<-begun
	to := day(10, 29)
	applied, err := change(t, h, maren, calendars.Change{
		Branches: []calendar.Code{"SLM"}, Close: &calendars.Closure{From: day(10, 27), To: &to, Name: "Floors"},
	})
	require.NoError(t, err)
	followed := make(chan error, 1)
	go func() { followed <- calendars.Follow(context.Background(), h, applied.Sweep) }()
	time.Sleep(200 * time.Millisecond) // it waits for what is under way
	close(goOn)
	require.NoError(t, <-lent)
	require.NoError(t, <-followed)
	require.Equal(t, "1", testkit.Text(t, h, "SELECT count(*)::text FROM sweep_lines s JOIN loans l ON l.id = s.loan_id WHERE l.patron_id = ?", patron))
	assert.Equal(t, "2026-10-30", testkit.Text(t, h, `SELECT due_date::text FROM loans l JOIN items i ON i.id = l.item_id
		WHERE i.barcode = ? AND l.returned_at IS NULL`, item))
	testkit.Done(t, h, maren, func(a *act.Act) error { return calendars.Undo(a, applied.Sweep) })
	assert.Equal(t, "2026-10-27", testkit.Text(t, h, `SELECT due_date::text FROM loans l JOIN items i ON i.id = l.item_id
		WHERE i.barcode = ? AND l.returned_at IS NULL`, item), "and back with it")
}

// Whoever was at the due dates of a change that is undone meanwhile leaves them as they were.
func TestUndoneWhileItIsFollowed(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	all := "SELECT string_agg(id || ' ' || coalesce(due_date::text, due_at::text), ',' ORDER BY id) FROM loans WHERE returned_at IS NULL"
	before := testkit.Text(t, h, all)
	to := day(11, 3)
	applied, err := change(t, h, maren, calendars.Change{
		Branches: []calendar.Code{"SLM"}, Close: &calendars.Closure{From: day(10, 20), To: &to, Name: "Floors"},
	})
	require.NoError(t, err)
	require.NotEqual(t, before, testkit.Text(t, h, all))
	seen := testkit.Do(t, h, maren, func(a *act.Act) (*sweepsdb.Sweep, error) { return sweepsdb.Row(a.Tx, applied.Sweep) })
	testkit.Done(t, h, maren, func(a *act.Act) error { return calendars.Undo(a, applied.Sweep) })
	require.Equal(t, before, testkit.Text(t, h, all))
	require.NoError(t, calendars.FollowAsSeen(context.Background(), h, seen))
	assert.Equal(t, before, testkit.Text(t, h, all))
	require.NoError(t, calendars.Follow(context.Background(), h, applied.Sweep))
	assert.Equal(t, before, testkit.Text(t, h, all))
}
