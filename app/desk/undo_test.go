package desk_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/testkit"
)

func lendTo(t *testing.T, w *testkit.World, who act.Actor, patron int64, item string) *desk.Result {
	t.Helper()
	return testkit.Do(
		t,
		w.House,
		who,
		func(a *act.Act) (*desk.Result, error) { return desk.Lend(a, desk.Lending{Item: item, Patron: patron}) },
	)
}

func undoLoan(w *testkit.World, who act.Actor, loan int64) error {
	_, err := testkit.Try(w.House, who, func(a *act.Act) (*desk.Undone, error) { return desk.Undo(a, loan) })
	return err
}

func placeHold(t *testing.T, w *testkit.World, who act.Actor, title, patron int64, pickup calendar.Code) *holds.Hold {
	t.Helper()
	return testkit.Do(t, w.House, who, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: patron, Pickup: pickup})
	})
}

// A hold opened again stands where it stood, before what was placed while it was filled.
func TestUndoGivesTheHoldItsOldPlace(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	early, reader := w.Patron("HVH"), w.Patron("HVH")
	before := placeHold(t, w, here, title, early, "HVH")
	first := placeHold(t, w, here, title, reader, "HVH") // the second of two
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, before.ID, "no longer wanted") })
	lent := lendTo(t, w, here, reader, items[0])
	require.Equal(t, "lent", lent.Kind, lent.Text)
	later := placeHold(t, w, here, title, w.Patron("HVH"), "HVH")
	require.NoError(t, undoLoan(w, here, lent.Line.LoanID))
	assert.Equal(t, "waiting", w.Ask("SELECT state FROM holds WHERE id = ?", later.ID))
	assert.Equal(t, "fetching", w.Ask("SELECT state FROM holds WHERE id = ?", first.ID))
}

// Undoing a loan after the patron has placed the hold again leaves the new hold in its place.
func TestUndoAfterTheHoldWasPlacedAgain(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	title, items := w.Title("HVH")
	reader := w.Patron("HVH")
	first := placeHold(t, w, here, title, reader, "HVH")
	lent := lendTo(t, w, here, reader, items[0])
	require.Equal(t, "lent", lent.Kind, lent.Text)
	assert.True(t, lent.Filled)
	again := placeHold(t, w, here, title, reader, "HVH")
	require.NoError(t, undoLoan(w, here, lent.Line.LoanID))
	assert.Equal(t, "filled", w.Ask("SELECT state FROM holds WHERE id = ?", first.ID))
	assert.Equal(
		t,
		"fetching",
		w.Ask("SELECT state FROM holds WHERE id = ?", again.ID),
		"the item is free again, and goes to who waits",
	)
}

// What a loan has become since is not undone with it: a return, a renewal, another undo.
func TestUndoOnlyWhatIsStillSo(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH")
	reader := w.Patron("HVH")
	loan := lendTo(t, w, here, reader, items[0]).Line.LoanID
	w.Later(time.Hour)
	testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Renewed, error) { return desk.Renew(a, loan) })
	assert.ErrorContains(t, undoLoan(w, here, loan), "has been renewed since")
	second := w.Item(1, "HVH", map[string]any{"title_id": w.Ask("SELECT min(id)::text FROM titles")})
	loan = lendTo(t, w, here, reader, second).Line.LoanID
	require.NoError(t, undoLoan(w, here, loan))
	assert.ErrorContains(t, undoLoan(w, here, loan), "has ended already")
	assert.ErrorContains(t, undoLoan(w, here, 1<<50), "no such loan")
}

// Lent past somebody's claim: they wait again, and another free copy is chosen for them at once.
func TestWhoWasPassedGetsAnotherCopy(t *testing.T) {
	w := testkit.NewWorld(t)
	here, supervisor := w.Staff(role.Desk, "HVH"), w.Staff(role.Supervisor, "HVH")
	title, items := w.Title("HVH")
	waiting, other := w.Patron("HVH"), w.Patron("HVH")
	hold := placeHold(t, w, here, title, waiting, "HVH")
	second := w.Item(title, "SLM", nil)
	assert.Equal(t, "ask", lendTo(t, w, supervisor, other, items[0]).Kind)
	lent := testkit.Do(t, w.House, supervisor, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(
			a,
			desk.Lending{
				Item:   items[0],
				Patron: other,
				Past:   lendTo(t, w, supervisor, other, items[0]).Stops,
				Reason: "Waits at the counter",
			},
		)
	})
	require.Equal(t, "lent", lent.Kind, lent.Text)
	assert.Equal(
		t,
		second,
		w.Ask(
			"SELECT i.barcode FROM holds h JOIN items i ON i.id = h.item_id WHERE h.id = ? AND h.state = 'fetching'",
			hold.ID,
		),
	)
}

// Something under way that is lent is under way no more, and that is told.
func TestLentOnItsWay(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("SLM")
	testkit.Do(t, w.House, here, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	require.Equal(t, "under_way", w.Ask("SELECT place FROM whereabouts"))
	require.Equal(t, "lent", lendTo(t, w, here, w.Patron("HVH"), items[0]).Kind)
	assert.Equal(t, "lent", w.Ask("SELECT place FROM whereabouts"))
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'transit_ended'"))
}

// Late, card expiry and age belong to the branch's date: at 09:12 on Tuesday in Halifax it is Wednesday in Auckland.
func TestDatesAreTheBranchs(t *testing.T) {
	w := testkit.NewWorld(t)
	here, far := w.Staff(role.Desk, "HVH"), w.Staff(role.Desk, "TRN")
	_, items := w.Title("TRN", "TRN")
	reader := w.Patron("TRN", map[string]any{"card_until": "2026-10-06", "born": "2010-10-07"})
	card := func(who act.Actor) *people.Card {
		return testkit.Do(t, w.House, who, func(a *act.Act) (*people.Card, error) { return people.Open(a, reader) })
	}
	assert.Empty(t, card(here).Stops, "in Halifax the card holds today still")
	assert.Equal(t, 15, *card(here).Age)
	assert.Contains(t, card(far).Stops[0], "The card expired on Tue 6 Oct")
	assert.Equal(t, 16, *card(far).Age, "and the birthday has come")
	w.Set("UPDATE patrons SET card_until = '2030-01-01'")
	loan := lendTo(t, w, far, reader, items[0]).Line.LoanID
	w.Set("UPDATE loans SET lent_at = lent_at - interval '30 days', due_date = '2026-10-06' WHERE id = ?", loan)
	assert.True(t, card(here).OnLoan[0].Late, "due on Tuesday at a branch where it is Wednesday, wherever one looks")
	w.Set("UPDATE loans SET branch_code = 'HVH' WHERE id = ?", loan)
	assert.False(t, card(far).OnLoan[0].Late)
}

// A renewal that was worked out from a due date which a change of a calendar moved meanwhile is worked out again.
func TestRenewingWhatACalendarMovesMeanwhile(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH")
	loan := lendTo(t, w, here, w.Patron("HVH"), items[0]).Line.LoanID
	var seen []string
	r := testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Renewed, error) {
		r, err := desk.Renew(a, loan) // written when the act ends
		seen = append(seen, w.Ask("SELECT due_date::text FROM loans WHERE id = ?", loan))
		if len(seen) == 1 {
			w.Set("UPDATE loans SET due_date = due_date + 40 WHERE id = ?", loan)
		}
		return r, err
	})
	require.True(t, r.OK, r.Text)
	require.Len(t, seen, 2, "tried again once")
	due := w.Ask("SELECT due_date::text FROM loans WHERE id = ?", loan)
	assert.Equal(t, seen[1], due, "a renewal never shortens what the calendar gave")
	assert.Equal(t, "0", w.Ask("SELECT renewals::text FROM loans WHERE id = ?", loan), "and what gives nothing uses none up")
}
