package searched_test

import (
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/searched"
	"nevrin/formats/cql"
	"nevrin/formats/sru"
	"nevrin/store/stockdb"
	"nevrin/testkit"
)

// What the database finds is what a plain comparison of all titles with the query finds, of those that the public may see.
func TestTheDatabaseFindsWhatTheQuerySays(t *testing.T) {
	h := testkit.House(t)
	var rows []struct {
		ID                 int64
		Name, Author, ISBN string
		Year               *int
	}
	require.NoError(t, testkit.SQL(h).Raw(`SELECT id, name, author, isbn, year FROM titles t WHERE EXISTS (SELECT 1 FROM items i WHERE i.title_id = t.id AND i.standing <> 'withdrawn'
		AND i.material <> 'interlibrary' AND NOT EXISTS (SELECT 1 FROM classes k WHERE k.kind = 'collection' AND k.code = i.collection AND k.staff_only))`).Scan(&rows).Error)
	require.Greater(t, len(rows), 1000)
	c := searched.Catalogue(h, "Ours")
	for _, query := range []string{
		`dc.title all "year salt"`, `title any "gull signal"`, `title adj "what the"`, `title = "wh?t t*"`, `title == "What the Gull Kept"`, `title = "^what"`,
		`title = "kept^"`, `author = vantry`, `author = vantry not title any "gull"`, `dc.date < 1990 and title = the`, `date >= 2020 and author any "thorne vale"`,
		`bath.isbn = ` + rows[3].ISBN, `rec.identifier = ` + strconv.FormatInt(rows[5].ID, 10), `(title = salt or title = ferry) and date > 2000`,
		`title = "%_\\"`, `title = "'; DROP TABLE titles"`, `date = soon`, `cql.allRecords = 1 and date = 1999`, `title <> "x" and date = 2001`,
	} {
		q, err := cql.Read(query)
		require.NoError(t, err, query)
		require.Nil(t, sru.Check(q), query)
		var want, got []string
		for _, r := range rows {
			f := sru.Found{Record: sru.Record{ID: strconv.FormatInt(r.ID, 10), Title: r.Name, Author: r.Author, ISBN: r.ISBN}}
			if r.Year != nil {
				f.Date = strconv.Itoa(*r.Year)
			}
			if sru.Matches(q, &f) {
				want = append(want, f.ID)
			}
		}
		total, found, err := c.Find(t.Context(), q, 0, 5000)
		require.NoError(t, err, query)
		for _, f := range found {
			got = append(got, f.ID)
			require.NotNil(t, f.MARC, query)
		}
		slices.Sort(want)
		slices.Sort(got)
		assert.True(t, slices.Equal(want, got), "%s: %d, found %d", query, len(want), len(got))
		assert.Equal(t, len(want), total, query)
	}
	_, _, err := c.Find(t.Context(), &cql.Query{Index: "title", Relation: "<", Term: "x"}, 0, 1)
	assert.ErrorContains(t, err, "Unsupported relation")
	_, err = act.Look(t.Context(), h, act.Machine, func(a *act.Act) (int, error) {
		n, _, err := stockdb.AskTitles(a.Tx, &stockdb.Wanted{Column: stockdb.EveryTitle}, 0, 1)
		return n, err
	})
	require.NoError(t, err)
}
