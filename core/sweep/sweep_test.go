package sweep_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/sweep"
)

func branch(t require.TestingT) *calendar.Branch {
	loc, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	b := &calendar.Branch{Code: "HVH", Name: "Havenhead", Location: loc}
	for day := time.Tuesday; day <= time.Saturday; day++ {
		b.Weekly[day] = calendar.Day{{From: 600, To: 1080}}
	}
	return b
}

func TestDue(t *testing.T) {
	b := branch(t)
	on := func(month, day int) calendar.Date { return calendar.MakeDate(2026, time.Month(month), day) }
	to := func(month, day int) *calendar.Date { return new(on(month, day)) }
	today := on(10, 6) // a Tuesday
	for name, c := range map[string]struct {
		dates    sweep.Dates
		due, new calendar.Date
	}{
		"to a day":                                 {sweep.Dates{To: to(11, 5)}, on(10, 20), on(11, 5)},
		"to a day before it":                       {sweep.Dates{To: to(10, 10)}, on(10, 20), on(10, 20)},
		"to a day before it, which may be":         {sweep.Dates{To: to(10, 10), Earlier: true}, on(10, 20), on(10, 10)},
		"days later":                               {sweep.Dates{Days: 7}, on(10, 20), on(10, 27)},
		"days earlier":                             {sweep.Dates{Days: -7, Earlier: true}, on(10, 20), on(10, 13)},
		"never into the past":                      {sweep.Dates{Days: -20, Earlier: true}, on(10, 20), on(10, 20)},
		"late, and later by days that are over":    {sweep.Dates{Days: 3}, on(9, 20), on(9, 20)},
		"later, onto a Sunday":                     {sweep.Dates{Days: 5}, on(10, 20), on(10, 25)},
		"later, onto a Sunday, to the next open":   {sweep.Dates{Days: 5, Open: true}, on(10, 20), on(10, 27)},
		"to the next open day alone":               {sweep.Dates{Open: true}, on(10, 25), on(10, 27)},
		"to the next open day where it is open":    {sweep.Dates{Open: true}, on(10, 20), on(10, 20)},
		"to a closed day, and on to the next open": {sweep.Dates{To: to(10, 26), Open: true}, on(10, 20), on(10, 27)},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, loan.OnDate(c.new), c.dates.Due(b, loan.OnDate(c.due), today))
		})
	}
	at := time.Date(2026, 10, 31, 15, 30, 0, 0, b.Location)
	moved := sweep.Dates{Days: 1}.Due(b, loan.AtInstant(at), today)
	assert.Equal(t, time.Date(2026, 11, 1, 15, 30, 0, 0, b.Location), moved.At.In(b.Location), "the clock on the wall, over the end of summer time")
}

// Whatever is asked for: a date that moves is never in the past, moves earlier only where that is allowed, and lands on an open day if asked.
func TestDueKeepsItsWord(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := branch(t)
		today := calendar.MakeDate(2026, 10, 6)
		d := sweep.Dates{Days: rapid.IntRange(-40, 40).Draw(t, "days"), Open: rapid.Bool().Draw(t, "open"), Earlier: rapid.Bool().Draw(t, "earlier")}
		if rapid.Bool().Draw(t, "fixed") {
			d.Days, d.To = 0, new(today.Add(rapid.IntRange(-10, 60).Draw(t, "to")))
		}
		due := loan.OnDate(today.Add(rapid.IntRange(-30, 60).Draw(t, "due")))
		to := d.Due(b, due, today)
		if to == due {
			return
		}
		if to.Date < today || to.Date < due.Date && !d.Earlier || d.Open && !b.OpenOn(to.Date) {
			t.Fatalf("%s moved to %s by %+v", due.Date, to.Date, d)
		}
	})
}

func TestPasses(t *testing.T) {
	on := func(day int) calendar.Date { return calendar.MakeDate(2026, time.October, day) }
	latest := []calendar.Date{on(25), on(20)}
	for name, c := range map[string]struct {
		from, to, first int
	}{
		"up to it":       {10, 20, 0},
		"past the first": {10, 21, 20},
		"from it":        {20, 21, 20},
		"past both":      {10, 30, 20},
		"past it before": {21, 25, 0},
		"and the second": {21, 26, 25},
		"to earlier":     {30, 10, 0},
	} {
		first, passes := sweep.Passes(on(c.from), on(c.to), latest)
		assert.Equal(t, c.first != 0, passes, name)
		if passes {
			assert.Equal(t, on(c.first), first, name)
		}
	}
}

func TestState(t *testing.T) {
	for name, c := range map[string]struct {
		state              sweep.State
		undo, stop, resume bool
	}{
		"done":    {sweep.State{}, true, false, false},
		"working": {sweep.State{Working: true}, false, true, false},
		"stopped": {sweep.State{Working: true, Stopped: true}, true, false, true},
		"undone":  {sweep.State{Undone: true}, false, false, false},
		"undoing": {sweep.State{Working: true, Undone: true}, false, true, false},
	} {
		assert.Equal(t, c.undo, c.state.Undo() == "", name)
		assert.Equal(t, c.stop, c.state.Stop() == "", name)
		assert.Equal(t, c.resume, c.state.Continue() == "", name)
	}
}
