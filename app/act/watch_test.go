package act

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A clock that jumps ahead by a day and is set right again stops acts for some minutes, and not for a day.
func TestAClockThatJumpsAhead(t *testing.T) {
	shows := time.Date(2026, 10, 6, 9, 12, 0, 0, time.UTC)
	w := &watch{machine: func() time.Time { return shows }}
	pass := func(d time.Duration) { shows = shows.Add(d) }
	require.NoError(t, w.goesForward(shows))
	require.NoError(t, w.goesForward(shows.Add(-30*time.Second)), "acts end in another order than they begin")
	require.NoError(t, w.goesForward(shows.Add(24*time.Hour)), "nobody can tell that from a training clock that is moved")
	assert.Empty(t, w.says())

	pass(time.Second)
	assert.ErrorContains(t, w.goesForward(shows), "set back by 24h0m0s")
	assert.Contains(t, w.says(), "It has been set back")
	pass(9 * time.Minute)
	assert.Error(t, w.goesForward(shows))
	pass(time.Minute)
	require.NoError(t, w.goesForward(shows), "after ten minutes the time that is shown counts")
	assert.Contains(t, w.says(), "It went back by 23h50m")
	require.NoError(t, w.goesForward(shows.Add(time.Second)))
	pass(25 * time.Hour)
	assert.Empty(t, w.says())
}

// A clock that is set back and right again soon has done nothing.
func TestAClockThatIsSetBackForAMoment(t *testing.T) {
	shows := time.Date(2026, 10, 6, 9, 12, 0, 0, time.UTC)
	w := &watch{machine: func() time.Time { return shows }}
	require.NoError(t, w.goesForward(shows))
	for range 5 {
		shows = shows.Add(time.Second)
		assert.Error(t, w.goesForward(shows.Add(-24*time.Hour)))
	}
	require.NoError(t, w.goesForward(shows))
	assert.Empty(t, w.says())
	shows = shows.Add(9 * time.Minute)
	assert.Error(t, w.goesForward(shows.Add(-24*time.Hour)), "how long is waited is counted anew")
}
