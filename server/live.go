package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"nevrin/app/event"
	"nevrin/core/calendar"
	"nevrin/store/staffdb"
)

const (
	livePath = "/api/live"
	// beat is how often a stream says that it is there: a window that hears nothing for two of them knows the line is lost.
	beat = 800 * time.Millisecond
	// patienceWithWindow is for how long a window may take nothing of what it is told before its stream is given up.
	patienceWithWindow = 10 * time.Second
)

// live is a stream of server-sent events: which areas of the work have changed, that the line is there, and that the
// person's session has ended.
func (s *Server) live(w http.ResponseWriter, r *http.Request) {
	who, err := s.who(r.Context(), everyone)
	if err != nil {
		s.refuse(w, r, err)
		return
	}
	if s.house.Live == nil {
		http.Error(w, "No live updates here.", http.StatusNotFound)
		return
	}
	window := s.house.Live.Open(who.ID)
	defer window.Close()
	w.Header().Set("Content-Type", "text/event-stream")
	// Proxies keep answers back until they have some of them together, or pack them; these words stop nginx and most others.
	w.Header().Set("Cache-Control", "no-store, no-transform")
	w.Header().Set("X-Accel-Buffering", "no")
	stream := http.NewResponseController(w)
	_ = stream.SetReadDeadline(time.Time{}) // nothing more is read, for as long as it goes on
	say := func(kind string, what any) bool {
		data, err := json.Marshal(what)
		if err != nil {
			return false
		}
		_ = stream.SetWriteDeadline(time.Now().Add(patienceWithWindow))
		if _, err := fmt.Fprintf(w, "event: %s\ndata: %s\n\n", kind, data); err != nil {
			return false
		}
		return stream.Flush() == nil
	}
	if _, err := fmt.Fprint(w, "retry: 500\n"); err != nil || !say("hello", struct{}{}) {
		return
	}
	ended := func() { say("signed_out", struct{}{}) }
	over := time.NewTimer(time.Until(s.sessions.Deadline(r.Context())))
	defer over.Stop()
	beats := time.NewTicker(beat)
	defer beats.Stop()
	rested := time.NewTicker(time.Minute)
	defer rested.Stop()
	// gone tells whether the session has ended meanwhile, or rests.
	gone := func() bool {
		found, err := staffdb.SessionOf(r.Context(), s.house.Store, s.sessions.Token(r.Context()))
		return err == nil && (found == nil || found.Staff == nil || rests(found))
	}
	for {
		select {
		case <-r.Context().Done():
			return
		case <-s.closing:
			return
		case <-over.C:
			ended()
			return
		case <-beats.C:
			if !say("beat", struct{}{}) {
				return
			}
		case <-rested.C:
			if gone() {
				ended()
				return
			}
		case <-window.Wake:
			changes, session := window.News()
			if session {
				if gone() {
					ended()
					return
				}
				changes[event.Everything] = []calendar.Code{} // the person's role may be another now
			}
			if len(changes) > 0 && !say("changes", changes) {
				return
			}
		}
	}
}
