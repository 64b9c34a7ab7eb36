package bibliography

import (
	"context"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/catalogue"
	"nevrin/core/settings"
)

// CoverArgs asks for the picture of a title.
type CoverArgs struct {
	Title int64  `json:"title"`
	ISBN  string `json:"isbn"`
}

// Kind names the job.
func (CoverArgs) Kind() string { return "cover" }

// InsertOpts tries a few times: a picture is nice to have.
func (CoverArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{MaxAttempts: 4} }

// Coverer fetches pictures.
type Coverer struct {
	river.WorkerDefaults[CoverArgs]
	House *act.House
}

// Work fetches one.
func (c *Coverer) Work(ctx context.Context, job *river.Job[CoverArgs]) error {
	service, err := act.Look(ctx, c.House, act.Machine, func(a *act.Act) (settings.Records, error) {
		return a.Network.Settled.Records, nil
	})
	if err != nil {
		return err
	}
	cover, err := FetchCover(ctx, c.House, service, job.Args.ISBN)
	if err != nil || cover == nil {
		return err
	}
	_, err = act.Do(ctx, c.House, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		return true, catalogue.SetCover(a, job.Args.Title, *cover)
	})
	return err
}

// Add writes a title down, and has its picture fetched.
func Add(a *act.Act, in catalogue.Adding) (*catalogue.Shown, error) {
	out, err := catalogue.Add(a, in)
	if err != nil || out.ISBN == "" || a.Network.Settled.Records.Covers == "" {
		return out, err
	}
	return out, a.Enqueue(CoverArgs{Title: out.ID, ISBN: out.ISBN})
}
