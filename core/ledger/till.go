package ledger

import (
	"fmt"
	"strings"

	"nevrin/core/money"
)

// Drawer is the content of a cash drawer, by method of payment.
type Drawer struct {
	Cash   money.Amount `json:"cash"`
	Card   money.Amount `json:"card"`
	Cheque money.Amount `json:"cheque"`
}

// Add puts a sum of a means into the drawer; less than nothing takes it out.
func (d *Drawer) Add(by Means, sum money.Amount) {
	switch by {
	case Cash:
		d.Cash += sum
	case Card:
		d.Card += sum
	case Cheque:
		d.Cheque += sum
	}
}

// Less gives the difference between two drawers.
func (d Drawer) Less(o Drawer) Drawer {
	return Drawer{d.Cash - o.Cash, d.Card - o.Card, d.Cheque - o.Cheque}
}

// Counted tells what stands in the way of closing a drawer as it was counted; nil: nothing. A difference is explained in a
// sentence by who counted. Who counts blind is not told how much it is, or they could count until it fits.
func Counted(due, counted Drawer, says string, blind bool, c money.Currency) error {
	if counted.Cash < 0 {
		return fmt.Errorf("a till cannot hold less than zero cash")
	}
	if c.Coin > 1 && counted.Cash%c.Coin != 0 {
		return fmt.Errorf("%s in cash cannot be counted in coins of %s", c.Say(counted.Cash), c.Say(c.Coin))
	}
	over := counted.Less(due)
	if over == (Drawer{}) || strings.TrimSpace(says) != "" {
		return nil
	}
	if blind {
		return fmt.Errorf("the count differs from the expected amount: count again, or explain the difference")
	}
	return fmt.Errorf("%s: explain the difference", Difference(over, c))
}

// Difference says by how much a counted drawer is over or short, by means; empty where it is right.
func Difference(over Drawer, c money.Currency) string {
	var parts []string
	for _, m := range []struct {
		name string
		sum  money.Amount
	}{{"cash", over.Cash}, {"cards", over.Card}, {"cheques", over.Cheque}} {
		switch {
		case m.sum > 0:
			parts = append(parts, c.Say(m.sum)+" too much in "+m.name)
		case m.sum < 0:
			parts = append(parts, c.Say(-m.sum)+" too little in "+m.name)
		}
	}
	return strings.Join(parts, ", ")
}
