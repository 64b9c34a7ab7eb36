// Package device knows where what stands beside a station is reached: a pad that reads the tags of a whole pile, and a terminal
// that takes cards. Both are named by address, so another make that speaks the same protocol takes its place by another address.
package device

import (
	"net/url"
	"strconv"

	"nevrin/core/expect"
)

// Pad checks the address of a pad. A page speaks with it straight from the browser, so it stands at the station itself: its
// address is one of loopback, which the page's own policy lets it reach and nothing beyond.
func Pad(address string) error {
	right := "one at the station itself, such as ws://127.0.0.1:7411/pad"
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "ws" || u.User != nil || u.RawQuery != "" || u.Fragment != "" {
		return expect.Errorf(right, "the pad's address %q", address)
	}
	if host := u.Hostname(); host != "127.0.0.1" && host != "localhost" {
		return expect.Errorf(right, "the pad's address %q", address)
	}
	return port(u.Port(), right, "the pad's address %q", address)
}

// Terminal checks the address of a card terminal: a host and a port, since the server speaks with it over TCP.
func Terminal(address string) error {
	right := "a host and a port, such as 10.20.3.15:7500"
	u, err := url.Parse("tcp://" + address)
	if err != nil || u.Host != address || u.Hostname() == "" {
		return expect.Errorf(right, "the terminal's address %q", address)
	}
	return port(u.Port(), right, "the terminal's address %q", address)
}

func port(number, right, found, address string) error {
	if n, err := strconv.Atoi(number); err != nil || n < 1 || n > 65535 {
		return expect.Errorf(right, found, address)
	}
	return nil
}
