package holds

import (
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/holdsdb"
)

// locked locks a hold with its title and patron.
func locked(a *act.Act, id int64) (*holdsdb.Hold, error) {
	h, err := holdsdb.HoldByID(a.Tx, id)
	if err == nil && h == nil {
		err = problem.NoSuch("hold")
	}
	return h, err
}

// Waiting locks a hold for which nothing is in transit yet.
func Waiting(a *act.Act, id int64) (*holdsdb.Hold, error) {
	h, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	if says := h.State.MayChange(); says != "" {
		return nil, problem.New(problem.Refused, says)
	}
	return h, nil
}

// Pause lets a hold keep its place and wait for nothing until a day; without a day it waits again from now on.
func Pause(a *act.Act, h *holdsdb.Hold, until *calendar.Date) error {
	if err := pause(a, h, until); err != nil {
		return err
	}
	_, err := moving.Route(a, h.TitleID, 0)
	return err
}

func pause(a *act.Act, h *holdsdb.Hold, until *calendar.Date) error {
	says := "waits again"
	if until != nil {
		if no := queue.MayPause(a.Today(), *until); no != "" {
			return problem.New(problem.Invalid, no)
		}
		if h.WantedUntil != nil && *store.DateOf(h.WantedUntil) < *until {
			return problem.Newf(problem.Invalid, "It is needed only until %s. Choose an earlier day.",
				a.SayDate(*store.DateOf(h.WantedUntil)))
		}
		says = "until " + a.SayDate(*until)
		holdsdb.PauseHold(a.Tx, h.ID, store.Column(*until))
	} else {
		holdsdb.PauseHold(a.Tx, h.ID, nil)
	}
	a.Tell(event.Event{Kind: event.HoldPaused, Patron: h.PatronID, Hold: h.ID, Detail: event.Detail{Says: says}})
	return nil
}

// Pickup lets a hold be picked up elsewhere.
func Pickup(a *act.Act, h *holdsdb.Hold, branch calendar.Code) error {
	if err := pickup(a, h, branch); err != nil {
		return err
	}
	_, err := moving.Route(a, h.TitleID, 0)
	return err
}

func pickup(a *act.Act, h *holdsdb.Hold, branch calendar.Code) error {
	if _, err := a.Network.OpenBranch(branch); err != nil {
		return err
	}
	holdsdb.MovePickup(a.Tx, h.ID, branch)
	a.Tell(event.Event{Kind: event.PickupMoved, Patron: h.PatronID, Hold: h.ID, Detail: event.Detail{Branch: branch}})
	return nil
}

// Changed is a change of a waiting hold; nil fields stay as they are.
type Changed struct {
	Pickup      *calendar.Code `json:"pickup,omitempty" maxLength:"40"`
	PausedUntil *string        `json:"paused_until,omitempty" maxLength:"10" doc:"A date; empty: it waits again"`
	WantedUntil *string        `json:"wanted_until,omitempty" maxLength:"10" doc:"A date; empty: without end"`
}

// Change changes a hold that waits. Which copy serves it is looked at once all of it is written.
func Change(a *act.Act, id int64, c Changed) (*Hold, error) {
	h, err := Waiting(a, id)
	if err != nil {
		return nil, err
	}
	if err := mayTouch(a, h, "changed"); err != nil {
		return nil, err
	}
	at := remember(a, h, nil)
	if c.WantedUntil != nil {
		until, err := dateOrNone(*c.WantedUntil)
		if err != nil {
			return nil, err
		}
		if err := want(a, h, until); err != nil {
			return nil, err
		}
	}
	if c.PausedUntil != nil {
		until, err := dateOrNone(*c.PausedUntil)
		if err != nil {
			return nil, err
		}
		if err := pause(a, h, until); err != nil {
			return nil, err
		}
	}
	if c.Pickup != nil && *c.Pickup != h.Pickup {
		if err := pickup(a, h, *c.Pickup); err != nil {
			return nil, err
		}
	}
	if _, err := moving.Route(a, h.TitleID, 0); err != nil {
		return nil, err
	}
	return changed(a, id, at)
}

// changed is a hold that changed at an instant.
func changed(a *act.Act, id int64, at time.Time) (*Hold, error) {
	h, err := one(a, id)
	if h != nil {
		h.ChangedAt = &at
	}
	return h, err
}

func dateOrNone(text string) (*calendar.Date, error) {
	if text == "" {
		return nil, nil
	}
	d, err := calendar.ParseDate(text)
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	return &d, nil
}

// want writes the last day on which a hold is of interest; nil: it is without end.
func want(a *act.Act, h *holdsdb.Hold, until *calendar.Date) error {
	says := "without an end date"
	h.WantedUntil = nil
	if until != nil {
		if *until < a.Today() {
			return tooLate(a, *until)
		}
		says, h.WantedUntil = "until "+a.SayDate(*until), store.Column(*until)
	}
	holdsdb.WantUntil(a.Tx, h.ID, h.WantedUntil)
	a.Tell(event.Event{Kind: event.HoldWanted, Patron: h.PatronID, Hold: h.ID, Detail: event.Detail{Says: says}})
	return nil
}

func tooLate(a *act.Act, until calendar.Date) error {
	return problem.Newf(problem.Invalid, "%s is in the past. Choose today or a later day.", a.SayDate(until))
}

// mayTouch looks whether the actor may change a hold: at its pickup branch, where its patron's card was opened, or as one who
// supervises.
func mayTouch(a *act.Act, h *holdsdb.Hold, done string) error {
	if a.Who.MayActOn(h.Pickup) {
		return nil
	}
	asked, err := a.HasOpened(h.PatronID)
	if err != nil || asked {
		return err
	}
	return problem.Newf(
		problem.Forbidden,
		"This hold is for pickup at %s. Open the patron’s card first if they are here; otherwise it can be %s only there.",
		a.Network.BranchName(h.Pickup),
		done,
	)
}

// Move gives the new place of a hold in its queue.
type Move struct {
	Before int64  `json:"before" doc:"In front of which other hold that waits; 0: behind all"`
	Reason string `json:"reason" minLength:"3" maxLength:"200"`
}

// MoveInQueue moves a hold that waits to another place in its queue.
func MoveInQueue(a *act.Act, id int64, m Move) (*Hold, error) {
	h, err := Waiting(a, id)
	if err != nil {
		return nil, err
	}
	if m.Before == id {
		return nil, problem.Newf(problem.Invalid, "A hold cannot stand in front of itself.")
	}
	next, err := holdsdb.NextInQueue(a.Tx, h.TitleID, id)
	if err != nil {
		return nil, err
	}
	at := remember(a, h, &stood{next, h.Moved})
	if err := stand(a, h, m.Before, true); err != nil {
		return nil, err
	}
	a.Tell(event.Event{
		Kind: event.HoldMoved, Patron: h.PatronID, Hold: id, Detail: event.Detail{Reason: m.Reason},
	})
	if _, err := moving.Route(a, h.TitleID, 0); err != nil {
		return nil, err
	}
	return changed(a, id, at)
}

// stand lets a hold stand in front of another of its queue; 0: behind all.
func stand(a *act.Act, h *holdsdb.Hold, before int64, moved bool) error {
	for range 2 {
		front, behind, err := holdsdb.Around(a.Tx, h.TitleID, h.ID, before)
		if err != nil {
			return err
		}
		if before != 0 && behind == nil {
			return problem.Newf(problem.Refused,
				"The other hold is no longer in this queue. Check the queue again.")
		}
		s, room := queue.Between(standing(front), standing(behind))
		if !room {
			holdsdb.Number(a.Tx, h.TitleID)
			continue
		}
		holdsdb.StandIn(a.Tx, h.ID, s.Band, s.Place, moved)
		break
	}
	return nil
}

func standing(s *holdsdb.Stands) *queue.Position {
	if s == nil {
		return nil
	}
	return &queue.Position{Band: s.Band, Place: s.Place}
}

// Revive takes the cancelling of a hold back: it waits again in its old place.
func Revive(a *act.Act, id int64) (*Hold, error) {
	h, err := locked(a, id)
	switch {
	case err != nil:
		return nil, err
	case h.State != queue.Cancelled:
		return nil, problem.Newf(problem.Refused, "This hold is not cancelled.")
	case h.PatronID == 0:
		return nil, problem.Newf(problem.Refused, "The patron of this hold is no longer recorded.")
	}
	if err := mayTouch(a, h, "undone"); err != nil {
		return nil, err
	}
	if err := holdsdb.MoveHold(a.Tx, h, queue.Revive, a.Now); err != nil {
		return nil, err
	}
	if err := a.Tx.Flush(); err != nil {
		if store.Violates(err, "holds_once") {
			return nil, problem.Newf(problem.Refused, "They now have another hold on this title.")
		}
		return nil, err
	}
	a.Tell(event.Event{Kind: event.HoldRevived, Patron: h.PatronID, Hold: id})
	if _, err := moving.Route(a, h.TitleID, 0); err != nil {
		return nil, err
	}
	return one(a, id)
}

// DropUnwanted ends holds whose last day of interest is over, part by part; and puts those whose patrons have another class
// by now into its band.
func DropUnwanted(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	const part = 200
	if done == 0 {
		return 1, false, holdsdb.Reband(a.Tx, a.Network.Settled.Holds.Order)
	}
	over, err := holdsdb.Unwanted(a.Tx, day.UTC(), part)
	if err != nil || len(over) == 0 {
		return done, true, err
	}
	lock := store.Lock{}
	for _, h := range over {
		lock.Titles, lock.Patrons = append(lock.Titles, h.TitleID), append(lock.Patrons, h.PatronID)
	}
	slices.Sort(lock.Titles)
	slices.Sort(lock.Patrons)
	lock.Titles, lock.Patrons = slices.Compact(lock.Titles), slices.Compact(lock.Patrons)
	if err := a.Tx.Lock(lock); err != nil {
		return done, false, err
	}
	for _, row := range over {
		h, err := holdsdb.OpenHold(a.Tx, row.ID)
		if err != nil {
			return done, false, err
		}
		if h == nil || h.State != queue.Waiting && h.State != queue.Fetching ||
			h.WantedUntil == nil || *store.DateOf(h.WantedUntil) >= day {
			continue // it has gone on, or is wanted for longer, meanwhile
		}
		if err := End(a, h, "No longer needed"); err != nil {
			return done, false, err
		}
	}
	return done + int64(len(over)), len(over) < part, nil
}
