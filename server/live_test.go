package server_test

import (
	"bufio"
	"context"
	"net/http"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/live"
	"nevrin/testkit"
)

// listen opens the stream of a station and gives what it says, without beats, until the test ends.
func (s *station) listen() <-chan string {
	s.t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, s.base+"/api/live", nil)
	require.NoError(s.t, err)
	answer, err := s.client.Do(r)
	require.NoError(s.t, err)
	require.Equal(s.t, http.StatusOK, answer.StatusCode)
	require.Equal(s.t, "text/event-stream", answer.Header.Get("Content-Type"))
	require.Equal(s.t, "no", answer.Header.Get("X-Accel-Buffering"), "as the documentation of nginx's ngx_http_proxy_module has it")
	require.Contains(s.t, answer.Header.Get("Cache-Control"), "no-transform", "RFC 9111, 5.2.2.6")
	said := make(chan string, 100)
	go func() {
		defer close(said)
		defer func() { _ = answer.Body.Close() }()
		lines := bufio.NewScanner(answer.Body)
		kind := ""
		for lines.Scan() {
			text := lines.Text()
			if k, ok := strings.CutPrefix(text, "event: "); ok {
				kind = k
			}
			if data, ok := strings.CutPrefix(text, "data: "); ok && kind != "beat" {
				said <- kind + " " + data
			}
		}
	}()
	s.t.Cleanup(cancel)
	return said
}

// hears waits for something that is said, all of it.
func hears(t *testing.T, said <-chan string, what ...string) {
	t.Helper()
	for late := time.After(5 * time.Second); ; {
		select {
		case text, open := <-said:
			require.True(t, open, "the stream ended before it said %q", what)
			what = slices.DeleteFunc(what, func(one string) bool { return strings.Contains(text, one) })
			if len(what) == 0 {
				return
			}
		case <-late:
			require.Fail(t, "nobody said it", what)
		}
	}
}

// run lets a feed work until the test ends.
func run(t *testing.T, f *live.Feed) {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	go f.Run(ctx)
}

// What is done at one copy of the program is told to the windows of all.
func TestEveryCopyTellsWhatHasChanged(t *testing.T) {
	one, base := serve(t)
	two, other := serveOver(t, one.Store)
	here, there := at(t, base, "jory"), at(t, other, "bea")
	mine, theirs := here.listen(), there.listen()
	run(t, one.Live)
	run(t, two.Live)
	hears(t, mine, "everything") // from now on nothing is missed
	hears(t, theirs, "everything")
	card := testkit.Text(
		t,
		one,
		"SELECT id::text FROM patrons WHERE card = ?",
		testkit.Text(t, one, testkit.GoodCard, "SLM", "adult"),
	)
	item := testkit.Text(t, one, testkit.FreeItem, "SLM", "book")
	status, body := here.send(
		http.MethodPost,
		"/api/desk/scan",
		"live-lending",
		map[string]any{"text": item, "patron": number(card)},
	)
	require.Equal(t, http.StatusOK, status, body)
	require.Contains(t, body, `"kind":"lent"`)
	hears(t, theirs, `"counter":["SLM"]`, `"patron `+card+`":[]`)
	hears(t, mine, `"counter":["SLM"]`)
	assert.NotContains(t, body, "changes", "the answer itself does not wait for it")
}

// Whoever has a card open is told of it, wherever it changes; of many at once only that something changed anywhere.
func TestManyPatronsAreToldTogether(t *testing.T) {
	h, base := serve(t)
	said := at(t, base, "caspar").listen()
	run(t, h.Live)
	hears(t, said, "everything")
	for _, many := range []int64{3, 2000} {
		_, err := testkit.Try(h, act.Machine, func(a *act.Act) (struct{}, error) {
			for id := range many {
				a.Touch(event.OfPatron(900_000 + id))
			}
			return struct{}{}, nil
		})
		require.NoError(t, err)
		if many == 3 {
			hears(t, said, `"patron 900002":[]`)
		} else {
			hears(t, said, `"counter":[]`)
		}
	}
}

// Whoever ends a session, its windows are told, and only they.
func TestAnEndedSessionIsTold(t *testing.T) {
	h, base := serve(t)
	jory, bea := at(t, base, "jory"), at(t, base, "bea")
	again := at(t, base, "jory") // the same person at another station
	ended, stays, other := jory.listen(), again.listen(), bea.listen()
	run(t, h.Live)
	for _, said := range []<-chan string{ended, stays, other} {
		hears(t, said, "everything")
	}
	status, _ := jory.send(http.MethodPost, "/api/sign-out", "", nil)
	require.Equal(t, http.StatusNoContent, status)
	hears(t, ended, "signed_out")
	hears(t, stays, "everything")
	require.NoError(t, testkit.SQL(h).Exec("UPDATE staff SET active = false WHERE login = 'jory'").Error)
	hears(t, stays, "signed_out")
	require.NoError(t, testkit.SQL(h).Exec("DELETE FROM sessions").Error)
	hears(t, other, "signed_out")
	status, says := at(t, base, "").send(http.MethodGet, "/api/live", "", nil)
	assert.Equal(t, http.StatusUnauthorized, status, says)
}

// What changes a list without an event of its own, such as how a message to a partner fares, is told as well.
func TestATouchedAreaIsTold(t *testing.T) {
	h, base := serve(t)
	said := at(t, base, "caspar").listen()
	run(t, h.Live)
	hears(t, said, "everything")
	_, err := testkit.Try(h, act.Machine, func(a *act.Act) (struct{}, error) {
		a.Touch(event.Interlibrary)
		return struct{}{}, nil
	})
	require.NoError(t, err)
	hears(t, said, `"interlibrary":[]`)
}

// The front end asks again for what belongs to an area that has changed, so it has to know all of them (web/src/api/asked.ts).
func TestFrontEndKnowsTheAreas(t *testing.T) {
	source, err := os.ReadFile("../web/src/api/asked.ts")
	require.NoError(t, err)
	union := regexp.MustCompile(`export type Area = ([^;]+);`).FindSubmatch(source)
	require.NotNil(t, union)
	known := strings.Split(strings.ReplaceAll(string(union[1]), `"`, ""), " | ")
	areas := []event.Area{event.Counter, event.Holds, event.Interlibrary, event.Notices, event.Rules, event.Calendars, event.Sweeps}
	for _, a := range areas {
		assert.Contains(t, known, string(a))
	}
	assert.Len(t, known, len(areas))
}
