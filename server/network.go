package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"nevrin/app/act"
	"nevrin/app/partners"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/store"
)

// SettledAs is a part of the network as it is to be, and its last change that was seen.
type SettledAs[T any] struct {
	Seen int64 `json:"seen" doc:"The last change of it that was seen; 0: none"`
	Is   T     `json:"is"`
}

// KeyedSent is the input of a change to a part that a key tells from others.
type KeyedSent[T any] struct {
	Write
	Key  string `path:"key" minLength:"1" maxLength:"60"`
	Body T
}

// networkOperations set the network up and keep it.
func (s *Server) networkOperations() {
	look(s, "/network", "network", "All that the network is made of", supervising, asks(upkeep.Look))
	keepOne[upkeep.Own](s, "/network/own", "keepOwn", "What the network is called", "network")
	keepOne[upkeep.Settled](
		s,
		"/network/settings",
		"keepSettings",
		"What it has settled beside rules and calendars",
		"settings",
	)
	keepOne[upkeep.Numbers](s, "/network/numbers", "keepNumbers", "How numbers look", "numbers")
	keepPart[upkeep.Branch](s, "/network/branches/{key}", "keepBranch", "A branch", "branch")
	do(s, http.MethodPut, "/network/classes/{key}", "keepClass", "A patron class, material class or collection", supervising,
		func(a *act.Act, in *KeyedSent[SettledAs[upkeep.Class]]) (*upkeep.Kept, error) {
			return upkeep.PutClass(a, in.Key, in.Body.Seen, in.Body.Is)
		})
	keepPart[upkeep.Choice](s, "/network/choices/{key}", "keepChoice", "A choice of a list", "choice")
	keepPart[upkeep.Station](s, "/network/stations/{key}", "keepStation", "A station", "station")
	keepPart[upkeep.Partner](s, "/network/partners/{key}", "keepPartner", "A partner outside", "partner")
	keepPart[upkeep.Person](s, "/staff/{key}", "keepPerson", "Somebody who works here", "staff")
	do(s, http.MethodPost, "/network/stations", "addStation", "Add a station", administrating,
		func(a *act.Act, in *Sent[upkeep.Station]) (*upkeep.Kept, error) {
			id, err := a.Tx.NextID()
			if err != nil {
				return nil, err
			}
			return upkeep.Put(a, "station", fmt.Sprint(id), 0, in.Body)
		})
	// What is shown once is kept nowhere, not even as the answer to a key.
	once(s, http.MethodPost, "/network/partners", "addPartner", "Add a partner outside", administrating,
		func(a *act.Act, in *Asked[upkeep.Joining]) (*upkeep.Joined, error) {
			return upkeep.AddPartner(a, in.Body)
		})
	once(s, http.MethodPost, "/network/partners/{id}/secret", "renewSecret",
		"Give a partner another secret", administrating, byID(upkeep.RenewSecret))
	once(s, http.MethodPost, "/staff", "addPerson", "Add somebody who works here", administrating,
		func(a *act.Act, in *Asked[upkeep.Person]) (*upkeep.Added, error) { return upkeep.AddPerson(a, in.Body) })
	huma.Register(
		s.api,
		s.guarded(
			http.MethodPost,
			"/network/partners/{id}/try",
			"tryPartner",
			"Send a partner a test message",
			administrating,
		),
		func(ctx context.Context, in *ByID) (*Out[*partners.Tried], error) {
			who, err := s.who(ctx, administrating)
			if err != nil {
				return nil, err
			}
			out, err := partners.Try(ctx, s.house, who, in.ID)
			return answer(s, ctx, out, err)
		},
	)
	type away struct {
		Part string `json:"part" enum:"station,class,choice,partner,branch"`
		Key  string `json:"key" minLength:"1" maxLength:"60"`
		Seen int64  `json:"seen"`
	}
	do(s, http.MethodPost, "/network/take-away", "takeAway", "Take a part away that nothing needs", administrating,
		func(a *act.Act, in *Sent[away]) (*upkeep.Kept, error) {
			return upkeep.TakeAway(a, in.Body.Part, in.Body.Key, in.Body.Seen)
		})
	type branch struct {
		Key string `path:"key" minLength:"3" maxLength:"3"`
	}
	look(s, "/network/branches/{key}/closing", "closing", "What closing a branch for good would do", administrating,
		func(a *act.Act, in *branch) (*upkeep.Closing, error) {
			return upkeep.LookAtClosing(a, calendar.Code(in.Key))
		})
	type to struct {
		To   calendar.Code `json:"to" minLength:"3" maxLength:"3" doc:"Where what belonged there belongs from then on"`
		Seen int64         `json:"seen"`
	}
	do(s, http.MethodPost, "/network/branches/{key}/close", "closeBranch", "Close a branch for good", administrating,
		func(a *act.Act, in *KeyedSent[to]) (*upkeep.Kept, error) {
			return upkeep.Close(a, calendar.Code(in.Key), in.Body.To, in.Body.Seen)
		})
	type of struct {
		Paged
		Part string `query:"part" maxLength:"20"`
		Key  string `query:"key" maxLength:"60"`
	}
	look(s, "/network/changes", "changes", "Who has changed what of the network, newest first", supervising,
		paged(func(a *act.Act, in *of, page store.Page) ([]upkeep.Changed, store.Page, error) {
			return upkeep.Changes(a, in.Part, in.Key, page)
		}))
	do(s, http.MethodPost, "/network/changes/{id}/back", "takeBack",
		"Take a change of the network back", administrating, one(upkeep.TakeBack))
}

// keepOne registers the change of a part of which the network has one.
func keepOne[T any](s *Server, path, id, summary, sort string) {
	do(s, http.MethodPut, path, id, summary, administrating, func(a *act.Act, in *Sent[SettledAs[T]]) (*upkeep.Kept, error) {
		return upkeep.Put(a, sort, "", in.Body.Seen, in.Body.Is)
	})
}

// keepPart registers the change of a part of which the network has several.
func keepPart[T any](s *Server, path, id, summary, sort string) {
	do(s, http.MethodPut, path, id, summary, administrating, func(a *act.Act, in *KeyedSent[SettledAs[T]]) (*upkeep.Kept, error) {
		return upkeep.Put(a, sort, in.Key, in.Body.Seen, in.Body.Is)
	})
}
