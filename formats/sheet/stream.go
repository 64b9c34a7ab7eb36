package sheet

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"nevrin/core/expect"
)

// longestRecord is how long one record of a table may be, in bytes: a quote that is never closed would swallow the rest of a file.
const longestRecord = 1 << 20

// beginning is as much of a table as is looked at before it is read.
const beginning = 64 << 10

// Wrong is what is wrong with one record of a table; those behind it can be read.
type Wrong struct {
	Line int
	Says string
}

func (w *Wrong) Error() string { return fmt.Sprintf("line %d: %s", w.Line, w.Says) }

// Reader reads a table of any length, record by record, in the memory of one. Letters are UTF-8 or UTF-16 with its mark; a cell
// that is neither is read as Windows-1252, so that a file put together out of two is read right.
type Reader struct {
	Charset   string // how letters were written, as far as it has been read
	Separator rune
	in        *csv.Reader
	lines     *newlines
	marked    bool // the file said its charset itself
}

// Stream begins to read a table, as Read reads one.
func Stream(from io.Reader) (*Reader, error) {
	r := &Reader{Charset: "UTF-8"}
	start := bufio.NewReaderSize(from, beginning)
	mark, err := start.Peek(3)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	text := io.Reader(start)
	switch {
	case bytes.HasPrefix(mark, []byte{0xEF, 0xBB, 0xBF}):
		_, _ = start.Discard(3)
		r.marked = true
	case bytes.HasPrefix(mark, []byte{0xFF, 0xFE}), bytes.HasPrefix(mark, []byte{0xFE, 0xFF}):
		text = transform.NewReader(start, unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder())
		r.Charset, r.marked = "UTF-16", true
	}
	r.lines = &newlines{from: bufio.NewReaderSize(text, beginning), line: 1}
	first, err := r.lines.from.Peek(beginning)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	r.Separator = separator(string(first))
	r.in = csv.NewReader(r.lines)
	r.in.Comma, r.in.FieldsPerRecord = r.Separator, -1
	return r, nil
}

// Next gives the next record with something in it; io.EOF at the end, a *Wrong where one cannot be read.
func (r *Reader) Next() (Line, error) {
	for {
		r.lines.read = 0
		cells, err := r.in.Read()
		var wrong *csv.ParseError
		if errors.As(err, &wrong) {
			return Line{}, &Wrong{wrong.StartLine, fmt.Sprintf(
				"in line %d %s; a quoted cell begins and ends with a quote, and a quote in it is doubled (RFC 4180)",
				wrong.Line, wrong.Err)}
		}
		if err != nil {
			return Line{}, err
		}
		line, _ := r.in.FieldPos(0)
		filled := false
		for k, cell := range cells {
			if !utf8.ValidString(cell) && !r.marked {
				cell, _ = charmap.Windows1252.NewDecoder().String(cell)
				r.Charset = "Windows-1252"
			}
			cells[k] = strings.TrimSpace(strings.ToValidUTF8(cell, "\uFFFD"))
			filled = filled || cells[k] != ""
		}
		if filled {
			return Line{line, cells}, nil
		}
	}
}

// newlines makes every end of a line the same, whatever system wrote it, and refuses what is no text.
type newlines struct {
	from *bufio.Reader
	line int
	read int  // since the last record, without empty lines
	cr   bool // the last byte ended a line already

	quoted bool // within quotes, where an empty line is a part of a record
	inLine bool // something stands in the line so far
}

// count counts a byte to the record in which it stands. Empty lines between records belong to none.
func (n *newlines) count(b byte) {
	empty := b == '\n' && !n.inLine && !n.quoted
	if !empty {
		n.read++
	}
	if b == '"' {
		n.quoted = !n.quoted
	}
	if n.inLine = b != '\n'; !n.inLine {
		n.line++
	}
}

func (n *newlines) Read(into []byte) (int, error) {
	if n.read > longestRecord {
		return 0, expect.Errorf(fmt.Sprintf("up to %d bytes; perhaps a quote is not closed", longestRecord),
			"a record that is longer, about line %d", n.line)
	}
	got, err := n.from.Read(into)
	out := 0
	for _, b := range into[:got] {
		after := n.cr
		n.cr = b == '\r'
		switch {
		case b == 0:
			return out, expect.Errorf("a text file such as CSV",
				"a zero byte in line %d, as programs and spreadsheets' own files have them", n.line)
		case b == '\n' && after:
			continue
		case b == '\r':
			b = '\n'
		}
		n.count(b)
		into[out] = b
		out++
	}
	if out == 0 && got > 0 && err == nil {
		return n.Read(into) // nothing but the second half of an end of line
	}
	return out, err
}
