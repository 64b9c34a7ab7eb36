package notices

import (
	"context"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/jobs"
	"nevrin/core/plan"
)

// WorkOutArgs is the job that works out the overdue notices of today without waiting for the night, part by part.
type WorkOutArgs struct {
	Stage int   `json:"stage"` // of plan.Overdue
	After int64 `json:"after"` // the last patron who was looked at
}

// Kind names the job in the queue.
func (WorkOutArgs) Kind() string { return "work_out_notices" }

// InsertOpts puts it where work waits that takes long.
func (WorkOutArgs) InsertOpts() river.InsertOpts { return jobs.Long() }

// WorkOutNow puts loans that came with files and are late into the trial runs of today. A second time does no harm: each loan is told of
// once in a stage. Where a trial run of today has been sent, what is new goes into that of tomorrow.
func WorkOutNow(a *act.Act) error { return a.Enqueue(WorkOutArgs{}) }

// Planner works these jobs.
type Planner struct {
	river.WorkerDefaults[WorkOutArgs]
	House *act.House
}

// Work does one part, and leaves the next to a job that stands in the queue with what this one did.
func (p *Planner) Work(ctx context.Context, job *river.Job[WorkOutArgs]) error {
	_, err := act.Do(ctx, p.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		a.Touch(event.Notices)
		last, err := WorkOut(a, job.Args.Stage, a.Today(), job.Args.After)
		next := WorkOutArgs{job.Args.Stage, last}
		if last == 0 {
			next = WorkOutArgs{Stage: job.Args.Stage + 1}
		}
		if err == nil && next.Stage < len(plan.Overdue) {
			err = a.Enqueue(next)
		}
		return true, err
	})
	return err
}
