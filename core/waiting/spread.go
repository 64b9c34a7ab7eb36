package waiting

import (
	"cmp"
	"math"
	"slices"
	"sort"
)

// Spread is a distribution seen so far: the values that one hundredth, two hundredths and so on of all cases stay below.
// An empty spread stands for nothing known, which counts as 0.
type Spread []float64

// parts is into how many parts a spread cuts what it has seen.
const parts = 100

// MakeSpread is the spread of what was seen.
func MakeSpread(seen []Seen) Spread {
	sorted := slices.Clone(seen)
	slices.SortFunc(sorted, func(a, b Seen) int { return cmp.Compare(a.Days, b.Days) })
	total := times(sorted)
	if total == 0 {
		return nil
	}
	s := make(Spread, 0, parts+1)
	steps := min(total-1, parts)
	at, below := 0, sorted[0].Times
	for k := range steps + 1 {
		for below <= k*(total-1)/max(steps, 1) {
			at++
			below += sorted[at].Times
		}
		s = append(s, float64(sorted[at].Days))
	}
	return s
}

// At is the value that a part u of all cases, 0 to 1, stays below.
func (s Spread) At(u float64) float64 {
	if len(s) == 0 {
		return 0
	}
	at := u * float64(len(s)-1)
	k := int(at)
	if k >= len(s)-1 {
		return s[len(s)-1]
	}
	return s[k] + (at-float64(k))*(s[k+1]-s[k])
}

// Above is At among the cases that are above a value; where none is, some more than that value.
func (s Spread) Above(value, u float64) float64 {
	n := sort.SearchFloat64s(s, math.Nextafter(value, math.Inf(1)))
	if n >= len(s) {
		// Longer than anything seen: as long again as it has been, at most.
		return value + 1 + u*(1+math.Abs(value)/2)
	}
	begin := float64(n)
	if n > 0 {
		begin -= (s[n] - value) / (s[n] - s[n-1])
	}
	part := begin / float64(max(len(s)-1, 1))
	return max(value, s.At(part+u*(1-part)))
}
