package door

import (
	"crypto/subtle"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
)

// Second factors are codes after RFC 6238: six digits, of steps of thirty seconds, by HMAC-SHA-1, as any app for codes
// makes them.
const (
	secondStep  = 30
	secondDrift = 1 // by so many steps the clock of a phone may be wrong, either way
)

// Second tells whether a code is right for a secret, in base 32, at an instant, and of which step it is. A code counts once:
// one of the last step that was used, or before it, is not right.
func Second(secret, code string, at time.Time, last int64) (step int64, right bool) {
	now := at.Unix() / secondStep
	for s := now - secondDrift; s <= now+secondDrift; s++ {
		want, err := hotp.GenerateCodeCustom(secret, uint64(s), hotp.ValidateOpts{
			Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1,
		})
		if err == nil && s > last && subtle.ConstantTimeCompare([]byte(want), []byte(code)) == 1 {
			return s, true
		}
	}
	return 0, false
}
