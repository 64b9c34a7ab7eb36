package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/door"
	"nevrin/core/settings"
	"nevrin/store"
	"nevrin/store/staffdb"
)

// sessions keeps sessions in PostgreSQL, each with whose it is, so that one question finds both.
type sessions struct{ store *store.Store }

// visitor is where the person of a request is put when its session is found, or when they sign in.
type visitor struct {
	found    *staffdb.Staff
	branches []calendar.Code
	lacks    bool   // has to set a second factor up first
	rests    bool   // no hand has been on the station for too long: it asks who is there
	own      bool   // at a station that nobody else uses
	address  string // from where they signed in
}

type personKey struct{}

// FindCtx finds a session, and puts its person into the request's place for it.
func (s *sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	found, err := staffdb.SessionOf(ctx, s.store, token)
	if err != nil || found == nil {
		return nil, false, err
	}
	if p, ok := ctx.Value(personKey{}).(*visitor); ok {
		p.found, p.branches, p.own = found.Staff, found.Branches, found.Own
		p.rests, p.lacks = rests(found), found.Lacks
	}
	return found.Data, true, nil
}

// rests tells whether a session has rested for so long that its station asks who is there.
func rests(s *staffdb.Session) bool {
	minutes := settings.Usual().IdleMinutes
	if s.Idle != nil {
		minutes = *s.Idle
	}
	return door.Rests(s.Own, s.Rested, minutes)
}

// CommitCtx keeps a session.
func (s *sessions) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	k := staffdb.SessionKept{Data: data, Expiry: expiry}
	if p, ok := ctx.Value(personKey{}).(*visitor); ok && p.found != nil {
		k.Staff, k.Own, k.Address = p.found.ID, p.own, p.address
	}
	return staffdb.KeepSession(ctx, s.store, token, k)
}

// DeleteCtx ends a session.
func (s *sessions) DeleteCtx(ctx context.Context, token string) error {
	return staffdb.DropSession(ctx, s.store, token)
}

// Find is for callers without a context, of which there are none.
func (s *sessions) Find(token string) ([]byte, bool, error) {
	return s.FindCtx(context.Background(), token)
}

// Commit is for callers without a context, of which there are none.
func (s *sessions) Commit(token string, data []byte, expiry time.Time) error {
	return staffdb.KeepSession(context.Background(), s.store, token, staffdb.SessionKept{Data: data, Expiry: expiry})
}

// Delete is for callers without a context, of which there are none.
func (s *sessions) Delete(token string) error { return s.DeleteCtx(context.Background(), token) }

// plain writes a session as JSON: it holds texts and yes or no, and is read at every scan.
type plain struct{}

type kept struct {
	Until  time.Time
	Values map[string]any
}

// Encode gives the bytes of a session.
func (plain) Encode(until time.Time, values map[string]any) ([]byte, error) {
	return json.Marshal(kept{until, values})
}

// Decode reads them.
func (plain) Decode(data []byte) (time.Time, map[string]any, error) {
	var k kept
	err := json.Unmarshal(data, &k)
	return k.Until, k.Values, err
}

func newSessions(house *act.House, secure bool) *scs.SessionManager {
	m := scs.New()
	m.Store = &sessions{house.Store}
	m.Codec = plain{}
	m.Lifetime = 14 * time.Hour
	m.Cookie.Name = "nevrin"
	m.Cookie.Secure = secure
	m.Cookie.SameSite = http.SameSiteStrictMode
	return m
}

// place makes room in a request for the person of its session.
func place(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), personKey{}, &visitor{})))
	})
}

// BranchHeader names the branch at which the window works that asks.
const BranchHeader = "Nevrin-Branch"

// arrivedKey is under what a session keeps the branches where its person went, apart from their own.
const arrivedKey = "branches"

func (s *Server) arrive(ctx context.Context, branch calendar.Code) {
	arrived := strings.Fields(s.sessions.GetString(ctx, arrivedKey))
	if !slices.Contains(arrived, string(branch)) {
		s.sessions.Put(ctx, arrivedKey, strings.Join(append(arrived, string(branch)), " "))
	}
}

// entered is who asks, and what they still have to do before they may work.
type entered struct {
	act.Actor
	lacks map[unfinished]error // by what is left to do: how somebody is told who does something else first
}

type enteredKey struct{}

// unfinished is something that somebody who has a session still has to do before they may work. While any of it is left, an
// operation is refused unless it names it itself (see Server.who).
type unfinished string

const (
	isAway      unfinished = "away"      // the station has rested: its person has to say that it is them
	needsSecond unfinished = "second"    // the role needs a second factor, and it is not set up yet
	isElsewhere unfinished = "elsewhere" // the window works at a branch where its person has not gone since they signed in
)

// enteredOf is who asks; nil where nobody is signed in.
func enteredOf(ctx context.Context) *entered {
	e, _ := ctx.Value(enteredKey{}).(*entered)
	return e
}

// identify puts the person of the session, at the branch where the asking window works, into the request. Who has not signed
// in whole yet is told apart here and refused by the operations.
func (s *Server) identify(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p, _ := r.Context().Value(personKey{}).(*visitor)
		if p == nil || p.found == nil || p.found.Demo && !s.options.Demo { // who signed in while it was a demo is out
			next.ServeHTTP(w, r)
			return
		}
		rights, err := settings.ReadRights(p.found.Rights)
		if err != nil {
			s.refuse(w, r, err)
			return
		}
		e := &entered{lacks: map[unfinished]error{}, Actor: act.Actor{
			ID: p.found.ID, Name: p.found.Name, Role: p.found.Role,
			Branch: p.found.BranchCode, Home: p.found.BranchCode,
			Branches: p.branches, Rights: rights,
		}}
		if p.rests {
			e.lacks[isAway] = awayError()
		}
		if p.lacks {
			e.lacks[needsSecond] = secondError()
		}
		if asked := r.Header.Get(BranchHeader); asked != "" && asked != string(e.Branch) {
			went := slices.Contains(strings.Fields(s.sessions.GetString(r.Context(), arrivedKey)), asked)
			if went && e.MayWorkAt(calendar.Code(asked)) {
				e.Branch = calendar.Code(asked)
			} else {
				e.lacks[isElsewhere] = elsewhereError(asked, e.Branch)
			}
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), enteredKey{}, e)))
	})
}

func awayError() error {
	return &huma.ErrorModel{
		Type: "urn:nevrin:rests", Status: http.StatusUnauthorized, Title: http.StatusText(http.StatusUnauthorized),
		Detail: "This station was idle. Sign in again.",
	}
}

func secondError() error {
	return &huma.ErrorModel{
		Type: "urn:nevrin:lacks-second", Status: http.StatusForbidden, Title: http.StatusText(http.StatusForbidden),
		Detail: "Your role needs a second factor. Set it up first, under My account.",
	}
}

// elsewhereError says that a window works at another branch than its person. Its kind is told apart from other conflicts.
func elsewhereError(asked string, home calendar.Code) error {
	return &huma.ErrorModel{
		Type: "urn:nevrin:branch", Status: http.StatusConflict, Title: http.StatusText(http.StatusConflict),
		Detail: fmt.Sprintf(
			"This window works at %q, where you have not gone since you signed in; you are at %s. Nothing was done. Choose the branch at the top, then do it again.",
			asked,
			home,
		),
	}
}
