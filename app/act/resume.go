package act

import (
	"context"
	"errors"

	"github.com/riverqueue/river"

	"nevrin/store"
)

// Resumer sets to work again what a stopped or killed program has left. It is the worker of a job of its own that comes again and again.
type Resumer[A river.JobArgs] struct {
	river.WorkerDefaults[A]
	House *House
	Left  func(context.Context, *store.Store) ([]int64, error) // what is to be done and nobody is at
	Job   func(id int64) river.JobArgs                         // that does it
}

// Work sets all of it to work.
func (w *Resumer[A]) Work(ctx context.Context, _ *river.Job[A]) error {
	ids, err := w.Left(ctx, w.House.Store)
	for _, id := range ids {
		_, failed := w.House.Jobs.Insert(ctx, w.Job(id), nil)
		err = errors.Join(err, failed)
	}
	return err
}
