package interlibrary_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/interlibrary"
	"nevrin/core/exchange"
	"nevrin/formats/iso18626"
	"nevrin/store/interlibrarydb"
	"nevrin/testkit"
)

func action(number, what string) iso18626.Message {
	return iso18626.Message{RequestingAgencyMessage: &iso18626.RequestingAgencyMessage{Header: theirHead(number), Action: what}}
}

func theyAsk(number, title, service string) iso18626.Message {
	return iso18626.Message{Request: &iso18626.Request{
		Header: theirHead(number), Bibliographic: iso18626.Bibliographic{Title: title}, Service: iso18626.Service{Type: service},
	}}
}

// What is not taken is answered in the standard's words: of another library than whose secret it is, with an action, a reason, a number or
// a value that we do not know, or at a time when it cannot come.
func TestMessagesThatAreNotTaken(t *testing.T) {
	h := testkit.House(t)
	r := ask(t, h)
	taken := func(m iso18626.Message) {
		ok, says, err := incoming(h, m)
		require.NoError(t, err)
		require.True(t, ok, says)
	}
	taken(theyAsk("K-1", "Whatever", "Loan"))
	request := func(change func(*iso18626.Request)) iso18626.Message {
		m := theyAsk("K-2", "Whatever", "Loan")
		change(m.Request)
		return m
	}
	said := func(change func(*iso18626.SupplyingAgencyMessage)) iso18626.Message {
		m := status(r.Number, "WillSupply", "")
		change(m.SupplyingAgencyMessage)
		return m
	}
	for name, c := range map[string]struct {
		m    iso18626.Message
		says string
	}{
		"another library asks":          {request(func(q *iso18626.Request) { q.Header.Requesting.Value = "GLENFERR" }), `UnrecognisedDataValue requestingAgencyId: found "GLENFERR"; expected KELMOUTH`},
		"asks somebody else":            {request(func(q *iso18626.Request) { q.Header.Supplying.Value = "GLENFERR" }), `UnrecognisedDataValue supplyingAgencyId: found "GLENFERR"; expected ORRIN`},
		"without a number":              {request(func(q *iso18626.Request) { q.Header.RequestingRequestID = "" }), "UnrecognisedDataValue requestingAgencyRequestId: it is missing"},
		"without a title":               {request(func(q *iso18626.Request) { q.Bibliographic.Title = "" }), "UnrecognisedDataElement title"},
		"a service of none":             {request(func(q *iso18626.Request) { q.Service.Type = "Gift" }), `UnrecognisedDataValue serviceType: found "Gift"`},
		"a day that is none":            {request(func(q *iso18626.Request) { q.Service.NeedBefore = "soon" }), "UnrecognisedDataValue needBeforeDate"},
		"another's answer":              {said(func(s *iso18626.SupplyingAgencyMessage) { s.Header.Supplying.Value = "GLENFERR" }), `UnrecognisedDataValue supplyingAgencyId: found "GLENFERR"; expected KELMOUTH`},
		"a reason of none":              {said(func(s *iso18626.SupplyingAgencyMessage) { s.Info.Reason = "Whim" }), "UnsupportedReasonForMessageType Whim"},
		"a status of none":              {said(func(s *iso18626.SupplyingAgencyMessage) { s.Status.Status = "Eaten" }), "UnrecognisedDataValue status: Eaten"},
		"a due date of none":            {said(func(s *iso18626.SupplyingAgencyMessage) { s.Status.DueDate = "soon" }), "UnrecognisedDataValue dueDate"},
		"out of turn":                   {status(r.Number, "LoanCompleted", ""), "UnrecognisedDataValue LoanCompleted cannot come while the request is asked"},
		"an action of none":             {action("K-1", "Dance"), "UnsupportedActionType Dance"},
		"an action that we do not have": {action("K-1", exchange.ShippedForward), "UnsupportedActionType ShippedForward"},
		"a renewal of nothing":          {action("K-1", exchange.Renew), "UnrecognisedDataValue Renew cannot come while the request is asked"},
		"a number of none":              {action("K-0", exchange.Received), `UnrecognisedDataValue requestingAgencyRequestId: there is no request "K-0"`},
		"a number of ours":              {action(r.Number, exchange.Received), "UnrecognisedDataValue requestingAgencyRequestId"},
	} {
		ok, says, err := incoming(h, c.m)
		require.NoError(t, err, name)
		assert.False(t, ok, name)
		assert.Contains(t, says, c.says, name)
	}
	assert.Equal(t, "asked asked", testkit.Text(t, h, "SELECT string_agg(stage, ' ') FROM requests WHERE number IN ('K-1', ?)", r.Number), "nothing was done")
}

// lastSent gives what a request's last message of ours says.
func lastSent(t *testing.T, number string, ask func(string, ...any) string) *iso18626.SupplyingAgencyMessage {
	t.Helper()
	body := ask("SELECT e.body FROM exchanges e JOIN requests r ON r.id = e.request_id WHERE r.number = ? AND e.outgoing ORDER BY e.id DESC LIMIT 1", number)
	m, err := iso18626.Read(strings.NewReader(body))
	require.NoError(t, err)
	require.NotNil(t, m.SupplyingAgencyMessage, body)
	return m.SupplyingAgencyMessage
}

// A partner may ask at any time how it stands, renews by our rules, and can withdraw until it has left.
func TestWhatTheyMayDo(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	text := func(query string, args ...any) string { return testkit.Text(t, h, query, args...) }
	does := func(number, what string) *iso18626.SupplyingAgencyMessage {
		ok, says, err := incoming(h, action(number, what))
		require.NoError(t, err)
		require.True(t, ok, says)
		return lastSent(t, number, text)
	}
	barcode := testkit.Text(t, h, testkit.FreeItem, "HVH", "book")
	title := text("SELECT t.name FROM titles t JOIN items i ON i.title_id = t.id WHERE i.barcode = ?", barcode)
	for _, number := range []string{"K-1", "K-2"} {
		ok, says, err := incoming(h, theyAsk(number, title, "Loan"))
		require.NoError(t, err)
		require.True(t, ok, says)
	}
	said := does("K-1", exchange.StatusRequest)
	assert.Equal(t, []string{exchange.StatusRequestResponse, exchange.RequestReceived}, []string{said.Info.Reason, said.Status.Status})
	said = does("K-2", exchange.Cancel)
	assert.Equal(t, []string{exchange.CancelResponse, "Y", exchange.Cancelled}, []string{said.Info.Reason, said.Info.Answer, said.Status.Status})
	said = does("K-2", exchange.Cancel)
	assert.Equal(t, "Y", said.Info.Answer, "said twice")

	id := func(number string) (n int64) {
		require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM requests WHERE number = ?", number).Scan(&n).Error)
		return n
	}
	var item int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM items WHERE barcode = ?", barcode).Scan(&item).Error)
	testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Reply(a, id("K-1"), interlibrary.Answer{Yes: true, Item: item})
	})
	said = lastSent(t, "K-1", text)
	assert.Equal(t, []string{exchange.RequestResponse, exchange.WillSupply}, []string{said.Info.Reason, said.Status.Status}, "it answers the request")
	ship(t, h, caspar, barcode)
	due := text("SELECT due_date::text FROM loans l JOIN requests r ON r.loan_id = l.id WHERE r.number = 'K-1'")
	said = does("K-1", exchange.Cancel)
	assert.Equal(t, []string{exchange.CancelResponse, "N", exchange.Loaned}, []string{said.Info.Reason, said.Info.Answer, said.Status.Status})
	require.Equal(t, "shipped", text("SELECT stage FROM requests WHERE number = 'K-1'"))
	does("K-1", exchange.Received)
	require.NoError(t, testkit.SQL(h).Exec("UPDATE training_clock SET shows = shows + interval '20 days'").Error)
	said = does("K-1", exchange.Renew)
	assert.Equal(t, []string{exchange.RenewResponse, "Y", exchange.Loaned}, []string{said.Info.Reason, said.Info.Answer, said.Status.Status})
	renewed := text("SELECT due_date::text FROM loans l JOIN requests r ON r.loan_id = l.id WHERE r.number = 'K-1'")
	assert.Equal(t, renewed, said.Status.DueDate[:10], "the same day on both sides")
	assert.Greater(t, renewed, due)
	testkit.InForce(t, h, map[string][]string{"patron_class": {"partner"}}, "renewals", 0)
	said = does("K-1", exchange.Renew)
	assert.Equal(t, []string{exchange.RenewResponse, "N", exchange.Loaned}, []string{said.Info.Reason, said.Info.Answer, said.Status.Status})
	assert.Contains(t, said.Info.Note, "Not renewed")
	assert.Equal(t, renewed, said.Status.DueDate[:10])
	does("K-1", exchange.ShippedReturn)
	assert.Equal(t, "back", text("SELECT stage FROM requests WHERE number = 'K-1'"))
}

// The lender answers a renewal: yes moves the due date here too, no leaves it.
func TestTheLenderRenews(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	number := testkit.Text(t, h, `SELECT r.number FROM requests r JOIN loans l ON l.item_id = r.item_id AND l.returned_at IS NULL JOIN partners p ON p.id = r.partner_id
		WHERE r.role = 'requesting' AND r.stage = 'there' AND p.symbol = 'KELMOUTH' LIMIT 1`)
	due := func() string {
		return testkit.Text(t, h, `SELECT l.due_date || ' ' || r.renewing FROM loans l JOIN requests r ON r.item_id = l.item_id WHERE r.number = ? AND l.returned_at IS NULL`, number)
	}
	before := due()
	var id int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM requests WHERE number = ?", number).Scan(&id).Error)
	asked := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Renew(a, id) })
	assert.Contains(t, asked.Says, "Renewal requested")
	_, err := testkit.Try(h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Renew(a, id) })
	require.ErrorContains(t, err, "already been asked")
	refused := func() { // their system does not take our last message
		var last int64
		require.NoError(t, testkit.SQL(h).Raw("SELECT max(id) FROM exchanges WHERE request_id = ? AND outgoing", id).Scan(&last).Error)
		require.NoError(t, interlibrarydb.ExchangeTried(t.Context(), h.Store, last, "refused", "Their system does not know this action: Renew"))
	}
	refused()
	again := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Renew(a, id) })
	assert.True(t, again.Renewing, "it can be asked again")
	answer := func(yes, due string) {
		m := status(number, exchange.Loaned, due)
		m.SupplyingAgencyMessage.Info = iso18626.MessageInfo{Reason: exchange.RenewResponse, Answer: yes, Note: "Others wait."}
		ok, says, err := incoming(h, m)
		require.NoError(t, err)
		require.True(t, ok, says)
	}
	answer("N", "")
	assert.Equal(t, before, due())
	assert.Equal(t, "Not renewed by the lender. Others wait.", testkit.Text(t, h, "SELECT last_note FROM requests WHERE number = ?", number))
	testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Renew(a, id) })
	answer("Y", "2027-01-15")
	answer("Y", "2027-01-15") // it comes twice
	assert.Equal(t, "2027-01-11 false", due(), "four days before the lender's date")
	answer("Y", "2026-10-20") // and once more, of another day, asked for by nobody
	assert.Equal(t, "2027-01-11 false", due())
	assert.Equal(t, "2027-01-15", testkit.Text(t, h, "SELECT due::text FROM requests WHERE number = ?", number))
	assert.Equal(t, "1", testkit.Text(t, h, "SELECT count(*)::text FROM events WHERE kind = 'renewed' AND item_id = (SELECT item_id FROM requests WHERE number = ?) AND at >= '2026-10-06'", number))
	assert.Equal(t, "[\"2027-01-11\"]", testkit.Text(t, h, "SELECT i.own_terms ->> 'latest_due' FROM items i JOIN requests r ON r.item_id = i.id WHERE r.number = ?", number))
}

// A copy is asked for, promised and sent without a loan.
func TestTheyAskForACopy(t *testing.T) {
	h := testkit.House(t)
	caspar := testkit.Somebody(t, h, "caspar")
	m := theyAsk("K-5", "Journal of Small Ferries", "Copy")
	m.Request.Bibliographic.ComponentTitle, m.Request.Bibliographic.ComponentAuthor = "On Ropes", "Ulla Veldt"
	m.Request.Bibliographic.Volume, m.Request.Bibliographic.Pages = "12", "3-9"
	ok, says, err := incoming(h, m)
	require.NoError(t, err)
	require.True(t, ok, says)
	var id int64
	require.NoError(t, testkit.SQL(h).Raw("SELECT id FROM requests WHERE number = 'K-5'").Scan(&id).Error)
	r := testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) {
		return interlibrary.Reply(a, id, interlibrary.Answer{Yes: true})
	})
	assert.Equal(t, "“On Ropes”, by Ulla Veldt, volume 12, pages 3-9", r.Part)
	assert.True(t, r.Copy)
	testkit.Do(t, h, caspar, func(a *act.Act) (*interlibrary.Request, error) { return interlibrary.Sent(a, id) })
	assert.Equal(t, exchange.CopyCompleted, lastSent(t, "K-5", func(q string, args ...any) string { return testkit.Text(t, h, q, args...) }).Status.Status)
	assert.Equal(t, "done", testkit.Text(t, h, "SELECT stage || coalesce(loan_id::text, '') FROM requests WHERE number = 'K-5'"))
}
