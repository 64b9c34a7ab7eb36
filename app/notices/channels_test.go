package notices_test

import (
	"context"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/http/httptest"
	"net/mail"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"nevrin/app/act"
	"nevrin/app/holds"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/app/people"
	"nevrin/app/sweeps"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/formats/sms"
	"nevrin/standin"
	"nevrin/store/sweepsdb"
	"nevrin/testkit"
)

// texting gives the network a text gateway.
func (w *telling) texting() *standin.Phones {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(w.t, err)
	phones := standin.NewPhones()
	phones.Slow = 0
	go phones.Serve(w.t.Context(), l)
	w.House.Outside = outside.Reach{Loopback: true}
	w.House.Texts = sms.Gateway{Base: "http://" + l.Addr().String() + "/messaging/v1", User: "library", Password: "secret"}
	w.Set(`UPDATE network SET settings = settings || '{"notices": {"text_sender": "+19025550100", "country": "CA", "languages": ["en", "fr"]}}'`)
	return phones
}

func (w *telling) ask() {
	require.NoError(w.t, (&notices.Asker{House: w.House}).Work(w.t.Context(), &river.Job[notices.AskArgs]{}))
}

// A text message goes to the number with its country, short enough for one message, and arrives as the gateway says; asked again with the same
// key, the gateway sends it to nobody twice.
func TestTextMessages(t *testing.T) {
	w := newTelling(t)
	phones := w.texting()
	p := w.reader("ada@post.invalid")
	w.Set(`UPDATE patrons SET text_number = '902 555 0134', notices = '{"overdue": "text"}' WHERE id = ?`, p)
	for range 4 {
		w.lend(p)
	}
	w.Set("UPDATE titles SET name = 'A very long title of a book about the tides of the sound and its islands ' || id")
	w.night(24)
	w.send(w.trial("overdue"))
	assert.Empty(t, w.leave(), "no email")
	texts := phones.Texts()
	require.Len(t, texts, 1)
	assert.Equal(t, "+19025550134", texts[0].To)
	assert.Equal(t, "A small world: Overdue: A very long title of a book.., A very long title of a book.. and 2 more. Please return.", texts[0].Message)
	assert.Equal(t, 1, sms.Count(texts[0].Message).Parts)
	state := func() string { return w.Ask("SELECT state || ' ' || (delivered_at IS NOT NULL) FROM messages") }
	assert.Equal(t, "sent false", state())
	w.ask()
	assert.Equal(t, "sent true", state())

	// One that the gateway does not know any more does not stand in the way of others.
	w.Set(`INSERT INTO messages (kind, patron_id, address, subject, body, items, state, at, sent_at, channel, gateway)
		VALUES ('overdue', ?, '902 555 0135', '', 'y', 1, 'sent', now(), (SELECT shows FROM training_clock), 'text', ?)`, p, w.House.Texts.Base+"/outbound/x/requests/99")
	w.Set("UPDATE messages SET delivered_at = NULL")
	w.ask()
	w.ask()
	assert.Equal(t, "1", w.Ask("SELECT count(*) FROM messages WHERE delivered_at IS NOT NULL"))
	w.Set("DELETE FROM messages WHERE address = '902 555 0135'")

	w.Set("UPDATE messages SET state = 'queued', delivered_at = NULL") // as if its answer had been lost
	w.leave()
	assert.Len(t, phones.Texts(), 1, "once, by its key")
}

// A phone that is switched off for good: the message goes by the next channel of its plan. A number that is none does so at once.
func TestTextsThatDoNotArrive(t *testing.T) {
	for name, number := range map[string]string{"switched off": "902 555 0100", "no number": "ask at the desk"} {
		t.Run(name, func(t *testing.T) {
			w := newTelling(t)
			w.texting()
			w.keep("overdue", func(p *plan.Plan) { p.Ways = []person.Way{person.ByText, person.ByMail} })
			p := w.reader("ada@post.invalid")
			w.Set("UPDATE patrons SET text_number = ? WHERE id = ?", number, p)
			item := w.lend(p)
			w.night(24)
			w.send(w.trial("overdue"))
			w.leave()
			w.ask()
			letters := w.leave()
			require.Len(t, letters, 1)
			assert.Contains(t, letters[0].Body, item, "as an email, in its own words")
			assert.Equal(t, "sent mail", w.Ask("SELECT state || ' ' || channel FROM messages"))
		})
	}
}

// A gateway that is down, or refuses us, is tried again; nobody is reached by text while none is there.
func TestGatewayDown(t *testing.T) {
	w := newTelling(t)
	w.texting()
	status := atomic.Int32{}
	status.Store(http.StatusServiceUnavailable)
	gateway := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(int(status.Load())) }))
	t.Cleanup(gateway.Close)
	w.House.Texts.Base = gateway.URL
	p := w.reader("")
	w.Set("UPDATE patrons SET text_number = '902 555 0134', notices = '{\"overdue\": \"text\"}' WHERE id = ?", p)
	w.lend(p)
	w.night(24)
	w.send(w.trial("overdue"))
	id := w.number("SELECT id FROM messages")
	sender := &notices.Sender{House: w.House}
	for _, code := range []int{http.StatusServiceUnavailable, http.StatusUnauthorized, http.StatusTooManyRequests} {
		status.Store(int32(code)) //nolint:gosec // a status of HTTP
		require.Error(t, sender.Work(t.Context(), &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: id}}))
		assert.Equal(t, "queued", w.Ask("SELECT state FROM messages"), code)
	}
	status.Store(http.StatusBadRequest)
	require.NoError(t, sender.Work(t.Context(), &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: id}}))
	assert.Equal(t, "letter", w.Ask("SELECT channel FROM messages"), "refused for good: the next channel")
	w.House.Texts = sms.Gateway{}
	w.lend(p)
	w.night(24)
	assert.Equal(t, "letter", w.Ask("SELECT channel FROM notices WHERE state = 'trial'"))
}

// An email that came back: the report of RFC 3464 marks the address on the record, and the message goes by letter. A report that says so again
// changes nothing; email to a new address goes again.
func TestEmailThatCameBack(t *testing.T) {
	w := newTelling(t)
	p := w.reader("ada@post.invalid")
	w.lend(p)
	w.night(24)
	w.send(w.trial("overdue"))
	require.Len(t, w.leave(), 1)
	returned := standin.Returned(mail.Header{
		"To": {"<ada@post.invalid>"}, "Message-Id": {fmt.Sprintf("<message-%d@post.invalid>", w.number("SELECT id FROM messages"))},
	})
	report := func(text string) int {
		return testkit.Do(t, w.House, act.Machine, func(a *act.Act) (int, error) { return notices.Reported(a, strings.NewReader(text)) })
	}
	assert.Equal(t, 0, report(strings.Replace(returned, "Action: failed", "Action: delayed", 1)))
	assert.Equal(t, "sent", w.Ask("SELECT state FROM messages"))
	assert.Equal(t, 1, report(returned))
	assert.Equal(t, "letter by_hand By email it was refused: It came back: 550 5.1.1 There is nobody at this address",
		w.Ask("SELECT channel || ' ' || state || ' ' || problem FROM messages"))
	assert.Equal(t, "true", w.Ask("SELECT email_returned::text FROM patrons WHERE id = ?", p))
	assert.Equal(t, 0, report(returned), "the same report again")

	w.lend(p)
	w.night(24)
	assert.Equal(t, "letter", w.Ask("SELECT channel FROM notices WHERE state = 'trial' AND kind = 'overdue'"), "not to an address that does not work")
	_, err := testkit.Try(w.House, act.Machine, func(a *act.Act) (int, error) {
		return notices.Reported(a, strings.NewReader("Subject: I am away\n\nUntil Monday.\n"))
	})
	require.ErrorContains(t, err, "not a report of RFC 3464")
}

// A report that does not name the email is about the last one to its address, given up after days: the address may work tomorrow.
func TestReportWithoutItsEmail(t *testing.T) {
	w := newTelling(t)
	p := w.reader("Ada@post.invalid")
	w.lend(p)
	w.night(24)
	w.send(w.trial("overdue"))
	w.leave()
	text := strings.Replace(standin.Returned(mail.Header{"To": {"<ada@post.invalid>"}}), "Status: 5.1.1", "Status: 4.4.7", 1)
	assert.Equal(t, 1, testkit.Do(t, w.House, act.Machine, func(a *act.Act) (int, error) { return notices.Reported(a, strings.NewReader(text)) }))
	assert.Equal(t, "letter", w.Ask("SELECT channel FROM messages"))
	assert.Equal(t, "false", w.Ask("SELECT email_returned::text FROM patrons WHERE id = ?", p))
}

// raw gives the emails that the mail server has, as they are.
func (w *telling) raw(folder string) []*mail.Message {
	files, err := filepath.Glob(filepath.Join(folder, "*.eml"))
	require.NoError(w.t, err)
	var out []*mail.Message
	for _, name := range files {
		data, err := os.ReadFile(name)
		require.NoError(w.t, err)
		m, err := mail.ReadMessage(strings.NewReader(string(data)))
		require.NoError(w.t, err)
		out = append(out, m)
	}
	return out
}

// An email reads back with net/mail and mime as it was written: encoded words of RFC 2047, plain text and HTML that say the same, a Message-ID,
// and what keeps machines from answering (RFC 3834). Only notices that are optional have a link to opt out (RFC 2369, RFC 8058).
func TestEmailsReadBack(t *testing.T) {
	folder := t.TempDir()
	w := newTelling(t)
	box, err := standin.NewMail(folder)
	require.NoError(t, err)
	smtp, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	page, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go box.Serve(t.Context(), smtp, page)
	w.House.Mail.Port = smtp.Addr().(*net.TCPAddr).Port
	w.Set(`UPDATE network SET name = 'Bibliothèques de la Baie', settings = settings || '{"notices": {"page": "https://library.example/mine"}}'`)
	p := w.reader("ada@post.invalid")
	w.lend(p)
	w.Set("UPDATE titles SET name = 'Søren & <b>Großes</b> № 4', author = '\"Quoted\"'")
	w.night(24)
	w.send(w.trial("overdue"))
	w.leave()
	all := w.raw(folder)
	require.Len(t, all, 1)
	m := all[0]
	from, err := m.Header.AddressList("From")
	require.NoError(t, err)
	assert.Equal(t, "Bibliothèques de la Baie", from[0].Name)
	_, err = m.Header.Date()
	require.NoError(t, err)
	assert.Regexp(t, `^<message-\d+@post\.invalid>$`, m.Header.Get("Message-ID"))
	assert.Equal(t, "auto-generated", m.Header.Get("Auto-Submitted"))
	assert.Empty(t, m.Header.Get("List-Unsubscribe"), "everybody is told what is overdue")
	kind, params, err := mime.ParseMediaType(m.Header.Get("Content-Type"))
	require.NoError(t, err)
	require.Equal(t, "multipart/alternative", kind)
	parts := multipart.NewReader(m.Body, params["boundary"])
	var texts []string
	for {
		part, err := parts.NextRawPart()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		body, err := io.ReadAll(quotedprintable.NewReader(part))
		require.NoError(t, err)
		texts = append(texts, string(body))
	}
	require.Len(t, texts, 2)
	assert.Contains(t, texts[0], "  Søren & <b>Großes</b> № 4, \"Quoted\"")
	tree, err := html.Parse(strings.NewReader(texts[1]))
	require.NoError(t, err)
	says := strings.Join(strings.Fields(wordsOf(tree)), " ")
	assert.Contains(t, says, "Søren & <b>Großes</b> № 4", "what patrons' titles say is no HTML")
	for word := range strings.FieldsSeq(texts[0]) {
		assert.Contains(t, says, word, "the two say the same")
	}
	assert.Contains(t, texts[1], `href="https://library.example/mine"`)
	assert.Less(t, strings.Index(says, "Søren"), strings.Index(says, "Renew, and see"), "in the same order")
	assert.NotContains(t, texts[1], "<style", "old mail programs know none")
}

func wordsOf(n *html.Node) string {
	if n.Type == html.TextNode {
		return n.Data + " "
	}
	out := ""
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		out += wordsOf(c)
	}
	return out
}

// Who chose French is written to in French, with dates and sums in its manner; a wording without French is written in English.
func TestLanguages(t *testing.T) {
	w := newTelling(t)
	w.Set(`UPDATE network SET settings = settings || '{"notices": {"languages": ["en", "fr"], "country": "CA"}}'`)
	ada, bo := w.reader("ada@post.invalid"), w.reader("bo@post.invalid")
	w.Set("UPDATE patrons SET language = 'fr' WHERE id = ?", ada)
	w.Set("INSERT INTO ledger (patron_id, kind, amount, about, reason, at, branch_code) VALUES (?, 'charge', 450, 'manual', 'Bag', now(), 'HVH')", ada)
	w.lend(ada)
	w.lend(bo)
	w.night(24)
	w.send(w.trial("overdue"))
	letters := w.leave()
	require.Len(t, letters, 2)
	assert.Equal(t, "À rendre : un document", letters[0].Subject)
	assert.Contains(t, letters[0].Body, "à rendre le mar. 27 oct. 2026")
	assert.Contains(t, letters[0].Body, "Vous devez 4,50\u00a0$.")
	assert.Equal(t, "Please return an item", letters[1].Subject)

	w.Set(`UPDATE network SET settings = settings || '{"notices": {"languages": ["en"]}}', version = version + 1`)
	w.lend(ada)
	w.night(24)
	w.send(w.trial("overdue"))
	letters = w.leave()
	require.Len(t, letters, 1)
	assert.Equal(t, "Please return an item", letters[0].Subject, "the network has French no more")
}

// No wording that comes with Nevrin lacks a language, a text message or what is said on the telephone, and each is right.
func TestUsualWordingsAreComplete(t *testing.T) {
	for _, sort := range plan.Sorts {
		require.NotNil(t, notices.Usual(string(sort.Kind)), sort.Kind)
	}
	w := testkit.NewWorld(t)
	codes := testkit.Do(t, w.House, act.Machine, func(a *act.Act) ([]string, error) { return notices.Codes(a), nil })
	for _, code := range codes {
		wording := notices.Usual(code)
		require.NoError(t, notices.CheckWording(wording), code)
		for _, language := range []string{"en", "fr"} {
			text := wording.Texts[language]
			assert.NotEmpty(t, text.Short, "%s %s", code, language)
			assert.NotEmpty(t, text.Spoken, "%s %s", code, language)
			tried := testkit.Do(t, w.House, act.Machine, func(a *act.Act) (*notices.Tried, error) {
				return notices.Try(a, notices.Trying{Kind: wording.Kind, Language: language, Text: text})
			})
			assert.Empty(t, tried.Problem, code)
			assert.Equal(t, 1, tried.Length.Parts, "%s %s: %s", code, language, tried.Short)
		}
	}
}

// So many messages a minute leave, whatever waits.
func TestMessagesAMinute(t *testing.T) {
	w := newTelling(t)
	w.Set(`UPDATE network SET settings = settings || '{"notices": {"per_minute": 600}}'`)
	p := w.reader("ada@post.invalid")
	for range 6 {
		w.lend(p)
		w.Set(`INSERT INTO messages (kind, patron_id, address, subject, body, items, state, at, channel)
			VALUES ('overdue', ?, 'ada@post.invalid', 'x', 'y', 1, 'queued', now(), 'mail')`, p)
	}
	begun := time.Now()
	w.leave()
	assert.Greater(t, time.Since(begun), 450*time.Millisecond, "ten a second: five waits of a tenth")
	w.Set(`UPDATE network SET settings = settings || '{"notices": {"per_minute": 1}}', version = version + 1`)
	w.Set("UPDATE messages SET state = 'queued'")
	sender := &notices.Sender{House: w.House}
	id := w.number("SELECT min(id) FROM messages")
	work := func() error {
		return sender.Work(context.Background(), &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: id}})
	}
	require.NoError(t, work())
	var snoozed *river.JobSnoozeError
	require.ErrorAs(t, work(), &snoozed, "its turn is too far away to wait for")
	assert.Greater(t, snoozed.Duration, 30*time.Second)
}

// The kinds that are told as things happen, beside holds and receipts: each by its plan, once that is on, and in its own words.
func TestToldAsItHappens(t *testing.T) {
	w := newTelling(t)
	w.Set(`UPDATE network SET settings = settings || '{"notices": {"gather_minutes": 0}}'`)
	w.keep("renewal_refused", func(p *plan.Plan) { p.Active = true })
	w.keep("membership", func(p *plan.Plan) { p.Active = true })
	w.keep("ill_arrived", func(p *plan.Plan) { p.Active = true })
	p := w.reader("ada@post.invalid")
	leaves := func() string {
		require.NoError(t, (&notices.Gatherer{House: w.House}).Work(t.Context(), &river.Job[notices.GatherArgs]{Args: notices.GatherArgs{Patron: p, Channel: "mail"}}))
		letters := w.leave()
		require.Len(t, letters, 1)
		return letters[0].Subject
	}

	// A renewal in a batch, refused since somebody waits.
	item := w.lend(p)
	w.Set(`INSERT INTO holds (title_id, patron_id, pickup, placed_at, place) SELECT title_id, ?, 'SLM', '2026-10-06 12:00Z', 1 FROM items WHERE barcode = ?`,
		w.Patron("SLM"), item)
	s := testkit.Do(t, w.House, w.boss, func(a *act.Act) (*sweeps.Applied, error) {
		return sweeps.Apply(a, sweeps.Change{Kind: sweepsdb.Renewals, Which: sweeps.Which{Branches: []calendar.Code{"HVH"}}, Reason: "Storm"})
	})
	require.NoError(t, sweeps.Work(t.Context(), w.House, s.ID))
	assert.Equal(t, "Not renewed: an item", leaves())

	w.Set("UPDATE patrons SET card_until = '2026-10-10' WHERE id = ?", p)
	testkit.Do(t, w.House, w.boss, func(a *act.Act) (*people.Card, error) { return people.Extend(a, p) })
	assert.Contains(t, leaves(), "Your library card is valid until")

	title, items := w.Title("HVH")
	w.Set("UPDATE items SET material = 'interlibrary' WHERE barcode = ?", items[0])
	w.awaits(p, title)
	w.bring(items[0])
	assert.Contains(t, leaves(), "Arrived for you: ")
}

// awaits puts somebody into the queue of a title.
func (w *telling) awaits(patron, title int64) {
	testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Patron: patron, Title: title, Pickup: "HVH"})
	})
}

// A scan that puts something on the hold shelf tells by text message whoever wants that, and nobody by an email address that does not work.
func TestHoldsAreToldByTheirChannel(t *testing.T) {
	w := newTelling(t)
	phones := w.texting()
	w.keep("hold_ready", func(p *plan.Plan) { p.Ways = []person.Way{person.ByMail, person.ByLetter} })
	ada, bo := w.reader("ada@post.invalid"), w.reader("bo@post.invalid")
	w.Set(`UPDATE patrons SET text_number = '902 555 0134', notices = '{"hold_ready": "text"}' WHERE id = ?`, ada)
	w.Set("UPDATE patrons SET email_returned = true WHERE id = ?", bo)
	for patron, channel := range map[int64]string{ada: "text", bo: "letter"} {
		title, items := w.Title("HVH")
		w.awaits(patron, title)
		w.bring(items[0])
		assert.Equal(t, channel, w.Ask("SELECT channel FROM messages WHERE patron_id = ?", patron))
	}
	require.NoError(t, (&notices.Gatherer{House: w.House}).Work(t.Context(), &river.Job[notices.GatherArgs]{Args: notices.GatherArgs{Patron: ada, Channel: "text"}}))
	assert.Empty(t, w.leave())
	require.Len(t, phones.Texts(), 1)
	assert.Contains(t, phones.Texts()[0].Message, "Ready at Havenhead until")
}

// A text message that somebody sends again on purpose goes to the number that the patron has now, and is no repetition for the gateway.
func TestTextSentAgainOnPurpose(t *testing.T) {
	w := newTelling(t)
	phones := w.texting()
	w.keep("overdue", func(p *plan.Plan) { p.Ways = []person.Way{person.ByText} })
	p := w.reader("ada@post.invalid")
	w.Set("UPDATE patrons SET text_number = '902 555 0100' WHERE id = ?", p)
	w.lend(p)
	w.night(24)
	w.send(w.trial("overdue"))
	w.leave()
	w.ask()
	require.Equal(t, "refused", w.Ask("SELECT state FROM messages"), "there is no other channel")
	w.Set("UPDATE patrons SET text_number = '902 555 0134' WHERE id = ?", p)
	w.Later(time.Minute)
	testkit.Done(t, w.House, w.boss, func(a *act.Act) error { return notices.Settle(a, w.number("SELECT id FROM messages"), true) })
	w.leave()
	require.Len(t, phones.Texts(), 2)
	assert.Equal(t, "+19025550134", phones.Texts()[0].To)
}
