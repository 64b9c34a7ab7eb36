package shelforder_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/shelforder"
)

// Dewey order, common practice, no source: whole numbers as numbers, decimals digit by digit, then letters.
func TestDeweyOrder(t *testing.T) {
	want := []string{
		"8 ABC",
		"62 XYZ",
		"623 ABC",
		"623.8 ZZZ",
		"623.88 ABC",
		"623.88 BRA",
		"623.9 AAA",
		"797.122",
		"FIC ADE",
		"FIC BRA",
	}
	got := slices.Clone(want)
	slices.Reverse(got)
	slices.SortStableFunc(got, shelforder.Compare)
	assert.Equal(t, want, got)
}
