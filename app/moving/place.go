package moving

import (
	"fmt"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/notices"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// Placed is the destination of an item in hand, with what placing it has set going, so that just that can be undone.
type Placed struct {
	Sign Sign
	Why  why.Trace
	Did  Did
}

// Did lists what placing an item has changed.
type Did struct {
	AtBefore       calendar.Code          `json:"at_before,omitempty"`       // where the item was said to be
	StandingBefore circulation.ItemStatus `json:"standing_before,omitempty"` // and how it stood
	EndedTransit   int64                  `json:"ended_transit,omitempty"`
	BegunTransit   int64                  `json:"begun_transit,omitempty"`
	Hold           int64                  `json:"hold,omitempty"`        // the hold that it serves from now on
	HoldFrom       queue.State            `json:"hold_from,omitempty"`   // what that hold was before
	SetAside       bool                   `json:"set_aside,omitempty"`   // put aside or out of the stock for its note
	NoteBefore     string                 `json:"note_before,omitempty"` // of an item of which something was found missing
}

// Place decides where an item goes that is in hand at the actor's branch, and does it: onto the hold shelf, into a
// tote, or to the shelf. Its title must be locked, and no open loan may be left.
func Place(a *act.Act, facts *deskdb.Facts) (*Placed, error) {
	p := &Placed{Why: why.New("Where " + facts.Item.Title.Name + " goes")}
	p.Why = p.Why.Add(why.Fact, "In hand at "+a.Here().Name+"; belongs to "+a.Network.BranchName(facts.Item.BranchCode))
	if facts.Hold != nil {
		p.Did.Hold, p.Did.HoldFrom = facts.Hold.ID, facts.Hold.State
	}
	p.arrive(a, facts)
	p.stand(a, facts)
	if facts.Hold == nil && facts.Item.Standing == circulation.ItemInUse {
		if err := p.chosen(a, facts); err != nil {
			return nil, err
		}
	}
	in := circulation.InHand{
		Rules: a.Book.Rulebook, Here: a.Who.Branch, Home: facts.Item.BranchCode, Collection: facts.Item.Collection,
		Material: facts.Item.Material, Aside: facts.Item.Standing == circulation.ItemAside, Lender: facts.Lender,
		Style: a.Style(),
	}
	if facts.Item.HomeUntil != nil {
		in.Until, in.After = store.DateOf(facts.Item.HomeUntil), *facts.Item.HomeAfter
	}
	if facts.Hold != nil {
		in.Pickup = facts.Hold.Pickup
		if known := act.Trace(facts.Hold.Why); known != nil {
			p.Why = p.Why.Under(why.Fact, *known)
		}
	}
	way, trace := circulation.Destination(in, p.Why, a.Network.BranchName)
	p.Why = trace
	return p, p.follow(a, facts, way)
}

// chosen gives an item that is meant for nobody to who waits for its title; if it can serve none of them, to somebody whose
// item is still to be fetched.
func (p *Placed) chosen(a *act.Act, facts *deskdb.Facts) (err error) {
	if facts.Awaited {
		if facts.Hold, err = Route(a, facts.Item.TitleID, facts.Item.ID); err != nil {
			return err
		}
		p.Did.HoldFrom = queue.Waiting
	}
	if facts.Hold == nil && facts.Fetched {
		if facts.Hold, err = nearer(a, facts.Item.TitleID, facts.Item.ID); err != nil {
			return err
		}
		p.Did.HoldFrom = queue.Fetching
		if facts.Hold != nil && facts.Awaited { // the other copy may be what somebody waits for
			if _, err := Route(a, facts.Item.TitleID, 0); err != nil {
				return err
			}
		}
	}
	if facts.Hold == nil {
		p.Did.HoldFrom = ""
		return nil
	}
	p.Did.Hold = facts.Hold.ID
	return nil
}

// arrive ends the live transit of an item at the actor's branch.
func (p *Placed) arrive(a *act.Act, facts *deskdb.Facts) {
	if facts.Transit == nil {
		return
	}
	t := facts.Transit
	if t.ToteID != nil {
		transitsdb.SeeInTote(a.Tx, *t.ToteID, a.Who.Branch, a.Now)
	}
	transitsdb.EndTransit(a.Tx, t.ID, a.Now)
	p.Did.EndedTransit = t.ID
	a.Tell(
		event.Event{
			Kind:   event.Received,
			Item:   facts.Item.ID,
			Detail: event.Detail{Branch: t.FromBranch, Late: t.PromisedAt != nil && a.Now.After(*t.PromisedAt)},
		},
	)
	if t.ToBranch != a.Who.Branch {
		p.Why = p.Why.Add(why.Note, "Was on its way to "+a.Network.BranchName(t.ToBranch)+" and came here")
	}
	facts.Transit = nil
}

// stand writes that the item is here, and in use again if it was missing or lost: it has been seen.
func (p *Placed) stand(a *act.Act, facts *deskdb.Facts) {
	if facts.Missed {
		stockdb.Seen(a.Tx, facts.Item.ID, a.Now)
	}
	if facts.Uncleared {
		holdsdb.Cleared(a.Tx, facts.Item.ID)
		a.Touch(event.Holds) // it leaves the list of what has to be cleared
	}
	was := facts.Item.Standing
	found := was == circulation.ItemMissing || was == circulation.ItemLost
	if facts.Item.AtBranch == a.Who.Branch && !found {
		return
	}
	p.Did.AtBefore, p.Did.StandingBefore = facts.Item.AtBranch, was
	facts.Item.AtBranch = a.Who.Branch
	if found {
		facts.Item.Standing = circulation.ItemInUse
	}
	stockdb.SetStatusAt(a.Tx, facts.Item.ID, facts.Item.AtBranch, facts.Item.Standing)
	if was == circulation.ItemMissing {
		a.Tell(event.Event{Kind: event.Found, Item: facts.Item.ID})
	}
}

// follow does what a way means, and makes the sign.
func (p *Placed) follow(a *act.Act, facts *deskdb.Facts, way circulation.Way) error {
	switch way.Kind {
	case circulation.Aside:
		p.Sign = AsideFor("Repair", "Out of use. Set it back in use under Items when it is repaired.")
	case circulation.HoldShelf:
		return p.shelve(a, facts)
	case circulation.Outside:
		p.Sign = Sign{
			Kind:    circulation.Outside,
			Heading: "Pack and return to",
			Place:   facts.Lender,
			Detail:  facts.Request + ". Mark it as returned under Interlibrary.",
		}
	case circulation.Tote:
		return p.send(a, facts, way)
	default:
		detail := a.Network.ClassName("collection", facts.Item.Collection)
		if facts.Item.CallNumber != "" {
			detail += ", " + facts.Item.CallNumber
		}
		if way.Reason == circulation.Floats {
			detail = "Stays where it came back. " + detail
		}
		p.Sign = Sign{Kind: circulation.Shelf, Heading: "Shelve here", Place: a.Here().Name,
			Detail: detail + "." + season(a, facts)}
	}
	return nil
}

// season says until when an item belongs where it does, if it does for a time.
func season(a *act.Act, facts *deskdb.Facts) string {
	if facts.Item.HomeUntil == nil {
		return ""
	}
	return " Belongs to " + a.Network.BranchName(facts.Item.BranchCode) + " until " + a.SayDate(*store.DateOf(facts.Item.HomeUntil)) +
		", then to " + a.Network.BranchName(*facts.Item.HomeAfter) + "."
}

// shelve puts the item on the hold shelf and tells the patron.
func (p *Placed) shelve(a *act.Act, facts *deskdb.Facts) error {
	h := facts.Hold
	if h.State != queue.Ready {
		at := rulebook.Situate(h.Pickup, facts.Item.BranchCode, facts.Item.Collection, facts.Item.Material, h.Patron.Class)
		terms := a.Book.Decide(at, nil)
		days := terms.Value(rulebook.HoldShelfDays).Number()
		until := queue.ShelfUntil(a.Here(), a.Today(), days)
		p.Why = p.Why.Add(why.Sum, "Waits "+calendar.Count(days, "open day")+", until "+a.Network.SayDate(until))
		h.ItemID, h.ReadyAt, h.ShelfUntil, h.Why = &facts.Item.ID, &a.Now, store.Column(until), store.JSON(&p.Why)
		if slots := a.Network.Row(a.Who.Branch).Slots; slots > 0 && h.RequestID == nil {
			slot, err := holdsdb.FreeSlot(a.Tx, a.Who.Branch, slots)
			if err != nil {
				return err
			}
			h.Slot = &slot
		}
		if err := holdsdb.MoveHold(a.Tx, h, queue.Shelve, a.Now); err != nil {
			return err
		}
		a.Tell(
			event.Event{
				Kind:   event.HoldReady,
				Patron: h.PatronID,
				Item:   facts.Item.ID,
				Hold:   h.ID,
				Why:    &p.Why,
				Detail: event.Detail{Day: &until},
			},
		)
		if h.RequestID == nil { // a partner is told when it is sent
			if err := notices.HoldReady(a, h, facts.Item); err != nil {
				return err
			}
		}
	}
	if h.RequestID != nil {
		p.Sign = Sign{
			Kind: circulation.HoldShelf, Heading: "To pack for", Place: h.Patron.Name(), HoldID: h.ID,
			Detail: "Scan it under Interlibrary to pack it.",
		}
		return nil
	}
	p.Sign = Sign{
		Kind: circulation.HoldShelf, Heading: "Hold shelf, for", Place: ShelfName(a, h.Pickup, h.Patron), HoldID: h.ID,
		Detail: "Pick up by " + a.SayDate(*store.DateOf(h.ShelfUntil)) + ".",
	}
	if h.Slot != nil {
		p.Sign.Detail = fmt.Sprintf("Slot %d. %s", *h.Slot, p.Sign.Detail)
	}
	return nil
}

var sayPurpose = map[circulation.Reason]string{
	circulation.ForHold:  "Hold for pickup there.",
	circulation.GoesHome: "Going home.",
}

// send puts the item into the tote for a branch, with a promise.
func (p *Placed) send(a *act.Act, facts *deskdb.Facts, way circulation.Way) error {
	t := a.Network.Timetable
	j := t.Ask(a.Who.Branch, way.To, a.Now)
	p.Why = p.Why.Under(why.Sum, t.Why(j, a.Who.Branch, way.To, a.Now))
	purpose := sayPurpose[way.Reason] + season(a, facts)
	if way.Reason == circulation.Returning {
		purpose = "Belongs to " + facts.Lender + "; sent home from there."
	}
	p.Sign = toteSign(t, way.To, j, a.Today(), purpose)
	p.Why.Result = "Tote for " + p.Sign.Place
	var promised *time.Time
	if j != nil {
		promised = j.OnShelf
	}
	transit := transitsdb.Transit{
		ItemID:     facts.Item.ID,
		FromBranch: a.Who.Branch,
		ToBranch:   way.To,
		SentAt:     a.Now,
		PromisedAt: promised,
		Why:        store.JSON(&p.Why),
	}
	told := event.Event{
		Kind:   event.Sent,
		Item:   facts.Item.ID,
		Why:    &p.Why,
		Detail: event.Detail{Branch: way.To, At: promised},
	}
	if h := facts.Hold; h != nil {
		transit.HoldID, p.Sign.HoldID = &h.ID, h.ID
		told.Hold, told.Patron = h.ID, h.PatronID
		h.ItemID, h.PromisedAt = &facts.Item.ID, promised
		if err := holdsdb.MoveHold(a.Tx, h, queue.Send, a.Now); err != nil {
			return err
		}
	}
	if err := transitsdb.StartTransit(a.Tx, &transit); err != nil {
		return err
	}
	p.Did.BegunTransit = transit.ID
	a.Tell(told)
	return nil
}
