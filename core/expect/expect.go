// Package expect has the error of everything that reads: what was found, and what would have been right.
package expect

import "fmt"

// Error is a text or value that was not what was expected.
type Error struct{ Found, Expected string }

func (e *Error) Error() string { return e.Found + "; expected " + e.Expected }

// Errorf is an error that says what would have been right, and what was found, by a format.
func Errorf(expected, found string, args ...any) error {
	return &Error{Found: fmt.Sprintf(found, args...), Expected: expected}
}
