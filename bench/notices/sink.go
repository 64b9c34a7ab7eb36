package main

import (
	"bufio"
	"fmt"
	"net"
	"strings"
	"sync"
	"time"
)

// sink is a mail server that takes what it is handed and keeps to whom that was.
type sink struct {
	net.Listener
	every time.Duration // it takes one in that time; 0: as fast as they come
	says  func() string // what it answers to an address now; empty: that it takes it. Nil: always

	mu    sync.Mutex
	turns time.Time // until when it has taken enough
	taken map[string]int
	lines map[net.Conn]bool
}

func newSink() (*sink, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s := &sink{Listener: l, taken: map[string]int{}, lines: map[net.Conn]bool{}}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go s.take(c)
		}
	}()
	return s, nil
}

func (s *sink) port() int { return s.Addr().(*net.TCPAddr).Port }

// drop breaks all open lines.
func (s *sink) drop() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for c := range s.lines {
		_ = c.Close()
	}
}

// wait waits until the next email may be taken, and takes it.
func (s *sink) wait(to string) {
	s.mu.Lock()
	now := time.Now()
	if s.turns.Before(now) {
		s.turns = now
	}
	s.turns = s.turns.Add(s.every)
	until := s.turns
	s.mu.Unlock()
	time.Sleep(time.Until(until))
	s.mu.Lock()
	s.taken[to]++
	s.mu.Unlock()
}

// dead is what a server answers that is not there.
const dead = "dead"

// take speaks as much SMTP as is needed to be handed emails.
func (s *sink) take(c net.Conn) {
	s.mu.Lock()
	s.lines[c] = true
	s.mu.Unlock()
	defer func() {
		_ = c.Close()
		s.mu.Lock()
		delete(s.lines, c)
		s.mu.Unlock()
	}()
	in := bufio.NewReaderSize(c, 64<<10)
	say := func(text string) { _, _ = fmt.Fprintf(c, "%s\r\n", text) }
	answer := func() string {
		if s.says == nil {
			return ""
		}
		return s.says()
	}
	if answer() == dead {
		return
	}
	say("220 sink")
	to := ""
	for {
		line, err := in.ReadString('\n')
		if err != nil {
			return
		}
		switch verb, rest, _ := strings.Cut(strings.ToUpper(strings.TrimSpace(line)), " "); {
		case answer() == dead:
			return
		case verb == "RCPT" && answer() != "":
			say(answer())
		case verb == "RCPT":
			to = rest
			say("250 ok")
		case verb == "DATA":
			say("354 go on")
			for {
				text, err := in.ReadString('\n')
				if err != nil {
					return
				}
				if strings.TrimRight(text, "\r\n") == "." {
					break
				}
			}
			s.wait(to)
			say("250 ok")
		case verb == "QUIT":
			say("221 bye")
			return
		default:
			say("250 ok")
		}
	}
}
