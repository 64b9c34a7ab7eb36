// Package shelforder sorts call numbers as shelves do, not as text.
//
// Whole numbers compare as numbers, decimals after a point digit by digit (common practice, no
// source: 623.88 stands before 623.9), letters as letters, and nothing before something.
package shelforder

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

var numbers = regexp.MustCompile(`\.?[0-9]+`)

// Key turns a call number into a text that sorts in shelf order.
func Key(call string) string {
	return numbers.ReplaceAllStringFunc(strings.ToLower(strings.TrimSpace(call)), func(n string) string {
		if strings.HasPrefix(n, ".") {
			return n
		}
		return fmt.Sprintf("%012s", strings.TrimLeft(n, "0"))
	})
}

// Compare orders two call numbers.
func Compare(a, b string) int { return strings.Compare(Key(a), Key(b)) }

// Sort sorts a list by several texts each, in shelf order.
func Sort[T any](list []T, by func(T) []string) {
	slices.SortStableFunc(list, func(a, b T) int { return slices.CompareFunc(by(a), by(b), Compare) })
}
