// Package takeout gives all that a network has, in open formats, so that nobody is locked in: titles with their copies as MARC 21
// (ISO 2709 or MARCXML, copies in field 852), and items, patrons, rosters, loans, open holds and all that went over the accounts as CSV.
//
// It is written page by page, each read in a transaction of its own, so that a large network holds up nobody and takes little
// memory. What changes meanwhile stands as it is when its page is read. PINs and passwords are not taken out.
package takeout

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/formats/marc"
	"nevrin/formats/sheet"
	"nevrin/store/keepingdb"
	"nevrin/store/stockdb"
)

// Files are what can be taken out, with what they are for whoever receives them.
var Files = map[string]string{
	"titles.mrc":   "application/marc",
	"titles.xml":   "application/xml",
	"items.csv":    csvKind,
	"patrons.csv":  csvKind,
	"loans.csv":    csvKind,
	"holds.csv":    csvKind,
	"balances.csv": csvKind,

	"past-loans.csv": csvKind,
	"rosters.csv":    csvKind,
	"ledger.csv":     csvKind,
	"receipts.csv":   csvKind,
	"invoices.csv":   csvKind,
}

const csvKind = "text/csv; charset=utf-8"

// rowsAtOnce and titlesAtOnce are how many are read in one transaction.
const (
	rowsAtOnce   = 2000
	titlesAtOnce = 500
)

// Begin writes down that something was taken out, and by whom.
func Begin(ctx context.Context, h *act.House, who act.Actor, file string) error {
	_, err := act.Do(ctx, h, who, "", nil, func(a *act.Act) (bool, error) {
		a.Tell(event.Event{Kind: event.TakenOut, Detail: event.Detail{Says: "Exported: " + file}})
		return true, nil
	})
	return err
}

// ByteOrderMark begins a file of UTF-8 for programs that take it for something else without (Unicode 15, section 23.8).
const ByteOrderMark = "\ufeff"

// Write writes a file. Between pages it says so, and how many rows there are so far.
func Write(
	ctx context.Context,
	h *act.House,
	who act.Actor,
	file string,
	to io.Writer,
	page func(rows int) error,
) error {
	switch file {
	case "titles.mrc":
		return titles(ctx, h, who, page, func(m *marc.Record) error { return m.Write(to) })
	case "titles.xml":
		w, err := marc.NewXMLWriter(to)
		if err != nil {
			return err
		}
		if err := titles(ctx, h, who, page, w.Write); err != nil {
			return err
		}
		return w.Close()
	}
	list := file[:len(file)-len(".csv")]
	if err := sheet.Write(to, [][]string{keepingdb.TakeHeads(list)}); err != nil {
		return err
	}
	after, count := int64(0), 0
	for {
		rows, err := act.Look(
			ctx,
			h,
			who,
			func(a *act.Act) ([]keepingdb.Taken, error) { return keepingdb.Take(a.Tx, list, after, rowsAtOnce) },
		)
		if err != nil || len(rows) == 0 {
			return err
		}
		lines := make([][]string, len(rows))
		for k, r := range rows {
			lines[k] = r.Cells
		}
		if err := sheet.Write(to, lines); err != nil {
			return err
		}
		after, count = rows[len(rows)-1].ID, count+len(rows)
		if err := page(count); err != nil {
			return err
		}
	}
}

type withCopies struct {
	titles []stockdb.Title
	items  []stockdb.Item
}

func titles(
	ctx context.Context,
	h *act.House,
	who act.Actor,
	page func(int) error,
	write func(*marc.Record) error,
) error {
	after, count := int64(0), 0
	for {
		part, err := act.Look(ctx, h, who, func(a *act.Act) (*withCopies, error) {
			titles, items, err := keepingdb.TitlesAfter(a.Tx, after, titlesAtOnce)
			return &withCopies{titles, items}, err
		})
		if err != nil || len(part.titles) == 0 {
			return err
		}
		for k := range part.titles {
			t := &part.titles[k]
			first := slices.IndexFunc(part.items, func(i stockdb.Item) bool { return i.TitleID == t.ID })
			var copies []stockdb.Item
			for ; first >= 0 && first < len(part.items) && part.items[first].TitleID == t.ID; first++ {
				copies = append(copies, part.items[first])
			}
			if err := writeTitle(t, copies, write); err != nil {
				return err
			}
		}
		after, count = part.titles[len(part.titles)-1].ID, count+len(part.titles)
		if err := page(count); err != nil {
			return err
		}
	}
}

// mostCopies is how many copies stand in one record; further ones follow in records of the same number.
const mostCopies = 200

// writeTitle writes a title with its copies: in as few records as they have room in. A field that no record has room for is cut.
func writeTitle(t *stockdb.Title, copies []stockdb.Item, write func(*marc.Record) error) error {
	r := catalogue.RecordOf(t)
	m, err := r.ToMARC(t.Record, strconv.FormatInt(t.ID, 10))
	if err != nil {
		return fmt.Errorf("title %d: %w", t.ID, err)
	}
	most := mostCopies
	for first := true; first || len(copies) > 0; {
		n := min(len(copies), most)
		var fields []marc.Field
		for k := range copies[:n] {
			fields = append(fields, Holding(&copies[k]))
		}
		m.Put("852", fields...)
		err := write(m)
		if errors.Is(err, marc.ErrTooLong) {
			err = write(m.Shortened())
			if errors.Is(err, marc.ErrTooLong) && n > 1 {
				most = n / 2
				continue
			}
			if errors.Is(err, marc.ErrTooLong) {
				err = write(m.Squeezed())
			}
		}
		if err != nil {
			return fmt.Errorf("title %d: %w", t.ID, err)
		}
		copies, first = copies[n:], false
	}
	return nil
}

// Holding is a copy as field 852 has it (MARC 21 Format for Holdings Data, from memory): branch, collection, call number, label,
// condition, and its note for staff. What the field has no part for stands in the local part 9, each as a name, a sign of equality
// and a value.
func Holding(i *stockdb.Item) marc.Field {
	f := marc.Data(
		"852",
		"8 ",
		"b",
		string(i.BranchCode),
		"c",
		i.Collection,
		"h",
		i.CallNumber,
		"p",
		i.Barcode,
		"q",
		i.Condition,
		"x",
		i.Note,
	)
	add := func(name, value string) {
		if value != "" {
			f.Parts = append(f.Parts, marc.Part{Code: "9", Value: name + "=" + value})
		}
	}
	add("material", i.Material)
	add("added_on", calendar.DateOf(i.AddedOn.UTC()).String())
	if i.Price != nil {
		add("price_minor", strconv.FormatInt(int64(*i.Price), 10))
	}
	if i.Parts > 1 {
		add("parts", strconv.Itoa(i.Parts))
	}
	add("parts_say", i.PartsSay)
	if i.AtBranch != i.BranchCode {
		add("at_branch", string(i.AtBranch))
	}
	if i.Standing != "in_use" {
		add("standing", string(i.Standing))
	}
	add("aside_for", string(i.AsideFor))
	if i.HomeUntil != nil {
		add("home_until", i.HomeUntil.Format("2006-01-02"))
		add("home_after", string(*i.HomeAfter))
	}
	if len(i.OwnTerms) > 0 && json.Valid(i.OwnTerms) {
		add("own_terms", string(i.OwnTerms))
	}
	return f
}
