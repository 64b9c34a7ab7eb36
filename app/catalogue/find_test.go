package catalogue_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/golangci/misspell"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/stockdb"
	"nevrin/testkit"
)

func find(t *testing.T, w *testkit.World, s stockdb.TitleSearch) *catalogue.Found {
	t.Helper()
	here := w.Staff(role.Desk, "HVH")
	out, err := testkit.Try(w.House, here, func(a *act.Act) (*catalogue.Found, error) { return catalogue.FindTitles(a, s, store.Page{}) })
	require.NoError(t, err)
	return out
}

func names(f *catalogue.Found) []string {
	out := []string{}
	for _, r := range f.Rows {
		out = append(out, r.Name)
	}
	return out
}

// The best comes first: the name itself, then names that begin so, that have the words, authors, and what only holds the letters.
func TestTheBestFirst(t *testing.T) {
	w := testkit.NewWorld(t)
	for _, b := range [][2]string{
		{"Consalted waters", "A. Nobody"}, {"The salt", "B. Nobody"}, {"Salt", "C. Nobody"}, {"Salt roads", "D. Nobody"},
		{"A history", "Edda Salt"}, {"Old salt roads", "F. Nobody"}, {"Nothing of it", "G. Nobody"},
	} {
		w.Set("INSERT INTO titles (name, author) VALUES (?, ?)", b[0], b[1])
	}
	assert.Equal(t, []string{"Salt", "Salt roads", "Old salt roads", "The salt", "A history", "Consalted waters"}, names(find(t, w, stockdb.TitleSearch{Words: "salt"})))
	assert.Equal(t, []string{"Salt roads", "Old salt roads"}, names(find(t, w, stockdb.TitleSearch{Words: "Salt Roads"})))
	assert.Equal(t, []string{"Old salt roads", "Salt roads"}, names(find(t, w, stockdb.TitleSearch{Words: "roads salt"})), "in any order")
	assert.Empty(t, names(find(t, w, stockdb.TitleSearch{Words: "%"})), "signs of a pattern are letters")
}

// Page after page, nothing is left out and nothing comes twice; where a word is so common that not all can be put in order, those
// whose name begins with it are there anyway.
func TestCommonWordsPageByPage(t *testing.T) {
	w := testkit.NewWorld(t)
	w.Set("INSERT INTO titles (name, author) VALUES ('Tide', 'x'), ('Tide tables', 'x')")
	w.Set("INSERT INTO titles (name, author) SELECT 'A tide of ' || lpad(n::text, 4, '0'), 'x' FROM generate_series(1, 2500) n")
	here := w.Staff(role.Desk, "HVH")
	page, seen := store.Page{Most: 400}, map[int64]bool{}
	var first []catalogue.Title
	for {
		out, err := testkit.Try(w.House, here, func(a *act.Act) (*catalogue.Found, error) {
			return catalogue.FindTitles(a, stockdb.TitleSearch{Words: "tide"}, page)
		})
		require.NoError(t, err)
		if first == nil {
			first = out.Rows
		}
		for _, r := range out.Rows {
			assert.False(t, seen[r.ID], r.Name)
			seen[r.ID] = true
		}
		if out.Next == "" {
			break
		}
		page, err = store.PageFrom(out.Next, 400)
		require.NoError(t, err)
	}
	assert.Equal(t, []string{"Tide", "Tide tables", "A tide of 0501"}, []string{first[0].Name, first[1].Name, first[2].Name})
	assert.Len(t, seen, 2002)
}

func TestNarrowedSearches(t *testing.T) {
	w := testkit.NewWorld(t)
	w.Set("INSERT INTO classes (kind, code, name, position, staff_only) VALUES ('collection', 'textbooks', 'Textbooks', 99, true)")
	one, _ := w.Title("HVH")
	two, _ := w.Title()
	w.Item(two, "SLM", map[string]any{"material": "laptop"})
	three, _ := w.Title()
	w.Item(three, "HVH", map[string]any{"collection": "textbooks"})
	w.Title() // without a copy
	w.Set("UPDATE titles SET year = 1990 + id::int % 7")
	w.Set("UPDATE titles SET year = 1950, isbn = '9789295055025' WHERE id = ?", one)
	ids := func(s stockdb.TitleSearch) []int64 {
		s.Words = "title"
		var out []int64
		for _, r := range find(t, w, s).Rows {
			out = append(out, r.ID)
		}
		return out
	}
	assert.Len(t, ids(stockdb.TitleSearch{}), 4)
	assert.Equal(t, []int64{one, three}, ids(stockdb.TitleSearch{Branch: "HVH"}))
	assert.Equal(t, []int64{two}, ids(stockdb.TitleSearch{Material: "laptop"}))
	assert.Equal(t, []int64{three}, ids(stockdb.TitleSearch{Collection: "textbooks"}))
	assert.Equal(t, []int64{one}, ids(stockdb.TitleSearch{To: 1960}))
	assert.Equal(t, []int64{one, two}, ids(stockdb.TitleSearch{Public: true}), "collections for staff alone are not for the public")
	for _, isbn := range []string{"9789295055025", "978-92-95055-02-5", "92-95055-02-0"} {
		assert.Len(t, find(t, w, stockdb.TitleSearch{Words: isbn}).Rows, 1, isbn)
	}
}

// Misspelt words of a general list (golangci/misspell, after the list of common misspellings of an encyclopedia): for five in
// six the word that was meant is offered, out of all the eight thousand words of that list. Most of the others get another form of
// the same word, which the list has too.
func TestMisspeltWordsFindWhatWasMeant(t *testing.T) {
	w := testkit.NewWorld(t)
	list := misspell.New().Replacements
	right := map[string]bool{}
	var bad [][2]string
	for k := 0; k+1 < len(list); k += 2 {
		wrong, is := strings.ToLower(list[k]), strings.ToLower(list[k+1])
		if strings.ContainsAny(is+wrong, " '-") || len(is) < 4 {
			continue
		}
		right[is] = true
		bad = append(bad, [2]string{wrong, is})
	}
	var words []string
	for word := range right {
		words = append(words, word)
	}
	w.Set("INSERT INTO titles (name) SELECT unnest(string_to_array(?, ','))", strings.Join(words, ","))
	require.Greater(t, len(words), 5000)
	tried, found := 0, 0
	var missed []string
	for k := 0; k < len(bad); k += len(bad) / 250 {
		wrong, is := bad[k][0], bad[k][1]
		if right[wrong] {
			continue
		}
		tried++
		f := find(t, w, stockdb.TitleSearch{Words: wrong})
		if f.Better == is {
			found++
			continue
		}
		missed = append(missed, fmt.Sprintf("%s: %s, not %s (%d found)", wrong, f.Better, is, len(f.Rows)))
	}
	t.Logf("%d of %d, of %d words; missed: %s", found, tried, len(words), strings.Join(missed, "; "))
	assert.Greater(t, float64(found), 5.0/6*float64(tried))
}

// A better word is offered for what stands nowhere, together with the words that do; where all of them stand somewhere, none is.
func TestBetterWords(t *testing.T) {
	w := testkit.NewWorld(t)
	for _, name := range []string{"The ledger of small ferries", "Bread for winter", "Čas ve větru"} {
		w.Set("INSERT INTO titles (name, author) VALUES (?, 'Ulla Veldt')", name)
	}
	for wrong, better := range map[string]string{
		"smal feries": "small ferries", "ledgre ferries": "ledger ferries", "vinter bread": "winter bread", "uula veldt": "ulla veldt",
		"větur": "větru", "fro wniter": "for winter", "brdea": "bread", "xylophone": "", "bread ferries": "", "qq": "",
	} {
		got := find(t, w, stockdb.TitleSearch{Words: wrong})
		assert.Equal(t, better, got.Better, wrong)
		assert.Empty(t, got.Rows)
	}
}
