package intake

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"nevrin/app/problem"
	"nevrin/core/intake"
	"nevrin/formats/marc"
	"nevrin/formats/sheet"
	"nevrin/store/intakedb"
)

// record is a record of a file: cells, or MARC.
type record struct {
	line  int
	cells []string
	marc  *marc.Record
	wrong string // why it cannot be read
}

// reader reads a file record by record.
type reader struct {
	seen  Seen
	next  func() (record, error)
	count *counting
}

// counting counts what is read.
type counting struct {
	from io.Reader
	n    int64
}

func (c *counting) Read(into []byte) (int, error) {
	n, err := c.from.Read(into)
	c.n += int64(n)
	return n, err
}

// open begins to read a file, of whatever form.
func (w *worker) open() (*reader, error) {
	r := &reader{count: &counting{from: intakedb.IntakeFile(w.ctx, w.house.Store, w.row.ID)}}
	start := bufio.NewReader(r.count)
	form := marc.Unknown
	if w.kind == intake.Stock {
		var err error
		if form, err = marc.FormOf(start); err != nil {
			return nil, err
		}
	}
	switch form {
	case marc.MARCXML:
		r.seen = Seen{Form: "marcxml", Charset: "UTF-8"}
		r.ofMARC(marc.NewXMLReader(start).Next)
	case marc.ISO2709:
		r.seen = Seen{Form: "marc", Charset: "as each record says"}
		r.ofMARC(marc.NewReader(start).Next)
	default:
		return r, r.ofSheet(start)
	}
	r.seen.Heads = slices.Clone(marcHeads)
	return r, nil
}

func (r *reader) ofMARC(next func() (*marc.Record, error)) {
	n := 0
	r.next = func() (record, error) {
		m, err := next()
		n++
		var wrong *marc.Problem
		if errors.As(err, &wrong) {
			return record{line: n, wrong: wrong.Says}, nil
		}
		return record{line: n, marc: m}, err
	}
}

func (r *reader) ofSheet(from io.Reader) error {
	in, err := sheet.Stream(from)
	if err != nil {
		return err
	}
	heads, err := in.Next()
	var wrong *sheet.Wrong
	switch {
	case errors.Is(err, io.EOF):
		return problem.Newf(problem.Invalid, "This file is empty.")
	case errors.As(err, &wrong):
		return problem.Newf(problem.Invalid, "Its heads cannot be read: %s.", wrong)
	case err != nil:
		return err
	}
	r.seen = Seen{Form: "csv", Separator: string(in.Separator)}
	for k, head := range heads.Cells {
		head = strings.TrimSpace(sheet.Plain(head))
		if head == "" {
			head = fmt.Sprintf("column %d", k+1)
		}
		for n, name := 2, head; slices.Contains(r.seen.Heads, head); n++ {
			head = fmt.Sprintf("%s (%d)", name, n)
		}
		r.seen.Heads = append(r.seen.Heads, head)
	}
	r.next = func() (record, error) {
		l, err := in.Next()
		r.seen.Charset = in.Charset
		if errors.As(err, &wrong) {
			return record{line: wrong.Line, wrong: wrong.Says}, nil
		}
		for k := range l.Cells {
			l.Cells[k] = sheet.Plain(l.Cells[k])
		}
		out := record{line: l.Number, cells: l.Cells}
		if n := len(l.Cells); err == nil && n > len(r.seen.Heads) {
			out.wrong = fmt.Sprintf("It has %d cells, but there are %d columns. A cell with a separator may lack quotes.", n, len(r.seen.Heads))
		}
		return out, err
	}
	return nil
}
