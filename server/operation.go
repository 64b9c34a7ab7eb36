package server

import (
	"cmp"
	"context"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5/pgconn"

	"nevrin/app/act"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/role"
	"nevrin/store"
)

// Roles that may do an operation.
var (
	everyone    = role.Everyone
	employed    = role.Employed
	supervising = role.Supervising
)

// Write is part of the input of every operation that changes something.
type Write struct {
	Key string `header:"Idempotency-Key" required:"true" minLength:"8" maxLength:"100" doc:"The same key gives the same answer, also after a crash"`
}

func (w Write) key() string { return w.Key }

// Sent is the input of a change that carries a body.
type Sent[T any] struct {
	Write
	Body T
}

// One is the input of a change to one thing.
type One struct {
	Write
	ID int64 `path:"id"`
}

// OneSent is the input of a change to one thing that carries a body.
type OneSent[T any] struct {
	Write
	ID   int64 `path:"id"`
	Body T
}

// Out is the output of an operation.
type Out[T any] struct{ Body T }

// Paged asks for a part of a list.
type Paged struct {
	After string `query:"after" maxLength:"400" doc:"The place in the list that an answer gave as next; empty: its beginning"`
	Most  int    `query:"most" minimum:"0" maximum:"1000" doc:"How many rows at most; 0: a hundred"`
}

// page reads what part is asked for.
func (p *Paged) page() (store.Page, error) {
	page, err := store.PageFrom(p.After, p.Most)
	if err != nil {
		return page, problem.From(problem.Invalid, err)
	}
	return page, nil
}

// Rows is a part of a list.
type Rows[T any] struct {
	Rows []T    `json:"rows"`
	Next string `json:"next" doc:"Ask with this as after for what comes then; empty: that was all"`
}

func rows[T any](list []T, next store.Page, err error) (Rows[T], error) {
	return Rows[T]{list, next.Next()}, err
}

// pager is an input that asks for a part of a list.
type pager[I any] interface {
	*I
	page() (store.Page, error)
}

// paged is a question for a part of a list, as look, open and listing ask it.
func paged[I, T any, P pager[I]](
	question func(*act.Act, *I, store.Page) ([]T, store.Page, error),
) func(*act.Act, *I) (Rows[T], error) {
	return func(a *act.Act, in *I) (Rows[T], error) {
		page, err := P(in).page()
		if err != nil {
			return Rows[T]{}, err
		}
		return rows(question(a, in, page))
	}
}

// Most operations only hand on what was sent. These make one of a function of app, by what it asks for.

// asks is for a question that needs nothing more.
func asks[O any](f func(*act.Act) (O, error)) func(*act.Act, *nothing) (O, error) {
	return func(a *act.Act, _ *nothing) (O, error) { return f(a) }
}

// byID asks about one thing.
func byID[O any](f func(*act.Act, int64) (O, error)) func(*act.Act, *ByID) (O, error) {
	return func(a *act.Act, in *ByID) (O, error) { return f(a, in.ID) }
}

// inPages asks for a part of a list.
func inPages[T any](f func(*act.Act, store.Page) ([]T, store.Page, error)) func(*act.Act, *Paged) (Rows[T], error) {
	return paged(func(a *act.Act, _ *Paged, page store.Page) ([]T, store.Page, error) { return f(a, page) })
}

// sent changes something by what was sent.
func sent[B, O any](f func(*act.Act, B) (O, error)) func(*act.Act, *Sent[B]) (O, error) {
	return func(a *act.Act, in *Sent[B]) (O, error) { return f(a, in.Body) }
}

// one changes one thing.
func one[O any](f func(*act.Act, int64) (O, error)) func(*act.Act, *One) (O, error) {
	return func(a *act.Act, in *One) (O, error) { return f(a, in.ID) }
}

// oneSent changes one thing by what was sent.
func oneSent[B, O any](f func(*act.Act, int64, B) (O, error)) func(*act.Act, *OneSent[B]) (O, error) {
	return func(a *act.Act, in *OneSent[B]) (O, error) { return f(a, in.ID, in.Body) }
}

// Done is the answer of a change that has nothing to show.
type Done struct {
	OK bool `json:"ok"`
}

func operation(method, path, id, summary string) huma.Operation {
	return huma.Operation{Method: method, Path: "/api" + path, OperationID: id, Summary: summary,
		MaxBodyBytes: maxBody, BodyReadTimeout: -1, // the door has read it
		Errors: []int{
			http.StatusUnauthorized,
			http.StatusForbidden,
			http.StatusNotFound,
			http.StatusConflict,
			http.StatusServiceUnavailable,
		}}
}

// guarded is an operation for some roles. Who may not is told so before what they sent is looked at.
func (s *Server) guarded(method, path, id, summary string, roles []role.Role, leaving ...unfinished) huma.Operation {
	op := operation(method, path, id, summary)
	op.Middlewares = huma.Middlewares{func(ctx huma.Context, next func(huma.Context)) {
		var refused *huma.ErrorModel
		if _, err := s.who(ctx.Context(), roles, leaving...); errors.As(err, &refused) {
			ctx.SetHeader("Content-Type", "application/problem+json")
			ctx.SetStatus(refused.Status)
			_ = json.NewEncoder(ctx.BodyWriter()).Encode(refused)
			return
		}
		next(ctx)
	}}
	return op
}

// look registers a question that changes nothing. Leaving is what those who ask may have left undone of signing in.
func look[I, O any](
	s *Server,
	path, id, summary string,
	roles []role.Role,
	ask func(*act.Act, *I) (O, error),
	leaving ...unfinished,
) {
	huma.Register(
		s.api,
		s.guarded(http.MethodGet, path, id, summary, roles, leaving...),
		func(ctx context.Context, in *I) (*Out[O], error) {
			who, err := s.who(ctx, roles, leaving...)
			if err != nil {
				return nil, err
			}
			out, err := act.Look(ctx, s.house, who, func(a *act.Act) (O, error) { return ask(a, in) })
			return answer(s, ctx, out, err)
		},
	)
}

// open registers a question that opens what concerns persons: that it was asked is kept.
func open[I, O any](s *Server, path, id, summary string, roles []role.Role, ask func(*act.Act, *I) (O, error)) {
	once(s, http.MethodGet, path, id, summary, roles, ask)
}

// listing registers a question for a list that names persons: that it was asked is kept, with what the list was narrowed to.
func listing[I, O any](s *Server, path, id, summary string, roles []role.Role, ask func(*act.Act, *I) (O, error)) {
	open(s, path, id, summary, roles, func(a *act.Act, in *I) (O, error) {
		people.SeenList(a, summary, narrowed(reflect.ValueOf(in).Elem()))
		return ask(a, in)
	})
}

// narrowed says to what a list is narrowed: each field of its input that is given, but for which part of it is asked for.
func narrowed(in reflect.Value) []string {
	var out []string
	for k := range in.NumField() {
		field, value := in.Type().Field(k), in.Field(k)
		name := cmp.Or(field.Tag.Get("query"), field.Tag.Get("path"))
		switch {
		case field.Anonymous && field.Type != reflect.TypeFor[Paged]() && field.Type.Kind() == reflect.Struct:
			out = append(out, narrowed(value)...)
		case name != "" && !value.IsZero():
			out = append(out, fmt.Sprintf("%s %v", name, reflect.Indirect(value).Interface()))
		}
	}
	return out
}

// ask registers a question that carries a body: it changes nothing, so it needs no key.
func ask[O, I any](s *Server, path, id, summary string, roles []role.Role, question func(*act.Act, *I) (O, error)) {
	huma.Register(
		s.api,
		s.guarded(http.MethodPost, path, id, summary, roles),
		func(ctx context.Context, in *Asked[I]) (*Out[O], error) {
			who, err := s.who(ctx, roles)
			if err != nil {
				return nil, err
			}
			out, err := act.Look(ctx, s.house, who, func(a *act.Act) (O, error) { return question(a, &in.Body) })
			return answer(s, ctx, out, err)
		},
	)
}

// Asked is the input of a question that carries a body.
type Asked[T any] struct{ Body T }

// askRows registers a question that carries a body and is answered by a part of a list.
func askRows[O, I any](
	s *Server,
	path, id, summary string,
	roles []role.Role,
	question func(*act.Act, I, store.Page) ([]O, store.Page, error),
) {
	askedRows(s, path, id, summary, roles, question, act.Look[Rows[O]])
}

// askListing is askRows for a list that names persons: that it was asked is kept, with what the list was narrowed to.
func askListing[O any, I interface{ Narrowed() []string }](
	s *Server,
	path, id, summary string,
	roles []role.Role,
	question func(*act.Act, I, store.Page) ([]O, store.Page, error),
) {
	seen := func(a *act.Act, in I, page store.Page) ([]O, store.Page, error) {
		people.SeenList(a, summary, in.Narrowed())
		return question(a, in, page)
	}
	askedRows(s, path, id, summary, roles, seen,
		func(ctx context.Context, h *act.House, who act.Actor, asked func(*act.Act) (Rows[O], error)) (Rows[O], error) {
			return act.Do(ctx, h, who, "", nil, asked)
		})
}

func askedRows[O, I any](
	s *Server,
	path, id, summary string,
	roles []role.Role,
	question func(*act.Act, I, store.Page) ([]O, store.Page, error),
	in func(context.Context, *act.House, act.Actor, func(*act.Act) (Rows[O], error)) (Rows[O], error),
) {
	huma.Register(
		s.api,
		s.guarded(http.MethodPost, path, id, summary, roles),
		func(ctx context.Context, sent *AskedPaged[I]) (*Out[Rows[O]], error) {
			who, err := s.who(ctx, roles)
			if err != nil {
				return nil, err
			}
			page, err := sent.page()
			if err != nil {
				return nil, s.problem(ctx, err)
			}
			out, err := in(ctx, s.house, who, func(a *act.Act) (Rows[O], error) {
				return rows(question(a, sent.Body, page))
			})
			return answer(s, ctx, out, err)
		},
	)
}

// AskedPaged is the input of a question that carries a body and asks for a part of a list.
type AskedPaged[T any] struct {
	Paged
	Body T
}

// keyed is an input that carries an idempotency key.
type keyed[I any] interface {
	*I
	key() string
}

// do registers a change. It is done once for each key.
func do[O, I any, P keyed[I]](
	s *Server,
	method, path, id, summary string,
	roles []role.Role,
	change func(*act.Act, *I) (O, error),
) {
	huma.Register(
		s.api,
		s.guarded(method, path, id, summary, roles),
		func(ctx context.Context, in *I) (*Out[O], error) {
			who, err := s.who(ctx, roles)
			if err != nil {
				return nil, err
			}
			out, err := act.Do(
				ctx,
				s.house,
				who,
				id+" "+P(in).key(),
				in,
				func(a *act.Act) (O, error) { return change(a, in) },
			)
			return answer(s, ctx, out, err)
		},
	)
}

// once registers an act that writes and has no key, so that its answer is kept nowhere. Asked for again, it is done anew.
func once[O, I any](
	s *Server,
	method, path, id, summary string,
	roles []role.Role,
	change func(*act.Act, *I) (O, error),
) {
	huma.Register(
		s.api,
		s.guarded(method, path, id, summary, roles),
		func(ctx context.Context, in *I) (*Out[O], error) {
			who, err := s.who(ctx, roles)
			if err != nil {
				return nil, err
			}
			out, err := act.Do(ctx, s.house, who, "", nil, func(a *act.Act) (O, error) { return change(a, in) })
			return answer(s, ctx, out, err)
		},
	)
}

func answer[O any](s *Server, ctx context.Context, out O, err error) (*Out[O], error) {
	if err != nil {
		return nil, s.problem(ctx, err)
	}
	return &Out[O]{out}, nil
}

// problem turns an error into an answer of RFC 9457. What is not for a person to read is logged instead.
func (s *Server) problem(ctx context.Context, err error) error {
	if p := problem.Of(err); p != nil {
		told := &huma.ErrorModel{Status: statuses[p.Kind], Title: http.StatusText(statuses[p.Kind]), Detail: p.Text}
		if p.Kind == problem.Repeated {
			told.Type = "urn:nevrin:key-used"
		}
		return told
	}
	if errors.Is(err, store.ErrUnsure) {
		level := slog.LevelWarn
		if ctx.Err() != nil {
			level = slog.LevelDebug // the page was left
		}
		s.log.Log(ctx, level, "unsure", "error", store.Written(err), "request", askedOf(ctx).id)
		return huma.NewError(
			http.StatusServiceUnavailable,
			"The connection to the database was lost while saving. Checking whether it was saved.",
		)
	}
	if errors.Is(err, store.ErrBusy) {
		s.log.WarnContext(ctx, "busy", "error", store.Written(err), "request", askedOf(ctx).id)
		return huma.NewError(
			http.StatusServiceUnavailable,
			"Somebody else is changing the same records. Nothing was changed. Retrying automatically.",
		)
	}
	var pg *pgconn.PgError
	if errors.As(err, &pg) &&
		strings.HasPrefix(pg.Code, "22") { // a value that no column has room for, such as a date of the year 0
		s.log.WarnContext(ctx, "value", "error", store.Written(err), "request", askedOf(ctx).id)
		return huma.NewError(http.StatusUnprocessableEntity, "The request has an invalid value. Nothing was changed.")
	}
	if store.Unique(err) { // of what there may be only one, somebody else has just made one
		s.log.WarnContext(ctx, "once only", "error", store.Written(err), "request", askedOf(ctx).id)
		return huma.NewError(
			http.StatusConflict,
			"Somebody else made a conflicting change at the same moment. Nothing was changed. Check and try again.",
		)
	}
	if store.Referenced(err) { // what it speaks of is not there, or something speaks of what is to go
		s.log.WarnContext(ctx, "not there", "error", store.Written(err), "request", askedOf(ctx).id)
		return huma.NewError(
			http.StatusConflict,
			"This refers to something that no longer exists. Nothing was changed. Check and try again.",
		)
	}
	if store.TookTooLong(err) && ctx.Err() == nil {
		s.log.ErrorContext(ctx, "took too long", "error", store.Written(err), "request", askedOf(ctx).id)
		return &huma.ErrorModel{
			Type: "urn:nevrin:too-long", Status: http.StatusUnprocessableEntity,
			Title:  http.StatusText(http.StatusUnprocessableEntity),
			Detail: "This took too long and was stopped. Nothing was changed. Narrow it down, or do it in parts.",
		}
	}
	if Unreachable(err) {
		return huma.NewError(
			http.StatusServiceUnavailable,
			"The database cannot be reached. Nothing was changed. Retrying automatically.",
		)
	}
	if ctx.Err() != nil { // nobody waits for the answer; asked again with its key, it is done or known
		s.log.DebugContext(ctx, "given up by who asked", "error", store.Written(err), "request", askedOf(ctx).id)
		return huma.NewError(http.StatusServiceUnavailable, "The connection was lost before this was done.")
	}
	s.log.ErrorContext(ctx, "operation failed", "error", store.Written(err), "request", askedOf(ctx).id)
	return huma.NewError(http.StatusInternalServerError, oursAlone)
}

var statuses = map[problem.Kind]int{
	problem.Crowded: http.StatusServiceUnavailable, problem.TooOften: http.StatusTooManyRequests,
	problem.Invalid: http.StatusUnprocessableEntity, problem.Missing: http.StatusNotFound,
	problem.Refused: http.StatusConflict, problem.Forbidden: http.StatusForbidden,
	problem.Repeated: http.StatusUnprocessableEntity,
}

// Unreachable tells whether an error means that PostgreSQL is not there.
func Unreachable(err error) bool {
	var refused *net.OpError
	var pg *pgconn.PgError
	var connect *pgconn.ConnectError
	if errors.As(err, &pg) { // shutting down, crashed, starting up; no room, no memory, no disk
		return slices.Contains([]string{"57P01", "57P02", "57P03", "25P03"}, pg.Code) ||
			strings.HasPrefix(pg.Code, "53") || strings.HasPrefix(pg.Code, "58")
	}
	cut := pgconn.SafeToRetry(err) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) ||
		errors.Is(err, net.ErrClosed)
	return cut || errors.As(err, &refused) || errors.As(err, &connect) || errors.Is(err, driver.ErrBadConn) ||
		pgconn.Timeout(err)
}

// who is the person asking, if their role may do this and they have signed in whole. What an operation lets them leave undone it
// names; with anything else left they are refused.
func (s *Server) who(ctx context.Context, roles []role.Role, leaving ...unfinished) (act.Actor, error) {
	e := enteredOf(ctx)
	if e == nil {
		return act.Actor{}, huma.NewError(http.StatusUnauthorized, "Sign in first.")
	}
	for _, left := range []unfinished{isAway, needsSecond, isElsewhere} {
		if err := e.lacks[left]; err != nil && !slices.Contains(leaving, left) {
			return act.Actor{}, err
		}
	}
	if !slices.Contains(roles, e.Role) {
		return act.Actor{}, huma.NewError(
			http.StatusForbidden,
			"Your role, "+string(e.Role)+", does not include this. Ask a colleague whose role does.",
		)
	}
	askedOf(ctx).staff = e.ID
	return by(ctx, e.Actor), nil
}

// lookOpen registers a question that may be asked without being signed in, and before a second factor is set up.
func lookOpen[O any](s *Server, path, id, summary string, ask func(*act.Act) (O, error)) {
	huma.Register(
		s.api,
		operation(http.MethodGet, path, id, summary),
		func(ctx context.Context, _ *nothing) (*Out[O], error) {
			who := act.Actor{}
			if e := enteredOf(ctx); e != nil && e.lacks[isAway] == nil {
				var err error
				if who, err = s.who(ctx, everyone, needsSecond); err != nil {
					return nil, err
				}
			}
			out, err := act.Look(ctx, s.house, who, ask)
			return answer(s, ctx, out, err)
		},
	)
}

type nothing struct{}

// ByID asks for one thing by its number.
type ByID struct {
	ID int64 `path:"id"`
}

// Scanned is a text that was scanned or typed.
type Scanned struct {
	Text string `json:"text" minLength:"1" maxLength:"200"`
}
