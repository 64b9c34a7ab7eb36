package circulation

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/rulebook"
	"nevrin/core/settings"
	"nevrin/core/why"
)

// OnLoan is one of a patron's loans, as far as it matters for lending the next item.
type OnLoan struct {
	Material string
	Branch   *calendar.Branch
	Due      loan.Due
}

// Claim is a hold of somebody else that the item is meant for.
type Claim struct {
	Ready  bool          // on the hold shelf
	Until  calendar.Date // if so, the last day
	Pickup string        // name of the branch where it is waited for
	For    string        // who lets this patron fetch it; empty: nobody does
	Why    *why.Trace    // why this item was chosen; may be nil
}

// Lending is one item that a patron wants to borrow at a branch.
type Lending struct {
	Rules    *rulebook.Rulebook
	At       rulebook.Situation
	Own      []rulebook.Setting // the item's own terms
	Branch   *calendar.Branch
	Now      time.Time
	Borrower loan.Borrower // what is counted of OnLoan is filled in
	OnLoan   []OnLoan
	Claim    *Claim            // nil: meant for nobody else
	Asks     []*loan.Stop      // what is asked beside: had before, noted, parts to count; nil ones are not
	Awaited  int               // how many others wait for the title
	May      settings.Entitled // who lends it, for what may be gone past
	Past     []loan.StopKind   // stops that were seen and are gone past
	Reason   string            // why they are
}

// Verdict is the decision about lending an item. It can be lent if nothing is Left.
type Verdict struct {
	Terms  rulebook.Terms
	Due    loan.Due
	Left   []loan.Stop // what stands in the way
	Passed []loan.Stop // what was gone past
	May    bool        // all that is left may be gone past by who is here
	Reason bool        // and needs a reason
	Fetch  bool        // it may be fetched for who waits for it
	Short  bool        // it is lent for a shorter time, since others wait
	Why    why.Trace
}

// Lend decides on a lending.
func Lend(l Lending) Verdict {
	v := Verdict{Terms: l.Rules.Decide(l.At, l.Own), May: true}
	var sum why.Trace
	v.Due, sum, v.Short = v.Terms.Lend(l.Branch, l.Now, l.Awaited > 0)
	v.Fetch = l.Claim != nil && l.Claim.For != ""
	for _, s := range l.stops(&v) {
		if slices.Contains(l.Past, s.Kind) && l.May.MayPass(s.Kind) {
			v.Passed = append(v.Passed, s)
			continue
		}
		v.Left = append(v.Left, s)
		v.May = v.May && l.May.MayPass(s.Kind)
		v.Reason = v.Reason || s.Kind.NeedsReason()
	}
	if len(v.Left) > 0 {
		v.Why = l.whyNot(v.Left)
		return v
	}
	v.Why = l.Rules.WhyDue(l.At, l.Own, sum)
	if v.Short {
		v.Why = v.Why.Under(why.Decided, l.Rules.Why(l.At, l.Own, rulebook.AwaitedPeriod)).
			Add(why.Fact, Waiting(l.Awaited))
	}
	for _, s := range v.Passed {
		v.Why = v.Why.Add(why.Note, "Override: "+s.Text, l.Reason)
	}
	return v
}

// Waiting says how many others wait for a title; empty for none.
func Waiting(others int) string {
	switch others {
	case 0:
		return ""
	case 1:
		return "Somebody else is waiting for this title."
	}
	return fmt.Sprintf("%d others are waiting for this title.", others)
}

// ReasonMissing tells whether stops were gone past that need a reason, and none was given.
func (v *Verdict) ReasonMissing(reason string) bool {
	needs := func(s loan.Stop) bool { return s.Kind.NeedsReason() }
	return strings.TrimSpace(reason) == "" && slices.ContainsFunc(v.Passed, needs)
}

// Count adds what a patron has on loan to what is known of them as a borrower.
func Count(b loan.Borrower, list []OnLoan, material string, now time.Time) loan.Borrower {
	b.Loans, b.Alike, b.Late = len(list), 0, 0
	for _, o := range list {
		if o.Material == material {
			b.Alike++
		}
		if o.Due.Late(o.Branch, now) {
			b.Late++
		}
	}
	return b
}

// ofPatron is the situation of a patron at a branch, whatever is lent.
func ofPatron(at rulebook.Situation) rulebook.Situation {
	return rulebook.Situate(at.Lending(), "", "", "", at[rulebook.PatronClass])
}

// StopsOfPatron are the reasons for which a patron may borrow nothing at a branch.
func StopsOfPatron(
	rules *rulebook.Rulebook,
	at rulebook.Situation,
	b loan.Borrower,
	today calendar.Date,
	style calendar.Style,
) []loan.Stop {
	terms := rules.Decide(ofPatron(at), nil)
	return loan.StopsOf(b, terms.Limits(), today, style)
}

// stops are all reasons not to lend, those of the patron first.
func (l *Lending) stops(v *Verdict) []loan.Stop {
	b := Count(l.Borrower, l.OnLoan, l.At[rulebook.MaterialClass], l.Now)
	out := StopsOfPatron(l.Rules, l.At, b, l.Branch.Date(l.Now), l.Branch.Style)
	out = append(out, loan.StopsFor(b, v.Terms.Limits())...)
	if c := l.Claim; c != nil {
		text := "On hold for somebody else at " + c.Pickup + "."
		if c.Ready {
			text = "On the hold shelf for somebody else until " + l.Branch.SayDate(c.Until) + "."
			if c.Until < l.Branch.Date(l.Now) {
				text = "Still on the hold shelf for somebody else; pickup date was " + l.Branch.SayDate(c.Until) + "."
			}
		}
		if c.For != "" {
			text += " It is on hold for " + c.For + "; this patron can collect for them."
		}
		out = append(out, loan.Stop{Kind: loan.MeantForElse, Text: text})
	}
	if s := loan.DueSoon(v.Due, l.Branch, l.Now); s != nil {
		out = append(out, *s)
	}
	for _, ask := range l.Asks {
		if ask != nil {
			out = append(out, *ask)
		}
	}
	return out
}

func (l *Lending) whyNot(left []loan.Stop) why.Trace {
	trace := why.New("Why it is not lent")
	trace.Result = left[0].Text
	for _, s := range left {
		term, settled := rulebook.OfStop(s.Kind)
		switch {
		case settled:
			at := l.At
			if term == rulebook.OwedLimit || term == rulebook.LateItemsLimit {
				at = ofPatron(at)
			}
			trace = trace.Add(why.Decided, s.Text).Under(why.Fact, l.Rules.Why(at, l.Own, term))
		case s.Kind == loan.MeantForElse && l.Claim.Why != nil:
			trace = trace.Under(why.Decided, *l.Claim.Why)
		default:
			trace = trace.Add(why.Decided, s.Text)
		}
	}
	return trace
}
