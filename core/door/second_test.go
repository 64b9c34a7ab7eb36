package door_test

import (
	"encoding/base32"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nevrin/core/door"
)

// RFC 6238, Appendix B, the table for SHA-1: its codes have eight digits, of which ours are the last six.
func TestSecondFactors(t *testing.T) {
	secret := base32.StdEncoding.EncodeToString([]byte("12345678901234567890"))
	for at, code := range map[int64]string{
		59: "94287082", 1111111109: "07081804", 1111111111: "14050471", 1234567890: "89005924",
		2000000000: "69279037", 20000000000: "65353130",
	} {
		now := time.Unix(at, 0)
		step, right := door.Second(secret, code[2:], now, 0)
		assert.True(t, right, at)
		assert.Equal(t, at/30, step, at)
		_, again := door.Second(secret, code[2:], now, step)
		assert.False(t, again, "a code counts once")
		_, late := door.Second(secret, code[2:], now.Add(time.Minute), 0)
		assert.False(t, late, "a code of two steps ago")
		_, next := door.Second(secret, code[2:], now.Add(30*time.Second), 0)
		assert.True(t, next, "a phone whose clock is a little slow")
	}
	_, right := door.Second(secret, "", time.Unix(59, 0), 0)
	assert.False(t, right)
	_, right = door.Second("no base 32!", "287082", time.Unix(59, 0), 0)
	assert.False(t, right)
}
