// Package clock looks that what is done goes forward in time. It is not for telling the time, which is the business of acts.
package clock

import (
	"fmt"
	"sync"
	"time"

	"nevrin/app/problem"
)

// How far the clock may seem to go back: copies of it differ a little, and acts end in another order than they begin. How long is
// waited when it has gone back further, for it may be the jump back that is wrong; and for how long that is told to an administrator.
const (
	setBack    = time.Minute
	mostWaited = 10 * time.Minute
	toldFor    = 24 * time.Hour
)

// Watch looks that acts do not go back in time: what is done would stand before what it follows. A clock that jumped ahead and was set
// right again does not stop everything until time has caught up: after a while the earlier time counts.
type Watch struct {
	mu      sync.Mutex
	latest  time.Time // the latest time of an act
	since   time.Time // when the clock was first found to be set back, by the clock of this machine; zero: it is not
	gone    time.Duration
	goneAt  time.Time        // when the earlier time was taken after all; zero: never
	Machine func() time.Time // the clock of this machine; nil: the real one
}

func (w *Watch) now() time.Time {
	if w.Machine != nil {
		return w.Machine()
	}
	return time.Now()
}

// GoesForward refuses to do anything while the clock shows an earlier time than it has shown, for some minutes at most.
func (w *Watch) GoesForward(now time.Time) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	back := w.latest.Sub(now)
	if back <= setBack {
		w.since = time.Time{}
		if now.After(w.latest) {
			w.latest = now
		}
		return nil
	}
	here := w.now()
	if w.since.IsZero() {
		w.since = here
	}
	waited := here.Sub(w.since)
	if waited >= mostWaited {
		w.gone, w.goneAt = back, here
		w.latest, w.since = now, time.Time{}
		return nil
	}
	return problem.Newf(
		problem.Crowded,
		"The server clock was set back by %s. Nothing is saved until it is right again, or for %s. Retrying automatically.",
		back.Round(time.Minute),
		(mostWaited - waited).Round(time.Minute),
	)
}

// Says tells an administrator that the clock went back; empty: it has not lately.
func (w *Watch) Says() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	switch here := w.now(); {
	case !w.since.IsZero():
		return fmt.Sprintf("It has been set back, since %s. Nothing is done until it is right again, for %s at most.",
			w.since.Format("15:04"), mostWaited)
	case !w.goneAt.IsZero() && here.Sub(w.goneAt) < toldFor:
		return fmt.Sprintf("It went back by %s at %s. What was done before has later times than what is done now.",
			w.gone.Round(time.Minute), w.goneAt.Format("15:04"))
	}
	return ""
}
