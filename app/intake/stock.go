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

func (b *batching) title(p *parsed, number string, r *intake.Row) {
	d := &reading{b: b, r: r}
	var rec catalogue.Record
	var kept json.RawMessage
	if p.marc != nil {
		rec = catalogue.FromMARC(p.marc)
		bare := *p.marc
		bare.Fields = slices.DeleteFunc(slices.Clone(bare.Fields), func(f marc.Field) bool { return f.Tag == b.tag })
		kept = store.JSON(&bare)
		if p.marc.Remark != "" {
			d.notes = append(d.notes, p.marc.Remark)
		}
	} else {
		year := d.count("year")
		if year != nil && (*year < 1000 || *year > 2200) {
			year = nil
		}
		isbn, says := ident.ISBN(d.text("isbn"))
		if says != "" {
			if isbn = ""; d.text("isbn") != "" {
				d.notes = append(d.notes, says+" Imported without it.")
			}
		}
		rec = catalogue.Record{Name: d.text("title"), Author: d.text("author"), ISBN: isbn, Year: year,
			Publisher: d.text("publisher"),
			Edition:   d.text("edition"), Language: strings.ToLower(d.text("language")), Extent: d.text("extent"),
			Series:   d.text("series"),
			Subjects: intake.ReadLines(d.text("subjects")), Summary: d.text("summary"), Numbers: []string{}}
		if len(rec.Language) != 3 {
			rec.Language = ""
		}
	}
	if rec.Name == "" {
		if _, ok := b.came["titles"][number]; ok {
			return // it came before, and this file is about its items
		}
		if id, ok := b.isbn[rec.ISBN]; ok {
			b.join(p, number, id)
			return
		}
		b.left(p.line, 0, "titles", number, "The record has no title (MARC field 245).", p.cells)
		return
	}
	if _, ok := b.came["titles"][number]; !ok && rec.ISBN != "" {
		if id, ok := b.isbn[rec.ISBN]; ok {
			b.join(p, number, id)
			return
		}
	}
	var t stockdb.Title
	if err := rec.Into(&t); err != nil {
		b.left(p.line, 0, "titles", number, err.Error(), p.cells)
		return
	}
	ready := map[string]any{
		"name": t.Name, "author": t.Author, "isbn": t.ISBN, "year": t.Year, "numbers": t.Numbers, "edition": t.Edition,
		"publisher": t.Publisher, "language": t.Language, "series": t.Series, "subjects": t.Subjects,
		"summary": t.Summary,
		"extent":  t.Extent, "record": kept,
	}
	b.settle(p, 0, "titles", number, ready, d, ready)
}

// join is a title that is here already, told by its ISBN: the record stays as it is here, and copies go to it.
func (b *batching) join(p *parsed, number string, id int64) {
	b.lines = append(b.lines, intakedb.IntakeLine{Line: p.line, Kind: "titles", Number: number, Outcome: "joined", Ref: &id})
}

func (b *batching) item(p *parsed, part int, title string, r *intake.Row) {
	scan := b.a.Network.Numbers.Read(r.Texts["label"])
	number := scan.Number
	if number == "" {
		number = r.Texts["label"]
	}
	leave := func(says string) { b.left(p.line, part, "items", number, says, p.cells) }
	if says := r.Left(b.kind); says != "" {
		leave(says)
		return
	}
	for _, f := range []string{"branch", "collection", "material"} {
		if r.Texts[f] == "" {
			leave("An item needs a branch, a collection and a material class; this one has no " + f + ".")
			return
		}
	}
	if scan.Kind != ident.Item {
		leave(b.noNumber(scan, r.Texts["label"], "item"))
		return
	}
	before, came := b.came["items"][scan.Number]
	if i, ok := b.items[scan.Number]; ok && (!came || i.ID != before.Ref) {
		leave(fmt.Sprintf("The label %s is already on %s.", scan.Number, i.Title))
		return
	}
	d := &reading{b: b, r: r}
	standing := circulation.ItemStatus(d.text("standing"))
	if standing == "" {
		standing = circulation.ItemInUse
	}
	aside := circulation.AsideFor(d.text("aside_for"))
	if standing != circulation.ItemAside || !slices.Contains(circulation.AsideFors, aside) {
		aside = ""
	}
	at := d.text("at_branch")
	if at == "" {
		at = d.text("branch")
	}
	parts := d.count("parts")
	if parts == nil || *parts < 1 || *parts > 999 {
		parts = new(1)
	}
	added := d.date("added_on")
	if added == nil {
		added = new(b.a.Today())
	}
	until, after := d.date("home_until"), new(d.text("home_after"))
	if until == nil || *after == "" || *after == d.text("branch") {
		until, after = nil, nil
	}
	own := d.json("own_terms")
	if len(own) > 0 {
		if _, err := b.a.Book.ParseSettings(own); err != nil {
			d.notes = append(d.notes, "Imported without its own loan terms: "+err.Error()+".")
			own = nil
		}
	}
	b.settle(p, part, "items", scan.Number, map[string]any{
		"title": title, "barcode": scan.Number, "branch_code": d.text("branch"), "at_branch": at,
		"collection": d.text("collection"),
		"material": d.text(
			"material",
		), "call_number": d.text("call_number"), "price": d.sum("price", "price_minor"), "note": d.text("note"),
		"own_terms": own, "standing": standing, "added_on": added, "parts": parts, "parts_say": d.text("parts_say"),
		"condition": d.text("condition"), "aside_for": aside, "home_until": until, "home_after": after,
	}, d, r.Texts)
}
