package circulation

import (
	"fmt"
	"strings"
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

// Interlibrary is the material class of what other libraries lend.
const Interlibrary = "interlibrary"

// Refusal is a reason not to renew a loan.
type Refusal string

// The refusals.
const (
	TooOften     Refusal = "too_often"
	CountsAsLost Refusal = "lost"
	Stopped      Refusal = "stopped"
	Awaited      Refusal = "awaited"
)

// Renewed is the decision about a renewal. It is refused where By is not empty, for what Refused says.
type Renewed struct {
	By      Refusal
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
			By:      TooOften,
			Refused: fmt.Sprintf("Not renewed: renewals so far %d, allowed %d.", r.Renewals, allowed),
			Why:     &trace,
		}
	}
	if l.LostAt != nil {
		return Renewed{By: CountsAsLost, Refused: "Not renewed: it is marked lost. If it is here, return it first."}
	}
	if stops := StopsOfPatron(r.Rules, l.At, r.Borrower, l.Branch.Date(r.Now), l.Branch.Style); len(stops) > 0 {
		return Renewed{By: Stopped, Refused: "Not renewed: " + stops[0].Text}
	}
	if r.Awaited {
		return Renewed{By: Awaited, Refused: "Not renewed: somebody is waiting for it."}
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

// sayMany gives the sentence for a refusal that several loans have, each with numbers of its own.
var sayMany = map[Refusal]string{
	TooOften: "renewed as often as allowed", CountsAsLost: "marked lost", Awaited: "somebody is waiting for it",
}

// SayMany says in one sentence what became of several renewals: how many are renewed, and how many are not for which reason. What stops
// the patron is said as it is, since it is the same for all.
func SayMany(each []Renewed) string {
	done := 0
	var refusals []Renewed
	count := map[Refusal]int{}
	for _, r := range each {
		switch {
		case r.By == "":
			done++
		case count[r.By] == 0:
			refusals = append(refusals, r)
		}
		count[r.By]++
	}
	text := fmt.Sprintf("%d renewed", done)
	for _, r := range refusals {
		says := sayMany[r.By]
		if says == "" || count[r.By] == 1 {
			says = strings.TrimSuffix(strings.TrimPrefix(r.Refused, "Not renewed: "), ".")
		}
		text += fmt.Sprintf("; %d not: %s", count[r.By], says)
	}
	return text + "."
}
