package holds_test

import (
	"context"
	"fmt"
	"strconv"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/night"
	"nevrin/app/notices"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/queue"
	"nevrin/testkit"
)

func inHand(t *testing.T, h *act.House, who act.Actor, text string) *holds.Taken {
	return testkit.Do(t, h, who, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, text) })
}

func number(t *testing.T, text string) int64 {
	n, err := strconv.ParseInt(text, 10, 64)
	require.NoError(t, err)
	return n
}

// A hold goes its whole way: routed, fetched, sent with a promise, received, on the shelf, told, lent.
func TestHoldFromShelfToPatron(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	atSaltmere, atWrenna := testkit.Somebody(t, h, "jory"), testkit.Somebody(t, h, "jory")
	atWrenna.Branch = "WRN"
	item := testkit.Text(
		t,
		h,
		`SELECT i.barcode FROM items i WHERE i.at_branch = 'SLM' AND i.branch_code = 'SLM' AND i.material = 'book' AND i.collection = 'fiction'
		AND (SELECT count(*) FROM items o WHERE o.title_id = i.title_id) = 1
		AND NOT EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL) AND NOT EXISTS (SELECT 1 FROM transits t WHERE t.item_id = i.id AND t.ended_at IS NULL)
		AND NOT EXISTS (SELECT 1 FROM holds o WHERE o.title_id = i.title_id AND o.closed_at IS NULL) ORDER BY i.id LIMIT 1`,
	)
	title := number(t, testkit.Text(t, h, "SELECT title_id::text FROM items WHERE barcode = ?", item))
	card := testkit.Text(t, h, testkit.GoodCard+"", "WRN", "adult")
	patron := number(t, testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", card))

	placed := testkit.Do(t, h, maren, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: "WRN"})
	})
	assert.Equal(t, queue.Fetching, placed.State)
	assert.Contains(t, placed.Why.Result, "Saltmere")
	_, err := act.Do(context.Background(), h, maren, "", nil, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: "WRN"})
	})
	assert.ErrorContains(t, err, "has a hold on this title already")

	list := testkit.Do(t, h, atSaltmere, func(a *act.Act) ([]holds.Fetch, error) { return holds.FetchList(a, "SLM") })
	found := false
	for _, f := range list {
		found = found || f.Barcode == item
	}
	assert.True(t, found, "it stands on Saltmere's fetch list")

	sent := inHand(t, h, atSaltmere, item)
	assert.Equal(t, circulation.Tote, sent.Sign.Kind)
	assert.Equal(t, calendar.Code("WRN"), sent.Sign.Code)
	assert.Contains(t, sent.Sign.Detail, "13:45", "by Tuesday's ferry")
	assert.Contains(t, sent.Sign.Detail, "15:40 today")

	testkit.Do(t, h, maren, func(a *act.Act) (time.Time, error) { return night.MoveClock(a, 7*time.Hour) })
	received := inHand(t, h, atWrenna, item)
	assert.Equal(t, circulation.HoldShelf, received.Sign.Kind)
	again := inHand(t, h, atWrenna, item)
	assert.Equal(t, circulation.HoldShelf, again.Sign.Kind, "scanned twice, it still waits for the same patron")
	assert.Equal(
		t,
		"1",
		testkit.Text(t, h, "SELECT count(*)::text FROM messages WHERE patron_id = ? AND kind = 'hold_ready'", patron),
		"told once",
	)

	lent := testkit.Do(t, h, atWrenna, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: item, Patron: patron})
	})
	assert.Equal(t, "lent", lent.Kind, lent.Text)
	assert.True(t, lent.Filled)
	assert.Equal(t, "filled", testkit.Text(t, h, "SELECT state FROM holds WHERE id = ?", placed.ID))
}

// Under way to one branch and scanned at another: it is sent on, and the strange way is told.
func TestScannedAtTheWrongBranch(t *testing.T) {
	h := testkit.House(t)
	bea := testkit.Somebody(t, h, "bea") // Havenhead
	item := testkit.Text(
		t,
		h,
		`SELECT i.barcode FROM transits t JOIN items i ON i.id = t.item_id WHERE t.ended_at IS NULL AND t.hold_id IS NOT NULL AND t.to_branch NOT IN ('HVH') LIMIT 1`,
	)
	to := testkit.Text(
		t,
		h,
		`SELECT t.to_branch FROM transits t JOIN items i ON i.id = t.item_id WHERE t.ended_at IS NULL AND i.barcode = ?`,
		item,
	)
	taken := inHand(t, h, bea, item)
	assert.Equal(t, calendar.Code(to), taken.Sign.Code)
	assert.Equal(
		t,
		"1",
		testkit.Text(
			t,
			h,
			"SELECT count(*)::text FROM transits t JOIN items i ON i.id = t.item_id WHERE i.barcode = ? AND t.ended_at IS NULL",
			item,
		),
	)
}

// Missed twice, an item is reported missing, and its hold passes on.
func TestMissed(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	hold := number(t, testkit.Text(t, h, "SELECT id::text FROM holds WHERE state = 'fetching' ORDER BY id LIMIT 1"))
	item := number(t, testkit.Text(t, h, "SELECT item_id::text FROM holds WHERE id = ?", hold))
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("INSERT INTO misses (hold_id, item_id, at) SELECT max(id), ?, now() FROM holds", item).
			Error,
	)
	testkit.Do(t, h, maren, func(a *act.Act) (*holds.NotHere, error) { return holds.Missed(a, hold) })
	assert.Equal(t, "missing", testkit.Text(t, h, "SELECT standing FROM items WHERE id = ?", item))
	assert.NotEqual(
		t,
		strconv.FormatInt(item, 10),
		testkit.Text(t, h, "SELECT coalesce(item_id, 0)::text FROM holds WHERE id = ?", hold),
	)
}

// The nights passed are done once each, also when two copies do them, and tell each loan once a stage.
func TestNightsAreDoneOnce(t *testing.T) {
	h := testkit.House(t)
	until := calendar.MakeDate(2026, 10, 16)
	errs := make(chan error, 2)
	for range 2 {
		go func() { errs <- night.Up(context.Background(), h, until) }()
	}
	require.NoError(t, <-errs)
	require.NoError(t, <-errs)
	assert.Equal(t, "true", testkit.Text(t, h, "SELECT ((data->>'loans')::int > 50000)::text FROM habits"), "a Monday was among them")
	assert.Equal(
		t,
		"10",
		testkit.Text(t, h, "SELECT count(DISTINCT day)::text FROM nights WHERE ended_at IS NOT NULL AND day > '2026-10-06'"),
	)
	assert.Equal(
		t,
		"0",
		testkit.Text(
			t,
			h,
			"SELECT count(*)::text FROM (SELECT 1 FROM notices WHERE loan_id IS NOT NULL AND state IN ('trial', 'approved', 'told') GROUP BY kind, stage, loan_id, due_date, due_at HAVING count(*) > 1) twice",
		),
	)
	assert.Equal(
		t,
		"0",
		testkit.Text(t, h, "SELECT count(*)::text FROM holds WHERE state = 'ready' AND shelf_until < '2026-10-16' AND request_id IS NULL"),
	)
	id := number(t, testkit.Text(t, h, "SELECT id::text FROM mailings WHERE plan = 'overdue' AND state = 'trial' ORDER BY id LIMIT 1"))
	maren := testkit.Somebody(t, h, "maren")
	reached := "SELECT count(DISTINCT recipient_id)::text FROM notices WHERE mailing_id = ? AND channel = 'mail'"
	before := number(t, testkit.Text(t, h, reached, id))
	left := number(t, testkit.Text(t, h, "SELECT min(recipient_id)::text FROM notices WHERE mailing_id = ? AND channel = 'mail'", id))
	testkit.Done(t, h, maren, func(a *act.Act) error {
		return notices.LeaveOut(a, id, notices.LeavingOut{Recipient: left, Channel: "mail", Out: true, Reason: "Was here yesterday"})
	})
	testkit.Done(t, h, maren, func(a *act.Act) error { return notices.Send(a, []int64{id}) })
	for testkit.Text(t, h, "SELECT state FROM mailings WHERE id = ?", id) == "sending" {
		job := &river.Job[notices.ComposeArgs]{Args: notices.ComposeArgs{Run: id}}
		require.NoError(t, (&notices.Composer{House: h}).Work(t.Context(), job))
	}
	assert.Equal(t, fmt.Sprint(before-1), testkit.Text(t, h, "SELECT count(*)::text FROM messages WHERE mailing_id = ? AND state = 'queued'", id))
	_, err := act.Do(t.Context(), h, maren, "", nil, func(a *act.Act) (bool, error) { return true, notices.Send(a, []int64{id}) })
	assert.ErrorContains(t, err, "no longer a trial run")
}
