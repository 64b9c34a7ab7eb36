package today_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/night"
	"nevrin/app/today"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/testkit"
)

// Each number of the place is what a question asked separately gives.
func TestNumbersAreTrue(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	rows := testkit.Do(t, h, maren, today.Look)
	require.Len(t, rows, 9)
	for _, r := range rows {
		for what, c := range map[string]struct {
			got   int
			query string
		}{
			"fetch":   {r.Fetch.All, "SELECT count(*) FROM holds h WHERE state = 'fetching' AND (SELECT at_branch FROM items WHERE id = h.item_id) = ?"},
			"coming":  {r.Coming.All, "SELECT count(*) FROM transits WHERE ended_at IS NULL AND to_branch = ?"},
			"strays":  {r.Coming.Late, "SELECT count(*) FROM transits WHERE ended_at IS NULL AND promised_at < '2026-10-06 09:12-03' AND to_branch = ?"},
			"overdue": {r.Overdue.All, "SELECT count(*) FROM loans WHERE returned_at IS NULL AND lost_at IS NULL AND (due_date < '2026-10-06' OR due_at < '2026-10-06 09:12-03') AND branch_code = ?"},
			"ready":   {r.Ready.All, "SELECT count(*) FROM holds WHERE state = 'ready' AND pickup = ?"},
			"missing": {r.Missing.All, "SELECT count(*) FROM items WHERE standing = 'missing' AND branch_code = ?"},
		} {
			var want int
			require.NoError(t, testkit.SQL(h).Raw(c.query, r.Branch).Scan(&want).Error)
			assert.Equal(t, want, c.got, "%s at %s", what, r.Name)
		}
	}
	byCode := map[calendar.Code]today.Row{}
	for _, r := range rows {
		byCode[r.Branch] = r
	}
	assert.Equal(t, "10:00-18:00", byCode["SLM"].Open)
	assert.Contains(t, byCode["UTM"].Open, "Closed", "Upper Tolm has three afternoons, none of them Tuesday")
	assert.Positive(t, byCode["QRW"].Coming.Late, "the stray that never reached Quarrow")
}

// Nights are done once each and in order, whoever does them: two copies of the nightly work at once.
func TestNightsAreDoneOnce(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	lapsing := testkit.Text(t, h, "SELECT count(*)::text FROM holds WHERE state = 'ready' AND shelf_until < '2026-10-10'")
	now := testkit.Do(t, h, maren, func(a *act.Act) (time.Time, error) { return night.MoveClock(a, 4*24*time.Hour) })
	day := calendar.DateOf(now)
	var copies sync.WaitGroup
	errs := make([]error, 2)
	for k := range errs {
		copies.Go(func() { errs[k] = night.Up(context.Background(), h, day) })
	}
	copies.Wait()
	require.NoError(t, errs[0])
	require.NoError(t, errs[1])
	assert.Equal(
		t,
		"4",
		testkit.Text(t, h, "SELECT count(DISTINCT day)::text FROM nights WHERE ended_at IS NOT NULL AND day > '2026-10-06'"),
	)
	assert.Equal(
		t,
		lapsing,
		testkit.Text(t, h, "SELECT count(*)::text FROM holds WHERE state = 'lapsed' AND closed_at > '2026-10-06 09:00-03'"),
	)
	assert.Equal(
		t,
		"0",
		testkit.Text(
			t,
			h,
			"SELECT count(*)::text FROM (SELECT 1 FROM notices WHERE loan_id IS NOT NULL AND state IN ('trial', 'told') GROUP BY kind, stage, loan_id, due_date, due_at HAVING count(*) > 1) d",
		),
		"each loan once in each stage",
	)
	assert.Equal(
		t,
		"0",
		testkit.Text(t, h, "SELECT count(*)::text FROM messages WHERE mailing_id IS NOT NULL AND at > '2026-10-06 05:01-03'"),
		"nothing has left",
	)
	for _, wrong := range []time.Duration{0, -time.Hour, 500 * 24 * time.Hour} {
		_, err := act.Do(
			context.Background(),
			h,
			maren,
			"",
			nil,
			func(a *act.Act) (time.Time, error) { return night.MoveClock(a, wrong) },
		)
		assert.ErrorContains(t, err, "only goes forward")
	}
	require.NoError(t, testkit.SQL(h).Exec("DELETE FROM training_clock").Error)
	_, err := act.Do(
		context.Background(),
		h,
		maren,
		"",
		nil,
		func(a *act.Act) (time.Time, error) { return night.MoveClock(a, time.Hour) },
	)
	assert.ErrorContains(t, err, "runs on real time")
}

func TestMovingListsStraysFirst(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	list := testkit.Do(t, h, maren, func(a *act.Act) ([]today.Transit, error) {
		list, _, err := today.Moving(a, "QRW", store.Page{})
		return list, err
	})
	require.NotEmpty(t, list)
	assert.True(t, list[0].Stray)
	seen := false
	for _, m := range list {
		assert.True(t, m.To == "Quarrow" || m.From == "Quarrow", m.Title)
		assert.False(t, seen && m.Stray, "strays come first")
		seen = seen || !m.Stray
	}
}
