package scanned_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/scanned"
	"nevrin/core/ident"
	"nevrin/core/role"
	"nevrin/testkit"
)

func TestText(t *testing.T) {
	w := testkit.NewWorld(t)
	here := w.Staff(role.Desk, "HVH")
	_, items := w.Title("HVH")
	patron := w.Patron("HVH")
	card := w.Ask("SELECT card FROM patrons WHERE id = $1", patron)
	numbers, err := ident.ReadNumbers([]byte(w.Ask("SELECT numbers FROM network")))
	require.NoError(t, err)
	cases := []struct {
		name, text string
		kind       ident.Kind
		says       string
	}{
		{"a card", card, ident.Card, ""},
		{"an item, spaced as on its label", items[0][:1] + " " + items[0][1:], ident.Item, ""},
		{"nobody's card", numbers.Patterns[0].Number(99_999_999), ident.Wrong, "is a valid number, but no"},
		{"no such item", numbers.Patterns[1].Number(89_999_999), ident.Wrong, "is a valid number, but no"},
		{"a digit missing", items[0][:12], ident.Wrong, "12 digits"},
		{"words", "salt choir", ident.Words, ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			read, err := act.Look(context.Background(), w.House, here, func(a *act.Act) (*scanned.Read, error) {
				return scanned.Text(a, c.text)
			})
			require.NoError(t, err)
			assert.Equal(t, c.kind, read.Kind, read.Says)
			assert.Contains(t, read.Says, c.says)
			assert.Equal(t, c.kind == ident.Card, read.Patron == patron)
			assert.Equal(t, c.kind == ident.Item, read.Item != 0)
			assert.Equal(t, c.name == "no such item", read.Free, "a label for something new")
		})
	}
}

// Whose role opens records by the card alone is told what a number is, and not whether a card has it: at the desk it is counted how many
// cards they scan.
func TestACardIsNoQuestionForVolunteers(t *testing.T) {
	w := testkit.NewWorld(t)
	wil := w.Staff(role.Volunteer, "HVH")
	patron := w.Patron("HVH")
	numbers, err := ident.ReadNumbers([]byte(w.Ask("SELECT numbers FROM network")))
	require.NoError(t, err)
	for _, text := range []string{w.Ask("SELECT card FROM patrons WHERE id = $1", patron), numbers.Patterns[0].Number(99_999_999)} {
		read := testkit.Do(t, w.House, wil, func(a *act.Act) (*scanned.Read, error) { return scanned.Text(a, text) })
		assert.Equal(t, scanned.Read{Kind: ident.Card, Number: text}, *read)
	}
}
