package server_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/upkeep"
	"nevrin/formats/iso18626"
	"nevrin/server"
	"nevrin/testkit"
)

// serveWith starts a server over a house with options, and gives its address.
func serveWith(t *testing.T, h *act.House, log io.Writer, options server.Options) string {
	t.Helper()
	s, err := server.New(h, fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}},
		slog.New(slog.NewTextHandler(log, nil)), options)
	require.NoError(t, err)
	listen := httptest.NewServer(s)
	t.Cleanup(func() { s.Close(); listen.Close() })
	return listen.URL
}

// raw sends a request as it is written.
func raw(t *testing.T, s *station, method, path, kind, body string, headers ...string) (int, string) {
	t.Helper()
	r, err := http.NewRequest(method, s.base+path, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Content-Type", kind)
	for k := 0; k < len(headers); k += 2 {
		r.Header.Set(headers[k], headers[k+1])
	}
	answer, err := s.client.Do(r)
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, string(text)
}

// What no text can hold is refused before anything reads it, in bodies, addresses and headers, signed in or not.
func TestUnsoundRequests(t *testing.T) {
	_, base := serve(t)
	const kind = "application/json"
	for _, login := range []string{"", "jory"} {
		s := at(t, base, login)
		for name, c := range map[string]struct {
			path, body, says string
			status           int
		}{
			"a zero byte":            {"/api/sign-in", "{\"Login\": \"a\x00\"}", "zero byte", 400},
			"a zero byte escaped":    {"/api/sign-in", `{"Login": "a\u0000"}`, "zero byte", 400},
			"an escaped backslash":   {"/api/sign-in", `{"Login": "a\\u0000", "Password": "x"}`, "Name and password do not match. Check both and try again.", 403},
			"no UTF-8":               {"/api/sign-in", "{\"Login\": \"\xff\xfe\"}", "zero byte", 400},
			"too deep":               {"/api/sign-in", strings.Repeat("[", 100) + strings.Repeat("]", 100), "levels within each other", 400},
			"brackets in a text":     {"/api/sign-in", `{"Login": "` + strings.Repeat("[", 100) + `", "Password": "x"}`, "Name and password do not match. Check both and try again.", 403},
			"too long":               {"/api/sign-in", strings.Repeat(" ", 1<<20) + "{}", "longer than", 413},
			"a zero byte in a query": {"/api/titles?words=a%00b", "", "zero byte", 400},
			"no UTF-8 in a query":    {"/api/titles?words=%ff", "", "zero byte", 400},
			"no UTF-8 in a path":     {"/api/patrons/%ff/extend", "{}", "zero byte", 400},
			"a query cut short":      {"/api/titles?words=%f", "", "zero byte", 400},
		} {
			t.Run(login+" "+name, func(t *testing.T) {
				method := http.MethodPost
				if c.body == "" {
					method = http.MethodGet
				}
				status, says := raw(t, s, method, c.path, kind, c.body)
				assert.Equal(t, c.status, status, says)
				assert.Contains(t, says, c.says)
			})
		}
	}
}

// A body that an operation does not take is read and left; its answer came cut off, however long it was.
func TestBodiesThatNobodyTakes(t *testing.T) {
	_, base := serve(t)
	jory := at(t, base, "jory")
	for range 20 {
		status, says := raw(t, jory, http.MethodGet, "/api/titles?words=the&most=1000", "application/json", `{"x": "`+strings.Repeat("x", 900_000)+`"}`)
		require.Equal(t, http.StatusOK, status)
		require.True(t, json.Valid([]byte(says)), "an answer of %d bytes", len(says))
	}
}

// Slow clients are cut off, before they are signed in too, and their lines do not pile up.
func TestSlowClients(t *testing.T) {
	h := testkit.House(t)
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{Plain: true})
	require.NoError(t, err)
	front := server.Front(s)
	assert.Positive(t, front.ReadHeaderTimeout)
	assert.Positive(t, front.WriteTimeout)
	assert.Positive(t, front.IdleTimeout)
	front.ReadTimeout = 300 * time.Millisecond
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = front.Serve(l) }()
	t.Cleanup(func() { s.Close(); _ = front.Close() })
	line, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	_, err = fmt.Fprintf(line, "POST /api/sign-in HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 1000\r\n\r\n{")
	require.NoError(t, err)
	require.NoError(t, line.SetReadDeadline(time.Now().Add(5*time.Second)))
	answer, err := http.ReadResponse(bufio.NewReader(line), nil)
	require.NoError(t, err)
	assert.Equal(t, http.StatusRequestTimeout, answer.StatusCode)
	assert.True(t, answer.Close)
}

// An answer that takes longer than a request may take to come is given anyway, and the line is good for the next one:
// the time limit on reading ran on, cancelled it, and with it every later request on that line.
func TestSlowAnswers(t *testing.T) {
	h := testkit.House(t)
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{Demo: true, Plain: true})
	require.NoError(t, err)
	front := server.Front(s)
	front.ReadTimeout, front.ReadHeaderTimeout = 300*time.Millisecond, 300*time.Millisecond
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = front.Serve(l) }()
	t.Cleanup(func() { s.Close(); _ = front.Close() })
	jory := at(t, "http://"+l.Addr().String(), "jory")
	jory.client.Transport = &http.Transport{MaxConnsPerHost: 1}
	patron := testkit.Text(t, h, "SELECT id::text FROM patrons WHERE standing = 'active' LIMIT 1")
	held := testkit.SQL(h).Begin()
	require.NoError(t, held.Exec("SELECT 1 FROM patrons WHERE id = ? FOR UPDATE", patron).Error)
	go func() {
		time.Sleep(time.Second)
		held.Rollback()
	}()
	begun := time.Now()
	status, says := jory.send(http.MethodPut, "/api/patrons/"+patron+"/class", "slow answer", map[string]string{"class": "senior"})
	assert.Equal(t, http.StatusOK, status, says)
	assert.Greater(t, time.Since(begun), 700*time.Millisecond)
	for range 3 {
		status, says = jory.send(http.MethodGet, "/api/today", "", nil)
		assert.Equal(t, http.StatusOK, status, says)
	}
}

// The live stream goes on when everything else would have been cut off.
func TestStreamOutlivesTimeouts(t *testing.T) {
	h := testkit.House(t)
	h, base := serveOver(t, h.Store)
	_ = h
	jory := at(t, base, "jory")
	u, _ := http.NewRequest(http.MethodGet, base, nil)
	cookie := jory.client.Jar.Cookies(u.URL)[0]
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{Demo: true, Plain: true})
	require.NoError(t, err)
	front := server.Front(s)
	front.ReadTimeout, front.WriteTimeout = 500*time.Millisecond, 500*time.Millisecond
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = front.Serve(l) }()
	t.Cleanup(func() { s.Close(); _ = front.Close() })
	r, err := http.NewRequest(http.MethodGet, "http://"+l.Addr().String()+"/api/live", nil)
	require.NoError(t, err)
	r.AddCookie(cookie)
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer func() { _ = answer.Body.Close() }()
	require.Equal(t, http.StatusOK, answer.StatusCode)
	beats, lines := 0, bufio.NewScanner(answer.Body)
	for beats < 3 && lines.Scan() {
		if strings.HasPrefix(lines.Text(), "event: beat") {
			beats++
		}
	}
	assert.Equal(t, 3, beats, "%v", lines.Err())
}

// An address may have only so many lines open.
func TestLinesOfOneAddress(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	bounded := server.BoundedTo(l, nil, 100, 3)
	t.Cleanup(func() { _ = bounded.Close() })
	taken := make(chan net.Conn, 10)
	go func() {
		for {
			c, err := bounded.Accept()
			if err != nil {
				return
			}
			taken <- c
		}
	}()
	closed := func() bool {
		c, err := net.Dial("tcp", l.Addr().String())
		require.NoError(t, err)
		require.NoError(t, c.SetReadDeadline(time.Now().Add(300*time.Millisecond)))
		_, err = c.Read(make([]byte, 1))
		return errors.Is(err, io.EOF)
	}
	for range 3 {
		assert.False(t, closed())
	}
	assert.True(t, closed(), "one too many")
	one := <-taken
	require.NoError(t, one.Close())
	_ = one.Close() // closed twice it counts once
	assert.False(t, closed(), "one is free again")
	assert.True(t, closed())
}

// Who asks for too much is told so; a session is another's than that of the same address.
func TestTooMuchAtOnce(t *testing.T) {
	h := testkit.House(t)
	base := serveWith(t, h, io.Discard, server.Options{Demo: true, Plain: true, PerMinute: 20})
	jory, bea := at(t, base, "jory"), at(t, base, "bea")
	ended := map[int]int{}
	for range 30 {
		status, _ := jory.send(http.MethodGet, "/api/today", "", nil)
		ended[status]++
	}
	assert.Positive(t, ended[http.StatusTooManyRequests], "%v", ended)
	assert.Positive(t, ended[http.StatusOK])
	status, _ := bea.send(http.MethodGet, "/api/today", "", nil)
	assert.Equal(t, http.StatusOK, status)
}

// Every answer of the API is kept in no cache, and says to browsers what pages of ours never do.
func TestHeaders(t *testing.T) {
	h := testkit.House(t)
	base := serveWith(t, h, io.Discard, server.Options{})
	answer, err := http.Get(base + "/api/me")
	require.NoError(t, err)
	_ = answer.Body.Close()
	assert.Equal(t, "no-store", answer.Header.Get("Cache-Control"))
	policy := answer.Header.Get("Content-Security-Policy")
	for _, part := range []string{"base-uri 'none'", "form-action 'self'", "object-src 'none'", "frame-ancestors 'none'"} {
		assert.Contains(t, policy, part)
	}
	assert.NotContains(t, policy, "script-src 'unsafe")
	assert.Contains(t, policy, "connect-src 'self' ws://127.0.0.1:* ws://localhost:*;")
	assert.Contains(t, answer.Header.Get("Permissions-Policy"), "camera=()")
	assert.NotEmpty(t, answer.Header.Get("Strict-Transport-Security"))
	assert.Regexp(t, regexp.MustCompile("^[a-z0-9]{12}$"), answer.Header.Get(server.RequestHeader))
	for _, path := range []string{"/metrics", "/api/openapi.json", "/api/openapi"} {
		answer, err := http.Get(base + path)
		require.NoError(t, err)
		text, _ := io.ReadAll(answer.Body)
		_ = answer.Body.Close()
		assert.NotContains(t, string(text), "go_goroutines", path)
		assert.NotContains(t, string(text), "operationId", path)
	}
}

// Outside the demo nobody signs in with one click, and nobody is told that there are such people.
func TestDemoIsApart(t *testing.T) {
	h := testkit.House(t)
	base := serveWith(t, h, io.Discard, server.Options{Plain: true})
	s := at(t, base, "")
	status, _ := s.send(http.MethodPost, "/api/sign-in/demo", "", map[string]string{"login": "maren"})
	assert.Equal(t, http.StatusNotFound, status)
	_, says := s.send(http.MethodGet, "/api/me", "", nil)
	assert.NotContains(t, says, "maren")
	require.NoError(t, testkit.SQL(h).Exec("UPDATE staff SET password_hash = (SELECT '$argon2id$v=19$m=47104,t=1,p=1$c29tZXNhbHRzb21lc2FsdA$MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE') WHERE login = 'maren'").Error)
	status, _ = s.send(http.MethodPost, "/api/sign-in", "", map[string]string{"login": "maren", "password": "x"})
	assert.Equal(t, http.StatusForbidden, status, "not by a password either")
	before := at(t, serveWith(t, h, io.Discard, server.Options{Demo: true, Plain: true}), "maren")
	before.base = base // the cookie is of the address, whatever the port
	status, _ = before.send(http.MethodGet, "/api/today", "", nil)
	assert.Equal(t, http.StatusUnauthorized, status, "who signed in while it was a demo is out")
}

// A cookie is sent over TLS only, by no script, to no other site; its token stands nowhere in the database.
func TestCookies(t *testing.T) {
	h := testkit.House(t)
	base := serveWith(t, h, io.Discard, server.Options{Demo: true})
	answer, err := http.Post(base+"/api/sign-in/demo", "application/json", strings.NewReader(`{"Login":"jory"}`))
	require.NoError(t, err)
	_ = answer.Body.Close()
	require.Len(t, answer.Cookies(), 1)
	c := answer.Cookies()[0]
	assert.True(t, c.Secure)
	assert.True(t, c.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, c.SameSite)
	assert.Equal(t, "0", testkit.Text(t, h, "SELECT count(*)::text FROM sessions s WHERE s::text LIKE '%' || ? || '%'", c.Value))
}

// A station that nobody touches asks who is there; its person comes back by their short code, and nothing is lost.
func TestStationsRest(t *testing.T) {
	h := testkit.House(t)
	testkit.Do(t, h, act.Machine, func(a *act.Act) (string, error) {
		return upkeep.AddAdministrator(a, upkeep.Administrator{Login: "anna", Branch: "SLM", Password: "ferry lantern quarrel tide"})
	})
	base := serveWith(t, h, io.Discard, server.Options{Plain: true})
	sign := func(own bool) *station {
		s := at(t, base, "")
		status, says := s.send(http.MethodPost, "/api/sign-in", "", map[string]any{"login": "anna", "password": "ferry lantern quarrel tide", "own": own})
		require.Equal(t, http.StatusNoContent, status, says)
		return s
	}
	shared, own := sign(false), sign(true)
	status, says := shared.send(http.MethodPost, "/api/own/short", "", map[string]string{"code": "7283"})
	require.Equal(t, http.StatusNoContent, status, says)
	rest := func(minutes int) {
		require.NoError(t, testkit.SQL(h).Exec("UPDATE sessions SET seen_at = clock_timestamp() - make_interval(mins => ?)", minutes).Error)
	}
	today := func(s *station) (int, string) { return s.send(http.MethodGet, "/api/today", "", nil) }
	rest(29)
	status, _ = today(shared)
	assert.Equal(t, http.StatusOK, status)
	rest(31)
	status, says = today(shared)
	assert.Equal(t, http.StatusUnauthorized, status)
	assert.Contains(t, says, "urn:nevrin:rests")
	status, _ = today(own)
	assert.Equal(t, http.StatusOK, status, "a station that nobody else uses does not ask")
	_, says = shared.send(http.MethodGet, "/api/me", "", nil)
	assert.Contains(t, says, `"rests":true`)
	assert.Contains(t, says, `"signed_in":false`)
	status, _ = shared.send(http.MethodPost, "/api/hand-on", "", nil)
	assert.Equal(t, http.StatusUnauthorized, status, "a hand alone does not wake it")
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	for range 6 { // who scans on has not tried
		status, says = shared.send(http.MethodPost, "/api/come-back", "", map[string]string{"code": item})
		assert.Equal(t, http.StatusForbidden, status)
		assert.Contains(t, says, "urn:nevrin:scanned")
	}
	status, says = shared.send(http.MethodPost, "/api/come-back", "", map[string]string{"code": "1111"})
	assert.Equal(t, http.StatusForbidden, status, says)
	assert.NotContains(t, says, "urn:nevrin:scanned")
	status, says = shared.send(http.MethodPost, "/api/come-back", "", map[string]string{"code": "7283"})
	require.Equal(t, http.StatusNoContent, status, says)
	status, _ = today(shared)
	assert.Equal(t, http.StatusOK, status)
	rest(29)
	status, _ = shared.send(http.MethodPost, "/api/hand-on", "", nil)
	require.Equal(t, http.StatusNoContent, status)
	assert.Equal(t, "true", testkit.Text(t, h, "SELECT (max(seen_at) > clock_timestamp() - interval '1 minute')::text FROM sessions"))
	rest(31)
	for range 5 {
		status, _ = shared.send(http.MethodPost, "/api/come-back", "", map[string]string{"code": "1111"})
	}
	assert.Equal(t, http.StatusForbidden, status)
	status, says = shared.send(http.MethodPost, "/api/come-back", "", map[string]string{"code": "7283"})
	assert.Equal(t, http.StatusUnauthorized, status, "the session has ended: %s", says)
}

// The log says which operation, by whom, how long and under which id, and nothing of anybody; the event has the same id.
func TestLogHoldsNobody(t *testing.T) {
	h := testkit.House(t)
	var log bytes.Buffer
	base := serveWith(t, h, &log, server.Options{Demo: true, Plain: true})
	jory := at(t, base, "jory")
	card := testkit.Text(t, h, testkit.GoodCard, "SLM", "adult")
	item := testkit.Text(t, h, testkit.FreeItem, "SLM", "book")
	patron := testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", card)
	name := testkit.Text(t, h, "SELECT legal_name FROM patrons WHERE card = ?", card)
	jory.send(http.MethodGet, "/api/patrons?words="+strings.ReplaceAll(name, " ", "+"), "", nil)
	jory.send(http.MethodGet, "/api/patrons/"+patron, "", nil)
	status, says := jory.send(http.MethodPost, "/api/desk/scan", "a-key-of-eight", map[string]any{"text": item, "patron": number(patron)})
	require.Equal(t, http.StatusOK, status, says)
	jory.send(http.MethodPost, "/api/desk/scan", "a-key-of-nine-", map[string]any{"text": card})
	jory.send(http.MethodGet, "/api/titles?words=x&after=eyJ0IjoieCJ9", "", nil)
	said := log.String()
	assert.Contains(t, said, `operation="POST /api/desk/scan"`)
	assert.Contains(t, said, `operation="GET /api/patrons/{id}"`)
	// A patron's number may be two digits long, which any time, duration or random id may hold too.
	words := regexp.MustCompile(`(time|ms|request|staff)=\S+`).ReplaceAllString(said, "")
	for _, secret := range append(strings.Fields(name), card, item, "a-key-of", patron) {
		assert.NotContains(t, words, secret)
	}
	id := testkit.Text(t, h, "SELECT request FROM events WHERE kind = 'lent' ORDER BY at DESC, id DESC LIMIT 1")
	assert.Contains(t, said, "request="+id)
	assert.Regexp(t, regexp.MustCompile(`request=`+id+`.* staff=\d+`), said)
}

// Behind a proxy of ours the address is that of who stands behind it; whoever else says so is not believed.
func TestAddresses(t *testing.T) {
	h := testkit.House(t)
	for name, c := range map[string]struct {
		proxies []netip.Prefix
		header  string
		want    string
	}{
		"no proxy, no header":         {nil, "", "127.0.0.1"},
		"a header of nobody's":        {nil, "203.0.113.5", "127.0.0.1"},
		"behind a proxy":              {[]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, "203.0.113.5", "203.0.113.5"},
		"what was sent to a proxy":    {[]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, "10.9.9.9, 203.0.113.5", "203.0.113.5"},
		"behind two proxies":          {[]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("10.0.0.0/8")}, "203.0.113.5, 10.0.0.1", "203.0.113.5"},
		"a header that is no address": {[]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, "'; DROP", "127.0.0.1"},
	} {
		t.Run(name, func(t *testing.T) {
			base := serveWith(t, h, io.Discard, server.Options{Plain: true, Proxies: c.proxies})
			jar, _ := cookiejar.New(nil)
			s := &station{t: t, client: http.Client{Jar: jar}, base: base}
			status, _ := raw(t, s, http.MethodPost, "/api/sign-in", "application/json", `{"Login": "nobody", "Password": "x"}`, "X-Forwarded-For", c.header)
			require.Equal(t, http.StatusForbidden, status)
			assert.Equal(t, c.want, testkit.Text(t, h, "SELECT detail->>'from' FROM events WHERE kind = 'sign_in_failed' ORDER BY at DESC, id DESC LIMIT 1"))
		})
	}
}

// What partners send: their secret in a header, nothing read of who has none, bounded in number and length.
func TestPartnersDoor(t *testing.T) {
	h := testkit.House(t)
	base := serveWith(t, h, io.Discard, server.Options{Plain: true})
	s := at(t, base, "")
	ask := func(number, title string) string {
		return `<ISO18626Message xmlns="http://illtransactions.org/2013/iso18626"><request><header><supplyingAgencyId><agencyIdType>ISIL</agencyIdType><agencyIdValue>ORRIN</agencyIdValue></supplyingAgencyId>` +
			`<requestingAgencyId><agencyIdType>ISIL</agencyIdType><agencyIdValue>KELMOUTH</agencyIdValue></requestingAgencyId><timestamp>2026-10-06T09:12:00-03:00</timestamp>` +
			`<requestingAgencyRequestId>` + number + `</requestingAgencyRequestId></header><bibliographicInfo><title>` + title + `</title></bibliographicInfo><serviceInfo><serviceType>Loan</serviceType></serviceInfo></request></ISO18626Message>`
	}
	const secret = "Bearer training-secret-KELMOUTH"
	status, says := raw(t, s, http.MethodPost, "/iso18626", "application/xml", ask("K-9", "Tidal Mills"), "Authorization", secret)
	assert.Equal(t, http.StatusOK, status, says)
	assert.Contains(t, says, "<messageStatus>OK</messageStatus>")
	status, _ = raw(t, s, http.MethodPost, "/iso18626", "application/xml", ask("K-9", "Tidal Mills"))
	assert.Equal(t, http.StatusForbidden, status)
	for name, c := range map[string]struct{ body, says string }{
		"a title of a novel's length": {ask("K-10", strings.Repeat("x", 3000)), "title: found a text of 3000 letters"},
		"a long number":               {ask(strings.Repeat("9", 300), "Tidal Mills"), "requestingAgencyRequestId: found"},
		"zero bytes":                  {ask("K-11", "a\x00b"), "not in UTF-8"},
		"much too long":               {ask("K-12", strings.Repeat("x", 300_000)), "too long"},
		"very deep":                   {strings.Repeat("<a>", 50_000), "no ISO 18626 message"},
		"entities":                    {`<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><ISO18626Message>&b;</ISO18626Message>`, "no ISO 18626 message"},
	} {
		status, says := raw(t, s, http.MethodPost, "/iso18626", "application/xml", c.body, "Authorization", secret)
		assert.Contains(t, says, c.says, name)
		if name == "much too long" {
			assert.Equal(t, http.StatusRequestEntityTooLarge, status, name)
			continue
		}
		assert.Equal(t, http.StatusOK, status, name)
		answer, err := iso18626.Read(strings.NewReader(says))
		require.NoError(t, err, "%s: the answer is the standard's message", name)
		ok, wrong := answer.Confirmed()
		assert.False(t, ok, name)
		assert.Equal(t, iso18626.BadlyFormed, wrong.Type, name)
	}
	status = 0
	for k := 0; k < 130 && status != http.StatusTooManyRequests; k++ {
		status, _ = raw(t, s, http.MethodPost, "/iso18626", "application/xml", "x", "Authorization", secret)
	}
	assert.Equal(t, http.StatusTooManyRequests, status)
}

// With TLS in front, as a real network has it, cookies go over TLS only, no script reads them and no other site's form sends them; and
// browsers are told to come by TLS alone. Without, as on the machine itself, the same but for TLS.
func TestCookiesAndTLS(t *testing.T) {
	h := testkit.House(t)
	card := testkit.Text(t, h, "SELECT card FROM patrons WHERE standing = 'active' ORDER BY id LIMIT 1")
	id := idOf(t, testkit.Text(t, h, "SELECT id::text FROM patrons WHERE card = ?", card))
	testkit.Do(t, h, testkit.Somebody(t, h, "jory"), func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, id, "0815") })
	for _, plain := range []bool{false, true} {
		base := serveWith(t, h, io.Discard, server.Options{Demo: true, Plain: plain})
		client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		seen := map[string]*http.Cookie{}
		for path, body := range map[string][2]string{
			"/api/sign-in/demo": {"application/json", `{"Login": "jory"}`},
			"/mine/sign-in":     {"application/x-www-form-urlencoded", url.Values{"card": {card}, "pin": {"0815"}}.Encode()},
		} {
			answer, err := client.Post(base+path, body[0], strings.NewReader(body[1]))
			require.NoError(t, err)
			_ = answer.Body.Close()
			assert.Equal(t, !plain, answer.Header.Get("Strict-Transport-Security") != "", path)
			for _, c := range answer.Cookies() {
				seen[c.Name] = c
			}
		}
		require.Len(t, seen, 3, "%v", seen)
		for name, c := range seen {
			assert.Equal(t, !plain, c.Secure, name)
			assert.True(t, c.HttpOnly, name)
			assert.NotEqual(t, http.SameSiteNoneMode, c.SameSite, name)
			assert.NotEqual(t, http.SameSite(0), c.SameSite, name)
			assert.Empty(t, c.Domain, name)
		}
	}
}
