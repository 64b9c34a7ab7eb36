package rulebook_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/jsonfile"
	"nevrin/core/rulebook"
)

func worked(t *testing.T, name string) []byte {
	data, err := os.ReadFile("../testdata/" + name)
	require.NoError(t, err)
	return data
}

// The worked examples of the handbook (03, rules and sums) all hold.
func TestWorkedExamplesHold(t *testing.T) {
	book, err := rulebook.Read(worked(t, "worked-rules.json"))
	require.NoError(t, err)
	report := book.Check()
	assert.True(t, report.OK)
	assert.Len(t, report.Examples, 33)
	for _, e := range report.Examples {
		assert.Empty(t, e.Differs, e.Name)
		assert.NotEmpty(t, e.Why.Steps, e.Name)
	}
}

// Each expectation of the worked examples fails when it alone is altered.
func TestAlteredExpectationsFail(t *testing.T) {
	var file map[string]any
	require.NoError(t, json.Unmarshal(worked(t, "worked-rules.json"), &file))
	altered := map[string]any{"due": "2030-01-01", "units_late": 99, "units_charged": 99, "fine": "99.00"}
	for i, e := range file["examples"].([]any) {
		expect := e.(map[string]any)["expect"].(map[string]any)
		for key, was := range expect {
			other, ok := altered[key]
			if !ok {
				continue
			}
			expect[key] = other
			data, _ := json.Marshal(file)
			book, err := rulebook.Read(data)
			require.NoError(t, err)
			report := book.Check()
			assert.False(t, report.OK)
			assert.Contains(t, report.Examples[i].Differs, key)
			expect[key] = was
		}
	}
}

func TestOneConflict(t *testing.T) {
	book, err := rulebook.Read(worked(t, "worked-conflict.json"))
	require.NoError(t, err)
	report := book.Check()
	assert.False(t, report.OK)
	require.Len(t, report.Conflicts, 1)
	assert.Equal(t, [2]string{"films", "games"}, report.Conflicts[0].Rules)
	assert.Equal(t, "loan_period", report.Conflicts[0].Term)
	assert.Equal(t, "game", report.Conflicts[0].Situation["material_class"])
}

const small = `{"format": "nevrin-rulebook/1", "currency": "CAD",
 "branches": [{"code": "A", "zone": "z", "timezone": "America/Halifax", "hours": {"mon": ["10:00-12:00"]}},
              {"code": "B", "timezone": "America/Halifax"}],
 "rules": [{"id": "base", "scope": {}, "terms": {}}], "examples": []}`

// What is wrong in a file is named with its place.
func TestBadFilesNameThePlace(t *testing.T) {
	cases := []struct{ name, old, new, path, expected string }{
		{"unknown key", `"examples": []`, `"exampels": []`, "$.exampels", "one of format"},
		{"unknown term", `"terms": {}`, `"terms": {"loan_perod": "P1D"}`, "$.rules[0].terms.loan_perod", "loan_period"},
		{"wrong unit", `"terms": {}`, `"terms": {"loan_period": "21"}`, "$.rules[0].terms.loan_period", "P21D"},
		{"mixed duration", `"terms": {}`, `"terms": {"loan_period": "P1DT2H"}`, "$.rules[0].terms.loan_period", "P21D"},
		{
			"no duration at all",
			`"terms": {}`,
			`"terms": {"loan_period": "P0D"}`,
			"$.rules[0].terms.loan_period",
			"more than nothing",
		},
		{
			"unknown value",
			`"terms": {}`,
			`"terms": {"closed_day": "later"}`,
			"$.rules[0].terms.closed_day",
			"next, previous, keep",
		},
		{"half a cent", `"terms": {}`, `"terms": {"fine_rate": "0.005"}`, "$.rules[0].terms.fine_rate", "2 decimals"},
		{
			"unknown branch",
			`[{"id": "base", "scope": {}`,
			`[{"id": "x", "scope": {"home_branch": ["C"]}, "terms": {}}, {"id": "base", "scope": {}`,
			"$.rules[0].scope.home_branch[0]",
			"A, B",
		},
		{
			"unknown zone",
			`[{"id": "base", "scope": {}`,
			`[{"id": "x", "scope": {"home_branch": ["zone:q"]}, "terms": {}}, {"id": "base", "scope": {}`,
			"$.rules[0].scope.home_branch[0]",
			"zone:z",
		},
		{"no base rule", `"scope": {}`, `"scope": {"material_class": ["film"]}`, "$.rules", "empty scope"},
		{
			"two base rules",
			`[{"id": "base", "scope": {}`,
			`[{"id": "x", "scope": {"collection": []}, "terms": {}}, {"id": "base", "scope": {}`,
			"$.rules[1].scope",
			"exactly one",
		},
		{"span ends before it begins", `10:00-12:00`, `12:00-10:00`, "$.branches[0].hours.mon[0]", "later time second"},
		{"overlapping spans", `"10:00-12:00"`, `"10:00-12:00", "11:00-13:00"`, "$.branches[0].hours.mon", "apart"},
		{"short ranking", `"rules"`, `"ranking": ["home_branch"], "rules"`, "$.ranking", "five dimensions"},
		{
			"unknown zone of time",
			`America/Halifax", "hours`,
			`Atlantis/Sunk", "hours`,
			"$.branches[0].timezone",
			"tz database",
		},
		{
			"two openings for one date",
			`"code": "B",`,
			`"code": "B", "openings": [{"date": "2026-10-01", "hours": []}, {"date": "2026-10-01", "hours": []}],`,
			"$.branches[1].openings[1].date",
			"one opening",
		},
		{"not JSON", `"rules": [`, `"rules": [,`, "$", "JSON"},
		{"key given twice", `"currency": "CAD"`, `"currency": "CAD", "currency": "CAD"`, "$.currency", "once"},
		{
			"returned before lent",
			`"examples": []`,
			`"examples": [{"name": "x", "given": {"lending_branch": "A", "lent": "2026-10-06T10:00", "returned": "2026-10-05T10:00"}}]`,
			"$.examples[0].given.returned",
			"not before the lending",
		},
		{
			"counted later than it happened",
			`"examples": []`,
			`"examples": [{"name": "x", "given": {"lending_branch": "A", "lent": "2026-10-06T10:00", "returned": "2026-10-07T10:00", "counted_as": "2026-10-08"}}]`,
			"$.examples[0].given.counted_as",
			"not later",
		},
	}
	_, err := rulebook.Read([]byte(small))
	require.NoError(t, err)
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			require.Contains(t, small, c.old)
			_, err := rulebook.Read([]byte(strings.Replace(small, c.old, c.new, 1)))
			var wrong jsonfile.Errors
			require.ErrorAs(t, err, &wrong)
			assert.Equal(t, c.path, wrong[0].Path)
			assert.Contains(t, wrong[0].Expected, c.expected)
		})
	}
}

// A rule that turns days into hours and forgets the rate is warned of; one that settles both is not.
func TestForgottenRateIsWarnedOf(t *testing.T) {
	rule := func(terms string) string {
		return strings.Replace(
			small,
			`[{"id": "base"`,
			`[{"id": "x", "scope": {"material_class": ["laptop"]}, "terms": {`+terms+`}}, {"id": "base"`,
			1,
		)
	}
	for terms, warnings := range map[string]int{
		`"fine_unit": "open_hour"`:                                  1,
		`"fine_unit": "open_hour", "fine_rate": "2.00"`:             1,
		`"fine_unit": "open_hour", "fine_rate": "2.00", "grace": 0`: 0,
		`"fine_unit": "calendar_day"`:                               0,
	} {
		book, err := rulebook.Read([]byte(rule(terms)))
		require.NoError(t, err)
		report := book.Check()
		assert.Len(t, report.Warnings, warnings, terms)
		assert.True(t, report.OK)
	}
}
