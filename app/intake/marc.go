package intake

import (
	"slices"
	"strings"

	"nevrin/core/intake"
	"nevrin/formats/marc"
)

// marcHeads are the columns of the copies of a title in MARC: the parts of field 852 (MARC 21 Format for Holdings Data, from memory),
// and what stands in its local part 9 as a name, a sign of equality and a value. Parts of local fields that a file has, tags 900 to
// 999, come after them.
var marcHeads = []string{"852 b", "852 c", "852 h", "852 i", "852 k", "852 p", "852 q", "852 x", "852 z",
	"852 9 material", "852 9 added_on",
	"852 9 price_minor", "852 9 parts", "852 9 parts_say", "852 9 at_branch", "852 9 standing", "852 9 aside_for",
	"852 9 home_until",
	"852 9 home_after", "852 9 own_terms", "leader 06"}

// mostHeads is how many columns a file of MARC is read as.
const mostHeads = 120

// moreHeads adds the local parts of a record that are not among some columns yet.
func moreHeads(heads []string, m *marc.Record) []string {
	for _, f := range m.Fields {
		if !local(f.Tag) {
			continue
		}
		for _, p := range f.Parts {
			if head := f.Tag + " " + p.Code; len(heads) < mostHeads && !slices.Contains(heads, head) {
				heads = append(heads, head)
			}
		}
	}
	return heads
}

func local(tag string) bool { return strings.HasPrefix(tag, "9") }

// marcMapping is where copies stand by the standard.
func marcMapping() intake.Mapping {
	from := map[string]intake.Source{
		"branch": {Columns: []string{"852 b"}}, "collection": {Columns: []string{"852 c"}},
		"call_number": {Columns: []string{"852 k", "852 h", "852 i"}}, "label": {Columns: []string{"852 p"}},
		"condition": {Columns: []string{"852 q"}}, "note": {Columns: []string{"852 x"}},
	}
	for _, name := range []string{"material", "added_on", "price_minor", "parts", "parts_say", "at_branch", "standing",
		"aside_for",
		"home_until", "home_after", "own_terms"} {
		from[name] = intake.Source{Columns: []string{"852 9 " + name}}
	}
	return intake.Mapping{From: from, Order: intake.DayFirst}
}

// copiesIn is the tag of the field in which copies stand, by the column of their labels; empty: in a file of cells.
func copiesIn(m *intake.Mapping) string {
	if label := m.From["label"].Columns; len(label) > 0 {
		tag, _, _ := strings.Cut(label[0], " ")
		return tag
	}
	return "852"
}

// rowsOf gives the rows of a record: its cells, or of MARC one for each copy, and one without any where it has none.
func rowsOf(rec *record, heads []string, tag string) [][]string {
	if rec.marc == nil {
		return [][]string{rec.cells}
	}
	var out [][]string
	for _, f := range rec.marc.All(tag) {
		out = append(out, copyOf(rec.marc, &f, heads))
	}
	if len(out) == 0 {
		return [][]string{copyOf(rec.marc, &marc.Field{}, heads)}
	}
	return out
}

// everyRow gives the rows of a record that is looked through: of MARC, all fields in which copies may stand.
func everyRow(rec *record, heads []string) [][]string {
	if rec.marc == nil {
		return [][]string{rec.cells}
	}
	var out [][]string
	for _, f := range rec.marc.Fields {
		if f.Tag == "852" || local(f.Tag) {
			out = append(out, copyOf(rec.marc, &f, heads))
		}
	}
	return out
}

func copyOf(m *marc.Record, f *marc.Field, heads []string) []string {
	cells := make([]string, len(heads))
	for k, head := range heads {
		parts := strings.SplitN(head, " ", 3)
		switch {
		case parts[0] == "leader":
			cells[k] = m.Leader[min(6, len(m.Leader)):min(7, len(m.Leader))]
		case parts[0] != f.Tag:
		case len(parts) == 3:
			for _, p := range f.Get(parts[1]) {
				if value, ok := strings.CutPrefix(p, parts[2]+"="); ok {
					cells[k] = value
				}
			}
		default:
			cells[k] = strings.Join(f.Get(parts[1]), " ")
		}
	}
	return cells
}
