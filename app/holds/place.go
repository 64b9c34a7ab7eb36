package holds

import (
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/queue"
	"nevrin/core/rulebook"
	"nevrin/core/waiting"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
	"nevrin/store/rostersdb"
	"nevrin/store/stockdb"
)

// Order is a hold to be placed. Without more than a title it is for any of its copies.
type Order struct {
	Title  int64         `json:"title"`
	Patron int64         `json:"patron"`
	Pickup calendar.Code `json:"pickup" minLength:"1" maxLength:"40"`
	For
}

// For says what a hold is for, and when it is needed.
type For struct {
	Edition     *string        `json:"edition,omitempty" maxLength:"100" doc:"Copies of this edition only"`
	Volume      *string        `json:"volume,omitempty" maxLength:"100" doc:"This volume only"`
	Item        int64          `json:"item,omitempty" doc:"This very item only"`
	WantedUntil *calendar.Date `json:"wanted_until,omitempty" doc:"The last day on which it is of interest"`
	PausedUntil *calendar.Date `json:"paused_until,omitempty" doc:"It keeps its place and waits for nothing until this day"`
}

// check looks whether the days make sense on a day.
func (f *For) check(a *act.Act) error {
	today := a.Today()
	if f.WantedUntil != nil && *f.WantedUntil < today {
		return tooLate(a, *f.WantedUntil)
	}
	if f.PausedUntil != nil {
		if says := queue.MayPause(today, *f.PausedUntil); says != "" {
			return problem.New(problem.Invalid, says)
		}
		if f.WantedUntil != nil && *f.WantedUntil < *f.PausedUntil {
			return problem.Newf(problem.Invalid, "It would be paused beyond the day it is needed, %s.",
				a.SayDate(*f.WantedUntil))
		}
	}
	return nil
}

// hold is what is asked for as a hold.
func (f *For) hold() holdsdb.Hold {
	h := holdsdb.Hold{OnlyItem: act.OrNil(f.Item), OnlyEdition: f.Edition, OnlyVolume: f.Volume}
	if f.WantedUntil != nil {
		h.WantedUntil = store.Column(*f.WantedUntil)
	}
	if f.PausedUntil != nil {
		h.PausedUntil = store.Column(*f.PausedUntil)
	}
	return h
}

// Place places a hold and routes the title's queue.
func Place(a *act.Act, o Order) (*Hold, error) {
	if _, err := a.Network.OpenBranch(o.Pickup); err != nil {
		return nil, err
	}
	locked, title, err := peopledb.PatronAndTitle(a.Tx, o.Patron, o.Title)
	if err != nil {
		return nil, err
	}
	p, err := people.InUse(locked)
	if err != nil {
		return nil, err
	}
	h, err := put(a, p, title, o.Pickup, o.For)
	if err != nil {
		return nil, err
	}
	foreseen, err := routeNew(a, []*holdsdb.Hold{h})
	if err != nil {
		return nil, err
	}
	out, err := one(a, h.ID)
	if out != nil {
		out.foretold(a, foreseen)
	}
	return out, err
}

// put writes a hold of a patron on a title, both locked, if they may have it.
func put(a *act.Act, p *peopledb.Patron, title *stockdb.Title, pickup calendar.Code, f For) (*holdsdb.Hold, error) {
	if title == nil {
		return nil, problem.NoSuch("title")
	}
	if err := f.check(a); err != nil {
		return nil, err
	}
	h := f.hold()
	h.TitleID, h.PatronID, h.Pickup, h.PlacedAt, h.State = title.ID, p.ID, pickup, a.Now, queue.Waiting
	h.Band = a.Network.Settled.Holds.Order.Of(p.Class)
	if err := mayHold(a, p, title, &h); err != nil {
		return nil, err
	}
	volume := ""
	if f.Volume != nil {
		volume = *f.Volume
	}
	has, err := holdsdb.Waiters(a.Tx, title.ID, []int64{p.ID}, volume)
	if err != nil {
		return nil, err
	}
	if len(has) > 0 {
		return nil, problem.Newf(problem.Refused, "%s has a hold on this title already.", p.Name())
	}
	if err := holdsdb.AddHold(a.Tx, &h); err != nil {
		return nil, err
	}
	a.Tell(event.Event{Kind: event.HoldPlaced, Patron: p.ID, Hold: h.ID, Detail: event.Detail{Branch: pickup}})
	return &h, nil
}

// routeNew routes the queue of new holds on one title, and keeps what is foreseen of them.
func routeNew(a *act.Act, holds []*holdsdb.Hold) (map[int64]waiting.Forecast, error) {
	title := holds[0].TitleID
	if _, err := moving.Route(a, title, 0); err != nil {
		return nil, err
	}
	// All others who want the title wait meanwhile: a long queue gets its forecasts by night.
	foreseen, err := foresee(a, []int64{title}, saidAtOnce+1)
	if err != nil || len(foreseen) > saidAtOnce {
		return nil, err
	}
	for _, h := range holds {
		if f := foreseen[h.ID]; f.Known {
			holdsdb.Foretell(a.Tx, h.ID, a.Now, &f)
		}
	}
	return foreseen, nil
}

// saidAtOnce is the most holds of a title with which a new one gets its forecast at once.
const saidAtOnce = 40

// Foretell makes, by night, the forecasts of recent holds that have none yet, title by title.
func Foretell(a *act.Act, day calendar.Date, done int64) (int64, bool, error) {
	const part, daysBack = 40, 2
	since := midnight(a, day-daysBack)
	titles, err := holdsdb.Untold(a.Tx, since, done, part)
	if err != nil || len(titles) == 0 {
		return done, true, err
	}
	foreseen, err := foresee(a, titles, mostForeseen)
	if err != nil {
		return done, false, err
	}
	untold, err := holdsdb.UntoldOf(a.Tx, titles, since)
	if err != nil {
		return done, false, err
	}
	for _, id := range untold {
		if f := foreseen[id]; f.Known {
			holdsdb.Foretell(a.Tx, id, a.Now, &f)
		}
	}
	return titles[len(titles)-1], len(titles) < part, nil
}

func mayHold(a *act.Act, p *peopledb.Patron, t *stockdb.Title, h *holdsdb.Hold) error {
	items, err := holdsdb.Holdable(a.Tx, t.ID)
	if err != nil {
		return err
	}
	allowed, fits, says := false, false, ""
	for k := range items {
		if !h.Fits(&items[k]) {
			continue
		}
		may, text := moving.MayServe(a, &items[k], p.Class, p.BranchCode, h.Pickup)
		allowed, says, fits = allowed || may, text, true
	}
	switch {
	case len(items) == 0:
		return problem.Newf(problem.Refused, "No copy of %s is in use. Request it from a partner.", t.Name)
	case !fits:
		return problem.Newf(problem.Refused, "No copy of %s in use is %s.", t.Name, sayOnly(h))
	case !allowed:
		return problem.Newf(
			problem.Refused,
			"No copy of %s can be held by %s at %s. %s",
			t.Name,
			a.Network.ClassName("patron", p.Class),
			a.Network.BranchName(h.Pickup),
			says,
		)
	}
	terms := a.Book.Decide(rulebook.Situate(h.Pickup, "", "", "", p.Class), nil)
	open, err := holdsdb.OpenHoldsOf(a.Tx, p.ID)
	if err == nil && queue.TooMany(open, terms.Limit(rulebook.HoldsAtOnce)) {
		return problem.Newf(
			problem.Refused,
			"%s already has %s, the most allowed at once.",
			p.Name(),
			calendar.Count(open, "hold"),
		)
	}
	return err
}

// sayOnly says for which of its title's copies a hold is; empty for any.
func sayOnly(h *holdsdb.Hold) string {
	var parts []string
	if h.OnlyItem != nil {
		parts = append(parts, "that very item")
	}
	if h.OnlyVolume != nil {
		parts = append(parts, orNone(*h.OnlyVolume, "without a volume"))
	}
	if h.OnlyEdition != nil {
		parts = append(parts, orNone(*h.OnlyEdition, "of the edition in the record"))
	}
	return strings.Join(parts, ", ")
}

func orNone(text, none string) string {
	if text == "" {
		return none
	}
	return text
}

// Orders is a hold to be placed for several people at once. Without a pickup branch each picks it up where they usually do.
type Orders struct {
	Title   int64         `json:"title"`
	Patrons []int64       `json:"patrons" maxItems:"300" nullable:"false"`
	Roster  int64         `json:"roster,omitempty" doc:"All who are in a roster"`
	Pickup  calendar.Code `json:"pickup,omitempty" maxLength:"40"`
	For
}

// Placed is the result of placing holds for several patrons.
type Placed struct {
	TitleID int64       `json:"title_id"`
	Title   string      `json:"title"`
	Holds   []PlacedFor `json:"holds" doc:"Those that were placed, in the order in which they were"`
	Refused []Refused   `json:"refused"`
}

// Refused is somebody for whom no hold was placed, and why.
type Refused struct {
	Patron int64  `json:"patron"`
	Name   string `json:"name"`
	Says   string `json:"says"`
}

// mostAtOnce is the most people for whom a hold can be placed at once.
const mostAtOnce = 300

// PlaceMany places a hold for each of several people, in the order given. Those who cannot have one are listed with the reason.
func PlaceMany(a *act.Act, o Orders) (*Placed, error) {
	ids := o.Patrons
	if o.Roster != 0 {
		in, err := rostersdb.PatronsIn(a.Tx, []int64{o.Roster})
		if err != nil {
			return nil, err
		}
		ids = append(ids, in...)
	}
	ids = once(ids)
	switch {
	case len(ids) == 0:
		return nil, problem.Newf(problem.Invalid, "Choose patrons, or a roster that is not empty.")
	case len(ids) > mostAtOnce:
		return nil, problem.Newf(problem.Invalid, "That is %d people; the limit is %d at once.", len(ids),
			mostAtOnce)
	}
	patrons, title, err := peopledb.PatronsAndTitle(a.Tx, ids, o.Title)
	if err != nil {
		return nil, err
	}
	if title == nil {
		return nil, problem.NoSuch("title")
	}
	out := &Placed{TitleID: title.ID, Title: title.Name, Holds: []PlacedFor{}, Refused: []Refused{}}
	var holds []*holdsdb.Hold
	var placed []int64
	for _, id := range ids {
		p := patrons[id]
		if p == nil {
			out.Refused = append(out.Refused, Refused{Patron: id, Says: "There is no such patron."})
			continue
		}
		h, err := placeOne(a, p, title, o)
		if told := problem.Of(err); told != nil {
			out.Refused = append(out.Refused, Refused{id, p.Name(), told.Text})
			continue
		}
		if err != nil {
			return nil, err
		}
		holds = append(holds, h)
		placed = append(placed, h.ID)
	}
	if len(holds) == 0 {
		return out, nil
	}
	if _, err = routeNew(a, holds); err != nil {
		return nil, err
	}
	out.Holds, err = placedFor(a, title.ID, placed)
	return out, err
}

func placeOne(a *act.Act, p *peopledb.Patron, title *stockdb.Title, o Orders) (*holdsdb.Hold, error) {
	if _, err := people.InUse(p); err != nil {
		return nil, err
	}
	pickup := o.Pickup
	if pickup == "" {
		pickup = people.PickupOf(p)
	}
	if _, err := a.Network.OpenBranch(pickup); err != nil {
		return nil, err
	}
	return put(a, p, title, pickup, o.For)
}

func once(ids []int64) []int64 {
	seen, out := map[int64]bool{}, []int64{}
	for _, id := range ids {
		if !seen[id] {
			seen[id], out = true, append(out, id)
		}
	}
	return out
}
