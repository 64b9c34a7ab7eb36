package cql_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/formats/cql"
)

// The examples of the CQL pages of the Library of Congress (from memory), each with its tree in brackets.
func TestPublishedExamples(t *testing.T) {
	for query, tree := range map[string]string{
		`dc.title any fish`:                                          `dc.title any "fish"`,
		`dc.title any fish or dc.creator any sanderson`:              `(dc.title any "fish" or dc.creator any "sanderson")`,
		`dc.title any fish sortBy dc.date/sort.ascending`:            `dc.title any "fish"`,
		`> dc = "info:srw/context-sets/1/dc-v1.1" dc.title any fish`: `dc.title any "fish"`,
		`fish`:                                `"fish"`,
		`cql.serverChoice = fish`:             `cql.serverChoice = "fish"`,
		`"fish"`:                              `"fish"`,
		`title any "fish frog chicken"`:       `title any "fish frog chicken"`,
		`title all /stem "these completes"`:   `title all /stem "these completes"`,
		`dc.title any/relevant/rel.CORI fish`: `dc.title any /relevant /rel.cori "fish"`,
		`dc.title any fish or/rel.combine=sum dc.creator any sanderson`:                    `(dc.title any "fish" or /rel.combine=sum dc.creator any "sanderson")`,
		`dc.title any fish prox/unit=word/distance>3 dc.title any squirrel`:                `(dc.title any "fish" prox /unit=word /distance>3 dc.title any "squirrel")`,
		`dc.title any fish or (dc.creator any sanderson and dc.identifier = "id:1234567")`: `(dc.title any "fish" or (dc.creator any "sanderson" and dc.identifier = "id:1234567"))`,
		`a or b and c not d`:                `((("a" or "b") and "c") not "d")`,
		`publicationYear < 1980`:            `publicationYear < "1980"`,
		`dc.date >= 1990 AND dc.date<=1999`: `(dc.date >= "1990" and dc.date <= "1999")`,
		`bath.uniformTitle="Canto \"I\""`:   `bath.uniformTitle = "Canto \"I\""`,
		`((cat))`:                           `"cat"`,
		`title == "The complete dinosaur"`:  `title == "The complete dinosaur"`,
		`author adj "jones"  and
		  title <> "x"`: `(author adj "jones" and title <> "x")`,
	} {
		q, err := cql.Read(query)
		require.NoError(t, err, query)
		assert.Equal(t, tree, q.String(), query)
	}
	q, err := cql.Read(`"dinosaur" sortBy dc.date/sort.descending dc.title/sort.ascending`)
	require.NoError(t, err)
	assert.Equal(t, []cql.SortKey{{"dc.date", []cql.Modifier{{Name: "sort.descending"}}}, {"dc.title", []cql.Modifier{{Name: "sort.ascending"}}}}, q.Sort)
}

func TestWhatIsNoQuery(t *testing.T) {
	for query, says := range map[string]string{
		``:                  "an index or a term",
		`(fish`:             `a closing )`,
		`fish)`:             `a boolean (and, or, not, prox) or the end`,
		`"fish`:             `a closing "`,
		`title =`:           `a term after =`,
		`fish and`:          `an index or a term`,
		`title any/ fish /`: "", // a modifier named fish, and then nothing
		`fish sortby`:       `an index after sortby`,
		`> = x`:             `a prefix or a URI`,
	} {
		_, err := cql.Read(query)
		assert.ErrorContains(t, err, says, query)
	}
}

func TestMasks(t *testing.T) {
	for _, c := range []struct {
		relation, term, field string
		holds                 bool
	}{
		{"=", "mills tidal", "Tidal Mills of the Outer Coast", true},
		{"=", "mills river", "Tidal Mills of the Outer Coast", false},
		{"any", "mills river", "Tidal Mills of the Outer Coast", true},
		{"adj", "tidal mills", "Tidal Mills of the Outer Coast", true},
		{"adj", "tidal of", "Tidal Mills of the Outer Coast", false},
		{"==", "tidal mills", "Tidal Mills of the Outer Coast", false},
		{"==", "tidal mills", "Tidal mills.", true},
		{"=", "t?dal m*", "Tidal Mills", true},
		{"=", "tid", "Tidal Mills", false},
		{"=", "^mills", "Tidal Mills", false},
		{"=", "^tidal mills^", "Tidal Mills", true},
		{"=", `t\*`, "Tidal", false},
		{"<", "2000", "1998", true},
		{"=", "O'Brien", "Flann O’Brien", true},
	} {
		assert.Equal(t, c.holds, cql.Holds(c.relation, c.term, c.field), "%+v", c)
	}
}

// A quoted term is read as it was, and finds itself, whatever stands in it.
func TestQuoted(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		term := rapid.StringMatching(`[a-z*?^"\\ ()=/<>]{1,12}`).Draw(t, "term")
		q, err := cql.Read("title = " + cql.Quoted(term))
		if err != nil {
			t.Fatalf("%q: %s", cql.Quoted(term), err)
		}
		if words := cql.Words(term); len(words) > 0 && !cql.Holds("adj", q.Term, term) {
			t.Fatalf("%q does not find itself, read as %q", term, q.Term)
		}
	})
}

func FuzzRead(f *testing.F) {
	f.Add(`dc.title any fish or (dc.creator any "sanderson" and x = 1) sortby dc.date`)
	f.Fuzz(func(t *testing.T, text string) {
		if q, err := cql.Read(text); err == nil && q == nil {
			t.Fatal("nothing was read")
		}
	})
}
