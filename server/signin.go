package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/app/staff"
	"nevrin/core/calendar"
	"nevrin/store"
)

// Sign-in changes the session and not the data, so it stands beside the operations.

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) {
	var in struct{ Login, Password string }
	if !read(w, r, &in) {
		return
	}
	who, err := staff.SignIn(r.Context(), s.house, in.Login, in.Password)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	s.enter(w, r, who)
}

func (s *Server) signInDemo(w http.ResponseWriter, r *http.Request) {
	var in struct{ Login string }
	if !read(w, r, &in) {
		return
	}
	staff, err := s.house.Store.DemoStaffByLogin(r.Context(), in.Login)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	if staff == nil {
		s.refuse(w, r, problem.Newf(problem.Forbidden, "Only people of the demo sign in with one click."))
		return
	}
	s.enter(w, r, staff)
}

func (s *Server) enter(w http.ResponseWriter, r *http.Request, staff *store.Staff) {
	if err := s.sessions.RenewToken(r.Context()); err != nil {
		s.refuse(w, r, err)
		return
	}
	if p, ok := r.Context().Value(personKey{}).(*person); ok {
		p.found = staff
	}
	s.sessions.Put(r.Context(), "signed_in", true)
	s.sessions.Remove(r.Context(), arrivedKey)
	w.WriteHeader(http.StatusNoContent)
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) {
	if err := s.sessions.Destroy(r.Context()); err != nil {
		s.refuse(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// changeBranch lets somebody go to another branch, which is kept as an event. The branch itself belongs to the window and
// goes with each of its requests; one that names a branch where the session never went is refused.
func (s *Server) changeBranch(w http.ResponseWriter, r *http.Request) {
	var in struct{ Branch calendar.Code }
	if !read(w, r, &in) {
		return
	}
	who, err := s.who(r.Context(), everyone)
	if err == nil {
		_, err = act.Do(r.Context(), s.house, who, "", nil, func(a *act.Act) (struct{}, error) {
			_, err := a.Network.Branch(in.Branch)
			if err == nil && in.Branch != who.Branch {
				moved := event.Detail{Was: string(who.Branch), Is: string(in.Branch)}
				a.Tell(event.Event{Kind: event.BranchChanged, Detail: moved})
			}
			return struct{}{}, err
		})
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	s.arrive(r.Context(), in.Branch)
	w.WriteHeader(http.StatusNoContent)
}

func read(w http.ResponseWriter, r *http.Request, into any) bool {
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(into); err != nil {
		http.Error(w, `{"status":400,"detail":"The request could not be read."}`, http.StatusBadRequest)
		return false
	}
	return true
}

// refuse writes an error in the form that operations use.
func (s *Server) refuse(w http.ResponseWriter, r *http.Request, err error) {
	var status interface{ GetStatus() int }
	if !errors.As(err, &status) {
		err = s.problem(r.Context(), err)
		errors.As(err, &status)
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status.GetStatus())
	told := map[string]any{"status": status.GetStatus(), "detail": err.Error()}
	if model := (*huma.ErrorModel)(nil); errors.As(err, &model) && model.Type != "" {
		told["type"] = model.Type
	}
	data, _ := json.Marshal(told)
	_, _ = fmt.Fprintln(w, string(data))
}
