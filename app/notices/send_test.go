package notices_test

import (
	"context"
	"net"
	"strconv"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/role"
	"nevrin/standin"
	"nevrin/store/noticesdb"
	"nevrin/testkit"
)

// The mail server is down, then up: the message waits, says why, goes once, and reads back as it was
// written (Go's net/mail in the stand-in). A repeated job sends nothing again.
func TestMailServerDownThenUp(t *testing.T) {
	h := testkit.House(t)
	patron, err := strconv.ParseInt(testkit.Text(t, h, "SELECT min(id)::text FROM patrons WHERE email <> ''"), 10, 64)
	require.NoError(t, err)
	subject := "Bereit für Sie: Straße № 4"
	m := testkit.Do(t, h, testkit.Somebody(t, h, "maren"), func(a *act.Act) (*noticesdb.Message, error) {
		m := &noticesdb.Message{
			Kind:     plan.HoldReady,
			PatronID: patron,
			Address:  "reader@post.invalid",
			Subject:  subject,
			Body:     "Dear reader,\n\na line = another.\n",
		}
		return m, queue(a, m)
	})
	smtp, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	port := smtp.Addr().(*net.TCPAddr).Port
	require.NoError(t, smtp.Close())
	h.Mail = outside.MailServer{Host: "127.0.0.1", Port: port}
	sender := &notices.Sender{House: h}
	work := func() error {
		return sender.Work(context.Background(), &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: m.ID}})
	}
	require.Error(t, work())
	assert.Equal(t, "queued", testkit.Text(t, h, "SELECT state FROM messages WHERE id = ?", m.ID))
	assert.NotEmpty(t, testkit.Text(t, h, "SELECT problem FROM messages WHERE id = ?", m.ID))

	mail, err := standin.NewMail(t.TempDir())
	require.NoError(t, err)
	smtp, err = net.Listen("tcp", "127.0.0.1:"+strconv.Itoa(port))
	require.NoError(t, err)
	page, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	go mail.Serve(ctx, smtp, page)
	require.NoError(t, work())
	require.NoError(t, work())
	letters, err := mail.Letters()
	require.NoError(t, err)
	require.Len(t, letters, 1)
	assert.Equal(t, subject, letters[0].Subject)
	assert.Contains(t, letters[0].Body, "a line = another.")
	assert.Equal(t, "sent", testkit.Text(t, h, "SELECT state FROM messages WHERE id = ?", m.ID))

	// A program killed while sending leaves the message unclear, and it is not sent again by itself.
	require.NoError(
		t,
		testkit.SQL(h).
			Exec("UPDATE messages SET state = 'sending', begun_at = clock_timestamp() WHERE id = ?", m.ID).
			Error,
	)
	reclaim := func() {
		require.NoError(t, (&notices.Reclaimer{House: h}).Work(context.Background(), &river.Job[notices.ReclaimArgs]{}))
	}
	reclaim()
	assert.Equal(
		t,
		"sending",
		testkit.Text(t, h, "SELECT state FROM messages WHERE id = ?", m.ID),
		"another copy may be at it",
	)
	require.NoError(
		t,
		testkit.SQL(h).Exec("UPDATE messages SET begun_at = begun_at - interval '5 minutes' WHERE id = ?", m.ID).Error,
	)
	reclaim()
	require.NoError(t, work())
	assert.Equal(t, "unclear", testkit.Text(t, h, "SELECT state FROM messages WHERE id = ?", m.ID))
}

// queue writes a message as it stands in the queue, with its words.
func queue(a *act.Act, m *noticesdb.Message) error {
	m.Channel, m.State, m.Items, m.At = person.ByMail, "queued", 1, a.Now
	return noticesdb.AddMessage(a.Tx, m)
}

// sending is a message on its way, with a sender to a mail server that takes connections and never answers.
func sending(t *testing.T, w *testkit.World) (*noticesdb.Message, *notices.Sender) {
	t.Helper()
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = silent.Close() })
	m := testkit.Do(t, w.House, w.Staff(role.Supervisor, "HVH"), func(a *act.Act) (*noticesdb.Message, error) {
		m := &noticesdb.Message{
			Kind:     plan.HoldReady,
			PatronID: w.Patron("HVH"),
			Address:  "reader@post.invalid",
			Subject:  "Ready",
			Body:     "Ready.",
		}
		return m, queue(a, m)
	})
	w.House.Mail = outside.MailServer{
		Host: "127.0.0.1", Port: silent.Addr().(*net.TCPAddr).Port, Patience: 2 * time.Second,
	}
	from(w, "library@post.invalid")
	return m, &notices.Sender{House: w.House}
}

// from settles from whom email of a world comes.
func from(w *testkit.World, sender string) {
	w.Set(`UPDATE network SET version = version + 1, settings = settings || jsonb_build_object('mail', jsonb_build_object('sender', ?::text))`, sender)
}

// An attempt whose time runs out leaves the message queued, not "sending" permanently: how it ended is written although
// the attempt's own time is over.
func TestAnAttemptWhoseTimeIsUp(t *testing.T) {
	w := testkit.NewWorld(t)
	m, sender := sending(t, w)
	ctx, cancel := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer cancel()
	require.Error(t, sender.Work(ctx, &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: m.ID}}))
	assert.Equal(t, "queued", w.Ask("SELECT state FROM messages WHERE id = ?", m.ID))
	assert.NotEmpty(t, w.Ask("SELECT problem FROM messages WHERE id = ?", m.ID))
}

// A copy that starts while another is sending leaves that message alone; and an attempt that was given up by age, and
// ends anyway, does not undo what a person has decided meanwhile.
func TestAnotherCopyStartsWhileMailIsOnItsWay(t *testing.T) {
	w := testkit.NewWorld(t)
	m, sender := sending(t, w)
	ended := make(chan error)
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 1500*time.Millisecond)
		defer cancel()
		ended <- sender.Work(ctx, &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: m.ID}})
	}()
	state := func() string { return w.Ask("SELECT state FROM messages WHERE id = ?", m.ID) }
	require.Eventually(t, func() bool { return state() == "sending" }, time.Second, 5*time.Millisecond)
	reclaim := func() {
		require.NoError(
			t,
			(&notices.Reclaimer{House: w.House}).Work(context.Background(), &river.Job[notices.ReclaimArgs]{}),
		)
	}
	reclaim()
	assert.Equal(t, "sending", state())
	w.Set("UPDATE messages SET begun_at = begun_at - interval '10 minutes'")
	reclaim()
	assert.Equal(t, "unclear", state())
	testkit.Done(
		t,
		w.House,
		w.Staff(role.Supervisor, "HVH"),
		func(a *act.Act) error { return notices.Settle(a, m.ID, false) },
	)
	require.Error(t, <-ended)
	assert.Equal(t, "sent", state(), "the person said it went")
	assert.Equal(t, "message_settled", w.Ask("SELECT kind FROM events WHERE message_id = ?", m.ID))
}
