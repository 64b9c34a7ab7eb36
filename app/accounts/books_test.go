package accounts_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/slips"
	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/testkit"
)

// Whatever is done with money, in any order: the books are double entry, and what they leave on each account is what PostgreSQL
// adds up from the rows themselves: what patrons owe, what is owed to them, what lies in drawers, what was waived and rounded.
func TestBooksAgainstTheRows(t *testing.T) {
	c := newCounter(t)
	boss := c.Staff(role.Supervisor, "HVH")
	c.here = boss
	rng := rand.New(rand.NewPCG(12, 0))
	var patrons, charges, receipts []int64
	for range 5 {
		patrons = append(patrons, c.Patron("HVH"))
	}
	till := testkit.Do(t, c.House, boss, func(a *act.Act) (*accounts.Till, error) {
		return accounts.OpenTill(a, accounts.Opening{Name: "Desk", LaidIn: "30.00"})
	})
	one := func(of []int64) int64 { return of[rng.IntN(len(of))] }
	done := map[string]int{}
	try := func(what string, err error) {
		if err == nil {
			done[what]++
		}
	}
	means := []ledger.Means{"", ledger.Cash, ledger.Card, ledger.Cheque, ledger.Transfer}
	for step := range 300 {
		p := one(patrons)
		sum := fmt.Sprintf("%d.%02d", rng.IntN(6), rng.IntN(100))
		switch n := rng.IntN(10); {
		case n < 4 || len(charges) == 0:
			charges = append(charges, c.charge(p, "1"+sum))
		case n < 7:
			s, err := c.settle(accounts.Settling{
				Patrons: []int64{p, one(patrons)}, Amount: sum, Means: means[rng.IntN(len(means))], Reason: "As it was",
			})
			try("settle", err)
			if err == nil && s.Receipt != 0 {
				receipts = append(receipts, s.Receipt)
			}
		case n == 7:
			_, err := c.credit(boss, one(charges))
			try("credit", err)
		case n == 8 && len(receipts) > 0:
			_, err := c.reverse(boss, one(receipts))
			try("reverse", err)
		default:
			_, err := testkit.Try(c.House, boss, func(a *act.Act) (*accounts.Receipt, error) {
				return accounts.PayOut(a, accounts.PayingOut{Patron: p, Means: means[1+rng.IntN(4)]})
			})
			try("pay out", err)
		}
		if step%50 == 49 {
			c.Later(24 * time.Hour)
		}
	}
	for _, what := range []string{"settle", "credit", "reverse", "pay out"} {
		assert.Greater(t, done[what], 2, "%s was done often enough to tell", what)
	}
	testkit.Do(t, c.House, boss, func(a *act.Act) (*accounts.Till, error) {
		_, err := accounts.MoveCash(a, till.ID, accounts.Moving{Amount: "5.00", Out: true, Reason: "To the bank"})
		if err != nil {
			return nil, err
		}
		return accounts.CloseTill(a, till.ID, accounts.Counting{
			Drawer: accounts.Drawer{Cash: "25.00", Card: "0", Cheque: "0"}, Says: "Nobody knows",
		})
	})
	days := testkit.Do(t, c.House, boss, func(a *act.Act) ([]accounts.Booked, error) {
		return accounts.Journal(a, accounts.Period{From: calendar.MakeDate(2026, 10, 6), To: calendar.MakeDate(2026, 10, 20)})
	})
	assert.GreaterOrEqual(t, len(days), 4, "each day by itself")
	var all []ledger.Posting
	for _, d := range days {
		assert.Equal(t, calendar.Code("HVH"), d.Branch)
		all = append(all, d.Postings...)
	}
	var sum money.Amount
	for _, account := range ledger.Accounts {
		sum += ledger.Balance(all, account)
	}
	assert.Zero(t, sum, "what is on one side is on the other")
	for account, query := range map[ledger.Account]string{
		ledger.Receivable: "SELECT sum(balance) FROM patrons",
		ledger.Refunds: `SELECT -coalesce(sum(amount), 0) FROM ledger r WHERE kind = 'refund'
			AND NOT EXISTS (SELECT 1 FROM refund_ends e WHERE e.refund_id = r.id)`,
		ledger.Drawers: `SELECT (SELECT sum(amount) FROM receipts WHERE means = 'cash') + (SELECT sum(amount) FROM till_moves)
			+ (SELECT sum(counted_cash - due_cash) FROM tills)`,
		ledger.Cards: `SELECT (SELECT coalesce(sum(amount), 0) FROM receipts WHERE means = 'card')
			+ (SELECT sum(counted_card - due_card) FROM tills)`,
		ledger.Waived:   "SELECT -sum(amount) FROM ledger WHERE kind = 'waiver'",
		ledger.Rounding: "SELECT -sum(rounding) FROM receipts",
		ledger.Bank: `SELECT (SELECT coalesce(sum(amount), 0) FROM receipts WHERE means = 'transfer')
			- (SELECT sum(amount) FROM till_moves)`,
		ledger.Income(ledger.AboutManual): "SELECT -sum(amount) FROM ledger WHERE kind IN ('charge', 'correction')",
	} {
		assert.Equal(t, c.Ask("SELECT ("+query+")::text"), fmt.Sprint(int64(ledger.Balance(all, account))), account)
	}
	// What the drawer should have held is what the receipts say, beside what was added and taken out.
	assert.Equal(t, "true", c.Ask(`SELECT (due_cash = laid_in + (SELECT sum(amount) FROM receipts WHERE till_id = tills.id AND means = 'cash')
		+ (SELECT sum(amount) FROM till_moves))::text FROM tills`))
	table := testkit.Do(t, c.House, boss, func(a *act.Act) ([][]string, error) {
		return accounts.JournalTable(a, accounts.Period{From: calendar.MakeDate(2026, 10, 6), To: calendar.MakeDate(2026, 10, 20)})
	})
	assert.Equal(t, []string{"day", "branch", "debit", "credit", "sum", "currency", "text"}, table[0])
}

// Figures are of where one works; periods that make no sense are told.
func TestPeriods(t *testing.T) {
	c := newCounter(t)
	takings := func(p accounts.Period) error {
		_, err := testkit.Try(c.House, c.here, func(a *act.Act) ([]accounts.Taken, error) { return accounts.Takings(a, p) })
		return err
	}
	day := calendar.MakeDate(2026, 10, 6)
	require.NoError(t, takings(accounts.Period{From: day, To: day, Branch: "HVH"}))
	require.ErrorContains(t, takings(accounts.Period{From: day, To: day}), "where you work")
	require.ErrorContains(t, takings(accounts.Period{From: day, To: day.Add(-1), Branch: "HVH"}), "The period ends before it starts. Choose a later end.")
	require.ErrorContains(t, takings(accounts.Period{From: day.Add(-400), To: day, Branch: "HVH"}), "more than a year")
}

// Counted blind, what should lie in a till is shown to supervisors, and to everybody once it is counted; a till may begin and end empty.
func TestCountingBlind(t *testing.T) {
	c := newCounter(t)
	c.Set(`UPDATE network SET settings = jsonb_set(settings, '{money}', '{"blind": true, "invoice_days": 30, "accounts": {}}')`)
	boss := c.Staff(role.Supervisor, "HVH")
	till := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.OpenTill(a, accounts.Opening{Name: "Empty", LaidIn: "0.00"})
	})
	assert.Nil(t, till.Due)
	seen := testkit.Do(t, c.House, boss, func(a *act.Act) (*accounts.Till, error) { return accounts.OneTill(a, till.ID) })
	require.NotNil(t, seen.Due)
	_, err := testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.CloseTill(a, till.ID, accounts.Counting{Drawer: accounts.Drawer{Cash: "3.35", Card: "0", Cheque: "0"}})
	})
	require.ErrorContains(t, err, "the count differs from the expected amount: count again, or explain the difference")
	assert.NotContains(t, err.Error(), "3.35", "how much it differs by would tell what should be there")
	slip := func(who act.Actor) error {
		_, err := testkit.Try(c.House, who, func(a *act.Act) (*slips.Slip, error) {
			return slips.Of(a, slips.Asked{Kind: "till", ID: till.ID})
		})
		return err
	}
	require.ErrorContains(t, slip(c.here), "is printed after counting.")
	require.NoError(t, slip(boss))
	closed := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.CloseTill(a, till.ID, accounts.Counting{Drawer: accounts.Drawer{Cash: "0", Card: "0", Cheque: "0"}})
	})
	assert.Equal(t, &accounts.Drawer{Cash: "0.00", Card: "0.00", Cheque: "0.00"}, closed.Due)
	assert.Empty(t, closed.Differs)
}

// What was taken while no till was open is listed, and counted with the till that it is assigned to: once, while that is open, and out
// of it again.
func TestAssigningWhatWasTakenUnderNoTill(t *testing.T) {
	c := newCounter(t)
	whose := c.Patron("HVH")
	c.charge(whose, "12.00")
	pay := func(sum string, by ledger.Means) int64 {
		s, err := c.settle(accounts.Settling{Patrons: []int64{whose}, Amount: sum, Means: by})
		require.NoError(t, err)
		return s.Receipt
	}
	cash, card := pay("3.00", ledger.Cash), pay("2.00", ledger.Card)
	pay("1.00", ledger.Transfer)
	under := func() (ids []int64) {
		rows := testkit.Do(t, c.House, c.here, func(a *act.Act) ([]accounts.Receipt, error) {
			rows, _, err := accounts.Receipts(a, accountsdb.WhichReceipts{NoTill: true}, store.Page{})
			return rows, err
		})
		for _, r := range rows {
			ids = append(ids, r.ID)
		}
		return ids
	}
	require.Equal(t, []int64{card, cash}, under(), "a transfer goes through no till")
	c.Later(time.Minute)
	till := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.OpenTill(a, accounts.Opening{Name: "Late", LaidIn: "10.00"})
	})
	assign := func(who act.Actor, v accounts.Assigning) (*accounts.Till, error) {
		return testkit.Try(c.House, who, func(a *act.Act) (*accounts.Till, error) { return accounts.AssignReceipts(a, till.ID, v) })
	}
	_, err := assign(c.Staff(role.Desk, "SLM"), accounts.Assigning{Receipts: []int64{cash}})
	require.ErrorContains(t, err, "This till belongs to Havenhead. Only that branch or a supervisor can open it.")
	var wait sync.WaitGroup
	went := make([]error, 4) // four stations at once: one of them assigns both, the others are told
	for k := range went {
		wait.Go(func() { _, went[k] = assign(c.here, accounts.Assigning{Receipts: []int64{cash, card}}) })
	}
	wait.Wait()
	worked := slices.DeleteFunc(slices.Clone(went), func(err error) bool { return err != nil })
	require.Len(t, worked, 1, went)
	after := pay("4.00", ledger.Cash)
	assert.Empty(t, under())
	is := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) { return accounts.OneTill(a, till.ID) })
	assert.Equal(t, &accounts.Drawer{Cash: "17.00", Card: "2.00", Cheque: "0.00"}, is.Due, "10 + 3 + 4 in cash")
	is, err = assign(c.here, accounts.Assigning{Receipts: []int64{cash}, Out: true})
	require.NoError(t, err)
	assert.Equal(t, "14.00", is.Due.Cash)
	assert.Equal(t, []int64{cash}, under())
	_, err = assign(c.here, accounts.Assigning{Receipts: []int64{after}, Out: true})
	require.ErrorContains(t, err, "later can be removed from it. Nothing was changed.", "nobody makes a count come right by taking receipts out")
	_, err = assign(c.here, accounts.Assigning{Receipts: []int64{cash, after}})
	require.ErrorContains(t, err, "Some of these receipts already have a till; somebody may have assigned them just now. Nothing was changed. Check the list again.")
	testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.CloseTill(a, till.ID, accounts.Counting{Drawer: accounts.Drawer{Cash: "14.00", Card: "2.00", Cheque: "0.00"}})
	})
	_, err = assign(c.here, accounts.Assigning{Receipts: []int64{cash}})
	require.ErrorContains(t, err, "closed already")
	_, err = assign(c.here, accounts.Assigning{Receipts: []int64{after}, Out: true})
	require.ErrorContains(t, err, "closed already")
}
