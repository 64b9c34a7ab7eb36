package desk_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/keeping"
	"nevrin/app/night"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/testkit"
)

// What somebody says of a loan is counted from what was written down, stops notices and bills, and can be returned.
func TestWhatIsSaidOfALoan(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	p := w.Patron("HVH")
	_, items := w.Title("HVH", "HVH")
	var loans []int64
	for _, item := range items {
		r := testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Result, error) {
			return desk.Lend(a, desk.Lending{Item: item, Patron: p})
		})
		loans = append(loans, r.Line.LoanID)
	}
	claim := func(loan int64, what string) (*people.Card, error) {
		return testkit.Try(w.House, here, func(a *act.Act) (*people.Card, error) { return desk.Claim(a, loan, what) })
	}
	card, err := claim(loans[0], "returned")
	require.NoError(t, err)
	assert.Equal(t, people.Claims{Returned: 1}, card.Claims)
	_, err = claim(loans[0], "never_had")
	require.ErrorContains(t, err, "already")
	card, err = claim(loans[1], "never_had")
	require.NoError(t, err)
	assert.Equal(t, people.Claims{Returned: 1, NeverHad: 1}, card.Claims)
	card = testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) { return desk.Unclaim(a, loans[1]) })
	assert.Equal(t, people.Claims{Returned: 1}, card.Claims, "taken back it does not count")

	// Both are late by far: of the one that was not said to be back, somebody is told, and it counts as lost.
	w.Set("UPDATE loans SET due_date = due_date - 200, lent_at = lent_at - interval '200 days'")
	day := testkit.Do(t, w.House, here, func(a *act.Act) (calendar.Date, error) { return a.Today(), nil })
	require.NoError(t, night.Step(t.Context(), w.House, day, "lost"))
	assert.Equal(t, "false true", w.Ask("SELECT string_agg((lost_at IS NOT NULL)::text, ' ' ORDER BY id) FROM loans"))

	// It is cut with the history, and still counts; it goes when the patron is forgotten.
	w.Set("UPDATE loans SET returned_at = lent_at + interval '1 day', lost_at = NULL")
	none := 0
	testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) { return keeping.Choose(a, p, keeping.Choice{Months: &none}) })
	require.NoError(t, night.Step(t.Context(), w.House, day, "history"))
	card = testkit.Do(t, w.House, here, func(a *act.Act) (*people.Card, error) { return people.Open(a, p) })
	assert.Equal(t, people.Claims{Returned: 1}, card.Claims)
	assert.Equal(t, "1", w.Ask("SELECT count(*) FROM claims WHERE loan_id IS NULL"))
}

// Due dates are set by hand by who is entitled, with a reason, and tell so.
func TestSettingADueDate(t *testing.T) {
	w := testkit.NewWorld(t)
	desk1, boss := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
	p := w.Patron("HVH")
	_, items := w.Title("HVH")
	r := testkit.Do(t, w.House, boss, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: items[0], Patron: p})
	})
	due := calendar.MakeDate(2026, 11, 2)
	set := func(who act.Actor, reason string) (*people.Card, error) {
		return testkit.Try(w.House, who, func(a *act.Act) (*people.Card, error) {
			return desk.SetDue(a, r.Line.LoanID, desk.Setting{Due: due, Reason: reason})
		})
	}
	_, err := set(desk1, "holiday")
	require.ErrorContains(t, err, "You cannot set due dates. Ask somebody who can.")
	yes := true
	desk1.Rights.DueDates = &yes
	_, err = set(desk1, "")
	require.ErrorContains(t, err, "Enter a reason for the change.")
	card, err := set(desk1, "holiday")
	require.NoError(t, err)
	assert.Equal(t, "Mon 2 Nov", card.OnLoan[0].Due)
	assert.Contains(t, w.Ask("SELECT detail->>'reason' FROM events WHERE kind = 'due_changed'"), "holiday")
}
