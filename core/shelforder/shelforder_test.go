package shelforder_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/shelforder"
)

func TestShelves(t *testing.T) {
	for name, want := range map[string][]string{
		// Dewey order, common practice, no source: whole numbers as numbers, decimals digit by digit, then letters.
		"Dewey": {
			"8 ABC", "62 XYZ", "623 ABC", "623.8 ZZZ", "623.88 ABC", "623.88 BRA", "623.9 AAA", "797.122", "FIC ADE", "FIC BRA",
		},
		// Dewey decimals and book marks as in Melvil Dewey, "Decimal Classification", introduction, and C. A. Cutter's tables,
		// whose figures are decimals; the rows from memory.
		"Dewey with marks": {
			"305.4 B37", "305.42 A5", "305.8 A12", "305.8009 C3", "305.896 C3", "306 D", "813 M4", "813 M45", "813 M5", "813.54 A1",
		},
		// Library of Congress: letters, then a whole number, then decimals, marks as decimals, years as numbers. After the
		// rules of the Library of Congress' "Classification and Shelflisting Manual", G 63 (Cutter numbers are decimals: .C58
		// stands before .C6); the rows from memory.
		"Library of Congress": {
			"B 5 .A1", "BF 23 .C4", "BF 223 .C4", "LB 2395 .C6", "LB 2395 .C65", "LB 2395 .C65 1991", "LB 2395.4 .A1",
			"QA 9 .B5", "QA 76 .A2", "QA 76.15 .C6", "QA 76.9 .C58", "QA 76.9 .C6", "QA 76.9 .C6 B4", "QA 76.9 .D3 1999",
			"QA 76.9 .D3 2004", "QA 100 .A1",
		},
		// Common practice, no source.
		"volumes": {"P 20 HAR v.1", "P 20 HAR v.2", "P 20 HAR v.10", "P 20 HAR v.10 no.2", "P 20 HAR v.10 no.11"},
	} {
		got := slices.Clone(want)
		slices.Reverse(got)
		slices.SortStableFunc(got, shelforder.Compare)
		assert.Equal(t, want, got, name)
	}
	assert.Zero(t, shelforder.Compare("QA76.9 .C6", "qa 76.9 c6"), "blanks, points and capitals do not matter")
	assert.Negative(t, shelforder.Compare("", "8"), "nothing before something")
}
