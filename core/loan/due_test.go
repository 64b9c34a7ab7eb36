package loan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/loan"
)

// open is a branch that is open from Tuesday to Saturday, 10 to 18, but for 13 and 14 October 2026, a Tuesday and a Wednesday.
func open(t *testing.T) *calendar.Branch {
	t.Helper()
	halifax, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	b := &calendar.Branch{
		Code: "SLM", Name: "Saltmere", Location: halifax, Openings: map[calendar.Date]calendar.Opening{},
		Closures: []calendar.Closure{{From: on(10, 13), To: on(10, 14), Name: "Boiler work"}},
	}
	for day := time.Tuesday; day <= time.Saturday; day++ {
		b.Weekly[day] = calendar.Day{{From: 10 * 60, To: 18 * 60}}
	}
	return b
}

func on(month time.Month, day int) calendar.Date { return calendar.MakeDate(2026, month, day) }

func days(n int) calendar.Duration             { return calendar.Duration{Days: n} }
func minutes(n int) calendar.Duration          { return calendar.Duration{Minutes: n} }
func dates(d ...calendar.Date) []calendar.Date { return d }

// Everything is lent on Tuesday 6 October 2026 at noon.
func TestWhenItIsDue(t *testing.T) {
	b := open(t)
	never := &calendar.Branch{Code: "X", Name: "Nowhere", Location: b.Location}
	for name, c := range map[string]struct {
		terms loan.Terms
		at    *calendar.Branch
		lent  int // minutes of the day; 0: noon
		due   string
	}{
		"21 days, a Tuesday":                       {terms: loan.Terms{Period: days(21)}, due: "2026-10-27"},
		"7 days, closed, so the next open day":     {terms: loan.Terms{Period: days(7), ClosedDay: loan.Next}, due: "2026-10-15"},
		"7 days, closed, so the one before":        {terms: loan.Terms{Period: days(7), ClosedDay: loan.Previous}, due: "2026-10-10"},
		"7 days, closed, and kept":                 {terms: loan.Terms{Period: days(7), ClosedDay: loan.Keep}, due: "2026-10-13"},
		"Sunday, and before the loan no open day":  {terms: loan.Terms{Period: days(1), ClosedDay: loan.Previous}, at: onlyTuesday(b), due: "2026-10-13"},
		"never after a latest date":                {terms: loan.Terms{Period: days(21), LatestDue: dates(on(10, 16))}, due: "2026-10-16"},
		"the latest date is closed":                {terms: loan.Terms{Period: days(21), LatestDue: dates(on(10, 14))}, due: "2026-10-10"},
		"closed and kept, latest date or not":      {terms: loan.Terms{Period: days(21), LatestDue: dates(on(10, 14)), ClosedDay: loan.Keep}, due: "2026-10-14"},
		"the next open day is after the latest":    {terms: loan.Terms{Period: days(7), LatestDue: dates(on(10, 14)), ClosedDay: loan.Next}, due: "2026-10-10"},
		"a latest date of the past is none":        {terms: loan.Terms{Period: days(21), LatestDue: dates(on(10, 6), on(9, 1))}, due: "2026-10-27"},
		"the first of several latest dates":        {terms: loan.Terms{Period: days(21), LatestDue: dates(on(12, 18), on(10, 20))}, due: "2026-10-20"},
		"no open day for years":                    {terms: loan.Terms{Period: days(21), ClosedDay: loan.Next}, at: never, due: "2026-10-27"},
		"three hours":                              {terms: loan.Terms{Period: minutes(180)}, due: "2026-10-06T15:00:00-03:00"},
		"until closing, to the minute":             {terms: loan.Terms{Period: minutes(180)}, lent: 15 * 60, due: "2026-10-06T18:00:00-03:00"},
		"past closing, so that closing":            {terms: loan.Terms{Period: minutes(180), ClosedDay: loan.Previous}, lent: 16 * 60, due: "2026-10-06T18:00:00-03:00"},
		"past closing, so the next opening":        {terms: loan.Terms{Period: minutes(180), ClosedDay: loan.Next}, lent: 16 * 60, due: "2026-10-07T10:00:00-03:00"},
		"past closing, and kept":                   {terms: loan.Terms{Period: minutes(180), ClosedDay: loan.Keep}, lent: 16 * 60, due: "2026-10-06T19:00:00-03:00"},
		"lent after closing, so no closing before": {terms: loan.Terms{Period: minutes(60), ClosedDay: loan.Previous}, lent: 19 * 60, due: "2026-10-07T10:00:00-03:00"},
		"by the hour, where it never opens":        {terms: loan.Terms{Period: minutes(60), ClosedDay: loan.Next}, at: never, due: "2026-10-06T13:00:00-03:00"},
	} {
		at := b
		if c.at != nil {
			at = c.at
		}
		if c.lent == 0 {
			c.lent = 12 * 60
		}
		due, trace := loan.Lend(at, c.terms, b.At(on(10, 6), calendar.Minute(c.lent)))
		assert.Equal(t, c.due, due.Print(at), name)
		assert.Equal(t, due.Say(at), trace.Result, name)
	}
}

func onlyTuesday(b *calendar.Branch) *calendar.Branch {
	out := *b
	out.Weekly = [7]calendar.Day{time.Tuesday: {{From: 600, To: 1080}}}
	out.Closures = nil
	return &out
}

// A loan of 21 days that is due on Tuesday 27 October.
func TestWhenARenewedLoanIsDue(t *testing.T) {
	b := open(t)
	for name, c := range map[string]struct {
		terms   loan.Terms
		present loan.Due
		renewed calendar.Date
		due     string
	}{
		"from today":                             {loan.Terms{Period: days(21)}, loan.OnDate(on(10, 27)), on(10, 20), "2026-11-10"},
		"from when it was due":                   {loan.Terms{Period: days(21), RenewFromDue: true}, loan.OnDate(on(10, 27)), on(10, 20), "2026-11-17"},
		"never shorter":                          {loan.Terms{Period: days(7)}, loan.OnDate(on(10, 27)), on(10, 16), "2026-10-27"},
		"latest dates count from today, not due": {loan.Terms{Period: days(21), RenewFromDue: true, LatestDue: dates(on(10, 30))}, loan.OnDate(on(10, 27)), on(10, 20), "2026-10-30"},
		"by the hour, from when it was due":      {loan.Terms{Period: minutes(120), RenewFromDue: true}, loan.AtInstant(b.At(on(10, 20), 14*60)), on(10, 20), "2026-10-20T16:00:00-03:00"},
		"by the hour, from now":                  {loan.Terms{Period: minutes(180)}, loan.AtInstant(b.At(on(10, 20), 14*60)), on(10, 20), "2026-10-20T15:00:00-03:00"},
	} {
		due, trace := loan.Renew(b, c.terms, c.present, b.At(c.renewed, 12*60))
		assert.Equal(t, c.due, due.Print(b), name)
		assert.Equal(t, due.Say(b), trace.Result, name)
	}
}

func TestDue(t *testing.T) {
	b := open(t)
	day, hour := loan.OnDate(on(10, 27)), loan.AtInstant(b.At(on(10, 27), 15*60))
	assert.Equal(t, b.At(on(10, 28), 0), day.End(b), "a day is over at midnight")
	assert.Equal(t, b.At(on(10, 27), 15*60), hour.End(b))
	assert.Equal(t, []calendar.Date{on(10, 27), on(10, 27)}, []calendar.Date{day.Day(b), hour.Day(b)})
	assert.False(t, day.Late(b, b.At(on(10, 27), 23*60)))
	assert.True(t, day.Late(b, b.At(on(10, 28), 1)))
	assert.False(t, hour.Late(b, b.At(on(10, 27), 15*60)))
	assert.True(t, hour.Late(b, b.At(on(10, 27), 15*60).Add(time.Second)))
	assert.True(t, hour.Sooner(b, day))
	assert.False(t, day.Sooner(b, hour))
	assert.False(t, day.Sooner(b, day))
	assert.True(t, day.Same(loan.OnDate(on(10, 27))))
	assert.False(t, day.Same(hour))
	assert.Equal(t, []string{"Tue 27 Oct 2026", "Tue 27 Oct 2026, 15:00"}, []string{day.Say(b), hour.Say(b)})
	now := b.At(on(10, 27), 16*60)
	assert.True(t, day.StillOpen(b, now), "two hours are left of it")
	assert.False(t, day.StillOpen(b, b.At(on(10, 27), 18*60)))
	assert.True(t, hour.StillOpen(b, now))
	assert.False(t, loan.OnDate(on(10, 13)).StillOpen(b, b.At(on(10, 6), 600)))
}

func TestWhatIsAskedBefore(t *testing.T) {
	b := open(t)
	now := b.At(on(10, 6), 17*60+30)
	due := func(minutes int) loan.Due { return loan.AtInstant(now.Add(time.Duration(minutes) * time.Minute)) }
	assert.Nil(t, loan.DueSoon(due(31), b, now))
	assert.Equal(t, &loan.Stop{Kind: loan.Soon, Text: "Due back in 30 minutes, at 18:00. Lend it?"}, loan.DueSoon(due(30), b, now))
	assert.Nil(t, loan.DueSoon(loan.OnDate(on(10, 6)), b, b.At(on(10, 6), 23*60+50)), "days are not asked about")
	assert.Nil(t, loan.Earlier(0, 0, calendar.UsualStyle))
	assert.Equal(t, "Has borrowed this title once before, last returned on Tue 6 Oct 2026.", loan.Earlier(1, on(10, 6), calendar.UsualStyle).Text)
	assert.Equal(t, "Has borrowed this title 3 times before, last returned on Tue 6 Oct 2026.", loan.Earlier(3, on(10, 6), calendar.UsualStyle).Text)
	assert.Nil(t, loan.Note(""))
	assert.Equal(t, "Note: “Torn”", loan.Note("Torn").Text)
	assert.Nil(t, loan.Parts(1, "", 0))
	assert.Nil(t, loan.Parts(4, "", 4), "the pad has counted them")
	assert.Equal(t, "It has 4 parts to count: 3 discs and a book. Are they all there?", loan.Parts(4, "3 discs and a book.", 0).Text)
	assert.Equal(t, "The pad has counted 3, and it has 4 parts. Are they all there?", loan.Parts(4, "", 3).Text)
	for _, kind := range loan.StopKinds {
		asks := kind == loan.Soon || kind == loan.HadBefore || kind == loan.Noted || kind == loan.PartsToCount
		assert.Equal(t, !asks, kind.NeedsReason(), kind)
	}
	for standing, waits := range map[loan.Status]bool{loan.Active: true, loan.Inactive: true, loan.Excluded: false} {
		assert.Equal(t, waits, standing.MayWait(), standing)
	}
}

func TestSchoolYears(t *testing.T) {
	for text, want := range map[string]*int{"7": new(7), "7b": new(7), "10 A": new(10), "": nil, "b7": nil, "99999999999999999999": nil} {
		assert.Equal(t, want, loan.YearOf(text), text)
	}
}

// What a bin holds came while the branch was closed: emptied on Tuesday 20 October it counts as Saturday the 17th.
func TestWhatReturnsCountAs(t *testing.T) {
	b := open(t)
	assert.Equal(t, new(on(10, 17)), loan.BinCountsAs(b, on(10, 20), false))
	assert.Nil(t, loan.BinCountsAs(b, on(10, 20), true), "emptied again, it counts as now")
	assert.Equal(t, new(on(10, 10)), loan.BinCountsAs(b, on(10, 15), false), "the boiler work lies between")
	assert.Nil(t, loan.BinCountsAs(&calendar.Branch{Location: b.Location}, on(10, 20), false), "a branch that is never open")
	for _, c := range []struct {
		bin          bool
		begun, today calendar.Date
		over         bool
	}{{true, on(10, 6), on(10, 6), false}, {true, on(10, 6), on(10, 7), true}, {false, on(10, 6), on(10, 7), false}} {
		assert.Equal(t, c.over, loan.RunIsOver(c.bin, c.begun, c.today), "%+v", c)
	}
	for _, c := range []struct {
		as   calendar.Date
		back *int
		may  bool
	}{
		{on(10, 17), new(0), true}, {on(10, 16), new(0), false}, {on(10, 14), new(3), true}, {on(10, 13), new(3), false}, {on(1, 2), nil, true},
	} {
		_, may := loan.MayCountAs(b, on(10, 20), c.as, c.back)
		assert.Equal(t, c.may, may, "%+v", c)
	}
	first, _ := loan.MayCountAs(&calendar.Branch{Location: b.Location}, on(10, 20), on(10, 20), new(2))
	assert.Equal(t, on(10, 18), first, "never open: from today")
}
