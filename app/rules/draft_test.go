package rules_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/testkit"
)

// maren does something and tells what came of it.
func do[T any](h *act.House, who act.Actor, change func(*act.Act) (T, error)) (T, error) {
	return act.Do(context.Background(), h, who, "", nil, change)
}

func ruleOf(t *testing.T, list *rules.RuleList, id string) rules.Rule {
	t.Helper()
	for _, r := range list.Rules {
		if r.ID == id {
			return r
		}
	}
	t.Fatalf("no rule %s", id)
	return rules.Rule{}
}

func TestRulesInSentences(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	list := testkit.Do(t, h, maren, func(a *act.Act) (*rules.RuleList, error) { return rules.List(a, draft.ID) })
	films := ruleOf(t, list, "films")
	assert.Contains(t, films.Sentence, "Material class: film: loan period 7 days")
	assert.Empty(t, films.Idle)
	assert.Positive(t, films.Loans, "films were lent last year")
	// A rule for films and children at every branch and zone leaves the one for their period nothing to decide.
	write := func(revision int, rule rulebook.RuleFile) *rules.Edition {
		return testkit.Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) {
			return rules.Write(a, draft.ID, rules.Written{Revision: revision, Rule: rule})
		})
	}
	e := write(
		1,
		rulebook.RuleFile{
			Name:  "Scrolls",
			Scope: map[string][]string{"material_class": {"game"}, "lending_branch": {"zone:islands"}},
			Terms: map[string]any{"renewals": 3},
		},
	)
	e = write(
		e.Revision,
		rulebook.RuleFile{
			Name:  "Games on each island",
			Scope: map[string][]string{"material_class": {"game"}, "lending_branch": {"WRN", "SKN", "TRN"}},
			Terms: map[string]any{"renewals": 2},
		},
	)
	e = write(
		e.Revision,
		rulebook.RuleFile{
			Name:  "Games and kits on Skarrin",
			Scope: map[string][]string{"material_class": {"game", "kit"}, "lending_branch": {"SKN"}},
			Terms: map[string]any{"renewals": 4},
		},
	)
	list = testkit.Do(t, h, maren, func(a *act.Act) (*rules.RuleList, error) { return rules.List(a, draft.ID) })
	assert.Equal(t, []string{"Renewals"}, ruleOf(t, list, "scrolls").Idle)
	assert.Len(t, ruleOf(t, list, "games-on-each-island").Conflicts, 1)
	struck := testkit.Do(
		t,
		h,
		maren,
		func(a *act.Act) (*rules.Edition, error) { return rules.Strike(a, draft.ID, e.Revision, "scrolls") },
	)
	_, err := do(
		h,
		maren,
		func(a *act.Act) (*rules.Edition, error) { return rules.Strike(a, draft.ID, struck.Revision, "base") },
	)
	assert.ErrorContains(t, err, "no base rule")
	_, err = do(
		h,
		maren,
		func(a *act.Act) (*rules.Edition, error) { return rules.Strike(a, draft.ID, struck.Revision, "scrolls") },
	)
	assert.ErrorContains(t, err, "no rule")
}

// Cells chosen together become the fewest rules, whole zones by their name, and what does not follow is told.
func TestCellsTogether(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	all := testkit.Do(t, h, maren, rules.Look)
	var cells [][2]string
	for _, branch := range []string{"WRN", "SKN", "TRN", "SLM"} {
		for _, m := range []string{"film", "game"} {
			cells = append(cells, [2]string{branch, m})
		}
	}
	set := testkit.Do(t, h, maren, func(a *act.Act) (*rules.CellsSet, error) {
		return rules.SetCells(
			a,
			draft.ID,
			rules.Cells{
				Revision: 1,
				Term:     "loan_period",
				Value:    "P10D",
				Rows:     "lending_branch",
				Columns:  "material_class",
				Cells:    cells,
				At:       map[string]string{"patron_class": "adult"},
			},
		)
	})
	require.Len(t, set.Rules, 1)
	assert.Contains(t, set.Rules[0], "Saltmere")
	assert.Contains(
		t,
		set.Rules[0],
		"Bookboat Tern",
		"by name: the boat has a rule of its own, which outweighs one for its zone",
	)
	assert.Empty(t, set.Stay)
	for _, c := range cells {
		assert.Equal(t, "10", cell(t, h, maren, draft.ID, c[0], "adult", c[1]).Short, c)
	}
	assert.Equal(t, "7", cell(t, h, maren, draft.ID, "HVH", "adult", "film").Short)
	// A whole row of patron classes names no material; where a narrower rule decides, that is said.
	var row [][2]string
	for _, m := range all.Dimensions["material_class"] {
		row = append(row, [2]string{"adult", m.Code})
	}
	set = testkit.Do(t, h, maren, func(a *act.Act) (*rules.CellsSet, error) {
		return rules.SetCells(
			a,
			draft.ID,
			rules.Cells{
				Revision: set.Edition.Revision,
				Term:     "loan_period",
				Value:    "P5D",
				Rows:     "patron_class",
				Columns:  "material_class",
				Cells:    row,
				At:       map[string]string{"lending_branch": "HVH"},
			},
		)
	})
	require.Len(t, set.Rules, 2)
	assert.NotContains(t, set.Rules[0], "Material class")
	assert.Contains(t, set.Rules[1], "Material class", "films have a rule that outweighs one for adults alone")
	assert.Empty(t, set.Stay)
	set = testkit.Do(t, h, maren, func(a *act.Act) (*rules.CellsSet, error) {
		return rules.SetCells(
			a,
			draft.ID,
			rules.Cells{
				Revision: set.Edition.Revision,
				Term:     "holds_at_once",
				Value:    9,
				Rows:     "lending_branch",
				Columns:  "material_class",
				Cells:    cells[:6],
				At:       map[string]string{"patron_class": "adult"},
			},
		)
	})
	require.Len(t, set.Rules, 1)
	assert.Contains(t, set.Rules[0], "all of islands", "nothing else speaks of it there, so the zone says it")
	_, err := do(h, maren, func(a *act.Act) (*rules.CellsSet, error) {
		return rules.SetCells(
			a,
			draft.ID,
			rules.Cells{
				Revision: 1,
				Term:     "hold_shelf_days",
				Value:    9,
				Rows:     "lending_branch",
				Columns:  "lending_branch",
				Cells:    cells,
			},
		)
	})
	assert.Error(t, err)
}

func TestComparingAndRanking(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	now := testkit.Do(t, h, maren, func(a *act.Act) (int64, error) { return a.Book.ID, nil })
	c := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Comparison, error) { return rules.Compare(a, now, 3) })
	require.Len(t, c.Rules, 1, "the demo's draft lengthens film loans on the islands")
	require.NotEmpty(t, c.Terms)
	for _, d := range c.Terms {
		assert.Equal(t, "loan_period", d.Term)
		assert.Equal(t, "14 days", d.New)
		assert.Contains(t, d.Where, "film")
	}
	draft := begin(t, h, maren)
	byPatron := []string{"patron_class", "lending_branch", "home_branch", "collection", "material_class"}
	what := testkit.Do(
		t,
		h,
		maren,
		func(a *act.Act) (*rules.Comparison, error) { return rules.CompareRanking(a, draft.ID, byPatron) },
	)
	assert.Empty(t, what.Rules)
	assert.NotEmpty(t, what.Terms, "children's films would go out for four weeks")
	_, err := do(h, maren, func(a *act.Act) (*rules.Edition, error) { return rules.Rank(a, draft.ID, 1, byPatron[:4]) })
	assert.ErrorContains(t, err, "five dimensions once each")
	assert.Equal(t, "7", cell(t, h, maren, draft.ID, "HVH", "child", "film").Short)
	testkit.Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) { return rules.Rank(a, draft.ID, 1, byPatron) })
	assert.Equal(t, "28", cell(t, h, maren, draft.ID, "HVH", "child", "film").Short)
	assert.Equal(t, "7", cell(t, h, maren, now, "HVH", "child", "film").Short, "the edition in force keeps its ranking")
}

// Examples run on every change of a draft; one that fails needs a reason to be put in force.
func TestExamples(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	check := func() *rules.Check {
		return testkit.Do(t, h, maren, func(a *act.Act) (*rules.Check, error) { return rules.CheckEdition(a, draft.ID) })
	}
	for _, e := range check().Examples {
		assert.True(t, e.OK, "%s: %v", e.Name, e.Differs)
	}
	e, err := set(h, maren, draft.ID, 1, islandFilms, "loan_period", "P14D")
	require.NoError(t, err)
	failing := []string{}
	for _, x := range check().Examples {
		if !x.OK {
			failing = append(failing, x.Name+": "+strings.Join(x.Differs, "; "))
		}
	}
	assert.Equal(t, []string{"A film on the islands: due: expected 2026-10-13, came 2026-10-20"}, failing)
	start := func(reason string) error {
		_, err := do(h, maren, func(a *act.Act) (*rules.Edition, error) {
			return rules.PutInForce(a, draft.ID, rules.Start{Revision: e.Revision, From: a.Today(), Reason: reason, Against: a.Book.ID})
		})
		return err
	}
	assert.ErrorContains(t, start(" "), "does not give the expected result. Enter a reason to put the draft in force anyway, or correct it first.")
	assert.NoError(t, start("The ferry"))
	bad := rules.ExampleFile{Name: "Bad", Given: map[string]any{"lending_branch": "SLM", "lent": "yesterday"}}
	other := begin(t, h, maren)
	_, err = do(h, maren, func(a *act.Act) (*rules.Edition, error) {
		return rules.WriteExample(a, other.ID, rules.WrittenExample{Revision: 1, Example: bad})
	})
	assert.ErrorContains(t, err, "given.lent")
}

// A real loan becomes an example that holds in the edition it was made under.
func TestExampleOfALoan(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	revision := 1
	for _, which := range []string{"renewals = 0 AND due_at IS NULL AND returned_at > due_date + 5", "renewals > 0 AND returned_at IS NOT NULL", "due_at IS NOT NULL AND returned_at IS NOT NULL", "returned_at IS NULL AND due_at IS NULL"} {
		var id int64
		require.NoError(
			t,
			testkit.SQL(h).
				Raw("SELECT id FROM loans WHERE edition_id = 2 AND "+which+" ORDER BY id LIMIT 1").
				Scan(&id).
				Error,
		)
		e := testkit.Do(t, h, maren, func(a *act.Act) (*rules.ExampleFile, error) { return rules.FromLoan(a, id) })
		saved := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) {
			return rules.WriteExample(a, draft.ID, rules.WrittenExample{Revision: revision, Example: *e})
		})
		revision = saved.Revision
		due := testkit.Text(t, h, "SELECT coalesce(due_date::text, 'hours') FROM loans WHERE id = ?", id)
		if due != "hours" {
			assert.Equal(t, due, e.Expect["due"], which)
		}
	}
	for _, e := range testkit.Do(t, h, maren, func(a *act.Act) (*rules.Check, error) { return rules.CheckEdition(a, draft.ID) }).Examples {
		assert.True(t, e.OK, "%s: %v", e.Name, e.Differs)
	}
}

// An edition goes out as a file that the command line accepts, and comes back as a draft without differences.
func TestFileThereAndBack(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	text := testkit.Do(t, h, maren, func(a *act.Act) (json.RawMessage, error) { return rules.File(a, a.Book.ID) })
	book, err := rulebook.Read(text)
	require.NoError(t, err)
	assert.True(t, book.Check().OK)
	bring := func(text string, take bool) (*rules.Looked, error) {
		return do(
			h,
			maren,
			func(a *act.Act) (*rules.Looked, error) { return rules.Bring(a, rules.Brought{Text: text, Take: take}) },
		)
	}
	same, err := bring(string(text), false)
	require.NoError(t, err)
	assert.Empty(t, same.Rules)
	assert.Empty(t, same.Terms)
	assert.Nil(t, same.Edition, "looking takes nothing over")
	changed := strings.Replace(string(text), `"P7D"`, `"P8D"`, 1)
	looked, err := bring(changed, true)
	require.NoError(t, err)
	assert.Len(t, looked.Rules, 1)
	require.NotNil(t, looked.Edition)
	for _, c := range []struct{ name, old, new, says string }{
		{"an unknown term", `"loan_period"`, `"loan_perod"`, `unknown term "loan_perod"`},
		{"a wrong unit", `"P7D"`, `"7 days"`, "terms.loan_period"},
		{"a branch that does not exist", `"zone:islands"`, `"zone:moon"`, "a zone that no branch is in"},
		{"two base rules", `"material_class": [` + "\n", `"material_class": [], "collection": [` + "\n", ""},
		{"a span that ends before it begins", `"10:00-18:00"`, `"18:00-10:00"`, "does not end after it begins"},
		{"overlapping spans", `"14:00-17:00"`, `"12:00-17:00"`, "overlaps"},
		{"another currency", `"CAD"`, `"EUR"`, "$.currency"},
	} {
		if !strings.Contains(string(text), c.old) {
			continue
		}
		_, err := bring(strings.Replace(string(text), c.old, c.new, 1), true)
		if c.says != "" {
			require.Error(t, err, c.name)
			assert.ErrorContains(t, err, c.says, c.name)
			assert.ErrorContains(t, err, "$.", "%s names its place", c.name)
		}
	}
}

// A rehearsal of the demo's draft touches film loans on the islands and nothing else.
func TestRehearsal(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	begun := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) {
		return rules.Begin(a, 3, rules.Period{Since: calendar.MakeDate(2026, 3, 1), Until: calendar.MakeDate(2026, 9, 30), Then: true})
	})
	assert.Equal(t, "waiting", begun.State)
	require.NoError(t, rules.Run(context.Background(), h, begun.ID))
	r := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) { return rules.Rehearsed(a, begun.ID) })
	require.Equal(t, "done", r.State, r.Problem)
	loans := testkit.Text(
		t,
		h,
		"SELECT count(*)::text FROM loans WHERE lent_at >= '2026-03-01 00:00-04' AND lent_at < '2026-10-01 00:00-03' AND NOT undone",
	)
	films, err := strconv.Atoi(
		testkit.Text(
			t,
			h,
			"SELECT count(*)::text FROM loans WHERE lent_at >= '2026-03-01 00:00-04' AND lent_at < '2026-10-01 00:00-03' AND NOT undone AND situation[4] = 'film' AND situation[1] IN ('WRN', 'SKN')",
		),
	)
	require.NoError(t, err)
	assert.Equal(t, loans, strconv.Itoa(r.Result.Loans))
	assert.InDelta(
		t,
		films,
		r.Result.By["material_class"]["film"].Moved,
		0.05*float64(films),
		"those that the draft speaks of, but for dates that fall together",
	)
	for class, tally := range r.Result.By["material_class"] {
		if class != "film" {
			assert.Zero(t, tally.Moved, class)
			assert.Equal(t, tally.ChargedBefore, tally.ChargedAfter, class)
		}
	}
	for branch, tally := range r.Result.By["lending_branch"] {
		if branch != "WRN" && branch != "SKN" {
			assert.Zero(t, tally.Moved, branch)
		}
	}
	assert.Less(t, r.Result.ChargedAfter, r.Result.ChargedBefore, "a longer loan is late less often")
	for days := range r.Result.ByDays {
		assert.Positive(t, days)
	}
	var out bytes.Buffer
	require.NoError(
		t,
		rules.WriteCSV(&out, r, rulebook.New(calendarCurrency(t, h), nil, rulebook.DefaultRanking, nil).Currency),
	)
	reader := csv.NewReader(&out)
	reader.FieldsPerRecord = -1
	lines, err := reader.ReadAll()
	require.NoError(t, err)
	assert.Equal(t, "All", lines[2][0])
	assert.Equal(t, loans, lines[2][2])

	stopped := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) {
		return rules.Begin(a, 3, rules.Period{Since: calendar.MakeDate(2026, 3, 1), Until: calendar.MakeDate(2026, 9, 30), Then: true})
	})
	testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) { return rules.Stop(a, stopped.ID) })
	require.NoError(t, rules.Run(context.Background(), h, stopped.ID))
	assert.Equal(t, "stopped", testkit.Text(t, h, "SELECT state FROM rehearsals WHERE id = ?", stopped.ID))
	_, err = do(h, maren, func(a *act.Act) (*rules.Rehearsal, error) {
		return rules.Begin(a, 3, rules.Period{Since: calendar.MakeDate(2026, 9, 30), Until: calendar.MakeDate(2026, 3, 1), Then: true})
	})
	assert.ErrorContains(t, err, "The period ends before it starts.")
}

func TestReports(t *testing.T) {
	h := testkit.House(t)
	jory, maren := testkit.Somebody(t, h, "jory"), testkit.Somebody(t, h, "maren")
	sent, err := do(h, jory, func(a *act.Act) (*rules.Report, error) {
		return rules.Complain(a, rules.Complaint{Loan: 1, Item: 1, Happened: "Got a week", Expected: "Two"})
	})
	require.NoError(t, err)
	_, err = do(h, jory, func(a *act.Act) (*rules.Report, error) {
		return rules.Complain(a, rules.Complaint{Loan: 1 << 40, Happened: "Got a week"})
	})
	assert.ErrorContains(t, err, "no such patron, item or loan")
	list := testkit.Whole(t, h, maren, 1, rules.Reports)
	assert.Equal(t, sent.ID, list[0].ID, "the newest first")
	answer := func() error {
		_, err := do(h, maren, func(a *act.Act) (*rules.Report, error) {
			return rules.AnswerReport(a, sent.ID, "Classed wrongly; mended")
		})
		return err
	}
	require.NoError(t, answer())
	assert.ErrorContains(t, answer(), "There is no such report, or it is already answered.")
	list = testkit.Whole(t, h, maren, 1, rules.Reports)
	assert.NotEqual(t, sent.ID, list[0].ID, "answered ones come after")
}

// Why of a loan: which rule gave each term, as what it was classed, and what the next loan would get.
func TestWhyOfALoan(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	var id int64
	require.NoError(
		t,
		testkit.SQL(h).
			Raw("SELECT id FROM loans WHERE situation[4] = 'film' AND returned_at IS NULL AND situation[5] = 'adult' ORDER BY id LIMIT 1").
			Scan(&id).
			Error,
	)
	l := testkit.Do(t, h, maren, func(a *act.Act) (*rules.LoanTerms, error) { return rules.Loan(a, id) })
	byTerm := map[string]rules.TermOf{}
	for _, term := range l.Terms {
		byTerm[term.Term] = term
	}
	assert.Equal(t, "Films go out for a week", byTerm["loan_period"].Rule)
	assert.Equal(t, "Base rule", byTerm["renewals"].Rule)
	assert.Equal(t, "The default", byTerm["floating"].Rule)
	require.NoError(
		t,
		testkit.SQL(h).Exec("UPDATE items SET material = 'book', collection = 'fiction' WHERE id = ?", l.ItemID).Error,
	)
	again := testkit.Do(t, h, maren, func(a *act.Act) (*rules.LoanTerms, error) { return rules.Loan(a, id) })
	assert.Contains(t, again.Classed, rules.Value{Code: "material_class", Name: "Film"})
	assert.Contains(t, again.NowAs, rules.Value{Code: "material_class", Name: "Book"})
	assert.Contains(t, again.Next, "21 days")
	assert.Equal(t, l.Due, again.Due, "the loan keeps the terms it was lent under")
}

func calendarCurrency(t *testing.T, h *act.House) money.Currency {
	t.Helper()
	c, err := money.ParseCurrency(testkit.Text(t, h, "SELECT currency FROM network"))
	require.NoError(t, err)
	return c
}

// Drafts that are begun at once each get a number of their own, and nobody who lends has to wait for them.
func TestDraftsBegunAtOnce(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	var all sync.WaitGroup
	for k := range 8 {
		all.Go(func() {
			_, err := act.Do(context.Background(), h, maren, "", nil, func(a *act.Act) (*rules.Edition, error) {
				return rules.Draft(a, fmt.Sprint("Draft of station ", k), 0)
			})
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Equal(t, "8", testkit.Text(t, h, "SELECT count(*)::text FROM editions WHERE name LIKE 'Draft of station _'"))
}

// Beside a draft stands what is hardly meant of it in this network, both in the list of its rules and where it is checked.
func TestTrapsBesideADraft(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	require.NoError(t, testkit.SQL(h).Exec("UPDATE classes SET retired = true WHERE kind = 'material' AND code = 'game'; UPDATE network SET version = version + 1").Error)
	draft := begin(t, h, maren)
	testkit.Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) {
		return rules.Write(a, draft.ID, rules.Written{Revision: 1, Rule: rulebook.RuleFile{
			Name: "Dear friends", Scope: map[string][]string{"patron_class": {"adult"}},
			Terms: map[string]any{"membership_charge": "500.00", "holds_at_once": 0},
		}})
	})
	text := func(found []rulebook.Warning) (all string) {
		for _, w := range found {
			all += w.Text + "\n"
		}
		return all
	}
	list := testkit.Do(t, h, maren, func(a *act.Act) (*rules.RuleList, error) { return rules.List(a, draft.ID) })
	says := text(list.Warnings)
	assert.Contains(t, says, "“Dear friends” charges $500.00 for a membership")
	assert.Contains(t, says, "“Dear friends” sets “Holds at once” to 0")
	assert.Contains(t, says, "is for the material class “game”, which the network does not have or no longer offers")
	assert.Contains(t, says, "lends the material “reference” to nobody")
	assert.NotContains(t, says, "“film”")
	check := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Check, error) { return rules.CheckEdition(a, draft.ID) })
	assert.Equal(t, says, text(check.Warnings))
}
