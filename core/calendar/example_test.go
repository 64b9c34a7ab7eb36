package calendar_test

import (
	"fmt"
	"time"

	"nevrin/core/calendar"
)

// A branch that is open from Tuesday to Saturday, and closed for two days in October.
func ExampleBranch_NextOpenDay() {
	halifax, _ := calendar.ParseLocation("America/Halifax")
	b := &calendar.Branch{Code: "SLM", Name: "Saltmere", Location: halifax}
	for day := time.Tuesday; day <= time.Saturday; day++ {
		b.Weekly[day] = calendar.Day{{From: 10 * 60, To: 18 * 60}}
	}
	b.Closures = []calendar.Closure{{From: calendar.MakeDate(2026, 10, 13), To: calendar.MakeDate(2026, 10, 14), Name: "Boiler work"}}
	next, _ := b.NextOpenDay(calendar.MakeDate(2026, 10, 10))
	_, reason := b.DayWithReason(calendar.MakeDate(2026, 10, 13))
	fmt.Println(calendar.UsualStyle.Date(next))
	fmt.Println(reason)
	// Output:
	// Thu 15 Oct 2026
	// Boiler work
}
