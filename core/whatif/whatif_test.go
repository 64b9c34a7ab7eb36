package whatif_test

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
	"nevrin/core/whatif"
)

var first, last = calendar.MakeDate(2026, 9, 7), calendar.MakeDate(2026, 10, 4)

// table is the timetable of the worked example of the courier file.
func table(t require.TestingT) *courier.Timetable {
	data, err := os.ReadFile("../testdata/worked-courier.json")
	require.NoError(t, err)
	f, err := courier.Read(data)
	require.NoError(t, err)
	return f.Timetable
}

func codes(t *courier.Timetable) []calendar.Code {
	var out []calendar.Code
	for c := range t.Branches {
		out = append(out, c)
	}
	slices.Sort(out)
	return out
}

// drawn are things that went between branches, or were put aside where they were for who waited there, ready at any
// minute of the four weeks.
func drawn(t *rapid.T, tt *courier.Timetable) []whatif.Move {
	return rapid.SliceOfN(rapid.Custom(func(t *rapid.T) whatif.Move {
		from := rapid.SampledFrom(codes(tt)).Draw(t, "from")
		to := rapid.SampledFrom(codes(tt)).Draw(t, "to")
		return whatif.Move{
			From: from, To: to, Hold: from == to || rapid.Bool().Draw(t, "hold"),
			Ready: calendar.Local(first, 0, tt.Location).Add(time.Duration(rapid.IntRange(0, 28*24*60-1).Draw(t, "minute")) * time.Minute),
		}
	}), 1, 40).Draw(t, "moves")
}

// With nothing changed nothing changes, and waiting is what asking the timetable for each thing says.
func TestNothingChanged(t *testing.T) {
	tt := table(t)
	rapid.Check(t, func(t *rapid.T) {
		moves := drawn(t, tt)
		got := whatif.Try(tt, tt, moves, first, last, 100)
		assert.Equal(t, got.Before, got.After)
		assert.Zero(t, got.Later+got.Sooner+got.Never)
		assert.Empty(t, got.Worst)
		sum, n := 0.0, 0
		travelled := 0
		for _, m := range moves {
			if m.From != m.To {
				travelled++
			}
			if !m.Hold {
				continue
			}
			ready := m.Ready
			if b := tt.Branches[m.From]; !b.OpenOn(b.Date(ready)) {
				ready, _ = b.NextOpening(ready)
			}
			if m.From == m.To {
				sum, n = sum+ready.Sub(m.Ready).Hours(), n+1
			} else if j := tt.Ask(m.From, m.To, ready); j != nil && j.OnShelf != nil {
				sum, n = sum+j.OnShelf.Sub(m.Ready).Hours(), n+1
			}
		}
		assert.Equal(t, got.Holds-n, got.Before.Never)
		assert.Equal(t, [2]int{travelled, len(moves) - travelled}, [2]int{got.Moves, got.Local})
		if n > 0 {
			assert.InDelta(t, sum/float64(n), got.Before.Mean, 1e-6)
		}
	})
}

// A branch that is closed makes nothing come sooner, and changes nothing for what neither comes from there nor goes there.
func TestAClosedBranchHelpsNobody(t *testing.T) {
	tt := table(t)
	rapid.Check(t, func(t *rapid.T) {
		code := rapid.SampledFrom(codes(tt)).Draw(t, "closed")
		from := first.Add(rapid.IntRange(0, 20).Draw(t, "from"))
		shut := whatif.Closed(tt, code, from, from.Add(6))
		got := whatif.Try(tt, shut, drawn(t, tt), first, last, 1000)
		assert.Zero(t, got.Sooner)
		for _, c := range got.Worst {
			assert.True(t, c.From == code || c.To == code, "%v", c)
		}
		for d := from; d <= from.Add(6); d++ {
			assert.False(t, shut.Branches[code].OpenOn(d))
		}
		assert.True(t, tt.Branches[code] != shut.Branches[code], "the timetable itself stays as it was")
	})
}

// A run that is taken away carries nothing, and what it carried comes later, by another, or not at all.
func TestARunIsTakenAway(t *testing.T) {
	tt := table(t)
	for i := range tt.Runs {
		less := *tt
		less.Runs = slices.Delete(slices.Clone(tt.Runs), i, i+1)
		run := tt.Runs[i]
		from, to := run.Stops[0].Branch, run.Stops[len(run.Stops)-1].Branch
		if from == to {
			to = run.Stops[1].Branch
		}
		var moves []whatif.Move
		for d := first; d <= last; d++ {
			if run.On(d) {
				moves = append(moves, whatif.Move{From: from, To: to, Hold: true, Ready: calendar.Local(d, *run.Stops[0].Depart, tt.Location)})
			}
		}
		require.NotEmpty(t, moves)
		got := whatif.Try(tt, &less, moves, first, last, 5)
		k := slices.IndexFunc(got.Before.Loads, func(l whatif.Load) bool { return l.Run == run.ID })
		require.GreaterOrEqual(t, k, 0)
		assert.Positive(t, got.Before.Loads[k].Most)
		assert.Equal(t, len(moves), got.Before.Loads[k].Went)
		assert.False(t, slices.ContainsFunc(got.After.Loads, func(l whatif.Load) bool { return l.Run == run.ID }))
		assert.Zero(t, got.Sooner)
		assert.Positive(t, got.Later+got.Never, run.ID)
		assert.Equal(t, got.Before.Never+got.Never, got.After.Never)
	}
}
