package stock_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/night"
	"nevrin/app/stock"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/money"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/loansdb"
	"nevrin/store/stockdb"
	"nevrin/testkit"
)

// world is a small network with somebody who supervises at Havenhead, where most of it happens.
type world struct {
	*testkit.World
	t   *testing.T
	who act.Actor
}

func newWorld(t *testing.T) *world {
	w := testkit.NewWorld(t)
	return &world{w, t, w.Staff(role.Supervisor, "HVH")}
}

func do[T any](w *world, change func(*act.Act) (T, error)) T {
	w.t.Helper()
	return testkit.Do(w.t, w.House, w.who, change)
}

func try[T any](w *world, change func(*act.Act) (T, error)) error {
	_, err := testkit.Try(w.House, w.who, change)
	return err
}

func (w *world) id(number string) int64 {
	var id int64
	_, err := fmt.Sscan(w.Ask("SELECT id::text FROM items WHERE barcode = ?", number), &id)
	require.NoError(w.t, err)
	return id
}

func (w *world) standing(number string) string {
	return w.Ask("SELECT trim(standing || ' ' || aside_for) FROM items WHERE barcode = ?", number)
}

func (w *world) lend(number string, patron int64) {
	w.t.Helper()
	do(w, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: number, Patron: patron})
	})
}

func plain() stock.Writing {
	return stock.Writing{Branch: "HVH", Collection: "general", Material: "book", Call: "386.6 VEL", Parts: 1}
}

// Copies get the next labels, or those that were scanned; a label in use, twice, or of nobody adds none of them.
func TestCopiesEachWithItsLabel(t *testing.T) {
	w := newWorld(t)
	title, old := w.Title("HVH")
	add := func(numbers ...string) ([]catalogue.Item, error) {
		return testkit.Try(w.House, w.who, func(a *act.Act) ([]catalogue.Item, error) {
			return stock.AddCopies(a, title, stock.Copying{Writing: plain(), Numbers: numbers})
		})
	}
	items, err := add("", "", "")
	require.NoError(t, err)
	seen := map[string]bool{old[0]: true}
	for _, i := range items {
		assert.False(t, seen[i.Barcode], i.Barcode)
		seen[i.Barcode] = true
		assert.True(t, i.LabelWaits, "its label has to be printed")
	}
	free := items[0].Barcode
	for says, numbers := range map[string][]string{
		"is already used, for \"Title 001\"":               {"", free},
		"is entered twice. Each copy needs its own label.": {"34321000009993", "34321000009993"},
		"check digit":    {"34321000009991"},
		"is not a label": {"salt"},
	} {
		_, err := add(numbers...)
		assert.ErrorContains(t, err, says)
	}
	assert.Equal(t, "4", w.Ask("SELECT count(*)::text FROM items WHERE title_id = ?", title))
	scanned, err := add("3432100000999")
	require.NoError(t, err)
	assert.Equal(t, "34321000009993", scanned[0].Barcode, "typed without its check digit")
	assert.False(t, scanned[0].LabelWaits)
}

// Two stations that add copies at once never get the same label.
func TestLabelsUnderWay(t *testing.T) {
	w := newWorld(t)
	title, _ := w.Title()
	other, _ := w.Title()
	var all sync.WaitGroup
	for k := range 8 {
		all.Go(func() {
			_, err := testkit.Try(w.House, w.who, func(a *act.Act) ([]catalogue.Item, error) {
				return stock.AddCopies(a, []int64{title, other}[k%2], stock.Copying{Writing: plain(), Numbers: []string{"", "", "", ""}})
			})
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Equal(t, "32 32", w.Ask("SELECT count(*)::text || ' ' || count(DISTINCT barcode)::text FROM items"))
}

// Who waits for a title is served by the copy that is added.
func TestACopyServesWhoWaits(t *testing.T) {
	w := newWorld(t)
	title, items := w.Title("HVH")
	w.lend(items[0], w.Patron("HVH"))
	p := w.Patron("HVH")
	do(w, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: p, Pickup: "HVH"})
	})
	do(w, func(a *act.Act) ([]catalogue.Item, error) {
		return stock.AddCopies(a, title, stock.Copying{Writing: plain(), Numbers: []string{""}})
	})
	assert.Equal(t, "fetching", w.Ask("SELECT state FROM holds WHERE title_id = ?", title))
}

func TestWritingOfItems(t *testing.T) {
	w := newWorld(t)
	_, items := w.Title("HVH")
	id := w.id(items[0])
	sum := money.Amount(2450)
	until := calendar.MakeDate(2027, 4, 30)
	change := func(by func(*stock.Changing)) error {
		c := stock.Changing{Writing: plain(), Number: items[0]}
		_, err := fmt.Sscan(w.Ask("SELECT revision::text FROM items WHERE id = ?", id), &c.Revision)
		require.NoError(t, err)
		by(&c)
		return try(w, func(a *act.Act) (*catalogue.Item, error) { return stock.Change(a, id, c) })
	}
	require.NoError(t, change(func(c *stock.Changing) {
		c.Price, c.Parts, c.PartsSay, c.Condition = &sum, 3, "2 discs, 1 booklet", "worn"
		c.OwnTerms = map[string]any{"least_age": 14, "consent_needed": true}
		c.HomeUntil, c.HomeAfter, c.Branch = &until, "HVH", "SLM"
	}))
	assert.Equal(t, "SLM HVH 2027-04-30 3 2450", w.Ask("SELECT concat_ws(' ', branch_code, home_after, home_until, parts, price) FROM items WHERE id = ?", id))
	for says, by := range map[string]func(*stock.Changing){
		"no material class":                          func(c *stock.Changing) { c.Material = "papyrus" },
		"no collection":                              func(c *stock.Changing) { c.Collection = "attic" },
		"changed this item meanwhile":                func(c *stock.Changing) { c.Revision-- },
		"Enter a label. Scan it or type its number.": func(c *stock.Changing) { c.Number = "" },
		"before and after. Leave the date empty.":    func(c *stock.Changing) { c.HomeUntil, c.HomeAfter = &until, "HVH" },
		"is in the past. Choose a later day.":        func(c *stock.Changing) { c.HomeUntil, c.HomeAfter = new(calendar.MakeDate(2026, 1, 1)), "SLM" },
		"Its own loan terms are not valid:":          func(c *stock.Changing) { c.OwnTerms = map[string]any{"least_age": "old"} },
		"least_aged":                                 func(c *stock.Changing) { c.OwnTerms = map[string]any{"least_aged": 1} },
		"Enter a price of 0 or more":                 func(c *stock.Changing) { c.Price = new(money.Amount(-1)) },
	} {
		assert.ErrorContains(t, change(by), says)
	}
	// Its own terms outweigh the rules at the next loan.
	child := w.Patron("HVH", map[string]any{"born": "2015-01-01", "class": "child"})
	got := do(w, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: items[0], Patron: child})
	})
	assert.Nil(t, got.Line, "too young")
}

// How an item stands is changed where it is in somebody's hand, or in nobody's; not while it is on loan or waited for.
func TestStandings(t *testing.T) {
	w := newWorld(t)
	title, items := w.Title("HVH", "HVH")
	stand := func(number string, s circulation.ItemStatus, aside circulation.AsideFor, reason string) error {
		return try(w, func(a *act.Act) (int, error) {
			return 0, stock.SetStatus(a, w.id(number), stock.NewStatus{Standing: s, AsideFor: aside, Reason: reason})
		})
	}
	p := w.Patron("HVH")
	w.lend(items[0], p)
	assert.ErrorContains(t, stand(items[0], circulation.ItemMissing, "", ""), "on loan")
	do(w, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Title: title, Patron: w.Patron("HVH"), Pickup: "HVH"})
	})
	assert.ErrorContains(t, stand(items[1], circulation.ItemAside, circulation.ForDamage, ""), "It is on the fetch list for a hold. Mark it not found there, and another copy is chosen.")
	_, others := w.Title("HVH")
	for _, c := range []struct {
		standing circulation.ItemStatus
		aside    circulation.AsideFor
		reason   string
		is       string
	}{
		{circulation.ItemMissing, "", "", "missing"},
		{circulation.ItemAside, circulation.ForDamage, "", "aside damaged"},
		{circulation.ItemAside, circulation.ForRepair, "", "aside repair"},
		{circulation.ItemAside, circulation.ForRebuy, "", "aside rebuy"},
		{circulation.ItemInUse, circulation.ForRebuy, "", "in_use"},
		{circulation.ItemWithdrawn, "", "mould", "withdrawn"},
		{circulation.ItemInUse, "", "", "in_use"},
	} {
		require.NoError(t, stand(others[0], c.standing, c.aside, c.reason))
		assert.Equal(t, c.is, w.standing(others[0]))
	}
	assert.ErrorContains(t, stand(others[0], circulation.ItemWithdrawn, "", " "), "Enter a reason to withdraw")
}

// A change of many is looked at, done, and undone as one; what is on loan keeps how it stands, and what became something else
// since stays as it is.
func TestManyAtOnce(t *testing.T) {
	w := newWorld(t)
	_, items := w.Title("HVH", "HVH", "HVH", "SLM")
	w.lend(items[0], w.Patron("HVH"))
	many := func(try bool, c stock.Becoming, which stock.Which) *stock.ManyChanged {
		return do(w, func(a *act.Act) (*stock.ManyChanged, error) {
			return stock.ChangeMany(a, stock.Many{Which: which, Change: c, Reason: "for a test", Try: try})
		})
	}
	found := stock.Which{Search: &stockdb.ItemSearch{Branch: "HVH"}}
	missing := stock.Becoming{Standing: circulation.ItemMissing}
	seen := many(true, missing, found)
	assert.Equal(t, []int{2, 0, 1, 0}, []int{seen.Changed, seen.Same, seen.Left, int(seen.Deed)})
	assert.Equal(t, "in_use", w.standing(items[1]), "looking changes nothing")
	done := many(false, missing, found)
	assert.Equal(t, 2, done.Changed)
	assert.Equal(t, "in_use missing missing", w.standing(items[0])+" "+w.standing(items[1])+" "+w.standing(items[2]))
	w.Set("UPDATE items SET standing = 'in_use' WHERE barcode = ?", items[2]) // found again by somebody
	undone := do(w, func(a *act.Act) (*stock.Undone, error) { return stock.Undo(a, done.Deed) })
	assert.Equal(t, 1, undone.Left)
	assert.Equal(t, "in_use", w.standing(items[1]))
	assert.ErrorContains(t, try(w, func(a *act.Act) (*stock.Undone, error) { return stock.Undo(a, done.Deed) }), "This has already been undone.")

	sum := money.Amount(990)
	all := many(false, stock.Becoming{Price: &sum, Collection: "general", Branch: "SLM"}, stock.Which{Numbers: append(items, "34321000009993", "salt")})
	assert.Equal(t, 4, all.Changed, "price and home change on loan too")
	assert.Equal(t, 2, all.OddAll)
	assert.Equal(t, "Belongs to Saltmere, collection General, price $9.90", all.Says)
	again := many(false, stock.Becoming{Price: &sum}, stock.Which{Numbers: items})
	assert.Equal(t, []int{0, 4, 0}, []int{again.Changed, again.Same, int(again.Deed)})
	do(w, func(a *act.Act) (*stock.Undone, error) { return stock.Undo(a, all.Deed) })
	assert.Equal(t, "HVH 2000,HVH 2000,HVH 2000,SLM 2000", w.Ask("SELECT string_agg(branch_code || ' ' || price, ',' ORDER BY id) FROM items"))
	assert.Equal(t, "2", w.Ask("SELECT count(*)::text FROM events WHERE kind = 'stock_changed' AND item_id = ?", w.id(items[3])))
	for says, m := range map[string]stock.Many{
		"Choose which items. Without any filter this would be all of them.": {Which: stock.Which{Search: &stockdb.ItemSearch{}}, Change: missing},
		"Choose what to change":          {Which: found},
		"Enter a reason to withdraw":     {Which: found, Change: stock.Becoming{Standing: circulation.ItemWithdrawn}},
		"Choose their home branch until": {Which: found, Change: stock.Becoming{Until: new(calendar.MakeDate(2027, 1, 1))}},
	} {
		assert.ErrorContains(t, try(w, func(a *act.Act) (*stock.ManyChanged, error) { return stock.ChangeMany(a, m) }), says)
	}
}

// What belongs to a library outside is left as it is, whatever happens to all that is found or scanned.
func TestManyLeavesWhatIsNotOurs(t *testing.T) {
	w := newWorld(t)
	title, items := w.Title("HVH")
	theirs := w.Item(title, "HVH", map[string]any{"material": "interlibrary", "collection": "interlibrary"})
	done := do(w, func(a *act.Act) (*stock.ManyChanged, error) {
		return stock.ChangeMany(a, stock.Many{
			Which: stock.Which{Numbers: []string{items[0], theirs}}, Change: stock.Becoming{Branch: "SLM", Material: "laptop"},
		})
	})
	assert.Equal(t, []int{1, 1}, []int{done.Changed, done.Left})
	assert.Equal(t, "HVH interlibrary", w.Ask("SELECT branch_code || ' ' || material FROM items WHERE barcode = ?", theirs))
}

// A collection that goes to another branch for a season is at home there, says until when on every sign, and belongs where it did
// by itself when the season is over.
func TestASeason(t *testing.T) {
	w := newWorld(t)
	_, items := w.Title("HVH", "HVH")
	until := calendar.MakeDate(2026, 10, 20)
	do(w, func(a *act.Act) (*stock.ManyChanged, error) {
		return stock.ChangeMany(a, stock.Many{Which: stock.Which{Numbers: items}, Change: stock.Becoming{Branch: "SLM", Until: &until}})
	})
	taken := do(w, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	assert.Equal(t, circulation.Tote, taken.Sign.Kind)
	assert.Equal(t, "Saltmere", taken.Sign.Place)
	assert.Contains(t, taken.Sign.Detail, "Belongs to Saltmere until Tue 20 Oct")
	assert.Contains(t, taken.Sign.Detail, "then to Havenhead")
	there := w.Staff(role.Desk, "SLM")
	arrived := testkit.Do(t, w.House, there, func(a *act.Act) (*holds.Taken, error) { return holds.InHand(a, items[0]) })
	assert.Equal(t, circulation.Shelf, arrived.Sign.Kind)
	assert.Contains(t, arrived.Sign.Detail, "then to Havenhead")
	end := func(day calendar.Date) {
		require.NoError(t, night.Step(context.Background(), w.House, day, "seasons"))
	}
	homes := func() string {
		return w.Ask("SELECT string_agg(concat_ws(' ', branch_code, home_after), ',' ORDER BY id) FROM items")
	}
	end(until) // its last day
	assert.Equal(t, "SLM HVH,SLM HVH", homes())
	end(until + 1)
	assert.Equal(t, "HVH,HVH", homes())
	strays := do(w, func(a *act.Act) ([]catalogue.Item, error) {
		rows, _, err := stock.Find(a, stockdb.ItemSearch{Strays: true, At: "SLM"}, store.Page{})
		return rows, err
	})
	require.Len(t, strays, 1, "what stands there now has to go home")
	assert.Equal(t, items[0], strays[0].Barcode)
	// Who pulls things walks along the shelves: nine comes before ten, whatever the labels are.
	for _, call := range []string{"QA 100", "QA 9", "QA 10"} {
		w.Title("HVH")
		w.Set("UPDATE items SET branch_code = 'HVH', at_branch = 'THB', call_number = ? WHERE id = (SELECT max(id) FROM items)", call)
	}
	calls := do(w, func(a *act.Act) ([]string, error) {
		rows, _, err := stock.Find(a, stockdb.ItemSearch{Strays: true, At: "THB"}, store.Page{Most: 1})
		out := []string{}
		for _, i := range rows {
			out = append(out, i.Call)
		}
		return out, err
	})
	assert.Equal(t, []string{"QA 9", "QA 10", "QA 100"}, calls)
	end(until + 2)
	assert.Equal(t, "1", w.Ask("SELECT count(*)::text FROM deeds WHERE kind = 'season_ended'"))
}

// Whatever is moved where and for how long, one after the other: the statement that moves many does what core says of each.
func TestSeasonsWithinSeasons(t *testing.T) {
	w := newWorld(t)
	_, items := w.Title("HVH")
	random := rand.New(rand.NewPCG(3, 5))
	is, seen := circulation.Home{At: "HVH"}, map[bool]int{}
	for range 60 {
		to := []calendar.Code{"HVH", "SLM", "THB"}[random.IntN(3)]
		var until *calendar.Date
		if random.IntN(3) > 0 {
			until = new(calendar.MakeDate(2026, 12, 1) + calendar.Date(random.IntN(90)))
		}
		is = is.Moved(to, until)
		do(w, func(a *act.Act) (*stock.ManyChanged, error) {
			return stock.ChangeMany(a, stock.Many{
				Which: stock.Which{Numbers: items}, Change: stock.Becoming{Branch: to, Until: until},
			})
		})
		says := string(is.At)
		if is.Until != nil {
			says += " " + is.Until.String() + " " + string(is.After)
		}
		seen[is.Until != nil]++
		require.Equal(t, says, w.Ask("SELECT concat_ws(' ', branch_code, home_until, home_after) FROM items"))
	}
	assert.Greater(t, min(seen[true], seen[false]), 10, "seasons and moves for good")
}

// What a branch was given up for does not come back by an undo.
func TestUndoIntoAClosedBranch(t *testing.T) {
	w := newWorld(t)
	_, items := w.Title("THB")
	done := do(w, func(a *act.Act) (*stock.ManyChanged, error) {
		return stock.ChangeMany(a, stock.Many{Which: stock.Which{Numbers: items}, Change: stock.Becoming{Branch: "HVH"}})
	})
	w.Set("UPDATE branches SET closed_on = '2026-10-06', follows = 'HVH' WHERE code = 'THB'")
	w.Set("UPDATE network SET version = version + 1")
	assert.ErrorContains(t, try(w, func(a *act.Act) (*stock.Undone, error) { return stock.Undo(a, done.Deed) }), "It cannot be undone: items would belong to")
	assert.Equal(t, "HVH", w.Ask("SELECT branch_code FROM items"))
}

// One label scanned at two stations at once is one copy's; the other station is told whose.
func TestOneLabelAtTwoStations(t *testing.T) {
	w := newWorld(t)
	one, _ := w.Title()
	two, _ := w.Title()
	errs := make(chan error, 6)
	for k := range cap(errs) {
		go func() {
			_, err := testkit.Try(w.House, w.who, func(a *act.Act) ([]catalogue.Item, error) {
				return stock.AddCopies(a, []int64{one, two}[k%2], stock.Copying{Writing: plain(), Numbers: []string{"34321000009993"}})
			})
			errs <- err
		}()
	}
	refused := 0
	for range cap(errs) {
		if err := <-errs; err != nil {
			assert.ErrorContains(t, err, "is already used, for")
			refused++
		}
	}
	assert.Equal(t, 5, refused)
}

// A change of many while stations lend the same things: each is changed once, every loan is made, nothing is half done.
func TestManyWhileTheyAreLent(t *testing.T) {
	w := newWorld(t)
	var items []string
	for range 12 {
		_, one := w.Title("HVH", "HVH")
		items = append(items, one...)
	}
	patrons := make([]int64, len(items))
	for k := range patrons {
		patrons[k] = w.Patron("HVH")
	}
	var all sync.WaitGroup
	for k, number := range items {
		all.Go(func() {
			_, err := testkit.Try(w.House, w.who, func(a *act.Act) (*desk.Result, error) {
				return desk.Lend(a, desk.Lending{Item: number, Patron: patrons[k]})
			})
			assert.NoError(t, err)
		})
	}
	var changed *stock.ManyChanged
	all.Go(func() {
		var err error
		changed, err = testkit.Try(w.House, w.who, func(a *act.Act) (*stock.ManyChanged, error) {
			return stock.ChangeMany(a, stock.Many{Which: stock.Which{Numbers: items}, Change: stock.Becoming{Standing: circulation.ItemMissing}})
		})
		assert.NoError(t, err)
	})
	all.Wait()
	assert.Equal(t, len(items), changed.Changed+changed.Left)
	assert.Equal(t, fmt.Sprint(changed.Changed), w.Ask("SELECT count(*)::text FROM deed_items"))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM items i JOIN loans l ON l.item_id = i.id WHERE l.returned_at IS NULL AND i.standing = 'missing'"))
}

// What is missing is searched for: who looked where is kept, and found it is in use. What its borrower says was brought back is on
// the list too.
func TestSearchLists(t *testing.T) {
	w := newWorld(t)
	_, items := w.Title("HVH", "HVH")
	p := w.Patron("HVH")
	w.lend(items[1], p)
	loan := w.Ask("SELECT id::text FROM loans")
	w.Set("INSERT INTO claims (patron_id, loan_id, what, at) VALUES (?, ?, 'returned', '2026-10-06 09:12-03')", p, loan)
	do(w, func(a *act.Act) (int, error) {
		return 0, stock.SetStatus(a, w.id(items[0]), stock.NewStatus{Standing: circulation.ItemMissing})
	})
	list := func() []stock.Sought {
		return do(w, func(a *act.Act) ([]stock.Sought, error) {
			rows, _, err := stock.SoughtList(a, "HVH", store.Page{})
			return rows, err
		})
	}
	require.Len(t, list(), 2)
	look := func(number, place string, found bool) error {
		return try(w, func(a *act.Act) ([]stock.Look, error) {
			return stock.LookFor(a, w.id(number), stock.Looking{Place: place, Found: found})
		})
	}
	require.NoError(t, look(items[0], "its shelf", false))
	require.NoError(t, look(items[0], "the sorting room", false))
	got := list()[0]
	assert.Equal(t, []any{2, "the sorting room", ""}, []any{got.Looks, got.Where, got.Claimed})
	assert.Equal(t, "returned", list()[1].Claimed)
	assert.ErrorContains(t, look(items[1], "its shelf", true), "still on loan")
	require.NoError(t, look(items[0], "behind the radiator", true))
	assert.Equal(t, "in_use", w.standing(items[0]))
	assert.Len(t, list(), 1)
	require.NoError(t, look(items[0], "its shelf", true), "somebody else finds it too")
	assert.Equal(t, "2 1", w.Ask(`SELECT count(*) FILTER (WHERE kind = 'looked') || ' ' || count(*) FILTER (WHERE kind = 'found') FROM events WHERE item_id = ?`,
		w.id(items[0])), "not found twice, found once")
}

// What was missing is found wherever it stands: on a shelf of another collection it is told where it belongs, and taking the scan back
// has it missing again.
func TestMissingOnAnotherShelf(t *testing.T) {
	w := newWorld(t)
	title, _ := w.Title()
	number := w.Item(title, "HVH", map[string]any{"collection": "reference", "call_number": "320 E", "standing": "missing"})
	v := do(w, func(a *act.Act) (*stock.Inventory, error) {
		return stock.OpenInventory(a, stock.Opening{Name: "Window side", Collection: "general"})
	})
	line := do(w, func(a *act.Act) (*stock.ShelfLine, error) { return stock.ScanShelf(a, v.ID, number) })
	assert.Equal(t, circulation.ShelfFoundElsewhere, line.Found)
	assert.Contains(t, line.Says, "It was missing and is now found. Its home is ")
	assert.False(t, line.Good)
	assert.Equal(t, "in_use", w.standing(number))
	do(w, func(a *act.Act) (*stock.ShelfLine, error) { return stock.UndoShelfLine(a, line.ID) })
	assert.Equal(t, "missing", w.standing(number))
}

// Along a shelf each scan says what it met; the report says what is out of order and what was not seen.
func TestAlongAShelf(t *testing.T) {
	w := newWorld(t)
	var numbers []string
	for k, c := range []struct{ branch, collection, call string }{
		{"HVH", "general", "100 A"}, {"HVH", "general", "200 B"}, {"HVH", "general", "900 Z"}, {"HVH", "general", "300 C"},
		{"SLM", "general", "310 D"}, {"HVH", "reference", "320 E"}, {"HVH", "general", "330 F"}, {"HVH", "general", "340 G"},
		{"HVH", "general", "350 H"}, {"HVH", "general", "360 I"}, {"HVH", "general", "370 J"}, {"HVH", "general", "990 ZZ"},
	} {
		title, _ := w.Title()
		number := w.Item(title, c.branch, map[string]any{"collection": c.collection, "call_number": c.call, "at_branch": "HVH"})
		numbers = append(numbers, number)
		_ = k
	}
	w.lend(numbers[6], w.Patron("HVH"))
	for standing, number := range map[string]string{"missing": numbers[7], "aside": numbers[8], "withdrawn": numbers[9]} {
		w.Set("UPDATE items SET standing = ? WHERE barcode = ?", standing, number)
	}
	v := do(w, func(a *act.Act) (*stock.Inventory, error) {
		return stock.OpenInventory(a, stock.Opening{Name: "Window side", Collection: "general"})
	})
	scan := func(text string) *stock.ShelfLine {
		return do(w, func(a *act.Act) (*stock.ShelfLine, error) { return stock.ScanShelf(a, v.ID, text) })
	}
	var lines []*stock.ShelfLine
	for k, found := range []circulation.OnAShelf{
		circulation.ShelfInPlace, circulation.ShelfInPlace, circulation.ShelfInPlace, circulation.ShelfInPlace, circulation.ShelfElsewhere,
		circulation.ShelfOtherCollection, circulation.ShelfOnLoan, circulation.ShelfWasMissing, circulation.ShelfOutOfUse, circulation.ShelfWithdrawn,
	} {
		lines = append(lines, scan(numbers[k]))
		assert.Equal(t, found, lines[k].Found, "scan %d: %s", k, lines[k].Says)
	}
	assert.Equal(t, circulation.ShelfAgain, scan(numbers[0]).Found)
	assert.Equal(t, circulation.ShelfUnknown, scan("34321000009993").Found)
	assert.Equal(t, circulation.ShelfUnknown, scan("salt").Found)
	assert.Equal(t, "in_use", w.standing(numbers[7]), "found again")
	report := do(w, func(a *act.Act) (*stock.Report, error) { return stock.ReportOf(a, v.ID) })
	assert.Equal(t, 4, report.InPlace)
	assert.Equal(t, "900 Z", report.Odd[0].Call, "seen from the end it stands out of order")
	assert.Empty(t, report.Unseen)
	do(w, func(a *act.Act) (*stock.ShelfLine, error) { return stock.UndoShelfLine(a, lines[7].ID) })
	assert.Equal(t, "missing", w.standing(numbers[7]), "the scan was taken back")
	assert.Equal(t, circulation.ShelfWasMissing, scan(numbers[7]).Found, "taken back, it is no scan of before")
	do(w, func(a *act.Act) (*stock.ShelfLine, error) { return stock.UndoShelfLine(a, scanID(w, numbers[7])) })
	scan(numbers[11]) // the end of the shelf: what stands before it was not seen
	report = do(w, func(a *act.Act) (*stock.Report, error) { return stock.ReportOf(a, v.ID) })
	require.Len(t, report.Unseen, 1)
	assert.Equal(t, numbers[10], report.Unseen[0].Barcode)
	ended := do(w, func(a *act.Act) (*stock.Inventory, error) {
		return stock.Finish(a, v.ID, stock.Finishing{Missing: []int64{report.Unseen[0].ID}})
	})
	assert.Equal(t, 1, ended.Missing)
	assert.Equal(t, "missing", w.standing(numbers[10]))
	assert.ErrorContains(t, try(w, func(a *act.Act) (*stock.ShelfLine, error) { return stock.ScanShelf(a, v.ID, numbers[0]) }), "This shelf check is finished. Start another one.")
	deeds := do(w, func(a *act.Act) ([]stock.DoneToMany, error) {
		rows, _, err := stock.Deeds(a, store.Page{})
		return rows, err
	})
	do(w, func(a *act.Act) (*stock.Undone, error) { return stock.Undo(a, deeds[0].ID) })
	assert.Equal(t, "in_use", w.standing(numbers[10]))
}

// scanID is the line of the last scan of an item that stands.
func scanID(w *world, number string) int64 {
	var id int64
	_, err := fmt.Sscan(w.Ask(`SELECT max(n.id)::text FROM inventory_lines n JOIN items i ON i.id = n.item_id
		WHERE i.barcode = ? AND NOT n.undone`, number), &id)
	require.NoError(w.t, err)
	return id
}

// Everything on loan: filtered, what is due first before, page after page without a gap.
func TestLentNow(t *testing.T) {
	w := newWorld(t)
	for range 7 {
		_, items := w.Title("HVH")
		w.lend(items[0], w.Patron("HVH"))
		w.Later(24 * 3600e9)
	}
	ask := func(s loansdb.LentSearch, page store.Page) ([]stock.Lent, store.Page) {
		var next store.Page
		rows := do(w, func(a *act.Act) ([]stock.Lent, error) {
			rows, n, err := stock.LentNow(a, s, page)
			next = n
			return rows, err
		})
		return rows, next
	}
	var all []stock.Lent
	page := store.Page{Most: 3}
	for {
		rows, next := ask(loansdb.LentSearch{}, page)
		all = append(all, rows...)
		if !next.More {
			break
		}
		page = next
	}
	require.Len(t, all, 7)
	for k := 1; k < len(all); k++ {
		assert.LessOrEqual(t, all[k-1].DueOn, all[k].DueOn)
	}
	day, err := calendar.ParseDate(all[3].DueOn)
	require.NoError(t, err)
	some, _ := ask(loansdb.LentSearch{DueTo: &day, Branch: "HVH"}, store.Page{})
	assert.Len(t, some, 4)
	none, _ := ask(loansdb.LentSearch{Branch: "SLM"}, store.Page{})
	assert.Empty(t, none)
	volunteer := w.Staff(role.Volunteer, "HVH")
	for _, l := range testkit.Do(t, w.House, volunteer, func(a *act.Act) ([]stock.Lent, error) {
		rows, _, err := stock.LentNow(a, loansdb.LentSearch{}, store.Page{})
		return rows, err
	}) {
		assert.Empty(t, l.Who+l.Card, "who has it is not for everybody")
	}
}

// What is kept of a deed is what each item was, of that alone what changed.
func TestWhatADeedKeeps(t *testing.T) {
	w := newWorld(t)
	_, items := w.Title("HVH")
	done := do(w, func(a *act.Act) (*stock.ManyChanged, error) {
		return stock.ChangeMany(a, stock.Many{Which: stock.Which{Numbers: items}, Change: stock.Becoming{Branch: "SLM"}})
	})
	var was map[string]any
	require.NoError(t, json.Unmarshal([]byte(w.Ask("SELECT was::text FROM deed_items WHERE deed_id = ?", done.Deed)), &was))
	assert.Equal(t, "HVH", was["branch"])
	assert.NotContains(t, was, "price")
}
