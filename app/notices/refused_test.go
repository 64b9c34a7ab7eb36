package notices_test

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/core/role"
	"nevrin/store"
	"nevrin/testkit"
)

// moody is a mail server that answers as it is told, and counts the letters that it has taken. An answer of "drop" ends the line.
type moody struct {
	rcpt, data string // answers to RCPT and to the end of DATA
	dropAfter  bool   // it takes the letter, and ends the line before it says good-bye
	taken      atomic.Int32
	port       int
}

func newMoody(t *testing.T) *moody {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	m := &moody{rcpt: "250 ok", data: "250 ok", port: l.Addr().(*net.TCPAddr).Port}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go m.serve(c)
		}
	}()
	return m
}

func (m *moody) serve(c net.Conn) {
	defer func() { _ = c.Close() }()
	in := bufio.NewScanner(c)
	say := func(text string) bool {
		if text == "drop" {
			return false
		}
		_, err := fmt.Fprintf(c, "%s\r\n", text)
		return err == nil
	}
	say("220 moody")
	for in.Scan() {
		verb, _, _ := strings.Cut(strings.ToUpper(in.Text()), " ")
		answer := "250 ok"
		switch verb {
		case "RCPT":
			answer = m.rcpt
		case "DATA":
			say("354 go on")
			for in.Scan() && in.Text() != "." {
			}
			if m.data == "250 ok" || m.data == "drop" {
				m.taken.Add(1)
			}
			if !say(m.data) || m.dropAfter {
				return
			}
			continue
		case "QUIT":
			say("221 bye")
			return
		}
		if !say(answer) {
			return
		}
	}
}

// What a mail server says decides whether a message is tried again: one that is refused permanently is not, and one that it may have taken
// is not either, so that nobody is told twice. It was up to a thousand times.
func TestWhatAMailServerSays(t *testing.T) {
	for name, c := range map[string]struct {
		rcpt, data string
		dropAfter  bool
		address    string
		state      string
		says       string
		taken      int32
		again      bool // the job comes again
	}{
		"takes it":                              {"", "", false, "", "sent", "", 1, false},
		"takes it, then drops the line":         {"", "", true, "", "sent", "", 1, false},
		"drops the line at the end of the data": {"", "drop", false, "", "unclear", "The connection was lost after everything was sent. The mail server may have accepted it. (", 1, false},
		"knows no such mailbox":                 {"550 no such user", "", false, "", "refused", "550", 0, false},
		"is busy for now":                       {"451 later", "", false, "", "queued", "451", 0, true},
		"drops the line before the data":        {"drop", "", false, "", "queued", "", 0, true},
		"refuses what is said":                  {"", "554 no", false, "", "refused", "554", 0, false},
		"says very much":                        {"550 " + strings.Repeat("x", 400), "", false, "", "refused", "550", 0, false},
		"an address that is none":               {"", "", false, "reader at home", "refused", "this is not an email address", 0, false},
	} {
		t.Run(name, func(t *testing.T) {
			w := testkit.NewWorld(t)
			m, _ := sending(t, w)
			if c.address != "" {
				w.Set("UPDATE messages SET address = ?", c.address)
			}
			server := newMoody(t)
			server.dropAfter = c.dropAfter
			if c.rcpt != "" {
				server.rcpt = c.rcpt
			}
			if c.data != "" {
				server.data = c.data
			}
			w.House.Mail = outside.MailServer{Host: "127.0.0.1", Port: server.port}
			sender := &notices.Sender{House: w.House}
			job := &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: m.ID}}
			err := sender.Work(context.Background(), job)
			assert.Equal(t, c.again, err != nil, "%v", err)
			assert.Equal(t, c.state, w.Ask("SELECT state FROM messages WHERE id = ?", m.ID))
			problem := w.Ask("SELECT problem || ' ' FROM messages WHERE id = ?", m.ID)
			assert.Contains(t, problem, c.says)
			assert.Less(t, len(problem), 300)
			if !c.again {
				require.NoError(t, sender.Work(context.Background(), job), "a repeated job does nothing")
			}
			assert.Equal(t, c.taken, server.taken.Load())
		})
	}
}

// Whoever was told in another way is told; or the address is mended, and it goes there.
func TestRefusedMessagesAreSettled(t *testing.T) {
	w := testkit.NewWorld(t)
	desk := w.Staff(role.Desk, "HVH")
	m, _ := sending(t, w)
	w.Set("UPDATE messages SET state = 'refused', tries = 3, problem = '550'")
	look := func() []notices.Message {
		return testkit.Do(t, w.House, desk, func(a *act.Act) (notices.Overview, error) { return notices.Look(a, store.Page{Most: 10}) }).Stuck
	}
	require.Len(t, look(), 1)
	w.Set("UPDATE patrons SET email = 'right@post.invalid' WHERE id = ?", m.PatronID)
	testkit.Done(t, w.House, desk, func(a *act.Act) error { return notices.Settle(a, m.ID, true) })
	assert.Equal(t, "queued right@post.invalid 0", w.Ask("SELECT state || ' ' || address || ' ' || tries FROM messages"))
	w.Set("UPDATE messages SET state = 'refused'")
	testkit.Done(t, w.House, desk, func(a *act.Act) error { return notices.Settle(a, m.ID, false) })
	assert.Equal(t, "sent", w.Ask("SELECT state FROM messages"))
	assert.Empty(t, look())
}
