package routing_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/jsonfile"
	"nevrin/core/routing"
)

// What is wrong in a routing file, its courier file included, is named with its place.
func TestBadFilesNameThePlace(t *testing.T) {
	data, err := os.ReadFile("../testdata/worked-routing.json")
	require.NoError(t, err)
	cases := []struct{ name, old, new, path string }{
		{"unknown aim", `"fetch_minutes": 60`, `"fetch_minutes": 60, "aim": "best"`, "$.aim"},
		{"an instant that is none", `"now": "2026-10-06T09:12"`, `"now": "today"`, "$.now"},
		{
			"unknown pickup",
			`"pickup": "SLM"}], "items": [{"id": "i1", "branch": "QRW"}, {"id": "i2", "branch": "HVH"}`,
			`"pickup": "XXX"}], "items": [{"id": "i1", "branch": "QRW"}, {"id": "i2", "branch": "HVH"}`,
			"$.titles[0].holds[0].pickup",
		},
		{"a limit of no branch", `"fetch_minutes": 60`, `"fetch_minutes": 60, "fetch_most": {"XXX": 2}`, "$.fetch_most.XXX"},
		{"a limit below nothing", `"fetch_minutes": 60`, `"fetch_minutes": 60, "fetch_most": {"SLM": -2}`, "$.fetch_most.SLM"},
		{"a limit with another aim", `"fetch_minutes": 60`, `"fetch_minutes": 60, "aim": "first_come", "fetch_most": {"SLM": 2}`, "$.fetch_most"},
		{"only an item of another title", `"only": ["i2"]`, `"only": ["i9"]`, "$.titles[2].holds[1].only[0]"},
		{"an item twice", `{"id": "i2", "branch": "HVH"}]}`, `{"id": "i1", "branch": "HVH"}]}`, "$.titles[0].items[1].id"},
		{
			"a stop that leaves before it arrives",
			`"arrive": "08:10", "depart": "08:15"`,
			`"arrive": "08:20", "depart": "08:15"`,
			"$.courier.runs[0].stops[1].depart",
		},
		{"a stop without a time", `"arrive": "08:10", "depart": "08:15"`, `"wait": 5`, "$.courier.runs[0].stops[1].wait"},
		{
			"an unknown day",
			`"days": ["mon", "tue", "wed", "thu", "fri"], "not_on": ["2026-10-12"], "stops": [{"branch": "HVH", "depart": "07:40"}`,
			`"days": ["monday"], "not_on": ["2026-10-12"], "stops": [{"branch": "HVH", "depart": "07:40"}`,
			"$.courier.runs[0].days[0]",
		},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			require.Contains(t, string(data), c.old)
			_, err := routing.Read([]byte(strings.Replace(string(data), c.old, c.new, 1)))
			var wrong jsonfile.Errors
			require.ErrorAs(t, err, &wrong)
			assert.Equal(t, c.path, wrong[0].Path)
			assert.NotEmpty(t, wrong[0].Found)
			assert.NotEmpty(t, wrong[0].Expected)
		})
	}
}

// A file may say how much a branch fetches in a round. Who is put off then is said, and is served from elsewhere where that
// is sooner; a limit that nobody reaches changes nothing.
func TestRoundsOfAFile(t *testing.T) {
	data, err := os.ReadFile("../testdata/worked-routing.json")
	require.NoError(t, err)
	plan := func(most string) routing.Report {
		f, err := routing.Read([]byte(strings.Replace(string(data), `"fetch_minutes": 60`, `"fetch_minutes": 60, "round_minutes": 240, "fetch_most": `+most, 1)))
		require.NoError(t, err)
		return f.Plan(routing.LeastTotal)
	}
	f, err := routing.Read(data)
	require.NoError(t, err)
	free := f.Plan(routing.LeastTotal)
	assert.Nil(t, free.Round)
	wide := plan(`{"HVH": 100, "QRW": 100}`)
	assert.Equal(t, free.Titles, wide.Titles)
	assert.Equal(t, wide.Round.Total, wide.Round.Bound)
	none := plan(`{"HVH": 0, "QRW": 0, "SLM": 0, "WRN": 0, "SKN": 0}`)
	putOff := 0
	for k, one := range none.Titles {
		assert.Empty(t, one.Pairs)
		for _, w := range one.Waiting {
			if w.Reason == "put_off" {
				putOff++
			}
		}
		assert.Len(t, one.Waiting, len(free.Titles[k].Pairs)+len(free.Titles[k].Waiting))
	}
	served := 0
	for _, one := range free.Titles {
		served += len(one.Pairs)
	}
	assert.Equal(t, served, putOff)
	assert.GreaterOrEqual(t, none.Round.Total, wide.Round.Total)
}
