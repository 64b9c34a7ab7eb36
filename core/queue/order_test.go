package queue_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/queue"
)

func TestBands(t *testing.T) {
	o := queue.Order{First: []string{"housebound"}, Last: []string{"staff"}}
	require.NoError(t, o.Check())
	assert.Equal(t, queue.First, o.Of("housebound"))
	assert.Equal(t, queue.Usual, o.Of("adult"))
	assert.Equal(t, queue.Last, o.Of("staff"))
	o.Last = append(o.Last, "housebound")
	assert.ErrorContains(t, o.Check(), "housebound")
}

// Wherever a hold is moved, it then stands between those two, as bands and places order them.
func TestMovedHoldsStandBetween(t *testing.T) {
	less := func(a, b queue.Position) bool { return a.Band < b.Band || a.Band == b.Band && a.Place < b.Place }
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string) queue.Position {
			return queue.Position{
				Band:  queue.Band(rapid.IntRange(-1, 1).Draw(t, name)),
				Place: float64(rapid.IntRange(-50, 50).Draw(t, name)) / 4,
			}
		}
		before, behind := draw("before"), draw("behind")
		if !less(before, behind) {
			before, behind = behind, before
		}
		if !less(before, behind) {
			return
		}
		s, room := queue.Between(&before, &behind)
		require.True(t, room)
		require.True(t, less(before, s) && less(s, behind), "%v %v %v", before, s, behind)
		s, _ = queue.Between(nil, &behind)
		require.True(t, less(s, behind))
		s, _ = queue.Between(&before, nil)
		require.True(t, less(before, s))
	})
	one := queue.Position{Place: 1}
	next := queue.Position{Place: 1.0000000000000002}
	_, room := queue.Between(&one, &next)
	assert.False(t, room, "no number lies between")
}

func TestReadersWhereItCameBack(t *testing.T) {
	at := func(day int) time.Time { return time.Date(2026, 10, day, 12, 0, 0, 0, time.UTC) }
	when := func(day int) *time.Time { d := at(day); return &d }
	for _, c := range []struct {
		name   string
		most   int
		passed []queue.Passed
		may    bool
		says   string
	}{
		{"nobody is passed over", 0, nil, true, "goes first"},
		{"three days, three allowed", 3, []queue.Passed{{Place: 1, Pickup: "Quarrow", With: at(8), Without: when(11)}}, true,
			"Number 1 of the queue, at Quarrow, waits 3 days longer"},
		{"four days, three allowed", 3, []queue.Passed{{Place: 1, Pickup: "Quarrow", With: at(8), Without: when(12)}}, false,
			"would wait 4 days longer"},
		{"two days now, two before", 3, []queue.Passed{{Place: 1, Pickup: "Quarrow", With: at(8), Without: when(10), Before: 2}}, false,
			"Already delayed by 2 days"},
		{"two of them, one loses too much", 3, []queue.Passed{
			{Place: 1, Pickup: "Quarrow", With: at(8), Without: when(9)}, {Place: 2, Pickup: "Wrenna", With: at(9), Without: when(20)}},
			false, "Number 2 of the queue, at Wrenna, would wait 11 days longer"},
		{"nobody knows when the next copy comes", 99, []queue.Passed{{Place: 1, Pickup: "Quarrow", With: at(8)}}, false, "Number 1 of the queue, at Quarrow, wait unknown"},
		{"somebody gets another copy even sooner", 0, []queue.Passed{{Place: 1, Pickup: "Quarrow", With: at(8), Without: when(7)}}, true,
			"Number 1 of the queue, at Quarrow, no extra wait"},
	} {
		t.Run(c.name, func(t *testing.T) {
			may, costs, trace := queue.MayPass(c.most, c.passed)
			assert.Equal(t, c.may, may)
			if may {
				assert.Len(t, costs, len(c.passed))
			}
			text := trace.Result
			for _, s := range trace.Steps {
				text += "; " + s.Text + " " + s.Detail
			}
			assert.Contains(t, text, c.says)
			before := slices.ContainsFunc(c.passed, func(p queue.Passed) bool { return p.Before > 0 })
			assert.Equal(t, before, strings.Contains(text, "Already delayed by"), "said only where it was so")
		})
	}
}

func TestWish(t *testing.T) {
	item, second, third := int64(7), "2", "3"
	for name, c := range map[string]struct {
		wish queue.Wish
		fits bool
	}{
		"any copy":                    {queue.Wish{}, true},
		"this copy":                   {queue.Wish{Item: &item}, true},
		"this edition":                {queue.Wish{Edition: &second}, true},
		"another edition":             {queue.Wish{Edition: &third}, false},
		"this edition, other volume":  {queue.Wish{Edition: &second, Volume: &second}, false},
		"a copy without a volume":     {queue.Wish{Volume: new(string)}, false},
		"all of it, as the copy is":   {queue.Wish{Item: &item, Edition: &second, Volume: &third}, true},
		"another copy of the edition": {queue.Wish{Item: new(int64), Edition: &second}, false},
	} {
		assert.Equal(t, c.fits, c.wish.Fits(7, "2", "3"), name)
	}
}
