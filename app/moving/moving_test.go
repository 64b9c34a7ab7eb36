package moving_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/core/circulation"
	"nevrin/store"
	"nevrin/testkit"
)

func inHand(t *testing.T, h *act.House, who act.Actor, item string) *holds.Taken {
	t.Helper()
	return testkit.Do(t, h, who, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, item) })
}

// An item in transit that is scanned at the wrong branch is received there and sent on, with a why.
func TestTransitAtTheWrongBranch(t *testing.T) {
	h := testkit.House(t)
	bea := testkit.Somebody(t, h, "bea")
	item := testkit.Text(
		t,
		h,
		"SELECT i.barcode FROM transits t JOIN items i ON i.id = t.item_id WHERE t.ended_at IS NULL AND t.to_branch = 'QRW' AND t.hold_id IS NULL AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY t.id LIMIT 1",
	)
	thb := bea
	thb.Branch = "THB"
	taken := inHand(t, h, thb, item)
	require.True(t, taken.OK)
	assert.Equal(t, circulation.Tote, taken.Sign.Kind)
	assert.Equal(t, "Quarrow", taken.Sign.Place)
	assert.Contains(t, taken.Sign.Detail, "Leaves today 12:05", "the south van's way back")
	assert.Contains(t, string(store.JSON(taken.Why)), "Was on its way to Quarrow and came here")
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
	qrw := bea
	qrw.Branch = "QRW"
	home := inHand(t, h, qrw, item)
	assert.Equal(t, circulation.Shelf, home.Sign.Kind)
	assert.Contains(t, home.Text, "Received.")
}

// What was missing and turns up is in use again; what is set aside stays aside; what is on loan is not placed.
func TestOddThingsInHand(t *testing.T) {
	h := testkit.House(t)
	bea := testkit.Somebody(t, h, "bea")
	item := testkit.Text(t, h, testkit.FreeItem, "HVH", "book")
	standing := func() string { return testkit.Text(t, h, "SELECT standing FROM items WHERE barcode = ?", item) }
	require.NoError(t, testkit.SQL(h).Exec("UPDATE items SET standing = 'missing' WHERE barcode = ?", item).Error)
	assert.Equal(t, circulation.Shelf, inHand(t, h, bea, item).Sign.Kind)
	assert.Equal(t, "in_use", standing())
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("UPDATE items SET standing = 'aside', note = 'Spine broken.' WHERE barcode = ?", item).
			Error,
	)
	assert.Equal(t, circulation.Aside, inHand(t, h, bea, item).Sign.Kind)
	assert.Equal(t, "aside", standing())
	lent := testkit.Text(
		t,
		h,
		"SELECT i.barcode FROM loans l JOIN items i ON i.id = l.item_id WHERE l.returned_at IS NULL ORDER BY l.id LIMIT 1",
	)
	taken := inHand(t, h, bea, lent)
	assert.False(t, taken.OK)
	assert.Contains(t, taken.Text, "still on loan")
	for text, says := range map[string]string{"31846000000003": "check digit", "a book": "not an item's number", "31846999999997": "is a valid number, but no"} {
		taken := inHand(t, h, bea, text)
		assert.False(t, taken.OK, text)
		assert.Contains(t, taken.Text, says)
		assert.Equal(t, circulation.Aside, taken.Sign.Kind)
	}
}

// An item found on the shelf for which somebody waits goes to them; ten stations scanning it at once place it once.
func TestOneItemManyHands(t *testing.T) {
	h := testkit.House(t)
	bea := testkit.Somebody(t, h, "bea")
	item := testkit.Text(
		t,
		h,
		"SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.state = 'fetching' AND i.at_branch = 'HVH' AND h.pickup <> 'HVH' ORDER BY h.id LIMIT 1",
	)
	done := make(chan error)
	for range 10 {
		go func() {
			_, err := act.Do(
				context.Background(),
				h,
				bea,
				"",
				nil,
				func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, item) },
			)
			done <- err
		}()
	}
	for range 10 {
		require.NoError(t, <-done)
	}
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
	assert.Equal(
		t,
		"moving",
		testkit.Text(
			t,
			h,
			"SELECT h.state FROM holds h JOIN items i ON i.id = h.item_id WHERE i.barcode = ? AND h.closed_at IS NULL",
			item,
		),
	)
}
