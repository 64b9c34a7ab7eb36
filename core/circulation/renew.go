package circulation

import (
	"fmt"
	"time"

	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
)

// Renewing is a loan that somebody wants for longer.
type Renewing struct {
	Lent     Lent
	Rules    *rulebook.Rulebook // in force now, which decide on the renewal
	Renewals int                // so far
	Borrower loan.Borrower
	Awaited  bool // somebody waits for the title
	Now      time.Time
}

// Renewed is what a renewal comes to. It is refused where Refused says why.
type Renewed struct {
	Refused string
	Due     loan.Due
	Free    bool         // it is due as it was, so no renewal is used up
	Fine    money.Amount // lateness so far, settled by the renewal
	LateWhy why.Trace
	Why     *why.Trace
}

// Renew decides on a renewal. A late loan settles its lateness up to now under the terms it was lent by.
func Renew(r Renewing) Renewed {
	l := &r.Lent
	terms := r.Rules.Decide(l.At, l.Own)
	if allowed := terms.Value(rulebook.Renewals).Number(); r.Renewals >= allowed {
		trace := r.Rules.Why(l.At, l.Own, rulebook.Renewals)
		return Renewed{
			Refused: fmt.Sprintf("Not renewed: renewals so far %d, allowed %d.", r.Renewals, allowed),
			Why:     &trace,
		}
	}
	if l.LostAt != nil {
		return Renewed{Refused: "Not renewed: it counts as lost. Take it back first, if it is here."}
	}
	if stops := StopsOfPatron(r.Rules, l.At, r.Borrower, l.Branch.Date(r.Now)); len(stops) > 0 {
		return Renewed{Refused: "Not renewed: " + stops[0].Text}
	}
	if r.Awaited {
		return Renewed{Refused: "Not renewed: somebody waits for it."}
	}
	old := l.Terms()
	late, lateWhy := lateness.AtRenewal(l.Branch, old.Lateness(), l.Price, l.Due, r.Now)
	due, sum := loan.Renew(l.Branch, terms.Loan(), l.Due, r.Now)
	trace := r.Rules.WhyDue(l.At, l.Own, sum)
	if late.Late > 0 {
		trace = trace.Under(why.Sum, lateWhy)
	}
	return Renewed{Due: due, Free: due.Same(l.Due), Fine: late.Fine, LateWhy: lateWhy, Why: &trace}
}
