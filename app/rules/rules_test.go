package rules_test

import (
	"context"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
	"nevrin/testkit"
)

func set(
	h *act.House,
	who act.Actor,
	draft int64,
	revision int,
	scope map[string][]string,
	term string,
	value any,
) (*rules.Edition, error) {
	return act.Do(context.Background(), h, who, "", nil, func(a *act.Act) (*rules.Edition, error) {
		return rules.Set(a, draft, rules.Change{Revision: revision, Scope: scope, Term: term, Value: value})
	})
}

func begin(t *testing.T, h *act.House, who act.Actor) *rules.Edition {
	return testkit.Do(t, h, who, func(a *act.Act) (*rules.Edition, error) { return rules.Draft(a, "", 0) })
}

func cell(t *testing.T, h *act.House, who act.Actor, edition int64, branch, patron, material string) rules.Cell {
	g := testkit.Do(t, h, who, func(a *act.Act) (*rules.Grid, error) {
		return rules.Ask(
			a,
			rules.Question{
				Edition: edition,
				Term:    "loan_period",
				Rows:    "patron_class",
				Columns: "material_class",
				At:      rulebook.Situate(calendar.Code(branch), "", "", "", ""),
			},
		)
	})
	for y, r := range g.Rows {
		for x, c := range g.Columns {
			if r.Code == patron && c.Code == material {
				return g.Cells[y][x]
			}
		}
	}
	t.Fatalf("no cell for %s and %s", patron, material)
	return rules.Cell{}
}

var islandFilms = map[string][]string{"lending_branch": {"zone:islands"}, "material_class": {"film"}}

// A draft changes nothing until it is put in force; then it holds at once, and is never changed again.
func TestDraftUntilInForce(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	draft, err := set(h, maren, draft.ID, draft.Revision, islandFilms, "loan_period", "P14D")
	require.NoError(t, err)
	inDraft := cell(t, h, maren, draft.ID, "WRN", "adult", "film")
	assert.Equal(t, "14", inDraft.Short)
	assert.Equal(t, "7", inDraft.Was)
	inForce := testkit.Do(t, h, maren, func(a *act.Act) (int64, error) { return a.Book.ID, nil })
	assert.Equal(t, "7", cell(t, h, maren, inForce, "WRN", "adult", "film").Short)

	start := func(from calendar.Date) error {
		_, err := act.Do(context.Background(), h, maren, "", nil, func(a *act.Act) (*rules.Edition, error) {
			return rules.PutInForce(a, draft.ID, rules.Start{Revision: draft.Revision, From: from, Reason: "ferry", Against: a.Book.ID})
		})
		return err
	}
	assert.ErrorContains(t, start(calendar.MakeDate(2026, 10, 5)), "in the past")
	require.NoError(t, start(calendar.MakeDate(2026, 10, 6)))
	now := testkit.Do(t, h, maren, func(a *act.Act) (int64, error) { return a.Book.ID, nil })
	assert.Equal(t, draft.ID, now)
	assert.Equal(t, "14", cell(t, h, maren, now, "SKN", "adult", "film").Short)
	assert.Equal(t, "7", cell(t, h, maren, now, "SLM", "adult", "film").Short, "not beyond the islands")
	_, err = set(h, maren, draft.ID, draft.Revision, islandFilms, "loan_period", "P21D")
	assert.ErrorContains(t, err, "is in force and cannot be changed. Start a draft.")
}

// Two supervisors change one draft: the second is told, and nobody's change is lost silently.
func TestTwoSupervisorsOneDraft(t *testing.T) {
	h := testkit.House(t)
	maren, ada := testkit.Somebody(t, h, "maren"), testkit.Somebody(t, h, "ada")
	draft := begin(t, h, maren)
	_, err := set(h, maren, draft.ID, draft.Revision, islandFilms, "loan_period", "P14D")
	require.NoError(t, err)
	_, err = set(h, ada, draft.ID, draft.Revision, islandFilms, "loan_period", "P10D")
	assert.ErrorContains(t, err, "Somebody else has changed draft")
	assert.Equal(t, "14", cell(t, h, ada, draft.ID, "WRN", "adult", "film").Short)
}

func TestWhatDoesNotFitIsRefused(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	cases := []struct {
		name, term, says string
		scope            map[string][]string
		value            any
	}{
		{"unknown term", "loan_perod", "unknown term", nil, "P1D"},
		{"wrong unit", "loan_period", "P21D", islandFilms, "21"},
		{
			"unknown branch",
			"loan_period",
			"a branch that does not exist",
			map[string][]string{"lending_branch": {"XXX"}},
			"P1D",
		},
		{
			"unknown zone",
			"loan_period",
			"a zone that no branch is in",
			map[string][]string{"lending_branch": {"zone:moon"}},
			"P1D",
		},
		{"a negative number", "renewals", "whole number", islandFilms, -1},
		{"null where there is no limit to lift", "loan_period", "duration", islandFilms, nil},
	}
	for _, c := range cases {
		_, err := set(h, maren, draft.ID, draft.Revision, c.scope, c.term, c.value)
		assert.ErrorContains(t, err, c.says, c.name)
	}
	// Two rules that meet with equal narrowness and disagree: the draft keeps them, but cannot be put in force.
	e, err := set(
		h,
		maren,
		draft.ID,
		draft.Revision,
		map[string][]string{"material_class": {"film", "kit"}},
		"loan_period",
		"P9D",
	)
	require.NoError(t, err)
	_, err = act.Do(context.Background(), h, maren, "", nil, func(a *act.Act) (*rules.Edition, error) {
		return rules.PutInForce(a, e.ID, rules.Start{Revision: e.Revision, From: a.Today(), Reason: "", Against: a.Book.ID})
	})
	assert.ErrorContains(t, err, "neither is narrower")
	testkit.Do(t, h, maren, func(a *act.Act) (int, error) { return 0, rules.Discard(a, e.ID) })
}

// A real network begins with a rulebook file and a courier file.
func TestSetUp(t *testing.T) {
	h := testkit.House(t)
	read := func(name string) []byte {
		data, err := os.ReadFile("../../core/testdata/" + name)
		require.NoError(t, err)
		return data
	}
	network := rules.Network{
		Name:     "Trial",
		Digits:   "4321",
		Timezone: "America/Halifax",
		Rulebook: read("worked-rules.json"),
	}
	assert.ErrorContains(t, rules.SetUp(context.Background(), h.Store, network), "there is a network in this database already, “Orrin Sound Libraries”")
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("TRUNCATE network, branches, runs, classes, editions, staff, patrons, titles, items, loans, holds, transits, ledger, notices, messages, partners, requests, exchanges, return_lines, return_runs, misses CASCADE").
			Error,
	)
	conflicting := network
	conflicting.Rulebook = read("worked-conflict.json")
	assert.ErrorContains(t, rules.SetUp(context.Background(), h.Store, conflicting), "neither is narrower")
	strange := network
	strange.Courier = read("worked-courier.json")
	assert.ErrorContains(t, rules.SetUp(context.Background(), h.Store, strange), "the courier file has the branches HVH, ")
	assert.Equal(t, "0", testkit.Text(t, h, "SELECT count(*)::text FROM network"), "nothing is written unless all of it fits")
	nowhere := network
	nowhere.Timezone = "Europe/Nowhere"
	assert.ErrorContains(t, rules.SetUp(context.Background(), h.Store, nowhere), "--timezone")
	network.From = calendar.MakeDate(2026, 10, 1)
	require.NoError(t, rules.SetUp(context.Background(), h.Store, network))
	look := testkit.Do(t, h, act.Actor{Role: "administrator", Branch: "SLM"}, rules.Look)
	assert.Equal(t, "in_force", look.Editions[0].State)
	assert.Equal(t, 11, look.Editions[0].Rules)
	assert.Equal(t, "2026-10-01", testkit.Text(t, h, "SELECT starts_on::text FROM editions"))
	assert.Len(t, look.Dimensions["lending_branch"], 2)
}

// What a network could not work with is refused with all of it said, and a file is read as programs write it: a byte-order mark is fine,
// another encoding is told of.
func TestFilesOfNoUse(t *testing.T) {
	file := func(branch, more string) string {
		return `{"format": "nevrin-rulebook/1", "currency": "EUR", "branches": [` + branch + `],
			"rules": [{"id": "base", "scope": {}, "terms": {}}]` + more + `}`
	}
	ost := `{"code": "OST", "name": "Ostk\u00fcste", "timezone": "Europe/Berlin", "hours": {"mon": ["09:00-18:00"]}}`
	example := `, "examples": [{"name": "Three weeks", "given": {"lending_branch": "OST", "home_branch": "OST", "collection": "general",
		"material_class": "book", "patron_class": "adult", "lent": "2026-10-05T10:00"}, "expect": {"due": "2026-10-27"}}]`
	for name, c := range map[string]struct {
		file, zone, says string // empty: a network is made of it
	}{
		"fits":                 {file(ost, ""), "Europe/Berlin", ""},
		"a byte-order mark":    {"\xef\xbb\xbf" + file(ost, ""), "Europe/Berlin", ""},
		"an opening alone":     {file(strings.Replace(ost, `"hours": {"mon": ["09:00-18:00"]}`, `"openings": [{"date": "2026-10-05", "hours": ["10:00-12:00"]}]`, 1), ""), "Europe/Berlin", ""},
		"lower case":           {file(strings.Replace(ost, "OST", "ost", 1), ""), "Europe/Berlin", `The code of the branch "ost"; expected three capital letters, such as HVH.`},
		"long":                 {file(strings.Replace(ost, "OST", "OSTK", 1), ""), "Europe/Berlin", `The code of the branch "OSTK"`},
		"no name":              {file(strings.Replace(ost, `"name": "Ostk\u00fcste",`, "", 1), ""), "Europe/Berlin", "The branch OST has no name"},
		"no hours":             {file(strings.Replace(ost, `"mon": ["09:00-18:00"]`, `"mon": []`, 1), ""), "Europe/Berlin", "The branch OST is never open"},
		"no branch":            {file("", ""), "Europe/Berlin", "There is no branch"},
		"an example":           {file(ost, example), "Europe/Berlin", "The example “Three weeks” comes out otherwise than it expects"},
		"another zone":         {file(ost, ""), "Asia/Kolkata", `found "Asia/Kolkata", in which there is no branch of the rulebook; expected the zone of one of them, such as Europe/Berlin`},
		"another encoding":     {file(strings.Replace(ost, `\u00fc`, "\xfc", 1), ""), "Europe/Berlin", "text in another encoding near line 1; expected text in UTF-8"},
		"UTF-16":               {"\xff\xfe{\x00}\x00", "Europe/Berlin", "text in UTF-16; expected text in UTF-8"},
		"all that is wrong":    {file(`{"code": "ost", "timezone": "Europe/Berlin"}`, ""), "Europe/Berlin", "never open"},
		"the first of several": {file(`{"code": "ost", "timezone": "Europe/Berlin"}`, ""), "Europe/Berlin", "three capital letters"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := rules.Prepare(rules.Network{Name: "Trial", Digits: "4321", Timezone: c.zone, Rulebook: []byte(c.file)})
			if c.says == "" {
				require.NoError(t, err)
				return
			}
			require.ErrorContains(t, err, c.says)
		})
	}
}

// The files to begin with fit each other, and what they expect is so.
func TestFilesToBeginWith(t *testing.T) {
	network := rules.Network{Name: "Trial", Digits: "4321", Timezone: "America/Halifax"}
	var err error
	network.Rulebook, err = os.ReadFile("../../docs/start/rulebook.json")
	require.NoError(t, err)
	network.Courier, err = os.ReadFile("../../docs/start/courier.json")
	require.NoError(t, err)
	_, err = rules.Prepare(network)
	require.NoError(t, err)
	book, err := rulebook.Read(network.Rulebook)
	require.NoError(t, err)
	report := book.Check()
	assert.True(t, report.OK, "%+v", report)
	assert.Len(t, report.Examples, 3)
}
