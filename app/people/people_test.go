package people_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/desk"
	"nevrin/app/history"
	"nevrin/app/people"
	"nevrin/store"
	"nevrin/store/stockdb"
	"nevrin/testkit"
)

// Everybody is found by any of their names, their card or email address, former and inactive patrons included; signs
// that a database would take for more are plain.
func TestFindingPatrons(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	require.NoError(
		t,
		testkit.SQL(h).Exec("UPDATE patrons SET preferred_name = 'Zyx_100%', standing = 'inactive' WHERE id = 7").Error,
	)
	name, card := testkit.Text(t, h, "SELECT legal_name FROM patrons WHERE id = 7"), testkit.Text(t, h, "SELECT card FROM patrons WHERE id = 7")
	find := func(words string) []int64 {
		found := testkit.Do(t, h, jory, func(a *act.Act) ([]people.Found, error) {
			list, _, err := people.Find(a, words, store.Page{})
			return list, err
		})
		var ids []int64
		for _, f := range found {
			ids = append(ids, f.ID)
		}
		return ids
	}
	for _, words := range []string{"zyx", "ZYX_100%", card, card[4:12] + " zyx"} {
		assert.Contains(t, find(words), int64(7), words)
	}
	assert.Contains(t, find(name), int64(7))
	require.NoError(t, testkit.SQL(h).Exec("UPDATE patrons SET phone = '(902) 771-0044', school = 'S-77-104' WHERE id = 7").Error)
	born := testkit.Text(t, h, "SELECT born::text FROM patrons WHERE id = 7")
	assert.Contains(t, find(born), int64(7))
	assert.Equal(t, []int64{7}, find(born+" 7710044"))
	assert.Empty(t, find("1884-03-09 7710044"))
	for _, words := range []string{"902-771-0044", "(902) 771 0044", "771.0044", "7710044", "s-77-104"} {
		assert.Equal(t, []int64{7}, find(words), words)
	}
	assert.Empty(t, find("zyx nobody at all"))
	assert.NotContains(t, find("_"), int64(8), "an underscore is no wildcard")
	assert.Equal(t, []int64{7}, find("_100%"))

	// Family name first, with a comma, as staff type it; namesakes of one's own branch first, told apart by birth date and address.
	for k, branch := range []string{"HVH", "SLM"} {
		require.NoError(t, testkit.SQL(h).Exec(`UPDATE patrons SET legal_name = 'Merryn Lomasworth', preferred_name = '', branch_code = ?,
			born = ?::date, address = ?, postal_code = '', town = ? WHERE id = ?`, branch, fmt.Sprintf("19%d4-03-09", 8+k),
			fmt.Sprintf("%d Mill Lane\nFlat 2", k+1), "Saltmere", 8+k).Error)
	}
	require.NoError(t, testkit.SQL(h).Exec("UPDATE patrons SET legal_name = 'Lomasworth Merrynson', branch_code = 'SLM' WHERE id = 10").Error)
	for _, words := range []string{"Lomasworth, Merryn", "lomasworth,merryn", "Lomasworth,"} {
		assert.Equal(t, []int64{9, 8}, find(words), words)
	}
	assert.Equal(t, []int64{9, 8}, find("Lomasworth, m"), "a letter begins a given name")
	assert.Empty(t, find("Lomasworth, omas"))
	assert.Equal(t, []int64{10, 9, 8}, find("lomasworth"), "own branch first, then by name")
	assert.Equal(t, []int64{8}, find("Lomasworth, Merryn 1984-03-09"))
	found := testkit.Do(t, h, jory, func(a *act.Act) ([]people.Found, error) {
		list, _, err := people.Find(a, "Lomasworth, Merryn", store.Page{})
		return list, err
	})
	assert.Contains(t, found[0].Born, "9 Mar 1994")
	assert.Equal(t, "1 Mill Lane, Flat 2, Saltmere", found[1].Address)
	var paged []int64
	for _, f := range testkit.Whole(t, h, jory, 2, func(a *act.Act, page store.Page) ([]people.Found, store.Page, error) {
		return people.Find(a, "lomasworth", page)
	}) {
		paged = append(paged, f.ID)
	}
	assert.Equal(t, []int64{10, 9, 8}, paged, "page by page the same")
}

func TestTitlesSayWhereTheyAre(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	name := testkit.Text(t, h, "SELECT t.name FROM titles t JOIN items i ON i.title_id = t.id WHERE i.barcode = ?", item)
	find := func() catalogue.Title {
		for _, f := range testkit.Do(t, h, jory, func(a *act.Act) ([]catalogue.Title, error) {
			list, err := catalogue.FindTitles(a, stockdb.TitleSearch{Words: name}, store.Page{})
			return list.Rows, err
		}) {
			if f.Name == name && f.Here > 0 || f.Name == name {
				return f
			}
		}
		t.Fatalf("%s is not found", name)
		return catalogue.Title{}
	}
	before := find()
	require.NotZero(t, before.Here)
	state := func() catalogue.Item {
		list := testkit.Do(t, h, jory, func(a *act.Act) ([]catalogue.Item, error) { return catalogue.One(a, 0, item) })
		require.Len(t, list, 1)
		return list[0]
	}
	assert.Equal(t, "On the shelf at Saltmere", state().State)
	card := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")
	opened := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	lent := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: item, Patron: opened.Card.ID})
	})
	require.Equal(t, "lent", lent.Kind)
	assert.Equal(t, before.Here-1, find().Here)
	assert.Contains(t, state().State, "On loan from Saltmere, due Tue 27 Oct")
	assert.Equal(t, opened.Card.ID, state().Patron)

	happened := testkit.Do(t, h, jory, func(a *act.Act) ([]history.Happened, error) {
		list, _, err := history.OfItem(a, state().ID, store.Page{})
		return list, err
	})
	assert.Equal(t, "lent", happened[0].Kind)
	assert.Equal(t, "Jory Tamm", happened[0].Who)
	assert.Equal(t, "Saltmere", happened[0].Branch)
	require.NotNil(t, happened[0].Why)
	assert.Contains(t, happened[0].Text, "until Tue 27 Oct")
	same := testkit.Do(t, h, jory, func(a *act.Act) ([]history.Happened, error) {
		list, _, err := history.OfPatron(a, opened.Card.ID, store.Page{})
		return list, err
	})
	assert.Equal(t, happened[0].ID, same[0].ID, "the same event in the patron's history")
}

func TestCorrectingAPatronsClass(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	classify := func(id int64, class string) error {
		_, err := act.Do(
			context.Background(),
			h,
			jory,
			"",
			nil,
			func(a *act.Act) (struct{}, error) { return struct{}{}, people.Classify(a, id, class) },
		)
		return err
	}
	require.NoError(t, classify(5, "educator"))
	assert.Equal(t, "educator", testkit.Text(t, h, "SELECT class FROM patrons WHERE id = 5"))
	list := testkit.Do(t, h, jory, func(a *act.Act) ([]history.Happened, error) {
		list, _, err := history.OfPatron(a, 5, store.Page{})
		return list, err
	})
	assert.Contains(t, list[0].Text, "Classed as Educator; was")
	assert.ErrorContains(t, classify(5, "wizard"), `no patron class "wizard"`)
	assert.ErrorContains(t, classify(1<<40, "adult"), "no such patron")
}
