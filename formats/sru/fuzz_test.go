package sru_test

import (
	"strings"
	"testing"

	"nevrin/formats/sru"
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
