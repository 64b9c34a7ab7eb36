package server

import (
	"net/http"

	"nevrin/app/accesslog"
	"nevrin/app/act"
	"nevrin/app/keeping"
	"nevrin/app/people"
	"nevrin/app/staff"
	"nevrin/app/upkeep"
	"nevrin/core/role"
)

var administrating = []role.Role{role.Administrator}

// doorOperations are about who works here, what they may see and do, and for how long what concerns persons is kept.
func (s *Server) doorOperations() {
	look(
		s,
		"/own",
		"own",
		"One's own door: name, short code, where one may work",
		everyone,
		func(a *act.Act, _ *nothing) (*staff.Own, error) { return staff.Look(a) },
		needsSecond,
	)
	look(
		s,
		"/status",
		"status",
		"How the installation stands, and what it needs before its first day",
		administrating,
		func(a *act.Act, _ *nothing) (*upkeep.Status, error) { return upkeep.Stand(a) },
	)
	look(
		s,
		"/staff",
		"staff",
		"Who works here",
		administrating,
		func(a *act.Act, _ *nothing) ([]staff.Person, error) { return staff.List(a) },
	)
	once(
		s,
		http.MethodPost,
		"/staff/{id}/link",
		"makeLink",
		"Make a link with which somebody sets a new password, once",
		administrating,
		func(a *act.Act, in *ByID) (*staff.Link, error) { return staff.MakeLink(a, in.ID) },
	)
	do(
		s,
		http.MethodPost,
		"/staff/{id}/end-sessions",
		"endSessions",
		"End all sessions of somebody",
		administrating,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, staff.EndSessions(a, in.ID, "") },
	)
	do(
		s,
		http.MethodPost,
		"/staff/{id}/second-off",
		"dropSecond",
		"Take somebody's second factor away, for who has lost it",
		administrating,
		func(a *act.Act, in *One) (Done, error) { return Done{true}, staff.DropSecond(a, in.ID) },
	)
	type whose struct {
		Paged
		Patron int64 `query:"patron"`
		Staff  int64 `query:"staff"`
	}
	look(
		s,
		"/readings",
		"readings",
		"Who has opened whose record, and searched for whom",
		supervising,
		func(a *act.Act, in *whose) (Rows[accesslog.Reading], error) {
			page, err := in.page()
			if err != nil {
				return Rows[accesslog.Reading]{}, err
			}
			return rows(accesslog.List(a, in.Patron, in.Staff, page))
		},
	)
	do(
		s,
		http.MethodPut,
		"/patrons/{id}/history",
		"chooseHistory",
		"Write what a patron chooses of their lending history",
		employed,
		func(a *act.Act, in *OneSent[keeping.Choice]) (*people.Card, error) {
			return keeping.Choose(a, in.ID, in.Body)
		},
	)
	open(
		s,
		"/patrons/{id}/forgetting",
		"forgetting",
		"What stands in the way of forgetting a patron",
		supervising,
		func(a *act.Act, in *ByID) (*keeping.Forgetting, error) { return keeping.Look(a, in.ID) },
	)
	do(
		s,
		http.MethodPost,
		"/patrons/{id}/forget",
		"forget",
		"Forget a patron for good",
		supervising,
		func(a *act.Act, in *One) (*keeping.Forgetting, error) { return keeping.Forget(a, in.ID) },
	)
}
