// Package night does what every night brings: holds that lapse, loans that count as lost, overdue notices worked out,
// what is kept long enough dropped, room made for the events to come.
//
// A night is cut into steps, and a step into parts, each one act of bounded size. How far a step has come is kept with
// what it did, so a night that is interrupted goes on where it was, and two copies of the program share one night
// without doing anything twice. A periodic job asks for it; a night that was missed is caught up in order.
package night

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"github.com/riverqueue/river"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/couriers"
	"nevrin/app/event"
	"nevrin/app/holds"
	"nevrin/app/intake"
	"nevrin/app/interlibrary"
	"nevrin/app/jobs"
	"nevrin/app/keeping"
	"nevrin/app/lent"
	"nevrin/app/mine"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/signups"
	"nevrin/app/stock"
	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/store"
	"nevrin/store/eventsdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/staffdb"
	"nevrin/store/statusdb"
	"nevrin/store/stockdb"
)

// How many holds and loans one act of a step deals with; loans are only looked at in most cases.
const (
	part      = 250
	loansPart = 5000
)

// step does the next part of a step of a night. Done is how far it has come; it gives how far it has come then, and
// whether that is the end.
type step struct {
	name string
	work func(a *act.Act, day calendar.Date, done int64) (int64, bool, error)
}

// steps in the order in which they are done.
func steps() []step {
	out := []step{{"events", ahead}, {"lapse", lapse}, {"lost", lose}, {"partners", interlibrary.Remind}}
	for _, part := range notices.Parts {
		out = append(out, step{part.Name, func(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
			last, err := notices.WorkOut(a, part, day, done)
			return last, last == 0, err
		}})
	}
	return append(
		out,
		step{"notices", func(a *act.Act, day calendar.Date, _ int64) (int64, bool, error) {
			return 0, true, notices.Release(a, day)
		}},
		step{"counts", count},
		step{"grow", people.Grow},
		step{"seasons", stock.EndSeasons},
		step{"answers", dropAnswers},
		step{"sessions", dropSessions},
		step{"history", keeping.CutHistory},
		step{"ended", keeping.CutHolds},
		step{"messages", keeping.DropMessages},
		step{"readings", keeping.DropReadings},
		step{"sign_ups", signups.Drop},
		step{"intakes", intake.Empty},
		step{"pauses", mine.EndPauses},
		step{"unrouted", holds.RouteUnrouted},
		step{"unwanted", holds.DropUnwanted},
		step{"strays", couriers.Follow},
		step{"foretold", holds.Foretell},
	)
}

// whole is written when all steps of a night have been done, whichever there were then: steps that a later version adds are not
// missing in the nights before it.
var whole = step{statusdb.WholeNight, func(*act.Act, calendar.Date, int64) (int64, bool, error) { return 0, true, nil }}

// Steps names the steps of a night.
func Steps() []string {
	var out []string
	for _, s := range steps() {
		out = append(out, s.name)
	}
	return out
}

// Up does every night up to a day that has not been done whole yet, in order.
func Up(ctx context.Context, h *act.House, until calendar.Date) error {
	for {
		next, err := act.Look(ctx, h, act.Machine, func(a *act.Act) (*time.Time, error) { return statusdb.NextNight(a.Tx) })
		if err != nil {
			return err
		}
		day := until
		if next != nil {
			day = calendar.DateOf(*next)
		}
		if day > until {
			// Last, so that no night waits for it.
			return holds.Learn(ctx, h, lastMonday(until))
		}
		begun := time.Now()
		for _, name := range Steps() {
			if err := Step(ctx, h, day, name); err != nil {
				return err
			}
		}
		if err := whole.toItsEnd(ctx, h, day); err != nil {
			return err
		}
		slog.InfoContext(ctx, "night done", "day", day.String(), "seconds", time.Since(begun).Round(time.Millisecond).Seconds())
	}
}

// lastMonday is the Monday from which on something is learned anew, as of a day.
func lastMonday(day calendar.Date) calendar.Date {
	return day - calendar.Date((int(day.Weekday())+6)%7)
}

// Step does one step of a night by its name, from where it has come to its end.
func Step(ctx context.Context, h *act.House, day calendar.Date, name string) error {
	for _, s := range steps() {
		if s.name == name {
			return s.toItsEnd(ctx, h, day)
		}
	}
	return fmt.Errorf("a night has no step %q; its steps are %s", name, strings.Join(Steps(), ", "))
}

func (s step) toItsEnd(ctx context.Context, h *act.House, day calendar.Date) error {
	for {
		ended, err := act.Do(ctx, h, act.Machine, "", nil, func(a *act.Act) (bool, error) {
			a.Touch(event.Notices, event.Holds) // trial runs are made, counts of what is late move
			at, err := statusdb.StepOf(a.Tx, day.UTC(), s.name)
			if err != nil || at.EndedAt != nil {
				return true, err
			}
			begun := time.Now()
			done, ended, err := s.work(a, day, at.Done)
			if err != nil {
				return false, err
			}
			var when *time.Time
			if ended {
				when = &a.Now
			}
			statusdb.NightDone(a.Tx, day.UTC(), s.name, done, time.Since(begun), when)
			return ended, nil
		})
		if err != nil || ended {
			return err
		}
	}
}

// daysAhead is the number of coming days for which events have partitions.
const daysAhead = 120

func ahead(a *act.Act, day calendar.Date, _ int64) (int64, bool, error) {
	_, err := eventsdb.EventsAhead(a.Tx, day.UTC(), day.Add(daysAhead).UTC())
	return 0, true, err
}

func lapse(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	n, err := holds.Lapse(a, day, part)
	return done + int64(n), n == 0, err
}

// lose lets what has been late for too long count as lost, and bills it. Done is the last loan that was looked at.
func lose(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	loans, err := loansdb.LoansMaybeLost(a.Tx, day.UTC(), done, loansPart)
	if err != nil || len(loans) == 0 {
		return done, true, err
	}
	due := map[int64]*circulation.Lost{}
	lock := store.Lock{}
	for k := range loans {
		lost, err := lostOf(a, &loans[k], day)
		if err != nil {
			return done, false, err
		}
		if lost != nil {
			due[loans[k].ID] = lost
			lock.Patrons = append(lock.Patrons, *loans[k].PatronID)
			lock.Titles = append(lock.Titles, loans[k].TitleID)
		}
	}
	if len(due) > 0 {
		if err := a.Tx.Lock(lock); err != nil {
			return done, false, err
		}
	}
	for k := range loans {
		if lost := due[loans[k].ID]; lost != nil {
			if err := accounts.BillLost(a, &loans[k].Loan, lost); err != nil {
				return done, false, err
			}
		}
	}
	return loans[len(loans)-1].ID, len(loans) < loansPart, nil
}

func lostOf(a *act.Act, l *loansdb.MaybeLost, day calendar.Date) (*circulation.Lost, error) {
	item := &stockdb.Item{Price: l.Price, OwnTerms: l.OwnTerms}
	lent, err := lent.Of(a, &l.Loan, item)
	if err != nil {
		return nil, err
	}
	return circulation.Lose(lent, day, a.Now), nil
}

// count adds the loans made on the day before to the counts by situation.
func count(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	before, zone := day-1, a.Network.Location
	first := calendar.MakeDate(before.UTC().Year(), before.UTC().Month(), 1)
	n, err := statusdb.CountLoans(a.Tx, calendar.Local(before, 0, zone), calendar.Local(day, 0, zone), first.UTC())
	return done + n, true, err
}

func dropAnswers(a *act.Act, _ calendar.Date, done int64) (int64, bool, error) {
	const most = 5000
	n, err := a.Tx.DropAnswers(time.Duration(a.Network.Settled.Keep.Answers)*24*time.Hour, most)
	return done + n, n < most, err
}

func dropSessions(a *act.Act, _ calendar.Date, done int64) (int64, bool, error) {
	n, err := staffdb.DropSessions(a.Tx)
	if err != nil {
		return done, false, err
	}
	tries, err := staffdb.ForgetTries(a.Tx)
	if err != nil {
		return done, false, err
	}
	patrons, err := peopledb.DropPatronSessions(a.Tx)
	return done + n + tries + patrons, true, err
}

// Args is the job of the nights up to today.
type Args struct{}

// Queue keeps the nights from what people wait for.
const Queue = "night"

// InsertOpts puts it there.
func (Args) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: Queue} }

// Kind names the job in the queue.
func (Args) Kind() string { return "night" }

// Worker works the nights.
type Worker struct {
	river.WorkerDefaults[Args]
	House *act.House
}

// Timeout lets a night take its time; each of its parts is bounded.
func (*Worker) Timeout(*river.Job[Args]) time.Duration { return 2 * time.Hour }

// NextRetry goes on soon with a night that was interrupted.
func (*Worker) NextRetry(*river.Job[Args]) time.Time { return time.Now().Add(20 * time.Second) }

// Work does the nights up to today that have not been done yet, unless another copy is at them.
func (w *Worker) Work(ctx context.Context, _ *river.Job[Args]) error {
	_, err := jobs.Claim(ctx, w.House.Store, "night", func(ctx context.Context, _ string) error { return w.upToToday(ctx) })
	if errors.Is(err, jobs.ErrStopped) {
		return nil
	}
	return err
}

func (w *Worker) upToToday(ctx context.Context) error {
	today, err := act.Look(ctx, w.House, act.Machine, func(a *act.Act) (calendar.Date, error) { return a.Today(), nil })
	if err != nil {
		return err
	}
	return Up(ctx, w.House, today)
}
