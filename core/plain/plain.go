// Package plain cleans what people type and other systems send before it is kept: names and numbers that stand in one line on
// screens, slips, labels and spines.
package plain

import (
	"strings"
	"unicode"
)

// Line is a text in one line: breaks and tabs become blanks, several blanks one, and letters that cannot be seen and change how the
// rest reads are left out. Joiners within words and emoji stay.
func Line(text string) string { return strings.Join(strings.Fields(strings.Map(seen, text)), " ") }

// Text is a text of several lines: each as Line has it, without empty ones at the beginning and the end.
func Text(text string) string {
	lines := strings.Split(strings.NewReplacer("\r\n", "\n", "\r", "\n", "\u2028", "\n", "\u2029", "\n").Replace(text), "\n")
	for k := range lines {
		lines[k] = Line(lines[k])
	}
	return strings.Trim(strings.Join(lines, "\n"), "\n")
}

// lastPrinted is the last letter for which the fonts on paper have room; a later one, such as of most emoji, is printed as a box.
const (
	lastPrinted = '\uffff'
	box         = '\u25a1'
)

// Printable is a text of several lines as it goes onto paper, whatever stands in it.
func Printable(text string) string {
	return strings.Map(func(r rune) rune {
		if r > lastPrinted {
			return box
		}
		return r
	}, Text(strings.ToValidUTF8(text, "")))
}

// seen drops a letter that is a control, or turns the direction of what follows it (Unicode's bidirectional controls, UAX #9; what
// they do to names: Unicode Technical Report #36, from memory).
func seen(r rune) rune {
	switch {
	case unicode.IsSpace(r), r == '\u2028', r == '\u2029':
		return ' '
	case unicode.IsControl(r), r >= '\u202a' && r <= '\u202e', r >= '\u2066' && r <= '\u2069', r == '\ufeff', r == unicode.ReplacementChar:
		return -1
	}
	return r
}
