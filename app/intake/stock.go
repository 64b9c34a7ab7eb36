package intake

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"nevrin/app/catalogue"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/intake"
	"nevrin/formats/marc"
	"nevrin/store"
	"nevrin/store/intakedb"
	"nevrin/store/stockdb"
)

// ofTitle is by what a title is known there: its number, its ISBN, or else what it is called.
func (b *batching) ofTitle(rec *record, r *intake.Row) string {
	if b.kind != intake.Stock && b.kind != intake.Holds {
		return ""
	}
	if r.Texts["number"] != "" {
		return r.Texts["number"]
	}
	if rec.marc != nil {
		return rec.marc.Value("001")
	}
	if n, says := ident.ISBN(r.Texts["isbn"]); says == "" {
		return "isbn " + n
	}
	if r.Texts["title"] != "" {
		return strings.ToLower(strings.Join([]string{r.Texts["title"], r.Texts["author"], r.Texts["year"]}, " / "))
	}
	return ""
}

// stock makes the lines of a title and of one of its items.
func (b *batching) stock(p *parsed, nth int, r *intake.Row) {
	number := b.ofTitle(&p.record, r)
	if number == "" && p.marc != nil {
		number = fmt.Sprintf("record %d", p.line)
	}
	if number == "" {
		b.left(p.line, 0, "titles", r.Texts["label"], "The title is missing: a number, an ISBN or a name.", p.cells)
		return
	}
	if nth == 0 {
		b.title(p, number, r)
	}
	if r.Texts["label"] != "" {
		b.item(p, nth+1, number, r)
	}
}

func (b *batching) title(from *parsed, number string, row *intake.Row) {
	read := &reading{b: b, r: row}
	var rec catalogue.Record
	var kept json.RawMessage
	if from.marc != nil {
		rec = catalogue.FromMARC(from.marc)
		bare := *from.marc
		bare.Fields = slices.DeleteFunc(slices.Clone(bare.Fields), func(f marc.Field) bool { return f.Tag == b.tag })
		kept = store.JSON(&bare)
		if from.marc.Remark != "" {
			read.notes = append(read.notes, from.marc.Remark)
		}
	} else {
		year := read.count("year")
		if year != nil && (*year < 1000 || *year > 2200) {
			year = nil
		}
		isbn, says := ident.ISBN(read.text("isbn"))
		if says != "" {
			if isbn = ""; read.text("isbn") != "" {
				read.notes = append(read.notes, says+" Imported without it.")
			}
		}
		rec = catalogue.Record{Name: read.text("title"), Author: read.text("author"), ISBN: isbn, Year: year,
			Publisher: read.text("publisher"),
			Edition:   read.text("edition"), Language: strings.ToLower(read.text("language")), Extent: read.text("extent"),
			Series:   read.text("series"),
			Subjects: intake.ReadLines(read.text("subjects")), Summary: read.text("summary"), Numbers: []string{}}
		if len(rec.Language) != 3 {
			rec.Language = ""
		}
	}
	if rec.Name == "" {
		if _, ok := b.came["titles"][number]; ok {
			return // it came before, and this file is about its items
		}
		if id, ok := b.isbn[rec.ISBN]; ok {
			b.join(from, number, id)
			return
		}
		b.left(from.line, 0, "titles", number, "The record has no title (MARC field 245).", from.cells)
		return
	}
	if _, ok := b.came["titles"][number]; !ok && rec.ISBN != "" {
		if id, ok := b.isbn[rec.ISBN]; ok {
			b.join(from, number, id)
			return
		}
	}
	var made stockdb.Title
	if err := rec.Into(&made); err != nil {
		b.left(from.line, 0, "titles", number, err.Error(), from.cells)
		return
	}
	ready := map[string]any{
		"name": made.Name, "author": made.Author, "isbn": made.ISBN, "year": made.Year, "numbers": made.Numbers, "edition": made.Edition,
		"publisher": made.Publisher, "language": made.Language, "series": made.Series, "subjects": made.Subjects,
		"summary": made.Summary,
		"extent":  made.Extent, "record": kept,
	}
	b.settle(from, 0, "titles", number, ready, read, ready)
}

// join is a title that is here already, told by its ISBN: the record stays as it is here, and copies go to it.
func (b *batching) join(p *parsed, number string, id int64) {
	b.lines = append(b.lines, intakedb.IntakeLine{Line: p.line, Kind: "titles", Number: number, Outcome: "joined", Ref: &id})
}

func (b *batching) item(from *parsed, part int, title string, row *intake.Row) {
	scan := b.a.Network.Numbers.Read(row.Texts["label"])
	number := scan.Number
	if number == "" {
		number = row.Texts["label"]
	}
	leave := func(says string) { b.left(from.line, part, "items", number, says, from.cells) }
	if says := row.Left(b.kind); says != "" {
		leave(says)
		return
	}
	for _, needed := range []string{"branch", "collection", "material"} {
		if row.Texts[needed] == "" {
			leave("An item needs a branch, a collection and a material class; this one has no " + needed + ".")
			return
		}
	}
	if scan.Kind != ident.Item {
		leave(b.noNumber(scan, row.Texts["label"], "item"))
		return
	}
	before, came := b.came["items"][scan.Number]
	if other, ok := b.items[scan.Number]; ok && (!came || other.ID != before.Ref) {
		leave(fmt.Sprintf("The label %s is already on %s.", scan.Number, other.Title))
		return
	}
	read := &reading{b: b, r: row}
	standing := circulation.ItemStatus(read.text("standing"))
	if standing == "" {
		standing = circulation.ItemInUse
	}
	aside := circulation.AsideFor(read.text("aside_for"))
	if standing != circulation.ItemAside || !slices.Contains(circulation.AsideFors, aside) {
		aside = ""
	}
	at := read.text("at_branch")
	if at == "" {
		at = read.text("branch")
	}
	parts := read.count("parts")
	if parts == nil || *parts < 1 || *parts > 999 {
		parts = new(1)
	}
	added := read.date("added_on")
	if added == nil {
		added = new(b.a.Today())
	}
	until, after := read.date("home_until"), new(read.text("home_after"))
	if until == nil || *after == "" || *after == read.text("branch") {
		until, after = nil, nil
	}
	own := read.json("own_terms")
	if len(own) > 0 {
		if _, err := b.a.Book.ParseSettings(own); err != nil {
			read.notes = append(read.notes, "Imported without its own loan terms: "+err.Error()+".")
			own = nil
		}
	}
	b.settle(from, part, "items", scan.Number, map[string]any{
		"title": title, "barcode": scan.Number, "branch_code": read.text("branch"), "at_branch": at,
		"collection": read.text("collection"),
		"material":   read.text("material"), "call_number": read.text("call_number"), "price": read.sum("price", "price_minor"), "note": read.text("note"),
		"own_terms": own, "standing": standing, "added_on": added, "parts": parts, "parts_say": read.text("parts_say"),
		"condition": read.text("condition"), "aside_for": aside, "home_until": until, "home_after": after,
	}, read, row.Texts)
}
