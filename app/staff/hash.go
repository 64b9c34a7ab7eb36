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
	atOnce   = 2
	patience = 2 * time.Second
)

// Places are how many digests are worked out at once for one sort of people. Each sort has places of its own, so that a flood of
// one keeps nobody else waiting.
type Places struct{ taken *semaphore.Weighted }

func newPlaces() *Places { return &Places{semaphore.NewWeighted(atOnce)} }

// The sorts of people.
var (
	OfStaff     = newPlaces() // who works here, where they have been before or are signed in
	OfStrangers = newPlaces() // who says that they work here, from elsewhere
	OfPatrons   = newPlaces()
)

// strength is the first choice of OWASP's cheat sheet on storing passwords (from memory).
var strength = &argon2id.Params{Memory: 46 * 1024, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// nobodys is a digest that no password has: without a real one it takes as long as with it.
const nobodys = "$argon2id$v=19$m=47104,t=1,p=1$c29tZXNhbHRzb21lc2FsdA$MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE"

// Take waits for a place, and gives it back when done is called.
func (p *Places) Take(ctx context.Context) (done func(), err error) {
	waiting, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if err := p.taken.Acquire(waiting, 1); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, problem.Newf(problem.Crowded, "Many people are signing in at this moment. Try again in a few seconds.")
	}
	return func() { p.taken.Release(1) }, nil
}

// Has tells whether a password has a digest, for whoever has taken a place. Without a digest it does not, but takes as long. What it
// took is given back at once; otherwise much of it would gather first.
func Has(password, hash string) (bool, error) {
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

// Digest is a digest of a secret that people choose, from which nobody guesses it, once a place is free.
func (p *Places) Digest(ctx context.Context, password string) (string, error) {
	done, err := p.Take(ctx)
	if err != nil {
		return "", err
	}
	defer done()
	defer runtime.GC()
	return argon2id.CreateHash(password, strength)
}
