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
	"nevrin/store/staffdb"
)

// Sign-in changes the session and not the data, so it stands beside the operations.

func (s *Server) signIn(w http.ResponseWriter, r *http.Request) {
	var in struct {
		staff.Entering
		Own bool // at a station that nobody else uses
	}
	if !s.read(w, r, &in) || !s.short(w, r, in.Login, in.Password, in.Code) {
		return
	}
	who, err := staff.SignIn(r.Context(), s.house, s.address(r), in.Entering)
	if errors.Is(err, staff.ErrSecond) {
		err = &huma.ErrorModel{
			Type: "urn:nevrin:second", Status: http.StatusForbidden, Title: http.StatusText(http.StatusForbidden),
			Detail: err.Error(),
		}
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	s.enter(w, r, who, in.Own)
}

func (s *Server) signInDemo(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Login string
		Own   bool
	}
	if !s.read(w, r, &in) || !s.short(w, r, in.Login) {
		return
	}
	staff, err := staffdb.DemoStaffByLogin(r.Context(), s.house.Store, in.Login)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	if staff == nil {
		s.refuse(w, r, problem.Newf(problem.Forbidden, "Only demo users sign in with one click."))
		return
	}
	s.enter(w, r, staff, in.Own)
}

func (s *Server) enter(w http.ResponseWriter, r *http.Request, staff *staffdb.Staff, own bool) {
	if err := s.sessions.RenewToken(r.Context()); err != nil {
		s.refuse(w, r, err)
		return
	}
	if p, ok := r.Context().Value(personKey{}).(*visitor); ok {
		p.found, p.own, p.address = staff, own, s.address(r)
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

// comeBack lets the person of a session that rests go on, by their short code; in the demo with one click. An item that
// was scanned instead is told apart, also when the session rests no more: the window keeps it.
func (s *Server) comeBack(w http.ResponseWriter, r *http.Request) {
	var in struct{ Code string }
	if !s.read(w, r, &in) || !s.short(w, r, in.Code) {
		return
	}
	err := staff.ScannedOn(r.Context(), s.house, in.Code)
	if errors.Is(err, staff.ErrScanned) {
		err = &huma.ErrorModel{
			Type: "urn:nevrin:scanned", Status: http.StatusForbidden, Title: http.StatusText(http.StatusForbidden),
			Detail: err.Error(),
		}
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	e := enteredOf(r.Context())
	if e == nil || e.lacks[isAway] == nil {
		s.refuse(w, r, huma.NewError(http.StatusUnauthorized, "This session has ended. Sign in again."))
		return
	}
	over := false
	if p, _ := r.Context().Value(personKey{}).(*visitor); !s.options.Demo || !p.found.Demo {
		over, err = staff.ComeBack(r.Context(), s.house, e.ID, in.Code)
	}
	if over {
		err = errors.Join(err, s.sessions.Destroy(r.Context()))
	} else if err == nil {
		err = staffdb.HandOn(r.Context(), s.house.Store, s.sessions.Token(r.Context()))
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// handOn notes that a hand is on the station.
func (s *Server) handOn(w http.ResponseWriter, r *http.Request) {
	_, err := s.who(r.Context(), everyone)
	if err == nil {
		err = staffdb.HandOn(r.Context(), s.house.Store, s.sessions.Token(r.Context()))
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// ofLink tells whose link to set a password it is; useLink sets it.
func (s *Server) ofLink(w http.ResponseWriter, r *http.Request) {
	var in struct{ Token string }
	if !s.read(w, r, &in) || !s.short(w, r, in.Token) {
		return
	}
	login, name, err := staff.OfLink(r.Context(), s.house, in.Token)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]string{"login": login, "name": name})
}

func (s *Server) useLink(w http.ResponseWriter, r *http.Request) {
	var in struct{ Token, Password string }
	if !s.read(w, r, &in) || !s.short(w, r, in.Token, in.Password) {
		return
	}
	if err := staff.UseLink(r.Context(), s.house, in.Token, in.Password); err != nil {
		s.refuse(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// changePassword changes one's own password; all other sessions end.
func (s *Server) changePassword(w http.ResponseWriter, r *http.Request) {
	var in struct{ Old, New string }
	if !s.read(w, r, &in) || !s.short(w, r, in.Old, in.New) {
		return
	}
	s.provenDoor(w, r, proof{password: in.Old}, func(a *act.Act) error {
		return staff.ChangePassword(a, in.New, s.sessions.Token(r.Context()))
	})
}

// proof is with what somebody shows once more that it is them.
type proof struct {
	password string
	code     string // of the second factor they have
	withCode bool   // it is asked for where they have one
}

// provenDoor does something to one's own door, for whoever has shown once more that it is them.
func (s *Server) provenDoor(
	w http.ResponseWriter,
	r *http.Request,
	by proof,
	change func(*act.Act) error,
	leaving ...unfinished,
) {
	who, err := s.who(r.Context(), everyone, leaving...)
	if err == nil {
		err = staff.Prove(r.Context(), s.house, s.address(r), who.ID, by.password, by.code, by.withCode)
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	s.ownDoor(w, r, change, leaving...)
}

// chooseShort sets one's own short code, or takes it away.
func (s *Server) chooseShort(w http.ResponseWriter, r *http.Request) {
	var in struct{ Code string }
	if !s.read(w, r, &in) || !s.short(w, r, in.Code) {
		return
	}
	s.ownDoor(w, r, func(a *act.Act) error { return staff.ChooseShort(a, in.Code) })
}

// beginSecond makes a secret for one's own second factor, setSecond sets it up.
func (s *Server) beginSecond(w http.ResponseWriter, r *http.Request) {
	who, err := s.who(r.Context(), everyone, needsSecond)
	var out *staff.Setting
	if err == nil {
		out, err = act.Do(r.Context(), s.house, who, "", nil, func(a *act.Act) (*staff.Setting, error) {
			return staff.BeginSecond(a, s.sessions.Token(r.Context()))
		})
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(out)
}

func (s *Server) setSecond(w http.ResponseWriter, r *http.Request) {
	var in struct{ Password, Old, Code string } // Old: a code of the second factor they have
	if !s.read(w, r, &in) || !s.short(w, r, in.Password, in.Old, in.Code) {
		return
	}
	s.provenDoor(w, r, proof{in.Password, in.Old, true}, func(a *act.Act) error {
		return staff.SetSecond(a, in.Code, s.sessions.Token(r.Context()))
	}, needsSecond)
}

// endOthers ends all one's own sessions but this one.
func (s *Server) endOthers(w http.ResponseWriter, r *http.Request) {
	s.ownDoor(w, r, func(a *act.Act) error {
		return staff.EndSessions(a, a.Who.ID, s.sessions.Token(r.Context()))
	})
}

// ownDoor does something to one's own door. It may be asked for twice: the second time it changes nothing more, and what
// it carries is kept nowhere, as the answers to requests with a key are.
func (s *Server) ownDoor(
	w http.ResponseWriter,
	r *http.Request,
	change func(*act.Act) error,
	leaving ...unfinished,
) {
	who, err := s.who(r.Context(), everyone, leaving...)
	if err == nil {
		_, err = act.Do(r.Context(), s.house, who, "", nil, func(a *act.Act) (struct{}, error) {
			return struct{}{}, change(a)
		})
	}
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// changeBranch lets somebody go to another branch where they may work, which is kept as an event. The branch itself
// belongs to the window and goes with each of its requests; one that names a branch where the session never went is
// refused.
func (s *Server) changeBranch(w http.ResponseWriter, r *http.Request) {
	var in struct{ Branch calendar.Code }
	if !s.read(w, r, &in) {
		return
	}
	who, err := s.who(r.Context(), everyone, isElsewhere)
	if err == nil {
		_, err = act.Do(r.Context(), s.house, who, "", nil, func(a *act.Act) (struct{}, error) {
			b, err := a.Network.OpenBranch(in.Branch)
			if err == nil && !who.MayWorkAt(in.Branch) {
				err = problem.Newf(
					problem.Forbidden,
					"You do not work at %s. An administrator can add it to your branches.",
					b.Name,
				)
			}
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

func (s *Server) read(w http.ResponseWriter, r *http.Request, into any) bool {
	if err := json.NewDecoder(r.Body).Decode(into); err != nil {
		s.refuse(w, r, huma.NewError(http.StatusBadRequest, "The request could not be read."))
		return false
	}
	return true
}

// mostShort is how many bytes a name, a password or a code may have that somebody sends before they are known.
const mostShort = 1000

func (s *Server) short(w http.ResponseWriter, r *http.Request, texts ...string) bool {
	for _, t := range texts {
		if len(t) > mostShort {
			s.refuse(w, r, huma.NewError(http.StatusUnprocessableEntity, "Name or password is too long."))
			return false
		}
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
	if status.GetStatus() == http.StatusTooManyRequests || status.GetStatus() == http.StatusServiceUnavailable {
		w.Header().Set("Retry-After", "5")
	}
	w.WriteHeader(status.GetStatus())
	told := map[string]any{"status": status.GetStatus(), "detail": err.Error()}
	if model := (*huma.ErrorModel)(nil); errors.As(err, &model) && model.Type != "" {
		told["type"] = model.Type
	}
	data, _ := json.Marshal(told)
	_, _ = fmt.Fprintln(w, string(data))
}
