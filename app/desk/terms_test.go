package desk_test

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/testkit"
)

func scanFor(t *testing.T, h *act.House, who act.Actor, card, item string, past ...loan.StopKind) *desk.Result {
	t.Helper()
	opened := testkit.Do(t, h, who, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	return testkit.Do(t, h, who, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: item, Patron: opened.Card.ID, Past: past, Reason: "test"})
	})
}

// A boy whose guardian refused older-reader material does not get it; his mother does.
func TestGuardiansNo(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	film := testkit.Text(t, h, testkit.FreeItem, "SLM", "film")
	require.NoError(
		t,
		testkit.SQL(h).Exec(`UPDATE items SET own_terms = '{"consent_needed": true}' WHERE barcode = ?`, film).Error,
	)
	kitto := testkit.Text(t, h, "SELECT card FROM patrons WHERE legal_name LIKE 'Kitto %' AND household_id = 1")
	merryn := testkit.Text(t, h, "SELECT card FROM patrons WHERE legal_name LIKE 'Merryn %' AND household_id = 1")
	refused := scanFor(t, h, jory, kitto, film)
	assert.Equal(t, "refused", refused.Kind)
	assert.Contains(t, refused.Text, "For older readers; the guardian refused.")
	require.NotNil(t, refused.Why)
	assert.Equal(t, "lent", scanFor(t, h, jory, merryn, film).Kind)
}

func TestAReaderIsToldOfHavingHadIt(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	item := testkit.Text(
		t,
		h,
		"SELECT i.barcode FROM items i JOIN titles t ON t.id = i.title_id WHERE t.name = 'The Patient Ferryman'",
	)
	card := testkit.Text(
		t,
		h,
		`SELECT p.card FROM patrons p JOIN loans l ON l.patron_id = p.id JOIN items i ON i.id = l.item_id WHERE i.barcode = ? LIMIT 1`,
		item,
	)
	assert.Contains(t, scanFor(t, h, jory, card, item).Before, "3 times before")
}

// Seen stops are gone past one by one: what was not seen asks again.
func TestGoingPastOnlyWhatWasSeen(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	testkit.InForce(t, h, map[string][]string{"material_class": {"film"}}, "material_at_once", 1)
	card := testkit.Text(t, h, testkit.GoodCard, "HVH", "adult")
	lend(t, h, maren, card, testkit.Text(t, h, testkit.FreeItem, "HVH", "film"))
	film := testkit.Text(t, h, testkit.FreeItem, "HVH", "film")
	asked := scanFor(t, h, maren, card, film)
	assert.Equal(t, []loan.StopKind{loan.TooManyAlike}, asked.Stops)
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("INSERT INTO ledger (patron_id, kind, amount, about, at) SELECT id, 'charge', 900, 'late', now() FROM patrons WHERE card = ?", card).
			Error,
	)
	again := scanFor(t, h, maren, card, film, asked.Stops...)
	assert.Equal(t, "ask", again.Kind, "a stop that came up meanwhile is asked about")
	assert.Equal(t, []loan.StopKind{loan.OwesTooMuch}, again.Stops)
	assert.Equal(t, "lent", scanFor(t, h, maren, card, film, "alike_at_once", "owed").Kind)
}

// What came back stays where rules let it float, and goes home elsewhere.
func TestFloating(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	foreign := `SELECT i.barcode FROM items i WHERE i.branch_code = 'HVH' AND i.material = 'book' AND i.standing = 'in_use' AND EXISTS (SELECT 1 FROM loans l WHERE l.item_id = i.id AND l.returned_at IS NULL)
		AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY i.id LIMIT 1`
	assert.EqualValues(t, "tote", bring(t, h, jory, "bin", testkit.Text(t, h, foreign)).Lines[0].Sign.Kind)
	testkit.InForce(t, h, map[string][]string{"lending_branch": {"SLM"}}, "floating", true)
	line := bring(t, h, jory, "bin", testkit.Text(t, h, foreign)).Lines[0]
	assert.EqualValues(t, "shelf", line.Sign.Kind)
	assert.Contains(t, line.Sign.Detail, "Stays where it came back")
}

// New items stay at home for pickups elsewhere; a hold that no copy may serve is refused and says why.
func TestNewItemsStayAtHome(t *testing.T) {
	h := testkit.House(t)
	bea := testkit.Somebody(t, h, "bea")
	testkit.InForce(t, h, map[string][]string{}, "new_stays_days", 180)
	title := `SELECT i.title_id::text FROM items i WHERE i.material = 'new_book' AND i.branch_code = 'HVH' AND (SELECT count(*) FROM items o WHERE o.title_id = i.title_id) = 1
		AND NOT EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.closed_at IS NULL) ORDER BY i.id LIMIT 1`
	patron := "SELECT id::text FROM patrons WHERE card = ?"
	place := func(branch calendar.Code) error {
		_, err := act.Do(t.Context(), h, bea, "", nil, func(a *act.Act) (*holds.Hold, error) {
			return holds.Place(
				a,
				holds.Order{
					Title:  number(t, testkit.Text(t, h, title)),
					Patron: number(t, testkit.Text(t, h, patron, testkit.Text(t, h, testkit.GoodCard, "HVH", "adult"))),
					Pickup: branch,
				},
			)
		})
		return err
	}
	assert.ErrorContains(t, place("SLM"), "It is new and stays at its home branch for now.")
	assert.NoError(t, place("HVH"))
}

// A card that has run out is extended on the spot, for what the rules say, and lends again.
func TestExtendedCard(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	testkit.InForce(t, h, map[string][]string{"patron_class": {"visitor"}}, "membership_charge", "12.00")
	card := testkit.Text(
		t,
		h,
		"SELECT card FROM patrons WHERE standing = 'active' AND class = 'visitor' AND balance = 0 AND card_until < '2026-10-06' ORDER BY id LIMIT 1",
	)
	opened := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	require.Len(t, opened.Card.Stops, 1)
	assert.Equal(t, "until Wed 6 Oct 2027, for $12.00", opened.Card.Extension)
	extended := testkit.Do(t, h, jory, func(a *act.Act) (*people.Card, error) { return people.Extend(a, opened.Card.ID) })
	assert.Equal(t, "Wed 6 Oct 2027", extended.CardUntil)
	assert.Equal(t, "12.00", extended.Owes)
	assert.Len(t, extended.Stops, 1, "the stop is now what is owed")
	_, err := act.Do(
		t.Context(),
		h,
		jory,
		"",
		nil,
		func(a *act.Act) (*people.Card, error) { return people.Extend(a, opened.Card.ID) },
	)
	assert.ErrorContains(t, err, "This card is valid for a long time yet. Renew it when it is about to expire.", "twice is once")
}

// A hold that is not fetched in time is charged for where rules say so.
func TestUncollectedHold(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	testkit.InForce(t, h, map[string][]string{"lending_branch": {"THB"}}, "uncollected_charge", "1.00")
	before := testkit.Text(t, h, "SELECT count(*)::text FROM ledger WHERE about = 'uncollected'")
	assert.Equal(t, "0", before)
	testkit.Do(t, h, maren, func(a *act.Act) (int, error) { return holds.Lapse(a, a.Today()+30, 100000) })
	lapsed := testkit.Text(
		t,
		h,
		"SELECT count(*)::text FROM holds WHERE state = 'lapsed' AND pickup = 'THB' AND closed_at > '2026-10-06'",
	)
	assert.NotEqual(t, "0", lapsed)
	assert.Equal(
		t,
		lapsed,
		testkit.Text(t, h, "SELECT count(*)::text FROM ledger WHERE about = 'uncollected' AND amount = 100"),
	)
}

// Undoing a loan leaves the hold that it filled as it was: ready, or chosen again for the item that is free again.
func TestUndoneLoanLeavesTheHold(t *testing.T) {
	h := testkit.House(t)
	bea := testkit.Somebody(t, h, "bea")
	for _, state := range []string{"ready", "fetching"} {
		var hold struct{ Hold, Item, Card string }
		query := `SELECT h.id AS hold, i.barcode AS item, p.card FROM holds h JOIN items i ON i.id = h.item_id JOIN patrons p ON p.id = h.patron_id WHERE h.state = 'ready' AND h.pickup = 'HVH' AND p.standing = 'active' AND p.balance = 0 AND p.card_until > '2027-01-01' AND i.note = '' ORDER BY h.id LIMIT 1`
		if state == "fetching" {
			query = `SELECT h.id AS hold, i.barcode AS item, p.card FROM holds h JOIN items i ON i.id = h.item_id JOIN patrons p ON p.id = h.patron_id WHERE h.state = 'fetching' AND i.at_branch = 'HVH' AND p.standing = 'active' AND p.balance = 0 AND p.card_until > '2027-01-01' AND i.note = '' ORDER BY h.id LIMIT 1`
		}
		require.NoError(t, testkit.SQL(h).Raw(query).Scan(&hold).Error)
		lent := lend(t, h, bea, hold.Card, hold.Item)
		assert.True(t, lent.Filled)
		testkit.Do(t, h, bea, func(a *act.Act) (*desk.Undone, error) { return desk.Undo(a, lent.Line.LoanID) })
		assert.Equal(t, state, testkit.Text(t, h, "SELECT state FROM holds WHERE id = "+hold.Hold))
	}
}

func number(t *testing.T, text string) int64 {
	t.Helper()
	n, err := strconv.ParseInt(text, 10, 64)
	require.NoError(t, err)
	return n
}
