package sheet

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"nevrin/core/expect"
)

// Line is one record of a table, with the line of the file on which it begins.
type Line struct {
	Number int
	Cells  []string
}

// Table is a table as it was read.
type Table struct {
	Lines     []Line
	Charset   string // how its letters were written
	Separator rune
}

// Most is how many records and bytes a table may have.
const (
	MostLines = 100_000
	MostBytes = 8 << 20
)

// Read reads a table as spreadsheets write it: records after RFC 4180, cells separated by commas, semicolons or tabs; letters
// in UTF-8, in UTF-16 with its mark, or else in Windows-1252, which has those of ISO 8859-1. Records without anything in them
// are left out.
func Read(data []byte) (*Table, error) {
	if len(data) > MostBytes {
		return nil, expect.Errorf(fmt.Sprintf("up to %d", MostBytes), "a list of %d bytes", len(data))
	}
	text, charset, err := letters(data)
	if err != nil {
		return nil, err
	}
	if k := strings.IndexByte(text, 0); k >= 0 {
		return nil, expect.Errorf(
			"a text file such as CSV",
			"a zero byte in line %d, as programs and spreadsheets' own files have them",
			1+strings.Count(text[:k], "\n"),
		)
	}
	t := &Table{Charset: charset, Separator: separator(text)}
	in := csv.NewReader(strings.NewReader(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text)))
	in.Comma, in.FieldsPerRecord = t.Separator, -1
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			return t, nil
		}
		var wrong *csv.ParseError
		if errors.As(err, &wrong) {
			return nil, expect.Errorf(
				"a quoted cell begins and ends with a quote, and a quote in it is doubled (RFC 4180)",
				"line %d: %s",
				wrong.Line,
				strings.TrimPrefix(wrong.Err.Error(), "parse error on line "),
			)
		}
		if err != nil {
			return nil, err
		}
		line, _ := in.FieldPos(0)
		filled := false
		for k := range cells {
			cells[k] = strings.TrimSpace(cells[k])
			filled = filled || cells[k] != ""
		}
		if !filled {
			continue
		}
		if len(t.Lines) == MostLines {
			return nil, expect.Errorf(fmt.Sprintf("up to %d", MostLines), "more lines than that")
		}
		t.Lines = append(t.Lines, Line{line, cells})
	}
}

// letters reads letters, and names how they were written.
func letters(data []byte) (text, charset string, err error) {
	var from encoding.Encoding
	switch {
	case bytes.HasPrefix(data, []byte{0xEF, 0xBB, 0xBF}):
		from, charset = unicode.UTF8BOM, "UTF-8"
	case bytes.HasPrefix(data, []byte{0xFF, 0xFE}), bytes.HasPrefix(data, []byte{0xFE, 0xFF}):
		from, charset = unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM), "UTF-16"
	case utf8.Valid(data):
		return string(data), "UTF-8", nil
	default:
		from, charset = charmap.Windows1252, "Windows-1252"
	}
	out, err := from.NewDecoder().Bytes(data)
	return string(out), charset, err
}

// separator is what separates cells: of those that stand in the first line outside quotes, the commonest.
func separator(text string) rune {
	first := strings.TrimLeft(text, "\r\n\t ;,")
	counts := map[rune]int{}
	quoted := false
	for _, r := range first {
		if r == '"' {
			quoted = !quoted
		}
		if !quoted && (r == '\n' || r == '\r') {
			break
		}
		if !quoted {
			counts[r]++
		}
	}
	best := ','
	for _, r := range []rune{';', '\t'} {
		if counts[r] > counts[best] {
			best = r
		}
	}
	return best
}

// Columns finds columns by what their heads may be called; -1 where there is none. Headed tells whether the first line is
// heads at all.
func (t *Table) Columns(names ...[]string) (at []int, headed bool) {
	at = make([]int, len(names))
	for k := range at {
		at[k] = -1
	}
	if len(t.Lines) == 0 {
		return at, false
	}
	for c, head := range t.Lines[0].Cells {
		for k, called := range names {
			for _, name := range called {
				if at[k] < 0 && strings.EqualFold(head, name) {
					at[k], headed = c, true
				}
			}
		}
	}
	return at, headed
}

// Cell is a cell of a line; empty where there is none.
func (l *Line) Cell(column int) string {
	if column < 0 || column >= len(l.Cells) {
		return ""
	}
	return l.Cells[column]
}
