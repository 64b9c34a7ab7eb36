package lateness_test

import (
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
)

// A book due on Tuesday and back on Saturday: four open days late, at 25 cents each.
func ExampleAtReturn() {
	halifax, _ := calendar.ParseLocation("America/Halifax")
	b := &calendar.Branch{Code: "SLM", Name: "Saltmere", Location: halifax}
	for day := time.Tuesday; day <= time.Saturday; day++ {
		b.Weekly[day] = calendar.Day{{From: 10 * 60, To: 18 * 60}}
	}
	terms := lateness.Terms{Rate: 25, Unit: lateness.OpenDay, Currency: money.Currency{Code: "CAD", Digits: 2}}
	back := b.At(calendar.MakeDate(2026, 10, 31), 14*60)
	result, _ := lateness.AtReturn(b, terms, nil, loan.OnDate(calendar.MakeDate(2026, 10, 27)), nil, lateness.Return{At: back})
	fmt.Println(result.Late, "days late,", terms.Currency.Format(result.Fine))
	// Output:
	// 4 days late, 1.00
}
