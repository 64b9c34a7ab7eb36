package holds

import (
	"time"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/notices"
	"nevrin/app/problem"
	"nevrin/app/totes"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/courier"
	"nevrin/core/ident"
	"nevrin/core/ledger"
	"nevrin/core/plan"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/shelforder"
	"nevrin/core/tote"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/stockdb"
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
	Volume     string     `json:"volume"`
	For        string     `json:"for" doc:"Where it is waited for"`
	Here       bool       `json:"here" doc:"It is waited for here, so that it goes nowhere"`
	Partner    bool       `json:"interlibrary" doc:"It is for a library outside"`
	Promise    string     `json:"promise"`
	Since      time.Time  `json:"since"`
	Run        string     `json:"run" doc:"The run that it has to make; empty: none"`
	Leaves     *time.Time `json:"leaves,omitempty" doc:"When that leaves"`
	IfNot      string     `json:"if_not" doc:"What it means to miss that"`
	Soon       bool       `json:"soon" doc:"It leaves within the next two hours"`
	Today      bool       `json:"today" doc:"It leaves today"`
	TakenBy    string     `json:"taken_by" doc:"Who is on the way to it"`
	Mine       bool       `json:"mine" doc:"That is who asks"`
	Why        *why.Trace `json:"why,omitempty"`
}

// soon is how long before its run leaves something is urgent.
const soon = 2 * time.Hour

// FetchList gives what a branch has to take from its shelves now, in shelf order, each with the run it should leave with.
func FetchList(a *act.Act, branch calendar.Code) ([]Fetch, error) {
	rows, err := holdsdb.FetchList(a.Tx, branch)
	out := []Fetch{}
	trips := map[calendar.Code]departures{}
	for _, r := range rows {
		f := Fetch{
			HoldID: r.HoldID, ItemID: r.ItemID, Barcode: r.Barcode, Title: r.Title, Author: r.Author,
			Call: r.CallNumber, Volume: r.Volume,
			Collection: a.Network.ClassName(
				"collection",
				r.Collection,
			), Material: a.Network.ClassName("material", r.Material),
			For: a.Network.BranchName(r.Pickup), Here: r.Pickup == branch, Since: r.PlacedAt, Why: act.Trace(r.Why),
		}
		f.Partner = r.RequestID != nil
		if r.PromisedAt != nil {
			f.Promise = a.Network.SayInstant(*r.PromisedAt)
		}
		if r.TakenBy != nil && queue.OnTheWay(*r.TakenAt, a.Now) {
			f.TakenBy, f.Mine = *r.TakerName, *r.TakenBy == a.Who.ID
		}
		if !f.Here {
			next, known := trips[r.Pickup]
			if !known {
				next = departuresTo(a, branch, r.Pickup)
				trips[r.Pickup] = next
			}
			f.leave(a, next, r.Pickup)
		}
		out = append(out, f)
	}
	shelforder.Sort(out, func(f Fetch) []string { return []string{f.Collection, f.Call, f.Volume, f.Title} })
	return out, err
}

// departures are the run that something has to make to get somewhere, and the one for what misses it.
type departures struct{ first, next *courier.Departure }

func departuresTo(a *act.Act, from, to calendar.Code) (d departures) {
	ways := ahead(a).Courier
	if d.first = ways.Deadline(from, to, a.Now); d.first != nil {
		d.next = ways.Deadline(from, to, d.first.Leaves.Add(time.Second))
	}
	return d
}

// leave says which run a line has to make, and what is missed if it waits.
func (f *Fetch) leave(a *act.Act, d departures, to calendar.Code) {
	if d.first == nil {
		f.IfNot = "No run there within four weeks"
		return
	}
	leaves := d.first.Leaves
	f.Run, f.Leaves, f.Soon = a.Network.Timetable.RunName(d.first.Run), &leaves, leaves.Sub(a.Now) < soon
	f.Today = calendar.DateOf(leaves) == calendar.DateOf(a.Now)
	if d.next == nil || d.next.OnShelf == nil || d.first.OnShelf == nil {
		f.IfNot = "No other run there within four weeks"
		return
	}
	b := a.Network.Timetable.Branches[to]
	switch days := b.Date(*d.next.OnShelf).DaysSince(b.Date(*d.first.OnShelf)); {
	case days > 0:
		f.IfNot = calendar.Count(days, "day") + " later at " + b.Name
	case d.next.OnShelf.After(*d.first.OnShelf):
		f.IfNot = "Later the same day at " + b.Name
	default:
		f.IfNot = "No delay"
	}
}

// Take says that the actor is on the way to an item of the fetch list, so that nobody else goes; or no longer is.
func Take(a *act.Act, id int64, going bool) error {
	h, err := fetching(a, id)
	if err != nil {
		return err
	}
	if going && h.TakenBy != nil && *h.TakenBy != a.Who.ID && queue.OnTheWay(*h.TakenAt, a.Now) {
		return problem.Newf(problem.Refused, "Somebody else is already getting it.")
	}
	if going {
		holdsdb.TakeFetch(a.Tx, id, &a.Who.ID, &a.Now)
	} else {
		holdsdb.TakeFetch(a.Tx, id, nil, nil)
	}
	a.Touch(event.Holds)
	return nil
}

// fetching locks a hold whose item stands on the actor's fetch list.
func fetching(a *act.Act, id int64) (*holdsdb.Hold, error) {
	h, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	if h.State != queue.Fetching {
		return nil, problem.Newf(problem.Refused, "This hold is no longer on the fetch list.")
	}
	if !a.Who.MayActOn(*h.FetchAt) {
		return nil, problem.Newf(
			problem.Forbidden,
			"This is on the fetch list of %s. Only staff there can mark it not found.",
			a.Network.BranchName(*h.FetchAt),
		)
	}
	return h, nil
}

// Taken is the result for a fetched item, with its sign.
type Taken struct {
	OK    bool        `json:"ok"`
	Text  string      `json:"text"`
	Title string      `json:"title"`
	Item  int64       `json:"item,omitempty"`
	Code  string      `json:"barcode"`
	Sign  moving.Sign `json:"sign"`
	Why   *why.Trace  `json:"why,omitempty"`
	Meant ident.Kind  `json:"meant" enum:",card,item,words,tote" doc:"What was meant by the scan, as far as it tells"`
	Tote  int64       `json:"tote,omitempty" doc:"It was the label of a tote"`
}

// aTote is what is meant by scanning the label of one.
const aTote ident.Kind = "tote"

// toteInHand takes the label of a tote.
func toteInHand(a *act.Act, text string, id int64) (*Taken, error) {
	seen, err := totes.Scan(a, id)
	if err != nil {
		return nil, err
	}
	if seen == nil {
		says := "There is no tote " + text + ". Type the number from the label: T and digits."
		return &Taken{Text: says, Title: text, Code: text, Sign: moving.AsideFor("No such tote", says),
			Meant: aTote}, nil
	}
	return &Taken{
		OK: seen.OK, Text: seen.Says, Title: "Tote " + tote.Number(id), Code: tote.Number(id), Sign: seen.Sign,
		Meant: aTote, Tote: id,
	}, nil
}

// InHand takes an item that somebody holds in hand and that is not on loan: fetched from the shelf, out of a tote, or
// found. It goes where it is needed.
func InHand(a *act.Act, text string) (*Taken, error) {
	if id, is := tote.Read(text); is {
		return toteInHand(a, text, id)
	}
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
	facts, err := deskdb.ItemFacts(a.Tx, scan.Number)
	switch {
	case err != nil:
		return nil, err
	case facts == nil:
		return wrong("Not ours?", ident.Unknown("item", scan.Number, scan.Completed))
	case facts.Loan != nil:
		return wrong("On loan", facts.Item.Title.Name+" is still on loan. Return it under Returns first.")
	case facts.Item.Standing == circulation.ItemWithdrawn:
		return wrong("Withdrawn", facts.Item.Title.Name+" is withdrawn.")
	}
	received := facts.Transit != nil
	placed, err := moving.Place(a, facts)
	if err != nil {
		return nil, err
	}
	t := &Taken{
		OK:    true,
		Text:  placed.Why.Result,
		Title: facts.Item.Title.Name,
		Item:  facts.Item.ID,
		Code:  facts.Item.Barcode,
		Sign:  placed.Sign,
		Why:   &placed.Why,
		Meant: ident.Item,
	}
	if received {
		t.Text = "Received. " + t.Text
	}
	return t, nil
}

// NotHere is the result of reporting that an item was not found.
type NotHere struct {
	Says    string `json:"says"`
	Missing bool   `json:"missing" doc:"It has been reported missing, and is on the list of what is searched for"`
	ItemID  int64  `json:"item_id"`
}

// Missed says that an item of the fetch list was not found. It passes to the next best copy; missed twice without
// having been seen in between, for any holds, the item is reported missing. Who looked is kept.
func Missed(a *act.Act, id int64) (*NotHere, error) {
	h, err := fetching(a, id)
	if err != nil {
		return nil, err
	}
	item := *h.ItemID
	if err := holdsdb.MoveHold(a.Tx, h, queue.PutBack, a.Now); err != nil {
		return nil, err
	}
	times, err := holdsdb.Miss(a.Tx, h.ID, item, a.Now)
	if err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.Missed, Item: item, Hold: h.ID, Patron: h.PatronID})
	stockdb.AddLook(a.Tx, item, a.Who.ID, a.Who.Branch, "Its own shelf, for a hold", false, a.Now)
	out := &NotHere{ItemID: item, Missing: queue.Missing(times)}
	if out.Missing {
		stockdb.SetStatus(a.Tx, item, circulation.ItemMissing, "")
		a.Tell(event.Event{Kind: event.Missing, Item: item, Detail: event.Detail{Count: times}})
	}
	if _, err := moving.Route(a, h.TitleID, 0); err != nil {
		return nil, err
	}
	now, err := holdsdb.OneHold(a.Tx, id)
	if err != nil || now == nil {
		return nil, err
	}
	out.Says = "Waiting for another copy"
	if now.State == queue.Fetching {
		out.Says = "The copy at " + a.Network.BranchName(*now.FetchAt) + " is used instead"
		if now.PromisedAt != nil {
			out.Says += ", on the shelf by " + a.Network.SayInstant(*now.PromisedAt)
		}
	}
	if out.Missing {
		out.Says += ". Not found twice: marked missing"
	}
	return out, nil
}

// UndoMissed takes back that an item was not found for a hold: it stands in its place after all. Where another copy serves the
// hold on its way already, that goes on.
func UndoMissed(a *act.Act, id, item int64) (*NotHere, error) {
	h, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	missed, err := holdsdb.MissedBy(a.Tx, id, item)
	if err != nil {
		return nil, err
	}
	switch {
	case missed == nil:
		return nil, problem.Newf(problem.Refused, "It has been seen since, so there is nothing to undo.")
	case !a.Who.MayActOn(missed.AtBranch):
		return nil, problem.Newf(problem.Forbidden, "It stands at %s, where this is undone.",
			a.Network.BranchName(missed.AtBranch))
	}
	stockdb.Seen(a.Tx, item, a.Now)
	if missed.Standing == circulation.ItemMissing {
		stockdb.SetStatus(a.Tx, item, circulation.ItemInUse, "")
		a.Tell(event.Event{Kind: event.Found, Item: item})
	}
	a.Tell(event.Event{Kind: event.MissUndone, Item: item, Hold: id, Patron: h.PatronID})
	out := &NotHere{ItemID: item, Says: "Marked found"}
	if h.State == queue.Fetching && h.TakenBy == nil {
		if err := holdsdb.MoveHold(a.Tx, h, queue.PutBack, a.Now); err != nil {
			return nil, err
		}
	}
	_, err = moving.Route(a, h.TitleID, 0)
	return out, err
}

// Lapse ends holds that were not fetched from the shelf by a day, up to a number of them, and charges for it where
// rules say so. Their items wait to be scanned, which sends them on. It gives how many it has ended.
func Lapse(a *act.Act, day calendar.Date, most int) (int, error) {
	lapsing, err := holdsdb.HoldsLapsing(a.Tx, day.UTC(), most)
	if err != nil {
		return 0, err
	}
	ended := make([]int64, len(lapsing))
	for k := range lapsing {
		h := &lapsing[k]
		ended[k] = h.ID
		item, until := *h.ItemID, *store.DateOf(h.ShelfUntil)
		if err := holdsdb.MoveHold(a.Tx, &h.Hold, queue.Lapse, a.Now); err != nil {
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
		e := &accountsdb.Entry{
			PatronID: h.PatronID,
			Amount:   charge,
			About:    ledger.AboutUncollected,
			Why:      store.JSON(&trace),
		}
		if err := accounts.Put(a, e, item); err != nil {
			return 0, err
		}
	}
	return len(lapsing), notices.HoldsEnded(a, plan.HoldExpired, ended...)
}
