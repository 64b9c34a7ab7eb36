package rules_test

import (
	"context"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/rules"
	"nevrin/core/calendar"
	"nevrin/store/rulesdb"
	"nevrin/testkit"
)

// A draft that was begun before another was put in force says what it takes back, and needs a reason for it. The way back to an older
// edition is a draft begun from it.
func TestWhatADraftTakesBack(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	first, second := begin(t, h, maren), begin(t, h, maren)
	older := testkit.Do(t, h, maren, func(a *act.Act) (int64, error) { return a.Book.ID, nil })
	first, err := set(h, maren, first.ID, first.Revision, islandFilms, "loan_period", "P14D")
	require.NoError(t, err)
	second, err = set(h, maren, second.ID, second.Revision, map[string][]string{"material_class": {"book"}}, "renewals", 3)
	require.NoError(t, err)
	start := func(e *rules.Edition, against int64, reason string) error {
		_, err := do(h, maren, func(a *act.Act) (*rules.Edition, error) {
			return rules.PutInForce(a, e.ID, rules.Start{Revision: e.Revision, From: a.Today(), Reason: reason, Against: against})
		})
		return err
	}
	look := func(e *rules.Edition) *rules.Putting {
		return testkit.Do(t, h, maren, func(a *act.Act) (*rules.Putting, error) { return rules.LookAtPutting(a, e.ID, a.Today()) })
	}
	assert.Empty(t, look(second).Dropped)
	require.NoError(t, start(first, older, "The ferry"))

	p := look(second)
	assert.Equal(t, first.ID, p.Against)
	require.Len(t, p.Dropped, 1)
	assert.Contains(t, p.Dropped[0].New, "14 days")
	assert.Len(t, p.Rules, 2, "its own change, and what it takes back")
	require.ErrorContains(t, start(second, older, "More renewals"), "was not compared with it")
	require.ErrorContains(t, start(second, first.ID, " "), "”. Enter a reason, or make these changes in it first.")
	require.NoError(t, start(second, first.ID, "More renewals; films as before"))

	back := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) { return rules.Draft(a, "As it was", older) })
	assert.Equal(t, "7", cell(t, h, maren, back.ID, "WRN", "adult", "film").Short)
	p = look(back)
	assert.Len(t, p.Dropped, 1, "what the second changed and the old edition does not have")
	require.NoError(t, start(back, second.ID, "Back"))
	of := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Overview, error) { return rules.Look(a) })
	last := of.Editions[len(of.Editions)-1]
	for _, e := range of.Editions {
		if e.ID == back.ID {
			last = e
		}
	}
	assert.Equal(t, "in_force", last.State)
	assert.Positive(t, last.Begun)
}

// An edition that has not begun can be withdrawn: it never counts, stays to be seen, and a draft can be begun from it. One that has
// begun cannot, whatever asks for it.
func TestAScheduledEditionIsWithdrawn(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	e := begin(t, h, maren)
	e, err := set(h, maren, e.ID, e.Revision, islandFilms, "loan_period", "P14D")
	require.NoError(t, err)
	now := testkit.Do(t, h, maren, func(a *act.Act) (int64, error) { return a.Book.ID, nil })
	testkit.Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) {
		return rules.PutInForce(a, e.ID, rules.Start{Revision: e.Revision, From: a.Today() + 7, Reason: "Later", Against: now})
	})
	withdraw := func(id int64) error {
		_, err := do(h, maren, func(a *act.Act) (*rules.Edition, error) { return rules.Withdraw(a, id) })
		return err
	}
	on := func(day calendar.Date) int64 {
		return testkit.Do(t, h, maren, func(a *act.Act) (int64, error) { return rulesdb.EditionOn(a.Tx, day.UTC()) })
	}
	today := testkit.Do(t, h, maren, func(a *act.Act) (calendar.Date, error) { return a.Today(), nil })
	assert.Equal(t, e.ID, on(today+7))
	require.NoError(t, withdraw(e.ID))
	assert.Equal(t, now, on(today+7))
	require.ErrorContains(t, withdraw(e.ID), "is already withdrawn.")
	require.ErrorContains(t, withdraw(now), "Only an edition that has not started can be withdrawn. Start a draft from an earlier edition and put that in force.")
	assert.ErrorContains(t, testkit.SQL(h).Exec("UPDATE editions SET state = 'withdrawn' WHERE id = ?", now).Error, "never changed")
	assert.ErrorContains(t, testkit.SQL(h).Exec("UPDATE editions SET rules = '[]' WHERE id = ?", e.ID).Error, "never changed")
	again := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Edition, error) { return rules.Draft(a, "", e.ID) })
	assert.Equal(t, "14", cell(t, h, maren, again.ID, "WRN", "adult", "film").Short)
}

// A draft is rehearsed against the edition in force, unless it is asked to compare with what was in force then.
func TestRehearsalAgainstTheEditionInForce(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	testkit.InForce(t, h, map[string][]string{"material_class": {"book"}}, "loan_period", "P10D")
	draft := begin(t, h, maren)
	moved := func(then bool) *rules.Rehearsal {
		begun := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) {
			return rules.Begin(a, draft.ID, rules.Period{Since: calendar.MakeDate(2026, 3, 1), Until: calendar.MakeDate(2026, 9, 30), Then: then})
		})
		require.NoError(t, rules.Run(context.Background(), h, begun.ID))
		return testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) { return rules.Rehearsed(a, begun.ID) })
	}
	today := moved(false)
	assert.Zero(t, today.Result.Moved, "it says what the edition in force says")
	assert.Zero(t, today.Result.ChargedAfter-today.Result.ChargedBefore)
	assert.Positive(t, today.Against)
	assert.Contains(t, today.Assumed[len(today.Assumed)-1], "Each loan is compared with edition")
	then := moved(true)
	assert.Positive(t, then.Result.Moved)
	assert.Zero(t, then.Against)
	latest := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Putting, error) { return rules.LookAtPutting(a, draft.ID, a.Today()) })
	assert.Equal(t, then.ID, latest.Rehearsal.ID)
}

// Of loans whose history is cut it is told how many they are; a title that somebody waited for is seen anyway.
func TestRehearsalOfCutHistories(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	draft, err := set(h, maren, draft.ID, draft.Revision, map[string][]string{}, "loan_period", "P30D")
	require.NoError(t, err)
	run := func() *rules.Rehearsal {
		begun := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) {
			return rules.Begin(a, draft.ID, rules.Period{Since: calendar.MakeDate(2026, 3, 1), Until: calendar.MakeDate(2026, 9, 30)})
		})
		require.NoError(t, rules.Run(context.Background(), h, begun.ID))
		return testkit.Do(t, h, maren, func(a *act.Act) (*rules.Rehearsal, error) { return rules.Rehearsed(a, begun.ID) })
	}
	before := run()
	require.Positive(t, before.Result.Awaited)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE loans SET patron_id = NULL WHERE returned_at IS NOT NULL").Error)
	after := run()
	assert.GreaterOrEqual(t, after.Result.Awaited, before.Result.Awaited, "a hold counts, whoever borrowed")
	assert.Equal(t, testkit.Text(t, h, `SELECT count(*)::text FROM loans WHERE patron_id IS NULL AND NOT undone
		AND lent_at >= '2026-03-01 00:00-04' AND lent_at < '2026-10-01 00:00-03'`), strconv.Itoa(after.Result.Cut))
	for _, id := range after.Result.Stopped {
		assert.Positive(t, id)
	}
	assert.Contains(t, after.Assumed[len(after.Assumed)-1], "on loan at the time, or owed, is not checked, and their own hold on the title counts as somebody else’s.")
}

// A whole row is one rule without the columns, for all branches; what narrower rules decide in it has one beside it, so that the row says
// one thing anyway, and what there will be later follows it.
func TestAWholeRow(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	draft := begin(t, h, maren)
	of := testkit.Do(t, h, maren, func(a *act.Act) (*rules.Overview, error) { return rules.Look(a) })
	row := func(class string) [][2]string {
		var cells [][2]string
		for _, m := range of.Dimensions["material_class"] {
			cells = append(cells, [2]string{class, m.Code})
		}
		return cells
	}
	set := func(class, term string, value any) *rules.CellsSet {
		out := testkit.Do(t, h, maren, func(a *act.Act) (*rules.CellsSet, error) {
			return rules.SetCells(a, draft.ID, rules.Cells{
				Revision: draft.Revision, Term: term, Value: value, Rows: "patron_class", Columns: "material_class", Cells: row(class),
			})
		})
		draft = &out.Edition
		return out
	}
	alone := set("adult", "patron_renewals", true)
	require.Len(t, alone.Rules, 1)
	assert.NotContains(t, alone.Rules[0], "Material class")
	assert.NotContains(t, alone.Rules[0], "branch")
	both := set("adult", "loan_period", "P20D")
	require.Len(t, both.Rules, 2)
	assert.Empty(t, both.Stay)
	assert.NotContains(t, both.Rules[0], "Material class")
	assert.Contains(t, both.Rules[1], "Material class")
	for _, m := range of.Dimensions["material_class"] {
		assert.Equal(t, "20", cell(t, h, maren, draft.ID, "SLM", "adult", m.Code).Short, m.Code)
	}
}
