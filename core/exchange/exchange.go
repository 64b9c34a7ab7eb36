// Package exchange decides how an interlibrary request moves on.
//
// A request is one of ours (we ask a partner) or one of theirs (a partner asks us). What happens to
// it arrives or leaves as ISO 18626 messages: a status that the supplying library reports, or an
// action that the requesting library takes. Next says to which stage a message leads, or that it
// cannot come now. A message that says what is known already changes nothing.
package exchange

import (
	"fmt"
	"slices"

	"nevrin/core/calendar"
)

// Role is our role in a request.
type Role string

const (
	Requesting Role = "requesting" // we ask
	Supplying  Role = "supplying"  // they ask
)

// Stage is a step in the life of a request, the same for both roles.
type Stage string

const (
	Asked     Stage = "asked"
	Promised  Stage = "promised"  // the supplier has said yes
	Shipped   Stage = "shipped"   // on its way to the requester
	There     Stage = "there"     // with the requester
	Back      Stage = "back"      // on its way home
	Done      Stage = "done"      // home again
	Refused   Stage = "refused"   // the supplier has said no
	Withdrawn Stage = "withdrawn" // the requester has taken it back
)

// ISO 18626 statuses of the supplying library.
const (
	RequestReceived        = "RequestReceived"
	ExpectToSupply         = "ExpectToSupply"
	WillSupply             = "WillSupply"
	Loaned                 = "Loaned"
	Overdue                = "Overdue"
	Recalled               = "Recalled"
	RetryPossible          = "RetryPossible"
	Unfilled               = "Unfilled"
	HoldReturn             = "HoldReturn"
	ReleaseHoldReturn      = "ReleaseHoldReturn"
	CopyCompleted          = "CopyCompleted"
	LoanCompleted          = "LoanCompleted"
	CompletedWithoutReturn = "CompletedWithoutReturn"
	Cancelled              = "Cancelled"
)

// ISO 18626 actions of the requesting library.
const (
	StatusRequest  = "StatusRequest"
	Received       = "Received"
	Cancel         = "Cancel"
	Renew          = "Renew"
	ShippedReturn  = "ShippedReturn"
	ShippedForward = "ShippedForward"
	Notification   = "Notification" // of either library, and a reason too
)

// ISO 18626 reasons for a message of the supplying library.
const (
	RequestResponse       = "RequestResponse"
	StatusRequestResponse = "StatusRequestResponse"
	RenewResponse         = "RenewResponse"
	CancelResponse        = "CancelResponse"
	StatusChange          = "StatusChange"
)

// ISO 18626 service types.
const (
	Loan       = "Loan"
	Copy       = "Copy"
	CopyOrLoan = "CopyOrLoan"
)

// Services are the service types that we know.
var Services = []string{Loan, Copy, CopyOrLoan}

// The standard's statuses, actions and reasons, from memory.
var (
	Statuses = []string{
		RequestReceived, ExpectToSupply, WillSupply, Loaned, Overdue, Recalled, RetryPossible, Unfilled, HoldReturn, ReleaseHoldReturn, CopyCompleted,
		LoanCompleted, CompletedWithoutReturn, Cancelled,
	}
	Actions = []string{StatusRequest, Received, Cancel, Renew, ShippedReturn, ShippedForward, Notification}
	Reasons = []string{RequestResponse, StatusRequestResponse, RenewResponse, CancelResponse, StatusChange, Notification}
)

// Status gives the status by which a supplying library reports how a request stands.
func (s Stage) Status() string {
	return map[Stage]string{
		Asked: RequestReceived, Promised: WillSupply, Shipped: Loaned, There: Loaned, Back: Loaned, Done: LoanCompleted, Refused: Unfilled, Withdrawn: Cancelled,
	}[s]
}

// moves are the stages to which a message leads from each stage.
var moves = map[Stage]map[string]Stage{
	Asked: {
		RequestReceived: Asked,
		ExpectToSupply:  Promised,
		WillSupply:      Promised,
		Loaned:          Shipped,
		RetryPossible:   Refused,
		Unfilled:        Refused,
		CopyCompleted:   Done,
		Cancel:          Asked,
		Cancelled:       Withdrawn,
	},
	Promised: {
		ExpectToSupply: Promised,
		WillSupply:     Promised,
		Loaned:         Shipped,
		RetryPossible:  Refused,
		Unfilled:       Refused,
		CopyCompleted:  Done,
		Cancel:         Promised,
		Cancelled:      Withdrawn,
	},
	Shipped: {Loaned: Shipped, Overdue: Shipped, Recalled: Shipped, Received: There, CompletedWithoutReturn: Done},
	There: {
		Received: There, Loaned: There, Overdue: There, Recalled: There, Renew: There, HoldReturn: There, ReleaseHoldReturn: There, ShippedReturn: Back,
		LoanCompleted: Done, CompletedWithoutReturn: Done,
	},
	Back:      {ShippedReturn: Back, Loaned: Back, Overdue: Back, Recalled: Back, LoanCompleted: Done, CompletedWithoutReturn: Done},
	Done:      {LoanCompleted: Done, CopyCompleted: Done, CompletedWithoutReturn: Done},
	Refused:   {Unfilled: Refused, RetryPossible: Refused},
	Withdrawn: {Cancelled: Withdrawn},
}

// Next is the stage to which a status or action leads.
func Next(from Stage, message string) (Stage, error) {
	if message == Notification || message == StatusRequest {
		return from, nil
	}
	to, ok := moves[from][message]
	if !ok {
		return from, fmt.Errorf("%s cannot come while the request is %s", message, from)
	}
	return to, nil
}

// OurMoves are the stages of each role in which we have to act next on a request.
var OurMoves = map[Role][]Stage{
	Supplying:  {Asked, Promised, Back},
	Requesting: {Shipped, There, Refused},
}

// OurMove tells whether we have to act next on a request: no longer once their no has been seen, nor while what we
// borrowed is away, with the patron or on its way to them.
func OurMove(role Role, stage Stage, seen, away bool) bool {
	return slices.Contains(OurMoves[role], stage) && !seen && (role != Requesting || stage != There || !away)
}

// Ended tells whether nothing more can come of a request.
func (s Stage) Ended() bool { return s == Done || s == Refused || s == Withdrawn }

// DueHere gives the day on which something borrowed from outside is due here: some days before the lender's date, so that it can be sent home
// in time; but not in the past, and never after the lender's date.
func DueHere(lenders calendar.Date, margin int, today calendar.Date) calendar.Date {
	return min(lenders, max(lenders.Add(-margin), today))
}

// OwnTerms are the terms that something borrowed from outside carries itself from a day on, in the form of the rulebook file: it is lent
// until the date that it is due here and never longer, and only the lender renews it. Where the lender named no date, four weeks are taken (common
// practice, no source).
func OwnTerms(due *calendar.Date, today calendar.Date) map[string]any {
	terms := map[string]any{"loan_period": "P28D", "renewals": 0, "closed_day": "next"}
	if due != nil {
		terms["loan_period"], terms["latest_due"] = fmt.Sprintf("P%dD", max(1, due.DaysSince(today))), []string{due.String()}
	}
	return terms
}
