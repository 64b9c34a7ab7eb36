// Package event names what happens, and what is kept of it.
//
// An event carries links (patron, item, loan, hold, request, message) and a detail of dates, sums, branches and codes.
// It holds no name, address or sentence about a person: the sentence is made when the event is shown, from what its
// links say then. So a link to a person can be cut, and nothing else about what happened changes.
package event

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/why"
)

// Kind says what happened.
type Kind string

// What happens.
const (
	Lent             Kind = "lent"
	LoanUndone       Kind = "loan_undone"
	Returned         Kind = "returned"
	ReturnUndone     Kind = "return_undone"
	Renewed          Kind = "renewed"
	DueMoved         Kind = "due_moved"
	DueMovedBack     Kind = "due_moved_back"
	Lost             Kind = "lost"
	Charged          Kind = "charged"
	Paid             Kind = "paid"
	Waived           Kind = "waived"
	Refunded         Kind = "refunded"
	HoldPlaced       Kind = "hold_placed"
	HoldRouted       Kind = "routed"
	HoldReady        Kind = "hold_ready"
	HoldFilled       Kind = "hold_filled"
	HoldCancelled    Kind = "hold_cancelled"
	HoldLapsed       Kind = "hold_lapsed"
	HoldPutBack      Kind = "hold_put_back"
	HoldReopened     Kind = "hold_reopened"
	ShelfMoved       Kind = "shelf_moved"
	ShelfMovedBack   Kind = "shelf_moved_back"
	Missed           Kind = "missed"
	Missing          Kind = "missing"
	Found            Kind = "found"
	Sent             Kind = "sent"
	Received         Kind = "received"
	TransitEnded     Kind = "transit_ended" // by lending it on its way
	TransitUndone    Kind = "transit_undone"
	UnderWayAgain    Kind = "under_way_again" // that it came out of its tote, or was declared lost with it, was undone
	Noted            Kind = "note"
	NoteOff          Kind = "note_off"
	SetAside         Kind = "set_aside"
	Withdrawn        Kind = "withdrawn"
	BackInUse        Kind = "back_in_use"
	ItemClassed      Kind = "item_classed"
	PatronClassed    Kind = "patron_classed"
	CardExtended     Kind = "card_extended"
	Joined           Kind = "joined"
	RecordChanged    Kind = "record_changed" // the parts of it are named, not what stands in them
	StandingChanged  Kind = "standing_changed"
	CardReplaced     Kind = "card_replaced"
	PINSet           Kind = "pin_set"
	CardNoted        Kind = "card_noted"
	CardNoteOff      Kind = "card_note_off"
	Consented        Kind = "consented"
	CountedAs        Kind = "counted_as"
	BranchChanged    Kind = "branch_changed"
	Told             Kind = "told"
	MailingSent      Kind = "mailing_sent"
	MailingDropped   Kind = "mailing_dropped"
	MessageSettled   Kind = "message_settled"
	AskedOutside     Kind = "asked_outside"
	ArrivedOutside   Kind = "arrived_outside"
	SentHome         Kind = "sent_home"
	RequestSeen      Kind = "request_seen"
	Packed           Kind = "packed" // for a partner, or to go home to one
	Unpacked         Kind = "unpacked"
	RequestWithdrawn Kind = "request_withdrawn"
	PartnerAsks      Kind = "partner_asks"
	PartnerSays      Kind = "partner_says"
	Rulebook         Kind = "rulebook" // a change of drafts and editions
	Rehearsed        Kind = "rehearsal"
	RehearsalStopped Kind = "rehearsal_stopped"
	Reported         Kind = "reported"
	ReportAnswered   Kind = "report_answered"
	CalendarChanged  Kind = "calendar_changed"
	CalendarUndone   Kind = "calendar_undone"
	MessageReturned  Kind = "message_returned" // it came back, or was not delivered
	SweepApplied     Kind = "sweep_applied"    // a change of many records
	SweepUndone      Kind = "sweep_undone"
	ClockMoved       Kind = "clock_moved"
	SignedIn         Kind = "signed_in"
	SignInFailed     Kind = "sign_in_failed"
	PasswordChanged  Kind = "password_changed"
	ShortCodeChanged Kind = "short_code_changed"
	LinkMade         Kind = "link_made"
	SessionsEnded    Kind = "sessions_ended"
	NetworkChanged   Kind = "network_changed"
	SecretRenewed    Kind = "secret_renewed" // of a partner
	SecondFactor     Kind = "second_factor"  // set up or taken away
	CutOff           Kind = "cut_off"        // what is kept no longer
	HistoryChosen    Kind = "history_chosen"
	Forgotten        Kind = "forgotten"
	Merged           Kind = "merged" // another record into this one
	Unmerged         Kind = "unmerged"
	HoldRevived      Kind = "hold_revived" // what cancelled it was undone
	HoldChangedBack  Kind = "hold_changed_back"
	NoticesChosen    Kind = "notices_chosen"
	DetailsConfirmed Kind = "details_confirmed"
	RosterChanged    Kind = "roster_changed"
	Claimed          Kind = "claimed" // what somebody says of a loan
	ClaimUndone      Kind = "claim_undone"
	DueChanged       Kind = "due_changed" // by hand
	SignedUp         Kind = "signed_up"   // by themselves
	SignUpAnswered   Kind = "sign_up_answered"
	TitleAdded       Kind = "title_added"
	TitleChanged     Kind = "title_changed"
	ItemAdded        Kind = "item_added"
	ItemChanged      Kind = "item_changed"  // the parts of it are named, not what stands in them
	StockChanged     Kind = "stock_changed" // with many others, at once
	Looked           Kind = "looked"        // for something that is not found
	Inventoried      Kind = "inventoried"
	TakenOut         Kind = "taken_out"    // of the network, as a file
	HoldPaused       Kind = "hold_paused"  // or waits again
	PickupMoved      Kind = "pickup_moved" // of a hold
	HoldMoved        Kind = "hold_moved"   // to another place in its queue
	HoldWanted       Kind = "hold_wanted"  // until a last day
	HeldLonger       Kind = "held_longer"  // on the hold shelf
	MissUndone       Kind = "miss_undone"
	StrayAsked       Kind = "stray_asked" // both ends are asked to look for what has not arrived
	Intake           Kind = "intake"      // a file of another system was sent, taken in, undone
	CameIn           Kind = "came_in"     // with such a file
	PhotoTaken       Kind = "photo_taken" // for a patron's record
	PhotoDropped     Kind = "photo_dropped"
	PaymentReversed  Kind = "payment_reversed"
	WaiverUndone     Kind = "waiver_undone"
	CardNotPaid      Kind = "card_not_paid" // what was asked for at a terminal
	PaidOut          Kind = "paid_out"      // a refund, in money
	ChargeTakenBack  Kind = "charge_taken_back"
	Disputed         Kind = "disputed" // a charge
	DisputeEnded     Kind = "dispute_ended"
	Invoiced         Kind = "invoiced"
	InvoiceWithdrawn Kind = "invoice_withdrawn"
	TillOpened       Kind = "till_opened"
	TillMoved        Kind = "till_moved" // cash, for no patron
	TillClosed       Kind = "till_closed"
	ReceiptsAssigned Kind = "receipts_assigned" // to a till; they were taken while none was open
	ReceiptsTakenOut Kind = "receipts_taken_out"
)

// Detail are the facts of an event beside its links. An event uses the parts that it needs.
type Detail struct {
	Day    *calendar.Date `json:"day,omitempty"`
	At     *time.Time     `json:"at,omitempty"`
	Branch calendar.Code  `json:"branch,omitempty"` // a branch other than where it happened
	Amount money.Amount   `json:"amount,omitempty"` // minor units
	About  string         `json:"about,omitempty"`  // what money was for
	Means  string         `json:"means,omitempty"`
	Reason string         `json:"reason,omitempty"` // as somebody wrote it
	Was    string         `json:"was,omitempty"`
	Is     string         `json:"is,omitempty"`
	Stage  string         `json:"stage,omitempty"` // of notices
	Count  int            `json:"count,omitempty"`
	Late   bool           `json:"late,omitempty"`
	Says   string         `json:"says,omitempty"`  // a change of rules, calendars or settings, which concern no person
	Staff  int64          `json:"staff,omitempty"` // whom of the staff it concerns
	From   string         `json:"from,omitempty"`  // the address from which somebody of the staff came
}

// Due is the detail of something due.
func Due(d loan.Due) Detail {
	if d.Hours {
		return Detail{At: &d.At}
	}
	return Detail{Day: &d.Date}
}

// Event is something that happened, about to be told. Who, where and when are added.
type Event struct {
	Kind                                       Kind
	Patron, Item, Loan, Hold, Request, Message int64
	Detail                                     Detail
	Why                                        *why.Trace
}
