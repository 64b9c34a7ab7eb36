// Package ident tells what has been scanned or typed: a card, an item, something wrong, or words.
//
// Cards and items carry fourteen digits: a kind (2 card, 3 item), the four digits of the network,
// eight of its own, and a check digit after ISO/IEC 7812-1 Annex B (Luhn). The thirteen digits
// without the check digit may be typed. A publisher's product code (EAN-13 with an ISO 2108 prefix,
// or a shop's UPC) is known as such, because it is so often scanned by mistake.
package ident

import (
	"fmt"
	"regexp"
	"strings"
)

// Kind is what a text turned out to be.
type Kind string

const (
	Card  Kind = "card"
	Item  Kind = "item"
	Wrong Kind = "wrong"
	Words Kind = "words"
)

// Scan is what was read. Number is the full number of a card or item; Problem says in a sentence
// what is wrong with a wrong one, Like what it was meant as, as far as its digits tell: card or item,
// empty where they do not tell. Product tells that it is a publisher's product code. Completed tells
// that thirteen digits were given and the check digit was added; if no such number is known, a digit
// is probably missing.
type Scan struct {
	Kind      Kind
	Number    string
	Problem   string
	Like      Kind
	Product   bool
	Completed bool
}

const (
	length     = 14
	cardDigit  = "2"
	itemDigit  = "3"
	codeLength = 5
)

var numeric = regexp.MustCompile(`^[0-9][0-9 -]*[0-9Xx]?$`)

// Read tells what a text is, for a network with the given four digits.
func Read(text, network string) Scan {
	text = strings.TrimSpace(text)
	if !numeric.MatchString(text) {
		return Scan{Kind: Words}
	}
	digits := strings.NewReplacer(" ", "", "-", "").Replace(text)
	if len(digits) < codeLength {
		return Scan{Kind: Words}
	}
	ours := strings.HasPrefix(digits, cardDigit+network) || strings.HasPrefix(digits, itemDigit+network)
	completed := ours && len(digits) == length-1
	if completed {
		digits += CheckDigit(digits)
	}
	switch {
	case !ours && productCode(digits):
		product := wrong(
			digits,
			"%s is the publisher's product code, not the library's label. Scan the label that begins with 3 %s.",
			digits,
			network,
		)
		product.Like, product.Product = "", true
		return product
	case len(digits) != length:
		return wrong(
			digits,
			"%s has %d digits. A card or label has %d. Look for a digit missing or doubled.",
			digits,
			len(digits),
			length,
		)
	case CheckDigit(digits[:length-1]) != digits[length-1:]:
		return wrong(
			digits,
			"%s has a check digit that does not fit, so one of its digits is wrong. Scan it again or type it from the label.",
			digits,
		)
	case digits[:1] == cardDigit:
		return Scan{Kind: Card, Number: digits, Like: Card, Completed: completed}
	case digits[:1] == itemDigit:
		return Scan{Kind: Item, Number: digits, Like: Item, Completed: completed}
	}
	return wrong(digits, "%s begins with %s. Cards begin with 2, items with 3.", digits, digits[:1])
}

func wrong(digits, format string, args ...any) Scan {
	scan := Scan{Kind: Wrong, Problem: fmt.Sprintf(format, args...)}
	switch digits[:1] {
	case cardDigit:
		scan.Like = Card
	case itemDigit:
		scan.Like = Item
	}
	return scan
}

// CheckDigit is the digit that makes a number valid after ISO/IEC 7812-1 Annex B.
func CheckDigit(digits string) string {
	sum := 0
	for i := range len(digits) {
		n := int(digits[len(digits)-1-i] - '0')
		if i%2 == 0 {
			if n *= 2; n > 9 {
				n -= 9
			}
		}
		sum += n
	}
	return fmt.Sprint((10 - sum%10) % 10)
}

// Number builds the full number of the nth card or item of a network.
func Number(kind Kind, network string, n int) string {
	first := itemDigit
	if kind == Card {
		first = cardDigit
	}
	digits := fmt.Sprintf("%s%s%08d", first, network, n)
	return digits + CheckDigit(digits)
}

// productCode tells whether the digits are an EAN-13, a UPC or an ISBN-10 with a fitting check digit.
func productCode(digits string) bool {
	switch len(digits) {
	case 13, 12:
		if strings.ContainsAny(digits, "Xx") {
			return false
		}
		sum := 0
		for i := range len(digits) {
			weight := 1
			if i%2 == 1 {
				weight = 3
			}
			sum += weight * int(digits[len(digits)-1-i]-'0')
		}
		return sum%10 == 0
	case 10:
		sum := 0
		for i := range 10 {
			n := 10
			if c := digits[i]; c != 'X' && c != 'x' {
				n = int(c - '0')
			}
			sum += (10 - i) * n
		}
		return sum%11 == 0
	}
	return false
}

// Unknown says that nothing here has a number that is well formed. Completed tells that its check digit was added.
func Unknown(what, number string, completed bool) string {
	if completed {
		return fmt.Sprintf(
			"No %s has the number %s. Thirteen digits were given and the check digit was added: is a digit missing?",
			what,
			number,
		)
	}
	return fmt.Sprintf("The number %s is well formed, but no %s here has it.", number, what)
}
