package desk_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/night"
	"nevrin/app/people"
	"nevrin/app/returns"
	"nevrin/testkit"
)

// lend lends an item to a card at the actor's branch and expects it to be lent.
func lend(t *testing.T, h *act.House, who act.Actor, card, item string) *desk.Result {
	t.Helper()
	opened := testkit.Do(t, h, who, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	require.Equal(t, "card", opened.Kind, opened.Text)
	r := testkit.Do(t, h, who, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: item, Patron: opened.Card.ID})
	})
	require.Equal(t, "lent", r.Kind, r.Text)
	return r
}

func TestLendingSaysWhenAndWhy(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	card := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")
	book := lend(t, h, jory, card, testkit.Text(t, h, testkit.FreeItem, "SLM", "book"))
	assert.Equal(t, "2026-10-27", book.Line.DueExact, "a book goes out for 21 days: common practice, no source")
	film := lend(t, h, jory, card, testkit.Text(t, h, testkit.FreeItem, "SLM", "film"))
	assert.Equal(t, "2026-10-15", film.Line.DueExact, "7 days end on 13 Oct, closed for boiler work until the 14th")
	assert.NotEmpty(t, film.Why.Steps)
	assert.Len(t, cardOf(t, h, jory, film.Patron).OnLoan, 2)

	testkit.Do(t, h, jory, func(a *act.Act) (*desk.Undone, error) { return desk.Undo(a, film.Line.LoanID) })
	assert.Len(t, cardOf(t, h, jory, film.Patron).OnLoan, 1)
}

func cardOf(t *testing.T, h *act.House, who act.Actor, id int64) *people.Card {
	t.Helper()
	return testkit.Do(t, h, who, func(a *act.Act) (*people.Card, error) { return people.Open(a, id) })
}

func TestWhatStandsInTheWayIsSaid(t *testing.T) {
	h := testkit.House(t)
	jory, maren := testkit.Somebody(t, h, "jory"), testkit.Somebody(t, h, "maren")
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	cards := map[string]string{
		"inactive":            "SELECT card FROM patrons WHERE standing = 'inactive' LIMIT 1",
		"excluded":            "SELECT card FROM patrons WHERE standing = 'excluded' LIMIT 1",
		"The card expired on": "SELECT card FROM patrons WHERE standing = 'active' AND card_until < '2026-10-06' LIMIT 1",
		"Owes":                "SELECT card FROM patrons WHERE standing = 'active' AND card_until > '2027-01-01' AND balance > 500 LIMIT 1",
	}
	for says, query := range cards {
		card := testkit.Text(t, h, query)
		opened := testkit.Do(
			t,
			h,
			jory,
			func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) },
		)
		r := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) {
			return desk.Take(a, desk.Scan{Text: item, Patron: opened.Card.ID})
		})
		assert.Equal(t, "refused", r.Kind, says)
		assert.Contains(t, r.Text, says)
		// Somebody entitled gets an ask, and may go past it with a reason only; nobody goes past an exclusion.
		asked := testkit.Do(t, h, maren, func(a *act.Act) (*desk.Result, error) {
			return desk.Take(a, desk.Scan{Text: item, Patron: opened.Card.ID})
		})
		past := desk.Scan{Text: item, Patron: opened.Card.ID, Past: asked.Stops}
		if says == "excluded" {
			assert.Equal(t, "refused", asked.Kind)
			assert.Equal(
				t,
				"refused",
				testkit.Do(t, h, maren, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, past) }).Kind,
			)
			continue
		}
		assert.Equal(t, "ask", asked.Kind, says)
		_, err := act.Do(
			context.Background(),
			h,
			maren,
			"",
			nil,
			func(a *act.Act) (*desk.Result, error) { return desk.Take(a, past) },
		)
		assert.ErrorContains(t, err, "Enter a reason for the override.")
		// Desk staff who send what a supervisor may send are refused anyway.
		assert.Equal(
			t,
			"refused",
			testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, past) }).Kind,
			says,
		)
	}
	for text, says := range map[string]string{"21846999999": "11 digits", "9789295055025": "product code", "31846000000003": "check digit", item: "card first"} {
		r := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: text}) })
		assert.Equal(t, "wrong", r.Kind, text)
		assert.Contains(t, r.Text, says)
	}
}

// Lending stops above $5 owed, not at $5: common practice, no source.
func TestOwingExactlyTheLimitDoesNotStop(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	card := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")
	charge := func(cents int) {
		require.NoError(
			t,
			testkit.SQL(h).
				Exec("INSERT INTO ledger (patron_id, kind, amount, about, at) SELECT id, 'charge', ?, 'late', now() FROM patrons WHERE card = ?", cents, card).
				Error,
		)
	}
	charge(500)
	lend(t, h, jory, card, testkit.Text(t, h, testkit.FreeItem, "SLM", "book"))
	charge(1)
	opened := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	assert.NotEmpty(t, opened.Card.Stops)
	testkit.Do(t, h, jory, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{opened.Card.ID}, Amount: "0.01", Means: "card"})
	})
	assert.Empty(t, cardOf(t, h, jory, opened.Card.ID).Stops, "paying part of it is enough")
}

// Two stations scan the same item in the same second: one lends it, the others are told.
func TestManyStationsOneLoan(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	var patrons []int64
	require.NoError(
		t,
		testkit.SQL(h).
			Raw("SELECT id FROM patrons WHERE branch_code = 'SLM' AND class = 'adult' AND standing = 'active' AND balance = 0 AND card_until > '2027-01-01' LIMIT 8").
			Scan(&patrons).
			Error,
	)
	kinds := make([]string, len(patrons))
	var all sync.WaitGroup
	for k, p := range patrons {
		all.Go(func() {
			r, err := act.Do(context.Background(), h, jory, "", nil, func(a *act.Act) (*desk.Result, error) {
				return desk.Take(a, desk.Scan{Text: item, Patron: p})
			})
			if err == nil {
				kinds[k] = r.Kind
			}
		})
	}
	all.Wait()
	lent := 0
	for _, kind := range kinds {
		if kind == "lent" {
			lent++
		}
	}
	assert.Equal(t, 1, lent, "%v", kinds)
	assert.Equal(
		t,
		"1",
		testkit.Text(
			t,
			h,
			"SELECT count(*)::text FROM loans l JOIN items i ON i.id = l.item_id WHERE i.barcode = ? AND l.returned_at IS NULL",
			item,
		),
	)
}

// A scan sent twice with one key is done once, also when both are under way together.
func TestSameKeySameAnswer(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	card := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Result, error) {
		return desk.Take(a, desk.Scan{Text: testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")})
	}).Card
	loans := make([]int64, 6)
	var all sync.WaitGroup
	for k := range loans {
		all.Go(func() {
			r, err := act.Do(
				context.Background(),
				h,
				jory,
				"one and the same",
				"scan",
				func(a *act.Act) (*desk.Result, error) {
					return desk.Take(a, desk.Scan{Text: item, Patron: card.ID})
				},
			)
			if err == nil && r.Line != nil {
				loans[k] = r.Line.LoanID
			}
		})
	}
	all.Wait()
	for _, id := range loans {
		assert.Equal(t, loans[0], id)
		assert.NotZero(t, id)
	}
	_, err := act.Do(
		context.Background(),
		h,
		jory,
		"one and the same",
		"another scan",
		func(*act.Act) (int, error) { return 0, nil },
	)
	assert.ErrorContains(t, err, "another request")
}

// Monday's bin after a closed Sunday counts as Saturday: common practice, no source. Saltmere is closed
// on Mondays too, so that Tuesday's bin counts as Saturday.
func TestBinCountsAsTheLastOpenDay(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	run := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "bin", "") })
	assert.Equal(t, "2026-10-03", run.Counted)
	again := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "bin", "") })
	assert.Equal(t, run.ID, again.ID, "the run is still there on coming back")
}

func forward(t *testing.T, h *act.House, days int) {
	maren := testkit.Somebody(t, h, "maren")
	testkit.Do(
		t,
		h,
		maren,
		func(a *act.Act) (time.Time, error) { return night.MoveClock(a, time.Duration(days)*24*time.Hour) },
	)
}

// A late film costs what handbook 03 says; the charge is paid in part, waived in part, and undone only while untouched.
func TestLateFilm(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	card := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")
	film := testkit.Text(t, h, testkit.FreeItem, "SLM", "film")
	loan := lend(t, h, jory, card, film) // due Thu 15 Oct
	forward(t, h, 14)                    // Tue 20 Oct: open days late are Fri 16, Sat 17, Tue 20
	run := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	scan := func() *returns.Change {
		return testkit.Do(t, h, jory, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, film) })
	}
	first := scan()
	assert.Equal(t, "3.00", first.Lines[0].Fine)
	assert.Equal(t, "open", first.Lines[0].Answer)
	assert.NotEmpty(t, first.Lines[0].Why.Steps)

	undone := testkit.Do(
		t,
		h,
		jory,
		func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, first.Lines[0].ID) },
	)
	assert.Equal(t, []returns.OpenSum{{PatronID: loan.Patron}}, undone.Open, "nothing is open of them any more")
	assert.Equal(
		t,
		"0",
		testkit.Text(t, h, "SELECT balance::text FROM patrons WHERE card = ?", card),
		"the charge is corrected, not deleted",
	)
	second := scan()
	require.Len(t, second.Open, 1)

	settle := func(s accounts.Settling) *accounts.Settled {
		s.Patrons = []int64{loan.Patron}
		return testkit.Do(t, h, jory, func(a *act.Act) (*accounts.Settled, error) { return accounts.Settle(a, s) })
	}
	settle(accounts.Settling{Amount: "2.00", Means: "cash"})
	_, err := act.Do(
		context.Background(),
		h,
		jory,
		"",
		nil,
		func(a *act.Act) (*returns.Change, error) { return returns.UndoLine(a, second.Lines[0].ID) },
	)
	assert.ErrorContains(t, err, "has been paid")
	_, err = act.Do(context.Background(), h, jory, "", nil, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{loan.Patron}, Amount: "1.01", Means: "cash"})
	})
	assert.ErrorContains(t, err, "more than")
	last := settle(accounts.Settling{Amount: "1.00", Reason: "First time"})
	assert.Equal(t, []accounts.Owes{{Patron: loan.Patron, Owes: "0.00"}}, last.Owing)
	finished := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Run, error) { return returns.Finish(a, run.ID) })
	assert.True(t, finished.Finished)
	assert.Equal(t, "waived", testkit.Text(t, h, "SELECT answer FROM return_lines WHERE id = ?", second.Lines[0].ID))
}

// The same film from the bin: counted as Saturday it is two days late, and the charge goes to the account in silence.
func TestLateFilmFromTheBin(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	film := testkit.Text(t, h, testkit.FreeItem, "SLM", "film")
	lend(t, h, jory, testkit.Text(t, h, testkit.GoodCard, "SLM", "adult"), film)
	forward(t, h, 14)
	run := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "bin", "") })
	line := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, film) })
	assert.Equal(t, "2.00", line.Lines[0].Fine)
	assert.Equal(t, "account", line.Lines[0].Answer)
	assert.Equal(t, "shelf", string(line.Lines[0].Sign.Kind))
	for text, place := range map[string]string{film: "", "31846999999997": "Not ours?", "318469": "Wrong number", "lost label": "No number"} {
		line := testkit.Do(t, h, jory, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, text) })
		if place != "" {
			assert.Equal(t, place, line.Lines[0].Sign.Place, text)
		} else {
			assert.Equal(t, "Already scanned in this batch", line.Lines[0].Found)
		}
	}
}

// A renewal for 21 days, made today, counts from today: common practice, no source.
func TestRenewal(t *testing.T) {
	h := testkit.House(t)
	jory := testkit.Somebody(t, h, "jory")
	loan := lend(
		t,
		h,
		jory,
		testkit.Text(t, h, testkit.GoodCard, "SLM", "adult"),
		testkit.Text(t, h, testkit.FreeItem, "SLM", "book"),
	)
	forward(t, h, 17)
	renewals := func() string {
		return testkit.Text(t, h, "SELECT renewals::text FROM loans WHERE id = ?", loan.Line.LoanID)
	}
	for k, c := range []struct {
		days int
		ok   bool
		used string
		due  string
	}{
		{0, true, "1", "2026-11-13"},
		{0, true, "1", "2026-11-13"}, // gives nothing, so none is used up
		{7, true, "2", "2026-11-20"},
		{7, false, "2", ""},
	} {
		if c.days > 0 {
			forward(t, h, c.days)
		}
		r := testkit.Do(t, h, jory, func(a *act.Act) (*desk.Renewed, error) { return desk.Renew(a, loan.Line.LoanID) })
		assert.Equal(t, c.ok, r.OK, "renewal %d: %s", k+1, r.Text)
		assert.Equal(t, c.used, renewals(), "after renewal %d", k+1)
		if c.ok {
			assert.Equal(t, c.due, r.Line.DueExact)
		}
	}
}
