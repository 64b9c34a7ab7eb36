package holds

import (
	"time"

	"nevrin/core/circulation"
	"nevrin/core/ledger"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/shelforder"
	"nevrin/core/why"
	"nevrin/store"
)

// Fetch is one line of a branch's fetch list.
type Fetch struct {
	HoldID     int64      `json:"hold_id"`
	ItemID     int64      `json:"item_id"`
	Barcode    string     `json:"barcode"`
	Title      string     `json:"title"`
	Author     string     `json:"author"`
	Collection string     `json:"collection"`
	Call       string     `json:"call_number"`
	Material   string     `json:"material"`
	For        string     `json:"for" doc:"Where it is waited for"`
	Promise    string     `json:"promise"`
	Since      time.Time  `json:"since"`
	Why        *why.Trace `json:"why,omitempty"`
}

// FetchList is what a branch takes from its shelves now, in shelf order.
func FetchList(a *act.Act, branch calendar.Code) ([]Fetch, error) {
	rows, err := a.Tx.FetchList(branch)
	out := []Fetch{}
	for _, r := range rows {
		f := Fetch{
			HoldID: r.HoldID, ItemID: r.ItemID, Barcode: r.Barcode, Title: r.Title, Author: r.Author,
			Call: r.CallNumber,
			Collection: a.Network.ClassName(
				"collection",
				r.Collection,
			), Material: a.Network.ClassName("material", r.Material),
			For: a.Network.BranchName(r.Pickup), Since: r.PlacedAt, Why: act.Trace(r.Why),
		}
		if r.PromisedAt != nil {
			f.Promise = calendar.SayInstant(*r.PromisedAt, a.Network.Location)
		}
		out = append(out, f)
	}
	shelforder.Sort(out, func(f Fetch) []string { return []string{f.Collection, f.Call, f.Title} })
	return out, err
}

// Taken is what became of an item in hand, with its sign.
type Taken struct {
	OK    bool        `json:"ok"`
	Text  string      `json:"text"`
	Title string      `json:"title"`
	Item  int64       `json:"item,omitempty"`
	Code  string      `json:"barcode"`
	Sign  moving.Sign `json:"sign"`
	Why   *why.Trace  `json:"why,omitempty"`
	Meant ident.Kind  `json:"meant" enum:",card,item,words" doc:"What was meant by the scan, as far as it tells"`
}

// InHand takes an item that somebody holds in hand and that is not on loan: fetched from the shelf, out of a tote, or
// found. It goes where it is needed.
func InHand(a *act.Act, text string) (*Taken, error) {
	scan := a.Network.Numbers.Read(text)
	wrong := func(place, detail string) (*Taken, error) {
		t := &Taken{Text: detail, Title: text, Code: text, Sign: moving.AsideFor(place, detail), Meant: scan.Like}
		if scan.Kind == ident.Words {
			t.Meant = ident.Words
		}
		return t, nil
	}
	switch scan.Kind {
	case ident.Wrong:
		return wrong("Wrong number", scan.Problem)
	case ident.Card, ident.Words:
		return wrong("No item", "“"+text+"” is not an item's number. Scan the item's label.")
	}
	f, err := a.Tx.ItemFacts(scan.Number)
	switch {
	case err != nil:
		return nil, err
	case f == nil:
		return wrong("Not ours?", ident.Unknown("item", scan.Number, scan.Completed))
	case f.Loan != nil:
		return wrong("On loan", f.Item.Title.Name+" is still on loan. Take it back at Returns first.")
	case f.Item.Standing == circulation.ItemWithdrawn:
		return wrong("Withdrawn", f.Item.Title.Name+" has been taken out of the stock.")
	}
	received := f.Transit != nil
	placed, err := moving.Place(a, f)
	if err != nil {
		return nil, err
	}
	t := &Taken{
		OK:    true,
		Text:  placed.Why.Result,
		Title: f.Item.Title.Name,
		Item:  f.Item.ID,
		Code:  f.Item.Barcode,
		Sign:  placed.Sign,
		Why:   &placed.Why,
		Meant: ident.Item,
	}
	if received {
		t.Text = "Received. " + t.Text
	}
	return t, nil
}

// Missed says that an item of the fetch list was not found. It passes to the next best copy; missed twice without
// having been seen in between, for any holds, the item is reported missing.
func Missed(a *act.Act, id int64) error {
	h, err := a.Tx.HoldByID(id)
	if err != nil {
		return err
	}
	if h == nil {
		return problem.NoSuch("hold")
	}
	if h.State != queue.Fetching {
		return problem.Newf(problem.Refused, "This hold is not on the fetch list any more.")
	}
	if !a.Who.MayActOn(*h.FetchAt) {
		return problem.Newf(
			problem.Forbidden,
			"This is on the fetch list of %s. Only who looks there can say that it is not on its shelf.",
			a.Network.BranchName(*h.FetchAt),
		)
	}
	item := *h.ItemID
	if err := a.Tx.MoveHold(h, queue.PutBack, a.Now); err != nil {
		return err
	}
	times, err := a.Tx.Miss(h.ID, item, a.Now)
	if err != nil {
		return err
	}
	a.Tell(event.Event{Kind: event.Missed, Item: item, Hold: h.ID, Patron: h.PatronID})
	if queue.Missing(times) {
		a.Tx.Stand(item, circulation.ItemMissing, "")
		a.Tell(event.Event{Kind: event.Missing, Item: item, Detail: event.Detail{Count: times}})
	}
	_, err = moving.Route(a, h.TitleID, 0)
	return err
}

// Lapse ends holds that were not fetched from the shelf by a day, up to a number of them, and charges for it where
// rules say so. Their items wait to be scanned, which sends them on. It gives how many it has ended.
func Lapse(a *act.Act, day calendar.Date, most int) (int, error) {
	lapsing, err := a.Tx.Lapsing(day.UTC(), most)
	if err != nil {
		return 0, err
	}
	for k := range lapsing {
		h := &lapsing[k]
		item, until := *h.ItemID, *store.DateOf(h.ShelfUntil)
		if err := a.Tx.MoveHold(&h.Hold, queue.Lapse, a.Now); err != nil {
			return 0, err
		}
		a.Tell(
			event.Event{
				Kind:   event.HoldLapsed,
				Patron: h.PatronID,
				Hold:   h.ID,
				Item:   item,
				Detail: event.Detail{Day: &until},
			},
		)
		at := rulebook.Situate(h.Pickup, h.Home, h.Collection, h.Material, h.Class)
		terms := a.Book.Decide(at, nil)
		charge := terms.Value(rulebook.UncollectedCharge).Amount()
		if charge == 0 {
			continue
		}
		trace := a.Book.Why(at, nil, rulebook.UncollectedCharge)
		e := &store.Entry{
			PatronID: h.PatronID,
			Amount:   int64(charge),
			About:    ledger.AboutUncollected,
			Why:      store.JSON(&trace),
		}
		if err := accounts.Put(a, e, item); err != nil {
			return 0, err
		}
	}
	return len(lapsing), nil
}
