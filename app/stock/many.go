package stock

import (
	"fmt"
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
	"nevrin/core/money"
	"nevrin/core/shelforder"
	"nevrin/store"
	"nevrin/store/deedsdb"
	"nevrin/store/eventsdb"
	"nevrin/store/stockdb"
)

// mostAtOnce is how many items one act changes at most; who has more does it in parts.
const mostAtOnce = 25_000

// Find gives a page of the items that match.
func Find(a *act.Act, s stockdb.ItemSearch, page store.Page) ([]catalogue.Item, store.Page, error) {
	if s.Strays {
		if list, whole, err := toPull(a, s); whole || err != nil {
			return list, store.Page{}, err
		}
	}
	rows, next, err := stockdb.FindItems(a.Tx, s, page)
	return catalogue.ShowItems(a, rows), next, err
}

// mostPulled is how many things that stand where they do not belong are put in the order of the shelves; more come page by page.
const mostPulled = 3000

// toPull gives what stands where it does not belong in the order of the shelves, as who pulls it walks along them; false: it is too much.
func toPull(a *act.Act, s stockdb.ItemSearch) ([]catalogue.Item, bool, error) {
	ids, err := stockdb.ItemIDs(a.Tx, s, mostPulled)
	if err != nil || len(ids) > mostPulled {
		return nil, false, err
	}
	rows, err := stockdb.ItemsWith(a.Tx, ids)
	shelforder.Sort(rows, func(i stockdb.ItemShown) []string {
		return []string{string(i.AtBranch), i.Collection, i.CallNumber, i.Volume, i.Barcode}
	})
	return catalogue.ShowItems(a, rows), true, err
}

// Count counts the items that match.
func Count(a *act.Act, s *stockdb.ItemSearch) (int, error) { return stockdb.CountItems(a.Tx, *s) }

// Which items are meant: those that are found, or those that were scanned or chosen.
type Which struct {
	Search  *stockdb.ItemSearch `json:"search,omitempty"`
	Items   []int64             `json:"items,omitempty" maxItems:"25000"`
	Numbers []string            `json:"numbers,omitempty" maxItems:"5000" doc:"As they were scanned"`
}

// Becoming is the change of each item; fields left out stay as they are.
type Becoming struct {
	Branch     calendar.Code          `json:"branch,omitempty" maxLength:"3" doc:"Where they belong from now on"`
	Until      *calendar.Date         `json:"until,omitempty" doc:"With a branch: for a time, until this day; then they belong where they do now"`
	Collection string                 `json:"collection,omitempty" maxLength:"60"`
	Material   string                 `json:"material,omitempty" maxLength:"60"`
	Price      *money.Amount          `json:"price,omitempty" doc:"In minor units"`
	Standing   circulation.ItemStatus `json:"standing,omitempty" enum:",in_use,missing,aside,withdrawn"`
	AsideFor   circulation.AsideFor   `json:"aside_for,omitempty" enum:",damaged,repair,rebuy"`
}

// Many is a change of many items at once.
type Many struct {
	Which  Which    `json:"which"`
	Change Becoming `json:"change"`
	Reason string   `json:"reason" maxLength:"300"`
	Try    bool     `json:"try" doc:"Only look at what would be done"`
}

// ManyChanged is the effect of a batch change, or of its preview.
type ManyChanged struct {
	Changed int      `json:"changed"`
	Same    int      `json:"same" doc:"That are so already"`
	Left    int      `json:"left" doc:"On loan or elsewhere, where how they stand cannot change; or lent to us"`
	Odd     []string `json:"odd" doc:"What was scanned and is no item here, in sentences; the first twenty"`
	OddAll  int      `json:"odd_all"`
	Says    string   `json:"says" doc:"What is done, in a sentence"`
	Deed    int64    `json:"deed" doc:"Its number, to undo it; 0: nothing was done"`
}

// deedKept is what is kept of a deed beside what each item was.
type deedKept struct {
	Says   string `json:"says"`
	Reason string `json:"reason,omitempty"`
	Count  int    `json:"count"`
}

// ChangeMany changes many items at once, or looks at what that would do.
func ChangeMany(a *act.Act, m Many) (*ManyChanged, error) {
	change, says, err := m.Change.settle(a)
	if err != nil {
		return nil, err
	}
	out := &ManyChanged{Says: says, Odd: []string{}}
	ids, err := m.Which.find(a, out)
	if err != nil {
		return nil, err
	}
	var titles []int64
	if !m.Try {
		if titles, err = stockdb.TitlesOf(a.Tx, ids); err == nil {
			err = a.Tx.Lock(store.Lock{Titles: titles})
		}
		if err != nil {
			return nil, err
		}
	}
	seen, err := stockdb.LookAtChange(a.Tx, ids, change)
	if err != nil {
		return nil, err
	}
	out.Changed, out.Same, out.Left = seen.Changed, seen.Same, seen.Left
	if m.Try || seen.Changed == 0 {
		return out, nil
	}
	m.Reason = strings.TrimSpace(m.Reason)
	if change.Standing != nil && change.Standing.NeedsReason() && m.Reason == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a reason to withdraw them.")
	}
	out.Deed, err = deeds.Keep(a, deedsdb.Stock, "changed", &deedKept{says, m.Reason, seen.Changed})
	if err != nil {
		return nil, err
	}
	if out.Changed, err = stockdb.ChangeItems(a.Tx, out.Deed, ids, change); err != nil {
		return nil, err
	}
	told(a, out.Deed, says, m.Reason)
	if change.Standing == nil {
		return out, nil
	}
	return out, reroute(a, titles)
}

// reroute looks which holds on titles what came back into use may serve.
func reroute(a *act.Act, titles []int64) error {
	awaited, err := stockdb.Awaited(a.Tx, titles)
	if err != nil {
		return err
	}
	for _, t := range awaited {
		if _, err := moving.Route(a, t, 0); err != nil {
			return err
		}
	}
	return nil
}

// told appends an event to each item of a deed.
func told(a *act.Act, deed int64, says, reason string) {
	row := eventsdb.Event{At: a.Now, Kind: string(event.StockChanged), StaffID: act.OrNil(a.Who.ID)}
	if a.Who.Branch != "" {
		row.BranchCode = &a.Who.Branch
	}
	if a.Who.Request != "" {
		row.Request = &a.Who.Request
	}
	row.Detail = store.JSON(&event.Detail{Says: says, Reason: reason})
	stockdb.TellOfDeed(a.Tx, deed, row)
	a.Touch(event.StockChanged.Areas()...)
}

// find gives the items that are meant, and says what of them is odd.
func (w *Which) find(a *act.Act, out *ManyChanged) ([]int64, error) {
	ids := slices.Clone(w.Items)
	if w.Search != nil {
		if w.Search.Any() {
			return nil, problem.Newf(problem.Invalid, "Choose which items. Without any filter this would be all of them.")
		}
		found, err := stockdb.ItemIDs(a.Tx, *w.Search, mostAtOnce)
		if err != nil {
			return nil, err
		}
		ids = append(ids, found...)
	}
	if len(ids) > mostAtOnce {
		return nil, problem.Newf(problem.Invalid, "These are more than 25,000 items. Narrow the search, for example by branch.")
	}
	var numbers []string
	for _, text := range w.Numbers {
		scan := a.Network.Numbers.Read(text)
		if scan.Kind != ident.Item {
			out.odd(orWords(scan, text))
			continue
		}
		numbers = append(numbers, scan.Number)
	}
	known, err := stockdb.ItemsByNumbers(a.Tx, numbers)
	if err != nil {
		return nil, err
	}
	for _, n := range numbers {
		if known[n] == 0 {
			out.odd(ident.Unknown("item", n, false))
			continue
		}
		ids = append(ids, known[n])
	}
	slices.Sort(ids)
	return slices.Compact(ids), nil
}

func orWords(scan ident.Scan, text string) string {
	if scan.Problem != "" {
		return scan.Problem
	}
	return fmt.Sprintf("%q is not an item number.", text)
}

const oddShown = 20

func (m *ManyChanged) odd(says string) {
	if m.OddAll++; m.OddAll <= oddShown {
		m.Odd = append(m.Odd, says)
	}
}

// settle looks whether a change can be, and says it in a sentence.
func (c *Becoming) settle(a *act.Act) (stockdb.ItemChange, string, error) {
	var out stockdb.ItemChange
	var says []string
	if c.Branch != "" {
		if _, err := a.Network.OpenBranch(c.Branch); err != nil {
			return out, "", err
		}
		out.Branch = &c.Branch
		says = append(says, "belongs to "+a.Network.BranchName(c.Branch))
		if c.Until != nil {
			if *c.Until < a.Today() {
				return out, "", problem.Newf(problem.Invalid, "%s is in the past. Choose a later day.", a.SayDate(*c.Until))
			}
			out.HomeUntil = c.Until
			says[0] += " until " + a.Network.SayDate(*c.Until)
		}
	} else if c.Until != nil {
		return out, "", problem.Newf(problem.Invalid, "Choose their home branch until %s.", a.SayDate(*c.Until))
	}
	for _, k := range []struct {
		kind, name, code string
		into             **string
	}{{"collection", "collection", c.Collection, &out.Collection}, {"material", "material class", c.Material,
		&out.Material}} {
		if k.code == "" {
			continue
		}
		if err := isClass(a, k.kind, k.code); err != nil {
			return out, "", err
		}
		*k.into = &k.code
		says = append(says, k.name+" "+a.Network.ClassName(k.kind, k.code))
	}
	if c.Price != nil {
		if *c.Price < 0 {
			return out, "", problem.Newf(problem.Invalid, "Enter a price of 0 or more.")
		}
		out.Price = c.Price
		says = append(says, "price "+a.Network.Money.Say(*c.Price))
	}
	if c.Standing != "" {
		aside := c.AsideFor
		if c.Standing != circulation.ItemAside {
			aside = ""
		}
		out.Standing, out.AsideFor = &c.Standing, &aside
		says = append(says, strings.ToLower(catalogue.SayStatus(c.Standing, aside)))
	}
	if len(says) == 0 {
		return out, "", problem.Newf(problem.Invalid, "Choose what to change.")
	}
	return out, strings.ToUpper(says[0][:1]) + strings.Join(says, ", ")[1:], nil
}

// DoneToMany is something that was done to many items at once.
type DoneToMany struct {
	ID     int64     `json:"id"`
	Kind   string    `json:"kind" enum:"changed,season_ended,not_seen"`
	At     time.Time `json:"at"`
	Who    string    `json:"who"`
	Says   string    `json:"says"`
	Reason string    `json:"reason"`
	Count  int       `json:"count"`
	Undone bool      `json:"undone"`
}

// Deeds gives a page of what was done to many items at once, newest first.
func Deeds(a *act.Act, page store.Page) ([]DoneToMany, store.Page, error) {
	return deeds.Page(a, deedsdb.Stock, page, showDeed)
}

func showDeed(row *deedsdb.Deed) (*DoneToMany, error) {
	kept, err := deeds.Did[deedKept](row)
	if err != nil {
		return nil, err
	}
	return &DoneToMany{
		ID: row.ID, Kind: row.Kind, At: row.At, Who: deeds.By(row), Says: kept.Says, Reason: kept.Reason,
		Count: kept.Count, Undone: row.UndoneAt != nil,
	}, nil
}

// ItemsOf gives a page of the items that a deed changed, as they are now.
func ItemsOf(a *act.Act, id int64, page store.Page) ([]catalogue.Item, store.Page, error) {
	rows, next, err := stockdb.DeedItems(a.Tx, id, page)
	return catalogue.ShowItems(a, rows), next, err
}

// Undone is the result of undoing a batch change.
type Undone struct {
	DoneToMany
	Left int `json:"left" doc:"How many stay as they are, since something else has become of them meanwhile"`
}

// Undo takes a deed back, for all items that are still as it left them.
func Undo(a *act.Act, id int64) (*Undone, error) {
	titles, items, err := stockdb.ItemsOfDeed(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if err := a.Tx.Lock(store.Lock{Titles: titles}); err != nil {
		return nil, err
	}
	row, err := deeds.Undo(a, deedsdb.Stock, id)
	if err != nil {
		return nil, err
	}
	d, err := showDeed(row)
	if err != nil {
		return nil, err
	}
	before, err := stockdb.BranchesBefore(a.Tx, id)
	if err != nil {
		return nil, err
	}
	for _, b := range before {
		if _, err := a.Network.OpenBranch(b); err != nil {
			return nil, problem.Newf(problem.Refused,
				"It cannot be undone: items would belong to %s, which is permanently closed.", a.Network.BranchName(b))
		}
	}
	back, err := stockdb.UndoItems(a.Tx, id)
	if err != nil {
		return nil, err
	}
	told(a, id, "Undone: "+d.Says, "")
	return &Undone{*d, items - back}, reroute(a, titles)
}
