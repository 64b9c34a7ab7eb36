package notices_test

import (
	"bufio"
	"context"
	"net"
	"net/mail"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/core/role"
	"nevrin/standin"
	"nevrin/store"
	"nevrin/testkit"
)

// Without a mail server, or without a sender, no email goes anywhere: it waits as it is, that is said, and it goes once both are
// there, from the sender in the network's name. A test goes the same way, or says why not.
func TestMailIsOffUntilItIsSet(t *testing.T) {
	w := testkit.NewWorld(t)
	m, sender := sending(t, w)
	ada := w.Staff(role.Administrator, "HVH")
	w.House.Mail = outside.MailServer{}
	off := func() notices.Off {
		return testkit.Do(t, w.House, ada, func(a *act.Act) (notices.Overview, error) { return notices.Look(a, store.Page{Most: 10}) }).Off
	}
	work := func() error {
		return sender.Work(context.Background(), &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: m.ID}})
	}
	state := func() string { return w.Ask("SELECT state || ' ' || tries FROM messages WHERE id = ?", m.ID) }
	test := func(to string) error { return notices.Test(context.Background(), w.House, ada, to, nil) }
	var snoozed *river.JobSnoozeError

	assert.Equal(t, notices.NoServer, off())
	require.ErrorAs(t, work(), &snoozed)
	assert.Equal(t, "queued 0", state())
	require.ErrorContains(t, test("ada@post.invalid"), "NEVRIN_SMTP was not set")

	folder := t.TempDir()
	box, err := standin.NewMail(folder)
	require.NoError(t, err)
	smtp, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	page, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go box.Serve(t.Context(), smtp, page)
	w.House.Mail = outside.MailServer{Host: "127.0.0.1", Port: smtp.Addr().(*net.TCPAddr).Port}
	from(w, "")
	assert.Equal(t, notices.NoSender, off())
	require.ErrorAs(t, work(), &snoozed)
	assert.Equal(t, "queued 0", state())
	require.ErrorContains(t, test("ada@post.invalid"), "Email is off: save a sender address first.")

	w.Set(`UPDATE network SET version = version + 1, name = 'Straße & Söhne', settings = settings ||
		'{"mail": {"sender": "notices@library.example", "reply": "desk@library.example"}}'`)
	assert.Equal(t, notices.On, off())
	require.NoError(t, work())
	assert.Equal(t, "sent 1", state())
	require.ErrorContains(t, test("nobody"), "is not an email address. Enter one such as name@library.example.")
	require.NoError(t, test("ada@post.invalid"))
	kept := letters(t, folder)
	require.Len(t, kept, 2)
	for _, letter := range kept {
		senders, err := letter.AddressList("From")
		require.NoError(t, err)
		assert.Equal(t, "Straße & Söhne", senders[0].Name)
		assert.Equal(t, "notices@library.example", senders[0].Address)
		answers, err := letter.AddressList("Reply-To")
		require.NoError(t, err)
		assert.Equal(t, "desk@library.example", answers[0].Address)
		assert.Regexp(t, "@library.example>$", letter.Get("Message-ID"))
	}

	// A server that takes no lines is told of, in a sentence, before anybody has waited for long.
	require.NoError(t, smtp.Close())
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	w.House.Mail.Port = closed.Addr().(*net.TCPAddr).Port
	require.NoError(t, closed.Close())
	require.ErrorContains(t, test("ada@post.invalid"), "Not sent:")
}

// A user and a password are said over an encrypted line only: to a server that has none nothing is sent, and that is told.
func TestNoPasswordOnAnOpenLine(t *testing.T) {
	w := testkit.NewWorld(t)
	_, _ = sending(t, w)
	plain, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = plain.Close() }()
	heard := make(chan string, 1)
	go func() {
		line, err := plain.Accept()
		if err != nil {
			return
		}
		defer func() { _ = line.Close() }()
		_ = line.SetDeadline(time.Now().Add(2 * time.Second)) // the client leaves the line open when it gives up
		var all strings.Builder
		_, _ = line.Write([]byte("220 mail.example ESMTP\r\n"))
		for in := bufio.NewScanner(line); in.Scan(); {
			all.WriteString(in.Text() + "\n")
			says := "250-mail.example\r\n250 AUTH PLAIN LOGIN\r\n" // and no STARTTLS
			if !strings.HasPrefix(in.Text(), "EHLO") {
				says = "502 no\r\n"
			}
			_, _ = line.Write([]byte(says))
		}
		heard <- all.String()
	}()
	w.House.Mail = outside.MailServer{Host: "127.0.0.1", Port: plain.Addr().(*net.TCPAddr).Port, User: "library", Password: "secret"}
	err = notices.Test(t.Context(), w.House, w.Staff(role.Administrator, "HVH"), "ada@post.invalid", nil)
	require.ErrorContains(t, err, "STARTTLS")
	all := <-heard
	assert.Contains(t, all, "EHLO")
	assert.NotContains(t, all, "AUTH")
	assert.NotContains(t, all, "MAIL FROM")
}

// letters are the heads of what the mail server was given.
func letters(t *testing.T, folder string) []mail.Header {
	t.Helper()
	files, err := filepath.Glob(filepath.Join(folder, "*.eml"))
	require.NoError(t, err)
	var out []mail.Header
	for _, name := range files {
		f, err := os.Open(name)
		require.NoError(t, err)
		letter, err := mail.ReadMessage(f)
		require.NoError(t, err)
		require.NoError(t, f.Close())
		out = append(out, letter.Header)
	}
	return out
}
