package server

import (
	"net"
	"net/http"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/net/netutil"

	"nevrin/core/door"
)

// How long a request may take to come, and its answer to go. A stream sets its own.
const (
	headerTimeout = 10 * time.Second
	readTimeout   = 30 * time.Second
	writeTimeout  = 60 * time.Second
	idleTimeout   = 2 * time.Minute
	maxHeader     = 32 << 10
)

// How many lines may be open at once: to this copy of the program, from one client, behind which a whole branch may stand, and
// from one site of IPv6. How many lines a proxy of ours opens is its own affair; whoever asks through it is counted by request
// (see flow).
const (
	mostLines  = 8000
	mostOfOne  = 1000
	mostOfSite = 4000
)

// Front is an HTTP server that waits for nobody too long.
func Front(handler http.Handler) *http.Server {
	return &http.Server{
		Handler: handler, ReadHeaderTimeout: headerTimeout, ReadTimeout: readTimeout, WriteTimeout: writeTimeout,
		IdleTimeout: idleTimeout, MaxHeaderBytes: maxHeader,
	}
}

// Bounded lets only so many lines be open at once, in all and from one client that is none of our proxies.
func Bounded(l net.Listener, proxies []netip.Prefix) net.Listener {
	return BoundedTo(l, proxies, mostLines, mostOfOne)
}

// BoundedTo does so with other numbers.
func BoundedTo(l net.Listener, proxies []netip.Prefix, lines, ofOne int) net.Listener {
	return &ofEach{
		Listener: netutil.LimitListener(l, lines),
		proxies:  proxies,
		clients:  counts{most: ofOne},
		sites:    counts{most: ofOne * mostOfSite / mostOfOne},
	}
}

// ofEach closes lines of a client, or of a site, that has too many open.
type ofEach struct {
	net.Listener
	proxies        []netip.Prefix
	clients, sites counts
}

// counts are how many of something there are of each client.
type counts struct {
	most int

	mu  sync.Mutex
	now map[string]int
}

// add counts one more, unless there are as many as there may be. Whose name is empty is not counted.
func (c *counts) add(of string) bool {
	if of == "" {
		return true
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.now == nil {
		c.now = map[string]int{}
	}
	if c.now[of] >= c.most {
		return false
	}
	c.now[of]++
	return true
}

// end counts one less.
func (c *counts) end(of string) {
	if of == "" {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.now[of]--; c.now[of] <= 0 {
		delete(c.now, of)
	}
}

// Accept gives the next line that is not one too many.
func (l *ofEach) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if end, ok := l.count(c.RemoteAddr().String()); ok {
			return &counted{Conn: c, end: sync.OnceFunc(end)}, nil
		}
		_ = c.Close()
	}
}

// count counts a line from a peer; end is to be called when it is closed.
func (l *ofEach) count(peer string) (end func(), ok bool) {
	at, err := netip.ParseAddrPort(peer)
	if err == nil && isAmong(at.Addr(), l.proxies) {
		return func() {}, true
	}
	host := at.Addr().String() // what has no port counts together
	client, site := door.Client(host), door.Range(host)
	if !l.clients.add(client) {
		return nil, false
	}
	if !l.sites.add(site) {
		l.clients.end(client)
		return nil, false
	}
	return func() { l.clients.end(client); l.sites.end(site) }, true
}

func isAmong(at netip.Addr, prefixes []netip.Prefix) bool {
	return slices.ContainsFunc(prefixes, func(p netip.Prefix) bool { return p.Contains(at.Unmap()) })
}

type counted struct {
	net.Conn
	end func()
}

// Close closes the line, which then counts no more.
func (c *counted) Close() error {
	c.end()
	return c.Conn.Close()
}

// How many requests may be under way at once of one client, of one site of IPv6, and of all who show no session. A request that
// comes slowly is under way until it has come. All branches of a network may go out through one address, and each window keeps a
// stream: of a client whose requests show a session more may be under way, whether it is one or not.
const (
	mostAtOnce       = 500
	mostAtOnceOfSite = 2000
	mostWithSession  = 3000
	mostStrangers    = mostLines / 2
)

// flow bounds how many requests are under way, counted by who asks and not by who passes it on: behind a proxy all lines come from
// one address.
type flow struct {
	clients, sites, sessions, strangers counts
}

func newFlow(ofOne int) *flow {
	if ofOne == 0 {
		ofOne = mostAtOnce
	}
	return &flow{
		clients:   counts{most: ofOne},
		sites:     counts{most: ofOne * mostAtOnceOfSite / mostAtOnce},
		sessions:  counts{most: ofOne * mostWithSession / mostAtOnce},
		strangers: counts{most: mostStrangers},
	}
}

// flowing lets a request in if not too many of its client are under way.
func (s *Server) flowing(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		at := s.address(r)
		type counting struct {
			counts *counts
			of     string
		}
		under := []counting{{&s.flow.clients, door.Client(at)}, {&s.flow.sites, door.Range(at)}, {&s.flow.strangers, "anybody"}}
		if _, err := r.Cookie(s.sessions.Cookie.Name); err == nil {
			under = []counting{{&s.flow.sessions, door.Client(at)}}
		}
		for k, u := range under {
			if !u.counts.add(u.of) {
				for _, before := range under[:k] {
					before.counts.end(before.of)
				}
				w.Header().Set("Connection", "close")
				s.refuse(w, r, huma.NewError(http.StatusServiceUnavailable,
					"Too many requests from your address. Wait a moment, then try again."))
				return
			}
		}
		defer func() {
			for _, u := range under {
				u.counts.end(u.of)
			}
		}()
		next.ServeHTTP(w, r)
	})
}
