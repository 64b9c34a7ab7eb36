package rulebook_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/rulebook"
)

// The page of terms is the one that the program writes, and every term is described whole.
func TestTermsAreDescribed(t *testing.T) {
	page, err := os.ReadFile("../../docs/terms.md")
	require.NoError(t, err)
	assert.Equal(t, rulebook.Handbook(), string(page), "write it again with 'nevrin rulebook terms'")
	names := map[string]bool{}
	for _, info := range rulebook.All {
		assert.NotEmpty(t, info.Name, info.ID)
		assert.NotEmpty(t, info.Meaning, info.ID)
		assert.NotEmpty(t, info.Group, info.ID)
		assert.False(t, names[info.Name], "two terms are called %s", info.Name)
		names[info.Name] = true
	}
}
