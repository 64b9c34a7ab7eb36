package holds

import (
	"encoding/json"
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

// before is how a hold was before it was changed or moved by hand.
type before struct {
	Pickup calendar.Code  `json:"pickup"`
	Paused *calendar.Date `json:"paused,omitempty"`
	Wanted *calendar.Date `json:"wanted,omitempty"`
	Place  *stood         `json:"place,omitempty"` // only where it was moved
}

// stood is where a hold stood in its queue.
type stood struct {
	Before int64 `json:"before"` // in front of which hold; 0: behind all
	Moved  bool  `json:"moved"`  // by hand, even then
}

// remember keeps how a hold that waits is, before it becomes other. It gives when that was: by this it is undone.
func remember(a *act.Act, h *holdsdb.Hold, place *stood) time.Time {
	was, at := before{h.Pickup, store.DateOf(h.PausedUntil), store.DateOf(h.WantedUntil), place}, a.Now
	holdsdb.KeepBefore(a.Tx, h.ID, store.JSON(&was), &at)
	return at
}

// ChangeBack takes the last change of a hold back, which was made at an instant: where it is picked up, from when on and until
// when it is of interest; or its place. A copy that was chosen for it meanwhile, and has not been fetched, is left to others.
func ChangeBack(a *act.Act, id int64, changedAt time.Time) (*Hold, error) {
	h, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	kept, at, err := holdsdb.Before(a.Tx, id)
	if err != nil {
		return nil, err
	}
	if at == nil || !at.Equal(changedAt) {
		return nil, problem.Newf(problem.Refused, "This hold has changed again since, or the change is already undone.")
	}
	var was before
	if err := json.Unmarshal(kept, &was); err != nil {
		return nil, err
	}
	if err := mayTakeBack(a, h, &was); err != nil {
		return nil, err
	}
	switch h.State {
	case queue.Waiting:
	case queue.Fetching:
		if err := holdsdb.MoveHold(a.Tx, h, queue.PutBack, a.Now); err != nil {
			return nil, err
		}
	default:
		return nil, problem.New(problem.Refused, h.State.MayChange())
	}
	if was.Place != nil {
		err = standAgain(a, h, was.Place)
	} else {
		err = beAgain(a, h, &was)
	}
	if err != nil {
		return nil, err
	}
	holdsdb.KeepBefore(a.Tx, id, nil, nil)
	a.Tell(event.Event{Kind: event.HoldChangedBack, Patron: h.PatronID, Hold: id})
	if _, err := moving.Route(a, h.TitleID, 0); err != nil {
		return nil, err
	}
	return one(a, id)
}

func mayTakeBack(a *act.Act, h *holdsdb.Hold, was *before) error {
	switch {
	case was.Place == nil:
		return mayTouch(a, h, "undone")
	case !a.Who.Role.Supervises():
		return problem.Newf(problem.Forbidden, "Your role cannot move holds. Ask a supervisor.")
	}
	return nil
}

// beAgain writes where a hold is picked up and when it waits, as it was. A pause that is over by now stays out.
func beAgain(a *act.Act, h *holdsdb.Hold, was *before) error {
	if was.Pickup != h.Pickup {
		if err := pickup(a, h, was.Pickup); err != nil {
			return err
		}
	}
	if was.Wanted != nil && *was.Wanted < a.Today() {
		return tooLate(a, *was.Wanted)
	}
	until := func(d *calendar.Date) *time.Time {
		if d == nil {
			return nil
		}
		return store.Column(*d)
	}
	holdsdb.WantUntil(a.Tx, h.ID, until(was.Wanted))
	if was.Paused != nil && *was.Paused <= a.Today() {
		was.Paused = nil
	}
	holdsdb.PauseHold(a.Tx, h.ID, until(was.Paused))
	return nil
}

// standAgain lets a hold stand in front of the one in front of which it stood.
func standAgain(a *act.Act, h *holdsdb.Hold, was *stood) error {
	err := stand(a, h, was.Before, was.Moved)
	if problem.Of(err) != nil {
		return problem.Newf(problem.Refused,
			"Whoever it stood in front of does not wait in this queue any more. Move it to where it should stand.")
	}
	return err
}
