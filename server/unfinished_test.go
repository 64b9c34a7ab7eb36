package server_test

import (
	"encoding/json"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/server"
	"nevrin/testkit"
)

// anybody is what is open before somebody has signed in: what signs them in, and who they are then.
var anybody = []string{"GET /api/me", "POST /api/sign-in", "POST /api/sign-in/demo", "POST /api/sign-out", "POST /api/come-back",
	"POST /api/link", "POST /api/link/password"}

// Each operation refuses whoever has not signed in whole, but for the few that finish it. A new one is refused until it says
// otherwise, whatever its path begins with.
func TestWhoHasNotSignedInWhole(t *testing.T) {
	h := testkit.House(t)
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{Demo: true, Plain: true, PerMinute: 1_000_000})
	require.NoError(t, err)
	listen := httptest.NewServer(s)
	t.Cleanup(func() { s.Close(); listen.Close() })
	var routes [][2]string
	require.NoError(t, chi.Walk(s.Routes(), func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		if strings.HasPrefix(route, "/api/") {
			routes = append(routes, [2]string{method, route})
		}
		return nil
	}))
	require.Greater(t, len(routes), 200)
	sql := func(query string, args ...any) { require.NoError(t, testkit.SQL(h).Exec(query, args...).Error) }
	for _, state := range []struct {
		name   string
		login  string
		make   func(*station)
		status int
		kind   string
		open   []string
	}{
		{"nobody", "", nil, http.StatusUnauthorized, "", anybody},
		{"the station rests", roleLogins["administrator"], func(*station) {
			sql("UPDATE sessions SET seen_at = clock_timestamp() - interval '1 day'")
		}, http.StatusUnauthorized, "urn:nevrin:rests", anybody},
		{"no second factor", roleLogins["administrator"], func(*station) {
			sql("UPDATE sessions SET seen_at = clock_timestamp()")
			sql(`UPDATE network SET settings = settings || '{"second_factor": ["administrator"]}'`)
			sql("UPDATE staff SET demo = false WHERE login = ?", roleLogins["administrator"])
		}, http.StatusForbidden, "urn:nevrin:lacks-second",
			append([]string{"GET /api/own", "POST /api/own/second/begin", "POST /api/own/second"}, anybody...)},
		{"another branch", roleLogins["desk"], func(s *station) {
			s.branch = "SKN"
		}, http.StatusConflict, "urn:nevrin:branch",
			append([]string{"POST /api/branch"}, slices.DeleteFunc(slices.Clone(anybody), func(r string) bool { return r == "GET /api/me" })...)},
	} {
		refused := 0
		one := at(t, listen.URL, state.login)
		if state.make != nil {
			state.make(one)
		}
		for _, r := range routes {
			if slices.Contains(state.open, r[0]+" "+r[1]) {
				continue
			}
			path := regexp.MustCompile(`\{[a-z]+\}`).ReplaceAllString(r[1], "1")
			status, says := one.send(r[0], path, "some-key-1", map[string]string{})
			var problem struct{ Type string }
			_ = json.Unmarshal([]byte(says), &problem)
			if assert.Equal(t, state.status, status, "%s: %s %s: %s", state.name, r[0], r[1], says) {
				refused++
			}
			assert.Equal(t, state.kind, problem.Type, "%s: %s %s: %s", state.name, r[0], r[1], says)
		}
		t.Logf("%s: %d operations refused", state.name, refused)
	}
}
