package money

// pieces are the coins and notes in everyday use of some currencies, the largest first, in minor units. From memory, as the central
// banks name them; notes and coins that are legal but hardly seen are left out.
var pieces = map[string][]Amount{
	"AUD": {10000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10, 5},
	"CAD": {10000, 5000, 2000, 1000, 500, 200, 100, 25, 10, 5},
	"CHF": {20000, 10000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10, 5},
	"DKK": {50000, 20000, 10000, 5000, 2000, 1000, 500, 200, 100, 50},
	"EUR": {20000, 10000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10, 5, 2, 1},
	"GBP": {5000, 2000, 1000, 500, 200, 100, 50, 20, 10, 5, 2, 1},
	"INR": {50000, 20000, 10000, 5000, 2000, 1000, 500, 200, 100},
	"JPY": {10000, 5000, 2000, 1000, 500, 100, 50, 10, 5, 1},
	"NOK": {100000, 50000, 20000, 10000, 5000, 2000, 1000, 500, 100},
	"NZD": {10000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10},
	"SEK": {100000, 50000, 20000, 10000, 5000, 2000, 1000, 500, 200, 100},
	"USD": {10000, 5000, 2000, 1000, 500, 200, 100, 50, 25, 10, 5, 1},
}

// Pieces gives the coins and notes that a drawer is counted in, the largest first. Of a currency whose own are not known it is 1, 2
// and 5 of each power of ten, from the smallest coin to a hundred units.
func (c Currency) Pieces() []Amount {
	if known, ok := pieces[c.Code]; ok {
		return known
	}
	unit := Amount(1)
	for range c.Digits {
		unit *= 10
	}
	var up []Amount
	for power := Amount(1); power <= 100*unit; power *= 10 {
		for _, n := range []Amount{1, 2, 5} {
			if p := n * power; p >= c.Coin && p <= 100*unit {
				up = append(up, p)
			}
		}
	}
	out := make([]Amount, 0, len(up))
	for k := len(up) - 1; k >= 0; k-- {
		out = append(out, up[k])
	}
	return out
}
