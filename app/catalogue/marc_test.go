package catalogue_test

import (
	"encoding/json"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/problem"
	"nevrin/core/role"
	"nevrin/formats/marc"
	"nevrin/testkit"
)

// The marks with which records end their parts are left out, names turned, numbers read; as catalogue records are punctuated
// (ISBD, from memory).
func TestWhatARecordSays(t *testing.T) {
	m := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{
		{Tag: "008", Value: "261006s2019    nscf          000 0 eng d"},
		marc.Data("020", "  ", "a", "92-95055-02-0 (pbk.) :", "c", "$12.00"),
		marc.Data("020", "  ", "a", "9780306406157"),
		marc.Data("020", "  ", "a", "not a number"),
		marc.Data("022", "  ", "a", "0317-8471"),
		marc.Data("100", "1 ", "a", "Veldt, Ulla,", "e", "author."),
		marc.Data("245", "14", "a", "The ledger of small ferries :", "b", "a coast in figures /", "c", "Ulla Veldt Jr."),
		marc.Data("250", "  ", "a", "2nd ed."),
		marc.Data("264", " 1", "a", "Havenhead :", "b", "Lantern & Oar,", "c", "[2019]"),
		marc.Data("300", "  ", "a", "211 pages ;", "c", "22 cm"),
		marc.Data("490", "1 ", "a", "Coast library ;", "v", "7"),
		marc.Data("650", " 0", "a", "Ferries", "x", "History."),
		marc.Data("650", " 0", "a", "Ferries", "x", "History."),
	}}
	r := catalogue.FromMARC(m)
	assert.Equal(t, catalogue.Record{
		Name: "The ledger of small ferries: a coast in figures", Author: "Ulla Veldt", ISBN: "9789295055025",
		Numbers: []string{"9780306406157", "0317-8471"}, Year: new(2019), Edition: "2nd ed.", Publisher: "Lantern & Oar", Language: "eng",
		Series: "Coast library; 7", Subjects: []string{"Ferries – History"}, Extent: "211 pages",
	}, r)
	assert.Empty(t, catalogue.FromMARC(&marc.Record{Leader: marc.LeaderOfBook}).Name, "without a title")
}

// What was taken from a record goes out as it came; what is changed here is changed there, and nothing else.
func TestRecordsGoOutAgain(t *testing.T) {
	m := &marc.Record{Leader: marc.LeaderOfBook, Fields: []marc.Field{
		{Tag: "001", Value: "x1"}, marc.Data("100", "1 ", "a", "Veldt, Ulla,"), marc.Data("245", "14", "a", "Small ferries /", "c", "U. V."),
		marc.Data("500", "  ", "a", "A note that nothing here knows of"),
	}}
	kept, err := json.Marshal(m)
	require.NoError(t, err)
	r := catalogue.FromMARC(m)
	out, err := r.ToMARC(kept, "x1")
	require.NoError(t, err)
	assert.Equal(t, m.Fields, out.Fields)
	r.Edition = "Third edition"
	out, err = r.ToMARC(kept, "x1")
	require.NoError(t, err)
	assert.Len(t, out.Fields, len(m.Fields)+1)
	assert.Equal(t, r, catalogue.FromMARC(out))
	// Whatever somebody writes by hand, the record that goes out says the same when it is read again.
	rapid.Check(t, func(t *rapid.T) {
		text := func(label string) string {
			return rapid.StringMatching(`([A-Z][a-zčø]{1,8}( [a-z]{2,8}){0,3})?`).Draw(t, label)
		}
		r := catalogue.Record{
			Name: "N" + text("name"), Author: text("author"), Edition: text("edition"), Publisher: text("publisher"), Series: text("series"),
			Summary: text("summary"), Extent: text("extent"), Numbers: []string{}, Subjects: []string{},
		}
		if rapid.Bool().Draw(t, "numbered") {
			r.ISBN, r.Numbers, r.Year = "9789295055025", []string{"0317-8471"}, new(rapid.IntRange(1500, 2100).Draw(t, "year"))
			r.Subjects, r.Language = []string{"S" + text("subject")}, "deu"
		}
		m, err := r.ToMARC(nil, "1")
		require.NoError(t, err)
		assert.Equal(t, r, catalogue.FromMARC(m))
	})
}

// A title is added once: two who add the same number at once are told, unless it is another one on purpose.
func TestAddingTitles(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	add := func(in catalogue.Adding) (*catalogue.Shown, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*catalogue.Shown, error) { return catalogue.Add(a, in) })
	}
	record := catalogue.Record{Name: " Small ferries ", ISBN: "92-95055-02-0", Numbers: []string{"0317-8471", " "}, Subjects: []string{"Ferries; boats", ""}}
	got, err := add(catalogue.Adding{Record: record, Source: "Coast Records rs1"})
	require.NoError(t, err)
	assert.Equal(t, "Small ferries", got.Name)
	assert.Equal(t, "9789295055025", got.ISBN)
	assert.Equal(t, []string{"Ferries, boats"}, got.Subjects)
	errs := make(chan error, 6)
	other := record
	other.ISBN = "9780306406157"
	for range cap(errs) {
		go func() {
			_, err := add(catalogue.Adding{Record: other})
			errs <- err
		}()
	}
	refused := 0
	for range cap(errs) {
		if err := <-errs; err != nil {
			var p *problem.Problem
			require.True(t, errors.As(err, &p))
			assert.Contains(t, p.Text, "Add copies to it, or mark yours as a different title.")
			refused++
		}
	}
	assert.Equal(t, 5, refused)
	_, err = add(catalogue.Adding{Record: other, Twice: true})
	require.NoError(t, err)
	for says, in := range map[string]catalogue.Adding{
		"This record was already added, as \"Small ferries\"": {Record: other, Source: "Coast Records rs1", Twice: true},
		"Enter a title.": {Record: catalogue.Record{Name: "  "}},
		"\"9780306406150\" is not a valid ISBN: the check digit is wrong. Scan it again, or type it from the book.": {Record: catalogue.Record{Name: "x", ISBN: "9780306406150"}},
		"is not an ISBN or ISSN, or a digit is wrong.":                                                              {Record: catalogue.Record{Name: "x", Numbers: []string{"12"}}},
		"three small letters": {Record: catalogue.Record{Name: "x", Language: "English"}},
	} {
		_, err := add(in)
		assert.ErrorContains(t, err, says)
	}
	change := func(revision int, name string) error {
		_, err := testkit.Try(w.House, here, func(a *act.Act) (*catalogue.Shown, error) {
			return catalogue.Change(a, got.ID, catalogue.Changing{Record: catalogue.Record{Name: name}, Revision: revision})
		})
		return err
	}
	require.NoError(t, change(1, "Smaller ferries"))
	assert.ErrorContains(t, change(1, "Smallest ferries"), "changed this title meanwhile")
	assert.Equal(t, "Smaller ferries", w.Ask("SELECT name FROM titles WHERE id = ?", got.ID))
}
