// Package plan decides which notices patrons get: by which plan of the network, at which stage, who receives them and by which channel,
// whether they are still needed when they are sent, and whether a run's numbers are as usual.
//
// Writing and sending messages is in app/notices. Begin to read with Kind and Plan; Plans.Of chooses a plan, Plan.Stage a stage.
package plan

import (
	"nevrin/core/calendar"
	"nevrin/core/person"
)

// Kind is a kind of notice.
type Kind string

// The kinds. Nightly ones are prepared as trial runs; the others are sent as things happen.
const (
	BeforeDue     Kind = "before_due"
	DueToday      Kind = "due_today"
	Overdue       Kind = "overdue"
	Lost          Kind = "lost"
	HoldReady     Kind = "hold_ready"
	HoldExpiring  Kind = "hold_expiring"
	HoldExpired   Kind = "hold_expired"
	HoldCancelled Kind = "hold_cancelled"
	CardExpiring  Kind = "card_expiring"
	Details       Kind = "details"
	Owed          Kind = "owed"
	Receipt       Kind = "receipt"

	IllArrived     Kind = "ill_arrived" // what another library lends to a patron
	RenewalRefused Kind = "renewal_refused"
	Membership     Kind = "membership" // a card was renewed
	SignUp         Kind = "sign_up"    // somebody has registered online
)

// About is what a notice is about.
type About string

// The things that notices are about.
const (
	AboutLoan   About = "loan"
	AboutHold   About = "hold"
	AboutPatron About = "patron"
)

// Sort describes a kind.
type Sort struct {
	Kind    Kind          `json:"kind" enum:"before_due,due_today,overdue,lost,hold_ready,hold_expiring,hold_expired,hold_cancelled,card_expiring,details,owed,receipt,ill_arrived,renewal_refused,membership,sign_up"`
	Name    string        `json:"name"`
	Says    string        `json:"says" doc:"What it tells, in a sentence"`
	About   About         `json:"about" enum:"loan,hold,patron"`
	Nightly bool          `json:"nightly" doc:"Worked out each night as a trial run; otherwise told as it happens"`
	Days    string        `json:"days" enum:",before,after" doc:"Whether a plan counts days before or after a date; after: with one stage or more"`
	Sum     bool          `json:"sum" doc:"Whether a plan has a minimum sum"`
	group   person.Notice // by which patrons have chosen their way; empty: it goes as it was asked for
}

// Sorts are all kinds, in their order within a message.
var Sorts = []Sort{
	{HoldReady, "Hold ready", "Something waits on the hold shelf.", AboutHold, false, "", false, person.HoldReady},
	{IllArrived, "Interlibrary loan arrived", "Something from another library waits on the hold shelf. If this is off, it is told as a ready hold.", AboutHold, false, "", false, person.HoldReady},
	{HoldExpiring, "Hold about to expire", "It will soon leave the hold shelf.", AboutHold, true, "before", false, person.HoldReady},
	{HoldExpired, "Hold expired", "It was not picked up in time.", AboutHold, false, "", false, person.HoldReady},
	{HoldCancelled, "Hold cancelled", "Staff cancelled a hold.", AboutHold, false, "", false, person.HoldReady},
	{BeforeDue, "Due soon", "A loan is due in a few days.", AboutLoan, true, "before", false, person.Overdue},
	{DueToday, "Due today", "A loan is due today.", AboutLoan, true, "", false, person.Overdue},
	{Overdue, "Overdue", "A loan is late; in one stage or more.", AboutLoan, true, "after", false, person.Overdue},
	{RenewalRefused, "Renewal refused", "A loan was not renewed in a batch, since somebody waits for it.", AboutLoan, false, "", false, person.Overdue},
	{Lost, "Lost, with its bill", "A loan was marked lost and billed.", AboutLoan, true, "", false, person.Overdue},
	{Owed, "Charges", "Charges have reached a sum.", AboutPatron, true, "", true, person.Overdue},
	{CardExpiring, "Card about to expire", "The card soon runs out.", AboutPatron, true, "before", false, person.Overdue},
	{Membership, "Membership renewed", "A card was renewed.", AboutPatron, false, "", false, person.Overdue},
	{SignUp, "Sign-up received", "Somebody registered online and got a temporary card.", AboutPatron, false, "", false, person.Overdue},
	{Details, "Details to confirm", "The details on record have not been confirmed for long.", AboutPatron, true, "", false, person.Overdue},
	{Receipt, "Receipt", "What was lent just now.", AboutLoan, false, "", false, ""},
}

// SortOf gives the description of a kind; false where there is none.
func SortOf(k Kind) (Sort, bool) {
	for _, s := range Sorts {
		if s.Kind == k {
			return s, true
		}
	}
	return Sort{}, false
}

// Optional tells whether patrons may opt out of a kind: of notices about holds, but not about loans and charges.
func (s Sort) Optional() bool { return s.group == person.HoldReady }

// OfLoan gives the kind that may be due of a loan on a day.
func OfLoan(lost bool, due, day calendar.Date) Kind {
	switch {
	case lost:
		return Lost
	case due > day:
		return BeforeDue
	case due == day:
		return DueToday
	}
	return Overdue
}

// DaysApart gives the number of days after which a notice that has no date of its own is repeated: charges, and details to confirm.
func DaysApart(k Kind) int {
	if k == Details {
		return 365
	}
	return 30
}
