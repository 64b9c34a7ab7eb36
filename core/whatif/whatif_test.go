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

// drawn are things that went between branches, or were set aside where they were for who waited there, ready at any
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

// shelved is when something is on its shelf, by asking the timetable for it alone; nil: never.
func shelved(tt *courier.Timetable, m whatif.Move) *time.Time {
	ready := m.Ready
	if b := tt.Branches[m.From]; !b.OpenOn(b.Date(ready)) {
		ready, _ = b.NextOpening(ready)
	}
	if m.From == m.To {
		return &ready
	}
	if j := tt.Ask(m.From, m.To, ready); j != nil {
		return j.OnShelf
	}
	return nil
}

// Whatever changes, what is said of all, of each branch and of the worst is what asking both timetables for each thing adds up to.
func TestSumsOfAChange(t *testing.T) {
	tt := table(t)
	rapid.Check(t, func(t *rapid.T) {
		less := *tt
		gone := rapid.IntRange(0, len(tt.Runs)-1).Draw(t, "run")
		less.Runs = slices.Delete(slices.Clone(tt.Runs), gone, gone+1)
		was, is := tt, &less
		if rapid.Bool().Draw(t, "a branch is closed instead") {
			from := first.Add(rapid.IntRange(0, 14).Draw(t, "from"))
			is = whatif.Closed(tt, rapid.SampledFrom(codes(tt)).Draw(t, "closed"), from, from.Add(6))
		}
		if rapid.Bool().Draw(t, "the other way round") {
			was, is = is, was
		}
		moves := drawn(t, tt)
		run := tt.Runs[gone] // and some that it would take
		for k := range rapid.IntRange(0, 8).Draw(t, "for the run") {
			to := run.Stops[1+k%(len(run.Stops)-1)].Branch
			if d := first.Add(3 * k); run.On(d) && to != run.Stops[0].Branch {
				moves = append(moves, whatif.Move{From: run.Stops[0].Branch, To: to, Hold: true,
					Ready: calendar.Local(d, *run.Stops[0].Depart, tt.Location)})
			}
		}
		got := whatif.Try(was, is, moves, first, last, 3)
		want := map[calendar.Code]*whatif.At{}
		all, both := whatif.Tried{}, map[calendar.Code]float64{}
		var waits []float64
		var days [whatif.Days]int
		var harm []float64 // hours; of who gets nothing any more, more than any
		const never = 1e9
		for _, m := range moves {
			if !m.Hold {
				continue
			}
			at := want[m.To]
			if at == nil {
				at = &whatif.At{Branch: m.To}
				want[m.To] = at
			}
			at.Holds++
			x, y := shelved(was, m), shelved(is, m)
			if y != nil {
				hours := y.Sub(m.Ready).Hours()
				waits = append(waits, hours)
				days[min(int(hours/24), whatif.Days-1)]++
			}
			switch {
			case x != nil && y != nil:
				both[m.To]++
				at.Before += x.Sub(m.Ready).Hours()
				at.After += y.Sub(m.Ready).Hours()
				if y.After(*x) {
					at.Later, all.Later = at.Later+1, all.Later+1
				} else if y.Before(*x) {
					at.Sooner, all.Sooner = at.Sooner+1, all.Sooner+1
				}
				if !y.Equal(*x) {
					harm = append(harm, y.Sub(*x).Hours())
				}
			case x != nil:
				all.Never++
				harm = append(harm, never)
			case y != nil:
				harm = append(harm, -never)
			}
		}
		assert.Equal(t, [3]int{all.Later, all.Sooner, all.Never}, [3]int{got.Later, got.Sooner, got.Never})
		assert.Len(t, got.Branches, len(want))
		for k, b := range got.Branches {
			w := want[b.Branch]
			assert.Equal(t, [3]int{w.Holds, w.Later, w.Sooner}, [3]int{b.Holds, b.Later, b.Sooner}, b.Branch)
			n := max(1, both[b.Branch])
			assert.InDelta(t, w.Before/n, b.Before, 1e-6, b.Branch)
			assert.InDelta(t, w.After/n, b.After, 1e-6, b.Branch)
			if k > 0 {
				before := got.Branches[k-1]
				assert.GreaterOrEqual(t, before.After-before.Before, b.After-b.Before-1e-6, "who loses most first")
			}
		}
		assert.Equal(t, days, got.After.Days)
		slices.Sort(waits)
		if len(waits) > 0 {
			below := 0
			for _, w := range waits {
				if w < got.After.Tenth {
					below++
				}
			}
			assert.Contains(t, waits, got.After.Tenth)
			assert.LessOrEqual(t, below, len(waits)*9/10)
		}
		slices.Sort(harm)
		slices.Reverse(harm)
		require.Len(t, got.Worst, min(3, len(harm)))
		for k, c := range got.Worst {
			switch {
			case c.After.IsZero():
				assert.InDelta(t, never, harm[k], 1)
			case c.Before.IsZero():
				assert.InDelta(t, -never, harm[k], 1)
			default:
				assert.InDelta(t, harm[k], c.After.Sub(c.Before).Hours(), 1e-6, "the worst first")
			}
		}
	})
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
			if on := shelved(tt, m); m.Hold && on != nil {
				sum, n = sum+on.Sub(m.Ready).Hours(), n+1
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
		assert.InDelta(t, 1, got.Before.Loads[k].Mean, 0.1, "%s: one thing on each date, but for what waits for the next", run.ID)
		assert.False(t, slices.ContainsFunc(got.After.Loads, func(l whatif.Load) bool { return l.Run == run.ID }))
		assert.Zero(t, got.Sooner)
		assert.Positive(t, got.Later+got.Never, run.ID)
		assert.Equal(t, got.Before.Never+got.Never, got.After.Never)
	}
}
