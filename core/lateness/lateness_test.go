package lateness_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
)

func saltmere(t *testing.T) *calendar.Branch {
	t.Helper()
	halifax, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	b := &calendar.Branch{
		Code: "SLM", Name: "Saltmere", Location: halifax, Openings: map[calendar.Date]calendar.Opening{},
		Closures: []calendar.Closure{{From: on(11, 4), To: on(11, 5), Name: "Works"}},
	}
	for day := time.Tuesday; day <= time.Saturday; day++ {
		b.Weekly[day] = calendar.Day{{From: 10 * 60, To: 18 * 60}}
	}
	return b
}

func on(month time.Month, day int) calendar.Date { return calendar.MakeDate(2026, month, day) }

// A book due on Tuesday 27 October, or a laptop due that day at 15:00. Open days after it: 28, 29, 30, 31 October, 3, 6, 7 November; 4 and 5
// November are closed. The clocks go back on 1 November.
func TestWhatLatenessCosts(t *testing.T) {
	b := saltmere(t)
	day, hour := loan.OnDate(on(10, 27)), loan.AtInstant(b.At(on(10, 27), 15*60))
	cad := money.Currency{Code: "CAD", Digits: 2}
	limit, price := money.Amount(200), money.Amount(120)
	for name, c := range map[string]struct {
		terms   lateness.Terms
		due     loan.Due
		back    time.Time
		renewed *time.Time
		counted func(*lateness.Return)
		want    lateness.Result
	}{
		"on the day":                    {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(10, 27), 20*60), nil, nil, lateness.Result{}},
		"four open days":                {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(10, 31), 600), nil, nil, lateness.Result{Late: 4, Charged: 4, Fine: 100}},
		"closed days are not counted":   {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(11, 6), 600), nil, nil, lateness.Result{Late: 6, Charged: 6, Fine: 150}},
		"ten calendar days":             {lateness.Terms{Rate: 10, Unit: lateness.CalendarDay}, day, b.At(on(11, 6), 600), nil, nil, lateness.Result{Late: 10, Charged: 10, Fine: 100}},
		"within the grace":              {lateness.Terms{Rate: 25, Unit: lateness.OpenDay, Grace: 4}, day, b.At(on(10, 31), 600), nil, nil, lateness.Result{Late: 4}},
		"past the grace, all counts":    {lateness.Terms{Rate: 25, Unit: lateness.OpenDay, Grace: 3}, day, b.At(on(10, 31), 600), nil, nil, lateness.Result{Late: 4, Charged: 4, Fine: 100}},
		"past the grace, which stays":   {lateness.Terms{Rate: 25, Unit: lateness.OpenDay, Grace: 3, GraceStays: true}, day, b.At(on(10, 31), 600), nil, nil, lateness.Result{Late: 4, Charged: 1, Fine: 25}},
		"two of four let off":           {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(10, 31), 600), nil, func(r *lateness.Return) { r.DaysLetOff = 2 }, lateness.Result{Late: 4, Charged: 2, Fine: 50}},
		"more let off than there are":   {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(10, 31), 600), nil, func(r *lateness.Return) { r.DaysLetOff = 9 }, lateness.Result{Late: 4}},
		"let off first, then the grace": {lateness.Terms{Rate: 25, Unit: lateness.OpenDay, Grace: 2}, day, b.At(on(10, 31), 600), nil, func(r *lateness.Return) { r.DaysLetOff = 2 }, lateness.Result{Late: 4}},
		"at most the limit":             {lateness.Terms{Rate: 100, Unit: lateness.OpenDay, Limit: &limit}, day, b.At(on(10, 31), 600), nil, nil, lateness.Result{Late: 4, Charged: 4, Fine: 200}},
		"at most the price":             {lateness.Terms{Rate: 100, Unit: lateness.OpenDay, Limit: &limit, UpToPrice: true}, day, b.At(on(10, 31), 600), nil, nil, lateness.Result{Late: 4, Charged: 4, Fine: 120}},
		"counted as a date":             {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(11, 6), 600), nil, func(r *lateness.Return) { r.CountedDate = new(on(10, 28)) }, lateness.Result{Late: 1, Charged: 1, Fine: 25}},
		"never counted as later":        {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(10, 28), 600), nil, func(r *lateness.Return) { r.CountedDate, r.CountedAt = new(on(11, 6)), new(b.At(on(11, 6), 600)) }, lateness.Result{Late: 1, Charged: 1, Fine: 25}},
		"counted as an instant":         {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(11, 6), 600), nil, func(r *lateness.Return) { r.CountedAt = new(b.At(on(10, 29), 600)) }, lateness.Result{Late: 2, Charged: 2, Fine: 50}},
		"after a renewal only from it":  {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(10, 31), 600), new(b.At(on(10, 30), 700)), nil, lateness.Result{Late: 1, Charged: 1, Fine: 25}},
		"a renewal before it was due":   {lateness.Terms{Rate: 25, Unit: lateness.OpenDay}, day, b.At(on(10, 31), 600), new(b.At(on(10, 20), 700)), nil, lateness.Result{Late: 4, Charged: 4, Fine: 100}},
		"an hour and a minute, open":    {lateness.Terms{Rate: 200, Unit: lateness.OpenHour}, hour, b.At(on(10, 27), 16*60+1), nil, nil, lateness.Result{Late: 2, Charged: 2, Fine: 400}},
		"overnight, open hours":         {lateness.Terms{Rate: 200, Unit: lateness.OpenHour}, hour, b.At(on(10, 28), 11*60), nil, nil, lateness.Result{Late: 4, Charged: 4, Fine: 800}}, // 15 to 18, 10 to 11
		"overnight, by the clock":       {lateness.Terms{Rate: 5, Unit: lateness.ClockHour}, hour, b.At(on(10, 28), 11*60), nil, nil, lateness.Result{Late: 20, Charged: 20, Fine: 100}},
		"by the clock, as it goes back": {lateness.Terms{Rate: 5, Unit: lateness.ClockHour}, loan.AtInstant(b.At(on(10, 31), 12*60)), b.At(on(11, 1), 12*60), nil, nil, lateness.Result{Late: 25, Charged: 25, Fine: 125}},
		"just in time":                  {lateness.Terms{Rate: 200, Unit: lateness.OpenHour}, hour, b.At(on(10, 27), 15*60), nil, nil, lateness.Result{}},
		"days are not let off of hours": {lateness.Terms{Rate: 5, Unit: lateness.ClockHour}, hour, b.At(on(10, 27), 17*60), nil, func(r *lateness.Return) { r.DaysLetOff = 1 }, lateness.Result{Late: 2, Charged: 2, Fine: 10}},
	} {
		t.Run(name, func(t *testing.T) {
			c.terms.Currency = cad
			r := lateness.Return{At: c.back}
			if c.counted != nil {
				c.counted(&r)
			}
			got, trace := lateness.AtReturn(b, c.terms, &price, c.due, c.renewed, r)
			assert.Equal(t, c.want, got)
			switch {
			case got.Late == 0:
				assert.Equal(t, "Not late", trace.Result)
			case got.Charged == 0:
				assert.Contains(t, trace.Result, "nothing charged")
			default:
				assert.Contains(t, trace.Result, "late, "+cad.Say(got.Fine))
			}
			if c.counted == nil {
				assert.Equal(t, got, lateness.NewCounter().AtReturn(b, c.terms, &price, c.due, c.renewed, c.back), "without its why")
			}
		})
	}
}

// A late renewal settles the stretch up to it; what comes after counts anew, with a grace of its own.
func TestALateRenewalSettles(t *testing.T) {
	b := saltmere(t)
	terms := lateness.Terms{Rate: 25, Unit: lateness.OpenDay, Currency: money.Currency{Code: "CAD", Digits: 2}}
	renewed := b.At(on(10, 30), 12*60)
	first, trace := lateness.AtRenewal(b, terms, nil, loan.OnDate(on(10, 27)), renewed)
	assert.Equal(t, lateness.Result{Late: 3, Charged: 3, Fine: 75}, first)
	assert.Equal(t, "3 open days late, $0.75", trace.Result)
	counter := lateness.NewCounter()
	assert.Equal(t, first, counter.AtRenewal(b, terms, nil, loan.OnDate(on(10, 27)), renewed))
	assert.Equal(t, first, counter.AtRenewal(b, terms, nil, loan.OnDate(on(10, 27)), renewed), "what was counted before is known")
	then, _ := lateness.AtReturn(b, terms, nil, loan.OnDate(on(11, 20)), &renewed, lateness.Return{At: b.At(on(11, 21), 600)})
	assert.Equal(t, lateness.Result{Late: 4, Charged: 4, Fine: 100}, first.Add(then))
	early, _ := lateness.AtRenewal(b, terms, nil, loan.OnDate(on(10, 27)), b.At(on(10, 20), 600))
	assert.Zero(t, early)
}

func TestALongStretchIsToldInShort(t *testing.T) {
	b := saltmere(t)
	_, trace := lateness.AtReturn(b, lateness.Terms{Rate: 1, Unit: lateness.CalendarDay, Currency: money.Currency{Code: "CAD", Digits: 2}},
		nil, loan.OnDate(on(1, 6)), nil, lateness.Return{At: b.At(on(12, 1), 600)})
	assert.Less(t, len(trace.Steps[1].Text), 500)
	assert.Contains(t, trace.Steps[1].Text, "329 counted: Wed 7 Jan, ")
	assert.Contains(t, trace.Steps[1].Text, "… Tue 1 Dec")
}
