// Package history tells what happened to a patron or an item. Its sentences are made when they are shown, from the kind
// of the event, its detail and what its links say now.
package history

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/app/event"
	"nevrin/app/network"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/ledger"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/sight"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/eventsdb"
	"nevrin/store/peopledb"
)

// Happened is one event of a history.
type Happened struct {
	ID     int64      `json:"id"`
	At     time.Time  `json:"at"`
	Kind   string     `json:"kind"`
	Who    string     `json:"who"`
	Branch string     `json:"branch"`
	Text   string     `json:"text"`
	Item   int64      `json:"item_id,omitempty"`
	Title  string     `json:"title,omitempty"`
	Patron int64      `json:"patron_id,omitempty"`
	Name   string     `json:"patron,omitempty"`
	Why    *why.Trace `json:"why,omitempty"`
}

// OfPatron gives a page of what happened to a patron, newest first, and keeps that it was looked at. What they have read
// before is left out unless they show it; of what was paid for it the sum stays.
func OfPatron(a *act.Act, patron int64, page store.Page) ([]Happened, store.Page, error) {
	people.Seen(a, people.History, patron, "")
	for {
		rows, next, err := eventsdb.EventsOfPatron(a.Tx, patron, page)
		kept := mayRead(a, rows)
		if err != nil || len(kept) > 0 || !next.More {
			return show(a, kept), next, err
		}
		page = next // nothing of this part is seen: the list does not end there
	}
}

// OfRequest gives a page of what happened to a request to or from outside, newest first.
func OfRequest(a *act.Act, request int64, page store.Page) ([]Happened, store.Page, error) {
	rows, next, err := eventsdb.EventsOfRequest(a.Tx, request, page)
	return show(a, rows), next, err
}

// mayRead leaves out what is not the actor's to read.
func mayRead(a *act.Act, rows []eventsdb.EventShown) []eventsdb.EventShown {
	kept := rows[:0]
	for _, e := range rows {
		may := sight.MayReadEvent(a.Who.Role, e.Shown && a.May().SeesHistories(), sight.Event{
			Reading: e.ItemID != nil || e.LoanID != nil || e.HoldID != nil || e.RequestID != nil,
			Open:    e.Open || e.Owed, Today: a.Here().Date(e.At) == a.Today(),
		})
		switch kind := event.Kind(e.Kind); {
		case may:
		case isOfMoney(kind):
			e.ItemID, e.LoanID, e.TitleName, e.Why = nil, nil, nil, nil
		default:
			continue
		}
		kept = append(kept, e)
	}
	return kept
}

// isOfMoney tells whether something is about money, whose sums stay when what they were for is not the actor's to read.
func isOfMoney(kind event.Kind) bool {
	return slices.Contains([]event.Kind{
		event.Charged, event.Paid, event.Waived, event.WaiverUndone, event.Refunded, event.PaymentReversed, event.PaidOut,
		event.CardNotPaid, event.ChargeTakenBack,
		event.Disputed, event.DisputeEnded, event.Invoiced, event.InvoiceWithdrawn,
	}, kind)
}

// OfItem gives a page of what happened to an item, newest first. Who had it is named as long as it matters.
func OfItem(a *act.Act, item int64, page store.Page) ([]Happened, store.Page, error) {
	rows, next, err := eventsdb.EventsOfItem(a.Tx, item, page)
	for k := range rows {
		e := &rows[k]
		if !e.Open && !sight.MayKnowBorrower(a.Who.Role, past(e)) {
			e.PatronID, e.LegalName, e.PreferredName, e.Address, e.Subject = nil, nil, nil, nil, nil
		}
	}
	return show(a, rows), next, err
}

func past(e *eventsdb.EventShown) sight.Past {
	p := sight.Past{Last: e.Last, Owed: e.Owed, Damaged: e.Noted}
	if e.Standing != nil {
		p.Damaged = p.Damaged || *e.Standing == circulation.ItemAside
		p.Sought = *e.Standing == circulation.ItemMissing || *e.Standing == circulation.ItemLost
	}
	return p
}

func show(a *act.Act, rows []eventsdb.EventShown) []Happened {
	out := []Happened{}
	for k := range rows {
		e := &rows[k]
		h := Happened{
			ID:    e.ID,
			At:    e.At,
			Kind:  e.Kind,
			Who:   "Nevrin",
			Title: text(e.TitleName),
			Why:   act.Trace(e.Why),
		}
		if e.Who != nil {
			h.Who = *e.Who
		}
		if e.BranchCode != nil {
			h.Branch = a.Network.BranchName(*e.BranchCode)
		}
		if e.ItemID != nil {
			h.Item = *e.ItemID
		}
		if e.PatronID != nil && e.LegalName != nil {
			h.Patron, h.Name = *e.PatronID, name(e)
		}
		h.Text = Say(a, e)
		out = append(out, h)
	}
	return out
}

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// name is how staff address the patron of an event; somebody, where the link has been cut.
func name(e *eventsdb.EventShown) string {
	if e.LegalName == nil {
		return "somebody"
	}
	return (&peopledb.Patron{LegalName: *e.LegalName, PreferredName: *e.PreferredName}).Name()
}

// Say writes an event as a sentence.
func Say(a *act.Act, e *eventsdb.EventShown) string {
	var d event.Detail
	if len(e.Detail) > 0 && json.Unmarshal(e.Detail, &d) != nil {
		return e.Kind
	}
	n := a.Network
	due := func() string {
		if d.At != nil {
			return n.SayInstant(*d.At)
		}
		if d.Day != nil {
			return a.SayDate(*d.Day)
		}
		return ""
	}
	sum := n.Money.Say(d.Amount)
	place := n.BranchName(d.Branch)
	here := ""
	if e.BranchCode != nil {
		here = n.BranchName(*e.BranchCode)
	}
	switch event.Kind(e.Kind) {
	case event.Lent:
		return "Lent to " + name(e) + " until " + due()
	case event.Returned:
		return with("Returned at "+here, result(e))
	case event.Renewed:
		return "Renewed, due " + due()
	case event.DueMoved:
		return "Due date changed by the calendar, now due " + due()
	case event.DueMovedBack:
		return "Due date changed back by the calendar, now due " + due()
	case event.ShelfMoved, event.ShelfMovedBack:
		return "On the hold shelf until " + due() + " now, changed by the calendar"
	case event.Lost:
		return "Marked lost: " + text(e.TitleName)
	case event.Charged:
		if of := ledger.About(d.About); of == ledger.AboutManual {
			return "Charged " + sum + ". " + accounts.Say(of, d.Reason)
		}
		return "Charged " + sum + ". " + accounts.Say(ledger.About(d.About), text(e.TitleName))
	case event.Paid:
		return "Paid " + sum + " by " + d.Means
	case event.Waived:
		return "Waived " + sum + ": " + d.Reason
	case event.WaiverUndone:
		return "Waiver of " + sum + " undone, owed again: " + d.Reason
	case event.PaymentReversed:
		return "Payment of " + sum + " by " + d.Means + " reversed: " + d.Reason
	case event.PhotoTaken:
		return "Photograph added"
	case event.PhotoDropped:
		return "Photograph removed"
	case event.CardNotPaid:
		return "Not paid by card: " + sum + ". " + d.Reason
	case event.PaidOut:
		return "Refunded: " + sum + " by " + d.Means
	case event.ChargeTakenBack:
		return "Charge of " + sum + " reversed: " + d.Reason
	case event.Disputed:
		return "Charge of " + sum + " in dispute: " + d.Reason
	case event.DisputeEnded:
		return "Dispute about " + sum + " ended: " + d.Reason
	case event.Invoiced:
		return "Invoice " + d.Is + " of " + sum
	case event.InvoiceWithdrawn:
		return "Invoice " + d.Is + " withdrawn: " + d.Reason
	case event.Refunded:
		return "Refund due: " + sum + ", paid for an item found again"
	case event.HoldPlaced:
		return "Hold on " + text(e.TitleName) + " for pickup at " + place
	case event.HoldRouted:
		return "Item of " + n.BranchName(calendar.Code(d.Was)) + " assigned to a hold at " +
			n.BranchName(calendar.Code(d.Is))
	case event.HoldReady:
		return "On the hold shelf at " + here + " until " + due()
	case event.HoldLapsed:
		return "Not collected from the hold shelf by " + due()
	case event.HoldCancelled:
		return with("Hold cancelled", d.Reason)
	case event.Sent:
		return sayPromise(n, "Into the tote for "+place, d.At)
	case event.Received:
		if d.Late {
			return "Received at " + here + " from " + place + ", later than promised"
		}
		return "Received at " + here + " from " + place
	case event.TransitEnded:
		return "Lent while in transit to " + place
	case event.Missing:
		if d.Was == "" && d.Reason == "" {
			return "Not found twice: reported missing"
		}
		return with("Missing", d.Reason)
	case event.Noted:
		return "Note: " + d.Is
	case event.NoteOff:
		return "Note removed: " + d.Was
	case event.SetAside:
		if d.Is != "" {
			return with(catalogue.SayStatus(circulation.ItemAside, circulation.AsideFor(d.Is)), d.Reason)
		}
		return with("To repair", d.Reason)
	case event.Withdrawn:
		return with("Withdrawn", d.Reason)
	case event.ItemAdded:
		return "Added to the stock of " + place
	case event.ItemChanged:
		return "Record changed" + colon(d.Is)
	case event.Looked:
		return "Searched, not found" + colon(d.Is)
	case event.StockChanged:
		return with(d.Says, d.Reason)
	case event.BackInUse:
		return "Back in use at " + place
	case event.ItemClassed:
		return "Classed as " + classes(a, d.Is) + "; was " + classes(a, d.Was)
	case event.PatronClassed:
		return "Classed as " + n.ClassName("patron", d.Is) + "; was " + n.ClassName("patron", d.Was)
	case event.Joined:
		return "Registered"
	case event.RecordChanged:
		return "Record changed" + colon(d.Is)
	case event.StandingChanged:
		return "Is " + d.Is + "; was " + d.Was + colon(d.Reason)
	case event.CardReplaced:
		return "New card issued" + colon(d.Reason)
	case event.PINSet:
		if e.StaffID == nil {
			return "Changed their PIN"
		}
		return "PIN set"
	case event.HoldPaused:
		if d.Says == "waits again" {
			return "Hold waits again"
		}
		return "Hold paused " + d.Says
	case event.HoldMoved:
		return "Moved in the queue" + colon(d.Reason)
	case event.HoldWanted:
		return "Hold needed " + d.Says
	case event.HeldLonger:
		return "Kept on the hold shelf until " + a.SayDate(*d.Day) + colon(d.Reason)
	case event.StrayAsked:
		return "Missing in transit; both branches asked to search"
	case event.MissUndone:
		return "Found after all"
	case event.PickupMoved:
		return "Pickup branch changed to " + n.BranchName(d.Branch)
	case event.CameIn, event.Intake:
		return d.Says
	case event.CardNoted:
		return "Note added to the card"
	case event.CardNoteOff:
		return "Note removed from the card"
	case event.Consented:
		return consents[d.About] + ": " + d.Is
	case event.Claimed:
		return sayClaims[d.Is]
	case event.DueChanged:
		return "Due date changed by hand, now due " + due() + colon(d.Reason)
	case event.RosterChanged:
		return sayRosters[d.About] + " (" + calendar.Count(d.Count, "patron") + ")"
	case event.SignUpAnswered:
		return with("Sign-up "+d.Is, d.Reason)
	case event.CardExtended:
		return "Card extended to " + due()
	case event.CountedAs:
		says := "Returns counted as now"
		if d.Day != nil || d.At != nil {
			says = "Returns backdated to " + due()
		}
		if d.Count > 0 {
			says += ", " + calendar.Count(d.Count, "day") + " forgiven"
		}
		if d.Reason != "" {
			says += ", no charge: " + d.Reason
		}
		return says
	case event.BranchChanged:
		return "Works at " + n.BranchName(calendar.Code(d.Is)) + " now; was at " + n.BranchName(calendar.Code(d.Was))
	case event.Told:
		if d.Means == string(person.ByText) {
			return with("Text message to "+text(e.Address), d.Stage)
		}
		return with("Emailed to "+text(e.Address), text(e.Subject))
	case event.MessageSettled:
		if d.Means == string(person.ByPhone) {
			return with("Called, "+d.Stage, d.Reason)
		}
		if d.Is == "sent" {
			return "Marked as told: " + notices.KindName(plan.Kind(d.Stage))
		}
		return "To be sent again: " + notices.KindName(plan.Kind(d.Stage))
	case event.MailingSent:
		return notices.KindName(plan.Kind(d.Stage)) + " of " + due() + " sent"
	case event.AskedOutside:
		return "Asked " + text(e.Partner) + " for " + text(e.RequestTitle) + ", number " + text(e.RequestNumber)
	case event.ArrivedOutside:
		return "Arrived from " + text(e.Partner) + " for " + text(e.RequestNumber)
	case event.SentHome:
		return "Sent home to " + text(e.Partner)
	case event.Packed:
		return "Packed for " + text(e.Partner) + ", " + text(e.RequestNumber)
	case event.Unpacked:
		return "Taken out of the parcel for " + text(e.Partner) + ", " + text(e.RequestNumber)
	case event.RequestWithdrawn:
		return "Withdrawn: " + text(e.RequestNumber) + " for " + text(e.RequestTitle)
	case event.RequestSeen:
		return "The refusal by " + text(e.Partner) + " to " + text(e.RequestNumber) + " was handled"
	case event.PartnerAsks:
		return text(e.Partner) + " asks for " + text(e.RequestTitle)
	case event.PartnerSays:
		return text(e.Partner) + " says " + d.Is + " to " + text(e.RequestNumber)
	case event.HistoryChosen:
		return "History is kept " + d.Is + "; was " + d.Was
	case event.ClockMoved:
		return "Training clock moved to " + due()
	}
	if d.Says != "" {
		return d.Says
	}
	return sayPlain[event.Kind(e.Kind)]
}

var sayPlain = map[event.Kind]string{
	event.LoanUndone: "Loan undone", event.ReturnUndone: "Return undone", event.HoldFilled: "Hold filled",
	event.HoldPutBack:  "The item was released; the hold waits again in its old place",
	event.HoldReopened: "The loan was undone; the hold is ready again", event.Missed: "Not found on the shelf",
	event.Found:          "Found, no longer missing",
	event.UnderWayAgain:  "Back in its tote, in transit: the tote’s step was undone",
	event.TransitUndone:  "Removed from the tote: the scan was undone",
	event.MailingDropped: "Trial run discarded", event.RehearsalStopped: "Rehearsal stopped",
	event.ClaimUndone:      "Claim withdrawn",
	event.Merged:           "Another record of the same person was merged into this one",
	event.Unmerged:         "Merge undone",
	event.HoldChangedBack:  "Last change of the hold undone",
	event.HoldRevived:      "Hold reopened in its old place",
	event.NoticesChosen:    "Notice preferences changed",
	event.DetailsConfirmed: "Details confirmed",
	event.SignedUp:         "Signed up online",
	event.Reported:         "Reported to the supervisor", event.ReportAnswered: "Report answered",
}

var sayClaims = map[string]string{
	"returned": "Claims returned", "never_had": "Claims never had it",
}

// sayRosters says what was done with rosters.
var sayRosters = map[string]string{
	"made": "Roster made", "changed": "Roster changed", "filled": "Roster filled", "left": "Removed from a roster",
	"moved_up": "Classes moved up", "dissolved": "Rosters dissolved", "consents": "Consents imported from a list",
	"undone": "Roster change undone",
}

// result is what the why of an event comes to.
func result(e *eventsdb.EventShown) string {
	if trace := act.Trace(e.Why); trace != nil {
		return trace.Result
	}
	return ""
}

func with(text, more string) string {
	if more == "" {
		return text
	}
	return text + ": " + more
}

func sayPromise(n *network.Network, text string, at *time.Time) string {
	if at == nil {
		return text + "."
	}
	return text + ", on its shelf by " + n.SayInstant(*at)
}

// classes says a material class and a collection, which stand with a blank between them.
func classes(a *act.Act, codes string) string {
	material, collection, _ := strings.Cut(codes, " ")
	return a.Network.ClassName("material", material) + ", " + a.Network.ClassName("collection", collection)
}

// consents are what guardians and grown-ups agree to, as people call it.
var consents = map[string]string{
	"older_reader": "Older-reader material", "internet": "Internet", "photo": "Photographs",
}

// colon puts a text after a colon; nothing where there is none.
func colon(text string) string {
	if text == "" {
		return ""
	}
	return ": " + text
}
