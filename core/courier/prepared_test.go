package courier_test

import (
	"os"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/courier"
)

// The legs of a prepared timetable are a journey: each run calls where it is boarded and left, changes leave time to sort, and it
// gets there when the search through the timetable does.
func TestLegsOfAPreparedTimetable(t *testing.T) {
	data, err := os.ReadFile("../testdata/worked-courier.json")
	require.NoError(t, err)
	f, err := courier.Read(data)
	require.NoError(t, err)
	tt := f.Timetable
	var codes []calendar.Code
	for c := range tt.Branches {
		codes = append(codes, c)
	}
	slices.Sort(codes)
	first := calendar.MakeDate(2026, 9, 7)
	p := tt.Prepare(first, 28)
	rapid.Check(t, func(t *rapid.T) {
		from, to := rapid.SampledFrom(codes).Draw(t, "from"), rapid.SampledFrom(codes).Draw(t, "to")
		ready := calendar.Local(first, 0, tt.Location).Add(time.Duration(rapid.IntRange(0, 28*24*60-1).Draw(t, "minute")) * time.Minute)
		legs, j := p.Legs(from, to, ready), tt.Ask(from, to, ready)
		if j == nil || from == to {
			assert.Empty(t, legs)
			return
		}
		require.NotEmpty(t, legs)
		assert.True(t, legs[len(legs)-1].Arrive.Equal(j.Arrives))
		at, when := from, ready
		for _, leg := range legs {
			assert.Equal(t, at, leg.From)
			assert.False(t, leg.Depart.Before(when))
			k := slices.IndexFunc(tt.Runs, func(r courier.Run) bool { return r.ID == leg.Run })
			require.True(t, tt.Runs[k].On(leg.Date))
			require.Positive(t, aboard(tt.Calls(&tt.Runs[k], leg.Date), leg))
			assert.Len(t, tt.Loads(leg.Date, []courier.Leg{leg}), aboard(tt.Calls(&tt.Runs[k], leg.Date), leg))
			at, when = leg.To, leg.Arrive.Add(time.Duration(tt.Branches[leg.To].SortMinutes)*time.Minute)
		}
		assert.Equal(t, to, at)
	})
}

// aboard is over how many stretches a leg goes.
func aboard(calls []courier.Call, leg courier.Leg) int {
	on := slices.IndexFunc(calls, func(c courier.Call) bool {
		return c.Branch == leg.From && c.Depart != nil && c.Depart.Equal(leg.Depart)
	})
	off := slices.IndexFunc(calls, func(c courier.Call) bool { return c.Branch == leg.To && c.Arrive != nil && c.Arrive.Equal(leg.Arrive) })
	return off - on
}
