package jobs_test

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/jobs"
	"nevrin/testkit"
)

// Of many that want the same work one has it; when it has ended the next one has.
func TestOneAtATime(t *testing.T) {
	w := testkit.NewWorld(t)
	var at, most, done atomic.Int32
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			mine, err := jobs.Claim(t.Context(), w.Store, "night", func(context.Context, string) error {
				most.Store(max(most.Load(), at.Add(1)))
				time.Sleep(50 * time.Millisecond)
				at.Add(-1)
				return nil
			})
			assert.NoError(t, err)
			if mine {
				done.Add(1)
			}
		})
	}
	all.Wait()
	assert.Equal(t, int32(1), most.Load())
	assert.Positive(t, done.Load())
	mine, err := jobs.Claim(t.Context(), w.Store, "night", func(context.Context, string) error { return nil })
	require.NoError(t, err)
	assert.True(t, mine, "it has been let go of")
	other, err := jobs.Claim(t.Context(), w.Store, "other work", func(context.Context, string) error { return nil })
	require.NoError(t, err)
	assert.True(t, other)
}

// What a killed program had is taken over when it has not been heard of for ten seconds, and no sooner.
func TestTakenOver(t *testing.T) {
	w := testkit.NewWorld(t)
	mine, err := w.Store.ClaimWork(t.Context(), "night", "one that is killed")
	require.NoError(t, err)
	require.True(t, mine)
	begun := time.Now()
	require.Eventually(t, func() bool {
		mine, err := jobs.Claim(t.Context(), w.Store, "night", func(context.Context, string) error { return nil })
		require.NoError(t, err)
		return mine
	}, 30*time.Second, 200*time.Millisecond)
	assert.Greater(t, time.Since(begun), 9*time.Second)
	assert.Less(t, time.Since(begun), 20*time.Second, "well within a minute")
}

// Whoever works for longer than that keeps the work; whoever has lost it stops, and cannot write as if they had it.
func TestWhoHasLostItStops(t *testing.T) {
	w := testkit.NewWorld(t)
	lost := make(chan error, 1)
	begun := make(chan string, 1)
	go func() {
		_, err := jobs.Claim(t.Context(), w.Store, "night", func(ctx context.Context, holder string) error {
			begun <- holder
			<-ctx.Done()
			return ctx.Err()
		})
		lost <- err
	}()
	first := <-begun
	time.Sleep(11 * time.Second)
	mine, err := w.Store.ClaimWork(t.Context(), "night", "another")
	require.NoError(t, err)
	assert.False(t, mine, "it says that it is there")
	w.Set("UPDATE work_claims SET beat_at = beat_at - interval '1 hour'") // as if it had been frozen
	mine, err = w.Store.ClaimWork(t.Context(), "night", "another")
	require.NoError(t, err)
	require.True(t, mine)
	select {
	case err := <-lost:
		assert.ErrorIs(t, err, jobs.ErrStopped)
	case <-time.After(5 * time.Second):
		t.Fatal("it goes on though another has the work")
	}
	assert.Equal(t, "another", w.Ask("SELECT holder FROM work_claims"), "and leaves the other's claim")
	assert.NotEqual(t, first, "another")
}

// A program that is told to stop lets go at once.
func TestToldToStop(t *testing.T) {
	w := testkit.NewWorld(t)
	ctx, stop := context.WithCancel(t.Context())
	_, err := jobs.Claim(ctx, w.Store, "night", func(ctx context.Context, _ string) error {
		stop()
		<-ctx.Done()
		return ctx.Err()
	})
	assert.ErrorIs(t, err, context.Canceled)
	assert.False(t, errors.Is(err, jobs.ErrStopped))
	assert.Equal(t, "0", w.Ask("SELECT count(*)::text FROM work_claims"))
}
