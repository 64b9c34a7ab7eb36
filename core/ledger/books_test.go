package ledger_test

import (
	"slices"
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
		"a waiver undone":            {ledger.Book(ledger.Moved{Kind: ledger.Unwaiver, Sum: 100}), "receivable", "waived"},
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
	require.NoError(t, ledger.Counted(due, due, "", false, cad))
	more := due
	more.Cash += 5
	more.Card--
	require.EqualError(t, ledger.Counted(due, more, " ", false, cad), "$0.05 too much in cash, $0.01 too little in cards: explain the difference")
	require.EqualError(t, ledger.Counted(due, more, "", true, cad), "the count differs from the expected amount: count again, or explain the difference")
	require.NoError(t, ledger.Counted(due, more, "A coin from the floor", true, cad))
	more.Cash = -5
	require.ErrorContains(t, ledger.Counted(due, more, "x", false, cad), "a till cannot hold less than zero cash")
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
		"a reversal, or what was given":    {func(x *ledger.Taken) { x.Out = true }, role.Administrator, "Only payments can be reversed. If this was a mistake, take the payment again."},
		"reversed":                         {func(x *ledger.Taken) { x.Reversed = true }, role.Administrator, "already"},
		"what it paid is to be given back": {func(x *ledger.Taken) { x.GivenBack = true }, role.Administrator, "A charge that this paid has been credited since and is refunded, so it cannot be reversed."},
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

func TestWhoUndoesWhichWaiver(t *testing.T) {
	here := &calendar.Branch{Code: "HVH", Location: time.UTC}
	now := time.Date(2026, 10, 6, 9, 0, 0, 0, time.UTC)
	today, yesterday := now.Add(-time.Hour), now.Add(-20*time.Hour)
	for name, c := range map[string]struct {
		waived ledger.Forgiven
		role   role.Role
		says   string
	}{
		"today, here":           {ledger.Forgiven{At: today, Branch: "HVH"}, role.Desk, ""},
		"yesterday, desk":       {ledger.Forgiven{At: yesterday, Branch: "HVH"}, role.Desk, "another day"},
		"yesterday, supervisor": {ledger.Forgiven{At: yesterday, Branch: "HVH"}, role.Supervisor, ""},
		"elsewhere, desk":       {ledger.Forgiven{At: today, Branch: "SLM"}, role.Desk, "another branch"},
		"elsewhere, supervisor": {ledger.Forgiven{At: today, Branch: "SLM"}, role.Supervisor, ""},
		"undone":                {ledger.Forgiven{At: today, Branch: "HVH", Undone: true}, role.Administrator, "undone already"},
		"charge taken back":     {ledger.Forgiven{At: today, Branch: "HVH", TakenBack: true}, role.Administrator, "The charge has been reversed since, so it cannot be owed again."},
	} {
		if says := ledger.Unwaiving(c.waived, c.role, here, now); c.says == "" {
			assert.Empty(t, says, name)
		} else {
			assert.Contains(t, says, c.says, name)
		}
	}
}

// What a charge of 24.00 is credited by: what was not waived is corrected, what was paid is refunded, and nothing twice.
func TestTakingChargesBack(t *testing.T) {
	for name, c := range map[string]struct {
		billed  ledger.Billed
		credits []ledger.Credit
		sum     money.Amount
	}{
		"owed":                    {ledger.Billed{Charge: 1, Amount: 2400}, []ledger.Credit{{Charge: 1, Correct: 2400}}, 2400},
		"paid":                    {ledger.Billed{Charge: 1, Amount: 2400, Paid: 2400}, []ledger.Credit{{Charge: 1, Correct: 2400, Refund: 2400}}, 2400},
		"partly paid":             {ledger.Billed{Charge: 1, Amount: 2400, Paid: 400}, []ledger.Credit{{Charge: 1, Correct: 2400, Refund: 400}}, 2400},
		"partly waived":           {ledger.Billed{Charge: 1, Amount: 2400, Waived: 1000}, []ledger.Credit{{Charge: 1, Correct: 1400}}, 1400},
		"partly waived, and paid": {ledger.Billed{Charge: 1, Amount: 2400, Waived: 1000, Paid: 1400}, []ledger.Credit{{Charge: 1, Correct: 1400, Refund: 1400}}, 1400},
		"waived whole":            {ledger.Billed{Charge: 1, Amount: 2400, Waived: 2400}, nil, 0},
	} {
		credits, sum := ledger.TakenBack([]ledger.Billed{c.billed})
		assert.Equal(t, c.credits, credits, name)
		assert.Equal(t, c.sum, sum, name)
	}
	_, sum := ledger.TakenBack([]ledger.Billed{{Charge: 1, Amount: 2400}, {Charge: 2, Amount: 500, Waived: 100}})
	assert.Equal(t, money.Amount(2800), sum)
}

// Postings to the same two accounts are one, in the order of the accounts; what is on the debit side less the credit side is what is left.
func TestSumsOfPostings(t *testing.T) {
	fine := ledger.Income(ledger.Abouts[0])
	all := slices.Concat(
		[]ledger.Posting{{Debit: ledger.Waived, Credit: ledger.Receivable, Sum: 100}},
		ledger.BookMove(2000), ledger.BookMove(-500), ledger.BookRounding(2), ledger.BookRounding(-1), ledger.BookRounding(0),
		[]ledger.Posting{{Debit: ledger.Receivable, Credit: fine, Sum: 300}, {Debit: ledger.Receivable, Credit: fine, Sum: 50}},
		ledger.BookPayout(ledger.Cheque, 70), ledger.BookDifference(ledger.Card, -30),
	)
	assert.Equal(t, []ledger.Posting{
		{Debit: ledger.Receivable, Credit: fine, Sum: 350},
		{Debit: ledger.Drawers, Credit: ledger.Bank, Sum: 2000},
		{Debit: ledger.Drawers, Credit: ledger.Rounding, Sum: 2},
		{Debit: ledger.Bank, Credit: ledger.Drawers, Sum: 500},
		{Debit: ledger.Waived, Credit: ledger.Receivable, Sum: 100},
		{Debit: ledger.Refunds, Credit: ledger.Cheques, Sum: 70},
		{Debit: ledger.Rounding, Credit: ledger.Drawers, Sum: 1},
		{Debit: ledger.Differences, Credit: ledger.Cards, Sum: 30},
	}, ledger.Sums(all))
	for account, left := range map[ledger.Account]money.Amount{
		ledger.Receivable: 250, fine: -350, ledger.Drawers: 1501, ledger.Bank: -1500, ledger.Cheques: -70, ledger.Cards: -30, ledger.Carried: 0,
	} {
		assert.Equal(t, left, ledger.Balance(all, account), account)
	}
	var sum money.Amount
	for _, a := range ledger.Accounts {
		sum += ledger.Balance(all, a)
	}
	assert.Zero(t, sum, "all accounts together are nothing: double entry, common practice, no source")
}

func TestDrawers(t *testing.T) {
	var d ledger.Drawer
	d.Add(ledger.Cash, 500)
	d.Add(ledger.Cash, -120)
	d.Add(ledger.Card, 70)
	d.Add(ledger.Cheque, 30)
	d.Add(ledger.Transfer, 1000) // never in a drawer
	assert.Equal(t, ledger.Drawer{Cash: 380, Card: 70, Cheque: 30}, d)
	assert.Equal(t, ledger.Drawer{Cash: 80, Card: 70, Cheque: -20}, d.Less(ledger.Drawer{Cash: 300, Cheque: 50}))
}
