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
	Claimed *time.Time    // since when the patron says that they brought it back; nil: they do not
	Price   *money.Amount // nil: not known
}

// Terms are the terms the loan was lent by.
func (l *Lent) Terms() rulebook.Terms { return l.Rules.Decide(l.At, l.Own) }

// Ended is what follows from the return of a loan: a fine to charge, and credits for what was charged before.
type Ended struct {
	Late    bool
	Fine    money.Amount    // to charge now
	Credits []ledger.Credit // what was charged for a lost item and is credited
	Credit  money.Amount    // their sum
	Why     why.Trace
}

// Counting is the day and time that returns are counted as.
type Counting struct {
	Now     time.Time
	As      *calendar.Date // as returned on this date; nil: when it happens
	At      *time.Time     // or at this instant
	LetOff  int            // days of lateness that are let off
	Excused string         // why nothing is charged: the library itself was at fault; empty: it was not
}

// TakeBack decides what a return means: lateness under the terms the loan was lent by, counted to the moment the return
// counts as. For something lost, lateness stopped when it was lost; found within the time, its price is credited and lateness
// charged instead. Billed is what was charged for its price. What somebody has said to have brought back, and is found here, was
// here when they said so.
func TakeBack(l Lent, c Counting, billed []ledger.Billed) Ended {
	terms := l.Terms()
	r := lateness.Return{At: c.Now, CountedDate: c.As, CountedAt: c.At, DaysLetOff: c.LetOff}
	for _, stopped := range []*time.Time{l.LostAt, l.Claimed} {
		if stopped == nil {
			continue
		}
		if day := l.Branch.Date(*stopped); r.CountedDate == nil || *r.CountedDate > day {
			r.CountedDate = &day
		}
	}
	result, trace := lateness.AtReturn(l.Branch, terms.Lateness(), l.Price, l.Due, l.Renewed, r)
	trace = trace.Under(why.Fact, l.Rules.Why(l.At, l.Own, rulebook.FineRate))
	switch {
	case c.As != nil:
		trace = trace.Add(why.Fact, "Counted as returned on "+l.Branch.SayDate(*c.As))
	case c.At != nil:
		trace = trace.Add(why.Fact, "Counted as returned at "+l.Branch.SayInstant(*c.At))
	}
	if l.Claimed != nil {
		on := l.Branch.SayDate(l.Branch.Date(*l.Claimed))
		trace = trace.Add(why.Fact, "Claimed returned on "+on+", and counted so")
	}
	e := Ended{Late: result.Late > 0, Fine: result.Fine, Why: trace}
	if c.Excused != "" && e.Fine > 0 {
		e.Why = e.Why.Add(why.Note, "No charge: "+c.Excused)
		e.Why.Result += ", not charged"
		e.Fine = 0
	}
	if l.LostAt != nil {
		e.foundAgain(l, terms.Lost(), c.Now, billed)
	}
	return e
}

func (e *Ended) foundAgain(l Lent, terms lateness.LostTerms, now time.Time, billed []ledger.Billed) {
	lost, back := l.Branch.Date(*l.LostAt), l.Branch.Date(now)
	within := calendar.Count(terms.RefundWithin, "day")
	e.Why = e.Why.Add(why.Note, "Lost since "+l.Branch.SayDate(lost))
	if !terms.Credited(lost, back) {
		e.Fine = 0
		e.Why.Result = "Found too late for a credit"
		e.Why = e.Why.Add(why.Limit, "Found after more than "+within+": the price stays charged")
		return
	}
	if terms.KeepLateness {
		e.Fine = 0 // charged when it was lost
	}
	e.Credits, e.Credit = ledger.TakenBack(billed)
	sum := terms.Currency.Say(e.Credit)
	e.Why.Result = "Lost and found; " + sum + " credited"
	e.Why = e.Why.Add(why.Sum, "Found within "+within+": the price, "+sum+", is credited")
}

// Lost is what follows when a loan is marked lost: its bill.
type Lost struct {
	Bill lateness.Bill
	Why  why.Trace
}

// Lose decides whether a loan is marked lost on a day, and what is billed then; nil where it does not.
func Lose(l Lent, day calendar.Date, now time.Time) *Lost {
	terms := l.Terms()
	if on, ok := terms.Lost().LostOn(l.Due.Day(l.Branch)); !ok || on > day {
		return nil
	}
	return Declare(l, day, now)
}

// Declare bills a loan that is marked lost on a day, because somebody says so.
func Declare(l Lent, day calendar.Date, now time.Time) *Lost {
	terms := l.Terms()
	rules := terms.Lost()
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
