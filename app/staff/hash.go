package staff

import (
	"context"
	"errors"
	"runtime"
	"time"

	"github.com/alexedwards/argon2id"
	"golang.org/x/sync/semaphore"

	"nevrin/app/problem"
)

// A digest of a password takes 46 MiB for a twentieth of a second: few are worked out at once, and nobody waits long.
const (
	atOnce   = 4
	patience = 2 * time.Second
)

var digesting = semaphore.NewWeighted(atOnce)

// strength is the first choice of OWASP's cheat sheet on storing passwords (from memory).
var strength = &argon2id.Params{Memory: 46 * 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// nobodys is a digest that no password has: without a real one it takes as long as with it.
const nobodys = "$argon2id$v=19$m=47104,t=1,p=1$c29tZXNhbHRzb21lc2FsdA$MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE"

func turn(ctx context.Context) (func(), error) {
	waiting, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if err := digesting.Acquire(waiting, 1); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, problem.Newf(problem.Crowded, "Many people sign in just now. Try again in a few seconds.")
	}
	return func() { digesting.Release(1) }, nil
}

// compare tells whether a password has a digest, in one's turn.
func compare(ctx context.Context, password, hash string) (bool, error) {
	done, err := turn(ctx)
	if err != nil {
		return false, err
	}
	defer done()
	return has(password, hash)
}

// Compare tells whether a secret has a digest, in one's turn; without a digest it does not, and takes as long.
func Compare(ctx context.Context, secret, hash string) (bool, error) {
	return compare(ctx, secret, hash)
}

// has tells whether a password has a digest, of who has the turn. Without a digest it does not, but takes as long. What it
// took is given back at once; otherwise much of it would gather first.
func has(password, hash string) (bool, error) {
	defer runtime.GC()
	if hash == "" {
		_, err := argon2id.ComparePasswordAndHash(password, nobodys)
		return false, err
	}
	right, err := argon2id.ComparePasswordAndHash(password, hash)
	if errors.Is(err, argon2id.ErrInvalidHash) || errors.Is(err, argon2id.ErrIncompatibleVersion) {
		return false, nil
	}
	return right, err
}

// Digest is a digest of a secret that people choose, from which nobody guesses it.
func Digest(ctx context.Context, password string) (string, error) {
	done, err := turn(ctx)
	if err != nil {
		return "", err
	}
	defer done()
	defer runtime.GC()
	return argon2id.CreateHash(password, strength)
}
