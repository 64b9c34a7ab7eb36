package calendars

import "testing"

// AtOnce has so few due dates move in one act for a test.
func AtOnce(t *testing.T, n int) {
	was, parts := atOnce, part
	atOnce, part = n, n
	t.Cleanup(func() { atOnce, part = was, parts })
}
