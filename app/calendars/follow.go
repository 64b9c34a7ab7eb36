package calendars

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/jobs"
	"nevrin/app/network"
	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/calendarsdb"
	"nevrin/store/sweepsdb"
)

// atOnce is how many due dates and hold shelves move in one act. More go in parts of so many, so that nobody's lending waits for them.
var atOnce = 2000

// part is how many move in one of several acts: for so long their patrons wait.
var part = 1000

// FollowArgs is the job that has due dates and hold shelves follow a change of calendars: those that are too many to move with it, and
// what was lent while it was made.
type FollowArgs struct {
	Sweep int64 `json:"sweep"`
}

// InsertOpts puts it with what takes long.
func (FollowArgs) InsertOpts() river.InsertOpts { return jobs.Long() }

// Kind names the job in the queue.
func (FollowArgs) Kind() string { return "follow_calendars" }

// LeftArgs is the job that looks for changes whose due dates are still to be moved, and nobody is at it.
type LeftArgs struct{}

// Kind names the job in the queue.
func (LeftArgs) Kind() string { return "resume_calendars" }

// Follower has due dates follow changes of calendars.
type Follower struct {
	river.WorkerDefaults[FollowArgs]
	House *act.House
}

// Timeout lets a change of a large network take its time.
func (*Follower) Timeout(*river.Job[FollowArgs]) time.Duration { return time.Hour }

// Work does it, unless somebody else does.
func (w *Follower) Work(ctx context.Context, job *river.Job[FollowArgs]) error {
	return Follow(ctx, w.House, job.Args.Sweep)
}

// Follow moves due dates and hold shelves to what a change of calendars made of them, or back where it was undone, in parts. Killed at any
// point, it goes on where it was when it is begun again.
func Follow(ctx context.Context, h *act.House, sweep int64) error {
	_, err := jobs.Claim(ctx, h.Store, store.SweepWork(sweep), func(ctx context.Context, _ string) error {
		if err := sweepsdb.EarlierEnded(ctx, h.Store); err != nil {
			return err
		}
		s, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (*sweepsdb.Sweep, error) { return sweepsdb.Row(a.Tx, sweep) })
		if err != nil || s == nil {
			return err
		}
		forward := s.UndoneAt == nil
		if forward {
			if err := writeLines(ctx, h, s); err != nil {
				return err
			}
		}
		if forward || s.Parts {
			if err := inParts(ctx, h, s, forward); err != nil {
				return err
			}
		}
		if !s.Parts {
			return nil
		}
		_, err = act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
			sweepsdb.InParts(a.Tx, sweep, false, false)
			a.Touch(event.Calendars)
			return true, nil
		})
		return err
	})
	if errors.Is(err, jobs.ErrStopped) {
		return nil // whoever has it now does it
	}
	return err
}

// writeLines writes down what moves, in parts.
func writeLines(ctx context.Context, h *act.House, s *sweepsdb.Sweep) error {
	p, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (*plan, error) { return again(a, s) })
	if err != nil {
		return err
	}
	for len(p.loans)+len(p.holds) > 0 {
		some := &plan{holds: p.holds}
		p.holds = nil
		for n := 0; len(p.loans) > 0 && n < 10*part; p.loans = p.loans[1:] {
			some.loans = append(some.loans, p.loans[0])
			n += p.loans[0].Number
		}
		_, err := act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
			still, err := stillGoes(a, s, true)
			if err == nil && still {
				_, err = some.write(a, s)
			}
			return still, err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// stillGoes locks a change and tells whether it goes the way that it did: whoever undoes it, or moves its due dates, takes turns.
func stillGoes(a *act.Act, s *sweepsdb.Sweep, forward bool) (bool, error) {
	now, err := sweepsdb.Locked(a.Tx, s.ID)
	return err == nil && now != nil && (now.UndoneAt == nil) == forward, err
}

// inParts has what is written down followed, until nothing is left.
func inParts(ctx context.Context, h *act.House, s *sweepsdb.Sweep, forward bool) error {
	for {
		more, err := act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
			if still, err := stillGoes(a, s, forward); err != nil || !still {
				return false, err
			}
			return follow(a, s, forward)
		})
		if err != nil || !more {
			return err
		}
	}
}

// again works out what moves by a change that has been made: what still falls due on time that it closed.
func again(a *act.Act, s *sweepsdb.Sweep) (*plan, error) {
	var before map[calendar.Code]plain
	if err := json.Unmarshal(s.Branches, &before); err != nil {
		return nil, err
	}
	p := &plan{was: map[calendar.Code]*calendar.Branch{}, is: map[calendar.Code]*calendar.Branch{}}
	for code, then := range before {
		b, row, _, err := load(a, code)
		if err != nil {
			return nil, err
		}
		then.write(&row)
		if p.was[code], err = network.ReadCalendar(&row, a.Today()); err != nil {
			return nil, err
		}
		p.is[code] = b
	}
	if err := p.moveLoans(a); err != nil {
		return nil, err
	}
	return p, p.moveHolds(a)
}

// write writes down what moves by a change, but for what is written down already, and tells how many loans that is.
func (p *plan) write(a *act.Act, s *sweepsdb.Sweep) (int, error) {
	loans, err := calendarsdb.SweepLoans(a.Tx, s.ID, p.loans, s.LeftOut)
	if err != nil {
		return 0, err
	}
	return int(loans), calendarsdb.SweepHolds(a.Tx, s.ID, p.holds, s.At)
}

// follow moves some loans and holds to what the lines of a sweep say: forward, or back where nothing else has happened to them since.
// More tells whether there were any.
func follow(a *act.Act, s *sweepsdb.Sweep, forward bool) (more bool, err error) {
	loans, shelves, who := event.DueMoved, event.ShelfMoved, s.StaffID
	if !forward {
		loans, shelves = event.DueMovedBack, event.ShelfMovedBack
		if s.UndoneBy != nil {
			who = *s.UndoneBy
		}
	}
	if a.Who.ID != 0 {
		who = a.Who.ID
	}
	most := part
	if !s.Parts {
		most = atOnce // all of them
	}
	lines, err := sweepsdb.Part(a.Tx, s.ID, forward, most)
	if err != nil || len(lines) == 0 {
		return false, err
	}
	a.Touch(event.Calendars)
	return true, sweepsdb.Move(a.Tx, lines, forward, sweepsdb.Told{
		At: a.Now, Staff: who, Branch: a.Who.Branch, Loans: string(loans), Holds: string(shelves),
	})
}
