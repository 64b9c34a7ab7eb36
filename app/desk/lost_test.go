package desk_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/night"
	"nevrin/app/returns"
	"nevrin/core/calendar"
	"nevrin/testkit"
)

// What is late for too long counts as lost and is billed, once; found in time, the price is credited, and what of
// it was paid is refunded. Undoing the return bills it again.
func TestLostAndFound(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	card, item := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult"), testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	lent := lend(t, h, jory, card, item)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE items SET price = 2000 WHERE barcode = ?", item).Error)
	patron := lent.Patron
	balance := func() string { return testkit.Text(t, h, "SELECT balance::text FROM patrons WHERE id = ?", patron) }
	nightAfter := func(days int) {
		due := calendar.MakeDate(2026, 10, 6).Add(days)
		require.NoError(t, night.Step(context.Background(), h, due, "lost"))
	}
	nightAfter(21 + 42)
	assert.Equal(t, "0", balance(), "42 days late are not yet over")
	nightAfter(21 + 43)
	nightAfter(21 + 44) // twice is once
	assert.Equal(t, "2400", balance(), "price and processing")
	assert.Equal(t, "lost", testkit.Text(t, h, "SELECT standing FROM items WHERE barcode = ?", item))
	// As it happens 64 days later by the calendar, the clock of this test has not moved: lost today.
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("UPDATE loans SET due_date = '2026-08-01', lent_at = '2026-07-10 12:00-03', lost_at = '2026-09-13 05:00-03' WHERE id = ?", lent.Line.LoanID).
			Error,
	)
	renewed := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Renewed, error) { return desk.Renew(a, lent.Line.LoanID) })
	assert.Contains(t, renewed.Text, "marked lost")
	testkit.Do(t, h, jory, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{patron}, Amount: "5.00", Means: "cash"})
	})

	line := bring(t, h, jory, "bin", item).Lines[0]
	assert.Contains(t, line.Found, "20.00 credited")
	fine := line.Fine
	require.NotEmpty(t, fine, "lateness is charged instead, up to the day it was lost")
	refunded := testkit.Text(t, h, "SELECT amount::text FROM ledger WHERE kind = 'refund' AND patron_id = ?", patron)
	assert.Equal(t, "500", refunded, "what was paid of the price is given back")
	assert.Equal(t, testkit.Text(t, h, "SELECT (400 + fine)::text FROM return_lines WHERE id = ?", line.ID), balance())
	assert.Equal(t, "in_use", testkit.Text(t, h, "SELECT standing FROM items WHERE barcode = ?", item))

	testkit.Do(t, h, jory, func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, line.ID) })
	assert.Equal(t, "1900", balance(), "billed again, and the five dollars count as paid again")
	assert.Equal(t, "lost", testkit.Text(t, h, "SELECT standing FROM items WHERE barcode = ?", item))
	again := bring(t, h, jory, "bin", item).Lines[0]
	assert.Equal(t, fine, again.Fine)
	assert.Contains(t, again.Found, "20.00 credited")
}

func TestLostAndFoundTooLate(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	card, item := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult"), testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	lent := lend(t, h, jory, card, item)
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("UPDATE loans SET due_date = '2026-06-01', lent_at = '2026-05-11 12:00-03' WHERE id = ?", lent.Line.LoanID).
			Error,
	)
	require.NoError(t, night.Step(context.Background(), h, calendar.MakeDate(2026, 10, 7), "lost"))
	require.NoError(
		t,
		testkit.SQL(h).Exec("UPDATE loans SET lost_at = '2026-07-14 05:00-03' WHERE id = ?", lent.Line.LoanID).Error,
	)
	before := testkit.Text(t, h, "SELECT balance::text FROM patrons WHERE id = ?", lent.Patron)
	line := bring(t, h, jory, "bin", item).Lines[0]
	assert.Empty(t, line.Fine)
	assert.Contains(t, line.Found, "too late for a credit")
	assert.Equal(t, before, testkit.Text(t, h, "SELECT balance::text FROM patrons WHERE id = ?", lent.Patron))
}
