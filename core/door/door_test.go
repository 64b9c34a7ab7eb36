package door_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/door"
	"nevrin/core/ident"
)

func TestWaits(t *testing.T) {
	for _, c := range []struct {
		of    door.Count
		wrong int
		wait  time.Duration
	}{
		{door.OfPair, 0, 0},
		{door.OfPair, 4, 0},
		{door.OfPair, 5, 2 * time.Second},
		{door.OfPair, 6, 4 * time.Second},
		{door.OfPair, 13, 512 * time.Second},
		{door.OfPair, 14, 15 * time.Minute},
		{door.OfPair, 1_000_000, 15 * time.Minute},
		{door.OfName, 20, 0},
		{door.OfName, 21, 10 * time.Second},
		{door.OfAddress, 40, 0},
		{door.OfAddress, 41, 2 * time.Second},
		{door.OfAddress, 1000, 5 * time.Minute},
	} {
		assert.Equal(t, c.wait, door.Wait(c.of, c.wrong), "%s %d", c.of, c.wrong)
	}
}

// Whoever tries more never waits less.
func TestWaitsGrow(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		of := rapid.SampledFrom([]door.Count{door.OfPair, door.OfName, door.OfAddress}).Draw(t, "of")
		n := rapid.IntRange(0, 1<<40).Draw(t, "wrong")
		assert.GreaterOrEqual(t, door.Wait(of, n+1), door.Wait(of, n))
	})
}

// NIST SP 800-63B, 5.1.1.2: a length, a list of the common ones and of what is known of the person, no rules of which
// letters; from memory.
func TestPasswords(t *testing.T) {
	for text, says := range map[string]string{
		"short":                        "too short",
		"":                             "too short",
		strings.Repeat("x", 201):       "too long",
		"password123":                  "This password is too common. Choose another; a few unrelated words make a good password.",
		"1234567890":                   "This password is too common. Choose another; a few unrelated words make a good password.",
		"qwertyuiop":                   "This password is too common. Choose another; a few unrelated words make a good password.",
		"jorytamm12":                   "This password is too common. Choose another; a few unrelated words make a good password.",
		"librarylibrary":               "This password is too common. Choose another; a few unrelated words make a good password.",
		"aaaaaaaaaaaaaaaaaaaa":         "This password is too common. Choose another; a few unrelated words make a good password.",
		"ferry lantern quarrel tide":   "",
		"søren ælsker brændte mandler": "",
		strings.Repeat("ferry lantern quarrel ", 9): "",
	} {
		got := door.Password(text, "jory", "Jory Tamm")
		if says == "" {
			assert.Empty(t, got, text)
		} else {
			assert.Contains(t, got, says, text)
		}
	}
}

func TestStationsRest(t *testing.T) {
	for _, c := range []struct {
		own     bool
		rested  time.Duration
		minutes int
		rests   bool
	}{
		{false, 30 * time.Minute, 30, false},
		{false, 30*time.Minute + time.Second, 30, true},
		{true, 24 * time.Hour, 30, false},
		{false, 24 * time.Hour, 0, false},
	} {
		assert.Equal(t, c.rests, door.Rests(c.own, c.rested, c.minutes), "%+v", c)
	}
}

// A badge is scanned too, and where items have short numbers, a code that somebody types may look like one.
func TestItemsScannedWhereACodeIsAsked(t *testing.T) {
	for _, c := range []struct {
		code    string
		kind    ident.Kind
		scanned bool
	}{
		{"31846000842954", ident.Item, true},
		{"21846000031184", ident.Card, false},
		{"29999184600123", ident.Wrong, false},
		{"728341", ident.Item, false},
		{"728341728", ident.Item, false},
		{"7283417283", ident.Item, true},
		{"seven tides", ident.Words, false},
	} {
		assert.Equal(t, c.scanned, door.Scanned(c.code, c.kind), c.code)
	}
}

func TestShortCodes(t *testing.T) {
	for code, good := range map[string]bool{
		"": false, "123": false, "1234": false, "4321": false, "7777": false, "7283": true, "29999184600123": true,
		strings.Repeat("71", 21): false,
	} {
		assert.Equal(t, good, door.Short(code) == "", code)
	}
}
