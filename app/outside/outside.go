// Package outside is the one way by which Nevrin asks services of others: partners, services for records and pictures, card
// terminals. Their addresses are typed in, and what they answer is not ours, so it bounds what can be reached, for how long, and how
// much is read.
package outside

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"sync"
	"syscall"
	"time"
)

// Bounds of one question.
const (
	mostBytes     = 4 << 20
	mostHeader    = 32 << 10
	patience      = 20 * time.Second // for all of it
	connecting    = 5 * time.Second
	firstByte     = 15 * time.Second
	mostRedirects = 3
)

// Reach says what can be reached. The zero value reaches no address of the machine itself.
type Reach struct {
	Loopback bool // the demo's stand-ins, and those of tests, run on the machine itself
}

// errInside says that an address is none that a service outside can have.
var errInside = errors.New("the address leads into the inside of this machine or its network")

// metadata are addresses under which machines of a data centre give away secrets of their own, beside those that are link-local.
var metadata = []netip.Addr{netip.MustParseAddr("fd00:ec2::254"), netip.MustParseAddr("100.100.100.200")}

// allowed tells whether an address can be that of a service. Private addresses can: partners of a county often share a network.
func (r Reach) allowed(at netip.Addr) bool {
	at = at.Unmap().WithZone("")
	for _, m := range metadata {
		if at == m {
			return false
		}
	}
	if at.IsLoopback() {
		return r.Loopback
	}
	return at.IsValid() && !at.IsUnspecified() && !at.IsMulticast() && !at.IsLinkLocalUnicast()
}

// control looks at each address just before it is connected to, whatever name it was found under.
func (r Reach) control(_, address string, _ syscall.RawConn) error {
	at, err := netip.ParseAddrPort(address)
	if err != nil || !r.allowed(at.Addr()) {
		return errInside
	}
	return nil
}

// Dial opens a line to host:port.
func (r Reach) Dial(ctx context.Context, address string) (net.Conn, error) {
	dialer := net.Dialer{Timeout: connecting, Control: r.control}
	return dialer.DialContext(ctx, "tcp", address)
}

var clients sync.Map // Reach to *http.Client

// HTTP is the client for services that speak HTTP. It follows redirects within one host only, and of questions only.
func (r Reach) HTTP() *http.Client {
	if c, ok := clients.Load(r); ok {
		return c.(*http.Client)
	}
	transport := &http.Transport{
		DialContext:            func(ctx context.Context, _, address string) (net.Conn, error) { return r.Dial(ctx, address) },
		TLSHandshakeTimeout:    connecting,
		ResponseHeaderTimeout:  firstByte,
		IdleConnTimeout:        time.Minute,
		MaxIdleConnsPerHost:    2,
		MaxResponseHeaderBytes: mostHeader,
		ForceAttemptHTTP2:      true,
	}
	c, _ := clients.LoadOrStore(r, &http.Client{
		Transport:     bounded{transport},
		Timeout:       patience,
		CheckRedirect: sameHost,
	})
	return c.(*http.Client)
}

var errRedirect = errors.New("the service sends questions on to another host")

func sameHost(r *http.Request, before []*http.Request) error {
	switch first := before[0]; {
	case len(before) > mostRedirects:
		return errors.New("the service sends questions on again and again")
	case r.URL.Host != first.URL.Host || r.URL.Scheme != first.URL.Scheme && r.URL.Scheme != "https":
		return errRedirect
	case first.Method != http.MethodGet:
		return errors.New("the service sends on what was sent to it")
	}
	return nil
}

// bounded lets no more than so many bytes be read of an answer.
type bounded struct{ next http.RoundTripper }

func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	answer, err := b.next.RoundTrip(r)
	if err == nil {
		answer.Body = http.MaxBytesReader(nil, answer.Body, mostBytes)
	}
	return answer, err
}

// Because says in a few words why a service has not answered as it should, without its address, which may hold a key of ours, and
// without what it has answered.
func Because(err error) error {
	var timeout net.Error
	var asked *url.Error
	var lookup *net.DNSError
	var long *http.MaxBytesError
	switch {
	case err == nil:
		return nil
	case errors.Is(err, errInside):
		return errInside
	case errors.Is(err, errRedirect):
		return errRedirect
	case errors.As(err, &long):
		return fmt.Errorf("the answer has more than %d bytes", mostBytes)
	case errors.Is(err, context.DeadlineExceeded), errors.As(err, &timeout) && timeout.Timeout():
		return errors.New("no answer in time")
	case errors.As(err, &lookup):
		return errors.New("its name is not known")
	case errors.Is(err, syscall.ECONNREFUSED):
		return errors.New("nothing listens there")
	case errors.As(err, &asked):
		var line *net.OpError
		if errors.As(asked.Err, &line) {
			return errors.New("the line does not hold")
		}
		return asked.Err
	}
	return err
}
