// Package server speaks HTTP: sign-in, the operations by area, and the built front end.
//
// An operation decodes, asks who it is and whether they may, and calls one method of app. No rule
// of the job stands here.
package server

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"path"
	"reflect"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"nevrin/app/act"
	"nevrin/app/searched"
	"nevrin/store"
)

// Options are the settings that differ between installations.
type Options struct {
	Demo      bool           // started as a demo: its people sign in with one click
	Mailbox   string         // address of the stand-in's mailbox; empty outside the demo
	Terminals string         // address of the page of the card terminals' stand-ins; empty outside the demo
	Outside   string         // address of the partners' stand-in; empty outside the demo
	Records   string         // address of the stand-in for records of titles; empty outside the demo
	Phones    string         // address of the page of the text gateway's stand-in; empty outside the demo
	Reports   string         // the secret with which mail servers report what came back; empty: nobody can
	Plain     bool           // without TLS, as on loopback: cookies over plain HTTP
	Proxies   []netip.Prefix // who may say on whose behalf they ask
	PerMinute int            // requests of one session; 0: as usual
	AtOnce    int            // requests of one client under way at once; 0: as usual
}

// Server answers HTTP.
type Server struct {
	house    *act.House
	api      huma.API
	router   chi.Router
	sessions *scs.SessionManager
	log      *slog.Logger
	options  Options
	messages *httprate.RateLimiter // of partners
	signUps  *httprate.RateLimiter // of addresses
	mines    *httprate.RateLimiter // pages of patrons
	flow     *flow
	closing  chan struct{} // closed when streams are to end
	close    sync.Once
	metrics  *metrics
}

// New builds a server over a house.
func New(house *act.House, app fs.FS, log *slog.Logger, options Options) (*Server, error) {
	s := &Server{
		house:    house,
		router:   chi.NewRouter(),
		sessions: newSessions(house, !options.Plain),
		log:      log,
		options:  options,
		messages: httprate.NewRateLimiter(mostMessages, time.Minute),
		signUps:  httprate.NewRateLimiter(mostSignUps, signUpWindow),
		mines:    httprate.NewRateLimiter(mostMine, time.Minute),
		flow:     newFlow(options.AtOnce),
		closing:  make(chan struct{}),
		metrics:  newMetrics(house, log),
	}
	s.sessions.ErrorFunc = s.sessionError

	s.router.Use(middleware.Recoverer, s.logged, s.flowing, compressed, s.headers)
	s.router.Get("/health", s.health)
	s.router.Post("/iso18626", s.exchange)
	s.router.Post("/iso18626/{secret}", s.exchange)
	s.router.Post(reportsPath, s.mailReport)
	s.router.With(s.publicBounded(func(w http.ResponseWriter, r *http.Request, _ error) {
		http.Error(w, "too many searches; try again in a minute", http.StatusTooManyRequests)
	})).Get("/sru", searched.Catalogue(house, "Library titles").Serve)
	s.router.Group(func(r chi.Router) {
		r.Use(http.NewCrossOriginProtection().Handler)
		r.Group(func(r chi.Router) {
			r.Use(s.publicBounded(func(w http.ResponseWriter, r *http.Request, err error) {
				s.signUpRefused(w, r, nil, err)
			}))
			r.Get(signUpPath, s.signUpForm)
			r.Post(signUpPath, s.signUp)
		})
		r.Group(s.mineRoutes)
	})
	s.router.NotFound(front(app))
	s.router.Group(func(r chi.Router) {
		r.Use(private, http.NewCrossOriginProtection().Handler, s.door, place, s.sessions.LoadAndSave, s.identify, s.bounded)
		s.api = humachi.New(r, config())
		s.operations()
		r.Post("/api/sign-in", s.signIn)
		if options.Demo {
			r.Post("/api/sign-in/demo", s.signInDemo)
		}
		r.Post("/api/sign-out", s.signOut)
		r.Post("/api/come-back", s.comeBack)
		r.Post("/api/hand-on", s.handOn)
		r.Post("/api/link", s.ofLink)
		r.Post("/api/link/password", s.useLink)
		r.Post("/api/own/password", s.changePassword)
		r.Post("/api/own/short", s.chooseShort)
		r.Post("/api/own/end-others", s.endOthers)
		r.Post("/api/own/second/begin", s.beginSecond)
		r.Post("/api/own/second", s.setSecond)
		r.Post("/api/branch", s.changeBranch)
		r.Get(livePath, s.live)
		r.Get("/api/labels", s.labels)
		r.Get("/api/out/{file}", s.takeOut)
		r.Get("/api/titles/{id}/cover", s.cover)
		r.Get("/api/patrons/{id}/photo", s.photo)
		s.files(r)
		s.papers(r)
	})
	return s, nil
}

func config() huma.Config {
	huma.DefaultArrayNullable = false // lists are empty, never null
	c := huma.DefaultConfig("Nevrin", "1")
	c.DocsPath, c.SchemasPath, c.OpenAPIPath = "", "", "" // the description is for who runs it (see Inside)
	c.CreateHooks = nil                                   // answers carry no schema links
	c.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	return c
}

// schemaName puts the package before a type's name, since places of work name things alike. That something comes from the
// store is of no interest to who reads the description.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	pkg := strings.TrimSuffix(path.Base(t.PkgPath()), "db")
	if pkg == "." || pkg == "server" || pkg == "v2" || strings.HasPrefix(name, "List") {
		return name
	}
	return strings.ToUpper(pkg[:1]) + pkg[1:] + name
}

// OpenAPI is the server's own description, from which the front end's types are made.
func OpenAPI() ([]byte, error) {
	s := &Server{router: chi.NewRouter()}
	s.api = humachi.New(s.router, config())
	s.operations()
	return s.api.OpenAPI().MarshalJSON()
}

// Close ends the streams, which would go on for ever.
func (s *Server) Close() { s.close.Do(func() { close(s.closing) }) }

// Routes are all that is answered, to be walked through.
func (s *Server) Routes() chi.Routes { return s.router }

func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.router.ServeHTTP(w, r) }

// compressed compresses what is asked for and may be long. The answer to a scan is short, and waited for.
func compressed(next http.Handler) http.Handler {
	long := middleware.Compress(5)(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodGet && r.URL.Path != livePath {
			long.ServeHTTP(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// Inside is for who runs Nevrin: figures for Prometheus, and the description of the operations. It is served on an address
// of its own, which is not that of the public.
func (s *Server) Inside() http.Handler {
	r := chi.NewRouter()
	r.Handle("/metrics", promhttp.HandlerFor(s.metrics.registry, promhttp.HandlerOpts{}))
	r.Get("/health", s.health)
	r.Get("/openapi.json", func(w http.ResponseWriter, _ *http.Request) {
		data, err := s.api.OpenAPI().MarshalJSON()
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write(data)
	})
	return r
}

// headers say to browsers what pages of ours never do: run what others wrote, be shown inside of another page, send a form
// elsewhere, use a camera. Beside the server they speak with nothing but the pad at their own station. Styles stand in the markup where a list draws its rows.
func (s *Server) headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set(
			"Content-Security-Policy",
			"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "+
				"font-src 'self' data:; connect-src 'self' ws://127.0.0.1:* ws://localhost:*; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
		)
		h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=(), payment=(), usb=(), display-capture=()")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		if !s.options.Plain {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}

// private keeps answers, which hold what concerns persons, out of every cache.
func private(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-store")
		next.ServeHTTP(w, r)
	})
}

func (s *Server) health(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	if err := s.house.Store.Reached(ctx); err != nil {
		http.Error(w, "database not reached", http.StatusServiceUnavailable)
		return
	}
	_, _ = w.Write([]byte("ok\n"))
}

func (s *Server) sessionError(w http.ResponseWriter, r *http.Request, err error) {
	level := slog.LevelWarn
	if r.Context().Err() != nil { // nobody waits for it
		level = slog.LevelDebug
	}
	s.log.Log(r.Context(), level, "session", "error", store.Written(err), "request", askedOf(r.Context()).id)
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(http.StatusServiceUnavailable)
	_, _ = w.Write(
		[]byte(
			`{"status":503,"title":"Service Unavailable","detail":"The database cannot be reached. Nothing was changed. Retrying automatically."}`,
		),
	)
}

// front serves the built front end; every path that is no file is a place of it.
func front(app fs.FS) http.HandlerFunc {
	files := http.FileServerFS(app)
	return func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") {
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusNotFound)
			_, _ = w.Write([]byte(`{"status":404,"title":"Not Found","detail":"There is no such operation."}` + "\n"))
			return
		}
		name := strings.TrimPrefix(r.URL.Path, "/")
		if info, err := fs.Stat(app, name); err == nil && !info.IsDir() {
			if strings.HasPrefix(name, "assets/") {
				w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			files.ServeHTTP(w, r)
			return
		}
		page, err := fs.ReadFile(app, "index.html")
		if errors.Is(err, fs.ErrNotExist) {
			http.Error(w, "The front end has not been built. Run 'make build'.", http.StatusNotFound)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Cache-Control", "no-cache")
		_, _ = w.Write(page)
	}
}
