package sru_test

import (
	"bytes"
	"io"
	"net/http"
	"testing"

	"nevrin/formats/cql"
	"nevrin/formats/sru"
	"nevrin/testkit/measure"
)

// Whatever is typed becomes a query that can be read.
func FuzzRead(f *testing.F) {
	f.Add("tidal mills")
	f.Add(`dc.title all "tidal" and "mills"`)
	f.Add(`"\"`)
	f.Fuzz(func(t *testing.T, text string) {
		if _, err := cql.Read(sru.Words(text)); err != nil && len(text) < 1000 {
			t.Fatalf("%q was made of %q and cannot be read: %v", sru.Words(text), text, err)
		}
	})
}

// Whatever a server answers, it is read or refused, in memory that goes with its length.
func FuzzAnswer(f *testing.F) {
	f.Add([]byte(`<searchRetrieveResponse><records><record><recordData><dc><title>Tidal mills</title></dc></recordData></record></records></searchRetrieveResponse>`))
	f.Add([]byte("<searchRetrieveResponse/>"))
	f.Fuzz(func(t *testing.T, data []byte) {
		client := &http.Client{Transport: answering(data)}
		measure.Reader(t, len(data), func() {
			if _, err := sru.Search(t.Context(), client, "http://partner.invalid/sru", "tide"); err != nil && err.Error() == "" {
				t.Fatal("refused without a word")
			}
		})
	})
}

// answering answers every request with the same bytes.
type answering []byte

func (a answering) RoundTrip(r *http.Request) (*http.Response, error) {
	return &http.Response{StatusCode: http.StatusOK, Body: io.NopCloser(bytes.NewReader(a)), Request: r}, nil
}
