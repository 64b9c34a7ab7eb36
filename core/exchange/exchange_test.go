package exchange_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/exchange"
)

// The messages of a whole loan and of requests that end early; ISO 18626 code lists from memory.
func TestMessagesLeadOn(t *testing.T) {
	cases := []struct {
		name     string
		messages []string
		end      exchange.Stage
		fails    bool
	}{
		{
			"a whole loan",
			[]string{"RequestReceived", "WillSupply", "Loaned", "Received", "ShippedReturn", "LoanCompleted"},
			exchange.Done,
			false,
		},
		{
			"said twice",
			[]string{"WillSupply", "WillSupply", "Loaned", "Loaned", "Received", "Received"},
			exchange.There,
			false,
		},
		{"lent without a promise", []string{"Loaned", "Received"}, exchange.There, false},
		{"home without notice", []string{"Loaned", "Received", "LoanCompleted"}, exchange.Done, false},
		{"refused", []string{"ExpectToSupply", "Unfilled"}, exchange.Refused, false},
		{"a withdrawal runs until it is answered", []string{"WillSupply", "Cancel"}, exchange.Promised, false},
		{"withdrawn", []string{"Cancel", "Cancelled"}, exchange.Withdrawn, false},
		{"refused after it was sent", []string{"Loaned", "Unfilled"}, exchange.Shipped, true},
		{"received before it was sent", []string{"Received"}, exchange.Asked, true},
		{"lent after it was refused", []string{"Unfilled", "Loaned"}, exchange.Refused, true},
		{"an unknown word", []string{"Teleported"}, exchange.Asked, true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			stage, failed := exchange.Asked, false
			for _, m := range c.messages {
				next, err := exchange.Next(stage, m)
				failed = failed || err != nil
				stage = next
			}
			assert.Equal(t, c.end, stage)
			assert.Equal(t, c.fails, failed)
		})
	}
}

// As long as a request has not ended, exactly one side has to move.
func TestSomebodyHasToMove(t *testing.T) {
	for _, s := range []exchange.Stage{exchange.Asked, exchange.Promised, exchange.Shipped, exchange.There, exchange.Back} {
		ours := exchange.OurMove(exchange.Requesting, s, false, false)
		assert.NotEqual(t, ours, exchange.OurMove(exchange.Supplying, s, false, false), s)
		assert.False(t, exchange.OurMove(exchange.Requesting, s, true, false), "what was seen is dealt with")
		away := exchange.OurMove(exchange.Requesting, s, false, true)
		assert.Equal(t, ours && s != exchange.There, away, "with the patron nobody has to move: %s", s)
		assert.Equal(t, !ours, exchange.OurMove(exchange.Supplying, s, false, true), s)
	}
}

func TestWhatEndsARequest(t *testing.T) {
	for stage, ended := range map[exchange.Stage]bool{
		exchange.Asked: false, exchange.Promised: false, exchange.Shipped: false, exchange.There: false, exchange.Back: false,
		exchange.Done: true, exchange.Refused: true, exchange.Withdrawn: true,
	} {
		assert.Equal(t, ended, stage.Ended(), stage)
		same, err := exchange.Next(stage, exchange.Notification)
		assert.NoError(t, err, "a note may come at any time")
		assert.Equal(t, stage, same)
	}
}

// It is due here some days before the lender's date, unless that would be over already, and never after the lender's date.
func TestDueHere(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	for _, c := range []struct{ lenders, margin, due int }{{30, 4, 26}, {30, 0, 30}, {10, 4, 6}, {8, 4, 6}, {6, 4, 6}, {3, 4, 3}} {
		assert.Equal(t, calendar.MakeDate(2026, 10, c.due), exchange.DueHere(calendar.MakeDate(2026, 10, c.lenders), c.margin, today), c)
	}
}

// What is borrowed from outside is due by the lender's date, and renewed by nobody but the lender.
func TestTermsOfWhatIsBorrowedOutside(t *testing.T) {
	due := calendar.MakeDate(2026, 11, 20)
	today := calendar.MakeDate(2026, 10, 9)
	assert.Equal(t, map[string]any{"loan_period": "P42D", "latest_due": []string{"2026-11-20"}, "renewals": 0, "closed_day": "next"}, exchange.OwnTerms(&due, today))
	assert.Equal(t, map[string]any{"loan_period": "P1D", "latest_due": []string{"2026-11-20"}, "renewals": 0, "closed_day": "next"}, exchange.OwnTerms(&due, due))
	assert.Equal(t, map[string]any{"loan_period": "P28D", "renewals": 0, "closed_day": "next"}, exchange.OwnTerms(nil, today),
		"four weeks where none is named: common practice, no source")
}
