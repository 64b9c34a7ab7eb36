// Package shelforder sorts call numbers as shelves do, not as text.
//
// A call number begins with its class: letters, or none, and a number that compares as a number, with decimals after a point
// digit by digit (623.88 stands before 623.9). What follows are marks of the book: a letter with digits behind it, which are
// decimals too (C58 stands before C6), words, and years and volumes, which are numbers again. Nothing stands before something.
package shelforder

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

var (
	class  = regexp.MustCompile(`^([a-z]*) *([0-9]+)(\.[0-9]+)?`)
	marks  = regexp.MustCompile(`\.?[0-9]+|[^0-9 .]+[0-9]*`)
	cutter = regexp.MustCompile(`^[a-z][0-9]+`)
)

// Key turns a call number into a text that sorts in shelf order.
func Key(call string) string {
	rest := strings.ToLower(strings.TrimSpace(call))
	var key strings.Builder
	if m := class.FindStringSubmatch(rest); m != nil {
		key.WriteString(m[1] + " " + number(m[2]) + m[3])
		rest = rest[len(m[0]):]
	}
	for _, mark := range marks.FindAllString(rest, -1) {
		key.WriteByte(' ')
		switch digits := strings.TrimLeft(mark, "."); {
		case digits[0] >= '0' && digits[0] <= '9':
			key.WriteString(number(digits)) // a year, or the number of a volume
		case cutter.MatchString(mark):
			key.WriteString(mark)
		default:
			key.WriteString(words.ReplaceAllStringFunc(mark, number))
		}
	}
	return key.String()
}

var words = regexp.MustCompile(`[0-9]+$`)

// number writes digits so that they sort as numbers.
func number(digits string) string { return fmt.Sprintf("%012s", strings.TrimLeft(digits, "0")) }

// Compare orders two call numbers.
func Compare(a, b string) int { return strings.Compare(Key(a), Key(b)) }

// Sort sorts a list by several texts each, in shelf order.
func Sort[T any](list []T, by func(T) []string) {
	slices.SortStableFunc(list, func(a, b T) int { return slices.CompareFunc(by(a), by(b), Compare) })
}
