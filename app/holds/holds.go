// Package holds places and cancels holds, works the fetch list and the hold shelf.
package holds

import (
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/moving"
	"nevrin/app/notices"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/plan"
	"nevrin/core/queue"
	"nevrin/core/sight"
	"nevrin/core/waiting"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
)

// Hold is a hold as staff see it.
type Hold struct {
	ID       int64         `json:"id"`
	TitleID  int64         `json:"title_id"`
	Title    string        `json:"title"`
	PatronID int64         `json:"patron_id"`
	Patron   string        `json:"patron"`
	Name     string        `json:"name,omitempty" doc:"Their full name, by which staff ask for them"`
	Card     string        `json:"card"`
	Pickup   calendar.Code `json:"pickup"`
	State    queue.State   `json:"state" enum:"waiting,fetching,moving,ready,filled,cancelled,lapsed"`
	Says     string        `json:"says"`
	PlacedAt time.Time     `json:"placed_at"`
	Waiting  int           `json:"waiting" doc:"Place in the queue of those still waiting, 1 is next; 0: no longer waiting"`
	Lapsed   bool          `json:"lapsed" doc:"Past its last day on the hold shelf"`
	Paused   string        `json:"paused_until" doc:"A date until which it waits for nothing; empty: it is not paused"`
	Wanted   string        `json:"wanted_until" doc:"The last date on which it is of interest; empty: without end"`
	Only     string        `json:"only" doc:"For which of the title's copies it is; empty: any"`
	Band     queue.Band    `json:"band" doc:"-1: stands before all others by its patron's class, 1: behind all others"`
	When     *Foreseen     `json:"when,omitempty" doc:"Of one that waits: when it will be ready"`
	Why      *why.Trace    `json:"why,omitempty"`

	ChangedAt *time.Time `json:"changed_at,omitempty" doc:"Of one that was changed just now: by this it is undone"`
}

// Cancel takes a hold off. An item fetched for it goes to the next, or home.
func Cancel(a *act.Act, id int64, reason string) (*Hold, error) {
	h, err := locked(a, id)
	if err != nil {
		return nil, err
	}
	switch {
	case h.State.Ended():
		return nil, problem.Newf(problem.Refused, "This hold has ended already.")
	case !queue.Cancel.MayMake(a.Who.Role):
		return nil, problem.Newf(problem.Forbidden, "Your role cannot cancel holds. Ask a colleague who can.")
	}
	if err := mayTouch(a, h, "cancelled"); err != nil {
		return nil, err
	}
	reason = strings.TrimSpace(reason)
	if reason == "" && a.Network.GivesReasons("cancel") {
		return nil, problem.Newf(problem.Invalid, "Enter a reason, such as: no longer wanted.")
	}
	if err := End(a, h, reason); err != nil {
		return nil, err
	}
	if err := notices.HoldsEnded(a, plan.HoldCancelled, id); err != nil {
		return nil, err
	}
	return one(a, id)
}

// End ends a hold whose title is locked and that is wanted no more, whoever says so. Its item goes to the next, or home.
func End(a *act.Act, h *holdsdb.Hold, reason string) error {
	if err := holdsdb.MoveHold(a.Tx, h, queue.Cancel, a.Now); err != nil {
		return err
	}
	a.Tell(event.Event{Kind: event.HoldCancelled, Patron: h.PatronID, Hold: h.ID, Detail: event.Detail{Reason: reason}})
	_, err := moving.Route(a, h.TitleID, 0)
	return err
}

func one(a *act.Act, id int64) (*Hold, error) {
	row, err := holdsdb.OneHold(a.Tx, id)
	if err != nil || row == nil {
		return nil, err
	}
	h := show(a, row)
	return &h, nil
}

func dateText(t *time.Time) string {
	if t == nil {
		return ""
	}
	return store.DateOf(t).String()
}

// AtBranch gives a page of the open holds for pickup at a branch, ready ones first.
func AtBranch(a *act.Act, branch calendar.Code, page store.Page) ([]Hold, store.Page, error) {
	rows, next, err := holdsdb.HoldsAt(a.Tx, branch, page)
	if err != nil {
		return nil, next, err
	}
	out := showAll(a, rows)
	return out, next, addForecasts(a, out)
}

// addForecasts says of holds that wait when they will be ready.
func addForecasts(a *act.Act, holds []Hold) error {
	var titles []int64
	for _, h := range holds {
		if h.State == queue.Waiting {
			titles = append(titles, h.TitleID)
		}
	}
	if len(titles) == 0 {
		return nil
	}
	foreseen, err := foresee(a, once(titles), mostForeseen)
	for k := range holds {
		holds[k].foretold(a, foreseen)
	}
	return err
}

// foretold says when a hold that waits will be ready, where somebody can say.
func (h *Hold) foretold(a *act.Act, foreseen map[int64]waiting.Forecast) {
	if f := foreseen[h.ID]; f.Known && h.State == queue.Waiting {
		h.When = sayForecast(a, &f)
	}
}

// OfTitle gives a page of the open holds on a title: those who have an item first, then the queue.
func OfTitle(a *act.Act, title int64, page store.Page) ([]Hold, store.Page, error) {
	rows, next, err := holdsdb.HoldsOf(a.Tx, title, page)
	return showAll(a, rows), next, err
}

func showAll(a *act.Act, rows []holdsdb.HoldShown) []Hold {
	out := []Hold{}
	for k := range rows {
		out = append(out, show(a, &rows[k]))
	}
	return out
}

// beside is what a list says beside the state of a hold, which it does not say again.
func beside(a *act.Act, h *holdsdb.Hold) string {
	if h.State != queue.Ready {
		return people.SayHold(a, h)
	}
	last := *store.DateOf(h.ShelfUntil)
	says := "until " + a.SayDate(last)
	if last < a.Today() {
		says = "kept until " + a.SayDate(last)
	}
	if h.Pickup != a.Who.Branch {
		says += ", at " + a.Network.BranchName(h.Pickup)
	}
	return says
}

func show(a *act.Act, h *holdsdb.HoldShown) Hold {
	p := &peopledb.Patron{LegalName: h.LegalName, PreferredName: h.PreferredName, ShelfName: h.ShelfName}
	until := store.DateOf(h.ShelfUntil)
	shown := Hold{
		ID: h.ID, TitleID: h.TitleID, Title: h.TitleName, PatronID: h.PatronID, Patron: moving.ShelfName(a,
			h.Pickup, p),
		Name: p.Name(), Card: h.Card, Pickup: h.Pickup, State: h.State, Says: beside(a, &h.Hold), PlacedAt: h.PlacedAt,
		Waiting: h.Waiting, Why: act.Trace(h.Why), Lapsed: h.State == queue.Ready && *until < a.Today(),
		Only: sayOnly(&h.Hold), Band: h.Band, Paused: dateText(h.PausedUntil), Wanted: dateText(h.WantedUntil),
	}
	if sight.OfPatron(a.Who.Role) == sight.Reduced {
		shown.PatronID, shown.Card, shown.Name = 0, "", ""
		if h.State != queue.Ready || h.Pickup != a.Who.Branch {
			shown.Patron = "" // what stands on the hold shelf here has its name on its slip
		}
	}
	return shown
}
