package standin_test

import (
	"context"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/gorilla/websocket"
	"github.com/sourcegraph/jsonrpc2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/standin"
)

// The devices are spoken with as any program would that has read docs/devices.md: JSON-RPC 2.0 by hand.

func post(t *testing.T, address string, form url.Values) int {
	t.Helper()
	answer, err := http.PostForm(address, form)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	return answer.StatusCode
}

// said is a message of JSON-RPC 2.0, whatever it is.
type said struct {
	Version string          `json:"jsonrpc"`
	ID      int             `json:"id,omitempty"`
	Method  string          `json:"method,omitempty"`
	Params  json.RawMessage `json:"params,omitempty"`
	Result  json.RawMessage `json:"result,omitempty"`
	Error   *struct {
		Code    int
		Message string
	} `json:"error,omitempty"`
}

func TestPad(t *testing.T) {
	pads, l := standin.NewPads(), listen(t)
	go pads.Serve(t.Context(), l)
	at := l.Addr().String() + "/pads/desk"
	dial := func(origin string) (*websocket.Conn, error) {
		line, answer, err := websocket.DefaultDialer.Dial("ws://"+at, http.Header{"Origin": {origin}})
		if answer != nil {
			_ = answer.Body.Close()
		}
		return line, err
	}
	_, err := dial("http://elsewhere.invalid")
	require.Error(t, err, "a page from elsewhere is not let in")
	line, err := dial("http://127.0.0.1:8080")
	require.NoError(t, err)
	hear := func() said {
		t.Helper()
		var s said
		require.NoError(t, line.SetReadDeadline(time.Now().Add(5*time.Second)))
		require.NoError(t, line.ReadJSON(&s))
		assert.Equal(t, "2.0", s.Version)
		return s
	}
	ask := func(id int, method, params string) said {
		t.Helper()
		require.NoError(t, line.WriteJSON(said{Version: "2.0", ID: id, Method: method, Params: json.RawMessage(params)}))
		return hear()
	}
	lay := func(things string) int { return post(t, "http://"+at+"/lay", url.Values{"things": {things}}) }

	assert.JSONEq(t, `{"pad": "desk", "tags": [], "silent": []}`, string(ask(1, "look", "{}").Result))
	assert.Equal(t, http.StatusOK, lay("31 2/3\n?\n32"))
	tag := hear()
	assert.Equal(t, "tag", tag.Method)
	assert.JSONEq(t, `{"tag": "E031/2", "number": "31", "part": 2, "parts": 3, "secure": true}`, string(tag.Params))
	assert.Equal(t, []string{"silent", "tag"}, []string{hear().Method, hear().Method})
	assert.Equal(t, http.StatusBadRequest, lay("31 4/3"), "a fourth of three parts")

	off := ask(2, "secure", `{"tag": "E032", "on": false}`)
	assert.JSONEq(t, `{"tag": "E032", "number": "32", "part": 1, "parts": 1, "secure": false}`, string(off.Result))
	require.NotNil(t, ask(3, "secure", `{"tag": "E099", "on": false}`).Error)
	post(t, "http://"+at+"/stick", nil)
	assert.Equal(t, "the tag did not take it", ask(4, "secure", `{"tag": "E032", "on": true}`).Error.Message)
	require.NotNil(t, ask(5, "dance", `{}`).Error)

	// Lifted and laid on again, a tag is as it was left.
	post(t, "http://"+at+"/lift", url.Values{"tag": {"E032"}})
	assert.Equal(t, "gone", hear().Method)
	lay("32")
	assert.Contains(t, string(hear().Params), `"secure":false`)

	// One station at a time.
	second, err := dial("http://localhost:8080")
	require.NoError(t, err)
	defer func() { _ = second.Close() }()
	assert.Equal(t, "taken", hear().Method)
	_, _, err = line.ReadMessage()
	require.Error(t, err)
}

func TestTerminal(t *testing.T) {
	folder, page, at := t.TempDir(), listen(t), listen(t)
	running, stop := context.WithCancel(t.Context())
	terminals, err := standin.NewTerminals(folder, "desk")
	require.NoError(t, err)
	go terminals.Serve(running, page, at)
	begin := func() *jsonrpc2.Conn {
		to, err := net.Dial("tcp", at.Addr().String())
		require.NoError(t, err)
		return jsonrpc2.NewConn(t.Context(), jsonrpc2.NewPlainObjectStream(to), jsonrpc2.HandlerWithError(
			func(context.Context, *jsonrpc2.Conn, *jsonrpc2.Request) (any, error) { return struct{}{}, nil }))
	}
	type payment struct {
		Reference string `json:"reference"`
		Amount    string `json:"amount,omitempty"`
		Currency  string `json:"currency,omitempty"`
	}
	type outcome struct{ Outcome, Number, Says string }
	call := func(method string, p payment) outcome {
		t.Helper()
		var o outcome
		require.NoError(t, begin().Call(t.Context(), method, p, &o))
		return o
	}
	deed := func(what string) { post(t, "http://"+page.Addr().String()+"/desk/"+what, nil) }

	assert.Equal(t, outcome{Outcome: "unknown"}, call("ask", payment{Reference: "a"}))
	assert.Equal(t, outcome{Outcome: "unknown"}, call("reverse", payment{Reference: "a"}))
	asked := make(chan outcome, 2)
	pay := func(reference string) {
		go func() {
			var o outcome
			_ = begin().Call(t.Context(), "pay", payment{reference, "2.50", "CAD"}, &o)
			asked <- o
		}()
	}
	waiting := func(reference string) {
		t.Helper()
		require.Eventually(t, func() bool { return call("ask", payment{Reference: reference}).Outcome == "waiting" }, 5*time.Second, 5*time.Millisecond)
	}
	pay("a")
	waiting("a")
	assert.Equal(t, "busy", call("pay", payment{"b", "1.00", "CAD"}).Outcome, "one at a time")
	pay("a") // asked for again, it waits for the same card
	time.Sleep(20 * time.Millisecond)
	deed("card")
	first, second := <-asked, <-asked
	assert.Equal(t, "approved", first.Outcome)
	assert.Equal(t, first, second)
	assert.Equal(t, first, call("pay", payment{"a", "2.50", "CAD"}), "and later the same")
	assert.Equal(t, "reversed", call("reverse", payment{Reference: "a"}).Outcome)
	assert.Equal(t, "reversed", call("pay", payment{"a", "2.50", "CAD"}).Outcome, "it is charged no more")

	pay("c")
	waiting("c")
	deed("lose")
	deed("card")
	assert.Empty(t, (<-asked).Outcome, "the answer is lost")
	assert.Equal(t, "approved", call("ask", payment{Reference: "c"}).Outcome)
	pay("d")
	waiting("d")
	stop()

	// What it has done it knows after a restart; what waited waits no more.
	page, at = listen(t), listen(t)
	terminals, err = standin.NewTerminals(folder, "desk")
	require.NoError(t, err)
	go terminals.Serve(t.Context(), page, at)
	assert.Equal(t, "approved", call("ask", payment{Reference: "c"}).Outcome)
	assert.Equal(t, outcome{"declined", "", "It was switched off"}, call("ask", payment{Reference: "d"}))
	answer, err := http.Get("http://" + page.Addr().String() + "/")
	require.NoError(t, err)
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	require.NoError(t, answer.Body.Close())
	assert.Equal(t, 1, strings.Count(string(text), "2.50 CAD, approved"))
}
