package server

import (
	"net"
	"net/http"
	"sync"
	"time"

	"golang.org/x/net/netutil"
)

// How long a request may take to come, and its answer to go. A stream sets its own.
const (
	headerTimeout = 10 * time.Second
	readTimeout   = 30 * time.Second
	writeTimeout  = 60 * time.Second
	idleTimeout   = 2 * time.Minute
	maxHeader     = 32 << 10
)

// How many lines may be open at once: to this copy of the program, and from one address, behind which a whole branch or a
// proxy may stand.
const (
	mostLines = 8000
	mostOfOne = 1000
)

// Front is an HTTP server that waits for nobody too long.
func Front(handler http.Handler) *http.Server {
	return &http.Server{
		Handler: handler, ReadHeaderTimeout: headerTimeout, ReadTimeout: readTimeout, WriteTimeout: writeTimeout,
		IdleTimeout: idleTimeout, MaxHeaderBytes: maxHeader,
	}
}

// Bounded lets only so many lines be open at once, in all and from one address.
func Bounded(l net.Listener) net.Listener { return BoundedTo(l, mostLines, mostOfOne) }

// BoundedTo does so with other numbers.
func BoundedTo(l net.Listener, lines, ofOne int) net.Listener {
	return &ofEach{Listener: netutil.LimitListener(l, lines), most: ofOne, open: map[string]int{}}
}

// ofEach closes lines of an address that has too many open.
type ofEach struct {
	net.Listener
	most int

	mu   sync.Mutex
	open map[string]int
}

// Accept gives the next line that is not one too many.
func (l *ofEach) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		host, _, _ := net.SplitHostPort(c.RemoteAddr().String()) // what has no port counts together
		if l.add(host, 1) {
			return &counted{Conn: c, end: sync.OnceFunc(func() { l.add(host, -1) })}, nil
		}
		_ = c.Close()
	}
}

func (l *ofEach) add(host string, n int) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if n > 0 && l.open[host] >= l.most {
		return false
	}
	if l.open[host] += n; l.open[host] <= 0 {
		delete(l.open, host)
	}
	return true
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
