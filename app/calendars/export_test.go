package calendars

import "testing"

// AtOnce has so few due dates move in one act for a test.
func AtOnce(t *testing.T, n int) {
	was := atOnce
	atOnce = n
	t.Cleanup(func() { atOnce = was })
}
