package holds

import (
	"context"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/jobs"
	"nevrin/app/moving"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/holdsdb"
)

// RouteArgs is the job that routes what came with files without waiting for the night, part by part.
type RouteArgs struct {
	Done int64 `json:"done"` // how far it has come
}

// Kind names the job in the queue.
func (RouteArgs) Kind() string { return "route_unrouted" }

// InsertOpts puts it where work waits that takes long.
func (RouteArgs) InsertOpts() river.InsertOpts { return jobs.Long() }

// RouteNow lets what waits get free copies at once. A second time does no harm: what has a copy is left alone.
func RouteNow(a *act.Act) error { return a.Enqueue(RouteArgs{}) }

// Router works these jobs.
type Router struct {
	river.WorkerDefaults[RouteArgs]
	House *act.House
}

// Work does one part, and leaves the next to a job that stands in the queue with what this one did.
func (r *Router) Work(ctx context.Context, job *river.Job[RouteArgs]) error {
	_, err := act.Do(ctx, r.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		done, over, err := RouteUnrouted(a, a.Today(), job.Args.Done)
		if err == nil && !over {
			err = a.Enqueue(RouteArgs{done})
		}
		return over, err
	})
	return err
}

// RouteUnrouted looks which copies serve whoever waits while copies are free, title by title. What is done at a desk is
// routed at once; this finds what came with files.
func RouteUnrouted(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	const part = 40
	titles, err := holdsdb.Unrouted(a.Tx, done, day.UTC(), part)
	if err != nil || len(titles) == 0 {
		return done, true, err
	}
	if err := a.Tx.Lock(store.Lock{Titles: titles}); err != nil {
		return done, false, err
	}
	for _, title := range titles {
		if _, err := moving.Route(a, title, 0); err != nil {
			return done, false, err
		}
	}
	return titles[len(titles)-1], len(titles) < part, nil
}
