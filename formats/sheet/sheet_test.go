package sheet_test

import (
	"bytes"
	"encoding/csv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/formats/sheet"
)

// OWASP, CSV injection (from memory): cells that begin with = + - @, a tab or a line's end are run.
func TestNothingIsRun(t *testing.T) {
	for cell, want := range map[string]string{
		"":                        "",
		"The Patient Ferryman":    "The Patient Ferryman",
		"=HYPERLINK(\"x\",\"y\")": "'=HYPERLINK(\"x\",\"y\")",
		"@SUM(A1)":                "'@SUM(A1)",
		"+1+cmd|' /C calc'!A0":    "'+1+cmd|' /C calc'!A0",
		"\t=1":                    "'\t=1",
		"\r=1":                    "'\r=1",
		"-3.50":                   "-3.50",
		"+14":                     "+14",
		"-3.50-A1":                "'-3.50-A1",
		"--1":                     "'--1",
		"-":                       "'-",
		"a=b":                     "a=b",
	} {
		assert.Equal(t, want, sheet.Text(cell), cell)
	}
	var out bytes.Buffer
	lines := [][]string{{"Title", "Fine"}, {"=1+1, \"quoted\"\nand broken", "-0.25"}}
	require.NoError(t, sheet.Write(&out, lines))
	back, err := csv.NewReader(&out).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"Title", "Fine"}, {"'=1+1, \"quoted\"\nand broken", "-0.25"}}, back)
}

// Whatever a cell says, what is written as text says the same when it is taken off again.
func TestTextIsPlainAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		cell := rapid.StringOf(rapid.RuneFrom([]rune("'=+-@a1. \t"))).Draw(t, "cell")
		if got := sheet.Plain(sheet.Text(cell)); got != cell {
			t.Fatalf("%q became %q", cell, got)
		}
	})
}
