// Package holds places holds, works the fetch list and the hold shelf.
package holds

import (
	"errors"
	"time"

	"gorm.io/gorm"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/moving"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/shelforder"
	"nevrin/core/why"
	"nevrin/store"
)

// Order is a hold to be placed.
type Order struct {
	Title  int64  `json:"title"`
	Patron int64  `json:"patron"`
	Pickup string `json:"pickup" minLength:"3" maxLength:"3"`
}

// Hold is a hold as staff see it.
type Hold struct {
	ID       int64      `json:"id"`
	TitleID  int64      `json:"title_id"`
	Title    string     `json:"title"`
	PatronID int64      `json:"patron_id"`
	Patron   string     `json:"patron"`
	Card     string     `json:"card"`
	Pickup   string     `json:"pickup"`
	State    string     `json:"state"`
	Says     string     `json:"says"`
	PlacedAt time.Time  `json:"placed_at"`
	Waiting  int        `json:"waiting" doc:"Place in the queue of those still waiting, 1 is next; 0: no longer waiting"`
	Lapsed   bool       `json:"lapsed" doc:"Past its last day on the hold shelf"`
	Why      *why.Trace `json:"why,omitempty"`
}

// Place places a hold and routes the title's queue.
func Place(a *act.Act, o Order) (*Hold, error) {
	if _, err := a.Network.Branch(o.Pickup); err != nil {
		return nil, err
	}
	p, err := desk.PatronInUse(a, o.Patron)
	if err != nil {
		return nil, err
	}
	var t store.Title
	// The title is locked, so that two holds on it are routed one after the other.
	if err := a.Raw("SELECT * FROM titles WHERE id = ? FOR UPDATE", o.Title).Scan(&t).Error; err != nil {
		return nil, err
	}
	if t.ID == 0 {
		return nil, act.Problemf(act.Missing, "There is no such title.")
	}
	if err := mayHold(a, p, &t, o.Pickup); err != nil {
		return nil, err
	}
	h := &store.Hold{TitleID: t.ID, PatronID: p.ID, Pickup: o.Pickup, PlacedAt: a.Now, State: "waiting"}
	if err := a.Raw("SELECT coalesce(max(place), 0) + 1 FROM holds WHERE title_id = ? AND closed_at IS NULL", t.ID).Scan(&h.Place).Error; err != nil {
		return nil, err
	}
	if err := a.Create(h).Error; err != nil {
		if store.Violates(err, "holds_once") {
			return nil, act.Problemf(act.Refused, "%s has a hold on this title already.", p.Name())
		}
		return nil, err
	}
	err = a.Tell(act.Happened{Kind: "hold_placed", Patron: p.ID, Hold: h.ID, Text: "Hold on " + t.Name + " for pickup at " + a.Network.BranchName(o.Pickup)})
	if err != nil {
		return nil, err
	}
	if err := moving.Route(a, t.ID, 0); err != nil {
		return nil, err
	}
	return one(a, h.ID)
}

func mayHold(a *act.Act, p *store.Patron, t *store.Title, pickup string) error {
	var items []store.Item
	if err := a.Where("title_id = ? AND standing IN ('in_use', 'aside')", t.ID).Find(&items).Error; err != nil {
		return err
	}
	allowed, says := false, ""
	for _, i := range items {
		may, text := moving.MayServe(a, &i, p, pickup)
		allowed, says = allowed || may, text
	}
	switch {
	case len(items) == 0:
		return act.Problemf(act.Refused, "No copy of %s is in use. Ask for it outside the network.", t.Name)
	case !allowed:
		return act.Problemf(act.Refused, "No copy of %s may be held by %s at %s. %s", t.Name, a.Network.ClassName("patron", p.Class), a.Network.BranchName(pickup), says)
	}
	terms := a.Book.Decide(rulebook.Situate(pickup, "", "", "", p.Class), nil)
	if limit := terms.Value(rulebook.HoldsAtOnce); !limit.Null() {
		var n int64
		if err := a.Table("holds").Where("patron_id = ? AND closed_at IS NULL", p.ID).Count(&n).Error; err != nil {
			return err
		}
		if n >= int64(limit.Number()) {
			return act.Problemf(act.Refused, "%s has %s already, as many as are allowed at once.", p.Name(), calendar.Count(int(n), "hold"))
		}
	}
	return nil
}

// Cancel takes a hold off. An item fetched for it goes to the next, or home.
func Cancel(a *act.Act, id int64, reason string) (*Hold, error) {
	h, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	if h.ClosedAt != nil {
		return nil, act.Problemf(act.Refused, "This hold has ended already.")
	}
	err = a.Exec("UPDATE holds SET state = 'cancelled', closed_at = ? WHERE id = ?", a.Now, id).Error
	if err != nil {
		return nil, err
	}
	text := "Hold cancelled"
	if reason != "" {
		text += ": " + reason
	}
	if err := a.Tell(act.Happened{Kind: "hold_cancelled", Patron: h.PatronID, Hold: id, Text: text}); err != nil {
		return nil, err
	}
	if err := moving.Route(a, h.TitleID, 0); err != nil {
		return nil, err
	}
	return one(a, id)
}

func locked(a *act.Act, id int64) (*store.Hold, error) {
	var h store.Hold
	if err := a.Raw("SELECT * FROM holds WHERE id = ? FOR UPDATE", id).Scan(&h).Error; err != nil {
		return nil, err
	}
	if h.ID == 0 {
		return nil, act.Problemf(act.Missing, "There is no such hold.")
	}
	return &h, nil
}

func one(a *act.Act, id int64) (*Hold, error) {
	list, err := list(a, "holds.id = ?", 1, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// List gives the open holds for pickup at a branch, ready ones first; with a title, its whole queue.
func List(a *act.Act, branch string, title int64) ([]Hold, error) {
	if title != 0 {
		return list(a, "holds.title_id = ? AND holds.closed_at IS NULL", 500, title)
	}
	return list(a, "holds.pickup = ? AND holds.closed_at IS NULL", 500, branch)
}

func list(a *act.Act, where string, most int, args ...any) ([]Hold, error) {
	var rows []store.Hold
	err := a.Joins("Title").Joins("Patron").Where(where, args...).
		Order("array_position(ARRAY['ready', 'moving', 'fetching', 'waiting'], holds.state), holds.shelf_until, holds.place, holds.id").Limit(most).Find(&rows).Error
	if err != nil {
		return nil, err
	}
	out := []Hold{}
	for k := range rows {
		h := &rows[k]
		until := act.DateOf(h.ShelfUntil)
		out = append(out, Hold{ID: h.ID, TitleID: h.TitleID, Title: h.Title.Name, PatronID: h.PatronID, Patron: moving.ShelfName(a, h), Card: h.Patron.Card,
			Pickup: h.Pickup, State: h.State, Says: desk.SayHold(a, h), PlacedAt: h.PlacedAt, Why: act.Trace(h.Why),
			Lapsed: h.State == "ready" && *until < a.Today()})
	}
	return out, places(a, rows, out)
}

func places(a *act.Act, rows []store.Hold, out []Hold) error {
	var ids []int64
	for _, h := range rows {
		if h.State == "waiting" {
			ids = append(ids, h.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	var ranks []struct {
		ID int64
		N  int
	}
	err := a.Raw(`SELECT h.id, count(*) AS n FROM holds h JOIN holds o ON o.title_id = h.title_id AND o.state = 'waiting' AND (o.place, o.id) <= (h.place, h.id)
		WHERE h.id IN ? GROUP BY h.id`, ids).Scan(&ranks).Error
	rank := map[int64]int{}
	for _, r := range ranks {
		rank[r.ID] = r.N
	}
	for k := range out {
		out[k].Waiting = rank[out[k].ID]
	}
	return err
}

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
	Why        *why.Trace `json:"why,omitempty" gorm:"-"`
}

// FetchList is what a branch takes from its shelves now, in shelf order.
func FetchList(a *act.Act, branch string) ([]Fetch, error) {
	var rows []struct {
		Fetch
		Pickup     string
		PromisedAt *time.Time
		Trace      []byte
	}
	err := a.Raw(`SELECT h.id AS hold_id, i.id AS item_id, i.barcode, t.name AS title, t.author, i.collection, i.call_number AS call, i.material,
			h.pickup, h.promised_at, h.placed_at AS since, h.why::text AS trace
		FROM holds h JOIN items i ON i.id = h.item_id JOIN titles t ON t.id = i.title_id
		WHERE h.state = 'fetching' AND i.at_branch = ?`, branch).Scan(&rows).Error
	out := []Fetch{}
	for _, r := range rows {
		f := r.Fetch
		f.Collection, f.Material, f.For = a.Network.ClassName("collection", f.Collection), a.Network.ClassName("material", f.Material), a.Network.BranchName(r.Pickup)
		if r.PromisedAt != nil {
			f.Promise = calendar.SayInstant(*r.PromisedAt, a.Network.Location)
		}
		f.Why = act.Trace(r.Trace)
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
}

// InHand takes an item that somebody holds in hand and that is not on loan: fetched from the shelf, out
// of a tote, or found. It goes where it is needed.
func InHand(a *act.Act, text string) (*Taken, error) {
	wrong := func(place, detail string) (*Taken, error) {
		return &Taken{Text: detail, Title: text, Code: text, Sign: moving.AsideFor(place, detail)}, nil
	}
	scan := ident.Read(text, a.Network.Digits)
	switch scan.Kind {
	case ident.Wrong:
		return wrong("Wrong number", scan.Problem)
	case ident.Card, ident.Words:
		return wrong("No item", "“"+text+"” is not an item's number. Scan the item's label.")
	}
	f, err := store.FactsByBarcode(a.DB, scan.Number)
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return wrong("Not ours?", "The number "+scan.Number+" is well formed, but no item here has it.")
	} else if err != nil {
		return nil, err
	}
	if f.Loan != nil {
		return wrong("On loan", f.Item.Title.Name+" is still on loan. Take it back at Returns first.")
	}
	received := f.Transit != nil
	sign, trace, err := moving.Place(a, f)
	if err != nil {
		return nil, err
	}
	t := &Taken{OK: true, Text: trace.Result, Title: f.Item.Title.Name, Item: f.Item.ID, Code: f.Item.Barcode, Sign: sign, Why: &trace}
	if received {
		t.Text = "Received. " + t.Text
	}
	return t, nil
}

// Missed says that an item of the fetch list was not found. It passes to the next best copy; missed
// twice, for any holds, the item is reported missing.
func Missed(a *act.Act, holdID int64) error {
	h, err := locked(a, holdID)
	if err != nil {
		return err
	}
	if h.State != "fetching" {
		return act.Problemf(act.Refused, "This hold is not on the fetch list any more.")
	}
	item := *h.ItemID
	if err := a.Exec("INSERT INTO misses (hold_id, item_id, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", h.ID, item, a.Now).Error; err != nil {
		return err
	}
	if err := a.Exec("UPDATE holds SET state = 'waiting', item_id = NULL, promised_at = NULL, why = NULL WHERE id = ?", h.ID).Error; err != nil {
		return err
	}
	var times int64
	if err := a.Table("misses").Where("item_id = ?", item).Count(&times).Error; err != nil {
		return err
	}
	text := "Not found on the shelf"
	if queue.Missing(int(times)) {
		text = "Not found twice: reported missing"
		if err := a.Exec("UPDATE items SET standing = 'missing' WHERE id = ?", item).Error; err != nil {
			return err
		}
	}
	if err := a.Tell(act.Happened{Kind: "missed", Item: item, Hold: h.ID, Patron: h.PatronID, Text: text}); err != nil {
		return err
	}
	return moving.Route(a, h.TitleID, 0)
}

// Lapse ends holds that were not fetched from the shelf in time, and charges for it where rules say so.
// Their items wait to be scanned, which sends them on.
func Lapse(a *act.Act, day calendar.Date) error {
	var lapsed []struct {
		ID, PatronID, ItemID                            int64
		ShelfUntil                                      time.Time
		Pickup, Class, Name, Home, Collection, Material string
	}
	err := a.Raw(`UPDATE holds h SET state = 'lapsed', closed_at = ? FROM patrons p, items i, titles t
		WHERE h.state = 'ready' AND h.shelf_until < ? AND p.id = h.patron_id AND i.id = h.item_id AND t.id = i.title_id
		RETURNING h.id, h.patron_id, h.item_id, h.shelf_until, h.pickup, p.class, t.name, i.branch_code AS home, i.collection, i.material`, a.Now, day.String()).Scan(&lapsed).Error
	if err != nil {
		return err
	}
	for _, h := range lapsed {
		err := a.Tell(act.Happened{Kind: "hold_lapsed", Patron: h.PatronID, Hold: h.ID, Item: h.ItemID, Text: "Not fetched from the hold shelf by " + act.DateOf(&h.ShelfUntil).Say()})
		if err != nil {
			return err
		}
		at := rulebook.Situate(h.Pickup, h.Home, h.Collection, h.Material, h.Class)
		terms := a.Book.Decide(at, nil)
		if charge := terms.Value(rulebook.UncollectedCharge).Amount(); charge > 0 {
			trace := a.Book.Why(at, nil, rulebook.UncollectedCharge)
			err := desk.PutCharge(a, &store.Entry{PatronID: h.PatronID, Amount: int64(charge), Reason: "Not fetched: " + h.Name, Why: act.JSON(&trace)}, h.ItemID)
			if err != nil {
				return err
			}
		}
	}
	return nil
}
