// Package jobs lets one copy of the program at a time be at some work that takes long: a night, a rehearsal, a file that moves in, a
// payment at a terminal.
//
// Whoever has a claim says every second that they are there. One that has not been heard of for ten seconds is taken to be gone, and
// the next one goes on. Whoever loses a claim, or cannot say that they are there for so long, is stopped; and what they write must
// look whether they have it still (store.HoldsWork).
package jobs

import (
	"context"
	"crypto/rand"
	"errors"
	"time"

	"github.com/riverqueue/river"

	"nevrin/store"
)

// LongQueue keeps work that takes long from what people wait for: a message, a picture, a payment.
const LongQueue = "long"

// Long are the options with which long work is enqueued.
func Long() river.InsertOpts { return river.InsertOpts{Queue: LongQueue} }

// beats is how often somebody says that they are at some work.
const beats = time.Second

// ErrStopped says that somebody else has the work now, or that it is to stop.
var ErrStopped = errors.New("stopped")

// Claim does some work, unless somebody else is at it: mine tells which. The holder names who does it, in what they write. Its context
// ends with ErrStopped as cause when the claim is lost.
func Claim(ctx context.Context, s *store.Store, name string, work func(ctx context.Context, holder string) error) (mine bool, err error) {
	holder := rand.Text()
	if mine, err = s.ClaimWork(ctx, name, holder); err != nil || !mine {
		return false, err
	}
	working, stop := context.WithCancelCause(ctx)
	beaten := make(chan struct{})
	go func() {
		defer close(beaten)
		beat(working, s, name, holder, stop)
	}()
	defer func() {
		stop(nil)
		<-beaten
		leaving, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
		defer cancel()
		err = errors.Join(err, s.LeaveWork(leaving, name, holder))
	}()
	err = work(working, holder)
	if err != nil && errors.Is(context.Cause(working), ErrStopped) {
		err = ErrStopped
	}
	return true, err
}

// beat says again and again that the holder is there, until the work has ended.
func beat(ctx context.Context, s *store.Store, name, holder string, stop context.CancelCauseFunc) {
	heard := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(beats):
		}
		asking, cancel := context.WithTimeout(ctx, store.WorkGone/2)
		still, err := s.BeatWork(asking, name, holder)
		cancel()
		switch {
		case err == nil && still:
			heard = time.Now()
		case err == nil, time.Since(heard) > store.WorkGone-beats: // by now others may have begun
			stop(ErrStopped)
			return
		}
	}
}
