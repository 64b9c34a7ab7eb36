package ident_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/ident"
)

var (
	usual         = ident.Usual("1846")
	cards, labels = usual.Patterns[0], usual.Patterns[1]
)

func TestRead(t *testing.T) {
	card, item := cards.Number(3118), labels.Number(27441)
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
			got := usual.Read(c.text)
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
			got := usual.Read(c.text)
			assert.Equal(t, ident.Wrong, got.Kind)
			assert.Equal(t, c.like, got.Like)
			assert.Equal(t, c.product, got.Product)
		})
	}
}

// Every single wrong digit is caught: that is what the check digit is for.
func TestOneWrongDigitIsCaught(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := []byte(labels.Number(rapid.Int64Range(0, labels.Last()).Draw(t, "n")))
		at := rapid.IntRange(5, 13).Draw(t, "at")
		number[at] = '0' + (number[at]-'0'+byte(rapid.IntRange(1, 9).Draw(t, "by")))%10
		if got := usual.Read(string(number)); got.Kind != ident.Wrong {
			t.Fatalf("%s was taken for %s", number, got.Kind)
		}
	})
}

// A network with cards of two branches, short labels of long ago, cards with letters, and cards of a library outside.
var mixed = ident.Numbers{Patterns: []ident.Pattern{
	{Name: "Cards", Of: ident.Card, Use: ident.Given, Begins: "21846", Length: 14, Check: ident.Luhn, Groups: []int{1, 4, 5, 4}},
	{Name: "Cards of Saltmere", Of: ident.Card, Use: ident.Given, Branch: "SLM", Begins: "218465", Length: 14, Check: ident.Luhn},
	{Name: "Island cards", Of: ident.Card, Use: ident.Older, Branch: "WRN", Begins: "W", Length: 7, Letters: true, Check: ident.Mod11},
	{Name: "Port Sabel", Of: ident.Card, Use: ident.Older, Library: "Port Sabel Public Library", Begins: "29911", Length: 13, Check: ident.NoCheck},
	{Name: "Labels", Of: ident.Item, Use: ident.Given, Begins: "31846", Length: 14, Check: ident.Luhn},
	{Name: "Guests", Of: ident.Item, Use: ident.Guest, Begins: "318469", Length: 14, Check: ident.Luhn},
	{Name: "Labels before 1998", Of: ident.Item, Use: ident.Older, Length: 6, Check: ident.NoCheck},
}}

func TestReadMixed(t *testing.T) {
	island := mixed.Patterns[2].Number(417)
	for _, c := range []struct {
		name, text string
		kind       ident.Kind
		pattern    string
		problem    string
	}{
		{"a card of all", mixed.Patterns[0].Number(7), ident.Card, "Cards", ""},
		{"a card of one branch: the longer beginning tells", mixed.Patterns[1].Number(7), ident.Card, "Cards of Saltmere", ""},
		{"a card with a letter", island, ident.Card, "Island cards", ""},
		{"the same in small letters", "w" + island[1:], ident.Card, "Island cards", ""},
		{"the same without its check digit", island[:6], ident.Card, "Island cards", ""},
		{"a card of a library outside", "2991104455667", ident.Card, "Port Sabel", ""},
		{"a short label of long ago", "104417", ident.Item, "Labels before 1998", ""},
		{"a label for a guest", mixed.Patterns[5].Number(1), ident.Item, "Guests", ""},
		{"a word with a digit", "tide7", ident.Words, "", ""},
		{"words with a letter in front", "W 104", ident.Words, "", ""},
		{"a shelf mark", "W1044", ident.Words, "", ""},
		{"a card of outside with a digit missing", "299110445566", ident.Wrong, "", "12 digits. Cards and labels have 13."},
		{"a number of nobody", "77777777777777", ident.Wrong, "", "Cards start with 21846 or 218465, labels with 31846."},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := mixed.Read(c.text)
			assert.Equal(t, c.kind, got.Kind, got.Problem)
			assert.Equal(t, c.pattern, got.Pattern.Name)
			assert.Contains(t, got.Problem, c.problem)
		})
	}
}

func TestNewNumbers(t *testing.T) {
	at, ok := mixed.For(ident.Card, "SLM")
	assert.True(t, ok)
	assert.Equal(t, "Cards of Saltmere", at.Name)
	at, _ = mixed.For(ident.Card, "WRN")
	assert.Equal(t, "Cards", at.Name, "older numbers are not given")
	guests, _ := mixed.Guests()
	assert.Equal(t, "Guests", guests.Name)
	assert.Equal(t, int64(9_999_999), guests.Last())
	n := mixed.Patterns[0].Number(3118)
	assert.Equal(t, "2 1846 00003 118"+n[13:], mixed.Show(n))
	assert.Equal(t, "104417", mixed.Show("104417"))
}

// Whatever is settled: each number that a pattern gives is read as what it is, in capitals and small letters.
func TestNumbersAreReadAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := rapid.SampledFrom(mixed.Patterns[:6]).Draw(t, "pattern")
		number := p.Number(rapid.Int64Range(0, p.Last()).Draw(t, "n"))
		if got := mixed.Read(strings.ToLower(number)); got.Kind != p.Of || got.Number != number || got.Completed {
			t.Fatalf("%s was read as %+v", number, got)
		}
	})
}

func TestNumbersThatCannotBe(t *testing.T) {
	change := func(by func(n *ident.Numbers)) ident.Numbers {
		n := ident.Numbers{Patterns: append([]ident.Pattern{}, usual.Patterns...)}
		by(&n)
		return n
	}
	for says, n := range map[string]ident.Numbers{
		"no pattern is given to a new card": change(func(n *ident.Numbers) { n.Patterns[0].Use = ident.Older }),
		"things from outside":               change(func(n *ident.Numbers) { n.Patterns = n.Patterns[:2] }),
		"nobody can mix up":                 change(func(n *ident.Numbers) { n.Patterns[0].Begins = "3184" }),
		"nothing is left to count on":       change(func(n *ident.Numbers) { n.Patterns[0].Begins = "2184600000000" }),
		"two are called":                    change(func(n *ident.Numbers) { n.Patterns[1].Name = "Cards" }),
		"its groups are 13 signs together":  change(func(n *ident.Numbers) { n.Patterns[1].Groups = []int{1, 4, 4, 4} }),
		"only older numbers may begin with": change(func(n *ident.Numbers) { n.Patterns[1].Begins = "" }),
		"digits and capital letters":        change(func(n *ident.Numbers) { n.Patterns[1].Begins = "3-1" }),
		"any word with a digit": change(func(n *ident.Numbers) {
			n.Patterns = append(n.Patterns, ident.Pattern{Name: "x", Of: ident.Item, Use: ident.Older, Length: 6, Letters: true, Check: ident.NoCheck})
		}),
		"found the check":          change(func(n *ident.Numbers) { n.Patterns[1].Check = "sum" }),
		"cards are not for things": change(func(n *ident.Numbers) { n.Patterns[0].Use = ident.Guest }),
	} {
		assert.ErrorContains(t, n.Validate(), says)
	}
	assert.NoError(t, usual.Validate())
	assert.NoError(t, mixed.Validate())
}

// What is covered is read: patterns that are kept, whatever is added or said of their use, read all they have read.
func TestCovering(t *testing.T) {
	assert.True(t, mixed.Covers(usual))
	assert.False(t, usual.Covers(mixed))
	other := ident.Numbers{Patterns: append([]ident.Pattern{}, mixed.Patterns...)}
	other.Patterns[0].Use, other.Patterns[0].Name = ident.Older, "Before"
	assert.True(t, other.Covers(mixed))
	other.Patterns[0].Check = ident.Mod10
	assert.False(t, other.Covers(mixed), "with another check digit the same numbers are wrong")
	rapid.Check(t, func(t *rapid.T) {
		p := rapid.SampledFrom(usual.Patterns).Draw(t, "pattern")
		number := p.Number(rapid.Int64Range(0, p.Last()).Draw(t, "n"))
		assert.True(t, mixed.Reads(p.Of, number), number)
	})
	assert.False(t, mixed.Reads(ident.Card, labels.Number(7)))
}

func TestNewCards(t *testing.T) {
	for _, c := range []struct {
		name, text, says string
		branch           calendar.Code
	}{
		{"one of all", mixed.Patterns[0].Number(7), "", "HVH"},
		{"one of its own", mixed.Patterns[1].Number(7), "", "SLM"},
		{"one of another branch", mixed.Patterns[1].Number(7), "of another branch, SLM", "HVH"},
		{"an older one", mixed.Patterns[2].Number(7), "is an older number that is no longer issued.", "WRN"},
		{"one of a library outside", "2991104455667", "", "HVH"},
		{"a label", mixed.Patterns[4].Number(7), "label of an item", "HVH"},
		{"words", "salt", "is not a card number here.", "HVH"},
		{"a digit missing", mixed.Patterns[0].Number(7)[:11], "has 11 digits", "HVH"},
	} {
		number, says := mixed.NewCard(c.text, c.branch)
		if c.says == "" {
			assert.Empty(t, says, c.name)
			assert.Equal(t, c.text, number, c.name)
			continue
		}
		assert.Contains(t, says, c.says, c.name)
		assert.Empty(t, number, c.name)
	}
}
