package ledger_test

import (
	"testing"

	"pgregory.net/rapid"

	"nevrin/core/ledger"
	"nevrin/core/money"
)

// Whatever is owed and paid: shares come to the sum, go to the oldest first, and settle nothing by more than it is.
func TestSharesAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var open []ledger.Open
		var owed money.Amount
		for k := range rapid.IntRange(0, 8).Draw(t, "charges") {
			o := ledger.Open{Charge: int64(k + 1), Owed: money.Amount(rapid.IntRange(0, 500).Draw(t, "owed"))}
			open = append(open, o)
			owed += o.Owed
		}
		amount := money.Amount(rapid.IntRange(-10, 3000).Draw(t, "paid"))
		shares, err := ledger.Settle(open, amount, money.Currency{Code: "CAD", Digits: 2})
		if (err != nil) != (amount <= 0 || amount > owed) {
			t.Fatalf("paying %d of %d: %v", amount, owed, err)
		}
		if err != nil {
			return
		}
		var sum money.Amount
		for k, s := range shares {
			sum += s.Amount
			of := open[s.Charge-1].Owed
			if s.Amount <= 0 || s.Amount > of || k < len(shares)-1 && s.Amount != of {
				t.Fatalf("share %d of charge %d is %d of %d", k, s.Charge, s.Amount, of)
			}
		}
		if sum != amount {
			t.Fatalf("shares come to %d, paid %d", sum, amount)
		}
	})
}
