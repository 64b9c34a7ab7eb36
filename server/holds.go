package server

import (
	"net/http"
	"time"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/moving"
	"nevrin/app/today"
	"nevrin/core/calendar"
	"nevrin/store"
)

// holdOperations are those of holds, hold shelves, fetch lists and what is under way.
func (s *Server) holdOperations() {
	s.holdsAsked()
	s.holdsChanged()
	s.holdShelves()
	s.fetchLists()
	s.courierOperations()
	s.toteOperations()
	look(s, "/transits", "transits", "What is under way to or from here", everyone,
		paged(func(a *act.Act, in *Paged, page store.Page) ([]today.Transit, store.Page, error) {
			return today.Moving(a, a.Who.Branch, page)
		}))
}

type holdsAt struct {
	Paged
	Title int64 `query:"title"`
}

type titleOf struct {
	ID int64 `path:"id"`
}

type demanded struct {
	Paged
	PerCopy int `query:"per_copy" minimum:"0" maximum:"100" doc:"0: as the network has settled"`
}

func (s *Server) holdsAsked() {
	listing(s, "/holds", "holds", "Open holds for pickup here, or of a title", everyone,
		paged(func(a *act.Act, in *holdsAt, page store.Page) ([]holds.Hold, store.Page, error) {
			if in.Title != 0 {
				return holds.OfTitle(a, in.Title, page)
			}
			return holds.AtBranch(a, a.Who.Branch, page)
		}))
	listing(s, "/titles/{id}/queue", "titleQueue", "The queue of a title over time, with its copies", everyone,
		func(a *act.Act, in *titleOf) (*holds.TitleQueue, error) { return holds.QueueOf(a, in.ID) })
	type stuckAsked struct {
		Paged
		All bool `query:"all" doc:"Of the whole network; otherwise for pickup here"`
	}
	listing(s, "/holds/stuck", "stuckHolds", "Holds that nothing can fill, and why", employed,
		paged(func(a *act.Act, in *stuckAsked, page store.Page) ([]holds.Stuck, store.Page, error) {
			branch := a.Who.Branch
			if in.All {
				branch = ""
			}
			return holds.StuckHolds(a, branch, page)
		}))
	look(s, "/demand", "inDemand", "Titles with too many waiting for each copy", employed,
		paged(func(a *act.Act, in *demanded, page store.Page) ([]holds.Asked, store.Page, error) {
			return holds.InDemand(a, in.PerCopy, page)
		}))
}

func (s *Server) holdsChanged() {
	do(s, http.MethodPost, "/holds", "placeHold", "Place a hold", employed, sent(holds.Place))
	do(s, http.MethodPost, "/holds/many", "placeHolds", "Place a hold for several people", employed, sent(holds.PlaceMany))
	type reason struct {
		Reason string `json:"reason" maxLength:"500"`
	}
	do(s, http.MethodPost, "/holds/{id}/cancel", "cancelHold", "Cancel a hold", employed,
		func(a *act.Act, in *OneSent[reason]) (*holds.Hold, error) {
			return holds.Cancel(a, in.ID, in.Body.Reason)
		})
	do(s, http.MethodPost, "/holds/{id}/revive", "reviveHold", "Undo the cancelling of a hold", employed, one(holds.Revive))
	do(s, http.MethodPatch, "/holds/{id}", "changeHold",
		"Change where a hold is picked up, pause it, or set its last day", employed, oneSent(holds.Change))
	type changedAt struct {
		At time.Time `json:"changed_at" doc:"As the change said"`
	}
	do(s, http.MethodPost, "/holds/{id}/change-back", "changeHoldBack", "Take the last change of a hold back", employed,
		func(a *act.Act, in *OneSent[changedAt]) (*holds.Hold, error) {
			return holds.ChangeBack(a, in.ID, in.Body.At)
		})
	type moving struct {
		ByID
		Before int64 `query:"before" doc:"In front of which other hold that waits; 0: behind all"`
	}
	look(s, "/holds/{id}/move", "lookAtMove", "What moving a hold in its queue would do to those who wait", supervising,
		func(a *act.Act, in *moving) (Rows[holds.Shifted], error) {
			list, err := holds.LookAtMove(a, in.ID, in.Before)
			return Rows[holds.Shifted]{Rows: list}, err
		})
	do(s, http.MethodPost, "/holds/{id}/move", "moveHold", "Move a hold in its queue", supervising, oneSent(holds.MoveInQueue))
}

func (s *Server) holdShelves() {
	listing(s, "/hold-shelf", "holdShelf", "What stands on the hold shelf here", everyone,
		paged(func(a *act.Act, in *Paged, page store.Page) ([]holds.OnShelf, store.Page, error) {
			return holds.Shelf(a, a.Who.Branch, page)
		}))
	listing(s, "/hold-shelf/to-clear", "toClear", "What still stands there for holds that have ended", everyone,
		paged(func(a *act.Act, in *Paged, page store.Page) ([]holds.OnShelf, store.Page, error) {
			return holds.ToClear(a, a.Who.Branch, page)
		}))
	look(s, "/hold-shelf/closures", "closuresAhead", "Closures ahead, and what they mean for the hold shelf here", everyone,
		func(a *act.Act, _ *struct{}) ([]holds.Closed, error) { return holds.Ahead(a) })
	type longer struct {
		Until  calendar.Date `json:"until"`
		Reason string        `json:"reason" maxLength:"200"`
	}
	do(s, http.MethodPost, "/holds/{id}/longer", "keepLonger", "Keep something on the hold shelf longer", employed,
		func(a *act.Act, in *OneSent[longer]) (*holds.Hold, error) {
			return holds.KeepLonger(a, in.ID, in.Body.Until, in.Body.Reason)
		})
}

func (s *Server) fetchLists() {
	look(s, "/fetch", "fetchList", "What to take from the shelves here now", everyone,
		func(a *act.Act, _ *nothing) ([]holds.Fetch, error) { return holds.FetchList(a, a.Who.Branch) })
	look(s, "/fetch/full", "fullLists", "Branches with more to fetch than they can in a round", everyone, asks(moving.FullLists))
	look(s, "/fetch/sharing", "shareRound",
		"How the work of this round could be shared among branches", supervising, asks(moving.ShareRound))
	type shared struct {
		Lines []moving.Given `json:"lines" minItems:"1" maxItems:"2000" nullable:"false"`
	}
	do(s, http.MethodPost, "/fetch/shared", "reassign", "Give lines of fetch lists other items", supervising,
		func(a *act.Act, in *Sent[shared]) (*moving.Reassigned, error) {
			return moving.Reassign(a, in.Body.Lines)
		})
	type going struct {
		Going bool `json:"going"`
	}
	do(s, http.MethodPost, "/holds/{id}/going", "goingFor", "On the way to an item of the fetch list, or no longer", everyone,
		func(a *act.Act, in *OneSent[going]) (Done, error) {
			return Done{true}, holds.Take(a, in.ID, in.Body.Going)
		})
	do(s, http.MethodPost, "/holds/{id}/missed", "missed", "Not found on the shelf", everyone, one(holds.Missed))
	type found struct {
		Item int64 `json:"item"`
	}
	do(s, http.MethodPost, "/holds/{id}/found", "undoMissed", "Found after all", everyone,
		func(a *act.Act, in *OneSent[found]) (*holds.NotHere, error) {
			return holds.UndoMissed(a, in.ID, in.Body.Item)
		})
	do(s, http.MethodPost, "/in-hand", "inHand", "An item in hand: fetched, received or found", everyone,
		func(a *act.Act, in *Sent[Scanned]) (*holds.Taken, error) { return holds.InHand(a, in.Body.Text) })
}
