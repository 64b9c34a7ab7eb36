package accounts_test

import (
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/keeping"
	"nevrin/app/people"
	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/testkit"
)

// counter is a small world with somebody at the desk of Havenhead.
type counter struct {
	*testkit.World
	t    *testing.T
	here act.Actor
}

func newCounter(t *testing.T) *counter {
	w := testkit.NewWorld(t)
	return &counter{w, t, w.Staff(role.Desk, "HVH")}
}

func (c *counter) charge(patron int64, sum string) int64 {
	c.t.Helper()
	testkit.Do(c.t, c.House, c.here, func(a *act.Act) (*accounts.Charged, error) {
		return accounts.ChargeByHand(a, patron, accounts.ByHand{Amount: sum, Note: "A torn map"})
	})
	return c.newest("ledger")
}

func (c *counter) newest(table string) int64 {
	id, err := strconv.ParseInt(c.Ask("SELECT max(id)::text FROM "+table), 10, 64)
	require.NoError(c.t, err)
	return id
}

func (c *counter) settle(s accounts.Settling) (*accounts.Settled, error) {
	return testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Settled, error) { return accounts.Settle(a, s) })
}

func (c *counter) reverse(who act.Actor, receipt int64) (*accounts.Receipt, error) {
	return testkit.Try(c.House, who, func(a *act.Act) (*accounts.Receipt, error) {
		return accounts.Reverse(a, receipt, accounts.Reversing{Reason: "Meant for her sister"})
	})
}

func (c *counter) credit(who act.Actor, charge int64) (*accounts.Charged, error) {
	return testkit.Try(c.House, who, func(a *act.Act) (*accounts.Charged, error) {
		return accounts.Credit(a, charge, "Not torn after all")
	})
}

func (c *counter) balance(patron int64) string {
	return c.Ask("SELECT balance::text FROM patrons WHERE id = ?", patron)
}

// owedLimit stops who owes more than 5.00.
func (c *counter) owedLimit() {
	c.t.Helper()
	c.Set(`INSERT INTO editions (number, state, starts_on, started_at, rules, ranking)
		SELECT 2, state, starts_on, started_at + interval '1 hour', jsonb_set(rules, '{0,terms,owed_limit}', '"5.00"'), ranking FROM editions`)
}

// Coins go by five cents; what is received gives change; the account is settled to the cent, and the difference is kept.
func TestPayingInCash(t *testing.T) {
	c := newCounter(t)
	p := c.Patron("HVH")
	c.charge(p, "3.52")
	s, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "3.52", Means: ledger.Cash, Laid: "5.00"})
	require.NoError(t, err)
	assert.Equal(t, []string{"3.52", "3.50", "1.50"}, []string{s.Sum, s.Taken, s.Change})
	assert.Equal(t, []accounts.Owes{{Patron: p, Owes: "0.00"}}, s.Owing)
	assert.Equal(t, "350 -2 500", c.Ask("SELECT amount || ' ' || rounding || ' ' || laid_down FROM receipts"))

	c.charge(p, "0.02")
	for amount, says := range map[string]string{
		"0.02": "rounds to zero in coins of $0.05", "0": "must be more than nothing", "-1": "not a sum of money",
		"1,50": "not a sum of money", "0.03": "is more than the $0.02 that is owed", "1e3": "not a sum of money", "": "not a sum of money",
	} {
		_, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: amount, Means: ledger.Cash})
		assert.ErrorContains(t, err, says, amount)
	}
	c.charge(p, "2.00")
	_, err = c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "2.00", Means: ledger.Cash, Laid: "1.95"})
	assert.ErrorContains(t, err, "$1.95 is less than the $2.00 due")
	_, err = c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "2.00", Means: ledger.Cash, Laid: "2.01"})
	assert.ErrorContains(t, err, "$2.01 cannot be paid in cash")
	assert.Equal(t, "202", c.balance(p), "nothing was taken by what was refused")
}

// One pays for several at once: the oldest charges first, whoever's they are, or those that are chosen; one receipt names all.
func TestPayingForSeveral(t *testing.T) {
	c := newCounter(t)
	mother, son, other := c.Patron("HVH"), c.Patron("HVH"), c.Patron("HVH")
	c.charge(son, "2.00")
	old := c.charge(mother, "1.00")
	young := c.charge(son, "4.00")
	elsewhere := c.charge(other, "9.00")

	s, err := c.settle(accounts.Settling{Patrons: []int64{mother, son}, Amount: "2.50", Means: ledger.Card, Reference: "A 4711"})
	require.NoError(t, err)
	assert.Equal(t, []accounts.Owes{{Patron: mother, Owes: "0.50"}, {Patron: son, Owes: "4.00"}}, s.Owing)
	s, err = c.settle(accounts.Settling{Patrons: []int64{son, mother, son}, Charges: []int64{young, old}, Amount: "4.50", Means: ledger.Cheque})
	require.NoError(t, err)
	assert.Equal(t, "0", c.balance(mother))
	assert.Equal(t, "0", c.balance(son))
	r := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Receipt, error) { return accounts.OneReceipt(a, s.Receipt) })
	assert.Equal(t, []string{"Patron 001", "Patron 002"}, r.Names)
	require.Len(t, r.Parts, 2)

	_, err = c.settle(accounts.Settling{Patrons: []int64{mother}, Charges: []int64{elsewhere}, Amount: "1.00", Means: ledger.Card})
	assert.ErrorContains(t, err, "A selected charge has just been settled elsewhere. Check the account again.", "somebody else's charge is none of theirs")
	_, err = c.settle(accounts.Settling{Patrons: []int64{mother}, Charges: []int64{old}, Amount: "1.00", Means: ledger.Card})
	assert.ErrorContains(t, err, "A selected charge has just been settled elsewhere. Check the account again.", "paid already")
}

// A payment taken by mistake is reversed and can be taken again; nothing is reversed twice, and a reversal never.
func TestReversing(t *testing.T) {
	c := newCounter(t)
	p, boss, elsewhere := c.Patron("HVH"), c.Staff(role.Supervisor, "HVH"), c.Staff(role.Desk, "SLM")
	charge := c.charge(p, "3.52")
	pay := accounts.Settling{Patrons: []int64{p}, Amount: "3.52", Means: ledger.Cash}
	s, err := c.settle(pay)
	require.NoError(t, err)
	_, err = c.reverse(elsewhere, s.Receipt)
	require.ErrorContains(t, err, "taken at another branch")
	back, err := c.reverse(c.here, s.Receipt)
	require.NoError(t, err)
	assert.Equal(t, []string{"-3.50", "0.02"}, []string{back.Amount, back.Rounding})
	assert.Equal(t, "352", c.balance(p), "owed again, to the cent")
	_, err = c.reverse(c.here, s.Receipt)
	require.ErrorContains(t, err, "reversed already")
	_, err = c.reverse(boss, back.ID)
	require.ErrorContains(t, err, "Only payments can be reversed. If this was a mistake, take the payment again.")

	s, err = c.settle(pay)
	require.NoError(t, err, "it is taken again")
	_, err = c.credit(c.here, charge)
	require.NoError(t, err)
	_, err = c.reverse(c.here, s.Receipt)
	require.ErrorContains(t, err, "A charge that this paid has been credited since and is refunded, so it cannot be reversed.")
	assert.Equal(t, "0", c.balance(p))

	c.charge(p, "1.00")
	s, err = c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "1.00", Means: ledger.Card})
	require.NoError(t, err)
	c.Later(24 * time.Hour)
	_, err = c.reverse(c.here, s.Receipt)
	require.ErrorContains(t, err, "another day")
	_, err = c.reverse(boss, s.Receipt)
	require.NoError(t, err)
}

func (c *counter) unwaive(who act.Actor, ids ...int64) (*accounts.Unwaived, error) {
	return testkit.Try(c.House, who, func(a *act.Act) (*accounts.Unwaived, error) {
		return accounts.Unwaive(a, accounts.Unwaiving{Waivers: ids, Reason: "It was the brother's"})
	})
}

// A waiver is undone once, all of it: what it waived is owed again, and the dispute that it ended goes on.
func TestUndoingWaivers(t *testing.T) {
	c := newCounter(t)
	p, boss, elsewhere := c.Patron("HVH"), c.Staff(role.Supervisor, "HVH"), c.Staff(role.Desk, "SLM")
	old := c.charge(p, "3.00")
	c.charge(p, "2.00")
	testkit.Done(t, c.House, boss, func(a *act.Act) error { return accounts.PutInDispute(a, old, "Never had it") })
	waive := accounts.Settling{Patrons: []int64{p}, Charges: []int64{old}, Amount: "3.00", Reason: "First time"}
	as := func(who act.Actor, s accounts.Settling) *accounts.Settled {
		return testkit.Do(t, c.House, who, func(a *act.Act) (*accounts.Settled, error) { return accounts.Settle(a, s) })
	}
	s := as(boss, waive)
	require.Len(t, s.Waived, 1)
	assert.Equal(t, "200 waived", c.Ask("SELECT p.balance || ' ' || d.answer FROM patrons p, disputes d WHERE p.id = ?", p))

	_, err := c.unwaive(elsewhere, s.Waived...)
	require.ErrorContains(t, err, "waived at another branch")
	_, err = c.unwaive(boss, old)
	require.ErrorContains(t, err, "no such waiver", "a charge is none")
	undone, err := c.unwaive(boss, s.Waived...)
	require.NoError(t, err)
	assert.Equal(t, "3.00", undone.Sum)
	assert.Equal(t, []accounts.Owes{{Patron: p, Owes: "5.00"}}, undone.Owing)
	assert.Equal(t, "500 true", c.Ask("SELECT p.balance || ' ' || (d.ended_at IS NULL) FROM patrons p, disputes d WHERE p.id = ?", p))
	_, err = c.unwaive(boss, s.Waived...)
	require.ErrorContains(t, err, "undone already")

	// Of a charge that has been credited since, nothing can be owed again.
	waive.Amount = "1.00"
	again := as(boss, waive)
	_, err = c.credit(boss, old)
	require.NoError(t, err)
	_, err = c.unwaive(boss, again.Waived...)
	require.ErrorContains(t, err, "The charge has been reversed since, so it cannot be owed again.")
	assert.Equal(t, "200", c.balance(p))
	c.Later(24 * time.Hour)
	part := as(boss, accounts.Settling{Patrons: []int64{p}, Amount: "0.50", Reason: "Kindness"})
	c.Later(24 * time.Hour)
	_, err = c.unwaive(c.here, part.Waived...)
	require.ErrorContains(t, err, "waived on another day")
	_, err = c.unwaive(boss, part.Waived...)
	require.NoError(t, err)
}

// Ten stations undo one waiver at once: it is undone once.
func TestUndoingOneWaiverAtOnce(t *testing.T) {
	c := newCounter(t)
	p := c.Patron("HVH")
	c.charge(p, "3.00")
	boss := c.Staff(role.Supervisor, "HVH")
	s := testkit.Do(t, c.House, boss, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{p}, Amount: "1.20", Reason: "Kindness"})
	})
	var done atomic.Int32
	var wait sync.WaitGroup
	for range 10 {
		wait.Go(func() {
			if _, err := c.unwaive(boss, s.Waived...); err == nil {
				done.Add(1)
			}
		})
	}
	wait.Wait()
	assert.EqualValues(t, 1, done.Load())
	assert.Equal(t, "300", c.balance(p))
}

// The statement lists every entry with what was owed after it, the newest first: 3.52 charged, 3.50 of it paid in coins and reversed,
// 2.00 charged, 0.50 waived and owed again. 3.52 - 3.52 + 3.52 + 2.00 - 0.50 + 0.50 = 5.52.
func TestStatement(t *testing.T) {
	c := newCounter(t)
	p, boss := c.Patron("HVH"), c.Staff(role.Supervisor, "HVH")
	c.charge(p, "3.52")
	paid, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "3.52", Means: ledger.Cash})
	require.NoError(t, err)
	_, err = c.reverse(c.here, paid.Receipt)
	require.NoError(t, err)
	second := c.charge(p, "2.00")
	waived := testkit.Do(t, c.House, boss, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{p}, Charges: []int64{second}, Amount: "0.50", Reason: "Kindness"})
	})
	_, err = c.unwaive(boss, waived.Waived...)
	require.NoError(t, err)
	page := store.Page{Most: 4, More: true}
	var got []string
	for page.More {
		rows := testkit.Do(t, c.House, c.here, func(a *act.Act) (rows []accounts.StatementLine, err error) {
			rows, page, err = accounts.Statement(a, p, page)
			return rows, err
		})
		for _, l := range rows {
			got = append(got, strings.Join([]string{string(l.Kind), l.Amount, l.Balance, l.Status}, " "))
		}
	}
	assert.Equal(t, []string{
		"unwaiver 0.50 5.52 ", "waiver -0.50 5.02 undone", "charge 2.00 5.52 open",
		"reversal 3.52 3.52 ", "payment -3.52 0.00 reversed", "charge 3.52 3.52 open",
	}, got)
}

// What was charged wrongly is credited; what of it was paid is refunded, once.
func TestRefunds(t *testing.T) {
	c := newCounter(t)
	p := c.Patron("HVH")
	charge := c.charge(p, "4.03")
	_, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "3.03", Means: ledger.Card})
	require.NoError(t, err)
	_, err = c.credit(c.Staff(role.Desk, "SLM"), charge)
	require.ErrorContains(t, err, "charged at Havenhead")
	left, err := c.credit(c.here, charge)
	require.NoError(t, err)
	assert.Equal(t, "0.00", left.Owes)
	_, err = c.credit(c.here, charge)
	require.ErrorContains(t, err, "This charge has already been waived or reversed.")
	owed := testkit.Do(t, c.House, c.here, func(a *act.Act) ([]accounts.Refund, error) {
		rows, _, err := accounts.Refunds(a, store.Page{})
		return rows, err
	})
	require.Len(t, owed, 1)
	assert.Equal(t, "3.03", owed[0].Sum)

	payOut := func() (*accounts.Receipt, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Receipt, error) {
			return accounts.PayOut(a, accounts.PayingOut{Patron: p, Means: ledger.Cash})
		})
	}
	errs := make(chan error, 4)
	for range 4 {
		go func() {
			_, err := payOut()
			errs <- err
		}()
	}
	done := 0
	for range 4 {
		if err := <-errs; err == nil {
			done++
		} else {
			assert.ErrorContains(t, err, "There is nothing to refund. It may have been paid out just now.")
		}
	}
	assert.Equal(t, 1, done, "given back once, however often it is asked")
	assert.Equal(t, "-305 -2", c.Ask("SELECT amount || ' ' || rounding FROM receipts WHERE amount < 0"))
}

// Only who may waive so much takes back so much.
func TestTakingBackIsLimited(t *testing.T) {
	c := newCounter(t)
	charge := c.charge(c.Patron("HVH"), "5.01")
	_, err := c.credit(c.here, charge)
	require.ErrorContains(t, err, "up to $5.00 at once")
	_, err = c.credit(c.Staff(role.Supervisor, "HVH"), charge)
	require.NoError(t, err)
}

// A charge in dispute waits and stops nobody; when the dispute ends, it counts again.
func TestDisputes(t *testing.T) {
	c := newCounter(t)
	c.owedLimit()
	p := c.Patron("HVH")
	charge := c.charge(p, "5.01")
	stops := func() []string {
		return testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.Open(a, p) }).Stops
	}
	require.Len(t, stops(), 1, "more than 5.00 stops: common practice, no source")
	put := func() error {
		_, err := testkit.Try(c.House, c.here, func(a *act.Act) (struct{}, error) {
			return struct{}{}, accounts.PutInDispute(a, charge, "It was torn before")
		})
		return err
	}
	require.NoError(t, put())
	require.ErrorContains(t, put(), "in dispute already")
	assert.Empty(t, stops())
	list := testkit.Do(t, c.House, c.here, func(a *act.Act) ([]accounts.Dispute, error) {
		rows, _, err := accounts.Disputes(a, store.Page{})
		return rows, err
	})
	require.Len(t, list, 1)
	assert.Equal(t, "It was torn before", list[0].Says)
	testkit.Done(t, c.House, c.here, func(a *act.Act) error { return accounts.EndDispute(a, charge, "It was not") })
	assert.Len(t, stops(), 1)
	require.NoError(t, put(), "and may be disputed again")
	c.charge(p, "1.00")
	_, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "5.01", Means: ledger.Card})
	require.Error(t, err, "what is in dispute is not settled along with the rest")
	_, err = c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "1.00", Means: ledger.Card})
	require.NoError(t, err)
	assert.Equal(t, "1", c.Ask("SELECT count(*)::text FROM disputes WHERE ended_at IS NULL"), "it waits")
	_, err = c.settle(accounts.Settling{Patrons: []int64{p}, Charges: []int64{charge}, Amount: "5.01", Means: ledger.Card})
	require.NoError(t, err, "unless it is named")
	assert.Equal(t, "0", c.Ask("SELECT count(*)::text FROM disputes WHERE ended_at IS NULL"), "what is paid is in dispute no longer")
}

// A till is opened with what lies in it, and closed as it was counted; a difference needs a sentence, and nothing goes in after.
func TestTill(t *testing.T) {
	c := newCounter(t)
	p := c.Patron("HVH")
	c.charge(p, "20.00")
	open := func(name string) (*accounts.Till, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
			return accounts.OpenTill(a, accounts.Opening{Name: name, LaidIn: "50.00"})
		})
	}
	till, err := open("Front desk")
	require.NoError(t, err)
	_, err = open("front DESK")
	require.ErrorContains(t, err, "is open already")
	pay := func(sum string, by ledger.Means, into int64) (*accounts.Settled, error) {
		return c.settle(accounts.Settling{Patrons: []int64{p}, Amount: sum, Means: by, Till: into})
	}
	_, err = pay("3.52", ledger.Cash, 0)
	require.NoError(t, err, "the only one that is open")
	second, err := open("Second desk")
	require.NoError(t, err)
	_, err = pay("1.00", ledger.Cash, 0)
	require.ErrorContains(t, err, "Several tills are open")
	for by, sum := range map[ledger.Means]string{ledger.Cash: "2.00", ledger.Card: "4.00", ledger.Cheque: "5.00"} {
		_, err = pay(sum, by, till.ID)
		require.NoError(t, err)
	}
	move := func(sum string, out bool) error {
		_, err := testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
			return accounts.MoveCash(a, till.ID, accounts.Moving{Amount: sum, Out: out, Reason: "To the bank"})
		})
		return err
	}
	require.NoError(t, move("40.00", true))
	require.ErrorContains(t, move("40.00", true), "The till should hold $15.50 in cash")

	shut := func(says string, cash string) (*accounts.Till, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
			return accounts.CloseTill(a, till.ID, accounts.Counting{
				Drawer: accounts.Drawer{Cash: cash, Card: "4.00", Cheque: "5.00"}, Says: says,
			})
		})
	}
	_, err = shut("", "15.00")
	require.ErrorContains(t, err, "0.50 too little in cash: explain the difference")
	_, err = shut("", "15.52")
	require.ErrorContains(t, err, "cannot be counted in coins of $0.05")
	shutTill, err := shut("Fell behind the drawer", "15.00")
	require.NoError(t, err)
	assert.Equal(t, "$0.50 too little in cash", shutTill.Differs)
	_, err = shut("Again", "15.50")
	require.ErrorContains(t, err, "closed already")
	_, err = pay("1.00", ledger.Cash, till.ID)
	require.ErrorContains(t, err, "The till of this station is closed. Nothing was taken. Open it or choose another under Money, then try again.")
	_, err = pay("1.00", ledger.Cash, second.ID)
	require.NoError(t, err)
	_, err = open("Front desk")
	require.NoError(t, err, "the next day it is opened anew")
}

// Where the network wants it so, money is taken only into an open till.
func TestOnlyIntoATill(t *testing.T) {
	c := newCounter(t)
	c.Set(`UPDATE network SET settings = jsonb_set(settings, '{money}', '{"till": true, "invoice_days": 30, "accounts": {}}')`)
	p := c.Patron("HVH")
	c.charge(p, "2.00")
	_, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "1.00", Means: ledger.Cash})
	require.ErrorContains(t, err, "No till is open here")
	_, err = c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "1.00", Means: ledger.Transfer})
	require.NoError(t, err, "a transfer goes through none")
}

// While a till is counted many pay into it at once: whatever counts as in it when it closes is what was due, to the cent.
func TestClosingWhileOthersPay(t *testing.T) {
	c := newCounter(t)
	till := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.OpenTill(a, accounts.Opening{Name: "Desk", LaidIn: "10.00"})
	})
	paid := make(chan error, 12)
	for range 12 {
		p := c.Patron("HVH")
		c.charge(p, "1.00")
		go func() {
			_, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "1.00", Means: ledger.Cash, Till: till.ID})
			paid <- err
		}()
	}
	testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.CloseTill(a, till.ID, accounts.Counting{
			Drawer: accounts.Drawer{Cash: "10.00", Card: "0", Cheque: "0"}, Says: "Counted in the rush",
		})
	})
	taken := 0
	for range 12 {
		if err := <-paid; err == nil {
			taken++
		}
	}
	assert.Equal(t, strconv.Itoa(1000+100*taken), c.Ask("SELECT due_cash::text FROM tills"))
	assert.Equal(t, strconv.Itoa(taken), c.Ask("SELECT count(*)::text FROM receipts"))
	assert.Equal(t, "0", c.Ask("SELECT count(*)::text FROM receipts r JOIN tills t ON t.id = r.till_id WHERE r.at > t.closed_at"),
		"a till is closed after all that went into it")
}

// A till that waits for a payment to end is closed after it, by the clock too.
func TestATillClosesLast(t *testing.T) {
	c := newCounter(t)
	till := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.OpenTill(a, accounts.Opening{Name: "Desk", LaidIn: "10.00"})
	})
	paying := testkit.SQL(c.House).Begin()
	require.NoError(t, paying.Exec("SELECT 1 FROM tills WHERE id = ? FOR SHARE", till.ID).Error)
	closed := make(chan error, 1)
	go func() {
		_, err := testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
			return accounts.CloseTill(a, till.ID, accounts.Counting{Drawer: accounts.Drawer{Cash: "11.00", Card: "0", Cheque: "0"}, Says: "One late payment"})
		})
		closed <- err
	}()
	time.Sleep(300 * time.Millisecond) // closing has begun, and waits
	require.NoError(t, paying.Exec(`INSERT INTO till_moves (at, staff_id, till_id, amount, reason)
		SELECT clock_timestamp() + (shows - real_at), ?, ?, 100, 'change' FROM training_clock`, c.here.ID, till.ID).Error)
	require.NoError(t, paying.Commit().Error)
	require.NoError(t, <-closed)
	assert.Equal(t, "true", c.Ask("SELECT (t.closed_at >= m.at)::text FROM tills t JOIN till_moves m ON m.till_id = t.id"))
}

// An institution is invoiced and never stopped; its invoices are numbered without a gap, whoever makes them at once.
func TestInvoices(t *testing.T) {
	c := newCounter(t)
	c.owedLimit()
	bill := func(p int64) (*accounts.Invoice, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Invoice, error) {
			return accounts.MakeInvoice(a, p, accounts.Billing{Note: "Order 12"})
		})
	}
	_, err := bill(c.Patron("HVH"))
	require.ErrorContains(t, err, "Only institutions get invoices. Other patrons pay at the desk.")
	school := map[string]any{"institution": true, "legal_name": "Quarrow School", "address": "1 Mill Lane\nQuarrow"}
	var schools []int64
	for range 6 {
		p := c.Patron("HVH", school)
		c.charge(p, "30.00")
		schools = append(schools, p)
	}
	card := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.Open(a, schools[0]) })
	assert.Empty(t, card.Stops)
	errs := invoicesAtOnce(schools, bill)
	for range schools {
		require.NoError(t, <-errs)
	}
	assert.Equal(t, "2026-0001 2026-0002 2026-0003 2026-0004 2026-0005 2026-0006", c.Ask("SELECT string_agg(number, ' ' ORDER BY number) FROM invoices"))
	_, err = bill(schools[0])
	require.ErrorContains(t, err, "There are no open charges to invoice.")

	list := func() []accounts.Invoice {
		return testkit.Do(t, c.House, c.here, func(a *act.Act) ([]accounts.Invoice, error) {
			rows, _, err := accounts.Invoices(a, true, store.Page{})
			return rows, err
		})
	}
	require.Len(t, list(), 6)
	first := list()[0]
	withdraw := func(id int64) error {
		_, err := testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Invoice, error) {
			return accounts.WithdrawInvoice(a, id, "Wrong school")
		})
		return err
	}
	require.NoError(t, withdraw(first.ID))
	require.ErrorContains(t, withdraw(first.ID), "withdrawn already")
	again, err := bill(first.Patron)
	require.NoError(t, err)
	assert.Equal(t, "2026-0007", again.Number)
	assert.Equal(t, []string{"Quarrow School", "1 Mill Lane", "Quarrow"}, again.Addressed)
	assert.Equal(t, calendar.MakeDate(2026, 11, 5), again.Due, "30 days later")
	_, err = c.settle(accounts.Settling{Patrons: []int64{first.Patron}, Amount: "30.00", Means: ledger.Transfer, Reference: "Bank 9"})
	require.NoError(t, err)
	require.ErrorContains(t, withdraw(again.ID), "has been paid")
	require.Len(t, list(), 5, "what is paid is open no longer")

	// Late is what is owed past the due date, 5 November: on that day it is not.
	late := func(id int64) bool {
		return testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Invoice, error) { return accounts.OneInvoice(a, id) }).Late
	}
	open := list()[0].ID
	c.Later(30 * 24 * time.Hour)
	assert.False(t, late(open), "on the due date")
	c.Later(24 * time.Hour)
	assert.True(t, late(open), "the day after")
	assert.False(t, late(again.ID), "paid")
	assert.False(t, late(first.ID), "withdrawn")
}

// A charge by hand has its price from the list, and what is owed in all is said; what is no price of the list that is in use is refused.
func TestChargesFromThePriceList(t *testing.T) {
	c := newCounter(t)
	c.Set("INSERT INTO choices (list, code, name, position, amount) VALUES ('charge', 'card', 'New card', 0, 200), ('charge', 'old', 'Old', 1, 100)")
	c.Set("INSERT INTO choices (list, code, name, position) VALUES ('waive', 'kindness', 'Kindness', 0)")
	c.Set("UPDATE choices SET retired = true WHERE code = 'old'")
	p := c.Patron("HVH")
	byHand := func(b accounts.ByHand) (*accounts.Charged, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Charged, error) { return accounts.ChargeByHand(a, p, b) })
	}
	charged, err := byHand(accounts.ByHand{Charge: "card"})
	require.NoError(t, err)
	assert.Equal(t, accounts.Charged{Patron: p, Owes: "2.00"}, *charged)
	charged, err = byHand(accounts.ByHand{Charge: "card", Note: " the second "})
	require.NoError(t, err)
	assert.Equal(t, "4.00", charged.Owes)
	assert.Equal(t, "New card|New card, the second", c.Ask("SELECT string_agg(reason, '|' ORDER BY id) FROM ledger"))
	for says, b := range map[string]accounts.ByHand{
		`no "old"`: {Charge: "old"}, `no "kindness"`: {Charge: "kindness"}, "A charge that is not on the price list needs a description. Enter what it is for.": {Amount: "1.00", Note: " "},
		"Enter an amount above zero.": {Amount: "0.00", Note: "A map"}, "not a sum of money": {Amount: "1,00", Note: "A map"},
	} {
		_, err := byHand(b)
		assert.ErrorContains(t, err, says)
	}
	assert.Equal(t, "400", c.balance(p), "nothing was charged by what was refused")
}

// Of several who pay together only those of whom something is settled are told of it: the oldest charge is his, and takes all of it.
func TestWhoIsToldOfAPayment(t *testing.T) {
	c := newCounter(t)
	hers, his := c.Patron("HVH"), c.Patron("HVH")
	c.charge(his, "2.00")
	c.charge(hers, "1.00")
	s, err := c.settle(accounts.Settling{Patrons: []int64{hers, his}, Amount: "2.00", Means: ledger.Card})
	require.NoError(t, err)
	assert.Equal(t, []accounts.Owes{{Patron: hers, Owes: "1.00"}, {Patron: his, Owes: "0.00"}}, s.Owing)
	assert.Equal(t, strconv.FormatInt(his, 10), c.Ask("SELECT string_agg(patron_id::text, ' ') FROM events WHERE kind = 'paid'"))
}

// Receipts are listed by till where one is asked for; a till of another branch is none of theirs.
func TestReceiptsOfATill(t *testing.T) {
	c := newCounter(t)
	p := c.Patron("HVH")
	c.charge(p, "3.00")
	pay := func(till int64) {
		t.Helper()
		_, err := c.settle(accounts.Settling{Patrons: []int64{p}, Amount: "1.00", Means: ledger.Card, Till: till})
		require.NoError(t, err)
	}
	pay(0)
	till := testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.OpenTill(a, accounts.Opening{Name: "Evening", LaidIn: "0"})
	})
	pay(till.ID)
	of := func(who act.Actor, till int64) ([]accounts.Receipt, error) {
		return testkit.Try(c.House, who, func(a *act.Act) ([]accounts.Receipt, error) {
			rows, _, err := accounts.Receipts(a, accountsdb.WhichReceipts{Till: till}, store.Page{})
			return rows, err
		})
	}
	all, err := of(c.here, 0)
	require.NoError(t, err)
	assert.Len(t, all, 2)
	its, err := of(c.here, till.ID)
	require.NoError(t, err)
	require.Len(t, its, 1)
	assert.Equal(t, "Evening", its[0].Till)
	open := testkit.Do(t, c.House, c.here, accounts.Tills)
	require.Len(t, open, 1)
	assert.Equal(t, "1.00", open[0].Due.Card)
	_, err = of(c.Staff(role.Desk, "SLM"), till.ID)
	require.Error(t, err)
}

func invoicesAtOnce(schools []int64, do func(int64) (*accounts.Invoice, error)) chan error {
	errs := make(chan error, len(schools))
	for _, p := range schools {
		go func() {
			_, err := do(p)
			errs <- err
		}()
	}
	return errs
}

// Who is owed something is not forgotten before it has been refunded; what they said in a dispute goes with them.
func TestForgettingWaitsForRefunds(t *testing.T) {
	c := newCounter(t)
	boss := c.Staff(role.Supervisor, "HVH")
	p := c.Patron("HVH")
	charge := c.charge(p, "2.00")
	testkit.Done(t, c.House, c.here, func(a *act.Act) error { return accounts.PutInDispute(a, charge, "My brother did it") })
	_, err := c.settle(accounts.Settling{Patrons: []int64{p}, Charges: []int64{charge}, Amount: "2.00", Means: ledger.Card})
	require.NoError(t, err)
	_, err = c.credit(c.here, charge)
	require.NoError(t, err)
	forget := func() error {
		_, err := testkit.Try(c.House, boss, func(a *act.Act) (*keeping.Forgetting, error) { return keeping.Forget(a, p) })
		return err
	}
	require.ErrorContains(t, forget(), "2.00 to be given back")
	testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Receipt, error) {
		return accounts.PayOut(a, accounts.PayingOut{Patron: p, Means: ledger.Card})
	})
	require.NoError(t, forget())
	assert.Equal(t, "The patron has been forgotten.", c.Ask("SELECT says FROM disputes"))
}
