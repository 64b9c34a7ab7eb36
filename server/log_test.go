package server

import (
	"bytes"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A mistake of ours in the middle of a request is answered and logged, without what the request held.
func TestMistakeOfOurs(t *testing.T) {
	var log bytes.Buffer
	s := &Server{log: slog.New(slog.NewTextHandler(&log, nil))}
	answer := httptest.NewRecorder()
	s.logged(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		panic("no " + r.URL.Query().Get("words"))
	})).ServeHTTP(answer, httptest.NewRequest(http.MethodGet, "/api/patrons?words=Greta", nil))
	assert.Equal(t, http.StatusInternalServerError, answer.Code)
	assert.Equal(t, "application/problem+json", answer.Header().Get("Content-Type"))
	assert.Contains(t, answer.Body.String(), oursAlone)
	assert.Contains(t, log.String(), "a mistake of ours")
	assert.Contains(t, log.String(), "log_test.go")
	assert.NotContains(t, log.String(), "Greta")
}
