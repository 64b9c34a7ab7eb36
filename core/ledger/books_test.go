package ledger_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/core/role"
)

// Each movement on the two accounts that bookkeeping has for it: common practice, no source.
func TestBooking(t *testing.T) {
	for name, c := range map[string]struct {
		got           []ledger.Posting
		debit, credit ledger.Account
	}{
		"a charge":                   {ledger.Book(ledger.Moved{Kind: ledger.Charge, About: ledger.AboutLate, Sum: 100}), "receivable", "income_late"},
		"a charge moved in":          {ledger.Book(ledger.Moved{Kind: ledger.Charge, About: ledger.AboutLate, Sum: 100, Carried: true}), "receivable", "carried"},
		"a correction":               {ledger.Book(ledger.Moved{Kind: ledger.Correction, About: ledger.AboutLost, Sum: -100}), "income_lost", "receivable"},
		"a waiver":                   {ledger.Book(ledger.Moved{Kind: ledger.Waiver, Sum: -100}), "waived", "receivable"},
		"paid in cash":               {ledger.Book(ledger.Moved{Kind: ledger.Payment, Means: ledger.Cash, Sum: -100}), "cash", "receivable"},
		"paid by transfer":           {ledger.Book(ledger.Moved{Kind: ledger.Payment, Means: ledger.Transfer, Sum: -100}), "bank", "receivable"},
		"paid by what was owed back": {ledger.Book(ledger.Moved{Kind: ledger.Payment, Sum: -100}), "refunds", "receivable"},
		"a reversal":                 {ledger.Book(ledger.Moved{Kind: ledger.Reversal, Means: ledger.Card, Sum: 100}), "receivable", "card"},
		"a refund":                   {ledger.Book(ledger.Moved{Kind: ledger.Refund, Sum: 100}), "receivable", "refunds"},
		"given back":                 {ledger.BookPayout(ledger.Cheque, 100), "refunds", "cheque"},
		"rounded up":                 {ledger.BookRounding(100), "cash", "rounding"},
		"rounded down":               {ledger.BookRounding(-100), "rounding", "cash"},
		"to the bank":                {ledger.BookMove(-100), "bank", "cash"},
		"too little":                 {ledger.BookDifference(ledger.Cash, -100), "differences", "cash"},
	} {
		assert.Equal(t, []ledger.Posting{{Debit: c.debit, Credit: c.credit, Sum: 100}}, c.got, name)
	}
	assert.Empty(t, ledger.BookRounding(0))
}

func TestCounting(t *testing.T) {
	cad := money.Currency{Code: "CAD", Digits: 2, Coin: 5}
	due := ledger.Drawer{Cash: 1550, Card: 400, Cheque: -100}
	require.NoError(t, ledger.Counted(due, due, "", cad))
	more := due
	more.Cash += 5
	more.Card--
	require.EqualError(t, ledger.Counted(due, more, " ", cad), "0.05 too much in cash, 0.01 too little in cards: say in a sentence why")
	require.NoError(t, ledger.Counted(due, more, "A coin from the floor", cad))
	more.Cash = -5
	require.ErrorContains(t, ledger.Counted(due, more, "x", cad), "less than nothing")
}

func TestWhoReversesWhat(t *testing.T) {
	here := &calendar.Branch{Code: "HVH", Location: time.UTC}
	now := time.Date(2026, 10, 6, 9, 0, 0, 0, time.UTC)
	fine := ledger.Taken{At: now.Add(-time.Hour), Branch: "HVH"}
	for name, c := range map[string]struct {
		change func(*ledger.Taken)
		role   role.Role
		says   string
	}{
		"today, here":                      {func(*ledger.Taken) {}, role.Desk, ""},
		"yesterday, desk":                  {func(x *ledger.Taken) { x.At = now.Add(-20 * time.Hour) }, role.Desk, "another day"},
		"yesterday, supervisor":            {func(x *ledger.Taken) { x.At = now.Add(-20 * time.Hour) }, role.Supervisor, ""},
		"elsewhere, desk":                  {func(x *ledger.Taken) { x.Branch = "SLM" }, role.Desk, "another branch"},
		"elsewhere, supervisor":            {func(x *ledger.Taken) { x.Branch = "SLM" }, role.Supervisor, ""},
		"a reversal, or what was given":    {func(x *ledger.Taken) { x.Out = true }, role.Administrator, "Only money that was taken"},
		"reversed":                         {func(x *ledger.Taken) { x.Reversed = true }, role.Administrator, "already"},
		"what it paid is to be given back": {func(x *ledger.Taken) { x.GivenBack = true }, role.Administrator, "given back as a refund"},
	} {
		x := fine
		c.change(&x)
		says := ledger.Reversing(x, c.role, here, now)
		if c.says == "" {
			assert.Empty(t, says, name)
		} else {
			assert.Contains(t, says, c.says, name)
		}
	}
}
