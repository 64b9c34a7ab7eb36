package ident_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/ident"
)

func TestRead(t *testing.T) {
	card, item := ident.Number(ident.Card, "1846", 3118), ident.Number(ident.Item, "1846", 27441)
	cases := []struct {
		name, text string
		kind       ident.Kind
		problem    string
	}{
		{"card", card, ident.Card, ""},
		{"card with spaces", card[:1] + " " + card[1:5] + " " + card[5:], ident.Card, ""},
		{"item without its check digit", item[:13], ident.Item, ""},
		{
			"a digit missing in the middle",
			item[:6] + item[7:],
			ident.Item,
			"",
		}, // thirteen digits complete themselves; see below
		{"two digits missing", item[:12], ident.Wrong, "12 digits"},
		{"a digit too many", item + "0", ident.Wrong, "15 digits"},
		{"wrong check digit", item[:13] + string('0'+(item[13]-'0'+1)%10), ident.Wrong, "check digit"},
		{"product code: ISBN-13 of ISO 2108's own example", "978-92-95055-02-5", ident.Wrong, "publisher"},
		{"product code: ISBN-10 (from memory)", "0-306-40615-2", ident.Wrong, "publisher"},
		{"words", "salt choir", ident.Words, ""},
		{"short number", "1984", ident.Words, ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got := ident.Read(c.text, "1846")
			assert.Equal(t, c.kind, got.Kind, got.Problem)
			assert.Contains(t, got.Problem, c.problem)
			assert.Equal(t, len(c.text) == 13 && got.Kind == ident.Item, got.Completed)
		})
	}
}

// What a wrong number was meant as decides what may follow it: after a card that is not known, nothing is lent.
func TestWhatAWrongNumberWasMeantAs(t *testing.T) {
	cases := []struct {
		name, text string
		like       ident.Kind
		product    bool
	}{
		{"a card with a digit missing", "21846000311", ident.Card, false},
		{"a card with a digit wrong", "21846000031180", ident.Card, false},
		{"a label with a digit too many", "318460000311877", ident.Item, false},
		{"something else", "91846000031187", "", false},
		{"product code: ISBN-13 of ISO 2108's own example", "9789295055025", "", true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got := ident.Read(c.text, "1846")
			assert.Equal(t, ident.Wrong, got.Kind)
			assert.Equal(t, c.like, got.Like)
			assert.Equal(t, c.product, got.Product)
		})
	}
}

// ISO/IEC 7812-1 Annex B, the worked number 7992 739 871 with check digit 3 (from memory).
func TestCheckDigit(t *testing.T) {
	assert.Equal(t, "3", ident.CheckDigit("7992739871"))
}

// Every single wrong digit is caught: that is what the check digit is for.
func TestOneWrongDigitIsCaught(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := []byte(ident.Number(ident.Item, "1846", rapid.IntRange(0, 99_999_999).Draw(t, "n")))
		at := rapid.IntRange(5, 13).Draw(t, "at")
		number[at] = '0' + (number[at]-'0'+byte(rapid.IntRange(1, 9).Draw(t, "by")))%10
		if got := ident.Read(string(number), "1846"); got.Kind != ident.Wrong {
			t.Fatalf("%s was taken for %s", number, got.Kind)
		}
	})
}
