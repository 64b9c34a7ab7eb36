package ledger_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/ledger"
	"nevrin/core/money"
)

func TestSettle(t *testing.T) {
	open := []ledger.Open{{Charge: 1, Owed: 100}, {Charge: 2, Owed: 50}, {Charge: 3, Owed: 25}}
	cases := []struct {
		name   string
		amount money.Amount
		want   []ledger.Share
		fails  bool
	}{
		{"all", 175, []ledger.Share{{1, 100}, {2, 50}, {3, 25}}, false},
		{"oldest first", 100, []ledger.Share{{1, 100}}, false},
		{"a part leaves the rest", 120, []ledger.Share{{1, 100}, {2, 20}}, false},
		{"more than is owed", 176, nil, true},
		{"nothing", 0, nil, true},
		{"less than nothing", -5, nil, true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got, err := ledger.Settle(open, c.amount, money.Currency{Code: "CAD", Digits: 2})
			assert.Equal(t, c.fails, err != nil)
			assert.Equal(t, c.want, got)
		})
	}
}
