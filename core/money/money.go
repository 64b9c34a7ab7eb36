// Package money holds sums of money as whole numbers of a currency's minor unit.
//
// Files and the interface carry decimal texts ("0.25"); nothing is ever a float. How many
// decimals a currency has comes from ISO 4217, as golang.org/x/text carries it.
package money

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/currency"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"nevrin/core/expect"
)

// Amount is a sum in minor units (cents for CAD). The currency is the network's own.
type Amount int64

// most is the largest sum accepted from outside, in minor units; sums of lateness stay exact below it.
const most = 1_000_000_000_000

// Currency is an ISO 4217 code with its number of decimals, and its smallest coin in minor units.
type Currency struct {
	Code   string
	Digits int
	Coin   Amount // what is paid in cash is a multiple of it; 0 and 1: any sum can be
}

// ParseCurrency reads an ISO 4217 code such as "CAD".
func ParseCurrency(code string) (Currency, error) {
	unit, err := currency.ParseISO(code)
	if err != nil || code != strings.ToUpper(code) {
		return Currency{}, expect.Errorf("one of ISO 4217 such as CAD", "%q is not a currency code", code)
	}
	digits, _ := currency.Standard.Rounding(unit)
	return Currency{Code: code, Digits: digits, Coin: coinOf(unit, digits)}, nil
}

// coinOf is the smallest coin of a currency, in minor units, as the CLDR of Unicode has it: CAD and CHF go by 0.05, SEK by 1.00.
func coinOf(unit currency.Unit, digits int) Amount {
	scale, step := currency.Cash.Rounding(unit)
	coin := Amount(step)
	for range digits - scale {
		coin *= 10
	}
	return coin
}

// InCash rounds a sum to what coins can pay, half a coin upwards. More is what the rounding added; negative where it took away.
func (c Currency) InCash(sum Amount) (cash, more Amount) {
	if c.Coin <= 1 {
		return sum, 0
	}
	if sum < 0 {
		cash, more = c.InCash(-sum)
		return -cash, -more
	}
	cash = (sum + c.Coin/2) / c.Coin * c.Coin
	return cash, cash - sum
}

// Change gives the change for cash received. An error where it is too little, or no coins make it.
func (c Currency) Change(cash, laid Amount) (Amount, error) {
	if laid < cash {
		return 0, fmt.Errorf("%s is less than the %s due", c.Say(laid), c.Say(cash))
	}
	if c.Coin > 1 && laid%c.Coin != 0 {
		right := "a sum in coins of " + c.Say(c.Coin)
		return 0, expect.Errorf(right, "%s cannot be paid in cash", c.Say(laid))
	}
	return laid - cash, nil
}

// Parse reads a decimal text such as "0.25" that is not negative.
func (c Currency) Parse(text string) (Amount, error) {
	whole, part, dotted := strings.Cut(text, ".")
	right := fmt.Sprintf("digits with up to %d decimals, such as %q", c.Digits, c.Format(25))
	bad := expect.Errorf(right, "%q is not a sum of money", text)
	if whole == "" || len(whole) > 13 || (dotted && part == "") || len(part) > c.Digits {
		return 0, bad
	}
	part += strings.Repeat("0", c.Digits-len(part))
	var sum int64
	for _, r := range whole + part {
		if r < '0' || r > '9' {
			return 0, bad
		}
		sum = sum*10 + int64(r-'0')
	}
	if sum > most {
		return 0, fmt.Errorf("%q is more than the largest sum accepted, %s", text, c.Say(most))
	}
	return Amount(sum), nil
}

// Say writes the sum as people read it, with the currency's sign and thousands apart: "$1,234.50", "¥250", "KWD 2.500". A sign that
// ends in a letter stands apart, by a space that no line is broken at, as the CLDR of Unicode has it for English.
func (c Currency) Say(a Amount) string {
	minus := ""
	if a < 0 {
		minus, a = "-", -a
	}
	sign := c.Sign()
	if last, _ := utf8.DecodeLastRuneInString(sign); unicode.IsLetter(last) {
		sign += "\u00a0"
	}
	whole, part, _ := strings.Cut(c.Format(a), ".")
	for k := len(whole) - 3; k > 0; k -= 3 {
		whole = whole[:k] + "," + whole[k:]
	}
	if part != "" {
		part = "." + part
	}
	return minus + sign + whole + part
}

// Sign gives the currency's sign, or its code if it has none.
func (c Currency) Sign() string {
	unit, err := currency.ParseISO(c.Code)
	if err != nil {
		return c.Code
	}
	return english.Sprint(currency.NarrowSymbol(unit))
}

var english = message.NewPrinter(language.English)

// Format writes the sum as a decimal text without a currency sign, as files and fields have it.
func (c Currency) Format(a Amount) string {
	sign := ""
	if a < 0 {
		sign, a = "-", -a
	}
	if c.Digits == 0 {
		return fmt.Sprintf("%s%d", sign, int64(a))
	}
	unit := int64(1)
	for range c.Digits {
		unit *= 10
	}
	return fmt.Sprintf("%s%d.%0*d", sign, int64(a)/unit, c.Digits, int64(a)%unit)
}
