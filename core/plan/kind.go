// Package plan decides what patrons are told: which notice is due for whom, by which plan of the network, to whom and by which way it
// goes, whether it still holds when it leaves, and whether a night's numbers are as usual.
//
// It knows nothing of wordings or of how a message is sent: those are in app/notices. Begin to read with Kind and Plan; Of is how a plan
// is found, Stage how far something has come.
package plan

import "nevrin/core/person"

// Kind is what a notice tells of.
type Kind string

// The kinds. Those of the night are worked out each night as trial runs; the others are told as they happen.
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
)

// About is what a notice speaks of.
type About string

// What notices speak of.
const (
	AboutLoan   About = "loan"
	AboutHold   About = "hold"
	AboutPatron About = "patron"
)

// Sort describes a kind.
type Sort struct {
	Kind    Kind   `json:"kind" enum:"before_due,due_today,overdue,lost,hold_ready,hold_expiring,hold_expired,hold_cancelled,card_expiring,details,owed,receipt"`
	Name    string `json:"name"`
	Says    string `json:"says" doc:"What it tells, in a sentence"`
	About   About  `json:"about" enum:"loan,hold,patron"`
	Nightly bool   `json:"nightly" doc:"Worked out each night as a trial run; otherwise told as it happens"`
	Days    string `json:"days" enum:",before,after" doc:"Whether a plan says how many days before or after the day in question; after: one stage or more"`
	Sum     bool   `json:"sum" doc:"Whether a plan says from which sum on"`
	group   person.Notice
}

// Sorts are all kinds, in the order in which one message tells of them.
var Sorts = []Sort{
	{HoldReady, "Hold ready", "Something waits on the hold shelf.", AboutHold, false, "", false, person.HoldReady},
	{HoldExpiring, "Hold about to expire", "It will soon leave the hold shelf.", AboutHold, true, "before", false, person.HoldReady},
	{HoldExpired, "Hold expired", "It was not picked up in time.", AboutHold, false, "", false, person.HoldReady},
	{HoldCancelled, "Hold cancelled", "Staff cancelled a hold.", AboutHold, false, "", false, person.HoldReady},
	{BeforeDue, "Due soon", "A loan is due in a few days.", AboutLoan, true, "before", false, person.Overdue},
	{DueToday, "Due today", "A loan is due today.", AboutLoan, true, "", false, person.Overdue},
	{Overdue, "Overdue", "A loan is late; in one stage or more.", AboutLoan, true, "after", false, person.Overdue},
	{Lost, "Lost, with its bill", "A loan was marked lost and billed.", AboutLoan, true, "", false, person.Overdue},
	{Owed, "Charges", "Charges have reached a sum.", AboutPatron, true, "", true, person.Overdue},
	{CardExpiring, "Card about to expire", "The card soon runs out.", AboutPatron, true, "before", false, person.Overdue},
	{Details, "Details to confirm", "The details on record have not been confirmed for long.", AboutPatron, true, "", false, person.Overdue},
	{Receipt, "Receipt", "What was lent just now.", AboutLoan, false, "", false, person.Overdue},
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

// Optional tells whether a patron may choose not to be told of a kind: what waits for them, and not what they have to bring back or pay.
func (s Sort) Optional() bool { return s.group == person.HoldReady }

// Group is the kind by which patrons choose their way.
func (s Sort) Group() person.Notice { return s.group }
