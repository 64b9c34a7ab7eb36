package shelforder

import "slices"

// Misplaced tells which of the call numbers of a shelf check stand out of order: as few as can be taken out so that the others
// stand in order.
func Misplaced(calls []string) []int {
	keys := make([]string, len(calls))
	for k, c := range calls {
		keys[k] = Key(c)
	}
	// The longest run in order, by the end of the best run of each length (patience sorting).
	ends := []int{} // of the best run of length n+1: the place of its last
	before := make([]int, len(keys))
	for k := range keys {
		at, _ := slices.BinarySearchFunc(ends, keys[k], func(end int, key string) int {
			if keys[end] <= key {
				return -1
			}
			return 1
		})
		before[k] = -1
		if at > 0 {
			before[k] = ends[at-1]
		}
		if at == len(ends) {
			ends = append(ends, k)
		} else {
			ends[at] = k
		}
	}
	inOrder := make([]bool, len(keys))
	if len(ends) > 0 {
		for k := ends[len(ends)-1]; k >= 0; k = before[k] {
			inOrder[k] = true
		}
	}
	out := []int{}
	for k := range keys {
		if !inOrder[k] {
			out = append(out, k)
		}
	}
	return out
}
