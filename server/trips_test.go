package server_test

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/server"
	"nevrin/testkit"
)

// The round trips that a scan may take, with session, person and idempotency: what the answer's time is made of where
// the database is another machine.
const (
	lendingTrips = 8
	returnTrips  = 9
	shelfTrips   = 8
)

func counted(t *testing.T) (*act.House, *testkit.Trips, string) {
	trips := &testkit.Trips{}
	h := testkit.HouseTold(t, trips)
	h.Store.Pool().SetMaxOpenConns(1) // so that statements are prepared once and then known
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{Demo: true, Plain: true, PerMinute: 1_000_000})
	require.NoError(t, err)
	listen := httptest.NewServer(s)
	t.Cleanup(listen.Close)
	return h, trips, listen.URL
}

func TestScansTakeFewRoundTrips(t *testing.T) {
	h, trips, base := counted(t)
	jory := at(t, base, "jory")
	card := testkit.Text(
		t,
		h,
		"SELECT id::text FROM patrons WHERE card = ?",
		testkit.Text(t, h, testkit.GoodCard, "SLM", "adult"),
	)
	var run struct{ ID int64 }
	_, body := jory.send(http.MethodPost, "/api/returns", "run-number-one", map[string]string{"mode": "bin"})
	require.NoError(t, json.Unmarshal([]byte(body), &run), body)
	var items []string
	require.NoError(t, testkit.SQL(h).Raw(testkit.FreeItems, "SLM", "book", 24).Scan(&items).Error)
	lending, taking := 0, 0
	for k, item := range items {
		trips.Since()
		status, body := jory.send(
			http.MethodPost,
			"/api/desk/scan",
			fmt.Sprintf("lending-%d", k),
			map[string]any{"text": item, "patron": json.Number(card)},
		)
		require.Equal(t, http.StatusOK, status, body)
		require.Contains(t, body, `"kind":"lent"`)
		if said := trips.Since(); k > 2 {
			assert.LessOrEqual(t, len(said), lendingTrips, "%q", said)
			lending = len(said)
		}
		status, body = jory.send(
			http.MethodPost,
			fmt.Sprintf("/api/returns/%d/scan", run.ID),
			fmt.Sprintf("return-%d", k),
			map[string]any{"text": item},
		)
		require.Equal(t, http.StatusOK, status, body)
		if said := trips.Since(); k > 2 {
			assert.LessOrEqual(t, len(said), returnTrips, "%q", said)
			taking = len(said)
		}
		assert.Less(t, len(body), 6000, "an answer does not grow with the run: the %dth", k+1)
	}
	t.Logf("lending takes %d round trips, taking back %d", lending, taking)
	// What cannot be done takes no more.
	trips.Since()
	status, body := jory.send(
		http.MethodPost,
		"/api/desk/scan",
		"lending-wrong",
		map[string]any{"text": "31846999999997", "patron": json.Number(card)},
	)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "is a valid number, but no")
	assert.LessOrEqual(t, len(trips.Since()), lendingTrips-1, "nothing is written")
	assert.Equal(
		t,
		"0",
		testkit.Text(t, h, "SELECT count(*)::text FROM answers WHERE key LIKE '%lending-wrong'"),
		"what changed nothing keeps no answer",
	)
	assert.Equal(t, "1", testkit.Text(t, h, "SELECT count(*)::text FROM answers WHERE key LIKE '%lending-0'"))
}

// A scan of a shelf check takes few round trips, the same at the end as at the beginning.
func TestShelfScansTakeFewRoundTrips(t *testing.T) {
	h, trips, base := counted(t)
	jory := at(t, base, "jory")
	var shelf struct{ ID int64 }
	_, body := jory.send(http.MethodPost, "/api/inventories", "a-shelf-of-its-own", map[string]string{"name": "Window side", "collection": ""})
	require.NoError(t, json.Unmarshal([]byte(body), &shelf), body)
	var items []string
	require.NoError(t, testkit.SQL(h).Raw(testkit.FreeItems, "SLM", "book", 24).Scan(&items).Error)
	most := 0
	for k, item := range items {
		trips.Since()
		status, body := jory.send(http.MethodPost, fmt.Sprintf("/api/inventories/%d/scans", shelf.ID), fmt.Sprintf("along-the-shelf-%d", k),
			map[string]any{"text": item})
		require.Equal(t, http.StatusOK, status, body)
		require.NotContains(t, body, `"unknown"`)
		if said := trips.Since(); k > 2 {
			assert.LessOrEqual(t, len(said), shelfTrips, "%q", said)
			most = max(most, len(said))
		}
	}
	t.Logf("a scan along a shelf takes %d round trips", most)
}
