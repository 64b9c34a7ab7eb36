package merging_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/history"
	"nevrin/app/holds"
	"nevrin/app/keeping"
	"nevrin/app/merging"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

// two is a small world with two records of one person, and a supervisor.
type two struct {
	*testkit.World
	t          *testing.T
	who        act.Actor
	kept, gone int64
}

func newTwo(t *testing.T) *two {
	t.Helper()
	w := testkit.NewWorld(t)
	x := &two{World: w, t: t, who: w.Staff(role.Supervisor, "HVH")}
	x.kept = w.Patron("HVH", map[string]any{"legal_name": "Tove Marrin", "email": ""})
	x.gone = w.Patron("HVH", map[string]any{"legal_name": "Tove Marin", "email": "tove@post.example", "older_reader": true})
	w.Set("INSERT INTO choices (list, code, name, position, amount) VALUES ('charge', 'card', 'New card', 0, 500)")
	return x
}

func (x *two) lend(patron int64, item string) int64 {
	x.t.Helper()
	r := testkit.Do(x.t, x.House, x.who, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: item, Patron: patron})
	})
	require.Equal(x.t, "lent", r.Kind, r.Text)
	return r.Line.LoanID
}

func (x *two) hold(patron, title int64, pickup calendar.Code) int64 {
	x.t.Helper()
	return testkit.Do(x.t, x.House, x.who, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Patron: patron, Title: title, Pickup: pickup})
	}).ID
}

func (x *two) charge(patron int64) {
	x.t.Helper()
	testkit.Do(x.t, x.House, x.who, func(a *act.Act) (*accounts.Charged, error) {
		return accounts.ChargeByHand(a, patron, accounts.ByHand{Charge: "card"})
	})
}

func (x *two) pay(patron int64, sum string) error {
	_, err := testkit.Try(x.House, x.who, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{patron}, Amount: sum, Means: "cash"})
	})
	return err
}

func (x *two) merge() (*people.Written, error) {
	return testkit.Try(x.House, x.who, func(a *act.Act) (*people.Written, error) { return merging.Merge(a, x.kept, x.gone) })
}

func (x *two) undo() (*people.Written, error) {
	return testkit.Try(x.House, x.who, func(a *act.Act) (*people.Written, error) { return merging.Undo(a, x.kept, x.gone) })
}

func (x *two) card(patron int64) *people.Card {
	x.t.Helper()
	return testkit.Do(x.t, x.House, x.who, func(a *act.Act) (*people.Card, error) { return people.Open(a, patron) })
}

func (x *two) happened(patron int64) (texts []string) {
	x.t.Helper()
	for _, e := range testkit.Do(x.t, x.House, x.who, func(a *act.Act) ([]history.Happened, error) {
		rows, _, err := history.OfPatron(a, patron, store.Page{})
		return rows, err
	}) {
		texts = append(texts, e.Kind)
	}
	return texts
}

// Loans, holds, money, notes and what happened follow; the other card leads to the record; all of it goes back, with what has
// come of it since.
func TestMergeAndUndo(t *testing.T) {
	x := newTwo(t)
	_, items := x.Title("HVH", "HVH", "HVH")
	film, copies := x.Title("HVH")
	x.lend(x.Patron("HVH"), copies[0])
	loan := x.lend(x.gone, items[0])
	hold := x.hold(x.gone, film, "HVH")
	x.charge(x.gone)
	require.NoError(t, x.pay(x.gone, "1.50"))
	x.charge(x.kept)
	x.Set("INSERT INTO patron_notes (patron_id, kind, text, at) VALUES (?, 'desk', 'Rings twice', now())", x.gone)
	x.Set("INSERT INTO former_cards (card, patron_id, ended_at) VALUES ('OLD77', ?, now())", x.gone)
	balances := func() string {
		return x.Ask("SELECT string_agg(balance::text, ' ' ORDER BY id) FROM patrons WHERE id IN (?, ?)", x.kept, x.gone)
	}
	sums := func() string {
		return x.Ask("SELECT string_agg(s, ' ') FROM (SELECT kind || sum(amount) AS s FROM ledger GROUP BY kind ORDER BY kind) x")
	}
	before := sums()
	require.Equal(t, "500 350", balances())

	x.Set("INSERT INTO rosters (kind, name, branch_code, adult_id, made_at) VALUES ('club', 'Chess', 'HVH', ?, now())", x.gone)
	adult := func() string { return x.Ask("SELECT adult_id FROM rosters") }

	w, err := x.merge()
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprint(x.kept), adult())
	assert.Equal(t, "850 0", balances())
	assert.Equal(t, before, sums(), "the books say the same")
	assert.Equal(t, "tove@post.example", w.Record.Email, "what the one lacked, the other fills")
	assert.True(t, *w.Card.Older)
	assert.Len(t, w.Card.OnLoan, 1)
	assert.Len(t, w.Card.Holds, 1)
	assert.Len(t, w.Card.Notes, 1)
	assert.Contains(t, x.happened(x.kept), "lent")
	goneCard := x.Ask("SELECT card FROM patrons WHERE id = ?", x.gone)
	assert.Equal(t, []string{goneCard}, w.Card.Merged)
	opened := testkit.Do(t, x.House, x.who, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: goneCard}) })
	assert.Equal(t, x.kept, opened.Card.ID, "the other card leads to the record")
	assert.Equal(t, x.kept, x.card(x.gone).ID)
	found, _, err := findAll(x, "tove")
	require.NoError(t, err)
	assert.Len(t, found, 1, "it is found once")
	_, err = x.merge()
	require.ErrorContains(t, err, "merged already")

	// Meanwhile something is paid of what came over, and of what was there; the loan is renewed; the hold is cancelled.
	require.NoError(t, x.pay(x.kept, "6.00"))
	testkit.Do(t, x.House, x.who, func(a *act.Act) (*holds.Hold, error) { return holds.Cancel(a, hold, "no longer") })

	_, err = x.undo()
	require.NoError(t, err)
	assert.Equal(t, "250 0", balances(), "oldest first: 3.50 of the charge that went back, 2.50 of the one that stayed")
	assert.Equal(t, fmt.Sprint(x.gone), x.Ask("SELECT patron_id FROM loans WHERE id = ?", loan))
	assert.Equal(t, fmt.Sprint(x.gone), x.Ask("SELECT patron_id FROM holds WHERE id = ?", hold))
	assert.Contains(t, x.happened(x.gone), "hold_cancelled", "what came of it since goes back with it")
	assert.NotContains(t, x.happened(x.kept), "lent")
	assert.Empty(t, x.card(x.kept).Email)
	assert.Equal(t, fmt.Sprint(x.gone), adult())
	assert.Nil(t, x.card(x.kept).Older)
	assert.Equal(t, "tove@post.example", x.card(x.gone).Email)
	assert.Equal(t, x.gone, x.card(x.gone).ID)
	_, err = x.undo()
	require.ErrorContains(t, err, "not merged")
	assert.Equal(t, "0", x.Ask(`SELECT count(*) FROM patrons p WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)`))
}

func findAll(x *two, words string) ([]people.Found, store.Page, error) {
	type both struct {
		rows []people.Found
		next store.Page
	}
	b, err := testkit.Try(x.House, x.who, func(a *act.Act) (both, error) {
		rows, next, err := people.Find(a, words, store.Page{})
		return both{rows, next}, err
	})
	return b.rows, b.next, err
}

// Of two holds on one title the one that has come further stays; the other waits again in its old place when it is undone.
func TestMergeWithTheSameTitle(t *testing.T) {
	x := newTwo(t)
	other := x.Patron("HVH")
	title, items := x.Title("HVH", "SLM")
	x.lend(other, items[1])
	ready := x.hold(x.gone, title, "HVH") // is given the free copy
	waits := x.hold(x.kept, title, "HVH")
	queued := x.hold(other, title, "HVH")
	state := func(id int64) string { return x.Ask("SELECT state FROM holds WHERE id = ?", id) }
	require.Equal(t, "fetching waiting", state(ready)+" "+state(waits))
	looked := testkit.Do(t, x.House, x.who, func(a *act.Act) (*merging.Looked, error) { return merging.Look(a, x.kept, x.gone) })
	assert.Len(t, looked.Ends, 1)
	assert.Empty(t, looked.Stands)
	assert.Equal(t, "name spelt nearly so", looked.Alike)

	// Both have the title on loan too: two copies, two loans.
	both, copies := x.Title("HVH", "HVH")
	x.lend(x.gone, copies[0])
	x.lend(x.kept, copies[1])
	w, err := x.merge()
	require.NoError(t, err)
	assert.Equal(t, "fetching cancelled", state(ready)+" "+state(waits))
	assert.Len(t, w.Card.OnLoan, 2)
	require.NotZero(t, both)

	_, err = x.undo()
	require.NoError(t, err)
	assert.Equal(t, "fetching waiting waiting", state(ready)+" "+state(waits)+" "+state(queued))
	assert.Equal(t, "true", x.Ask("SELECT (SELECT place FROM holds WHERE id = ?) < (SELECT place FROM holds WHERE id = ?)", waits, queued),
		"in its old place")
}

func TestWhatStandsInTheWay(t *testing.T) {
	x := newTwo(t)
	x.Set("UPDATE patrons SET standing = 'excluded', standing_reason = 'x' WHERE id = ?", x.gone)
	_, err := x.merge()
	require.ErrorContains(t, err, "excluded")
	x.Set("UPDATE patrons SET standing = 'active', institution = true WHERE id = ?", x.gone)
	_, err = x.merge()
	require.ErrorContains(t, err, "institution")
	x.Set("UPDATE patrons SET institution = false WHERE id = ?", x.gone)
	_, err = testkit.Try(x.House, x.who, func(a *act.Act) (*people.Written, error) { return merging.Merge(a, x.kept, x.kept) })
	require.ErrorContains(t, err, "same record")
	x.Set("UPDATE patrons SET guardian_id = ? WHERE id = ?", x.kept, x.gone)
	w, err := x.merge()
	require.NoError(t, err)
	assert.Zero(t, w.Record.Guardian, "nobody is their own guardian")
	_, err = testkit.Try(x.House, x.who, func(a *act.Act) (*accounts.Charged, error) {
		return accounts.ChargeByHand(a, x.gone, accounts.ByHand{Charge: "card"})
	})
	require.ErrorContains(t, err, "no such patron")

	// Nothing new is of the record that went, whoever tries.
	_, items := x.Title("HVH")
	_, err = testkit.Try(x.House, x.who, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: items[0], Patron: x.gone})
	})
	require.ErrorContains(t, err, "merged")
	_, err = testkit.Try(x.House, x.who, func(a *act.Act) (*people.Card, error) { return people.Confirm(a, x.gone) })
	require.ErrorContains(t, err, "merged")
	err = testkit.SQL(x.House).Exec("INSERT INTO loans (item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date) "+
		"SELECT i.id, ?, 'HVH', e.id, '{}', now(), now() FROM items i, editions e LIMIT 1", x.gone).Error
	require.ErrorContains(t, err, "has been merged")

	// A third record is merged into it; it cannot itself go then.
	third := x.Patron("HVH")
	_, err = testkit.Try(x.House, x.who, func(a *act.Act) (*people.Written, error) { return merging.Merge(a, third, x.kept) })
	require.ErrorContains(t, err, "Another record was merged into the one you want to merge. Keep that one, or undo its merge first.")
	_, err = testkit.Try(x.House, x.who, func(a *act.Act) (*people.Written, error) { return merging.Merge(a, third, x.gone) })
	require.ErrorContains(t, err, "One of these is already merged into another record. Choose that one.")
}

// Entries and events follow a merge and nothing else.
func TestBooksMoveWithAMergeAlone(t *testing.T) {
	x := newTwo(t)
	x.charge(x.gone)
	for _, table := range []string{"ledger", "events"} {
		err := testkit.SQL(x.House).Exec("UPDATE "+table+" SET patron_id = ? WHERE patron_id = ?", x.kept, x.gone).Error
		require.ErrorContains(t, err, "never changed", table)
	}
	require.NoError(t, x.pay(x.gone, "1.00"))
	_, err := x.merge()
	require.NoError(t, err)
	err = testkit.SQL(x.House).Exec("UPDATE ledger SET patron_id = ? WHERE kind = 'payment'", x.gone).Error
	require.Error(t, err, "a payment does not move without its charge")
}

// Two people merge at once, in opposite directions, while a third lends: one merge counts, and every loan is of whoever is left.
func TestMergingAtOnce(t *testing.T) {
	x := newTwo(t)
	_, items := x.Title("HVH", "HVH", "HVH", "HVH", "HVH", "HVH")
	var all sync.WaitGroup
	var done [2]error
	all.Go(func() { _, done[0] = x.merge() })
	all.Go(func() {
		_, done[1] = testkit.Try(x.House, x.who, func(a *act.Act) (*people.Written, error) { return merging.Merge(a, x.gone, x.kept) })
	})
	for k, item := range items {
		all.Go(func() {
			_, _ = testkit.Try(x.House, x.who, func(a *act.Act) (*desk.Result, error) {
				return desk.Lend(a, desk.Lending{Item: item, Patron: []int64{x.kept, x.gone}[k%2]})
			})
		})
	}
	all.Wait()
	assert.True(t, (done[0] == nil) != (done[1] == nil), "%v %v", done[0], done[1])
	assert.Equal(t, "0", x.Ask("SELECT count(*) FROM loans l JOIN patrons p ON p.id = l.patron_id WHERE p.merged_into IS NOT NULL"))
}

// Forgetting somebody forgets the records that were merged into theirs.
func TestForgettingForgetsTheParts(t *testing.T) {
	x := newTwo(t)
	_, err := x.merge()
	require.NoError(t, err)
	testkit.Do(t, x.House, x.who, func(a *act.Act) (*keeping.Forgetting, error) { return keeping.Forget(a, x.kept) })
	assert.Equal(t, "0", x.Ask("SELECT count(*) FROM patrons WHERE id IN (?, ?) AND legal_name <> 'Forgotten'", x.kept, x.gone))
	assert.Equal(t, "0", x.Ask("SELECT count(*) FROM merges"))
}
