package notices_test

import (
	"fmt"
	"net"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/night"
	"nevrin/app/notices"
	"nevrin/app/outside"
	"nevrin/app/returns"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/plan"
	"nevrin/core/role"
	"nevrin/standin"
	"nevrin/store"
	"nevrin/testkit"
)

// telling is a network in which something was lent on 6 October 2026 and is due on 27 October.
type telling struct {
	*testkit.World
	t    *testing.T
	boss act.Actor
	mail *standin.Mail
	seen int // letters that were looked at
}

func newTelling(t *testing.T) *telling {
	t.Helper()
	w := testkit.NewWorld(t)
	from(w, "library@post.invalid")
	mail, err := standin.NewMail(t.TempDir())
	require.NoError(t, err)
	smtp, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	page, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go mail.Serve(t.Context(), smtp, page)
	w.House.Mail = outside.MailServer{Host: "127.0.0.1", Port: smtp.Addr().(*net.TCPAddr).Port}
	return &telling{w, t, w.Staff(role.Supervisor, "HVH"), mail, 0}
}

// reader gives somebody with an email address.
func (w *telling) reader(email string) int64 {
	p := w.Patron("HVH")
	w.Set("UPDATE patrons SET email = ?, address = '1 Quay Street' WHERE id = ?", email, p)
	return p
}

func (w *telling) lend(p int64) string {
	_, items := w.Title("HVH")
	r := testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (*desk.Result, error) {
		return desk.Lend(a, desk.Lending{Item: items[0], Patron: p})
	})
	require.Equal(w.t, "lent", r.Kind, r.Text)
	return items[0]
}

// night lets days go by and the nights be done.
func (w *telling) night(days int) {
	w.Later(time.Duration(days) * 24 * time.Hour)
	require.NoError(w.t, night.Up(w.t.Context(), w.House, w.today()))
}

func (w *telling) today() calendar.Date {
	return testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (calendar.Date, error) { return a.Today(), nil })
}

func (w *telling) trial(code string) int64 {
	return w.number("SELECT coalesce(max(id), 0) FROM mailings WHERE state = 'trial' AND plan = ?", code)
}

func (w *telling) number(query string, args ...any) int64 {
	n, err := strconv.ParseInt(w.Ask(query, args...), 10, 64)
	require.NoError(w.t, err)
	return n
}

// send sends runs and makes their messages.
func (w *telling) send(runs ...int64) {
	testkit.Done(w.t, w.House, w.boss, func(a *act.Act) error { return notices.Send(a, runs) })
	for _, id := range runs {
		w.compose(id)
	}
}

func (w *telling) compose(id int64) {
	job := &river.Job[notices.ComposeArgs]{Args: notices.ComposeArgs{Run: id}}
	for range 3 {
		require.NoError(w.t, (&notices.Composer{House: w.House}).Work(w.t.Context(), job))
	}
}

// leave lets every message leave that is queued, and gives what the mail server took.
func (w *telling) leave() []standin.Letter {
	sender := &notices.Sender{House: w.House}
	for _, id := range strings.Fields(w.Ask("SELECT coalesce(string_agg(id::text, ' ' ORDER BY id), '') FROM messages WHERE state = 'queued'")) {
		n, err := strconv.ParseInt(id, 10, 64)
		require.NoError(w.t, err)
		require.NoError(w.t, sender.Work(w.t.Context(), &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: n}}))
	}
	letters, err := w.mail.Letters()
	require.NoError(w.t, err)
	letters = letters[:len(letters)-w.seen] // the newest come first
	slices.Reverse(letters)
	w.seen += len(letters)
	return letters
}

func (w *telling) bring(item string) {
	run := testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (*returns.Run, error) { return returns.Open(a, "patron", "") })
	testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (*returns.Change, error) { return returns.Scan(a, run.ID, item) })
}

func (w *telling) keep(code string, change func(*plan.Plan)) {
	testkit.Do(w.t, w.House, w.boss, func(a *act.Act) (*upkeep.Kept, error) {
		p := *a.Network.Plans[code]
		change(&p)
		all, err := upkeep.Tellings(a)
		require.NoError(w.t, err)
		for _, one := range all.Plans {
			if one.Key == code {
				return upkeep.Put(a, "plan", code, one.Seen, p)
			}
		}
		return nil, fmt.Errorf("no plan %s", code)
	})
}

// What came back after the trial run is not told any more, also where that happened after it was sent and before it left.
func TestWhatCameBackIsNotTold(t *testing.T) {
	w := newTelling(t)
	one, two := w.reader("ada@post.invalid"), w.reader("bo@post.invalid")
	only := w.lend(one)
	first, second := w.lend(two), w.lend(two)
	w.night(24) // three days late
	id := w.trial("overdue")
	w.bring(only) // before it is sent
	w.send(id)
	w.bring(first) // and after
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Equal(t, "<bo@post.invalid>", letters[0].To)
	assert.Contains(t, letters[0].Body, second)
	assert.NotContains(t, letters[0].Body, first)
	assert.Equal(t, "Please return an item", letters[0].Subject)
	assert.Equal(t, "overtaken Returned in the meantime", w.Ask("SELECT state || ' ' || problem FROM messages WHERE patron_id = ?", one))
	assert.Equal(t, "2", w.Ask("SELECT count(*) FROM notices WHERE state = 'overtaken' AND reason = 'Returned in the meantime'"))
}

// An email says what it is about: title, author, number, when it was due and where, what is owed, where to renew, and the branch.
func TestWhatAnEmailSays(t *testing.T) {
	w := newTelling(t)
	w.Set(`UPDATE network SET settings = settings || '{"notices": {"page": "https://library.example/mine"}}'`)
	w.Set("UPDATE branches SET phones = '{555 0100}', address = '1 Quay Street' WHERE code = 'HVH'")
	p := w.reader("ada@post.invalid")
	item := w.lend(p)
	w.Set("UPDATE titles SET name = 'The tide tables', author = 'Rowan Ferrier'")
	w.Set("INSERT INTO ledger (patron_id, kind, amount, about, reason, at, branch_code) VALUES (?, 'charge', 450, 'manual', 'Bag', now(), 'HVH')", p)
	w.night(24)
	w.send(w.trial("overdue"))
	letters := w.leave()
	require.Len(t, letters, 1)
	for _, says := range []string{"The tide tables, Rowan Ferrier", item, "due Tue 27 Oct 2026", "$4.50", "https://library.example/mine", "555 0100", "1 Quay Street"} {
		assert.Contains(t, letters[0].Body, says)
	}
}

// Several runs that are sent together are one message to each person, kind by kind.
func TestOneMessageForAllOfADay(t *testing.T) {
	w := newTelling(t)
	w.keep("before_due", func(p *plan.Plan) { p.Active = true })
	p := w.reader("ada@post.invalid")
	late := w.lend(p)
	w.night(22) // 28 October
	soon := w.lend(p)
	w.Set("UPDATE loans SET due_date = '2026-11-01' WHERE item_id = (SELECT id FROM items WHERE barcode = ?)", soon)
	w.night(2) // 30 October: one is three days late, one is due in two
	w.send(w.trial("overdue"), w.trial("before_due"))
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Less(t, strings.Index(letters[0].Body, soon), strings.Index(letters[0].Body, late), "what is due soon comes first")
	assert.Contains(t, letters[0].Subject, "2 items")
	assert.Equal(t, "2", w.Ask("SELECT count(*) FROM notices WHERE state = 'told'"))
}

// Nobody is told twice: not by the same night again, not by another plan, and not after some nights are caught up at once.
func TestNobodyIsToldTwice(t *testing.T) {
	w := newTelling(t)
	p := w.reader("ada@post.invalid")
	w.lend(p)
	w.night(24)
	w.send(w.trial("overdue"))
	require.Len(t, w.leave(), 1)
	w.night(5)
	assert.Zero(t, w.trial("overdue"))
	testkit.Do(t, w.House, w.boss, func(a *act.Act) (*upkeep.Kept, error) {
		p := *a.Network.Plans["overdue"]
		p.Name, p.Position = "Overdue, everybody again", 1
		return upkeep.AddPlan(a, p)
	})
	w.night(1)
	assert.Equal(t, "1", w.Ask("SELECT count(*) FROM notices"), "another plan of the kind tells nothing again")
	w.night(20) // the second stage came while nobody looked
	assert.Equal(t, "1", w.Ask("SELECT count(*) FROM notices WHERE state = 'trial' AND stage = 1"))
	assert.Equal(t, "2", w.Ask("SELECT count(*) FROM notices"))
}

// A clock that is set back an hour, over midnight, tells nobody again of what they were told, and loses nothing that comes meanwhile.
func TestClockSetBack(t *testing.T) {
	w := newTelling(t)
	w.keep("owed", func(p *plan.Plan) { p.Active = true })
	p, other := w.reader("ada@post.invalid"), w.reader("bo@post.invalid")
	w.Set("UPDATE patrons SET balance = 5000 WHERE id = ?", p)
	w.lend(p)
	w.Later(-(8*time.Hour + 42*time.Minute)) // 00:30
	w.night(24)
	w.send(w.trial("overdue"), w.trial("owed"))
	require.Len(t, w.leave(), 1, "one message of all")
	told := w.Ask("SELECT string_agg(concat_ws(' ', kind, stage, state), ', ' ORDER BY kind) FROM notices")
	day := w.today()
	setBack := func() { // nothing is done for ten minutes, or until the program is started again; then the earlier time counts
		w.Later(-time.Hour)
		_, err := testkit.Try(w.House, w.boss, func(*act.Act) (bool, error) { return true, nil })
		require.ErrorContains(t, err, "set back by 1h")
		w.House = &act.House{Store: w.House.Store, Mail: w.House.Mail, Outside: w.House.Outside}
	}
	setBack()
	require.Equal(t, day.Add(-1), w.today())
	again := func() {
		require.NoError(t, night.Up(t.Context(), w.House, w.today()))
		for _, part := range notices.Parts {
			testkit.Do(t, w.House, w.boss, func(a *act.Act) (int64, error) { return notices.WorkOut(a, part, a.Today(), 0) })
		}
		assert.Equal(t, "0", w.Ask("SELECT count(*) FROM mailings WHERE state = 'trial' AND id IN (SELECT mailing_id FROM notices)"))
	}
	again()
	title, items := w.Title("HVH") // a hold that becomes ready in the hour that comes twice
	w.awaits(other, title)
	w.bring(items[0])
	gathered := func() {
		require.NoError(t, (&notices.Gatherer{House: w.House}).Work(t.Context(), &river.Job[notices.GatherArgs]{Args: notices.GatherArgs{Patron: other, Channel: person.ByMail}}))
	}
	w.Later(time.Hour)
	gathered()
	again()
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Equal(t, "<bo@post.invalid>", letters[0].To)
	setBack()
	gathered()
	again()
	assert.Empty(t, w.leave())
	assert.Equal(t, told, w.Ask("SELECT string_agg(concat_ws(' ', kind, stage, state), ', ' ORDER BY kind) FROM notices WHERE recipient_id = ?", p))
}

// Who is left out with a reason comes up again with the next night; taken in again, they are told.
func TestLeftOut(t *testing.T) {
	w := newTelling(t)
	one, two := w.reader("ada@post.invalid"), w.reader("bo@post.invalid")
	w.lend(one)
	w.lend(two)
	w.night(24)
	id := w.trial("overdue")
	leave := func(p int64, out bool) {
		testkit.Done(t, w.House, w.boss, func(a *act.Act) error {
			return notices.LeaveOut(a, id, notices.LeavingOut{Recipient: p, Channel: "mail", Out: out, Reason: "In hospital"})
		})
	}
	leave(one, true)
	leave(two, true)
	leave(two, false)
	people := testkit.Do(t, w.House, w.boss, func(a *act.Act) ([]notices.InRun, error) {
		list, _, err := notices.People(a, id, notices.Which{}, store.Page{})
		return list, err
	})
	require.Len(t, people, 2)
	assert.Equal(t, []string{"left_out", "In hospital", "trial"}, []string{people[0].State, people[0].Reason, people[1].State})
	w.send(id)
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Equal(t, "<bo@post.invalid>", letters[0].To)
	w.night(1)
	assert.Equal(t, "1", w.Ask("SELECT count(*) FROM notices WHERE state = 'trial'"))
	_, err := act.Do(t.Context(), w.House, w.boss, "", nil, func(a *act.Act) (bool, error) { return true, notices.Send(a, []int64{id}) })
	assert.ErrorContains(t, err, "no longer a trial run")
}

// A run that is stopped sends nothing until it is sent on, and then each message once.
func TestStoppedAndSentOn(t *testing.T) {
	w := newTelling(t)
	for k := range 3 {
		w.lend(w.reader(fmt.Sprintf("reader%d@post.invalid", k)))
	}
	w.night(24)
	id := w.trial("overdue")
	w.send(id)
	testkit.Done(t, w.House, w.boss, func(a *act.Act) error { return notices.Stop(a, id) })
	assert.Empty(t, w.leave())
	testkit.Done(t, w.House, w.boss, func(a *act.Act) error { return notices.GoOn(a, id) })
	w.compose(id)
	assert.Len(t, w.leave(), 3)
	assert.Empty(t, w.leave())
	assert.Equal(t, "sent 3", w.Ask("SELECT state || ' ' || messages FROM mailings"))
}

// A trusted plan goes out by itself while its numbers are as usual, and waits for a look where they are not.
func TestTrustedPlans(t *testing.T) {
	w := newTelling(t)
	w.keep("overdue", func(p *plan.Plan) { p.Trusted = true })
	w.Set("INSERT INTO mailings (plan, day, state, messages) SELECT 'overdue', date '2026-10-20' + n, 'sent', 12 FROM generate_series(0, 4) n")
	lendMany := func(n int) {
		for range n {
			w.lend(w.reader("ada@post.invalid"))
		}
	}
	lendMany(11)
	w.Later(24 * time.Hour)
	lendMany(37)
	w.night(23)
	assert.Equal(t, "sending", w.Ask("SELECT state FROM mailings WHERE day = '2026-10-30'"))
	w.night(1)
	assert.Equal(t, "trial", w.Ask("SELECT state FROM mailings WHERE day = '2026-10-31'"))
	shown := testkit.Do(t, w.House, w.boss, func(a *act.Act) (notices.Overview, error) { return notices.Look(a, store.Page{}) })
	assert.Equal(t, "More than three times as many as usual", shown.Runs[0].Why.Result)
	assert.Equal(t, 37, shown.Runs[0].People)
}

// Who is told by whom: staff by their own plan, a child's guardian, and by the second way who has no email.
func TestWhoIsTold(t *testing.T) {
	w := newTelling(t)
	w.Set("INSERT INTO classes (kind, code, name, position) VALUES ('patron', 'child', 'Child', 9), ('patron', 'school', 'School', 10)")
	w.keep("overdue", func(p *plan.Plan) { p.Position = 5; p.Ways = []person.Way{person.ByMail, person.ByLetter} })
	testkit.Do(t, w.House, w.boss, func(a *act.Act) (*upkeep.Kept, error) {
		p := *a.Network.Plans["overdue"]
		p.Name, p.Position, p.For.Classes, p.To = "Overdue, children", 1, []string{"child"}, plan.ToGuardian
		return upkeep.AddPlan(a, p)
	})
	testkit.Do(t, w.House, w.boss, func(a *act.Act) (*upkeep.Kept, error) {
		p := *a.Network.Plans["overdue"]
		p.Name, p.Position, p.For.Classes, p.To = "Overdue, schools", 2, []string{"school"}, plan.ToGuardian
		return upkeep.AddPlan(a, p)
	})
	child, guardian, poor := w.reader(""), w.reader("ada@post.invalid"), w.reader("")
	school, contact := w.reader("office@post.invalid"), w.reader("bo@post.invalid")
	w.Set("UPDATE patrons SET class = 'school', institution = true, guardian_id = ? WHERE id = ?", contact, school)
	w.Set("UPDATE patrons SET class = 'child', guardian_id = ? WHERE id = ?", guardian, child)
	w.lend(child)
	w.lend(poor)
	w.lend(school)
	w.night(30)
	rows := w.Ask("SELECT string_agg(concat_ws(' ', plan, patron_id, recipient_id, channel), ', ' ORDER BY patron_id) FROM notices")
	assert.Equal(t, fmt.Sprintf("overdue_children %d %d mail, overdue %d %d letter, overdue_schools %d %d mail", child, guardian, poor, poor, school, contact), rows)
	w.send(w.trial("overdue_children"), w.trial("overdue"))
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Contains(t, letters[0].Body, ", for ")
	assert.Equal(t, "by_hand", w.Ask("SELECT state FROM messages WHERE channel = 'letter'"))
}

// What will be sent in the week is what the nights of that week then find, where nothing comes back.
func TestWeek(t *testing.T) {
	w := newTelling(t)
	w.keep("before_due", func(p *plan.Plan) { p.Active = true })
	for range 3 {
		w.lend(w.reader("ada@post.invalid"))
	}
	w.night(17) // 23 October: due in four days
	week := testkit.Do(t, w.House, w.boss, notices.Week)
	assert.Equal(t, []notices.Coming{{Plan: "before_due", Days: []int{0, 3, 0, 0, 0, 0, 0}}, {Plan: "overdue", Days: []int{0, 0, 0, 0, 0, 0, 3}}}, week)
	for range 7 {
		w.night(1)
	}
	assert.Equal(t, "before_due 2026-10-25 3, overdue 2026-10-30 3", w.Ask(`SELECT string_agg(concat_ws(' ', m.plan, m.day, n.n), ', ' ORDER BY m.day)
		FROM mailings m JOIN (SELECT mailing_id, count(*) AS n FROM notices GROUP BY 1) n ON n.mailing_id = m.id`))
}

// Letters come in postal order with the text of the moment; what came back meanwhile is not printed, and what was posted is kept as it was.
func TestLetters(t *testing.T) {
	w := newTelling(t)
	w.keep("overdue", func(p *plan.Plan) { p.Ways = []person.Way{person.ByLetter} })
	var items []string
	for k, code := range []string{"B0A 1E5", "B0A 1A1", "B0A 1C3"} {
		p := w.reader("")
		w.Set("UPDATE patrons SET postal_code = ?, town = 'Quarrow', address = '1 Quay Street, Quarrow', legal_name = ? WHERE id = ?", code, fmt.Sprintf("Reader %d", k), p)
		items = append(items, w.lend(p))
	}
	w.night(24)
	w.send(w.trial("overdue"))
	w.bring(items[2])
	look := func() []notices.Letter {
		return testkit.Do(t, w.House, w.boss, func(a *act.Act) ([]notices.Letter, error) { return notices.Letters(a, "HVH") })
	}
	letters := look()
	require.Len(t, letters, 2)
	w.night(1)
	assert.Equal(t, "by_hand 2, overtaken 1", w.Ask("SELECT string_agg(state || ' ' || n, ', ' ORDER BY state) FROM (SELECT state, count(*) AS n FROM messages GROUP BY 1) s"))
	assert.Equal(t, []string{"Reader 1", "1 Quay Street", "B0A 1A1 Quarrow"}, letters[0].To, "the town once")
	assert.Equal(t, []string{"Reader 0", "1 Quay Street", "B0A 1E5 Quarrow"}, letters[1].To)
	assert.Contains(t, letters[1].Body, items[0])
	post := func() error {
		_, err := testkit.Try(w.House, w.boss, func(a *act.Act) (int, error) { return notices.Posted(a, []int64{letters[0].Message}) })
		return err
	}
	require.NoError(t, post())
	require.ErrorContains(t, post(), "no longer wait")
	assert.Len(t, look(), 1)
	assert.Contains(t, w.Ask("SELECT body FROM messages WHERE state = 'sent'"), items[1])
}

// An email that is refused for good goes by the next way of its plan, which stands beside it; where there is none, somebody looks at it.
func TestRefusedGoesByTheNextWay(t *testing.T) {
	w := newTelling(t)
	w.lend(w.reader("ada@post.invalid"))
	none := w.reader("bo@post.invalid")
	w.Set("UPDATE patrons SET address = '' WHERE id = ?", none)
	w.lend(none)
	w.night(24)
	w.send(w.trial("overdue"))
	server := newMoody(t)
	server.rcpt = "550 no such user"
	w.House.Mail = outside.MailServer{Host: "127.0.0.1", Port: server.port}
	assert.Empty(t, w.leave())
	assert.Equal(t, "letter by_hand, mail refused", w.Ask("SELECT string_agg(channel || ' ' || state, ', ' ORDER BY channel) FROM messages"))
	letters := testkit.Do(t, w.House, w.boss, func(a *act.Act) ([]notices.Letter, error) { return notices.Letters(a, "") })
	require.Len(t, letters, 1)
	assert.Contains(t, w.Ask("SELECT problem FROM messages WHERE channel = 'letter'"), "By email it was refused: ")
}

// What is approved in a run that is stopped does not go out with another one.
func TestStoppedRunsStayStopped(t *testing.T) {
	w := newTelling(t)
	w.keep("before_due", func(p *plan.Plan) { p.Active = true })
	p := w.reader("ada@post.invalid")
	late := w.lend(p)
	w.night(22)
	soon := w.lend(p)
	w.Set("UPDATE loans SET due_date = '2026-11-01' WHERE item_id = (SELECT id FROM items WHERE barcode = ?)", soon)
	w.night(2)
	one, two := w.trial("overdue"), w.trial("before_due")
	testkit.Done(t, w.House, w.boss, func(a *act.Act) error { return notices.Send(a, []int64{one, two}) })
	testkit.Done(t, w.House, w.boss, func(a *act.Act) error { return notices.Stop(a, one) })
	w.compose(two)
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Contains(t, letters[0].Body, soon)
	assert.NotContains(t, letters[0].Body, late)
	testkit.Done(t, w.House, w.boss, func(a *act.Act) error { return notices.GoOn(a, one) })
	w.compose(one)
	letters = w.leave()
	require.Len(t, letters, 1)
	assert.Contains(t, letters[0].Body, late)
}

// What the mail server did not take at first is looked at again before it is tried again: in between, the item came back.
func TestRetriesAreLookedAtAgain(t *testing.T) {
	w := newTelling(t)
	p := w.reader("ada@post.invalid")
	first, second := w.lend(p), w.lend(p)
	w.night(24)
	w.send(w.trial("overdue"))
	to := w.House.Mail
	server := newMoody(t)
	server.rcpt = "451 later"
	w.House.Mail = outside.MailServer{Host: "127.0.0.1", Port: server.port}
	sender, message := &notices.Sender{House: w.House}, w.number("SELECT id FROM messages")
	try := func() error {
		return sender.Work(t.Context(), &river.Job[notices.SendArgs]{Args: notices.SendArgs{Message: message}})
	}
	require.Error(t, try())
	w.bring(first)
	require.Error(t, try())
	assert.NotContains(t, w.Ask("SELECT body FROM messages"), first)
	w.bring(second)
	w.House.Mail = to
	assert.Empty(t, w.leave())
	assert.Equal(t, "overtaken Returned in the meantime", w.Ask("SELECT state || ' ' || problem FROM messages"))
}

// A receipt goes by email, as was asked, whatever way somebody chose for what is overdue; where no plan sends it, that is said.
func TestReceiptsGoByEmail(t *testing.T) {
	w := newTelling(t)
	p := w.reader("ada@post.invalid")
	w.Set(`UPDATE patrons SET phone = '555 0100', notices = '{"overdue": "phone"}' WHERE id = ?`, p)
	w.lend(p)
	mail := func() error {
		_, err := testkit.Try(w.House, w.boss, func(a *act.Act) (bool, error) { return true, desk.MailLent(a, p, time.Time{}) })
		return err
	}
	require.NoError(t, mail())
	assert.Equal(t, "mail gathering", w.Ask("SELECT channel || ' ' || state FROM messages"))
	w.keep("receipt", func(p *plan.Plan) { p.Active = false })
	assert.ErrorContains(t, mail(), "No plan sends receipts")
}

// A run that is set for a time is sent by itself when it has come, once, whatever copies of the program look; what came back by then is not told.
func TestRunsAreSentAtATime(t *testing.T) {
	w := newTelling(t)
	one, two := w.reader("ada@post.invalid"), w.reader("bo@post.invalid")
	back := w.lend(one)
	w.lend(two)
	w.night(24)
	id := w.trial("overdue")
	later := func(at string) error {
		_, err := testkit.Try(w.House, w.boss, func(a *act.Act) (bool, error) { return true, notices.SendLater(a, id, notices.SendingLater{At: at}) })
		return err
	}
	require.ErrorContains(t, later("2026-10-30T08:00"), "is over")
	require.ErrorContains(t, later("2026-12-30T08:00"), "within 7 days")
	require.ErrorContains(t, later("tomorrow"), "expected")
	require.NoError(t, later("2026-10-30T18:00"))
	due := func() {
		for range 2 {
			require.NoError(t, (&notices.Dispatcher{House: w.House}).Work(t.Context(), nil))
		}
	}
	due()
	assert.Equal(t, "trial", w.Ask("SELECT state FROM mailings WHERE id = ?", id))
	w.bring(back)
	w.Later(9 * time.Hour)
	due()
	w.compose(id)
	letters := w.leave()
	require.Len(t, letters, 1)
	assert.Equal(t, "<bo@post.invalid>", letters[0].To)
	assert.Equal(t, "1", w.Ask("SELECT count(*) FROM events WHERE kind = 'mailing_sent'"))
	require.ErrorContains(t, later("2026-10-31T18:00"), "no longer a trial run")
}
