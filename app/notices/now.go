package notices

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/jobs"
	"nevrin/core/calendar"
	"nevrin/store/noticesdb"
)

// WorkOutArgs is the job that works out the notices of today without waiting for the night, part by part.
type WorkOutArgs struct {
	Part  int   `json:"part"`  // of Parts
	After int64 `json:"after"` // the last patron who was looked at
}

// Kind names the job in the queue.
func (WorkOutArgs) Kind() string { return "work_out_notices" }

// InsertOpts puts it where work waits that takes long.
func (WorkOutArgs) InsertOpts() river.InsertOpts { return jobs.Long() }

// WorkOutNow adds notices to today's trial runs without waiting for the night, such as those for imported loans or a new plan. Calling it
// twice does no harm. If today's run has been sent, new notices go into tomorrow's.
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
		last, err := WorkOut(a, Parts[job.Args.Part], a.Today(), job.Args.After)
		next := WorkOutArgs{job.Args.Part, last}
		if last == 0 {
			next = WorkOutArgs{Part: job.Args.Part + 1}
		}
		if err == nil && next.Part < len(Parts) {
			err = a.Enqueue(next)
		}
		return true, err
	})
	return err
}

// Release compares the trial runs of a day with those before, and sends those of trusted plans whose numbers are as usual.
func Release(a *act.Act, day calendar.Date) error {
	if err := endOvertaken(a); err != nil {
		return err
	}
	trials, err := noticesdb.Trials(a.Tx, day.UTC())
	if err != nil {
		return err
	}
	shown, err := show(a, trials)
	if err != nil {
		return err
	}
	for k := range shown {
		p := a.Network.Plans[shown[k].Plan]
		if shown[k].Usual && p != nil && p.Trusted && p.Active && day == a.Today() {
			if err := approve(a, &trials[k]); err != nil {
				return err
			}
		}
	}
	return nil
}

// byHandMost is how many calls and letters a night looks through.
const byHandMost = 5000

// endOvertaken closes calls and letters that are no longer needed.
func endOvertaken(a *act.Act) error {
	ids, err := noticesdb.ByHand(a.Tx, byHandMost)
	if err != nil || len(ids) == 0 {
		return err
	}
	told, err := noticesdb.OfMessages(a.Tx, ids)
	if err != nil {
		return err
	}
	still, why := map[int64]bool{}, map[int64]string{}
	for k := range told {
		n := &told[k]
		if says := overtaken(a, n); says != "" {
			noticesdb.Overtake(a.Tx, n.ID, says)
			why[*n.MessageID] = says
			continue
		}
		still[*n.MessageID] = true
	}
	for id, says := range why {
		if !still[id] {
			noticesdb.Overtaken(a.Tx, id, says)
		}
	}
	return a.Tx.Flush()
}

// Coming is the number of messages a plan would send on each of the next days if nothing were returned by then.
type Coming struct {
	Plan string `json:"plan" doc:"Its code"`
	Days []int  `json:"days" nullable:"false" doc:"From tomorrow on: how many people"`
}

// ahead is the number of days that are looked ahead.
const ahead = 7

// Week counts what each nightly plan would send in the coming week.
func Week(a *act.Act) ([]Coming, error) {
	type told struct {
		plan string
		day  int
		who  int64
	}
	people := map[told]bool{}
	for _, part := range Parts {
		for after := int64(0); ; {
			candidates, err := part.ask(a, a.Today().Add(1), a.Today().Add(ahead), after, atOnce)
			if err != nil {
				return nil, err
			}
			for k := range candidates {
				c := &candidates[k]
				said := map[string]bool{}
				for d := range ahead {
					day := a.Today().Add(d + 1)
					for _, one := range part.of(a, c, day) {
						if n := noticeOf(a, c, one, day); n != nil && !said[key(n)] {
							said[key(n)] = true
							people[told{n.Plan, d, n.RecipientID}] = true
						}
					}
				}
				after = c.PatronID
			}
			if len(candidates) == 0 {
				break
			}
		}
	}
	days := map[string][]int{}
	for t := range people {
		if days[t.plan] == nil {
			days[t.plan] = make([]int, ahead)
		}
		days[t.plan][t.day]++
	}
	out := []Coming{}
	for _, code := range slices.Sorted(maps.Keys(days)) {
		out = append(out, Coming{code, days[code]})
	}
	return out, nil
}

// key tells a kind and stage of one thing from others.
func key(n *noticesdb.Notice) string { return fmt.Sprintf("%s %d", n.Kind, n.Stage) }
