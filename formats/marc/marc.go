// Package marc reads and writes bibliographic records: MARC 21 in ISO 2709, and the same as MARCXML.
//
// It only reads and writes: what a field means is settled elsewhere. A record that cannot be read does not end a file; the
// next one is searched for behind its end. Letters are UTF-8 where the leader says so, or where they are UTF-8 anyway;
// otherwise MARC-8, of which Latin letters with their marks are read (ANSI/NISO Z39.47).
package marc

import (
	"slices"
	"strings"
)

// Record is one record: a leader of 24 signs, and fields in their order.
type Record struct {
	Leader string  `json:"leader"`
	Fields []Field `json:"fields"`

	// Remark is what was not as the standard has it, in a sentence, where the record could be read anyway; it goes with the
	// file and not with the record.
	Remark string `json:"-"`
}

// Field is a field. A control field (tags 001 to 009) has a value, any other two indicators and parts.
type Field struct {
	Tag   string `json:"tag"`
	Value string `json:"value,omitempty"`
	Ind   string `json:"ind,omitempty"` // two signs
	Parts []Part `json:"parts,omitempty"`
}

// Part is a subfield.
type Part struct {
	Code  string `json:"code"` // one sign
	Value string `json:"value"`
}

// LeaderOfBook is the leader of a new record of a printed book, in UTF-8.
const LeaderOfBook = "00000nam a2200000 i 4500"

// Control tells whether a tag is that of a control field.
func Control(tag string) bool { return strings.HasPrefix(tag, "00") }

// isTag tells whether a text is a tag: three letters or digits.
func isTag(text string) bool { return len(text) == 3 && alphanumeric(text) }

// isCode tells whether a text is the code of a part: one sign that can be seen.
func isCode(text string) bool { return len(text) == 1 && text[0] > ' ' && text[0] < 0x7f }

func alphanumeric(text string) bool {
	return !strings.ContainsFunc(text, func(r rune) bool {
		return (r < '0' || r > '9') && (r < 'A' || r > 'Z') && (r < 'a' || r > 'z')
	})
}

// indicators are two signs; what is none becomes a blank.
func indicators(text string) string {
	out := []byte("  ")
	for k := range min(len(text), 2) {
		if isCode(text[k : k+1]) {
			out[k] = text[k]
		}
	}
	return string(out)
}

// Data makes a field with parts, each given as its code and its value; parts without a value are left out.
func Data(tag, ind string, parts ...string) Field {
	f := Field{Tag: tag, Ind: ind}
	for k := 0; k+1 < len(parts); k += 2 {
		if parts[k+1] != "" {
			f.Parts = append(f.Parts, Part{parts[k], parts[k+1]})
		}
	}
	return f
}

// Get gives the parts of a field that have one of some codes, in their order.
func (f *Field) Get(codes string) []string {
	var out []string
	for _, p := range f.Parts {
		if strings.Contains(codes, p.Code) {
			out = append(out, p.Value)
		}
	}
	return out
}

// First gives the first part with a code; empty where there is none.
func (f *Field) First(code string) string {
	for _, p := range f.Parts {
		if p.Code == code {
			return p.Value
		}
	}
	return ""
}

// All gives the fields with one of some tags, in the order of the record.
func (r *Record) All(tags ...string) []Field {
	var out []Field
	for _, f := range r.Fields {
		if slices.Contains(tags, f.Tag) {
			out = append(out, f)
		}
	}
	return out
}

// Value gives the value of the first control field with a tag.
func (r *Record) Value(tag string) string {
	for _, f := range r.Fields {
		if f.Tag == tag {
			return f.Value
		}
	}
	return ""
}

// Put puts fields in the place of all that have their tag, in order of tags.
func (r *Record) Put(tag string, fields ...Field) {
	kept := slices.DeleteFunc(slices.Clone(r.Fields), func(f Field) bool { return f.Tag == tag })
	kept = append(kept, fields...)
	slices.SortStableFunc(kept, func(a, b Field) int { return strings.Compare(a.Tag, b.Tag) })
	r.Fields = kept
}
