package money_test

import (
	"encoding/json"
	"os"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/money"
)

// Since 2013 the mint makes no cent: cash comes to the nearest five, 1 and 2 down, 3 and 4 up. Source: the Royal Canadian Mint's
// and the Government of Canada's table "Rounding" of the phasing out of the penny (from memory).
func TestCashOfCAD(t *testing.T) {
	cad, err := money.ParseCurrency("CAD")
	require.NoError(t, err)
	for sum, cash := range map[money.Amount]money.Amount{
		100: 100, 101: 100, 102: 100, 103: 105, 104: 105, 105: 105, 106: 105, 107: 105, 108: 110, 109: 110,
		1: 0, 2: 0, 3: 5, 352: 350, -352: -350, -353: -355,
	} {
		got, more := cad.InCash(sum)
		assert.Equal(t, cash, got, sum)
		assert.Equal(t, cash-sum, more, sum)
	}
}

// The table by which the front end, too, says what a sum comes to before it is paid (web/src/circulation/coins.test.ts).
func TestCashByTheSharedTable(t *testing.T) {
	data, err := os.ReadFile("testdata/coins.json")
	require.NoError(t, err)
	var cases []struct{ Coin, Sum, Cash money.Amount }
	require.NoError(t, json.Unmarshal(data, &cases))
	require.NotEmpty(t, cases)
	for _, c := range cases {
		cash, _ := money.Currency{Code: "CAD", Digits: 2, Coin: c.Coin}.InCash(c.Sum)
		assert.Equal(t, c.Cash, cash, "%d in coins of %d", c.Sum, c.Coin)
	}
}

// The smallest coins of other currencies, as their mints have them (from memory).
func TestSmallestCoins(t *testing.T) {
	for code, coin := range map[string]money.Amount{"CAD": 5, "CHF": 5, "SEK": 100, "EUR": 1, "USD": 1, "JPY": 1} {
		c, err := money.ParseCurrency(code)
		require.NoError(t, err)
		assert.Equal(t, coin, c.Coin, code)
	}
}

func TestChange(t *testing.T) {
	cad, err := money.ParseCurrency("CAD")
	require.NoError(t, err)
	back, err := cad.Change(350, 500)
	require.NoError(t, err)
	assert.Equal(t, money.Amount(150), back)
	_, err = cad.Change(350, 345)
	require.ErrorContains(t, err, "$3.45 is less than the $3.50 due")
	_, err = cad.Change(350, 502)
	require.ErrorContains(t, err, "$5.02 cannot be paid in cash; expected a sum in coins of $0.05")
}

// However much is owed: cash is a multiple of the coin, never further than half a coin away, and the same both ways.
func TestCashIsNear(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := money.Currency{Code: "CAD", Digits: 2, Coin: money.Amount(rapid.SampledFrom([]int{1, 5, 10, 100}).Draw(t, "coin"))}
		sum := money.Amount(rapid.Int64Range(-100_000, 100_000).Draw(t, "sum"))
		cash, more := c.InCash(sum)
		back, backMore := c.InCash(-sum)
		if cash-sum != more || cash%c.Coin != 0 || 2*max(more, -more) > c.Coin || back != -cash || backMore != -more {
			t.Fatalf("%d comes to %d in coins of %d", sum, cash, c.Coin)
		}
	})
}

// Digits and decimals of ISO 4217: two for the dollar, none for the yen, three for the dinar of Bahrain.
func TestSumsAsText(t *testing.T) {
	for _, c := range []struct {
		code, text string
		sum        money.Amount
		wrong      string
	}{
		{"CAD", "0.25", 25, ""}, {"CAD", "12", 1200, ""}, {"CAD", "12.5", 1250, ""}, {"CAD", "0", 0, ""},
		{"JPY", "12", 12, ""}, {"BHD", "1.234", 1234, ""}, {"BHD", "1.2", 1200, ""},
		{"CAD", "1.234", 0, "up to 2 decimals"}, {"JPY", "1.5", 0, "up to 0 decimals"}, {"CAD", "", 0, "not a sum of money"},
		{"CAD", "1.", 0, "not a sum of money"}, {"CAD", ".5", 0, "not a sum of money"}, {"CAD", "-1.00", 0, "not a sum of money"},
		{"CAD", "1,50", 0, "not a sum of money"}, {"CAD", "1e3", 0, "not a sum of money"}, {"CAD", "١", 0, "not a sum of money"},
		{"CAD", "10000000000.00", 1_000_000_000_000, ""}, {"CAD", "10000000000.01", 0, "more than the largest sum"},
		{"CAD", "99999999999999", 0, "not a sum of money"},
	} {
		currency, err := money.ParseCurrency(c.code)
		require.NoError(t, err)
		sum, err := currency.Parse(c.text)
		if c.wrong != "" {
			assert.ErrorContains(t, err, c.wrong, c.text)
			continue
		}
		require.NoError(t, err, c.text)
		assert.Equal(t, c.sum, sum, c.text)
		again, err := currency.Parse(currency.Format(sum))
		require.NoError(t, err)
		assert.Equal(t, sum, again)
	}
	for code, texts := range map[string][2]string{"CAD": {"-0.05", "12.30"}, "JPY": {"-5", "1230"}, "BHD": {"-0.005", "1.230"}} {
		currency, err := money.ParseCurrency(code)
		require.NoError(t, err)
		assert.Equal(t, texts, [2]string{currency.Format(-5), currency.Format(1230)})
	}
	// As Intl.NumberFormat says them for "en" with narrow signs, which has the same source, the CLDR of Unicode.
	for code, texts := range map[string][2]string{
		"CAD": {"$1,234.50", "-$0.05"}, "EUR": {"€1,234.50", "-€0.05"}, "JPY": {"¥123,450", "-¥5"}, "INR": {"₹1,234.50", "-₹0.05"},
		"KWD": {"KWD\u00a0123.450", "-KWD\u00a00.005"}, "CHF": {"CHF\u00a01,234.50", "-CHF\u00a00.05"},
		"SEK": {"kr\u00a01,234.50", "-kr\u00a00.05"}, "PLN": {"zł\u00a01,234.50", "-zł\u00a00.05"},
	} {
		currency, err := money.ParseCurrency(code)
		require.NoError(t, err)
		assert.Equal(t, texts, [2]string{currency.Say(123450), currency.Say(-5)})
	}
	for _, code := range []string{"", "cad", "XX", "DOLLAR"} {
		_, err := money.ParseCurrency(code)
		assert.ErrorContains(t, err, "ISO 4217", code)
	}
}

// The pieces of a drawer are whole coins, the largest first, none smaller than the smallest coin there is. What CLDR does not say (AUD
// and NZD have no cents, INR hardly any paise) is as the mints have it, from memory.
func TestPiecesOfADrawer(t *testing.T) {
	for _, code := range []string{"AUD", "CAD", "CHF", "DKK", "EUR", "GBP", "INR", "JPY", "NOK", "NZD", "SEK", "USD", "PLN", "ISK", "BHD"} {
		c, err := money.ParseCurrency(code)
		require.NoError(t, err)
		all := c.Pieces()
		require.NotEmpty(t, all, code)
		if smallest, ok := map[string]money.Amount{"AUD": 5, "NZD": 10, "INR": 100}[code]; ok {
			assert.Equal(t, smallest, all[len(all)-1], code)
		} else {
			assert.Equal(t, max(c.Coin, 1), all[len(all)-1], "the smallest piece of %s", code)
		}
		for k, p := range all {
			assert.Zero(t, p%max(c.Coin, 1), "%s of %s", c.Format(p), code)
			assert.True(t, k == 0 || p < all[k-1], "%s of %s", c.Format(p), code)
		}
	}
	pln, err := money.ParseCurrency("PLN")
	require.NoError(t, err)
	assert.Equal(t, []money.Amount{10000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10, 5, 2, 1}, pln.Pieces(),
		"1, 2 and 5 of each power, as the złoty has them up to 100 (from memory)")
}

// Many stations are told of sums at once. The race detector looks.
func TestSumsAreSaidByManyAtOnce(t *testing.T) {
	cad, err := money.ParseCurrency("CAD")
	require.NoError(t, err)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for k := range money.Amount(200) {
				assert.Equal(t, "$"+cad.Format(k), cad.Say(k))
			}
		})
	}
	all.Wait()
}
