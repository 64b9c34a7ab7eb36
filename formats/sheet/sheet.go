// Package sheet writes tables as CSV (RFC 4180) that people open as spreadsheets.
//
// A spreadsheet runs a cell that begins like a formula, whoever wrote it: a title, a note, a name. Such a cell gets an
// apostrophe before it, which makes it text; Plain takes it off again.
package sheet

import (
	"encoding/csv"
	"io"
	"strings"
)

// Write writes a table.
func Write(w io.Writer, lines [][]string) error {
	out := csv.NewWriter(w)
	for _, line := range lines {
		safe := make([]string, len(line))
		for k, cell := range line {
			safe[k] = Text(cell)
		}
		if err := out.Write(safe); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}

// Text is a cell that is read as text. A plain number stays one, whatever its sign.
func Text(cell string) string {
	if !formula(strings.TrimLeft(cell, "'")) {
		return cell
	}
	return "'" + cell
}

// Plain is what a cell says that was written as text.
func Plain(cell string) string {
	if rest, ok := strings.CutPrefix(cell, "'"); ok && formula(strings.TrimLeft(rest, "'")) {
		return rest
	}
	return cell
}

// formula tells whether a spreadsheet would work a cell out.
func formula(cell string) bool {
	return cell != "" && strings.ContainsAny(cell[:1], "=+-@\t\r\n") && !number(cell)
}

func number(cell string) bool {
	digits := strings.TrimLeft(cell, "+-")
	return len(cell)-len(digits) == 1 && digits != "" && strings.Trim(digits, "0123456789.,") == "" &&
		digits[0] != '.'
}
