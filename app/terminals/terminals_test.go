package terminals_test

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/terminals"
	"nevrin/core/ledger"
	"nevrin/core/role"
	"nevrin/standin"
	"nevrin/testkit"
)

// desk is a small world with a station that has a simulated card terminal, spoken with over TCP as in earnest.
type desk struct {
	*testkit.World
	t       *testing.T
	here    act.Actor
	station int64
	page    string // of the terminal
}

func newDesk(t *testing.T) *desk {
	w := testkit.NewWorld(t)
	simulated, err := standin.NewTerminals(t.TempDir(), "desk")
	require.NoError(t, err)
	lines := make([]net.Listener, 2)
	for k := range lines {
		lines[k], err = net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
	}
	go simulated.Serve(t.Context(), lines[0], lines[1])
	d := &desk{w, t, w.Staff(role.Desk, "HVH"), 700, "http://" + lines[0].Addr().String() + "/"}
	w.Set("INSERT INTO stations (id, branch_code, name, paper, slips, sounds, terminal) VALUES (700, 'HVH', 'Desk', '80mm', false, true, ?)", lines[1].Addr().String())
	w.Set("UPDATE network SET version = version + 1")
	return d
}

// owing gives a patron who owes a sum.
func (d *desk) owing(sum string) int64 {
	d.t.Helper()
	p := d.Patron("HVH")
	testkit.Do(d.t, d.House, d.here, func(a *act.Act) (*accounts.Charged, error) {
		return accounts.ChargeByHand(a, p, accounts.ByHand{Amount: sum, Note: "A torn map"})
	})
	return p
}

// ask asks for a payment at the terminal. Nobody works on it yet.
func (d *desk) ask(sum string, patrons ...int64) (*accounts.CardPayment, error) {
	return testkit.Try(d.House, d.here, func(a *act.Act) (*accounts.CardPayment, error) {
		return accounts.AskTerminal(a, accounts.AtTerminal{
			Settling: accounts.Settling{Patrons: patrons, Amount: sum}, Station: d.station,
		}, func(int64) error { return nil })
	})
}

func (d *desk) asked(sum string, patrons ...int64) *accounts.CardPayment {
	d.t.Helper()
	p, err := d.ask(sum, patrons...)
	require.NoError(d.t, err)
	return p
}

func (d *desk) now(id int64) *accounts.CardPayment {
	d.t.Helper()
	return testkit.Do(d.t, d.House, d.here, func(a *act.Act) (*accounts.CardPayment, error) { return accounts.Payment(a, id) })
}

// deed is what somebody does at the terminal: hold a card to it, press a key, pull its plug.
func (d *desk) deed(what string) {
	d.t.Helper()
	answer, err := http.PostForm(d.page+"desk/"+what, url.Values{})
	require.NoError(d.t, err)
	require.NoError(d.t, answer.Body.Close())
}

func (d *desk) shows() string {
	answer, err := http.Get(d.page)
	require.NoError(d.t, err)
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	require.NoError(d.t, err)
	return string(text)
}

// waits waits until the terminal waits for a card.
func (d *desk) waits() {
	d.t.Helper()
	require.Eventually(d.t, func() bool { return strings.Contains(d.shows(), "It waits for a card") }, 10*time.Second, 10*time.Millisecond)
}

// work lets somebody work on a payment; the function waits until they have stopped.
func (d *desk) work(ctx context.Context, id int64) (wait func()) {
	var all sync.WaitGroup
	all.Go(func() { _ = terminals.Run(ctx, d.House, id) })
	return all.Wait
}

func (d *desk) balance(p int64) string {
	return d.Ask("SELECT balance::text FROM patrons WHERE id = ?", p)
}

// approvals is how often the terminal has charged a card and kept the money.
func (d *desk) approvals() int {
	return len(regexp.MustCompile(`, approved A\d{5}`).FindAllString(d.shows(), -1))
}

func TestCardIsCharged(t *testing.T) {
	d := newDesk(t)
	mother, son := d.owing("2.50"), d.owing("1.00")
	p := d.asked("3.50", mother, son)
	assert.Equal(t, "Waiting for a card at the terminal.", p.Says)
	wait := d.work(t.Context(), p.ID)
	d.waits()
	assert.Equal(t, "250", d.balance(mother), "nothing is settled before the card was charged")
	d.deed("card")
	wait()
	assert.Equal(t, "0 0", d.balance(mother)+" "+d.balance(son))
	assert.Equal(t, "card 350 true", d.Ask("SELECT means || ' ' || amount || ' ' || (reference ~ '^A[0-9]{5}$') FROM receipts"))
	p = d.now(p.ID)
	assert.Equal(t, []any{true, "Taken.", []int64{}}, []any{p.Ended, p.Says, p.Patrons})
	assert.Equal(t, "0", d.Ask("SELECT count(*)::text FROM terminal_payers"))
	assert.Equal(t, "1", d.Ask("SELECT count(*)::text FROM terminal_payments WHERE settling IS NULL"), "what it settled the receipt says")
}

func TestCardIsNotCharged(t *testing.T) {
	for deed, says := range map[string]string{
		"refuse": "The card was refused. Not paid.", "leave": "Called off at the terminal. Not paid.",
	} {
		d := newDesk(t)
		patron := d.owing("2.50")
		p := d.asked("2.50", patron)
		wait := d.work(t.Context(), p.ID)
		d.waits()
		d.deed(deed)
		wait()
		assert.Equal(t, says, d.now(p.ID).Says)
		assert.Equal(t, "250", d.balance(patron))
		assert.Equal(t, "1", d.Ask("SELECT count(*)::text FROM events WHERE kind = 'card_not_paid' AND patron_id = ?", patron))
		d.asked("2.50", patron) // and may be asked for anew
	}
}

// The answer gets lost, or the program is killed while it waits or just after: the terminal is asked how it ended, and never for more.
func TestNothingIsChargedTwice(t *testing.T) {
	t.Run("the answer is lost", func(t *testing.T) {
		d := newDesk(t)
		patron := d.owing("2.50")
		p := d.asked("2.50", patron)
		d.deed("lose")
		wait := d.work(t.Context(), p.ID)
		d.waits()
		d.deed("card")
		wait()
		assert.Equal(t, []any{"0", 1, "taken"}, []any{d.balance(patron), d.approvals(), string(d.now(p.ID).State)})
	})
	t.Run("killed while it waits for the card", func(t *testing.T) {
		d := newDesk(t)
		patron := d.owing("2.50")
		p := d.asked("2.50", patron)
		killed, kill := context.WithCancel(t.Context())
		wait := d.work(killed, p.ID)
		d.waits()
		kill()
		wait()
		d.deed("card") // nobody listens
		assert.Equal(t, "250", d.balance(patron))
		d.Set("UPDATE work_claims SET beat_at = beat_at - interval '1 minute'")
		d.work(t.Context(), p.ID)()
		assert.Equal(t, []any{"0", 1, "taken"}, []any{d.balance(patron), d.approvals(), string(d.now(p.ID).State)})
	})
	t.Run("the terminal has another address by then", func(t *testing.T) {
		d := newDesk(t)
		patron := d.owing("2.50")
		known := d.Ask("SELECT terminal FROM stations WHERE id = 700")
		d.Set("UPDATE stations SET terminal = '127.0.0.1:9' WHERE id = 700")
		d.Set("UPDATE network SET version = version + 1")
		p := d.asked("2.50", patron)
		d.Set("UPDATE stations SET terminal = ? WHERE id = 700", known)
		wait := d.work(t.Context(), p.ID)
		d.waits()
		d.deed("card")
		wait()
		assert.Equal(t, []any{"0", 1}, []any{d.balance(patron), d.approvals()})
	})
	t.Run("two work on it", func(t *testing.T) {
		d := newDesk(t)
		patron := d.owing("2.50")
		p := d.asked("2.50", patron)
		one, two := d.work(t.Context(), p.ID), d.work(t.Context(), p.ID)
		d.waits()
		d.deed("card")
		one()
		two()
		assert.Equal(t, []any{"0", 1, "1"}, []any{d.balance(patron), d.approvals(), d.Ask("SELECT count(*)::text FROM receipts")})
	})
	t.Run("it never reached the terminal", func(t *testing.T) {
		d := newDesk(t)
		patron := d.owing("2.50")
		p := d.asked("2.50", patron)
		d.Set("UPDATE terminal_payments SET sent = true, asked_at = now() - interval '5 minutes'")
		d.work(t.Context(), p.ID)()
		assert.Equal(t, []any{"250", 0, "refused"}, []any{d.balance(patron), d.approvals(), string(d.now(p.ID).State)})
	})
}

// Called off while the terminal waits, nothing is charged; called off as the card is held to it, it is refunded or taken, never both.
func TestCalledOff(t *testing.T) {
	d := newDesk(t)
	patron := d.owing("2.50")
	stop := func(id int64) (*accounts.CardPayment, error) {
		return testkit.Try(d.House, d.here, func(a *act.Act) (*accounts.CardPayment, error) { return accounts.StopPayment(a, id) })
	}
	p := d.asked("2.50", patron)
	wait := d.work(t.Context(), p.ID)
	d.waits()
	for range 2 { // twice is once
		_, err := stop(p.ID)
		require.NoError(t, err)
	}
	wait()
	assert.Equal(t, "Called off. Not paid.", d.now(p.ID).Says)
	_, err := stop(p.ID)
	assert.EqualError(t, err, "It is too late to cancel it. Not paid.")
	for range 8 {
		p := d.asked("0.25", patron)
		wait := d.work(t.Context(), p.ID)
		d.waits()
		var both sync.WaitGroup
		both.Go(func() { d.deed("card") })
		both.Go(func() { _, _ = stop(p.ID) })
		both.Wait()
		wait()
	}
	taken := d.Ask("SELECT count(*)::text FROM receipts")
	assert.Equal(t, taken, fmt.Sprint(d.approvals()), "what the terminal has kept is what was written down")
	assert.Equal(t, "250", d.Ask("SELECT (balance + 25 * ?::int)::text FROM patrons WHERE id = ?", taken, patron))
}

// What was owed is credited while the card is searched for: the terminal refunds what it has taken for it.
func TestNothingIsOwedAnyMore(t *testing.T) {
	d := newDesk(t)
	patron := d.owing("2.50")
	p := d.asked("2.50", patron)
	wait := d.work(t.Context(), p.ID)
	d.waits()
	charge := d.Ask("SELECT max(id)::text FROM ledger")
	testkit.Do(t, d.House, d.here, func(a *act.Act) (*accounts.Charged, error) {
		var id int64
		_, err := fmt.Sscan(charge, &id)
		require.NoError(t, err)
		return accounts.Credit(a, id, "Not torn after all")
	})
	d.deed("card")
	wait()
	p = d.now(p.ID)
	assert.Equal(t, "returned", string(p.State))
	assert.Contains(t, p.Says, "Refunded to the card.")
	assert.Equal(t, []any{"0", 0, "0"}, []any{d.balance(patron), d.approvals(), d.Ask("SELECT count(*)::text FROM receipts")})
}

// While somebody pays at a terminal nothing else settles what they owe, and their till is not counted.
func TestNothingBesideIt(t *testing.T) {
	d := newDesk(t)
	patron := d.owing("2.50")
	till := testkit.Do(t, d.House, d.here, func(a *act.Act) (*accounts.Till, error) {
		return accounts.OpenTill(a, accounts.Opening{Name: "Desk", LaidIn: "20.00"})
	})
	p := d.asked("1.00", patron)
	_, err := d.ask("1.50", patron)
	assert.EqualError(t, err, "A card payment of $1.00 for this person is still at the terminal. Wait for it to finish, or cancel it.")
	for _, s := range []accounts.Settling{
		{Patrons: []int64{patron}, Amount: "1.00", Means: ledger.Cash}, {Patrons: []int64{patron}, Amount: "1.00", Reason: "Illness"},
	} {
		boss := d.Staff(role.Supervisor, "HVH")
		_, err := testkit.Try(d.House, boss, func(a *act.Act) (*accounts.Settled, error) { return accounts.Settle(a, s) })
		assert.ErrorContains(t, err, "A card payment of $1.00 for this person is still at the terminal. Wait for it to finish, or cancel it.")
	}
	closing := func() error {
		_, err := testkit.Try(d.House, d.here, func(a *act.Act) (*accounts.Till, error) {
			return accounts.CloseTill(a, till.ID, accounts.Counting{Drawer: accounts.Drawer{Cash: "20.00", Card: "1.00", Cheque: "0"}})
		})
		return err
	}
	assert.ErrorContains(t, closing(), "A card payment into this till is in progress. Wait for it or cancel it, then count.")
	wait := d.work(t.Context(), p.ID)
	d.waits()
	d.deed("card")
	wait()
	require.NoError(t, closing())
}

// A terminal that does not answer is asked again; meanwhile somebody may say how it ended, and only then.
func TestTerminalDoesNotAnswer(t *testing.T) {
	d := newDesk(t)
	one, two := d.owing("2.50"), d.owing("4.00")
	end := func(id int64, h accounts.Hand) error {
		_, err := testkit.Try(d.House, d.here, func(a *act.Act) (*accounts.CardPayment, error) { return accounts.EndByHand(a, id, h) })
		return err
	}
	d.deed("down")
	p, q := d.asked("2.50", one), d.asked("4.00", two)
	assert.ErrorContains(t, end(p.ID, accounts.Hand{Reason: "Seen"}), "The terminal is answering and will report the outcome. Wait for it, or cancel it.")
	ctx, stop := context.WithCancel(t.Context())
	waits := []func(){d.work(ctx, p.ID), d.work(ctx, q.ID)}
	require.Eventually(t, func() bool { return d.now(p.ID).Silent && d.now(q.ID).Silent }, 10*time.Second, 20*time.Millisecond)
	assert.Contains(t, d.now(p.ID).Says, "The terminal does not say how it ended. Asking again.")
	assert.ErrorContains(t, end(p.ID, accounts.Hand{Taken: true, Reason: " "}), "Enter how you know, such as from the terminal's slip.")
	require.NoError(t, end(p.ID, accounts.Hand{Taken: true, Number: "B 4471", Reason: "Slip of the terminal"}))
	require.NoError(t, end(q.ID, accounts.Hand{Reason: "It was switched off"}))
	assert.ErrorContains(t, end(q.ID, accounts.Hand{Reason: "Again"}), "It has ended already. Not paid.")
	assert.Equal(t, "0 400", d.balance(one)+" "+d.balance(two))
	stop()
	for _, wait := range waits {
		wait()
	}
	elsewhere := d.Staff(role.Desk, "SLM")
	_, err := testkit.Try(d.House, elsewhere, func(a *act.Act) (*accounts.CardPayment, error) { return accounts.Payment(a, p.ID) })
	assert.ErrorContains(t, err, "Only that branch or a supervisor can open it.")
}

// A station without a terminal, one of another branch, and sums that cannot be.
func TestWhatIsNotAskedFor(t *testing.T) {
	d := newDesk(t)
	patron := d.owing("2.50")
	for sum, says := range map[string]string{
		"0": "must be more than nothing", "-1": "not a sum of money", "1,50": "not a sum of money", "2.51": "is more than the $2.50 that is owed",
	} {
		_, err := d.ask(sum, patron)
		assert.ErrorContains(t, err, says, sum)
	}
	d.station = 701
	_, err := d.ask("1.00", patron)
	assert.ErrorContains(t, err, "This station has no card terminal.")
	assert.Equal(t, "0", d.Ask("SELECT count(*)::text FROM terminal_payments"))
}

// A terminal that was exchanged knows nothing of refunds owed: somebody who refunds it by hand says so.
func TestTerminalKnowsNothingOfIt(t *testing.T) {
	d := newDesk(t)
	p := d.asked("2.50", d.owing("2.50"))
	d.Set("UPDATE terminal_payments SET state = 'returning', sent = true")
	ctx, stop := context.WithCancel(t.Context())
	wait := d.work(ctx, p.ID)
	require.Eventually(t, func() bool { return d.now(p.ID).Silent }, 10*time.Second, 20*time.Millisecond)
	ended := testkit.Do(t, d.House, d.here, func(a *act.Act) (*accounts.CardPayment, error) {
		return accounts.EndByHand(a, p.ID, accounts.Hand{Reason: "Refunded from the drawer"})
	})
	assert.Equal(t, "returned", string(ended.State))
	stop()
	wait()
	assert.Zero(t, d.approvals())
}

// Many stations ask for payments of the same person at once: one does, the others are told.
func TestManyAskAtOnce(t *testing.T) {
	d := newDesk(t)
	patron, sister := d.owing("2.50"), d.owing("2.50")
	var all sync.WaitGroup
	said := make(chan error, 16)
	for k := range cap(said) {
		all.Go(func() {
			_, err := d.ask("0.50", [][]int64{{patron}, {sister, patron}}[k%2]...)
			said <- err
		})
	}
	all.Wait()
	close(said)
	asked := 0
	for err := range said {
		if err == nil {
			asked++
			continue
		}
		assert.ErrorContains(t, err, "for this person is still at the terminal. Wait for it to finish, or cancel it.")
	}
	assert.Equal(t, 1, asked)
	assert.Equal(t, "1", d.Ask("SELECT count(*)::text FROM terminal_payments"))
}
