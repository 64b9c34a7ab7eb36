package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/store"
)

// Sign-in changes the session and not the data, so it stands beside the operations.

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) {
	var in struct{ Login, Password string }
	if !read(w, r, &in) {
		return
	}
	staff, err := people.SignIn(s.house, in.Login, in.Password)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	s.enter(w, r, staff)
}

func (s *Server) signInDemo(w http.ResponseWriter, r *http.Request) {
	var in struct{ Login string }
	if !read(w, r, &in) {
		return
	}
	var staff store.Staff
	if err := s.house.DB.WithContext(r.Context()).Where("login = ? AND demo AND active", in.Login).Limit(1).Find(&staff).Error; err != nil {
		s.refuse(w, r, err)
		return
	}
	if staff.ID == 0 {
		s.refuse(w, r, act.Problemf(act.Forbidden, "Only people of the demo sign in with one click."))
		return
	}
	s.enter(w, r, &staff)
}

func (s *Server) enter(w http.ResponseWriter, r *http.Request, staff *store.Staff) {
	if err := s.sessions.RenewToken(r.Context()); err != nil {
		s.refuse(w, r, err)
		return
	}
	s.sessions.Put(r.Context(), "staff", staff.ID)
	s.sessions.Remove(r.Context(), "branch")
	w.WriteHeader(http.StatusNoContent)
}

func (s *Server) signOut(w http.ResponseWriter, r *http.Request) {
	if err := s.sessions.Destroy(r.Context()); err != nil {
		s.refuse(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

func (s *Server) changeBranch(w http.ResponseWriter, r *http.Request) {
	var in struct{ Branch string }
	if !read(w, r, &in) {
		return
	}
	who, err := s.who(r.Context(), everyone)
	if err == nil {
		_, err = act.Look(r.Context(), s.house, who, func(a *act.Act) (struct{}, error) {
			_, err := a.Network.Branch(in.Branch)
			return struct{}{}, err
		})
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	s.sessions.Put(r.Context(), "branch", in.Branch)
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
	data, _ := json.Marshal(map[string]any{"status": status.GetStatus(), "detail": err.Error()})
	_, _ = fmt.Fprintln(w, string(data))
}
