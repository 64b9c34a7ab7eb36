package sru_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/formats/sru"
)

func TestSearchBringsRecordsAndDiagnostics(t *testing.T) {
	records := []sru.Record{{ID: "k1", Title: "Tides & Currents", Author: "O. Skerry", Date: "2011", ISBN: "9789999900003"}}
	var problem error
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		words, err := sru.Terms(r.URL.Query().Get("query"))
		assert.NoError(t, err)
		assert.Equal(t, []string{"tides", "and"}, words)
		data, err := sru.Write(records, problem)
		assert.NoError(t, err)
		_, _ = w.Write(data)
	}))
	defer server.Close()
	got, err := sru.Search(context.Background(), server.Client(), server.URL, `Tides "and"`)
	require.NoError(t, err)
	assert.Equal(t, records, got)
	records, problem = nil, fmt.Errorf("too many")
	_, err = sru.Search(context.Background(), server.Client(), server.URL, "tides and")
	assert.ErrorContains(t, err, "too many")
}
