package clock_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/clock"
)

// A clock that jumps ahead by a day and is set right again stops acts for some minutes, and not for a day.
func TestAClockThatJumpsAhead(t *testing.T) {
	shows := time.Date(2026, 10, 6, 9, 12, 0, 0, time.UTC)
	w := &clock.Watch{Machine: func() time.Time { return shows }}
	pass := func(d time.Duration) { shows = shows.Add(d) }
	require.NoError(t, w.GoesForward(shows))
	require.NoError(t, w.GoesForward(shows.Add(-30*time.Second)), "acts end in another order than they begin")
	require.NoError(t, w.GoesForward(shows.Add(24*time.Hour)), "nobody can tell that from a training clock that is moved")
	assert.Empty(t, w.Says())

	pass(time.Second)
	assert.ErrorContains(t, w.GoesForward(shows), "set back by 24h0m0s")
	assert.Contains(t, w.Says(), "It has been set back")
	pass(9 * time.Minute)
	assert.Error(t, w.GoesForward(shows))
	pass(time.Minute)
	require.NoError(t, w.GoesForward(shows), "after ten minutes the time that is shown counts")
	assert.Contains(t, w.Says(), "It went back by 23h50m")
	require.NoError(t, w.GoesForward(shows.Add(time.Second)))
	pass(25 * time.Hour)
	assert.Empty(t, w.Says())
}

// A clock that is set back and right again soon has done nothing.
func TestAClockThatIsSetBackForAMoment(t *testing.T) {
	shows := time.Date(2026, 10, 6, 9, 12, 0, 0, time.UTC)
	w := &clock.Watch{Machine: func() time.Time { return shows }}
	require.NoError(t, w.GoesForward(shows))
	for range 5 {
		shows = shows.Add(time.Second)
		assert.Error(t, w.GoesForward(shows.Add(-24*time.Hour)))
	}
	require.NoError(t, w.GoesForward(shows))
	assert.Empty(t, w.Says())
	shows = shows.Add(9 * time.Minute)
	assert.Error(t, w.GoesForward(shows.Add(-24*time.Hour)), "how long is waited is counted anew")
}
