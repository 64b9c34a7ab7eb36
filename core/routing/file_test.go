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
		{"only an item of another title", `"only": ["i2"]`, `"only": ["i9"]`, "$.titles[2].holds[1].only[0]"},
		{
			"an item twice",
			`{"id": "i2", "branch": "HVH"}]}`,
			`{"id": "i1", "branch": "HVH"}]}`,
			"$.titles[0].items[1].id",
		},
		{
			"a stop that leaves before it arrives",
			`"arrive": "08:10", "depart": "08:15"`,
			`"arrive": "08:20", "depart": "08:15"`,
			"$.courier.runs[0].stops[1].depart",
		},
		{
			"a stop without a time",
			`"arrive": "08:10", "depart": "08:15"`,
			`"wait": 5`,
			"$.courier.runs[0].stops[1].wait",
		},
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
