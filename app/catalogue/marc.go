package catalogue

import (
	"encoding/json"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"nevrin/core/ident"
	"nevrin/formats/marc"
)

// Record is the description of a title.
type Record struct {
	Name      string   `json:"name" maxLength:"500"`
	Author    string   `json:"author" maxLength:"300"`
	ISBN      string   `json:"isbn" maxLength:"20"`
	Numbers   []string `json:"numbers" maxItems:"40" nullable:"false" doc:"Further ISBN and ISSN"`
	Year      *int     `json:"year" minimum:"1000" maximum:"2200"`
	Edition   string   `json:"edition" maxLength:"200"`
	Publisher string   `json:"publisher" maxLength:"300"`
	Language  string   `json:"language" maxLength:"3" doc:"Three letters of ISO 639-2"`
	Series    string   `json:"series" maxLength:"500"`
	Subjects  []string `json:"subjects" maxItems:"60" nullable:"false"`
	Summary   string   `json:"summary" maxLength:"4000"`
	Extent    string   `json:"extent" maxLength:"200" doc:"How much it is: pages, discs, pieces"`
}

// FromMARC reads what a MARC 21 record says of a title (MARC 21 Format for Bibliographic Data, from memory). What it does not
// say stays empty; numbers that are none are left out.
func FromMARC(m *marc.Record) Record {
	r := Record{
		Name:      joined(m, "245", "abnp"),
		Author:    author(m),
		Edition:   joined(m, "250", "ab"),
		Publisher: joinedAny(m, "b", "264", "260"),
		Extent:    joined(m, "300", "a"),
		Series:    joinedAny(m, "av", "490", "830"),
		Summary:   joined(m, "520", "ab"),
		Language:  language(m),
		Year:      year(m),
		Numbers:   []string{},
		Subjects:  []string{},
	}
	for _, f := range m.All("020", "022") {
		number, says := ident.ISBN(firstWord(f.First("a")))
		if f.Tag == "022" {
			number, says = ident.ISSN(firstWord(f.First("a")))
		}
		switch {
		case says != "" || number == r.ISBN || slices.Contains(r.Numbers, number):
		case f.Tag == "020" && r.ISBN == "":
			r.ISBN = number
		default:
			r.Numbers = append(r.Numbers, number)
		}
	}
	for _, f := range m.All("650", "651", "655", "600", "610") {
		if s := trim(strings.Join(f.Get("axyz"), " – ")); s != "" && !slices.Contains(r.Subjects, s) {
			r.Subjects = append(r.Subjects, s)
		}
	}
	r.cut()
	return r
}

// cut shortens what is longer than a record can be: records of others have no bounds.
func (r *Record) cut() {
	for text, most := range map[*string]int{
		&r.Name: 500, &r.Author: 300, &r.Edition: 200, &r.Publisher: 300, &r.Series: 500, &r.Summary: 4000,
		&r.Extent: 200,
	} {
		if letters := []rune(*text); len(letters) > most {
			*text = string(letters[:most-1]) + "…"
		}
	}
	r.Numbers, r.Subjects = r.Numbers[:min(len(r.Numbers), 40)], r.Subjects[:min(len(r.Subjects), 60)]
}

func joined(m *marc.Record, tag, codes string) string {
	for _, f := range m.All(tag) {
		if text := trim(strings.Join(f.Get(codes), " ")); text != "" {
			return text
		}
	}
	return ""
}

func joinedAny(m *marc.Record, codes string, tags ...string) string {
	for _, tag := range tags {
		if text := joined(m, tag, codes); text != "" {
			return text
		}
	}
	return ""
}

// author is the first who is named: a person as written in full, a body, or who is said to be responsible.
func author(m *marc.Record) string {
	for _, tag := range []string{"100", "700"} {
		if name := joined(m, tag, "a"); name != "" {
			return forward(name)
		}
	}
	return joinedAny(m, "a", "110", "111", "710")
}

// forward turns a name that has the family name first.
func forward(name string) string {
	family, given, ok := strings.Cut(name, ", ")
	if !ok || strings.Contains(given, ",") {
		return name
	}
	return given + " " + family
}

var (
	years     = regexp.MustCompile(`[12][0-9]{3}`)
	languages = regexp.MustCompile(`^[a-z]{3}$`)
)

func year(m *marc.Record) *int {
	texts := []string{joinedAny(m, "c", "264", "260")}
	if fixed := m.Value("008"); len(fixed) >= 11 {
		texts = append(texts, fixed[7:11])
	}
	for _, text := range texts {
		if found := years.FindString(text); found != "" {
			n, _ := strconv.Atoi(found)
			if n <= 2200 {
				return &n
			}
		}
	}
	return nil
}

func language(m *marc.Record) string {
	fixed := m.Value("008")
	for _, text := range []string{joined(m, "041", "a"), strings.TrimSpace(fixed[min(len(fixed), 35):min(len(fixed),
		38)])} {
		if languages.MatchString(text) && text != "und" && text != "zxx" {
			return text
		}
	}
	return ""
}

// trim takes off the marks with which records end their parts.
func trim(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	text = strings.TrimRight(text, " /:;,=")
	if strings.HasSuffix(text, ".") && !endsInShort.MatchString(text) {
		text = strings.TrimSuffix(text, ".")
	}
	return strings.NewReplacer(" : ", ": ", " ; ", "; ").Replace(text)
}

// endsInShort is a text that ends in something shortened, whose full stop belongs to it: an initial, or a short word.
var endsInShort = regexp.MustCompile(`(^|[ .])([A-Z]|[Jj]r|[Ss]r|ed|etc|vol|p)\.$`)

func firstWord(text string) string {
	word, _, _ := strings.Cut(strings.TrimSpace(text), " ")
	return word
}

// ToMARC gives a title as a MARC 21 record: as it came, with what is known now in the place of what it said. Since a record knows
// more than is kept apart here, a part that says the same as before stays as it was written.
func (r *Record) ToMARC(kept json.RawMessage, number string) (*marc.Record, error) {
	m := &marc.Record{Leader: marc.LeaderOfBook}
	if len(kept) > 0 {
		if err := json.Unmarshal(kept, m); err != nil {
			return nil, err
		}
	}
	m.Put("001", marc.Field{Tag: "001", Value: number})
	said := FromMARC(m)
	if said.Name != r.Name {
		m.Put("245", marc.Data("245", "00", "a", r.Name, "c", r.Author))
	}
	if said.Author != r.Author {
		m.Put("100")
		m.Put("700")
		if r.Author != "" {
			m.Put("100", marc.Data("100", "0 ", "a", r.Author))
		}
	}
	if said.ISBN != r.ISBN || !slices.Equal(said.Numbers, r.Numbers) {
		r.putNumbers(m)
	}
	for _, c := range []struct{ tag, ind, code, is, was string }{
		{"250", "  ", "a", r.Edition, said.Edition}, {"300", "  ", "a", r.Extent, said.Extent},
		{"490", "0 ", "a", r.Series, said.Series}, {"520", "  ", "a", r.Summary, said.Summary},
		{"041", "0 ", "a", r.Language, said.Language},
	} {
		if c.is != c.was {
			m.Put(c.tag, filled(marc.Data(c.tag, c.ind, c.code, c.is))...)
		}
	}
	if said.Publisher != r.Publisher || !same(said.Year, r.Year) {
		m.Put("260")
		m.Put("264", filled(marc.Data("264", " 1", "b", r.Publisher, "c", sayYear(r.Year)))...)
	}
	if !slices.Equal(said.Subjects, r.Subjects) {
		for _, tag := range []string{"600", "610", "650", "651", "655"} {
			m.Put(tag)
		}
		var fields []marc.Field
		for _, s := range r.Subjects {
			fields = append(fields, marc.Data("650", " 4", "a", s))
		}
		m.Put("650", fields...)
	}
	return m, nil
}

func (r *Record) putNumbers(m *marc.Record) {
	var books, series []marc.Field
	for _, n := range append([]string{r.ISBN}, r.Numbers...) {
		switch {
		case n == "":
		case strings.Contains(n, "-"):
			series = append(series, marc.Data("022", "  ", "a", n))
		default:
			books = append(books, marc.Data("020", "  ", "a", n))
		}
	}
	m.Put("020", books...)
	m.Put("022", series...)
}

func filled(f marc.Field) []marc.Field {
	if len(f.Parts) == 0 {
		return nil
	}
	return []marc.Field{f}
}

func same(a, b *int) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

func sayYear(n *int) string {
	if n == nil {
		return ""
	}
	return strconv.Itoa(*n)
}
