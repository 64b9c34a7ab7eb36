package notices_test

import (
	"bufio"
	"context"
	"fmt"
	"hash/fnv"
	"net"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/notices"
	"nevrin/core/plan"
)

// stormy is a mail server in a bad mood. How it answers depends on the message and on how often it has come, so that each message meets another
// mixture of refusals for now and for good, lines that end in the middle, and lines that end after all was taken.
type stormy struct {
	mu    sync.Mutex
	tries map[string]int
	taken map[string]int
	port  int
}

var idOf = regexp.MustCompile(`(?i)^Message-ID: <message-(\d+)@`)

func newStormy(t *testing.T) *stormy {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	s := &stormy{tries: map[string]int{}, taken: map[string]int{}, port: l.Addr().(*net.TCPAddr).Port}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go s.serve(c)
		}
	}()
	return s
}

func (s *stormy) serve(c net.Conn) {
	defer func() { _ = c.Close() }()
	in := bufio.NewScanner(c)
	say := func(text string) { _, _ = fmt.Fprintf(c, "%s\r\n", text) }
	say("220 stormy")
	for in.Scan() {
		switch verb, _, _ := strings.Cut(strings.ToUpper(in.Text()), " "); verb {
		case "DATA":
			say("354 go on")
			id := ""
			for in.Scan() && in.Text() != "." {
				if m := idOf.FindStringSubmatch(in.Text()); m != nil {
					id = m[1]
				}
			}
			if !s.answer(id, say) {
				return
			}
		case "QUIT":
			say("221 bye")
			return
		default:
			say("250 ok")
		}
	}
}

// answer answers the end of a message; false: the line ends.
func (s *stormy) answer(id string, say func(string)) bool {
	s.mu.Lock()
	s.tries[id]++
	try := s.tries[id]
	mood := fnv.New32a()
	_, _ = fmt.Fprintf(mood, "%s %d", id, try)
	m := mood.Sum32() % 20
	takes := m < 11 || m == 19 || try > 6
	if takes {
		s.taken[id]++
	}
	s.mu.Unlock()
	switch {
	case m < 11 || try > 6:
		say("250 ok")
	case m < 16:
		say("451 later")
	case m < 18:
		say("550 never")
	case m == 18: // the line ends before it has looked at the message; for who sends this looks as if it might have taken it
		return false
	default: // it takes it, and the line ends
		return false
	}
	return true
}

// Two copies of the program, four senders each, hundreds of messages, a mail server in a bad mood, and attempts that are killed: nobody gets a
// message twice, none is lost, and what nobody can know is left for a person to decide.
func TestStorm(t *testing.T) {
	const messages = 240
	w := newTelling(t)
	s := newStormy(t)
	w.House.Mail.Port = s.port
	w.keep("overdue", func(p *plan.Plan) { p.Ways = p.Ways[:1] }) // email alone
	p := w.reader("ada@post.invalid")
	w.Set(`INSERT INTO messages (kind, patron_id, address, subject, body, items, state, at, channel)
		SELECT 'overdue', ?, 'ada' || n || '@post.invalid', 'x', 'y', 1, 'queued', now(), 'mail' FROM generate_series(1, ?) n`, p, messages)
	copies := []*notices.Sender{{House: w.House}, {House: w.House}}
	for round := range 12 {
		ids := strings.Fields(w.Ask("SELECT coalesce(string_agg(id::text, ' ' ORDER BY id), '') FROM messages WHERE state = 'queued'"))
		if len(ids) == 0 {
			break
		}
		var all sync.WaitGroup
		for _, sender := range copies {
			for part := range 4 {
				all.Go(func() {
					for k := part; k < len(ids); k += 4 {
						id, _ := strconv.ParseInt(ids[k], 10, 64)
						ctx := context.Background()
						if (k+round)%17 == 0 { // it is killed, somewhere in the middle
							killed, kill := context.WithTimeout(ctx, time.Duration(k%5)*time.Millisecond)
							defer kill()
							ctx = killed
						}
						_ = sender.Work(ctx, &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: id}})
					}
				})
			}
		}
		all.Wait()
	}
	w.Set("UPDATE messages SET begun_at = begun_at - interval '1 hour' WHERE state = 'sending'")
	require.NoError(t, (&notices.Reclaimer{House: w.House}).Work(t.Context(), nil))
	assert.Equal(t, strconv.Itoa(messages), w.Ask("SELECT count(*) FROM messages WHERE state IN ('sent', 'refused', 'unclear', 'queued')"), "none is lost")
	assert.Equal(t, "0", w.Ask("SELECT count(*) FROM messages WHERE state = 'queued'"), "none waits for ever")
	state := map[string]string{}
	for _, line := range strings.Split(w.Ask("SELECT string_agg(id || ' ' || state, ',') FROM messages"), ",") {
		id, is, _ := strings.Cut(line, " ")
		state[id] = is
	}
	counts := map[string]int{}
	for id, is := range state {
		counts[is]++
		switch taken := s.taken[id]; is {
		case "sent":
			assert.Equal(t, 1, taken, "message %s was sent once", id)
		case "refused":
			assert.Equal(t, 0, taken, "message %s was refused", id)
		case "unclear":
			assert.LessOrEqual(t, taken, 1, "message %s is unclear", id)
		}
	}
	t.Log(counts)
	assert.Greater(t, counts["sent"], messages/2)
	assert.Positive(t, counts["refused"])
	assert.Positive(t, counts["unclear"])
}
