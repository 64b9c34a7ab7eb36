// Package expect has the error of everything that reads: what was found, and what would have been right.
package expect

import (
	"fmt"
	"strings"
)

// Error is a text or value that was not what was expected.
type Error struct{ Found, Expected string }

func (e *Error) Error() string { return e.Found + "; expected " + e.Expected }

// Errorf is an error that says what would have been right, and what was found, by a format.
func Errorf(expected, found string, args ...any) error {
	return &Error{Found: fmt.Sprintf(found, args...), Expected: expected}
}

// mostShown is how many bytes of something that was read an error shows.
const mostShown = 120

// Shown is a text that was read, short enough to stand in an error: what is too long is cut, and ends in an ellipsis.
func Shown(text string) string {
	if len(text) <= mostShown {
		return text
	}
	return strings.ToValidUTF8(text[:mostShown], "") + "…"
}
