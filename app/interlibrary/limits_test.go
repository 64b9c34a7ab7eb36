package interlibrary_test

import (
	"context"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/interlibrary"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/store"
	"nevrin/store/interlibrarydb"
	"nevrin/testkit"
)

// Rules bound what is asked for outside: whether at all, how much at once, and what it costs.
func TestAskingOutsideFollowsTheRules(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	var patron int64
	require.NoError(
		t,
		testkit.SQL(h).
			Raw("SELECT id FROM patrons WHERE card = ?", testkit.Text(t, h, testkit.GoodCard, "HVH", "adult")).
			Scan(&patron).
			Error,
	)
	ask := func(title string) error {
		_, err := act.Do(context.Background(), h, caspar, "", nil, func(a *act.Act) (*interlibrary.Request, error) {
			return interlibrary.Ask(a, interlibrary.Order{Partner: 1, Title: title, Patron: patron, Pickup: "HVH"})
		})
		return err
	}
	testkit.InForce(t, h, map[string][]string{"patron_class": {"adult"}}, "interlibrary_at_once", 2)
	testkit.InForce(t, h, map[string][]string{"patron_class": {"adult"}}, "interlibrary_charge", "1.50")
	require.NoError(t, ask("One"))
	require.NoError(t, ask("Two"))
	assert.ErrorContains(t, ask("Three"), "2 requests open; 2 are allowed at once.")
	assert.Equal(t, "300", testkit.Text(t, h, "SELECT balance::text FROM patrons WHERE id = ?", patron))
	testkit.InForce(t, h, map[string][]string{"patron_class": {"adult"}}, "interlibrary_allowed", false)
	assert.ErrorContains(t, ask("Four"), "Interlibrary requests are not allowed for the patron class Adult")
	require.NoError(t, testkit.SQL(h).Exec("UPDATE patrons SET standing = 'inactive' WHERE id = ?", patron).Error)
	assert.ErrorContains(t, ask("Five"), "card is inactive")
}

// A partner asks for a book that is four months old: it stays, and why is said; something that cannot be found is
// not offered.
func TestAwkwardRequests(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	propose := func(query string) *interlibrary.Proposal {
		var id int64
		require.NoError(t, testkit.SQL(h).Raw(query).Scan(&id).Error)
		require.NotZero(t, id)
		return testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Proposal, error) { return interlibrary.ProposalFor(a, id) })
	}
	young := propose(
		"SELECT r.id FROM requests r WHERE r.role = 'supplying' AND r.stage = 'asked' AND EXISTS (SELECT 1 FROM titles t JOIN items i ON i.title_id = t.id WHERE t.name = r.title AND i.added_on = '2026-06-06') LIMIT 1",
	)
	assert.Equal(t, []string{"no", young.Reason}, []string{young.Answer, young.Reason}, young.Says)
	require.NotEmpty(t, young.Copies)
	for _, c := range young.Copies {
		assert.False(t, c.May, c.Says)
	}
	missing := propose(
		"SELECT r.id FROM requests r JOIN titles t ON t.name = r.title JOIN items i ON i.title_id = t.id WHERE r.role = 'supplying' AND r.stage = 'asked' AND i.standing = 'missing' AND i.branch_code = 'HVH' LIMIT 1",
	)
	assert.Equal(t, []string{"no", "NotAvailable"}, []string{missing.Answer, missing.Reason}, missing.Says)
	require.NotEmpty(t, missing.Copies)
	assert.Equal(t, "Missing", missing.Copies[0].Says)
	// All that wait at once, the oldest first, each with an answer.
	all := testkit.Do(t, h, caspar, interlibrary.Proposals)
	require.Greater(t, len(all), 4)
	for k, p := range all {
		assert.NotEmpty(t, p.Says)
		assert.True(t, k == 0 || !p.Request.BegunAt.Before(all[k-1].Request.BegunAt))
	}
}

func openOnes(a *act.Act, page store.Page) ([]interlibrary.Request, store.Page, error) {
	return interlibrary.List(a, interlibrarydb.Filter{}, page)
}

// The list has requests in every stage, ours and theirs, our move first, each once.
func TestListSaysWhoseMoveItIs(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	list := testkit.Whole(t, h, caspar, 7, openOnes)
	assert.Len(t, list, 60)
	// A no that nobody has seen stays, however old it is; what has ended otherwise goes.
	require.NoError(t, testkit.SQL(h).Exec("UPDATE requests SET moved_at = moved_at - interval '1 year' "+
		"WHERE stage IN ('refused', 'done', 'withdrawn')").Error)
	for _, r := range testkit.Whole(t, h, caspar, 7, openOnes) {
		assert.True(t, r.OurMove || !r.Stage.Ended(), "%+v", r)
	}
	old := testkit.Whole(t, h, caspar, 7, openOnes)
	assert.Less(t, len(old), len(list))
	assert.True(t, slices.ContainsFunc(old, func(r interlibrary.Request) bool { return r.Stage == exchange.Refused }))
	ours := slices.DeleteFunc(slices.Clone(list), func(r interlibrary.Request) bool { return !r.OurMove })
	assert.Len(t, ours, testkit.Do(t, h, caspar, interlibrary.Count).Ours)
	stages := map[string]bool{}
	theirs := false
	for _, r := range list {
		stages[string(r.Role)+" "+string(r.Stage)] = true
		assert.False(t, theirs && r.OurMove, "our move comes first")
		theirs = theirs || !r.OurMove
		assert.NotEmpty(t, r.Says)
		if r.Role == "supplying" {
			assert.Empty(t, r.Patron)
		}
	}
	for _, stage := range []string{"asked", "promised", "shipped", "there", "back", "done", "refused", "withdrawn"} {
		assert.True(t, stages["requesting "+stage], stage)
	}
	for _, stage := range []string{"asked", "promised", "shipped", "there", "done"} {
		assert.True(t, stages["supplying "+stage], stage)
	}
}

// What a lender wants back by a day that has gone by is asked about; it was lent for a year.
func TestALendersDateThatHasGoneBy(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	r := ask(t, h)
	ok, problem, err := incoming(h, status(r.Number, "Loaned", "24.10.2026"))
	require.NoError(t, err)
	assert.False(t, ok)
	assert.Contains(t, problem, "dueDate")
	ok, problem, err = incoming(h, status(r.Number, "Loaned", "2025-10-24"))
	require.NoError(t, err)
	require.True(t, ok, problem)
	arrived := func(day string) (*interlibrary.Taken, error) {
		return testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Taken, error) {
			if day == "" {
				return interlibrary.Arrived(a, r.ID, nil)
			}
			d, err := calendar.ParseDate(day)
			require.NoError(t, err)
			return interlibrary.Arrived(a, r.ID, &d)
		})
	}
	_, err = arrived("")
	assert.ErrorContains(t, err, "Fri 24 Oct 2025, has passed. Agree on another date, then receive it with that.")
	_, err = arrived("2026-10-01")
	assert.ErrorContains(t, err, "Thu 1 Oct, has passed. Agree on another date, then receive it with that.")
	assert.True(t, testkit.Do(t, h, caspar, func(a *act.Act) (bool, error) {
		list, _, err := interlibrary.List(a, interlibrarydb.Filter{}, store.Page{Most: 1000})
		for _, l := range list {
			if l.ID == r.ID {
				return l.DuePast, err
			}
		}
		return false, err
	}), "the list says so beforehand")
	_, err = arrived("2026-11-03")
	require.NoError(t, err)
	assert.Equal(t, "2026-10-30", testkit.Text(t, h, "SELECT own_terms->'latest_due'->>0 FROM items WHERE id = (SELECT item_id FROM requests WHERE id = ?)", r.ID))
}
