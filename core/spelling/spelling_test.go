package spelling_test

import (
	"testing"

	"github.com/hbollon/go-edlib"
	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/spelling"
)

func TestWhatIsMeant(t *testing.T) {
	known := []string{"tide", "tile", "side", "tables", "table", "ferries", "small", "smell"}
	for word, meant := range map[string][]string{
		"tdie": {"tide"}, "smal": {"small"}, "tabels": {"tables", "table"}, "feries": {"ferries"}, "tide": {"tile", "side"}, "xyz": {}, "SMALL": {"smell"},
		"vide": {"tide", "side"},
	} {
		assert.Equal(t, meant, spelling.Meant(word, known), word)
	}
	assert.Equal(t, []string{"salt", "7", "větru"}, spelling.Words("Salt, 7 (větru)!"))
}

// What is one slip away is at a distance of one, by a library's count; and no word at that distance is left out.
func TestOneSlipAway(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		word := rapid.StringMatching(`[a-e]{2,6}`).Draw(t, "word")
		near := map[string]bool{}
		for _, n := range spelling.One(word) {
			near[n] = true
			assert.Equal(t, 1, edlib.OSADamerauLevenshteinDistance(word, n), n)
		}
		other := rapid.StringMatching(`[a-e]{1,7}`).Draw(t, "other")
		if edlib.OSADamerauLevenshteinDistance(word, other) == 1 {
			assert.True(t, near[other], "%s of %s", other, word)
		}
	})
}
