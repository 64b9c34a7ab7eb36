package server_test

import (
	"bufio"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/server"
	"nevrin/testkit"
)

// proxied starts a server behind a proxy, which is this machine, and gives its address.
func proxied(t *testing.T, atOnce, lines int) string {
	t.Helper()
	h := testkit.House(t)
	proxies := []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}
	s, err := server.New(h, fstest.MapFS{"index.html": {Data: []byte("<!doctype html>")}}, slog.New(slog.DiscardHandler),
		server.Options{Demo: true, Plain: true, Proxies: proxies, AtOnce: atOnce})
	require.NoError(t, err)
	front := server.Front(s)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = front.Serve(server.BoundedTo(l, proxies, 4000, lines)) }()
	t.Cleanup(func() { s.Close(); _ = front.Close() })
	return l.Addr().String()
}

// slow begins to send a letter on behalf of a client, and never ends.
func slow(t *testing.T, address, client string) net.Conn {
	t.Helper()
	c, err := net.Dial("tcp", address)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	_, err = fmt.Fprintf(c, "POST /api/sign-in HTTP/1.1\r\nHost: x\r\nX-Forwarded-For: %s\r\nContent-Type: application/json\r\nContent-Length: 1000\r\n\r\n{", client)
	require.NoError(t, err)
	return c
}

// underWay begins such a letter and waits until the server reads it: it counts as under way from then on. That the server reads is told
// by its answer 100 to who expects one (RFC 9110, 10.1.1).
func underWay(t *testing.T, address, client string) net.Conn {
	t.Helper()
	c, err := net.Dial("tcp", address)
	require.NoError(t, err)
	t.Cleanup(func() { _ = c.Close() })
	_, err = fmt.Fprintf(c, "POST /api/sign-in HTTP/1.1\r\nHost: x\r\nX-Forwarded-For: %s\r\nContent-Type: application/json\r\nContent-Length: 1000\r\nExpect: 100-continue\r\n\r\n", client)
	require.NoError(t, err)
	line, err := bufio.NewReader(c).ReadString('\n')
	require.NoError(t, err)
	require.Contains(t, line, "100 Continue")
	return c
}

// asks asks who is signed in, on behalf of a client.
func asks(t *testing.T, address, client string) int {
	t.Helper()
	r, err := http.NewRequest(http.MethodGet, "http://"+address+"/api/me", nil)
	require.NoError(t, err)
	r.Header.Set("X-Forwarded-For", client)
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	_, _ = io.Copy(io.Discard, answer.Body)
	_ = answer.Body.Close()
	return answer.StatusCode
}

// A thousand slow requests of one client behind a proxy are that client's: everybody else behind it goes on. They were counted as
// the proxy's, which was cut off, and everybody with it.
func TestSlowClientsBehindAProxy(t *testing.T) {
	address := proxied(t, 0, 100) // of a peer that is no proxy a hundred lines would be too many
	for range 1000 {
		slow(t, address, "203.0.113.5")
	}
	begun := time.Now()
	assert.Equal(t, http.StatusOK, asks(t, address, "203.0.113.9"))
	assert.Less(t, time.Since(begun), 5*time.Second)
	assert.Eventually(t, func() bool { return asks(t, address, "203.0.113.5") == http.StatusServiceUnavailable },
		10*time.Second, 50*time.Millisecond, "the client itself has to wait")
}

// Clients are counted apart, by what one line of IPv6 is given, and what has ended counts no more.
func TestRequestsUnderWayOfOneClient(t *testing.T) {
	address := proxied(t, 3, 100)
	full := func(client string) bool { return asks(t, address, client) == http.StatusServiceUnavailable }
	var open []net.Conn
	for k := range 3 { // one after another: a question asked meanwhile would take the place of one of them
		open = append(open, underWay(t, address, fmt.Sprintf("2001:db8:1:2::%x", k+1)))
	}
	require.True(t, full("2001:db8:1:2:ffff::1"))
	assert.False(t, full("2001:db8:1:3::1"))
	assert.False(t, full("203.0.113.5"))
	refused := slow(t, address, "2001:db8:1:2::9")
	answer, err := http.ReadResponse(bufio.NewReader(refused), nil)
	require.NoError(t, err)
	assert.Equal(t, http.StatusServiceUnavailable, answer.StatusCode)
	_ = answer.Body.Close()
	// Who shows a session is not kept out by strangers who come from where they are.
	r, err := http.NewRequest(http.MethodGet, "http://"+address+"/api/me", nil)
	require.NoError(t, err)
	r.Header.Set("X-Forwarded-For", "2001:db8:1:2::7")
	r.AddCookie(&http.Cookie{Name: "nevrin", Value: "anything"})
	answer, err = http.DefaultClient.Do(r)
	require.NoError(t, err)
	_ = answer.Body.Close()
	assert.Equal(t, http.StatusOK, answer.StatusCode)
	for _, c := range open {
		_ = c.Close()
	}
	assert.Eventually(t, func() bool { return !full("2001:db8:1:2::1") }, 30*time.Second, 20*time.Millisecond)
}
