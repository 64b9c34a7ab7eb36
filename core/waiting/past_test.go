package waiting_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/waiting"
)

// A title's past, told at moments of it: how each copy stood then, which copy was meant for whom, and who stood in front.
func TestHowAQueueStoodThen(t *testing.T) {
	at := func(day, hour int) time.Time { return time.Date(2026, 3, day, hour, 0, 0, 0, time.UTC) }
	when := func(day, hour int) *time.Time { moment := at(day, hour); return &moment }
	date := func(day int) calendar.Date { return calendar.MakeDate(2026, 3, day) }
	const one, other = 11, 12 // copies
	p := waiting.TitlePast{
		Copies: []waiting.PastCopy{{ID: one, Home: "A"}, {ID: other, Home: "B", Added: date(20)}},
		Holds: []waiting.PastHold{
			{ID: 1, Pickup: "B", Item: one, Placed: at(3, 9), Ready: when(12, 9), Closed: when(14, 9)},
			{ID: 2, Pickup: "A", Placed: at(5, 9)},
			{ID: 3, Pickup: "A", Placed: at(4, 9), Closed: when(6, 9)}, // cancelled, and moved behind the second before
		},
		Loans: []waiting.PastLoan{{
			Item: one, Branch: "A", Lent: at(1, 9), Returned: when(10, 9), Due: date(22), Renewed: when(7, 9), DueBeforeRenewal: date(8),
		}},
		Choices:  []waiting.PastChoice{{Hold: 1, Item: one, At: at(10, 9)}, {Hold: 1, Item: one, At: at(10, 15), Missed: true}},
		Transits: []waiting.PastTransit{{Item: one, Hold: 1, To: "B", Sent: at(11, 9), Ended: when(12, 9), Promise: when(11, 20)}},
	}
	for _, c := range []struct {
		name    string
		moment  time.Time
		hold    int64
		holds   int
		copies  waiting.State // of the first copy
		given   int           // of the first hold
		due     calendar.Date
		unknown bool
	}{
		{"before it was placed", at(2, 9), 1, 0, waiting.Lent, 0, date(8), true},
		{"lent, by the due date of before its renewal", at(6, 9), 2, 2, waiting.Lent, waiting.None, date(8), false},
		{"lent, by the due date since", at(8, 9), 2, 2, waiting.Lent, waiting.None, date(22), false},
		{"somebody else still stood behind the second", at(5, 12), 3, 3, waiting.Lent, waiting.None, date(8), false},
		{"chosen for the first", at(10, 12), 2, 2, waiting.Meant, 0, 0, false},
		{"not found for the first", at(10, 18), 2, 2, waiting.Free, waiting.None, 0, false},
		{"under way for the first", at(11, 12), 2, 2, waiting.Meant, 0, 0, false},
		{"ready for the first", at(13, 9), 2, 2, waiting.Meant, 0, 0, false},
		{"taken by the first", at(15, 9), 2, 1, waiting.Free, waiting.None, 0, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			q, ok := p.At(c.moment, c.hold, nil)
			assert.Equal(t, !c.unknown, ok)
			assert.Equal(t, c.copies, q.Copies[0].State)
			assert.Equal(t, c.due, q.Copies[0].Due)
			assert.Equal(t, waiting.Away, q.Copies[1].State, "it was added later")
			assert.Len(t, q.Holds, c.holds)
			if !c.unknown {
				assert.Equal(t, c.given, q.Holds[0].Given)
			}
		})
	}
	ready, _ := p.At(at(13, 9), 2, nil)
	assert.True(t, ready.Copies[0].Ready)
	assert.Equal(t, calendar.Code("B"), ready.Copies[0].Branch, "it stands where it is picked up")
	only, _ := p.At(at(10, 18), 2, func(_ *waiting.PastCopy, h *waiting.PastHold, _ time.Time) bool { return h.ID == 2 })
	assert.Equal(t, []bool{false, true}, only.Copies[0].Only)
}
