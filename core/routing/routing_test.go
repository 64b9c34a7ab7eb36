package routing_test

import (
	"fmt"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/routing"
)

// The worked plans of the handbook (03, rules and sums) come out under both aims.
func TestWorkedPlansHold(t *testing.T) {
	data, err := os.ReadFile("../testdata/worked-routing.json")
	require.NoError(t, err)
	f, err := routing.Read(data)
	require.NoError(t, err)
	for _, aim := range []routing.Aim{routing.LeastTotal, routing.FirstCome} {
		require.Len(t, f.Expect[aim], 5)
		assert.Empty(t, f.Differences(aim, f.Plan(aim)))
		f.Expect[aim][0].Served = []string{"h9"}
		assert.NotEmpty(t, f.Differences(aim, f.Plan(aim)), "an altered expectation must fail")
	}
}

// plans lists every plan there is.
func plans(p routing.Problem, h int, used map[int]bool) [][]int {
	if h == len(p.Reach) {
		return [][]int{nil}
	}
	var out [][]int
	for i := routing.None; i < len(p.Items); i++ {
		if i != routing.None && (used[i] || p.Reach[h][i] == nil) {
			continue
		}
		used[i] = i != routing.None
		for _, rest := range plans(p, h+1, used) {
			out = append(out, append([]int{i}, rest...))
		}
		delete(used, i)
	}
	return out
}

// key writes a plan so that the better of two plans comes first as text, by the handbook's steps.
func key(p routing.Problem, plan []int, aim routing.Aim) string {
	served, total, promises, ids := "", 0, "", ""
	for h, i := range plan {
		if i == routing.None {
			served += "1"
			continue
		}
		served += "0"
		total += p.Reach[h][i].Wait
		promises += fmt.Sprintf("%06d ", p.Reach[h][i].Wait)
		ids += p.Items[i] + " "
	}
	if aim == routing.FirstCome {
		total = 0
	}
	return fmt.Sprintf("%s/%08d/%s/%s", served, total, promises, ids)
}

// Plans are the best of all plans there are, ties included.
func TestPlanIsTheBestOfAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var p routing.Problem
		for _, i := range rapid.Permutation([]int{1, 2, 3, 4, 5}[:rapid.IntRange(1, 5).Draw(t, "items")]).Draw(t, "ids") {
			p.Items = append(p.Items, fmt.Sprint("i", i))
		}
		for range rapid.IntRange(1, 5).Draw(t, "holds") {
			row := make([]*routing.Reach, len(p.Items))
			for i := range row {
				if wait := rapid.IntRange(0, 5).Draw(t, "wait"); wait > 0 {
					row[i] = &routing.Reach{Wait: wait}
				}
			}
			p.Reach = append(p.Reach, row)
		}
		for _, aim := range []routing.Aim{routing.LeastTotal, routing.FirstCome} {
			best := ""
			for _, plan := range plans(p, 0, map[int]bool{}) {
				if k := key(p, plan, aim); best == "" || k < best {
					best = k
				}
			}
			if got := key(p, routing.Plan(p, aim), aim); got != best {
				t.Fatalf("%s: came %s, best %s", aim, got, best)
			}
		}
	})
}
