package shelforder_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/shelforder"
)

func TestMisplaced(t *testing.T) {
	for _, c := range []struct {
		name  string
		calls []string
		out   []int
	}{
		{"nothing", nil, []int{}},
		{"in order", []string{"386.6 VEL", "387 ABB", "623.88 K", "623.9 A"}, []int{}},
		{"the same call number twice", []string{"387 A", "387 A", "387 B"}, []int{}},
		{"one too far along", []string{"1 A", "9 Z", "2 B", "3 C"}, []int{1}},
		{"one that should have come before", []string{"1 A", "3 C", "2 B", "4 D", "5 E"}, []int{1}},
		{"two of them", []string{"5 A", "6 A", "1 A", "7 A", "2 A", "8 A"}, []int{2, 4}},
	} {
		assert.Equal(t, c.out, shelforder.Misplaced(c.calls), c.name)
	}
}

// What is left is in order, and nothing shorter of what is taken out would do: tried with all choices.
func TestMisplacedIsAsLittleAsCanBe(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		calls := rapid.SliceOfN(rapid.StringMatching(`[1-9]( [AB])?`), 0, 10).Draw(t, "calls")
		out := shelforder.Misplaced(calls)
		taken := map[int]bool{}
		for _, k := range out {
			taken[k] = true
		}
		assert.True(t, inOrder(calls, func(k int) bool { return taken[k] }))
		for choice := range 1 << len(calls) {
			count := 0
			for k := range calls {
				count += choice >> k & 1
			}
			if count < len(out) && inOrder(calls, func(k int) bool { return choice>>k&1 == 1 }) {
				t.Fatalf("%v: %d are enough, not %v", calls, count, out)
			}
		}
	})
}

func inOrder(calls []string, without func(k int) bool) bool {
	last := ""
	for k, c := range calls {
		if without(k) {
			continue
		}
		if shelforder.Key(c) < last {
			return false
		}
		last = shelforder.Key(c)
	}
	return true
}
