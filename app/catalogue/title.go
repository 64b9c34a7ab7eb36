package catalogue

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ident"
	"nevrin/core/plain"
	"nevrin/formats/marc"
	"nevrin/store"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// Shown is a title with all that is known of it.
type Shown struct {
	ID int64 `json:"id"`
	Record
	Revision int    `json:"revision"`
	Source   string `json:"source" doc:"Where its record came from, and its number there"`
	Copies   int64  `json:"copies"`
	Free     int64  `json:"free" doc:"Copies on the shelf, wherever"`
	Waiting  int64  `json:"waiting" doc:"Holds that wait"`
	Cover    bool   `json:"cover"`
	Raw      string `json:"raw" doc:"The record as it came, field by field; empty: it was written by hand"`
}

// OneTitle shows a title.
func OneTitle(a *act.Act, id int64) (*Shown, error) {
	t, err := stockdb.OneTitle(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if t == nil {
		return nil, problem.NoSuch("title")
	}
	out := &Shown{
		ID: t.ID, Record: RecordOf(&t.Title), Revision: t.Revision, Source: t.Source, Copies: t.Copies, Free: t.Free,
		Waiting: t.Waiting, Cover: t.Cover,
	}
	if len(t.Record) > 0 {
		var m marc.Record
		if err := json.Unmarshal(t.Record, &m); err != nil {
			return nil, err
		}
		out.Raw = lines(&m)
	}
	return out, nil
}

// lines writes a record for reading: a field a line.
func lines(m *marc.Record) string {
	var out strings.Builder
	for _, f := range m.Fields {
		if marc.Control(f.Tag) {
			fmt.Fprintf(&out, "%s    %s\n", f.Tag, f.Value)
			continue
		}
		fmt.Fprintf(&out, "%s %s", f.Tag, strings.ReplaceAll(f.Ind, " ", "·"))
		for _, p := range f.Parts {
			fmt.Fprintf(&out, "  %s: %s", p.Code, p.Value)
		}
		out.WriteByte('\n')
	}
	return out.String()
}

// RecordOf gives the description of a title.
func RecordOf(t *stockdb.Title) Record {
	r := Record{
		Name: t.Name, Author: t.Author, ISBN: t.ISBN, Year: t.Year, Edition: t.Edition, Publisher: t.Publisher,
		Language: t.Language, Series: t.Series, Summary: t.Summary, Extent: t.Extent,
		Numbers:  strings.Fields(t.Numbers),
		Subjects: []string{},
	}
	if t.Subjects != "" {
		r.Subjects = strings.Split(t.Subjects, "; ")
	}
	return r
}

// Into writes a record into a title, after looking whether it can be one.
func (r *Record) Into(t *stockdb.Title) error {
	trimmed := *r
	for _, text := range []*string{
		&trimmed.Name, &trimmed.Author, &trimmed.ISBN, &trimmed.Edition, &trimmed.Publisher,
		&trimmed.Language, &trimmed.Series, &trimmed.Extent,
	} {
		*text = plain.Line(*text)
	}
	trimmed.Summary = plain.Text(trimmed.Summary)
	if trimmed.Name == "" {
		return problem.Newf(problem.Invalid, "Enter a title.")
	}
	if trimmed.Language != "" && !languages.MatchString(trimmed.Language) {
		return problem.Newf(
			problem.Invalid,
			"%q is not a language code. Enter three small letters, such as eng, fra or deu.",
			trimmed.Language,
		)
	}
	if trimmed.ISBN != "" {
		number, says := ident.ISBN(trimmed.ISBN)
		if says != "" {
			return problem.New(problem.Invalid, says)
		}
		trimmed.ISBN = number
	}
	numbers, err := further(trimmed.Numbers)
	if err != nil {
		return err
	}
	var subjects []string
	for _, s := range trimmed.Subjects {
		if s = plain.Line(strings.ReplaceAll(s, ";", ",")); s != "" {
			subjects = append(subjects, s)
		}
	}
	t.Name, t.Author, t.ISBN, t.Year, t.Edition = trimmed.Name, trimmed.Author, trimmed.ISBN, trimmed.Year,
		trimmed.Edition
	t.Publisher, t.Language, t.Series, t.Summary = trimmed.Publisher, trimmed.Language, trimmed.Series, trimmed.Summary
	t.Extent, t.Numbers, t.Subjects = trimmed.Extent, strings.Join(numbers, " "), strings.Join(subjects, "; ")
	return nil
}

func further(texts []string) ([]string, error) {
	var out []string
	for _, text := range texts {
		if strings.TrimSpace(text) == "" {
			continue
		}
		number, says := ident.ISBN(text)
		if says != "" {
			if number, says = ident.ISSN(text); says != "" {
				return nil, problem.Newf(problem.Invalid, "%q is not an ISBN or ISSN, or a digit is wrong.", text)
			}
		}
		out = append(out, number)
	}
	return out, nil
}

// Adding is a title to be added: as somebody wrote it, and the record from which they did.
type Adding struct {
	Record
	From   *marc.Record `json:"from,omitempty" doc:"The MARC record as it came"`
	Source string       `json:"source,omitempty" maxLength:"200" doc:"Where it came from, and its number there"`
	Twice  bool         `json:"twice" doc:"Though there is a title with this ISBN already"`
}

// Add writes a title down. One with the same ISBN is another printing of the same, or a mistake, so it is asked about first.
func Add(a *act.Act, in Adding) (*Shown, error) {
	t := stockdb.Title{Source: in.Source}
	if err := in.Into(&t); err != nil {
		return nil, err
	}
	// Two who add the same at once come one after the other.
	if err := peopledb.LockNames(a.Tx, "titles "+t.ISBN+t.Source); err != nil {
		return nil, err
	}
	if err := notThere(a, &t, in.Twice); err != nil {
		return nil, err
	}
	if in.From != nil {
		t.Record = store.JSON(in.From)
	}
	if err := stockdb.AddTitle(a.Tx, &t); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.TitleAdded, Detail: event.Detail{Says: "Title added: " + t.Name}})
	return OneTitle(a, t.ID)
}

func notThere(a *act.Act, t *stockdb.Title, twice bool) error {
	if t.Source != "" {
		from, err := stockdb.TitleFrom(a.Tx, t.Source)
		if err != nil {
			return err
		}
		if from != nil {
			return problem.Newf(problem.Refused, "This record was already added, as %q. Add copies to it.", from.Name)
		}
	}
	if t.ISBN == "" || twice {
		return nil
	}
	same, err := stockdb.TitlesByISBN(a.Tx, t.ISBN)
	if err == nil && len(same) > 0 {
		return problem.Newf(
			problem.Refused,
			"A title with this ISBN already exists: %q. Add copies to it, or mark yours as a different title.",
			same[0].Name,
		)
	}
	return err
}

// Changing is a title to be written anew.
type Changing struct {
	Record
	Revision int `json:"revision" doc:"At which it was read"`
}

// Change writes a title anew.
func Change(a *act.Act, id int64, in Changing) (*Shown, error) {
	t, err := stockdb.TitleLocked(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if t == nil {
		return nil, problem.NoSuch("title")
	}
	if t.Revision != in.Revision {
		return nil, problem.Newf(
			problem.Refused,
			"Somebody has changed this title meanwhile. Check it again; your changes are still here.",
		)
	}
	before := RecordOf(t)
	if err := in.Into(t); err != nil {
		return nil, err
	}
	after := RecordOf(t)
	if reflect.DeepEqual(before, after) {
		return OneTitle(a, id)
	}
	stockdb.ChangeTitle(a.Tx, t)
	a.Tell(event.Event{Kind: event.TitleChanged, Detail: event.Detail{Says: "Title changed: " + t.Name}})
	return OneTitle(a, id)
}

// SetCover writes the picture of a title.
func SetCover(a *act.Act, id int64, c stockdb.Cover) error {
	stockdb.KeepCover(a.Tx, id, c)
	return a.Tx.Flush()
}
