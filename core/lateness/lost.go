package lateness

import (
	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/why"
)

// LostTerms decide when something late counts as lost, and what that costs.
type LostTerms struct {
	After        *int // days late; nil: never
	Processing   money.Amount
	RefundWithin int  // days
	KeepLateness bool // what lateness cost until then is charged beside the price
	Currency     money.Currency
}

// LostOn is the day on which a loan due on a date counts as lost: when it has been late for so many
// whole days. False: never.
func (t LostTerms) LostOn(due calendar.Date) (calendar.Date, bool) {
	if t.After == nil {
		return 0, false
	}
	return due.Add(*t.After + 1), true
}

// Bill is the bill for a lost item, part by part.
type Bill struct {
	Price, Processing, Lateness money.Amount
}

// Cost is the bill for a lost item, with its why. Without a known price only the rest is charged.
func (t LostTerms) Cost(price *money.Amount, late Result, lateWhy why.Trace) (Bill, why.Trace) {
	trace := why.New("Lost")
	bill := Bill{Processing: t.Processing}
	if t.After != nil {
		trace = trace.Add(why.Decided, "Late for more than "+calendar.Count(*t.After, "day"))
	}
	if price != nil {
		bill.Price = *price
		trace = trace.Add(why.Sum, "Its price, "+t.Currency.Say(*price))
	} else {
		trace = trace.Add(why.Note, "Its price is not known, so it is not charged")
	}
	if t.Processing > 0 {
		trace = trace.Add(why.Sum, "Processing, "+t.Currency.Say(t.Processing))
	}
	if t.KeepLateness {
		bill.Lateness = late.Fine
		trace = trace.Under(why.Sum, lateWhy)
	} else if late.Fine > 0 {
		trace = trace.Add(why.Note, "Late fines stop and are not charged while the price is charged")
	}
	trace.Result = t.Currency.Say(bill.Price + bill.Processing + bill.Lateness)
	return bill, trace
}

// Credited tells whether the price is credited when a lost item comes back on a day.
func (t LostTerms) Credited(lost, back calendar.Date) bool {
	return back.DaysSince(lost) <= t.RefundWithin
}
