package server

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/httprate"

	"nevrin/core/door"
)

// Bounds of a request. What an operation takes is smaller.
const (
	maxBody   = 1 << 20
	maxLevels = 40
)

// door lets in what can be text of the job: every request, before anything reads it, whether somebody is signed in or not.
// Its body is read here, as far as it may go, so that one that an operation does not take is not left on the line.
func (s *Server) door(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if what := unsound(r); what != "" {
			s.refuse(w, r, huma.NewError(http.StatusBadRequest, what))
			return
		}
		data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
		var tooLong *http.MaxBytesError
		switch {
		case errors.As(err, &tooLong):
			s.refuse(w, r, huma.NewError(http.StatusRequestEntityTooLarge,
				fmt.Sprintf("This request is longer than %d bytes. Nothing was changed.", maxBody)))
			return
		case errors.Is(err, os.ErrDeadlineExceeded):
			w.Header().Set("Connection", "close")
			s.refuse(w, r, huma.NewError(http.StatusRequestTimeout, "This request came too slowly. Nothing was changed."))
			return
		case err != nil: // the line was cut; nobody is there to be told
			w.Header().Set("Connection", "close")
			w.WriteHeader(http.StatusBadRequest)
			return
		}
		if what := unsoundBody(data); what != "" {
			s.refuse(w, r, huma.NewError(http.StatusBadRequest, what))
			return
		}
		r.Body = io.NopCloser(bytes.NewReader(data))
		readWhole(w)
		next.ServeHTTP(w, r)
	})
}

// readWhole ends the time limit on reading: all of the request is here. It would otherwise run out while the answer is worked
// out, which net/http takes for a line that was cut, and cancels this request and all later ones on the line.
func readWhole(w http.ResponseWriter) {
	_ = http.NewResponseController(w).SetReadDeadline(time.Time{}) // a writer that has none has no limit either
}

const noText = "holds letters that no text can hold (a zero byte, or bytes that are not UTF-8). Nothing was done."

func unreadable(text string) bool { return !utf8.ValidString(text) || strings.ContainsRune(text, 0) }

// unsound tells what is wrong with the address and the headers of a request; empty: nothing.
func unsound(r *http.Request) string {
	query, err := url.ParseQuery(r.URL.RawQuery)
	if err != nil || unreadable(r.URL.Path) {
		return "The address " + noText
	}
	for name, values := range query {
		if unreadable(name) || unreadable(strings.Join(values, "")) {
			return "The address " + noText
		}
	}
	for _, name := range []string{"Idempotency-Key", BranchHeader} {
		if unreadable(r.Header.Get(name)) {
			return "The header " + name + " " + noText
		}
	}
	return ""
}

// unsoundBody tells what is wrong with a body, whoever reads it: its letters, or how deep its lists and objects go.
func unsoundBody(data []byte) string {
	if !utf8.Valid(data) || bytes.IndexByte(data, 0) >= 0 {
		return "The request " + noText
	}
	level, inText := 0, false
	for k := 0; k < len(data); k++ {
		switch c := data[k]; {
		case inText && c == '\\':
			if bytes.HasPrefix(data[k+1:], []byte("u0000")) {
				return "The request " + noText
			}
			k++
		case c == '"':
			inText = !inText
		case inText:
		case c == '[' || c == '{':
			if level++; level > maxLevels {
				return fmt.Sprintf("The request has more than %d levels within each other. Nothing was done.", maxLevels)
			}
		case c == ']' || c == '}':
			level--
		}
	}
	return ""
}

// address is from where a request comes: the peer, or who stands behind a proxy of ours.
func (s *Server) address(r *http.Request) string {
	peer, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	at := peer.Addr().Unmap()
	passed := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for k := len(passed) - 1; k >= 0 && s.isProxy(at); k-- {
		before, err := netip.ParseAddr(strings.TrimSpace(passed[k]))
		if err != nil {
			break
		}
		at = before.Unmap()
	}
	return at.String()
}

func (s *Server) isProxy(at netip.Addr) bool {
	return isAmong(at, s.options.Proxies)
}

// bounded bounds how much is asked for: by a session as fast as no hand is, by an address without one much less.
func (s *Server) bounded(next http.Handler) http.Handler {
	tooMany := httprate.WithLimitHandler(func(w http.ResponseWriter, r *http.Request) {
		s.refuse(w, r, huma.NewError(http.StatusTooManyRequests, "Too many requests. Wait a moment, then try again."))
	})
	perMinute := s.options.PerMinute
	if perMinute == 0 {
		perMinute = usualPerMinute
	}
	byClient := func(r *http.Request) (string, error) { return door.Client(s.address(r)), nil }
	bySite := func(r *http.Request) (string, error) {
		at := s.address(r)
		return cmp.Or(door.Range(at), door.Client(at)), nil
	}
	bySession := func(r *http.Request) (string, error) { return s.sessions.Token(r.Context()), nil }
	strangers := httprate.LimitBy(max(perMinute*sitesShare, 1), time.Minute, bySite, tooMany)(
		httprate.LimitBy(max(perMinute/2, 1), time.Minute, byClient, tooMany)(next))
	sessions := httprate.LimitBy(perMinute, time.Minute, bySession, tooMany)(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if enteredOf(r.Context()) == nil {
			strangers.ServeHTTP(w, r)
			return
		}
		sessions.ServeHTTP(w, r)
	})
}

// sitesShare is how many times more a whole site of IPv6 may ask than one session.
const sitesShare = 4

// usualPerMinute is how many requests a session may make: a hundred a second.
const usualPerMinute = 6000
