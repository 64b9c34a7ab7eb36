package server

import (
	"net/http"
	"time"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/moving"
	"nevrin/app/today"
	"nevrin/core/calendar"
)

// holdOperations are those of holds, hold shelves, fetch lists and what is under way.
func (s *Server) holdOperations() {
	s.holdsAsked()
	s.holdsChanged()
	s.holdShelves()
	s.fetchLists()
	s.courierOperations()
	s.toteOperations()
	look(
		s,
		"/transits",
		"transits",
		"What is under way to or from here",
		everyone,
		func(a *act.Act, in *Paged) (Rows[today.Transit], error) {
			page, err := in.page()
			if err != nil {
				return Rows[today.Transit]{}, err
			}
			return rows(today.Moving(a, a.Who.Branch, page))
		},
	)
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
		func(a *act.Act, in *holdsAt) (Rows[holds.Hold], error) {
			page, err := in.page()
			if err != nil {
				return Rows[holds.Hold]{}, err
			}
			if in.Title != 0 {
				return rows(holds.OfTitle(a, in.Title, page))
			}
			return rows(holds.AtBranch(a, a.Who.Branch, page))
		})
	listing(s, "/titles/{id}/queue", "titleQueue", "The queue of a title over time, with its copies", everyone,
		func(a *act.Act, in *titleOf) (*holds.TitleQueue, error) { return holds.QueueOf(a, in.ID) })
	type stuckAsked struct {
		Paged
		All bool `query:"all" doc:"Of the whole network; otherwise for pickup here"`
	}
	listing(s, "/holds/stuck", "stuckHolds", "Holds that nothing can fill, and why", employed,
		func(a *act.Act, in *stuckAsked) (Rows[holds.Stuck], error) {
			page, err := in.page()
			if err != nil {
				return Rows[holds.Stuck]{}, err
			}
			branch := a.Who.Branch
			if in.All {
				branch = ""
			}
			return rows(holds.StuckHolds(a, branch, page))
		})
	look(s, "/demand", "inDemand", "Titles with too many waiting for each copy", employed,
		func(a *act.Act, in *demanded) (Rows[holds.Asked], error) {
			page, err := in.page()
			if err != nil {
				return Rows[holds.Asked]{}, err
			}
			return rows(holds.InDemand(a, in.PerCopy, page))
		})
}

func (s *Server) holdsChanged() {
	do(s, http.MethodPost, "/holds", "placeHold", "Place a hold", employed,
		func(a *act.Act, in *Sent[holds.Order]) (*holds.Hold, error) { return holds.Place(a, in.Body) })
	do(s, http.MethodPost, "/holds/many", "placeHolds", "Place a hold for several people", employed,
		func(a *act.Act, in *Sent[holds.Orders]) (*holds.Placed, error) { return holds.PlaceMany(a, in.Body) })
	type reason struct {
		Reason string `json:"reason" maxLength:"500"`
	}
	do(s, http.MethodPost, "/holds/{id}/cancel", "cancelHold", "Cancel a hold", employed,
		func(a *act.Act, in *OneSent[reason]) (*holds.Hold, error) {
			return holds.Cancel(a, in.ID, in.Body.Reason)
		})
	do(s, http.MethodPost, "/holds/{id}/revive", "reviveHold", "Undo the cancelling of a hold", employed,
		func(a *act.Act, in *One) (*holds.Hold, error) { return holds.Revive(a, in.ID) })
	do(s, http.MethodPatch, "/holds/{id}", "changeHold", "Change where a hold is picked up, pause it, or set its last day", employed,
		func(a *act.Act, in *OneSent[holds.Changed]) (*holds.Hold, error) {
			return holds.Change(a, in.ID, in.Body)
		})
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
	do(s, http.MethodPost, "/holds/{id}/move", "moveHold", "Move a hold in its queue", supervising,
		func(a *act.Act, in *OneSent[holds.Move]) (*holds.Hold, error) {
			return holds.MoveInQueue(a, in.ID, in.Body)
		})
}

func (s *Server) holdShelves() {
	listing(s, "/hold-shelf", "holdShelf", "What stands on the hold shelf here", everyone,
		func(a *act.Act, in *Paged) (Rows[holds.OnShelf], error) {
			page, err := in.page()
			if err != nil {
				return Rows[holds.OnShelf]{}, err
			}
			return rows(holds.Shelf(a, a.Who.Branch, page))
		})
	listing(s, "/hold-shelf/to-clear", "toClear", "What still stands there for holds that have ended", everyone,
		func(a *act.Act, in *Paged) (Rows[holds.OnShelf], error) {
			page, err := in.page()
			if err != nil {
				return Rows[holds.OnShelf]{}, err
			}
			return rows(holds.ToClear(a, a.Who.Branch, page))
		})
	look(s, "/hold-shelf/closures", "closuresAhead", "Closures ahead, and what they mean for the hold shelf here",
		everyone,
		func(a *act.Act, _ *struct{}) ([]holds.Closed, error) { return holds.Ahead(a) })
	type longer struct {
		Until  calendar.Date `json:"until"`
		Reason string        `json:"reason" maxLength:"200"`
	}
	do(s, http.MethodPost, "/holds/{id}/longer", "keepLonger", "Keep something on the hold shelf longer", employed,
		func(a *act.Act, in *OneSent[longer]) (*holds.Hold, error) {
			return holds.KeepLonger(a, in.ID, in.Body.Until, in.Body.Reason)
		})
	do(s, http.MethodPost, "/messages/{id}/called", "called", "What came of a call", employed,
		func(a *act.Act, in *OneSent[holds.Called]) (Done, error) {
			return Done{true}, holds.Call(a, in.ID, in.Body)
		})
}

func (s *Server) fetchLists() {
	look(s, "/fetch", "fetchList", "What to take from the shelves here now", everyone,
		func(a *act.Act, _ *nothing) ([]holds.Fetch, error) { return holds.FetchList(a, a.Who.Branch) })
	look(s, "/fetch/full", "fullLists", "Branches with more to fetch than they can in a round", everyone,
		func(a *act.Act, _ *nothing) ([]moving.Full, error) { return moving.FullLists(a) })
	look(s, "/fetch/sharing", "shareRound", "How the work of this round could be shared among branches", supervising,
		func(a *act.Act, _ *nothing) (*moving.Round, error) { return moving.ShareRound(a) })
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
	do(s, http.MethodPost, "/holds/{id}/going", "goingFor", "On the way to an item of the fetch list, or no longer",
		everyone,
		func(a *act.Act, in *OneSent[going]) (Done, error) {
			return Done{true}, holds.Take(a, in.ID, in.Body.Going)
		})
	do(s, http.MethodPost, "/holds/{id}/missed", "missed", "Not found on the shelf", everyone,
		func(a *act.Act, in *One) (*holds.NotHere, error) { return holds.Missed(a, in.ID) })
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
