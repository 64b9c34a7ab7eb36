package interlibrary_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/interlibrary"
	"nevrin/app/partners"
	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/formats/iso18626"
	"nevrin/testkit"
)

const secret = "training-secret-KELMOUTH"

func incoming(h *act.House, m iso18626.Message) (bool, string, error) {
	p, err := partners.Who(context.Background(), h, secret)
	if err != nil {
		return false, "", err
	}
	answer, err := act.Do(context.Background(), h, act.Machine, "", nil, func(a *act.Act) (iso18626.Message, error) {
		return partners.Incoming(a, p, &m, "<test/>")
	})
	ok, wrong := answer.Confirmed()
	if ok || wrong == nil {
		return ok, "", err
	}
	return ok, string(wrong.Type) + " " + wrong.Value, err
}

func head(number string) iso18626.Header {
	return iso18626.Header{
		Supplying:           iso18626.Agency{Type: "ISIL", Value: "KELMOUTH"},
		Requesting:          iso18626.Agency{Type: "ISIL", Value: "ORRIN"},
		Timestamp:           time.Now().Format(time.RFC3339),
		RequestingRequestID: number,
	}
}

// theirHead begins a message about a request of theirs.
func theirHead(number string) iso18626.Header {
	h := head(number)
	h.Supplying, h.Requesting = h.Requesting, h.Supplying
	return h
}

func status(number, status, due string) iso18626.Message {
	return iso18626.Message{
		SupplyingAgencyMessage: &iso18626.SupplyingAgencyMessage{
			Header: head(number),
			Info:   iso18626.MessageInfo{Reason: "StatusChange"},
			Status: iso18626.StatusInfo{Status: status, DueDate: due},
		},
	}
}

func ask(t *testing.T, h *act.House) *interlibrary.Request {
	caspar := testkit.Somebody(t, h, "caspar")
	return testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		var patron, partner int64
		require.NoError(
			t,
			testkit.SQL(h).
				Raw("SELECT id FROM patrons WHERE card = ?", testkit.Text(t, h, testkit.GoodCard, "HVH", "adult")).
				Scan(&patron).
				Error,
		)
		require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM partners WHERE symbol = 'KELMOUTH'").Scan(&partner).Error)
		return interlibrary.Ask(a, interlibrary.Order{Partner: partner, Title: "Tidal Mills", Patron: patron, Pickup: "SLM"})
	})
}

// Messages that come twice change nothing; ones that cannot come now are answered with an error; the
// item that arrives goes on to its pickup branch and is never lent past the lender's date.
func TestOurRequestAndItsMessages(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	r := ask(t, h)
	_, err := act.Do(
		context.Background(),
		h,
		caspar,
		"",
		nil,
		func(a *act.Act) (*interlibrary.Taken, error) { return interlibrary.Arrived(a, r.ID, nil) },
	)
	assert.ErrorContains(t, err, "only what the partner has sent")
	for range 2 {
		ok, problem, err := incoming(h, status(r.Number, "Loaned", "2026-10-24"))
		require.NoError(t, err)
		assert.True(t, ok, problem)
	}
	ok, problem, err := incoming(h, status(r.Number, "Unfilled", ""))
	require.NoError(t, err)
	assert.False(t, ok)
	assert.Contains(t, problem, "cannot come while the request is shipped")
	ok, problem, err = incoming(h, status("ORRIN-none", "Loaned", ""))
	require.NoError(t, err)
	assert.False(t, ok)
	assert.Contains(t, problem, `UnrecognisedDataValue requestingAgencyRequestId: there is no request "ORRIN-none"`)

	taken := testkit.Do(
		t,
		h,
		caspar,
		func(a *act.Act) (*interlibrary.Taken, error) { return interlibrary.Arrived(a, r.ID, nil) },
	)
	assert.Equal(t, calendar.Code("SLM"), taken.Sign.Code, "on to the pickup branch")
	s := scan(t, h, caspar, taken.Code)
	assert.Equal(t, "wrong", s.Kind)
	assert.Equal(t, "It is still on hold or in transit. Receive it or cancel the hold first.", s.Says)
}

// A withdrawal runs until the partner has answered it.
func TestWithdrawing(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	r := ask(t, h)
	w := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Withdraw(a, r.ID) })
	assert.Equal(t, exchange.Asked, w.Stage)
	assert.Contains(t, w.Says, "Withdrawn by us; waiting for their answer")
	ok, problem, err := incoming(h, status(r.Number, "Cancelled", ""))
	require.NoError(t, err)
	assert.True(t, ok, problem)
	assert.Equal(t, "withdrawn", testkit.Text(t, h, "SELECT stage FROM requests WHERE id = ?", r.ID))
}

// A message that comes twice at once is one request too, and the partner is told yes both times.
func TestTheyAskTwiceAtOnce(t *testing.T) {
	h := testkit.House(t)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for _, number := range []string{"K-81", "K-82", "K-83", "K-84"} {
				ok, problem, err := incoming(h, iso18626.Message{Request: &iso18626.Request{
					Header:        theirHead(number),
					Bibliographic: iso18626.Bibliographic{Title: "Whatever"},
					Service:       iso18626.Service{Type: "Loan"},
				}})
				assert.NoError(t, err)
				assert.True(t, ok, problem)
			}
		})
	}
	all.Wait()
	assert.Equal(t, "4", testkit.Text(t, h, "SELECT count(*)::text FROM requests WHERE number LIKE 'K-8_'"))
}

// A partner asks twice with one number: one request. A wrong address is refused. A no needs a reason.
func TestTheyAsk(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	request := iso18626.Message{
		Request: &iso18626.Request{
			Header:        theirHead("K-7"),
			Bibliographic: iso18626.Bibliographic{Title: "Whatever"},
			Service:       iso18626.Service{Type: "Loan"},
		},
	}
	for range 2 {
		ok, problem, err := incoming(h, request)
		require.NoError(t, err)
		assert.True(t, ok, problem)
	}
	var ids []int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM requests WHERE number = 'K-7'").Scan(&ids).Error)
	require.Len(t, ids, 1)
	_, err := partners.Who(t.Context(), h, "guessed-secret-00")
	assert.ErrorContains(t, err, "No partner uses this address")
	reply := func(answer interlibrary.Answer) error {
		_, err := act.Do(
			context.Background(),
			h,
			caspar,
			"",
			nil,
			func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Reply(a, ids[0], answer) },
		)
		return err
	}
	assert.ErrorContains(t, reply(interlibrary.Answer{}), "Choose a reason.")
	require.NoError(t, reply(interlibrary.Answer{Reason: "NotHeld"}))
	assert.ErrorContains(t, reply(interlibrary.Answer{Reason: "NotHeld"}), "answered already")
	assert.Contains(
		t,
		testkit.Text(t, h, "SELECT body FROM exchanges WHERE request_id = ? AND outgoing", ids[0]),
		"<reasonUnfilled>NotHeld</reasonUnfilled>",
	)
}
