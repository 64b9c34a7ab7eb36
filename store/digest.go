package store

import (
	"crypto/sha256"
)

// Digest gives the digest under which a token or secret is stored: whoever reads it can do nothing with it. Tokens and secrets are long and
// random, so that a plain digest is as good as a slow one.
func Digest(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}
