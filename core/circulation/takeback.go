package circulation

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
)

// Lent is an open loan with the terms it was lent by.
type Lent struct {
	Rules   *rulebook.Rulebook // of the edition it was lent or last renewed under
	At      rulebook.Situation // as classed then
	Own     []rulebook.Setting
	Branch  *calendar.Branch // where it was lent
	Due     loan.Due
	Renewed *time.Time
	LostAt  *time.Time
	Price   *money.Amount // nil: not known
}

// Terms are the terms the loan was lent by.
func (l *Lent) Terms() rulebook.Terms { return l.Rules.Decide(l.At, l.Own) }

// Ended is what the return of a loan means.
type Ended struct {
	Late    bool
	Fine    money.Amount    // to charge now
	Credits []ledger.Credit // what was charged for a lost item and is taken back
	Credit  money.Amount    // their sum
	Why     why.Trace
}

// TakeBack decides what a return means: lateness under the terms the loan was lent by, counted to the moment the return
// counts as (nil: now). For something lost, lateness stopped when it was lost; found within the time, its price is
// credited and lateness charged instead. Billed is what was charged for its price.
func TakeBack(l Lent, now time.Time, countedAs *calendar.Date, billed []ledger.Billed) Ended {
	terms := l.Terms()
	r := lateness.Return{At: now, CountedDate: countedAs}
	if l.LostAt != nil {
		lost := l.Branch.Date(*l.LostAt)
		if r.CountedDate == nil || *r.CountedDate > lost {
			r.CountedDate = &lost
		}
	}
	result, trace := lateness.AtReturn(l.Branch, terms.Lateness(), l.Price, l.Due, l.Renewed, r)
	trace = trace.Under(why.Fact, l.Rules.Why(l.At, l.Own, rulebook.FineRate))
	if countedAs != nil {
		trace = trace.Add(why.Fact, "Counted as returned on "+countedAs.Say())
	}
	e := Ended{Late: result.Late > 0, Fine: result.Fine, Why: trace}
	if l.LostAt != nil {
		e.foundAgain(l, terms.Lost(), now, billed)
	}
	return e
}

func (e *Ended) foundAgain(l Lent, terms lateness.LostTerms, now time.Time, billed []ledger.Billed) {
	lost, back := l.Branch.Date(*l.LostAt), l.Branch.Date(now)
	within := calendar.Count(terms.RefundWithin, "day")
	e.Why = e.Why.Add(why.Note, "Counted as lost since "+lost.Say())
	if !terms.Credited(lost, back) {
		e.Fine = 0
		e.Why.Result = "Lost and found too late for a credit"
		e.Why = e.Why.Add(why.Limit, "Found after more than "+within+": the price stays charged")
		return
	}
	if terms.KeepLateness {
		e.Fine = 0 // charged when it was lost
	}
	e.Credits, e.Credit = ledger.TakenBack(billed)
	sum := terms.Currency.Format(e.Credit)
	e.Why.Result = "Lost and found; " + sum + " credited"
	e.Why = e.Why.Add(why.Sum, "Found within "+within+": the price, "+sum+", is credited")
}

// Lost is what it means that a loan counts as lost.
type Lost struct {
	Bill lateness.Bill
	Why  why.Trace
}

// Lose decides whether a loan counts as lost on a day, and what is billed then; nil where it does not.
func Lose(l Lent, day calendar.Date, now time.Time) *Lost {
	terms := l.Terms()
	rules := terms.Lost()
	if on, ok := rules.LostOn(l.Due.Day(l.Branch)); !ok || on > day {
		return nil
	}
	late, lateWhy := lateness.AtReturn(
		l.Branch,
		terms.Lateness(),
		l.Price,
		l.Due,
		l.Renewed,
		lateness.Return{At: now, CountedDate: &day},
	)
	bill, trace := rules.Cost(l.Price, late, lateWhy)
	return &Lost{bill, trace.Under(why.Fact, l.Rules.Why(l.At, l.Own, rulebook.LostAfter))}
}
