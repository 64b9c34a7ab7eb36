// Package live tells every window that is open what has changed, whichever copy of the program changed it.
//
// An act that is done says which areas of the work it touched. Each copy gathers that for a moment and notifies all
// copies through PostgreSQL; each passes it on to the windows it serves. What is told is only that something changed:
// who is told asks for it, and sees what they may see. A notification may be missed while the database is away; then
// everything counts as changed once it is back.
package live

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"sync"
	"time"

	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/store"
)

const (
	gathering = 200 * time.Millisecond // how long a copy gathers before it notifies
	again     = 500 * time.Millisecond // after which it listens again when the database was away
)

// Changes are areas that changed, each with the branches where. No branch: anywhere.
type Changes map[event.Area][]calendar.Code

// Feed passes on what changes. One serves all windows of a copy.
type Feed struct {
	store *store.Store

	mu      sync.Mutex
	pending Changes
	windows map[*Window]bool
}

// Window is one window that wants to be told.
type Window struct {
	Wake chan struct{} // something is there to be told

	feed    *Feed
	staff   int64
	mu      sync.Mutex
	changes Changes
	session bool
}

// New is a feed over a database. It tells nothing before Run.
func New(s *store.Store) *Feed {
	return &Feed{store: s, pending: Changes{}, windows: map[*Window]bool{}}
}

// Changed takes which areas of the work have changed at a branch, once that is done. A nil feed takes nothing.
func (f *Feed) Changed(branch calendar.Code, areas ...event.Area) {
	if f == nil {
		return
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, area := range areas {
		// What holds and partners do at one branch is work at another.
		if area == event.Counter {
			f.pending.add(area, branch)
		} else {
			f.pending.add(area, "")
		}
	}
	f.pending.bound()
}

// mostPatrons is how many patrons are told of one by one; PostgreSQL tells no more than 8,000 bytes at once.
const mostPatrons = 150

// bound puts many patrons together: then whatever is shown of any of them may be other.
func (c Changes) bound() {
	patrons := 0
	for area := range c {
		if area.IsOfPatron() {
			patrons++
		}
	}
	if patrons <= mostPatrons {
		return
	}
	maps.DeleteFunc(c, func(area event.Area, _ []calendar.Code) bool { return area.IsOfPatron() })
	c.add(event.Counter, "")
}

func (c Changes) add(area event.Area, branch calendar.Code) {
	known, there := c[area]
	switch {
	case branch == "" || there && len(known) == 0:
		c[area] = []calendar.Code{}
	case !slices.Contains(known, branch):
		c[area] = append(known, branch)
	}
}

// Run notifies and listens until the context ends.
func (f *Feed) Run(ctx context.Context) {
	go f.listen(ctx)
	tick := time.NewTicker(gathering)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			f.notify(ctx)
		}
	}
}

// notify tells all copies what was gathered; what cannot be told is kept and told later.
func (f *Feed) notify(ctx context.Context) {
	f.mu.Lock()
	gathered := f.pending
	f.pending = Changes{}
	f.mu.Unlock()
	if len(gathered) == 0 {
		return
	}
	text, err := json.Marshal(gathered)
	if err == nil {
		err = f.store.Notify(ctx, store.ChangesChannel, string(text))
	}
	if err != nil {
		f.mu.Lock()
		f.pending.merge(gathered)
		f.pending.bound()
		f.mu.Unlock()
	}
}

func (c Changes) merge(more Changes) {
	for area, branches := range more {
		if len(branches) == 0 {
			c.add(area, "")
		}
		for _, b := range branches {
			c.add(area, b)
		}
	}
}

func (f *Feed) listen(ctx context.Context) {
	for ctx.Err() == nil {
		_ = f.store.Listen(ctx, func() { f.tell(Changes{event.Everything: {}}) }, f.hear)
		select {
		case <-ctx.Done():
		case <-time.After(again):
		}
	}
}

func (f *Feed) hear(channel, text string) {
	if channel == store.SessionsChannel {
		staff, _ := strconv.ParseInt(text, 10, 64)
		f.each(func(w *Window) bool { w.session = w.session || w.staff == staff; return w.staff == staff })
		return
	}
	var c Changes
	if json.Unmarshal([]byte(text), &c) == nil {
		f.tell(c)
	}
}

func (f *Feed) tell(c Changes) {
	f.each(func(w *Window) bool { w.changes.merge(c); return true })
}

// each changes every window under its lock, and wakes those for which there is something.
func (f *Feed) each(change func(*Window) bool) {
	f.mu.Lock()
	windows := slices.Collect(maps.Keys(f.windows))
	f.mu.Unlock()
	for _, w := range windows {
		w.mu.Lock()
		wake := change(w)
		w.mu.Unlock()
		if wake {
			select {
			case w.Wake <- struct{}{}:
			default: // it is awake already and will see this too
			}
		}
	}
}

// Open lets a window of somebody be told.
func (f *Feed) Open(staff int64) *Window {
	w := &Window{Wake: make(chan struct{}, 1), feed: f, staff: staff, changes: Changes{}}
	f.mu.Lock()
	f.windows[w] = true
	f.mu.Unlock()
	return w
}

// Windows counts the open windows that are told of changes.
func (f *Feed) Windows() int {
	f.mu.Lock()
	defer f.mu.Unlock()
	return len(f.windows)
}

// Close ends that.
func (w *Window) Close() {
	w.feed.mu.Lock()
	delete(w.feed.windows, w)
	w.feed.mu.Unlock()
}

// News gives what has changed since it was asked for last, and whether a session of the window's person may have ended.
func (w *Window) News() (changes Changes, session bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	changes, session = w.changes, w.session
	w.changes, w.session = Changes{}, false
	return changes, session
}
