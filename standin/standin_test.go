package standin_test

import (
	"context"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/smtp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/iso18626"
	"nevrin/formats/sru"
	"nevrin/standin"
)

func listen(t *testing.T) net.Listener {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	return l
}

func get(t *testing.T, url string) string {
	t.Helper()
	answer, err := http.Get(url)
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	data, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return string(data)
}

// The mail server takes what a foreign SMTP client (Go's own) sends, and keeps a message once.
func TestMailIsKeptOnce(t *testing.T) {
	m, err := standin.NewMail(t.TempDir())
	require.NoError(t, err)
	mail, page := listen(t), listen(t)
	go m.Serve(t.Context(), mail, page)
	message := strings.ReplaceAll(
		"From: notices@orrin.invalid\nTo: ines@post.invalid\nSubject: =?utf-8?q?Ready_for_you=3A_The_Na=C3=AFve_Tide?=\nMessage-ID: <one@orrin.invalid>\nContent-Type: text/plain; charset=utf-8\n\nIt waits <here>.\n",
		"\n",
		"\r\n",
	)
	for range 2 {
		require.NoError(
			t,
			smtp.SendMail(
				mail.Addr().String(),
				nil,
				"notices@orrin.invalid",
				[]string{"ines@post.invalid"},
				[]byte(message),
			),
		)
	}
	shown := get(t, "http://"+page.Addr().String())
	assert.Equal(t, 1, strings.Count(shown, "Ready for you: The Naïve Tide"), shown)
	assert.Contains(t, shown, "It waits &lt;here&gt;.", "what is in a message is text, not markup")
	assert.Error(
		t,
		smtp.SendMail(mail.Addr().String(), nil, "a@b.invalid", []string{"c@d.invalid"}, []byte("no message")),
		"what is no message is refused",
	)
}

// partners starts the stand-in and gives its base, and a channel with what it sends to us.
func partners(t *testing.T) (string, <-chan *iso18626.Message) {
	t.Helper()
	said := make(chan *iso18626.Message, 20)
	us := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if m, err := iso18626.Read(r.Body); err == nil {
			said <- m
		}
		w.WriteHeader(http.StatusOK)
	}))
	t.Cleanup(us.Close)
	p := standin.NewPartners()
	p.Reach(us.URL + "/iso18626/")
	l := listen(t)
	ctx, stop := context.WithCancel(t.Context())
	t.Cleanup(stop)
	go p.Serve(ctx, l)
	return "http://" + l.Addr().String(), said
}

func next(t *testing.T, said <-chan *iso18626.Message) *iso18626.Message {
	t.Helper()
	select {
	case m := <-said:
		return m
	case <-time.After(20 * time.Second):
		t.Fatal("the partner said nothing")
		return nil
	}
}

func send(t *testing.T, base, symbol string, m iso18626.Message) {
	t.Helper()
	data, err := iso18626.Write(m)
	require.NoError(t, err)
	answer, err := http.Post(base+"/"+symbol+"/iso18626", "application/xml", strings.NewReader(string(data)))
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	confirmation, err := iso18626.Read(answer.Body)
	require.NoError(t, err)
	ok, problem := confirmation.Confirmed()
	require.True(t, ok, problem)
}

func header(symbol, number string) iso18626.Header {
	return iso18626.Header{
		Supplying:           iso18626.Agency{Type: "ISIL", Value: symbol},
		Requesting:          iso18626.Agency{Type: "ISIL", Value: "ORRIN"},
		Timestamp:           "2026-10-06T09:12:00-03:00",
		RequestingRequestID: number,
	}
}

func request(symbol, number, title string) iso18626.Message {
	return iso18626.Message{
		Request: &iso18626.Request{
			Header:        header(symbol, number),
			Bibliographic: iso18626.Bibliographic{Title: title},
			Service:       iso18626.Service{Type: "Loan"},
		},
	}
}

func TestPartnersHaveHabits(t *testing.T) {
	base, said := partners(t)
	for _, c := range []struct{ symbol, title, status, note string }{
		{"KELMOUTH", "A Grammar of Fog Signals", "WillSupply", ""},
		{"PSABEL", "Winter Choirs of Port Sabel", "Unfilled", ""},
		{"GLENFERR", "Winter Choirs of Port Sabel", "WillSupply", ""},
		{"TIDEINST", "Silt: an Engineer's Enemy", "WillSupply", "in the library only"},
	} {
		send(t, base, c.symbol, request(c.symbol, "ORRIN-"+c.symbol, c.title))
		m := next(t, said).SupplyingAgencyMessage
		assert.Equal(t, c.status, m.Status.Status, c.symbol)
		assert.Contains(t, m.Info.Note, c.note, c.symbol)
		if c.status == "WillSupply" {
			m = next(t, said).SupplyingAgencyMessage
			assert.Equal(t, "Loaned", m.Status.Status, c.symbol)
			assert.Equal(t, "2026-11-17", m.Status.DueDate[:10], "six weeks by the clock of who asks")
		}
	}
	assert.Contains(t, get(t, base+"/LORROW/sru?query=tide"), "not now", "often out of reach")
}

// An exchange that was begun before the stand-in goes on anyway.
func TestPartnersGoOnWithWhatWasBegun(t *testing.T) {
	base, said := partners(t)
	send(
		t,
		base,
		"KELMOUTH",
		iso18626.Message{
			RequestingAgencyMessage: &iso18626.RequestingAgencyMessage{
				Header: header("KELMOUTH", "ORRIN-000007"),
				Action: "ShippedReturn",
			},
		},
	)
	assert.Equal(t, "LoanCompleted", next(t, said).SupplyingAgencyMessage.Status.Status)
}

func TestPartnersAreSearched(t *testing.T) {
	base, _ := partners(t)
	found, err := sru.Search(t.Context(), http.DefaultClient, base+"/KELMOUTH/sru", "tidal mills")
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Equal(t, "Roswen Quist", found[0].Author)
	none, err := sru.Search(t.Context(), http.DefaultClient, base+"/KELMOUTH/sru", "tidal mulls")
	require.NoError(t, err)
	assert.Empty(t, none, "misspelt words find nothing")
}
