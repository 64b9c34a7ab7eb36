package sru_test

import (
	"bytes"
	"io"
	"net/http"
	"strings"
	"testing"

	"nevrin/formats/sru"
	"nevrin/testkit/measure"
)

// Whatever is typed becomes a query whose terms are read back; whatever query comes is read or refused with a sentence.
func FuzzRead(f *testing.F) {
	f.Add("tidal mills")
	f.Add(`dc.title all "tidal" and "mills"`)
	f.Add(`"\"`)
	f.Fuzz(func(t *testing.T, text string) {
		if _, err := sru.Terms(text); err != nil && strings.TrimSpace(err.Error()) == "" {
			t.Fatal("refused without a word")
		}
		if query := sru.Words(text); strings.TrimSpace(text) != "" {
			if _, err := sru.Terms(query); err != nil && query != "" {
				t.Fatalf("%q was made of %q and cannot be read: %v", query, text, err)
			}
		}
	})
}

// Whatever a server answers, it is read or refused, in memory that goes with its length.
func FuzzAnswer(f *testing.F) {
	found, err := sru.Write([]sru.Record{{ID: "1", Title: "Tidal mills"}}, nil)
	if err != nil {
		f.Fatal(err)
	}
	f.Add(found)
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
