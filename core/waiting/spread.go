package waiting

import (
	"math"
	"slices"
	"sort"
)

// Spread is how something fell out so far, as the values that a hundredth, two hundredths and so on of all cases stay below.
// An empty spread stands for nothing known, which counts as 0.
type Spread []float64

// parts is into how many parts a spread cuts what it has seen.
const parts = 100

// MakeSpread is the spread of values seen.
func MakeSpread(seen []float64) Spread {
	if len(seen) == 0 {
		return nil
	}
	sorted := slices.Clone(seen)
	slices.Sort(sorted)
	if len(sorted) <= parts+1 {
		return sorted
	}
	s := make(Spread, parts+1)
	for k := range s {
		s[k] = sorted[k*(len(sorted)-1)/parts]
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
		return value + 1 + u*(1+math.Abs(value)/2) // longer than anything seen: as long again as it has been, at the most
	}
	begin := float64(n)
	if n > 0 {
		begin -= (s[n] - value) / (s[n] - s[n-1])
	}
	part := begin / float64(max(len(s)-1, 1))
	return max(value, s.At(part+u*(1-part)))
}
