package holds

import (
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/holdsdb"
)

// OnShelf is a thing on a hold shelf.
type OnShelf struct {
	Hold
	Barcode  string         `json:"barcode"`
	Author   string         `json:"author"`
	Material string         `json:"material"`
	Slot     int            `json:"slot,omitempty"`
	Until    *calendar.Date `json:"until,omitempty" doc:"Its last day here"`
	Today    bool           `json:"today" doc:"That is today"`
	Told     string         `json:"told" doc:"How they were told, or are to be"`
	Ended    string         `json:"ended,omitempty" doc:"Why it stands here still: lapsed or cancelled"`
}

// Shelf gives a page of what stands on the hold shelf of a branch, by its last day.
func Shelf(a *act.Act, branch calendar.Code, page store.Page) ([]OnShelf, store.Page, error) {
	rows, next, err := holdsdb.OnHoldShelf(a.Tx, branch, page)
	return onShelf(a, rows), next, err
}

// Closed is a stretch of days ahead on which a branch does not open, and what it means for its hold shelf.
type Closed struct {
	From    calendar.Date  `json:"from"`
	Until   calendar.Date  `json:"until"`
	Names   []string       `json:"names"`
	Reopens *calendar.Date `json:"reopens,omitempty"`
	Before  int            `json:"before" doc:"Of what stands there, whose last day is before it"`
	Beyond  int            `json:"beyond" doc:"That wait until after it: its days do not count"`
	Coming  int            `json:"coming" doc:"On their way and promised for before it"`
	Later   int            `json:"later" doc:"On their way and promised for after it"`
}

// aheadDays is the number of days ahead for which the hold shelf tells of closures.
const aheadDays = 14

// Ahead gives the closures here in the next weeks, with what each means for the hold shelf.
func Ahead(a *act.Act) ([]Closed, error) {
	out := []Closed{}
	spells := a.Here().Spells(a.Today(), a.Today().Add(aheadDays))
	if len(spells) == 0 {
		return out, nil
	}
	standing, err := holdsdb.ShelfDays(a.Tx, a.Who.Branch)
	if err != nil {
		return nil, err
	}
	for _, s := range spells {
		c := Closed{From: s.From, Until: s.To, Names: append([]string{}, s.Names...)}
		if s.Reopens != 0 {
			c.Reopens = &s.Reopens
		}
		for _, n := range standing {
			if *store.DateOf(&n.Day) < s.From {
				c.Before, c.Coming = c.Before+n.Ready, c.Coming+n.Coming
			} else {
				c.Beyond, c.Later = c.Beyond+n.Ready, c.Later+n.Coming
			}
		}
		out = append(out, c)
	}
	return out, nil
}

// ToClear gives a page of what still stands there for holds that have ended.
func ToClear(a *act.Act, branch calendar.Code, page store.Page) ([]OnShelf, store.Page, error) {
	rows, next, err := holdsdb.ToClear(a.Tx, branch, page)
	return onShelf(a, rows), next, err
}

func onShelf(a *act.Act, rows []holdsdb.ShelfRow) []OnShelf {
	out := []OnShelf{}
	for k := range rows {
		r := &rows[k]
		one := OnShelf{
			Hold: show(a, &r.HoldShown), Barcode: r.Barcode, Author: r.Author,
			Material: a.Network.ClassName("material", r.Material), Until: store.DateOf(r.ShelfUntil),
		}
		if r.Slot != nil {
			one.Slot = *r.Slot
		}
		if r.State.Ended() {
			one.Ended = "Expired"
			if r.State == queue.Cancelled {
				one.Ended = "Cancelled"
			}
			out = append(out, one)
			continue
		}
		one.Today = one.Until != nil && *one.Until == a.Today()
		one.told(r)
		out = append(out, one)
	}
	return out
}

// told says how somebody was told that their hold is ready.
func (o *OnShelf) told(r *holdsdb.ShelfRow) {
	if r.MessageID == nil {
		o.Told = "No notice recorded"
		return
	}
	state := *r.MessageState
	switch {
	case state == "by_hand" && *r.Channel == string(person.ByPhone):
		o.Told = "To call"
		if *r.Calls > 0 {
			o.Told += ", " + calendar.Count(*r.Calls, "call") + " so far"
		}
	case state == "by_hand":
		o.Told = "Letter to send"
	case state == "no_address":
		o.Told = "Not notified: no address"
	case state == "sent":
		o.Told = "Notified by " + person.SayWay[person.Way(*r.Channel)]
	case state == "queued":
		o.Told = "Email queued"
	default:
		o.Told = "Not notified: " + state
	}
}

// longestKept is the most days from today that something can be kept on a hold shelf on request.
const longestKept = 60

// KeepLonger lets something wait on the hold shelf until a later day, or an earlier one from today on.
func KeepLonger(a *act.Act, id int64, until calendar.Date, reason string) (*Hold, error) {
	h, err := locked(a, id)
	switch {
	case err != nil:
		return nil, err
	case h.State != queue.Ready:
		return nil, problem.Newf(problem.Refused, "This hold is not on the hold shelf.")
	case !a.Who.MayActOn(h.Pickup):
		return nil, problem.Newf(problem.Forbidden, "It stands at %s, where it is kept longer, or by a supervisor.",
			a.Network.BranchName(h.Pickup))
	case until < a.Today() || until > a.Today().Add(longestKept):
		return nil, problem.Newf(problem.Invalid, "Choose a day from today on, within %d days.", longestKept)
	}
	was := *store.DateOf(h.ShelfUntil)
	holdsdb.KeepUntil(a.Tx, id, until.UTC())
	a.Tell(event.Event{
		Kind: event.HeldLonger, Patron: h.PatronID, Hold: id, Item: *h.ItemID,
		Detail: event.Detail{Day: &until, Was: was.String(), Reason: reason},
	})
	return one(a, id)
}
