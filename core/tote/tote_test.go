package tote_test

import (
	"strings"
	"testing"

	"github.com/boombuler/barcode/ean"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/tote"
)

func TestWhatAScannedLabelMeans(t *testing.T) {
	from, to, hub := calendar.Code("QRW"), calendar.Code("SLM"), calendar.Code("HVH")
	at := func(s tote.State, at calendar.Code) tote.Place {
		return tote.Place{State: s, From: from, To: to, At: at}
	}
	for _, c := range []struct {
		name  string
		place tote.Place
		here  calendar.Code
		means tote.Meaning
		step  tote.Step
	}{
		{"the driver takes it", at(tote.Closed, from), from, tote.Leaves, tote.Leave},
		{"nobody scanned that it left", at(tote.Closed, from), to, tote.Comes, tote.Come},
		{"nobody scanned that it left, and it changes runs", at(tote.Closed, from), hub, tote.Passes, tote.Pass},
		{"it changes runs", at(tote.Away, from), hub, tote.Passes, tote.Pass},
		{"twice where it changes runs", at(tote.Away, hub), hub, tote.SeenHere, ""},
		{"back where it was filled", at(tote.Away, hub), from, tote.Passes, tote.Pass},
		{"scanned again as it is loaded", at(tote.Away, from), from, tote.LeftHere, ""},
		{"it comes", at(tote.Away, hub), to, tote.Comes, tote.Come},
		{"received twice", at(tote.Here, to), to, tote.CameHere, ""},
		{"unpacked, and its label is still on it", at(tote.Empty, to), to, tote.Unpacked, ""},
		{"not closed yet", at(tote.Open, from), from, tote.Filling, ""},
		{"carried off unclosed", at(tote.Open, from), to, tote.Elsewhere, ""},
		{"it came, and turns up elsewhere", at(tote.Here, to), hub, tote.Passes, tote.Pass},
		{"lost, and it comes after all", at(tote.Lost, hub), to, tote.Surfaces, tote.Come},
		{"lost, and found in the van's garage", at(tote.Lost, from), hub, tote.Surfaces, tote.Pass},
	} {
		t.Run(c.name, func(t *testing.T) {
			means, step := tote.Scanned(c.place, c.here)
			assert.Equal(t, c.means, means)
			assert.Equal(t, c.step, step)
		})
	}
}

// Whatever is scanned wherever, in whatever order: a step that a scan asks for is always possible, and a second scan at the
// same branch right after it changes nothing.
func TestAScanIsAlwaysPossibleAndCountsOnce(t *testing.T) {
	branches := []calendar.Code{"QRW", "HVH", "SLM", "WRN"}
	states := []tote.State{tote.Open, tote.Closed, tote.Away, tote.Here, tote.Empty, tote.Lost}
	rapid.Check(t, func(t *rapid.T) {
		p := tote.Place{
			State: rapid.SampledFrom(states).Draw(t, "state"), From: "QRW", To: "SLM",
			At: rapid.SampledFrom(branches).Draw(t, "at"),
		}
		here := rapid.SampledFrom(branches).Draw(t, "here")
		_, step := tote.Scanned(p, here)
		if step == "" {
			return
		}
		next, err := tote.Next(p.State, step)
		require.NoError(t, err)
		_, again := tote.Scanned(tote.Place{State: next, From: p.From, To: p.To, At: here}, here)
		assert.Empty(t, again)
	})
}

func TestStepsThatCannotBe(t *testing.T) {
	_, err := tote.Next(tote.Empty, tote.Close)
	require.EqualError(t, err, "this tote has been unpacked; it cannot be closed")
	_, err = tote.Next(tote.Open, tote.Leave)
	require.EqualError(t, err, "this tote is open; it cannot be taken by the courier")
}

// The check digit is that of GS1, by a barcode library; a wrong one is found, and nothing else is taken for a tote.
func TestNumbersOfLabels(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		id := rapid.Int64Range(100_000_000_000, 999_999_999_999).Draw(t, "id")
		number := tote.Number(id)
		code, err := ean.Encode(strings.TrimPrefix(number, "T")[:12])
		require.NoError(t, err)
		assert.Equal(t, "T"+code.Content(), number)
		read, is := tote.Read(" " + strings.ToLower(number) + " ")
		assert.True(t, is)
		assert.Equal(t, id, read)
		wrong := []byte(number)
		at := rapid.IntRange(1, len(wrong)-1).Draw(t, "at")
		wrong[at] = '0' + (wrong[at]-'0'+byte(rapid.IntRange(1, 9).Draw(t, "by")))%10
		read, is = tote.Read(string(wrong))
		assert.True(t, is)
		assert.Zero(t, read)
	})
	for _, other := range []string{"", "T", "T1", "31846000842954", "The tides", "TT123", "T12a4"} {
		_, is := tote.Read(other)
		assert.False(t, is, other)
	}
}
