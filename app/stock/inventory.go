package stock

import (
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/deeds"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ident"
	"nevrin/core/shelforder"
	"nevrin/store"
	"nevrin/store/deedsdb"
	"nevrin/store/deskdb"
	"nevrin/store/stockdb"
)

// Inventory is a shelf that is walked along with a scanner.
type Inventory struct {
	ID         int64      `json:"id"`
	Name       string     `json:"name"`
	Branch     string     `json:"branch"`
	Collection string     `json:"collection" doc:"In words"`
	Opened     time.Time  `json:"opened_at"`
	Who        string     `json:"who"`
	Finished   *time.Time `json:"finished_at,omitempty"`
	Lines      int        `json:"scans" doc:"How many scans there are"`
	Missing    int        `json:"missing" doc:"How many were marked as missing when it was finished"`
}

// Opening is an inventory to be begun.
type Opening struct {
	Name       string `json:"name" minLength:"1" maxLength:"120" doc:"Which shelves these are, such as 'Films, window side'"`
	Collection string `json:"collection" maxLength:"60" doc:"Of which collection; empty: of any"`
}

// OpenInventory begins one at the actor's branch.
func OpenInventory(a *act.Act, o Opening) (*Inventory, error) {
	if o.Collection != "" {
		if err := isClass(a, "collection", o.Collection); err != nil {
			return nil, err
		}
	}
	v := stockdb.Inventory{BranchCode: a.Who.Branch, Collection: o.Collection, Name: strings.TrimSpace(o.Name),
		OpenedAt: a.Now, StaffID: act.OrNil(a.Who.ID)}
	if v.Name == "" {
		return nil, problem.Newf(problem.Invalid, "Enter which shelves these are.")
	}
	if err := stockdb.AddInventory(a.Tx, &v); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.Inventoried, Detail: event.Detail{Says: "Shelf check started: " + v.Name}})
	return OneInventory(a, v.ID)
}

// Inventories gives a page of those of the actor's branch, newest first.
func Inventories(a *act.Act, page store.Page) ([]Inventory, store.Page, error) {
	rows, next, err := stockdb.Inventories(a.Tx, a.Who.Branch, page)
	out := []Inventory{}
	for k := range rows {
		out = append(out, showInventory(a, &rows[k]))
	}
	return out, next, err
}

// OneInventory gives one.
func OneInventory(a *act.Act, id int64) (*Inventory, error) {
	row, err := inventory(a, id)
	if err != nil {
		return nil, err
	}
	out := showInventory(a, row)
	return &out, nil
}

func showInventory(a *act.Act, v *stockdb.InventoryShown) Inventory {
	out := Inventory{
		ID: v.ID, Name: v.Name, Branch: a.Network.BranchName(v.BranchCode), Opened: v.OpenedAt, Who: "Nevrin",
		Finished: v.FinishedAt, Lines: v.Lines, Missing: v.Missing, Collection: "any collection",
	}
	if v.Collection != "" {
		out.Collection = a.Network.ClassName("collection", v.Collection)
	}
	if v.Who != nil {
		out.Who = *v.Who
	}
	return out
}

// inventory loads one of the actor's branch.
func inventory(a *act.Act, id int64) (*stockdb.InventoryShown, error) {
	row, err := stockdb.InventoryByID(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case row == nil:
		return nil, problem.NoSuch("inventory")
	}
	return row, ofHere(a, row.BranchCode)
}

func ofHere(a *act.Act, branch calendar.Code) error {
	if a.Who.MayActOn(branch) {
		return nil
	}
	return problem.Newf(problem.Forbidden, "This shelf check belongs to %s.", a.Network.BranchName(branch))
}

// open loads one that is not finished yet, and locks it.
func open(a *act.Act, id int64) (*stockdb.Inventory, error) {
	row, err := stockdb.InventoryLocked(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case row == nil:
		return nil, problem.NoSuch("inventory")
	case row.FinishedAt != nil:
		return nil, problem.Newf(problem.Refused, "This shelf check is finished. Start another one.")
	}
	return row, ofHere(a, row.BranchCode)
}

// ShelfLine is one scan of a shelf check.
type ShelfLine struct {
	ID     int64                `json:"id"`
	Text   string               `json:"text"`
	Item   int64                `json:"item_id,omitempty"`
	Title  string               `json:"title"`
	Call   string               `json:"call_number"`
	Found  circulation.OnAShelf `json:"found" enum:"in_place,out_of_order,on_loan,elsewhere,other_collection,held,under_way,was_missing,found_elsewhere,out_of_use,withdrawn,unknown,again"`
	Says   string               `json:"says"`
	Good   bool                 `json:"good" doc:"It stands where it should"`
	Undone bool                 `json:"undone"`
}

// lookedBack is how many of the last scans tell whether the next stands in order: one that stands far off does not put all behind
// it out of order.
const lookedBack = 20

// ScanShelf takes the next scan of a shelf check.
func ScanShelf(a *act.Act, id int64, text string) (*ShelfLine, error) {
	v, err := open(a, id)
	if err != nil {
		return nil, err
	}
	line := &stockdb.InventoryLine{InventoryID: id, At: a.Now, Text: text, Found: string(circulation.ShelfUnknown)}
	scan := a.Network.Numbers.Read(text)
	if scan.Kind != ident.Item {
		return kept(a, line, nil, orWords(scan, text))
	}
	facts, err := deskdb.ItemFacts(a.Tx, scan.Number)
	if err != nil {
		return nil, err
	}
	if facts == nil {
		return kept(a, line, nil, ident.Unknown("item", scan.Number, scan.Completed))
	}
	line.ItemID, line.CallNumber = &facts.Item.ID, facts.Item.CallNumber
	seen, err := stockdb.SeenOnShelf(a.Tx, id, facts.Item.ID, lookedBack)
	if err != nil {
		return nil, err
	}
	floats := circulation.StaysHere(a.Book.Rulebook, a.Who.Branch, facts.Item.BranchCode, facts.Item.Collection, facts.Item.Material)
	found := circulation.AlongShelf(circulation.Shelved{
		Again: seen.Again, Standing: facts.Item.Standing, Place: facts.Place(), Here: a.Who.Branch,
		Home: facts.Item.BranchCode, Floats: floats,
		Collection: facts.Item.Collection, Sought: v.Collection,
		Misplaced: slices.Contains(shelforder.Misplaced(append(seen.Calls, facts.Item.CallNumber)), len(seen.Calls)),
	})
	line.Found = string(found)
	if found.Found() {
		if err := foundAgain(a, facts); err != nil {
			return nil, err
		}
	} else if facts.Place() == circulation.PlaceShelf && facts.Item.AtBranch != a.Who.Branch {
		stockdb.SetStatusAt(a.Tx, facts.Item.ID, a.Who.Branch, facts.Item.Standing)
	}
	return kept(a, line, facts, sayFound(a, found, facts))
}

// foundAgain puts something that was missing back in use, here.
func foundAgain(a *act.Act, facts *deskdb.Facts) error {
	stockdb.SetStatusAt(a.Tx, facts.Item.ID, a.Who.Branch, circulation.ItemInUse)
	stockdb.Seen(a.Tx, facts.Item.ID, a.Now)
	a.Tell(event.Event{Kind: event.Found, Item: facts.Item.ID})
	_, err := moving.Route(a, facts.Item.TitleID, 0)
	return err
}

func kept(a *act.Act, line *stockdb.InventoryLine, facts *deskdb.Facts, says string) (*ShelfLine, error) {
	if err := stockdb.AddInventoryLine(a.Tx, line); err != nil {
		return nil, err
	}
	a.Touch(event.Counter)
	out := &ShelfLine{
		ID:    line.ID,
		Text:  line.Text,
		Call:  line.CallNumber,
		Found: circulation.OnAShelf(line.Found),
		Says:  says,
	}
	out.Good = out.Found.Good()
	if facts != nil {
		out.Item, out.Title = facts.Item.ID, facts.Item.Title.Name
	}
	return out, nil
}

// sayFound says what a scan of a shelf check met, and what to do with it.
func sayFound(a *act.Act, found circulation.OnAShelf, facts *deskdb.Facts) string {
	if found == circulation.ShelfFoundElsewhere {
		there := circulation.ShelfOtherCollection
		if facts.Item.BranchCode != a.Who.Branch {
			there = circulation.ShelfElsewhere
		}
		return "It was missing and is now found. " + sayFound(a, there, facts)
	}
	if found == circulation.ShelfElsewhere {
		return "Its home is " + a.Network.BranchName(facts.Item.BranchCode) + ". Take it off the shelf and scan it under Returns."
	}
	if found == circulation.ShelfOtherCollection {
		return "Its home is " + a.Network.ClassName("collection", facts.Item.Collection) + ". Take it there."
	}
	return sayOnAShelf[found]
}

var sayOnAShelf = map[circulation.OnAShelf]string{
	circulation.ShelfInPlace:         "In place.",
	circulation.ShelfElsewhere:       "It belongs to another branch. Take it off the shelf and scan it under Returns.",
	circulation.ShelfOtherCollection: "It belongs to another collection. Take it there.",
	circulation.ShelfOutOfOrder:      "Out of order. Check its neighbours.",
	circulation.ShelfOnLoan:          "It is on loan. Take it off the shelf and scan it under Returns.",
	circulation.ShelfHeld:            "It is needed for a hold. Take it off the shelf and scan it under Returns.",
	circulation.ShelfUnderWay:        "It is recorded as in transit. Take it off the shelf and scan it under Returns.",
	circulation.ShelfWasMissing:      "It was missing and is found. It is in use again.",
	circulation.ShelfOutOfUse:        "It is set aside and should not be on a shelf.",
	circulation.ShelfWithdrawn:       "It is withdrawn and should not be on a shelf.",
	circulation.ShelfUnknown:         "No item here has this number.",
	circulation.ShelfAgain:           "Already scanned.",
}

// ShelfLines gives a page of the lines of an inventory, newest first.
func ShelfLines(a *act.Act, id int64, page store.Page) ([]ShelfLine, store.Page, error) {
	if _, err := inventory(a, id); err != nil {
		return nil, page, err
	}
	rows, next, err := stockdb.InventoryLines(a.Tx, id, page)
	out := []ShelfLine{}
	for k := range rows {
		out = append(out, showLine(&rows[k]))
	}
	return out, next, err
}

func showLine(n *stockdb.InventoryLineShown) ShelfLine {
	l := ShelfLine{
		ID:     n.ID,
		Text:   n.Text,
		Call:   n.CallNumber,
		Found:  circulation.OnAShelf(n.Found),
		Undone: n.Undone,
	}
	l.Good = l.Found.Good()
	l.Says = sayOnAShelf[l.Found]
	if n.ItemID != nil {
		l.Item, l.Title = *n.ItemID, *n.TitleName
	}
	return l
}

// UndoShelfLine takes a scan of a shelf check back. What it found again is missing again, if nobody has gone on with it.
func UndoShelfLine(a *act.Act, id int64) (*ShelfLine, error) {
	n, err := stockdb.InventoryLineByID(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if n == nil {
		return nil, problem.NoSuch("line")
	}
	if _, err := open(a, n.InventoryID); err != nil {
		return nil, err
	}
	if n.Undone {
		return nil, problem.Newf(problem.Refused, "This scan is already undone.")
	}
	if circulation.OnAShelf(n.Found).Found() {
		facts, err := locked(a, *n.ItemID)
		if err != nil {
			return nil, err
		}
		if facts.Place() != circulation.PlaceShelf {
			return nil, problem.Newf(problem.Refused, "It has been used since. It stays in use.")
		}
		stockdb.SetStatus(a.Tx, facts.Item.ID, circulation.ItemMissing,
			"")
		a.Tell(
			event.Event{
				Kind:   event.Missing,
				Item:   facts.Item.ID,
				Detail: event.Detail{Reason: "the scan that found it was undone"},
			},
		)
	}
	stockdb.UndoInventoryLine(a.Tx, id)
	n.Undone = true
	return new(showLine(n)), nil
}

// Report is the result of an inventory.
type Report struct {
	Inventory Inventory        `json:"inventory"`
	Odd       []ShelfLine      `json:"odd" doc:"What does not stand where it should, in the order in which it was scanned"`
	Unseen    []catalogue.Item `json:"unseen" doc:"What should stand between the first and the last call number, and was not scanned; in shelf order"`
	InPlace   int              `json:"in_place"`
}

// ReportOf says what an inventory has come to so far.
func ReportOf(a *act.Act, id int64) (*Report, error) {
	v, err := inventory(a, id)
	if err != nil {
		return nil, err
	}
	lines, err := stockdb.AllInventoryLines(a.Tx, id)
	if err != nil {
		return nil, err
	}
	out := &Report{Inventory: showInventory(a, v), Odd: []ShelfLine{}, Unseen: []catalogue.Item{}}
	out.judge(lines)
	unseen, err := unseenOf(a, v, lines)
	if err != nil {
		return nil, err
	}
	out.Unseen = catalogue.ShowItems(a, unseen)
	return out, nil
}

// judge looks at all lines together: seen from the end, other ones may be out of order than each scan could tell.
func (r *Report) judge(lines []stockdb.InventoryLineShown) {
	var calls []string
	var at []int
	for k := range lines {
		if circulation.OnAShelf(lines[k].Found).OnItsShelf() {
			calls, at = append(calls, lines[k].CallNumber), append(at, k)
		}
	}
	misplaced := map[int]bool{}
	for _, k := range shelforder.Misplaced(calls) {
		misplaced[at[k]] = true
	}
	for k := range lines {
		l := showLine(&lines[k])
		switch {
		case misplaced[k]:
			l.Found, l.Good, l.Says = circulation.ShelfOutOfOrder, false, sayOnAShelf[circulation.ShelfOutOfOrder]
		case l.Found.OnItsShelf():
			r.InPlace++
			continue
		case l.Found == circulation.ShelfAgain:
			continue
		}
		r.Odd = append(r.Odd, l)
	}
}

// unseenOf gives what should stand between the first and the last call number that stand in order, and was not scanned.
func unseenOf(a *act.Act, v *stockdb.InventoryShown, lines []stockdb.InventoryLineShown) ([]stockdb.ItemShown, error) {
	scanned := map[int64]bool{}
	var calls []string
	for k := range lines {
		if lines[k].ItemID != nil {
			scanned[*lines[k].ItemID] = true
		}
		if circulation.OnAShelf(lines[k].Found).OnItsShelf() {
			calls = append(calls, lines[k].CallNumber)
		}
	}
	misplaced := shelforder.Misplaced(calls)
	var keys []string
	for k, c := range calls {
		if !slices.Contains(misplaced, k) {
			keys = append(keys, shelforder.Key(c))
		}
	}
	if len(keys) == 0 {
		return nil, nil
	}
	first, last := slices.Min(keys), slices.Max(keys)
	all, err := stockdb.OnShelves(a.Tx, v.BranchCode, v.Collection)
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(i stockdb.ItemShown) bool {
		key := shelforder.Key(i.CallNumber)
		return scanned[i.ID] || key < first || key > last
	})
	shelforder.Sort(all, func(i stockdb.ItemShown) []string { return []string{i.Collection, i.CallNumber, i.Barcode} })
	return all, nil
}

// Finishing ends an inventory; of what was not seen, some is marked as missing.
type Finishing struct {
	Missing []int64 `json:"missing" maxItems:"50000" nullable:"false" doc:"Items that were not seen and are missing from now on"`
}

// Finish ends an inventory. What is marked as missing can be undone as one.
func Finish(a *act.Act, id int64, in Finishing) (*Inventory, error) {
	v, err := open(a, id)
	if err != nil {
		return nil, err
	}
	marked := 0
	if len(in.Missing) > 0 {
		titles, err := stockdb.TitlesOf(a.Tx, in.Missing)
		if err == nil {
			err = a.Tx.Lock(store.Lock{Titles: titles})
		}
		if err != nil {
			return nil, err
		}
		says := "Not scanned on " + v.Name + ": missing"
		deed, err := deeds.Keep(a, deedsdb.Stock, "not_seen", &deedKept{says, "", len(in.Missing)})
		if err != nil {
			return nil, err
		}
		missing, none := circulation.ItemMissing, circulation.AsideFor("")
		change := stockdb.ItemChange{Standing: &missing, AsideFor: &none}
		if marked, err = stockdb.ChangeItems(a.Tx, deed, in.Missing, change); err != nil {
			return nil, err
		}
		told(a, deed, says, "")
	}
	stockdb.FinishInventory(a.Tx, id, marked,
		a.Now)
	a.Tell(
		event.Event{
			Kind: event.Inventoried,
			Detail: event.Detail{
				Says: "Shelf check finished: " + v.Name + ", " + calendar.Count(marked, "item") + " missing",
			},
		},
	)
	if err := a.Tx.Flush(); err != nil {
		return nil, err
	}
	return OneInventory(a, id)
}
