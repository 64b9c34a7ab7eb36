// Package describe says of every file that Nevrin reads what stands in it: as JSON Schema (draft 2020-12), and as a page for people. Both
// come from one description, which tests hold to the readers themselves.
package describe

import (
	"encoding/json"
	"fmt"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/intake"
	"nevrin/core/rulebook"
)

// Schema is the part of JSON Schema that the files need.
type Schema struct {
	Dialect    string             `json:"$schema,omitempty"`
	ID         string             `json:"$id,omitempty"`
	Title      string             `json:"title,omitempty"`
	Says       string             `json:"description,omitempty"`
	Type       any                `json:"type,omitempty"` // a name, or several
	Const      string             `json:"const,omitempty"`
	Enum       []string           `json:"enum,omitempty"`
	Pattern    string             `json:"pattern,omitempty"`
	Format     string             `json:"format,omitempty"`
	Minimum    *int               `json:"minimum,omitempty"`
	Items      *Schema            `json:"items,omitempty"`
	Least      int                `json:"minItems,omitempty"`
	Most       int                `json:"maxItems,omitempty"`
	Unique     bool               `json:"uniqueItems,omitempty"`
	Properties map[string]*Schema `json:"properties,omitempty"`
	Keys       *Schema            `json:"propertyNames,omitempty"`
	Others     any                `json:"additionalProperties,omitempty"`
	Required   []string           `json:"required,omitempty"`
	AnyOf      []Schema           `json:"anyOf,omitempty"`

	order []string // of its properties, for people
}

// File is one kind of file with an example.
type File struct {
	Name    string // for people
	Says    string
	Schema  *Schema
	Example string
}

type field struct {
	name string
	must bool
	is   *Schema
}

func must(name, says string, is Schema) field { is.Says = says; return field{name, true, &is} }
func may(name, says string, is Schema) field  { is.Says = says; return field{name, false, &is} }

func object(fields ...field) Schema {
	s := Schema{Type: "object", Properties: map[string]*Schema{}, Others: false}
	for _, f := range fields {
		s.Properties[f.name] = f.is
		s.order = append(s.order, f.name)
		if f.must {
			s.Required = append(s.Required, f.name)
		}
	}
	return s
}

func list(of Schema) Schema      { return Schema{Type: "array", Items: &of} }
func like(pattern string) Schema { return Schema{Type: "string", Pattern: pattern} }

var (
	text    = Schema{Type: "string"}
	yesNo   = Schema{Type: "boolean"}
	whole   = Schema{Type: "integer", Minimum: new(int)}
	date    = Schema{Type: "string", Format: "date"}
	code    = like(`^\S{1,40}$`)
	zone    = Schema{Type: "string"}
	instant = like(`^\d{4}-\d\d-\d\dT\d\d:\d\d`)
	due     = like(`^\d{4}-\d\d-\d\d(T\d\d:\d\d.*)?$`)
	span    = like(`^\d\d:\d\d-\d\d:\d\d$`)
	minute  = like(`^\d\d:\d\d$`)
	sum     = like(`^\d+(\.\d+)?$`)
	dayKey  = Schema{Type: "string", Enum: calendar.DayKeys[:]}
)

// week is hours by day.
func week() Schema {
	var days []field
	for k := range calendar.DayKeys {
		days = append(days, may(calendar.DayKeys[(k+1)%7], "Hours of that day of the week; missing: closed", list(span)))
	}
	return object(days...)
}

func branch(more ...field) Schema {
	return object(append([]field{
		must("code", "Its code. A network wants three capital letters, such as HVH", code),
		may("name", "What people call it; a network needs one", text),
		may("zone", "The zone to which rules may refer as zone:NAME", text),
		must("timezone", "Time zone of the IANA database, such as America/Halifax", zone),
		may("hours", "When it is open in a week; a network needs some", week()),
		may("closures", "When it is closed", list(object(
			must("from", "The first day", date), may("to", "The last day; missing: the first", date), may("name", "Why", text)))),
		may("openings", "Special days, which count before week and closures", list(object(
			must("date", "The day", date), must("hours", "When it is open then", list(span)), may("name", "Why", text)))),
	}, more...)...)
}

func terms() Schema {
	var all []field
	for i := range rulebook.All {
		info := &rulebook.All[i]
		s := map[rulebook.Kind]Schema{
			rulebook.KindDuration: like(`^P(\d+W)?(\d+D)?(T(\d+H)?(\d+M)?)?$`), rulebook.KindDates: list(date),
			rulebook.KindChoice: {Type: "string", Enum: info.Choices}, rulebook.KindNumber: whole, rulebook.KindMoney: sum,
			rulebook.KindYesNo: yesNo,
		}[info.Kind]
		if info.Nullable {
			s.Type = []any{s.Type, "null"}
		}
		all = append(all, may(info.ID, info.Meaning, s))
	}
	return object(all...)
}

func dimensions(of Schema, says string) []field {
	var out []field
	for k, id := range rulebook.DimensionIDs {
		out = append(out, may(id, strings.ToUpper(rulebook.DimensionNames[k][:1])+rulebook.DimensionNames[k][1:]+says, of))
	}
	return out
}

func rulebookFile() File {
	given := dimensions(text, " of the loan")
	given[rulebook.LendingBranch].must = true
	given = append(given,
		must("lent", "When it is lent, by the clock of the lending branch", instant),
		may("price", "Price of the item", sum),
		may("due", "Due then, instead of what the rules say", due),
		may("renewed", "When it was renewed", instant),
		may("returned", "When it came back", instant),
		may("counted_as", "As when the return counts, if not as then", due),
		may("days_let_off", "Days of lateness that are let off", whole),
		may("item_terms", "Terms of the item itself", terms()),
	)
	orNull := func(s Schema) Schema { s.Type = []any{s.Type, "null"}; return s }
	ranking := list(Schema{Type: "string", Enum: rulebook.DimensionIDs[:]})
	ranking.Least, ranking.Most, ranking.Unique = 5, 5, true
	s := object(
		must("format", "Which form the file has", Schema{Const: rulebook.Format}),
		must("currency", "Currency of ISO 4217; sums have its decimals", like(`^[A-Z]{3}$`)),
		must("branches", "All branches, with their hours", list(branch())),
		may("ranking", "Which dimension of a rule weighs most, the first first; missing: "+strings.Join(rulebook.DefaultRanking.IDs(), ", "), ranking),
		must("rules", "The rules; one of them, the base rule, has an empty scope", list(object(
			must("id", "Its name in the file", text), may("name", "Its name for people", text),
			must("scope", "For what it holds; empty: for everything", object(dimensions(list(text), ": where it applies; branches by code or as zone:NAME")...)),
			must("terms", "What it settles; docs/terms.md has each term with its default", terms())))),
		may("examples", "Loans, and what should come of them", list(object(
			must("name", "What people call it", text), must("given", "The loan", object(given...)),
			may("expect", "What should come of it; what is missing is not looked at", object(
				may("due", "When it is due", due), may("units_late", "How many units it was late", orNull(whole)),
				may("units_charged", "How many of them are charged", orNull(whole)), may("fine", "What that costs", orNull(sum)),
				may("terms", "Terms that hold", terms())))))),
	)
	return File{"Rulebook", "Branches, rules and examples: for `nevrin rulebook check`, `nevrin setup` and Rulebook, File.", &s, `{
  "format": "` + rulebook.Format + `",
  "currency": "CAD",
  "branches": [
    {"code": "HVH", "name": "Havenhead", "zone": "centre", "timezone": "America/Halifax",
     "hours": {"mon": ["09:00-20:00"], "tue": ["09:00-12:00", "13:00-20:00"]},
     "closures": [{"from": "2026-12-24", "to": "2026-12-26", "name": "Holidays"}],
     "openings": [{"date": "2026-10-11", "hours": ["10:00-16:00"], "name": "Open Sunday"}]}
  ],
  "rules": [
    {"id": "base", "name": "Base rule", "scope": {}, "terms": {"loan_period": "P21D", "fine_rate": "0.25", "owed_limit": null}},
    {"id": "films", "name": "Films go out for a week", "scope": {"lending_branch": ["zone:centre"], "material_class": ["film"]},
     "terms": {"loan_period": "P7D", "lending_allowed": true}}
  ],
  "examples": [
    {"name": "A film for an adult",
     "given": {"lending_branch": "HVH", "home_branch": "HVH", "collection": "general", "material_class": "film",
               "patron_class": "adult", "lent": "2026-10-06T10:00", "returned": "2026-10-13T11:00", "price": "20.00"},
     "expect": {"due": "2026-10-13", "fine": "0.00"}}
  ]
}`}
}

func courierFile() File {
	orNull := func(s Schema) Schema { s.Type = []any{s.Type, "null"}; return s }
	s := object(
		must("format", "Which form the file has", Schema{Const: courier.Format}),
		must("timezone", "By whose clock runs go", zone),
		must("branches", "The branches, as in a rulebook", list(branch(
			may("sort_minutes", "Open minutes from ready to aboard", whole), may("receive_minutes", "Open minutes from arrived to on the shelf", whole)))),
		must("runs", "The runs", list(object(
			must("id", "Its name in the file", text), may("name", "Its name for people", text),
			must("days", "Days of the week on which it goes", list(dayKey)),

			may("not_on", "Days on which it does not go", list(date)),
			may("from", "The first day on which it goes", date), may("until", "The last day", date),
			may("late", "By how many minutes it is late, by day", Schema{Type: "object", Keys: &Schema{Format: "date"}, Others: whole}),
			must("stops", "Where it stops, in order", list(object(
				must("branch", "Code of the branch", code), may("arrive", "When it comes; missing at the first stop", minute),
				may("depart", "When it leaves; missing at the last stop", minute))))))),
		may("asks", "Questions: when does what is ready here get there", list(object(
			must("from", "Code of the branch where it is", code), must("to", "Code of the branch to which it goes", code),
			must("ready", "From when on it is ready", instant),
			may("expect", "What should come of it; null: it never comes", object(may("arrives", "When it comes", orNull(instant)),
				may("on_shelf", "When it stands on the shelf", orNull(instant))))))),
	)
	return File{"Courier", "Runs between branches: for `nevrin courier ask` and `nevrin setup --courier`.", &s, `{
  "format": "` + courier.Format + `",
  "timezone": "America/Halifax",
  "branches": [
    {"code": "HVH", "timezone": "America/Halifax", "hours": {"tue": ["09:00-20:00"]}, "sort_minutes": 45, "receive_minutes": 30},
    {"code": "SLM", "timezone": "America/Halifax", "hours": {"tue": ["10:00-18:00"]}, "sort_minutes": 20, "receive_minutes": 30}
  ],
  "runs": [
    {"id": "south", "name": "South coast", "days": ["tue", "thu"], "not_on": ["2026-12-24"], "late": {"2026-10-13": 20},
     "stops": [{"branch": "HVH", "depart": "08:30"}, {"branch": "SLM", "arrive": "09:20", "depart": "09:35"},
               {"branch": "HVH", "arrive": "10:30"}]}
  ],
  "asks": [{"from": "HVH", "to": "SLM", "ready": "2026-10-06T09:00"}]
}`}
}

// Files are those in JSON.
func Files() []File {
	out := []File{rulebookFile(), courierFile()}
	for k, format := range []string{rulebook.Format, courier.Format} {
		out[k].Schema.Dialect = dialect
		out[k].Schema.ID, out[k].Schema.Title = "urn:"+strings.ReplaceAll(format, "/", ":"), out[k].Name
	}
	return out
}

// dialect is the edition of JSON Schema.
const dialect = "https://json-schema.org/draft/2020-12/schema"

// Rows are the tables that move in: a row of each kind, its cells by the names of fields. A table may call its columns anything.
func Rows() map[intake.Kind]*Schema {
	out := map[intake.Kind]*Schema{}
	for _, k := range intake.Kinds {
		var fields []field
		for _, f := range intake.Fields(k) {
			cell := Schema{Type: "string"}
			says := f.Says + " (" + strings.ReplaceAll(string(f.Form), "_", " ") + ")"
			if codes := f.Form.Codes(); codes != nil {
				says = f.Says + ", as " + strings.Join(codes, ", ")
			}
			if f.Must {
				fields = append(fields, must(f.Name, says, cell))
			} else {
				fields = append(fields, may(f.Name, says, cell))
			}
		}
		s := object(fields...)
		for _, name := range intake.OneOf[k] {
			s.AnyOf = append(s.AnyOf, Schema{Required: []string{name}})
		}
		s.Dialect, s.ID, s.Title = dialect, "urn:nevrin-moving-in:"+string(k), "A row of "+string(k)
		out[k] = &s
	}
	return out
}

// JSON is all schemas: those of files in JSON by the format that they describe, those of rows by moving-in and the kind.
func JSON() ([]byte, error) {
	out := map[string]*Schema{}
	for _, f := range Files() {
		out[f.Schema.Properties["format"].Const] = f.Schema
	}
	for k, s := range Rows() {
		out["moving-in/"+string(k)] = s
	}
	return json.MarshalIndent(out, "", "  ")
}

// Page is the same for people, and what files that move in may say.
func Page() string {
	var b strings.Builder
	b.WriteString("# The files\n\nWritten by `nevrin describe --files=page`; do not edit. `nevrin describe --files` prints the same as JSON Schema.\n" +
		"Rulebook and courier are text in UTF-8; what is not listed here is refused, with its place in the file.\n")
	for _, f := range Files() {
		fmt.Fprintf(&b, "\n## %s\n\n%s\n\n```json\n%s\n```\n\n| field | must | what it is |\n|---|---|---|\n", f.Name, f.Says, f.Example)
		rows(&b, f.Schema, "")
	}
	b.WriteString("\n## Calendars\n\nCalendars, From a calendar file takes files of iCalendar (RFC 5545), as calendar programs write them. An entry of a whole day is a closure; one with" +
		" hours is a special opening, of which two of one name on a day are its morning and its afternoon; one that recurs stands as often as its" +
		" rule says.\n\n```\nBEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Example//Calendar//EN\nBEGIN:VEVENT\nUID:1@library.example\nDTSTAMP:20261001T000000Z\n" +
		"DTSTART;VALUE=DATE:20261224\nDTEND;VALUE=DATE:20261227\nSUMMARY:Holidays\nEND:VEVENT\nEND:VCALENDAR\n```\n")
	b.WriteString("\n## Import\n\nNetwork, Import takes tables as CSV, with any separator, and for titles MARC 21 (ISO 2709 or MARCXML). Columns may be called" +
		" anything: what they are is said once, and proposed for the next file. Heads that are known in English, German, French and Spanish are" +
		" proposed at once. Text may be in UTF-8, UTF-16 or Windows-1252. A file is tested before anything is imported.\n")
	for _, k := range intake.Kinds {
		fmt.Fprintf(&b, "\n### %s\n\n| field | must | what it is | form |\n|---|---|---|---|\n", strings.ToUpper(string(k[:1]))+string(k[1:]))
		for _, f := range intake.Fields(k) {
			fmt.Fprintf(&b, "| `%s` | %s | %s | %s |\n", f.Name, yes(f.Must), f.Says, strings.ReplaceAll(string(f.Form), "_", " "))
		}
		if one := intake.OneOf[k]; len(one) > 0 {
			fmt.Fprintf(&b, "\nOne of these is needed: %s.\n", strings.Join(one, ", "))
		}
	}
	return b.String()
}

func yes(is bool) string {
	if is {
		return "yes"
	}
	return ""
}

// rows are the fields of an object, those of what it holds after each.
func rows(b *strings.Builder, s *Schema, at string) {
	for _, name := range s.order {
		f, path := s.Properties[name], at+name
		must := false
		for _, r := range s.Required {
			must = must || r == name
		}
		fmt.Fprintf(b, "| `%s` | %s | %s |\n", path, yes(must), strings.ReplaceAll(f.Says, "|", "\\|"))
		inner := f
		if f.Items != nil {
			inner, path = f.Items, path+"[]"
		}
		if name != "terms" && name != "item_terms" { // docs/terms.md has them
			rows(b, inner, path+".")
		}
	}
}
