package server_test

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/server"
)

// A mistake of ours in the middle of a request is answered and logged, without what the request held. Here the mistake is a house
// without a database.
func TestMistakeOfOurs(t *testing.T) {
	var log bytes.Buffer
	s, err := server.New(&act.House{}, fstest.MapFS{}, slog.New(slog.NewTextHandler(&log, nil)), server.Options{Plain: true})
	require.NoError(t, err)
	answer := httptest.NewRecorder()
	r := httptest.NewRequest(http.MethodGet, "/api/patrons?words=Greta", nil)
	r.AddCookie(&http.Cookie{Name: "nevrin", Value: "somebody"})
	s.ServeHTTP(answer, r)
	assert.Equal(t, http.StatusInternalServerError, answer.Code)
	assert.Equal(t, "application/problem+json", answer.Header().Get("Content-Type"))
	assert.Contains(t, answer.Body.String(), "nothing was changed")
	assert.Contains(t, log.String(), "a mistake of ours")
	assert.Contains(t, log.String(), "sessions.go", "where it was made")
	assert.NotContains(t, log.String(), "Greta")
}
