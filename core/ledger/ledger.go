// Package ledger decides what a payment or waiver settles.
//
// Every movement of money on an account is an entry that is never changed or deleted: charges are
// positive, payments and waivers negative and each tied to the charge it settles. A payment goes to
// the oldest charge first unless the payer says which; part payments leave the rest.
package ledger

import (
	"fmt"

	"nevrin/core/money"
)

// Open is a charge that is not settled, with what is still owed of it.
type Open struct {
	Charge int64
	Owed   money.Amount
}

// Share is the part of a payment that goes to one charge.
type Share struct {
	Charge int64
	Amount money.Amount
}

// Settle spreads a payment or waiver over open charges in their order, oldest first. It is an error
// to settle nothing, or more than is owed.
func Settle(open []Open, amount money.Amount, currency money.Currency) ([]Share, error) {
	if amount <= 0 {
		return nil, fmt.Errorf("the sum must be more than nothing")
	}
	left := amount
	var shares []Share
	for _, o := range open {
		if part := min(left, o.Owed); part > 0 {
			shares = append(shares, Share{o.Charge, part})
			left -= part
		}
	}
	if left > 0 {
		return nil, fmt.Errorf("%s is more than the %s that is owed", currency.Say(amount), currency.Say(amount-left))
	}
	return shares, nil
}

// Billed is a charge with what has been done about it.
type Billed struct {
	Charge       int64
	Amount       money.Amount
	Paid, Waived money.Amount // waivers and corrections, both given as sums of more than nothing
}

// Credit cancels a charge: it corrects what was not waived, and refunds what was paid.
type Credit struct {
	Charge          int64
	Correct, Refund money.Amount
}

// TakenBack gives the credits that leave nothing of charges, and what they come to. A charge that was waived or
// corrected whole is left alone; what of it was paid is refunded.
func TakenBack(billed []Billed) (credits []Credit, sum money.Amount) {
	for _, b := range billed {
		left := b.Amount - b.Waived
		if left <= 0 {
			continue
		}
		credits = append(credits, Credit{Charge: b.Charge, Correct: left, Refund: b.Paid})
		sum += left
	}
	return credits, sum
}
