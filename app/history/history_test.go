package history_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/history"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

// named gives who an item's history names on its ended loans.
func named(t *testing.T, w *testkit.World, who act.Actor, item int64) (names []int64) {
	t.Helper()
	rows := testkit.Do(t, w.House, who, func(a *act.Act) ([]history.Happened, error) {
		rows, _, err := history.OfItem(a, item, store.Page{})
		return rows, err
	})
	for _, r := range rows {
		if r.Kind == "lent" && r.Patron != 0 {
			names = append(names, r.Patron)
		}
	}
	return names
}

// Who had an item before is named while something is owed for it, and the last one while it is damaged or sought.
func TestBorrowersOfAnItem(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	first, last := w.Patron("HVH"), w.Patron("HVH")
	_, items := w.Title("HVH")
	owing := w.LentAndBack(here, first, items[0], 2)
	w.LentAndBack(here, last, items[0], 2)
	var item int64
	require.NoError(t, testkit.SQL(w.House).Raw("SELECT id FROM items WHERE barcode = ?", items[0]).Scan(&item).Error)
	assert.Empty(t, named(t, w, here, item))
	w.Set("UPDATE items SET note = 'torn' WHERE id = ?", item)
	assert.Equal(t, []int64{last}, named(t, w, here, item))
	w.Set("UPDATE items SET note = '', standing = 'missing' WHERE id = ?", item)
	assert.Equal(t, []int64{last}, named(t, w, here, item))
	w.Set("UPDATE items SET standing = 'in_use' WHERE id = ?", item)
	w.Set("INSERT INTO ledger (patron_id, kind, amount, about, loan_id, at) VALUES (?, 'charge', 100, 'late', ?, now())", first, owing)
	assert.Equal(t, []int64{first}, named(t, w, here, item))
	w.Set("INSERT INTO ledger (patron_id, kind, amount, about, loan_id, settles, at) SELECT patron_id, 'payment', -100, 'late', loan_id, id, now() FROM ledger WHERE loan_id = ?", owing)
	assert.Empty(t, named(t, w, here, item), "and no longer once it is paid")
	testkit.Do(t, w.House, here, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: items[0], Patron: last})
	})
	assert.Equal(t, []int64{last}, named(t, w, here, item), "who has it now is known")
}

// What a patron has read is theirs to show; what they paid for it stays, without what it was.
func TestReadingOfAPatron(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Supervisor, "HVH")
	p := w.Patron("HVH")
	_, items := w.Title("HVH")
	loan := w.LentAndBack(here, p, items[0], 2)
	w.Set("UPDATE training_clock SET shows = shows + interval '3 days'") // the events are of another day then
	w.Set(`INSERT INTO events (at, kind, patron_id, item_id, loan_id, detail) SELECT lent_at, 'charged', patron_id, item_id, id,
		'{"amount": 100, "about": "late"}' FROM loans WHERE id = ?`, loan)
	kinds := func() (out []string, titled int) {
		rows := testkit.Do(t, w.House, here, func(a *act.Act) ([]history.Happened, error) {
			rows, _, err := history.OfPatron(a, p, store.Page{})
			return rows, err
		})
		for _, r := range rows {
			out = append(out, r.Kind)
			if r.Title != "" {
				titled++
			}
		}
		return out, titled
	}
	seen, titled := kinds()
	assert.Equal(t, []string{"charged"}, seen)
	assert.Zero(t, titled)
	w.Set("INSERT INTO events (at, kind, patron_id, loan_id) SELECT lent_at + n * interval '1 second', 'renewed', patron_id, id FROM loans, generate_series(1, 250) n WHERE id = ?", loan)
	seen, _ = kinds()
	assert.Equal(t, []string{"charged"}, seen, "a part of the list of which nothing is seen does not end it")
	w.Set("ALTER TABLE events DISABLE TRIGGER events_stay")
	w.Set("DELETE FROM events WHERE kind = 'renewed'")
	w.Set("UPDATE patrons SET history_seen = true WHERE id = ?", p)
	seen, titled = kinds()
	assert.ElementsMatch(t, []string{"charged", "lent", "returned"}, seen)
	assert.Equal(t, 3, titled)
}
