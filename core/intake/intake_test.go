package intake_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/intake"
	"nevrin/core/money"
)

// ISO 8601 (from memory): year, month and day, with hyphens or without. The other ways are common practice, no source.
func TestDates(t *testing.T) {
	for text, want := range map[string][2]string{ // with the day first, with the month first
		"2026-05-31": {"2026-05-31", "2026-05-31"}, "20260531": {"2026-05-31", "2026-05-31"}, "2026/5/3": {"2026-05-03",
			"2026-05-03"},
		"31.5.2026": {"2026-05-31", ""}, "5/31/2026": {"", "2026-05-31"}, "03/04/2026": {"2026-04-03", "2026-03-04"},
		"29.2.2024": {"2024-02-29", ""}, "29.2.2023": {"", ""}, "31.4.2026": {"", ""}, "3.4.26": {"", ""},
		"2026-13-01": {"", ""},
		"0026-01-01": {"", ""}, "yesterday": {"", ""}, "": {"", ""}, "2026-05-31x": {"", ""},
	} {
		for k, order := range []intake.Order{intake.DayFirst, intake.MonthFirst} {
			d, ok := intake.ReadDate(text, order)
			assert.Equal(t, want[k] != "", ok, "%s %s", text, order)
			if ok {
				assert.Equal(t, want[k], d.String(), "%s %s", text, order)
			}
		}
	}
	assert.Equal(t, intake.MonthFirst, intake.OrderOf([]string{"Bo", "3/4/2020", "12/31/2020"}))
	assert.Equal(t, intake.DayFirst, intake.OrderOf([]string{"2020-12-31", "3/4/2020", "31.12.2020"}))
	assert.Equal(t, intake.DayFirst, intake.OrderOf(nil))
}

// Every date is read from every way of writing it.
func TestDatesComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := calendar.MakeDate(1900, 1, 1).Add(rapid.IntRange(0, 80_000).Draw(t, "day"))
		for layout, order := range map[string]intake.Order{"2006-01-02": intake.DayFirst, "20060102": intake.MonthFirst,
			"2.1.2006": intake.DayFirst,
			"1/2/2006": intake.MonthFirst, "02-01-2006": intake.DayFirst} {
			back, ok := intake.ReadDate(d.UTC().Format(layout), order)
			require.True(t, ok, layout)
			require.Equal(t, d, back, layout)
		}
	})
}

func TestInstants(t *testing.T) {
	zone, err := time.LoadLocation("America/Halifax")
	require.NoError(t, err)
	for text, want := range map[string]string{
		"2026-05-31T14:30:00Z": "2026-05-31T14:30:00Z", // RFC 3339
		"2026-05-31 14:30":     "2026-05-31T17:30:00Z", "31.5.2026 14:30:59": "2026-05-31T17:30:00Z",
		"2026-01-31": "2026-01-31T04:00:00Z",
	} {
		at, ok := intake.ReadInstant(text, intake.DayFirst, zone)
		require.True(t, ok, text)
		assert.Equal(t, want, at.UTC().Format(time.RFC3339), text)
	}
	for _, text := range []string{"", "14:30", "2026-05-31 at noon", "2026-05-31 25:00"} {
		_, ok := intake.ReadInstant(text, intake.DayFirst, zone)
		assert.False(t, ok, text)
	}
}

func TestSums(t *testing.T) {
	cad, err := money.ParseCurrency("CAD")
	require.NoError(t, err)
	for text, want := range map[string]int64{"12.50": 1250, "12,50": 1250, "3": 300, "CAD 3.5": 350, " 0.25 ": 25} {
		got, ok := intake.ReadSum(text, cad)
		assert.True(t, ok, text)
		assert.Equal(t, want, int64(got), text)
	}
	for _, text := range []string{"", "-3", "1.234,50", "1,234", "12.345", "much"} {
		_, ok := intake.ReadSum(text, cad)
		assert.False(t, ok, "%s would be guessed at", text)
	}
	for text, want := range map[string]bool{"yes": true, "Y": true, "1": true, "TRUE": true, "no": false, "0": false,
		"f": false} {
		got, ok := intake.ReadYesNo(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, got, text)
	}
	_, ok := intake.ReadYesNo("perhaps")
	assert.False(t, ok)
}

// Heads are known in German, French and Spanish, whatever their case, accents and signs, and each field once.
func TestHeadsOfOtherLanguages(t *testing.T) {
	for k, c := range map[intake.Kind][2][]string{
		intake.Patrons: {
			{"Ausweis-Nr.", "Ausweisnummer", "NACHNAME", "Vorname", "Geburtsdatum:", "Straße", "PLZ", "Ort", "E-Mail", "Gültig bis", "Zweigstelle"},
			{"", "card", "family_name", "given_name", "born", "address", "postal_code", "town", "email", "card_until", "branch"},
		},
		intake.Stock: {
			{"Titre", "Auteur", "Éditeur", "Année", "Cote", "Code-barres", "Prix", "Bibliothèque", "ISBN"},
			{"title", "author", "publisher", "year", "call_number", "label", "price", "branch", "isbn"},
		},
		intake.Loans: {
			{"Código de barras", "Tarjeta", "Biblioteca", "Fecha de préstamo", "Fecha de devolución", "Renovaciones"},
			{"label", "card", "branch", "lent_at", "due_date", "renewals"},
		},
		intake.Holds: {
			{"ISBN", "Kartennummer", "Abholort", "Vorgemerkt am", "Rang"},
			{"isbn", "card", "pickup", "placed_at", "place"},
		},
		intake.Balances: {{"carte", "montant", "libellé", "fecha"}, {"card", "left", "text", "charged_at"}},
	} {
		m := intake.Guess(k, c[0])
		for n, field := range c[1] {
			if field != "" {
				assert.Equal(t, c[0][n:n+1], m.From[field].Columns, "%s: %s", k, field)
			}
		}
		assert.NotContains(t, m.From, "")
	}
}

// A mapping is proposed by heads, each column once, the very name before one that is called alike.
func TestMappings(t *testing.T) {
	m := intake.Guess(intake.Patrons, []string{"Barcode", "card", "Last Name", "first-name", "E_MAIL", "Home Branch",
		"Category", "Shoe size"})
	got := map[string]string{}
	for f, s := range m.From {
		got[f] = s.Columns[0]
	}
	assert.Equal(t, map[string]string{"card": "card", "family_name": "Last Name", "given_name": "first-name",
		"email": "E_MAIL", "branch": "Home Branch",
		"class": "Category"}, got)
	heads := []string{"card", "name", "kind"}
	for says, m := range map[string]intake.Mapping{
		`nothing is mapped to "Card"`:         {From: map[string]intake.Source{}},
		`nothing is mapped to "Patron class"`: {From: map[string]intake.Source{"card": {Columns: heads[:1]}}},
		`the file has no column "x"`: {From: map[string]intake.Source{"card": {Columns: []string{"x"}},
			"class": {Always: "adult"}, "branch": {Always: "HVH"}}},
		"nothing is mapped to legal_name": {From: map[string]intake.Source{"card": {Columns: heads[:1]},
			"class": {Always: "adult"}, "branch": {Always: "HVH"}}},
		`there is no field "shoes"`: {From: map[string]intake.Source{"card": {Columns: heads[:1]},
			"class": {Always: "adult"}, "branch": {Always: "HVH"},
			"shoes": {Always: "9"}}},
	} {
		m.Order = intake.DayFirst
		assert.ErrorContains(t, m.Check(intake.Patrons, heads), says)
	}
	whole := intake.Mapping{Order: intake.DayFirst, From: map[string]intake.Source{
		"card": {Columns: []string{"card"}}, "legal_name": {Columns: []string{"name", "kind"}}, "branch": {Always: "HVH"},
		"class": {Columns: []string{"kind"}, Codes: map[string]string{"A": "adult"}, Always: "child"},
	}}
	require.NoError(t, whole.Check(intake.Patrons, heads))
	read := func(kind string) intake.Row {
		r := whole.Read(intake.Patrons, func(c string) string {
			return map[string]string{"card": " 1 ", "name": "Bo",
				"kind": kind}[c]
		})
		r.Known(intake.Patrons, func(f intake.Form, text string) string {
			if f != intake.Class {
				return text
			}
			return intake.Ours([]intake.Code{{"adult", "Adult"}, {"child", "Child"}}, text)
		})
		return r
	}
	r := read("A")
	assert.Equal(t, map[string]string{"card": "1", "legal_name": "Bo A", "class": "adult", "branch": "HVH"}, r.Texts)
	assert.Empty(t, r.Left(intake.Patrons))
	r = read("")
	assert.Equal(t, "child", r.Texts["class"])
	r = read("VIP")
	assert.Contains(t, r.Left(intake.Patrons), `"VIP" is unknown`)
}

func TestWhatBecomesOfALine(t *testing.T) {
	before := func(digest string, touched bool) *intake.Before {
		return &intake.Before{Digest: digest, Touched: touched}
	}
	for _, c := range []struct {
		before  *intake.Before
		fixed   bool
		becomes intake.Outcome
		says    string
	}{
		{nil, false, intake.New, ""}, {nil, true, intake.New, ""},
		{before("a", false), false, intake.Same, ""}, {before("a", true), true, intake.Same, ""},
		{before("b", false), false, intake.Changed, ""}, {before("b", true), false, intake.Left, "changed both there and here"},
		{before("b", false), true, intake.Left, "Undo that import"}, {before("b", true), true, intake.Left, "changed both there and here"},
	} {
		becomes, says := intake.Settle(c.before, "a", c.fixed)
		assert.Equal(t, c.becomes, becomes, "%+v", c)
		assert.Equal(t, c.says == "", says == "", "%+v", c)
		assert.Contains(t, says, c.says)
	}
}

func TestOurCodes(t *testing.T) {
	codes := []intake.Code{{"adult", "Grown-up"}, {"child", "Child"}, {"CHILD2", "child"}, {"staff", "Our own"}, {"own", "Our own"}}
	for text, is := range map[string]string{
		"adult": "adult", "ADULT": "adult", "Adult ": "adult", "grown-UP": "adult", "child2": "CHILD2", "senior": "", "": "",
		"child":   "child", // the code itself goes before what is only called so
		"CHILD":   "",      // it may be either
		"our own": "", "OWN": "own",
	} {
		assert.Equal(t, is, intake.Ours(codes, text), text)
	}
}
