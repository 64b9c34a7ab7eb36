package lateness_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/money"
	"nevrin/core/why"
)

func TestLost(t *testing.T) {
	after := 42
	terms := lateness.LostTerms{
		After:        &after,
		Processing:   400,
		RefundWithin: 60,
		Currency:     money.Currency{Code: "CAD", Digits: 2},
	}
	due := calendar.MakeDate(2026, 8, 1)
	day, ok := terms.LostOn(due)
	assert.True(t, ok)
	assert.Equal(t, calendar.MakeDate(2026, 9, 13), day, "42 whole days late are over at the end of 12 September")
	_, ok = lateness.LostTerms{}.LostOn(due)
	assert.False(t, ok, "without a limit nothing is ever lost")

	price, late := money.Amount(2350), lateness.Result{Late: 36, Charged: 36, Fine: 900}
	for _, c := range []struct {
		name  string
		price *money.Amount
		keep  bool
		want  lateness.Bill
	}{
		{"price and processing, lateness dropped", &price, false, lateness.Bill{Price: 2350, Processing: 400}},
		{"lateness kept", &price, true, lateness.Bill{Price: 2350, Processing: 400, Lateness: 900}},
		{"no known price", nil, false, lateness.Bill{Processing: 400}},
	} {
		terms.KeepLateness = c.keep
		bill, trace := terms.Cost(c.price, late, why.New("Lateness"))
		assert.Equal(t, c.want, bill, c.name)
		assert.Equal(t, terms.Currency.Say(c.want.Price+c.want.Processing+c.want.Lateness), trace.Result, c.name)
	}
	assert.True(t, terms.Credited(day, day+60))
	assert.False(t, terms.Credited(day, day+61))
}
