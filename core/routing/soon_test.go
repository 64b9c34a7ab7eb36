package routing_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/routing"
)

// drawRound draws a round of several hundred holds over nine branches, of which some can fetch little of what they have.
func drawRound(t *rapid.T, titles int) ([]routing.Work, []int) {
	const branches = 9
	works, holds := make([]routing.Work, titles), 0
	for k := range works {
		w := &works[k]
		many := rapid.IntRange(1, 2).Draw(t, "holds")
		items := max(many, rapid.IntRange(1, 4).Draw(t, "items"))
		for i := range items {
			w.Items = append(w.Items, fmt.Sprint(i))
			w.At = append(w.At, rapid.IntRange(0, branches-1).Draw(t, "at"))
		}
		for range many {
			row, later := make([]*routing.Reach, items), make([]int, items)
			for i := range items {
				wait := rapid.IntRange(60, 2000).Draw(t, "wait")
				row[i], later[i] = &routing.Reach{Wait: wait}, wait+rapid.IntRange(0, 3).Draw(t, "later")*180
			}
			w.Reach, w.Later = append(w.Reach, row), append(w.Later, later)
		}
		holds += many
	}
	limits := make([]int, branches)
	for b := range limits {
		limits[b] = holds / branches / rapid.IntRange(1, 4).Draw(t, "part")
	}
	return works, limits
}

// For somebody who waits, hundreds of holds are shared within a hundredth of the best at most, and the limits are kept.
func TestSharedSoonIsNearlyTheBest(t *testing.T) {
	type round struct {
		works  []routing.Work
		limits []int
	}
	rounds := rapid.Custom(func(t *rapid.T) round {
		works, limits := drawRound(t, rapid.IntRange(40, 220).Draw(t, "titles"))
		return round{works, limits}
	})
	for seed := range 12 {
		r := rounds.Example(seed)
		s := routing.ShareSoon(r.works, r.limits)
		checkShared(t, r.works, r.limits, s)
		require.LessOrEqual(t, s.Bound, s.Total)
		require.LessOrEqual(t, float64(s.Total-s.Bound), 0.01*float64(s.Total))
	}
}
