package exchange

import (
	"slices"
	"strings"
	"unicode"
)

// Names gives the word of a text by which it tells who somebody is: a word of their names, written as it is in the name, or their number.
// Empty: it tells nobody.
func Names(text string, number string, names ...string) string {
	if number != "" && strings.Contains(strings.ReplaceAll(text, " ", ""), number) {
		return number
	}
	split := func(text string) []string {
		return strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && r != '-' })
	}
	in := split(text)
	for _, name := range names {
		for _, word := range split(name) {
			if len([]rune(word)) >= shortestName && slices.Contains(in, word) {
				return word
			}
		}
	}
	return ""
}

// shortestName is the number of letters below which a word of a name tells nobody.
const shortestName = 3
