package moving

import (
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/core/circulation"
	"nevrin/core/queue"
	"nevrin/store/deskdb"
	"nevrin/store/holdsdb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// GoneOn says how somebody has gone on with an item since it was placed, so that undoing would take back more than
// that; empty where nobody has.
func GoneOn(a *act.Act, facts *deskdb.Facts, did *Did) string {
	name := facts.Item.Title.Name
	switch {
	case facts.Transit != nil && facts.Transit.ID != did.BegunTransit:
		return name + " has been sent on since, so this cannot be undone. Return it where it is now."
	case did.BegunTransit != 0 && facts.Transit == nil:
		return name + " has left and been scanned elsewhere since, so this can no longer be undone."
	case facts.Item.AtBranch != a.Who.Branch:
		return name + " has been scanned at " + a.Network.BranchName(facts.Item.AtBranch) +
			" since, so this cannot be undone."
	case facts.Hold != nil && facts.Hold.ID != did.Hold && facts.Hold.State != queue.Fetching:
		return name + " now fills a hold, so this cannot be undone."
	}
	return ""
}

// Unplace takes back what placing an item set going, with which nobody has gone on since; lent: it was on loan before.
// A hold that the item was chosen for since, and that has not got it yet, waits again.
func Unplace(a *act.Act, facts *deskdb.Facts, did *Did, lent bool) error {
	if did.BegunTransit != 0 && facts.Transit != nil {
		transitsdb.EndTransit(a.Tx, facts.Transit.ID, a.Now)
		a.Tell(event.Event{Kind: event.TransitUndone, Item: facts.Item.ID})
	}
	if h := facts.Hold; h != nil {
		ours := h.ID == did.Hold
		switch {
		case ours && did.HoldFrom == queue.Ready: // it lay on the hold shelf before, and does so again
		case ours && did.HoldFrom == queue.Moving && did.EndedTransit != 0 && h.State == queue.Moving && !lent:
			// in transit again
		case ours && did.HoldFrom == queue.Moving && did.EndedTransit != 0 && h.State == queue.Ready && !lent:
			h.ItemID, h.ReadyAt, h.ShelfUntil = &facts.Item.ID, nil, nil
			if err := holdsdb.MoveHold(a.Tx, h, queue.Send, a.Now); err != nil {
				return err
			}
		default:
			if err := holdsdb.MoveHold(a.Tx, h, queue.PutBack, a.Now); err != nil {
				return err
			}
			a.Tell(event.Event{Kind: event.HoldPutBack, Patron: h.PatronID, Hold: h.ID, Item: facts.Item.ID})
		}
	}
	if did.AtBefore != "" {
		stockdb.SetStatusAt(a.Tx, facts.Item.ID, did.AtBefore, did.StandingBefore)
		facts.Item.AtBranch, facts.Item.Standing = did.AtBefore, did.StandingBefore
	}
	if did.EndedTransit != 0 {
		transitsdb.ResumeTransit(a.Tx, did.EndedTransit)
	}
	return nil
}

// GiveUp lets something that is in transit count as missing, so that whoever waits for it gets another copy. Its title
// and the patron must be locked.
func GiveUp(a *act.Act, facts *deskdb.Facts) error {
	transitsdb.EndTransit(a.Tx, facts.Transit.ID, a.Now)
	if facts.Transit.ToteID != nil {
		transitsdb.LoseTote(a.Tx, *facts.Transit.ToteID, a.Now)
	}
	if h := facts.Hold; h != nil {
		if err := holdsdb.MoveHold(a.Tx, h, queue.PutBack, a.Now); err != nil {
			return err
		}
		a.Tell(event.Event{Kind: event.HoldPutBack, Patron: h.PatronID, Hold: h.ID, Item: facts.Item.ID})
	}
	stockdb.SetStatus(a.Tx, facts.Item.ID, circulation.ItemMissing, "")
	a.Tell(event.Event{Kind: event.Missing, Item: facts.Item.ID, Detail: event.Detail{Branch: facts.Transit.ToBranch}})
	_, err := Route(a, facts.Item.TitleID, 0)
	return err
}
