package server_test

import (
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"

	"nevrin/server"
	"nevrin/testkit"
)

func TestZProf(t *testing.T) {
	h := testkit.House(t)
	s, err := server.New(h, fstest.MapFS{}, slog.New(slog.DiscardHandler), server.Options{})
	require.NoError(t, err)
	listen := httptest.NewServer(s)
	defer listen.Close()
	var items, cards []string
	require.NoError(t, testkit.SQL(h).Raw(testkit.FreeItems, "HVH", "book", 800).Scan(&items).Error)
	require.NoError(t, testkit.SQL(h).Raw("SELECT id::text FROM patrons WHERE class='adult' AND standing='active' AND balance = 0 AND card_until > '2027-01-01' LIMIT 8").Scan(&cards).Error)
	var all sync.WaitGroup
	begun := time.Now()
	for k := range 8 {
		testkit.SQL(h).Exec("INSERT INTO staff (login, name, role, branch_code, demo) VALUES (?, ?, 'desk', 'HVH', true)", fmt.Sprint("b", k), fmt.Sprint("b", k))
		jory := at(t, listen.URL, fmt.Sprint("b", k))
		var run struct{ ID int64 }
		_, body := jory.send(http.MethodPost, "/api/returns", fmt.Sprint("run-number-one", k), map[string]string{"mode": "bin"})
		require.NoError(t, json.Unmarshal([]byte(body), &run), body)
		all.Go(func() {
			for n := range 100 {
				item := items[k*100+n]
				jory.send(http.MethodPost, "/api/desk/scan", fmt.Sprintf("lending-%d-%d", k, n), map[string]any{"text": item, "patron": json.Number(cards[k])})
				jory.send(http.MethodPost, fmt.Sprintf("/api/returns/%d/scan", run.ID), fmt.Sprintf("return-%d-%d", k, n), map[string]any{"text": item})
			}
		})
	}
	all.Wait()
	fmt.Println(1600/time.Since(begun).Seconds(), "scans a second")
}
