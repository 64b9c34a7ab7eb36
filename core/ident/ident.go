// Package ident tells what has been scanned or typed: a card, an item, something wrong, or words.
//
// A network says how its numbers look: patterns of cards and of labels, each with what it begins with, how long it is and
// how its check digit is worked out. Some belong to one branch; some are older, read but no longer given; some are those of
// libraries outside, whose people keep their own card. The number of a pattern with a check digit may be typed without it.
// A publisher's product code (EAN-13 with an ISO 2108 prefix, or a shop's UPC) is known as such, because it is so often
// scanned by mistake.
package ident

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
)

// Kind says what a scanned or typed text is: a card, an item, words, or wrong.
type Kind string

const (
	Card  Kind = "card"
	Item  Kind = "item"
	Wrong Kind = "wrong"
	Words Kind = "words"
)

// Scan is a text that was read. Number is the full number of a card or item; Problem says in a sentence
// what is wrong with a wrong one, Like what it was meant as, as far as its digits tell: card or item,
// empty where they do not tell. Product tells that it is a publisher's product code. Completed tells
// that all but the check digit was given and it was added; if no such number is known, a digit
// is probably missing. Pattern is how the number of a card or item looks.
type Scan struct {
	Kind      Kind
	Number    string
	Problem   string
	Like      Kind
	Product   bool
	Completed bool
	Pattern   Pattern
}

// shortest is how many digits a number has at least that could be a wrong one; fewer are words.
const shortest = 5

var (
	numeric = regexp.MustCompile(`^[0-9][0-9 -]*[0-9Xx]?$`)
	code    = regexp.MustCompile(`^[0-9A-Za-z]*[0-9][0-9A-Za-z]*$`)
)

// Read tells what a text is.
func (n Numbers) Read(text string) Scan {
	text = strings.TrimSpace(text)
	plain := numeric.MatchString(text)
	if !plain && !code.MatchString(text) {
		return Scan{Kind: Words}
	}
	sent := strings.ToUpper(strings.NewReplacer(" ", "", "-", "").Replace(text))
	if p, ok := n.find(sent); ok {
		return Scan{Kind: p.Of, Number: sent, Like: p.Of, Pattern: p}
	}
	if p, ok := n.complete(sent); ok {
		return Scan{Kind: p.Of, Number: sent + p.Check.Sign(sent), Like: p.Of, Completed: true, Pattern: p}
	}
	if !plain || len(sent) < shortest {
		return Scan{Kind: Words}
	}
	return n.wrong(sent)
}

// Several splits a line with more than one code into the codes: a scanner that is faster than its line ends sends two in one, with
// a space or a comma between them or nothing at all. What is one code, or not only codes, stays whole.
func (n Numbers) Several(text string) []string {
	text = strings.TrimSpace(text)
	if n.isCode(text) {
		return []string{text}
	}
	parts := strings.FieldsFunc(text, func(r rune) bool { return unicode.IsSpace(r) || r == ',' || r == ';' })
	if len(parts) > 1 && !slices.ContainsFunc(parts, func(p string) bool { return !n.isCode(p) }) {
		return parts
	}
	for at := shortest; at <= len(text)-shortest; at++ {
		if first, rest := text[:at], text[at:]; n.isFull(first) {
			if more := n.Several(rest); n.isFull(more[0]) {
				return append([]string{first}, more...)
			}
		}
	}
	return []string{text}
}

// isCode tells whether a text is a card or an item, perhaps without its check digit; isFull whether it is one as it stands.
func (n Numbers) isCode(text string) bool {
	kind := n.Read(text).Kind
	return kind == Card || kind == Item
}

func (n Numbers) isFull(text string) bool {
	_, ok := n.find(strings.ToUpper(text))
	return ok
}

// find gives the pattern that a number fits; of several the one that tells most of its beginning.
func (n Numbers) find(number string) (Pattern, bool) {
	return n.longest(func(p Pattern) bool { return p.Fits(number) })
}

// complete gives the pattern that a number fits once its check digit is added.
func (n Numbers) complete(number string) (Pattern, bool) {
	return n.longest(func(p Pattern) bool {
		return p.Begins != "" && p.Check != NoCheck && p.Fits(number+p.Check.Sign(number))
	})
}

func (n Numbers) longest(fits func(Pattern) bool) (Pattern, bool) {
	var best Pattern
	found := false
	for _, p := range n.Patterns {
		if fits(p) && (!found || len(p.Begins) > len(best.Begins)) {
			best, found = p, true
		}
	}
	return best, found
}

// wrong says what is wrong with digits that fit no pattern.
func (n Numbers) wrong(digits string) Scan {
	near, common := n.near(digits)
	scan := Scan{Kind: Wrong, Number: "", Like: kindOf(near)}
	ours := slices.ContainsFunc(near, func(p Pattern) bool { return p.Begins != "" && len(p.Begins) == common })
	switch {
	case !ours && productCode(digits):
		scan.Like, scan.Product = "", true
		scan.Problem = fmt.Sprintf("%s is the publisher’s product code, not the library label. Scan the label that starts with %s.",
			digits, beginnings(n.given(Item)))
	case !slices.ContainsFunc(near, func(p Pattern) bool { return p.Length == len(digits) }):
		scan.Problem = fmt.Sprintf("%s has %d digits. Cards and labels have %s. Check for a missing or doubled digit.",
			digits, len(digits), lengths(near))
	case ours:
		scan.Problem = fmt.Sprintf("%s has a wrong check digit. "+
			"Scan it again or type it from the label.", digits)
	default:
		scan.Problem = fmt.Sprintf("%s starts with %s. Cards start with %s, labels with %s.",
			digits, digits[:min(5, len(digits))], beginnings(n.given(Card)), beginnings(n.given(Item)))
	}
	return scan
}

// near are the patterns that begin most like a number, and how much of their beginning they share with it; all that are
// given where none shares anything.
func (n Numbers) near(number string) ([]Pattern, int) {
	var out []Pattern
	most := 1
	for _, p := range n.Patterns {
		switch c := shared(p.Begins, number); {
		case c > most:
			out, most = []Pattern{p}, c
		case c == most:
			out = append(out, p)
		}
	}
	if out == nil {
		return append(n.given(Card), n.given(Item)...), 0
	}
	return out, most
}

func shared(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

// kindOf is what all of some patterns are of; empty where they differ.
func kindOf(patterns []Pattern) Kind {
	var kind Kind
	for k, p := range patterns {
		if k > 0 && p.Of != kind {
			return ""
		}
		kind = p.Of
	}
	return kind
}

func lengths(patterns []Pattern) string {
	var all []int
	for _, p := range patterns {
		all = append(all, p.Length)
	}
	slices.Sort(all)
	return or(slices.Compact(all), func(n int) string { return fmt.Sprint(n) })
}

func beginnings(patterns []Pattern) string {
	var all []string
	for _, p := range patterns {
		if p.Begins != "" {
			all = append(all, p.Begins)
		}
	}
	slices.Sort(all)
	return or(slices.Compact(all), func(s string) string { return s })
}

// or joins alternatives as a sentence does.
func or[T any](all []T, say func(T) string) string {
	text := ""
	for k, one := range all {
		switch {
		case k == 0:
		case k == len(all)-1:
			text += " or "
		default:
			text += ", "
		}
		text += say(one)
	}
	return text
}

// Unknown says that nothing here has a number that is well formed. Completed tells that its check digit was added.
func Unknown(what, number string, completed bool) string {
	if completed {
		return fmt.Sprintf(
			"No %s has the number %s. One digit was missing, so a check digit was added. Check the number.",
			what,
			number,
		)
	}
	return fmt.Sprintf("%s is a valid number, but no %s here has it.", number, what)
}
