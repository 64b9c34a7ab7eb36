package sweeps

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/event"
	"nevrin/app/holds"
	"nevrin/app/jobs"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/deskdb"
	"nevrin/store/loansdb"
	"nevrin/store/sweepsdb"
)

// Args is the job that does the lines of a change, or undoes them.
type Args struct {
	Sweep int64 `json:"sweep"`
}

// Kind names the job in the queue.
func (Args) Kind() string { return "work_sweep" }

// InsertOpts puts it where work waits that takes long.
func (Args) InsertOpts() river.InsertOpts { return jobs.Long() }

// LeftArgs is the job that looks for changes that have lines to do and at which nobody is.
type LeftArgs struct{}

// Kind names the job in the queue.
func (LeftArgs) Kind() string { return "resume_sweeps" }

// Worker does the lines of changes.
type Worker struct {
	river.WorkerDefaults[Args]
	House *act.House
}

// Timeout lets a change of very many records take its time. What is left then is resumed.
func (*Worker) Timeout(*river.Job[Args]) time.Duration { return time.Hour }

// Work does it, unless somebody else does.
func (w *Worker) Work(ctx context.Context, job *river.Job[Args]) error {
	return Work(ctx, w.House, job.Args.Sweep)
}

// part is how many lines are read at once, and of dates moved in one act: for so long their patrons wait.
const part = 1000

// shown is the number of lines after which windows are told how far it is.
const shown = 50

// Work does the lines of a change, or undoes them, until none is left or somebody stops it. Killed at any point, it goes on where it was when
// it is begun again.
func Work(ctx context.Context, h *act.House, id int64) error {
	_, err := jobs.Claim(ctx, h.Store, store.SweepWork(id), func(ctx context.Context, _ string) error {
		for {
			s, lines, err := next(ctx, h, id)
			if err != nil || s == nil {
				return err
			}
			if len(lines) == 0 {
				return end(ctx, h, s)
			}
			if err := do(ctx, h, s, lines); err != nil {
				return err
			}
			h.Live.Changed("", event.Sweeps)
		}
	})
	if errors.Is(err, jobs.ErrStopped) {
		return nil // whoever has it now does it
	}
	return err
}

// next gives a change with the lines to do; nil where there is nothing to be done with it.
func next(ctx context.Context, h *act.House, id int64) (*sweepsdb.Sweep, []sweepsdb.Line, error) {
	type work struct {
		sweep *sweepsdb.Sweep
		lines []sweepsdb.Line
	}
	w, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (work, error) {
		s, err := sweepsdb.Row(a.Tx, id)
		if err != nil || s == nil || !s.Parts || s.Stopped {
			return work{}, err
		}
		lines, err := sweepsdb.Part(a.Tx, id, s.UndoneAt == nil, part)
		return work{s, lines}, err
	})
	return w.sweep, w.lines, err
}

// end writes that all is done, if it is still to be done the same way.
func end(ctx context.Context, h *act.House, s *sweepsdb.Sweep) error {
	_, err := act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		if still, err := goes(a, s); err != nil || !still {
			return false, err
		}
		sweepsdb.InParts(a.Tx, s.ID, false, false)
		a.Touch(event.Sweeps)
		return true, nil
	})
	return err
}

// goes locks a change and tells whether it still goes the way it did: whoever stops or undoes it takes turns with its lines.
func goes(a *act.Act, s *sweepsdb.Sweep) (bool, error) {
	now, err := sweepsdb.Locked(a.Tx, s.ID)
	return err == nil && now != nil && now.Parts && !now.Stopped && (now.UndoneAt == nil) == (s.UndoneAt == nil), err
}

// do does some lines, or undoes them. Dates are moved together; all else is done line by line, each as if somebody did it at the desk.
func do(ctx context.Context, h *act.House, s *sweepsdb.Sweep, lines []sweepsdb.Line) error {
	var who act.Actor
	if err := json.Unmarshal(s.Actor, &who); err != nil {
		return fmt.Errorf("who made change %d: %w", s.ID, err)
	}
	var c Change
	if err := json.Unmarshal(s.Change, &c); err != nil {
		return fmt.Errorf("change %d: %w", s.ID, err)
	}
	forward := s.UndoneAt == nil
	if s.Kind == sweepsdb.Due || s.Kind == sweepsdb.Cards {
		return move(ctx, h, who, s, lines)
	}
	for k := range lines {
		l := lines[k] // an act that is tried again begins with the line as it was
		stopped, err := act.Do(ctx, h, who, "", nil, func(a *act.Act) (bool, error) {
			if still, err := goes(a, s); err != nil || !still {
				return true, err
			}
			line := l
			if forward {
				if err := apply(a, &c, &line); err != nil {
					return false, err
				}
				sweepsdb.LineDone(a.Tx, &line)
				return false, nil
			}
			if err := takeBack(a, &c, &line); err != nil {
				return false, err
			}
			sweepsdb.LineUndone(a.Tx, line.ID)
			return false, nil
		})
		if p := problem.Of(err); p != nil {
			failed := err
			_, err = act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
				sweepsdb.LineStays(a.Tx, l.ID, forward, p.Text)
				if errors.As(failed, new(awaited)) {
					return true, tellRefused(a, *l.LoanID)
				}
				return true, nil
			})
		}
		if err != nil || stopped {
			return err
		}
		if k%shown == shown-1 {
			h.Live.Changed("", event.Sweeps)
		}
	}
	return nil
}

// move moves the dates of some lines in one act.
func move(ctx context.Context, h *act.House, who act.Actor, s *sweepsdb.Sweep, lines []sweepsdb.Line) error {
	_, err := act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
		if still, err := goes(a, s); err != nil || !still {
			return false, err
		}
		by := sweepsdb.Told{At: a.Now, Staff: s.StaffID, Branch: who.Branch, Loans: string(event.DueMoved), Card: string(event.CardExtended)}
		if s.UndoneBy != nil {
			by.Staff, by.Loans = *s.UndoneBy, string(event.DueMovedBack)
		}
		a.Touch(event.Counter)
		return true, sweepsdb.Move(a.Tx, lines, s.UndoneAt == nil, by)
	})
	return err
}

// apply does one line, and keeps in it what is needed to undo it.
func apply(a *act.Act, c *Change, l *sweepsdb.Line) error {
	switch {
	case c.Kind == sweepsdb.Renewals:
		r, err := desk.RenewToUndo(a, *l.LoanID)
		if err != nil {
			return err
		}
		if r.Decided.By == circulation.Awaited {
			return awaited{problem.New(problem.Refused, r.Text)}
		}
		if !r.OK {
			return problem.New(problem.Refused, r.Text)
		}
		l.DayBefore, l.AtBefore = r.Was.DueDate, r.Was.DueAt
		l.DayAfter, l.AtAfter = r.Now.DueDate, r.Now.DueAt
		l.TextBefore, l.TextAfter = fmt.Sprint(r.Was.Renewals), fmt.Sprint(r.Now.Renewals)
		l.EditionID, l.RenewedAt, l.Made = &r.Was.EditionID, r.Was.RenewedAt, act.OrNil(r.Charge)
		return nil
	case c.Kind == sweepsdb.Charges:
		open, err := accountsdb.OpenChargeByID(a.Tx, *l.EntryID)
		if err != nil {
			return err
		}
		if open == nil {
			return problem.Newf(problem.Refused, "Paid or waived in the meantime")
		}
		out, err := accounts.Settle(a, accounts.Settling{
			Patrons: []int64{open.PatronID}, Charges: []int64{*l.EntryID}, Amount: a.Network.Money.Format(open.Owed), Reason: c.Reason,
		})
		if err != nil {
			return err
		}
		l.TextBefore, l.Made = fmt.Sprint(int64(open.Owed)), &out.Waived[0]
		return nil
	case c.Kind == sweepsdb.Classes:
		return reclass(a, l, l.TextBefore, l.TextAfter)
	}
	return repick(a, l, l.TextBefore, l.TextAfter)
}

// awaited is the refusal of a renewal since somebody waits.
type awaited struct{ error }

func (a awaited) Unwrap() error { return a.error }

// tellRefused tells a patron that their loan was not renewed, since somebody waits for it.
func tellRefused(a *act.Act, id int64) error {
	facts, l, err := deskdb.LoanFacts(a.Tx, id)
	if err != nil || l == nil || facts.Loan == nil || facts.Loan.ID != id {
		return err
	}
	return notices.RenewalRefused(a, facts.Loan, facts.Item)
}

// takeBack undoes one line.
func takeBack(a *act.Act, c *Change, l *sweepsdb.Line) error {
	switch {
	case c.Kind == sweepsdb.Renewals:
		was := loansdb.Loan{DueDate: l.DayBefore, DueAt: l.AtBefore, RenewedAt: l.RenewedAt, EditionID: *l.EditionID}
		if _, err := fmt.Sscan(l.TextBefore, &was.Renewals); err != nil {
			return err
		}
		charge := int64(0)
		if l.Made != nil {
			charge = *l.Made
		}
		return desk.Unrenew(a, *l.LoanID, was, loansdb.DueOf(l.DayAfter, l.AtAfter), charge, "Renewal undone")
	case c.Kind == sweepsdb.Charges:
		_, err := accounts.Unwaive(a, accounts.Unwaiving{Waivers: []int64{*l.Made}, Reason: "Undone: " + c.Reason})
		return err
	case c.Kind == sweepsdb.Classes:
		return reclass(a, l, l.TextAfter, l.TextBefore)
	}
	return repick(a, l, l.TextAfter, l.TextBefore)
}

// reclass moves a patron from one class to another.
func reclass(a *act.Act, l *sweepsdb.Line, from, to string) error {
	p, err := people.Locked(a, *l.PatronID)
	if err != nil {
		return err
	}
	if p.Class != from {
		return problem.New(problem.Refused, sayReason(sweepsdb.Changed))
	}
	people.Reclass(a, p, to)
	return nil
}

// repick moves the pickup of a hold from one branch to another.
func repick(a *act.Act, l *sweepsdb.Line, from, to string) error {
	h, err := holds.Waiting(a, *l.HoldID)
	if err != nil {
		return err
	}
	if h.Pickup != calendar.Code(from) {
		return problem.New(problem.Refused, sayReason(sweepsdb.Changed))
	}
	return holds.Pickup(a, h, calendar.Code(to))
}
