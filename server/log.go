package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"runtime/debug"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"nevrin/app/act"
)

// RequestHeader carries the id of a request, under which the log and the events know it.
const RequestHeader = "Nevrin-Request"

// asked is what is known of a request while it is answered.
type asked struct {
	id    string
	staff int64
}

type askedKey struct{}

func askedOf(ctx context.Context) *asked {
	if a, ok := ctx.Value(askedKey{}).(*asked); ok {
		return a
	}
	return &asked{}
}

// logged gives each request an id, and writes it down once it is answered: which operation, by whom, how long, and how it
// ended. An operation is named by its pattern: what stands in an address or a body never reaches the log.
func (s *Server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasPrefix(r.URL.Path, "/api/") && !strings.HasPrefix(r.URL.Path, "/iso18626") {
			next.ServeHTTP(w, r)
			return
		}
		a := &asked{id: strings.ToLower(rand.Text()[:12])}
		w.Header().Set(RequestHeader, a.id)
		seen := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		begun := time.Now()
		s.survived(next, seen, r.WithContext(context.WithValue(r.Context(), askedKey{}, a)))
		s.metrics.answered(r.Method+" "+chi.RouteContext(r.Context()).RoutePattern(), seen.Status(), time.Since(begun))
		level, attrs := slog.LevelInfo, []slog.Attr{
			slog.String("request", a.id),
			slog.String("operation", r.Method+" "+chi.RouteContext(r.Context()).RoutePattern()),
			slog.Int("status", seen.Status()),
			slog.Float64("ms", float64(time.Since(begun).Microseconds())/1000),
		}
		if a.staff != 0 {
			attrs = append(attrs, slog.Int64("staff", a.staff))
		}
		if r.Context().Err() != nil { // nobody waited for it; no fault of ours
			level, attrs = slog.LevelDebug, append(attrs, slog.Bool("given_up", true))
		} else if seen.Status() >= http.StatusInternalServerError {
			level = slog.LevelWarn
		}
		s.log.LogAttrs(r.Context(), level, "answered", attrs...)
	})
}

// survived answers a request, and says so where a mistake of ours ends it: nothing has been changed then, and who asked need not
// ask again and again.
func (s *Server) survived(next http.Handler, w middleware.WrapResponseWriter, r *http.Request) {
	defer func() {
		mistake := recover()
		if mistake == nil {
			return
		}
		if err, ok := mistake.(error); ok && errors.Is(err, http.ErrAbortHandler) {
			panic(mistake)
		}
		s.log.ErrorContext(r.Context(), "an error in Nevrin", "request", askedOf(r.Context()).id,
			"mistake", fmt.Sprintf("%T", mistake), "stack", string(debug.Stack()))
		if w.Status() == 0 {
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusInternalServerError)
			_ = json.NewEncoder(w).Encode(huma.NewError(http.StatusInternalServerError, oursAlone))
		}
	}()
	next.ServeHTTP(w, r)
}

// oursAlone is what is told of a mistake that whoever asked can do nothing about.
const oursAlone = "Something went wrong in Nevrin. Nothing was changed. The error is in the log."

// by is somebody with the request in which they do something.
func by(ctx context.Context, who act.Actor) act.Actor {
	who.Request = askedOf(ctx).id
	return who
}
