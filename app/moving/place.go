package moving

import (
	"time"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// Place decides where an item goes that is in hand at the actor's branch, and does it: onto the hold
// shelf, into a tote, or to the shelf. Facts must be loaded and locked, with no open loan left.
func Place(a *act.Act, f *store.Facts) (Sign, why.Trace, error) {
	trace := placing(f.Item.Title.Name)
	trace = trace.Add(why.Fact, "In hand at "+a.Here().Name+"; belongs to "+a.Network.BranchName(f.Item.BranchCode))
	if f.Transit != nil {
		if err := arrive(a, f); err != nil {
			return Sign{}, trace, err
		}
		if f.Transit.ToBranch != a.Who.Branch {
			trace = trace.Add(why.Note, "Was on its way to "+a.Network.BranchName(f.Transit.ToBranch)+" and came here")
		}
		f.Transit = nil
	}
	if f.Item.Standing == "aside" && f.Hold == nil {
		trace.Result = "Put aside"
		return AsideFor("Repair", "Out of use for now. Put it back in use under Items when it is mended."), trace.Add(why.Decided, "It is put aside for repair", f.Item.Note), nil
	}
	if f.Item.AtBranch != a.Who.Branch || f.Item.Standing == "missing" || f.Item.Standing == "lost" {
		f.Item.AtBranch, f.Item.Standing = a.Who.Branch, "in_use"
		if err := a.Model(f.Item).Select("AtBranch", "Standing").Updates(f.Item).Error; err != nil {
			return Sign{}, trace, err
		}
	}
	if err := Cleared(a, f.Item.ID); err != nil {
		return Sign{}, trace, err
	}
	if f.Hold == nil {
		if err := Route(a, f.Item.TitleID, f.Item.ID); err != nil {
			return Sign{}, trace, err
		}
		fresh, err := store.FactsByID(a.DB, f.Item.ID)
		if err != nil {
			return Sign{}, trace, err
		}
		f.Hold = fresh.Hold
	}
	if f.Hold != nil {
		return placeForHold(a, f, trace)
	}
	if f.Item.Material == "interlibrary" {
		return sendOutside(a, f, trace)
	}
	trace = trace.Add(why.Fact, "Nobody waits for it")
	if f.Item.BranchCode == a.Who.Branch {
		trace.Result = "Shelve here"
		return shelveHere(a, f, ""), trace.Add(why.Decided, "It is at home here"), nil
	}
	at := rulebook.Situate(a.Who.Branch, f.Item.BranchCode, f.Item.Collection, f.Item.Material, "")
	if terms := a.Book.Decide(at, nil); terms.Value(rulebook.Floating).YesNo() {
		trace = trace.Under(why.Decided, a.Book.Why(at, nil, rulebook.Floating))
		trace.Result = "Shelve here"
		return shelveHere(a, f, "Stays where it came back. "), trace, nil
	}
	return send(a, f, f.Item.BranchCode, "Goes home.", trace)
}

func shelveHere(a *act.Act, f *store.Facts, says string) Sign {
	detail := a.Network.ClassName("collection", f.Item.Collection)
	if f.Item.CallNumber != "" {
		detail += ", " + f.Item.CallNumber
	}
	return Sign{Kind: Shelf, Heading: "Shelve here", Place: a.Here().Name, Detail: says + detail + ".", Pile: "Shelve here"}
}

// sendOutside is where something of a partner's goes when nobody here needs it any more: home, by the
// branch that took it in.
func sendOutside(a *act.Act, f *store.Facts, trace why.Trace) (Sign, why.Trace, error) {
	var r struct{ Number, Name string }
	err := a.Raw("SELECT r.number, p.name FROM requests r JOIN partners p ON p.id = r.partner_id WHERE r.item_id = ? AND r.role = 'requesting'", f.Item.ID).Scan(&r).Error
	if err != nil {
		return Sign{}, trace, err
	}
	if f.Item.BranchCode != a.Who.Branch {
		return send(a, f, f.Item.BranchCode, "Belongs to "+r.Name+"; sent home from there.", trace)
	}
	trace = trace.Add(why.Decided, "Borrowed from "+r.Name+" under number "+r.Number)
	trace.Result = "Home to " + r.Name
	return Sign{Kind: Outside, Heading: "Pack and send home to", Place: r.Name, Detail: r.Number + ". Say so under Interlibrary when it has gone.", Pile: "Outside: " + r.Name}, trace, nil
}

// Cleared notes that the item of a lapsed or cancelled hold has left the hold shelf.
func Cleared(a *act.Act, item int64) error {
	return a.Exec("UPDATE holds SET cleared = true WHERE item_id = ? AND state IN ('lapsed', 'cancelled') AND NOT cleared", item).Error
}

func placeForHold(a *act.Act, f *store.Facts, trace why.Trace) (Sign, why.Trace, error) {
	h := f.Hold
	if known := act.Trace(h.Why); known != nil {
		trace = trace.Under(why.Fact, *known)
	}
	if h.Pickup != a.Who.Branch {
		trace = trace.Add(why.Decided, "Waited for at "+a.Network.BranchName(h.Pickup)+", hold "+itoa(h.ID))
		h.State = "moving"
		sign, trace, err := send(a, f, h.Pickup, "Hold for pickup there.", trace)
		if err != nil {
			return sign, trace, err
		}
		return sign, trace, a.Model(h).Select("State").Updates(h).Error
	}
	name := ShelfName(a, h)
	trace = trace.Add(why.Decided, "Waited for here by "+name)
	trace.Result = "Hold shelf, for " + name
	first := h.State != "ready"
	if first {
		if err := ready(a, f, &trace); err != nil {
			return Sign{}, trace, err
		}
	}
	until := act.DateOf(h.ShelfUntil)
	return Sign{Kind: HoldShelf, Heading: "Hold shelf, for", Place: name, HoldID: h.ID, Pile: "Hold shelf",
		Detail: "Waits until " + until.Say() + "."}, trace, nil
}

// ShelfName is what the hold shelf of the pickup branch shows.
func ShelfName(a *act.Act, h *store.Hold) string {
	if a.Network.Public[h.Pickup] {
		return h.Patron.ShelfName
	}
	return h.Patron.Name()
}

// ready puts the item on the hold shelf and tells the patron.
func ready(a *act.Act, f *store.Facts, trace *why.Trace) error {
	h := f.Hold
	at := rulebook.Situate(h.Pickup, f.Item.BranchCode, f.Item.Collection, f.Item.Material, h.Patron.Class)
	terms := a.Book.Decide(at, nil)
	days := terms.Value(rulebook.HoldShelfDays).Number()
	branch, err := a.Network.Branch(h.Pickup)
	if err != nil {
		return err
	}
	until := queue.ShelfUntil(branch, branch.Date(a.Now), days)
	*trace = trace.Add(why.Sum, "Waits "+calendar.Count(days, "open day")+", until "+until.Say())
	now := a.Now
	h.State, h.ReadyAt, h.ShelfUntil, h.Why = "ready", &now, act.Column(until), act.JSON(trace)
	if err := a.Model(h).Select("State", "ReadyAt", "ShelfUntil", "Why").Updates(h).Error; err != nil {
		return err
	}
	err = a.Tell(act.Happened{Kind: "hold_ready", Patron: h.PatronID, Item: f.Item.ID, Hold: h.ID, Why: trace,
		Text: "On the hold shelf at " + branch.Name + " until " + until.Say()})
	if err != nil {
		return err
	}
	return notices.HoldReady(a, h, f.Item.Title.Name, branch.Name, until)
}

// send puts the item into the tote for a branch, with a promise.
func send(a *act.Act, f *store.Facts, to, purpose string, trace why.Trace) (Sign, why.Trace, error) {
	t := a.Network.Timetable
	j := t.Ask(a.Who.Branch, to, a.Now)
	trace = trace.Under(why.Sum, t.Why(j, a.Who.Branch, to, a.Now))
	sign := toteSign(t, to, j, a.Today(), purpose)
	trace.Result = "Tote for " + sign.Place
	transit := store.Transit{ItemID: f.Item.ID, FromBranch: a.Who.Branch, ToBranch: to, SentAt: a.Now, Why: act.JSON(&trace)}
	var promised *time.Time
	if j != nil {
		promised = j.OnShelf
	}
	transit.PromisedAt = promised
	if f.Hold != nil {
		transit.HoldID = &f.Hold.ID
		sign.HoldID = f.Hold.ID
		if err := a.Model(f.Hold).Update("promised_at", promised).Error; err != nil {
			return sign, trace, err
		}
	}
	if err := a.Create(&transit).Error; err != nil {
		return sign, trace, err
	}
	happened := act.Happened{Kind: "sent", Item: f.Item.ID, Why: &trace, Text: "Into the tote for " + sign.Place + ". " + sign.Detail}
	if f.Hold != nil {
		happened.Hold, happened.Patron = f.Hold.ID, f.Hold.PatronID
	}
	return sign, trace, a.Tell(happened)
}

// arrive ends the live transit of an item at the actor's branch.
func arrive(a *act.Act, f *store.Facts) error {
	if err := a.Model(f.Transit).Update("ended_at", a.Now).Error; err != nil {
		return err
	}
	text := "Received at " + a.Here().Name + " from " + a.Network.BranchName(f.Transit.FromBranch)
	if f.Transit.PromisedAt != nil && a.Now.After(*f.Transit.PromisedAt) {
		text += ", later than promised"
	}
	return a.Tell(act.Happened{Kind: "received", Item: f.Item.ID, Text: text})
}
