package ident_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nevrin/core/ident"
)

// Two codes in one line are told apart; one code, words and a product code stay whole.
func TestSeveral(t *testing.T) {
	n := ident.Usual("1846")
	card, item, other := n.Patterns[0].Number(17), n.Patterns[1].Number(27441), n.Patterns[1].Number(27442)
	for text, want := range map[string][]string{
		item:                            {item},
		item + other:                    {item, other},
		card + item + other:             {card, item, other},
		card + " " + item:               {card, item},
		item + ", " + other:             {item, other},
		item + "\t" + item[:13]:         {item, item[:13]},
		"the tide":                      {"the tide"},
		item + " the tide":              {item + " the tide"},
		item + "9789295055025":          {item + "9789295055025"},
		"9789295055025":                 {"9789295055025"},
		item[:13]:                       {item[:13]},
		" " + item[:5] + " " + item[5:]: {item[:5] + " " + item[5:]},
	} {
		assert.Equal(t, want, n.Several(text), text)
	}
}
