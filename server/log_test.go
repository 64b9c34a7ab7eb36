package server_test

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/server"
	"nevrin/testkit"
)

// A mistake of ours in the middle of a request is answered and logged, without what the request held.
func TestMistakeOfOurs(t *testing.T) {
	var log bytes.Buffer
	s, err := server.New(testkit.NewWorld(t).House, fstest.MapFS{}, slog.New(slog.NewTextHandler(&log, nil)), server.Options{Plain: true})
	require.NoError(t, err)
	s.Routes().(chi.Router).Get("/api/mistake", func(_ http.ResponseWriter, r *http.Request) { panic("no " + r.URL.Query().Get("words")) })
	answer := httptest.NewRecorder()
	s.ServeHTTP(answer, httptest.NewRequest(http.MethodGet, "/api/mistake?words=Greta", nil))
	assert.Equal(t, http.StatusInternalServerError, answer.Code)
	assert.Equal(t, "application/problem+json", answer.Header().Get("Content-Type"))
	assert.Contains(t, answer.Body.String(), "Something went wrong in Nevrin. Nothing was changed. The error is in the log.")
	assert.Contains(t, log.String(), "an error in Nevrin")
	assert.Contains(t, log.String(), "log_test.go", "where it was made")
	assert.NotContains(t, log.String(), "Greta")
}
