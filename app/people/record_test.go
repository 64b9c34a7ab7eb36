package people_test

import (
	"context"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/night"
	"nevrin/app/people"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/store"
	"nevrin/testkit"
)

// counter is a small world with somebody at its desk.
type counter struct {
	*testkit.World
	t    *testing.T
	here act.Actor
}

func newCounter(t *testing.T, r role.Role) *counter {
	t.Helper()
	w := testkit.NewWorld(t)
	return &counter{w, t, w.Staff(r, "HVH")}
}

func day(y int, m time.Month, d int) *calendar.Date { return new(calendar.MakeDate(y, m, d)) }

func tove() person.Record {
	return person.Record{
		LegalName: "Tove Marrin", Born: day(1984, 3, 9), Class: "adult", Branch: "HVH", Email: "tove@post.example",
		Phone: "902 555 0117", Address: "7 Net Loft Wharf", OtherPhones: []string{}, MayUse: []string{}, Marks: []string{},
	}
}

func (c *counter) join(r person.Record, with int64, anyway ...int64) (*people.Written, error) {
	return testkit.Try(c.House, c.here, func(a *act.Act) (*people.Written, error) {
		return people.Join(a, people.Joining{Record: r, With: with, Anyway: anyway})
	})
}

func (c *counter) change(w *people.Written, by func(*people.Changing)) (*people.Written, error) {
	ch := people.Changing{Record: w.Record, Revision: w.Revision}
	by(&ch)
	return testkit.Try(c.House, c.here, func(a *act.Act) (*people.Written, error) { return people.Change(a, w.Card.ID, ch) })
}

func (c *counter) note(kind string, loud bool) {
	c.Set("INSERT INTO choices (list, code, name, position, loud) VALUES ('note', ?, ?, 0, ?)", kind, kind, loud)
}

// Somebody is registered on the next free card, comes up by it at once, and the record says all that was written.
func TestJoining(t *testing.T) {
	c := newCounter(t, role.Desk)
	r := tove()
	r.MayUse, r.Guardian = []string{"Per Quill"}, 0
	w, err := c.join(r, 0)
	require.NoError(t, err)
	usual := ident.Usual("4321")
	assert.Equal(t, usual.Patterns[0].Number(1), w.Card.Card)
	assert.Equal(t, "T. MAR", w.Record.ShelfName[:6])
	assert.Equal(t, []string{"Per Quill"}, w.Card.MayUse)
	opened := testkit.Do(t, c.House, c.here, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: w.Card.Card}) })
	assert.Equal(t, w.Card.ID, opened.Card.ID)
	assert.Equal(t, []person.Field{person.Identity}, opened.Card.Missing, "details that are due are said at the scan")

	other := tove()
	other.LegalName, other.Email, other.Phone, other.Born = "Per Quill", "", "", day(1970, 1, 1)
	other.Card = usual.Patterns[0].Number(9)
	w, err = c.join(other, 0)
	require.NoError(t, err, "a card from the pile")
	assert.Equal(t, other.Card, w.Card.Card)
}

// What cannot be is said field by field, and nothing is kept.
func TestJoiningThatCannotBe(t *testing.T) {
	c := newCounter(t, role.Desk)
	usual := ident.Usual("4321")
	child := c.Patron("HVH")
	c.Set("UPDATE patrons SET born = '2015-01-01' WHERE id = ?", child)
	taken := c.Ask("SELECT card FROM patrons WHERE id = ?", child)
	good := usual.Patterns[0].Number(77)
	for _, one := range []struct {
		change func(*person.Record)
		says   string
	}{
		{func(r *person.Record) { r.LegalName = "" }, "legal name: Enter a name."},
		{func(r *person.Record) { r.Born = day(2027, 1, 1) }, "born: This birth date is in the future."},
		{func(r *person.Record) { r.Guardian = child }, "guardian: A guardian must be an adult; this patron is 11."},
		{func(r *person.Record) { r.Guardian = 1 << 40 }, "guardian: There is no such patron."},
		{func(r *person.Record) { r.Email = "tove" }, "email: "},
		{func(r *person.Record) { r.Address = "" }, "address: Required."},
		{func(r *person.Record) { r.Class = "wizard" }, "Choose a patron class that is offered here."},
		{func(r *person.Record) { r.Branch = "XXX" }, `Choose an open branch; found "XXX".`},
		{func(r *person.Record) { r.Branch = "" }, `Choose an open branch; found "".`},
		{func(r *person.Record) { r.Pickup = "XXX" }, `no branch "XXX"`},
		{func(r *person.Record) { r.Household = 1 << 40 }, "Add a household member from the record of somebody in it."},
		{func(r *person.Record) { r.Marks = []string{"Wizard"} }, `There is no tag "Wizard"`},
		{func(r *person.Record) { r.Card = taken }, "is already the card of"},
		{func(r *person.Record) { r.Card = good[:13] + string('0'+(good[13]-'0'+1)%10) }, "has a wrong check digit."},
		{func(r *person.Record) { r.Card = usual.Patterns[1].Number(5) }, "is the label of an item"},
		{func(r *person.Record) { r.Card = "salt" }, "is not a card number here."},
	} {
		r := tove()
		one.change(&r)
		_, err := c.join(r, 0)
		assert.ErrorContains(t, err, one.says)
	}
	assert.Equal(t, "1", c.Ask("SELECT count(*)::text FROM patrons"))
	assert.Equal(t, "0", c.Ask("SELECT count(*)::text FROM events WHERE kind = 'joined'"))
}

// A branch has cards of its own; a library outside has its people keep theirs; older numbers are read and no longer given.
func TestCardsOfBranchesAndLibraries(t *testing.T) {
	c := newCounter(t, role.Administrator)
	usual := ident.Usual("4321")
	n := ident.Numbers{Patterns: append([]ident.Pattern{
		{Name: "Saltmere", Of: ident.Card, Use: ident.Given, Branch: "SLM", Begins: "243215", Length: 14, Check: ident.Luhn},
		{Name: "Old", Of: ident.Card, Use: ident.Older, Begins: "77", Length: 8, Check: ident.Mod11},
		{Name: "Port Sabel", Of: ident.Card, Use: ident.Older, Library: "Port Sabel Public Library", Begins: "29911", Length: 13, Check: ident.NoCheck},
	}, usual.Patterns...)}
	testkit.Do(t, c.House, c.here, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Put(a, "numbers", "", 0, n) })
	r := tove()
	r.Card = n.Patterns[0].Number(3)
	_, err := c.join(r, 0)
	assert.ErrorContains(t, err, "is a card of another branch, SLM")
	r.Card = n.Patterns[1].Number(3)
	_, err = c.join(r, 0)
	assert.ErrorContains(t, err, "is an older number that is no longer issued.")
	scan := func(text string) *desk.Result {
		return testkit.Do(t, c.House, c.here, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: text}) })
	}
	r.Card = "2991104455667"
	assert.Contains(t, scan(r.Card).Text, "A card of Port Sabel Public Library")
	w, err := c.join(r, 0)
	require.NoError(t, err)
	assert.Equal(t, w.Card.ID, scan(r.Card).Card.ID)
	r = tove()
	r.LegalName, r.Branch, r.Email, r.Phone, r.Born = "Per Quill", "SLM", "", "", day(1970, 1, 1)
	w, err = c.join(r, 0)
	require.NoError(t, err)
	assert.Equal(t, n.Patterns[0].Number(1), w.Card.Card, "the next of Saltmere's own")

	// Another card: the one before says so, and comes back to nobody else.
	old := w.Card.Card
	card := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) {
		return people.Replace(a, w.Card.ID, people.Replacing{Why: "Lost on the ferry"})
	})
	assert.Equal(t, n.Patterns[0].Number(2), card.Card)
	assert.Contains(t, scan(old).Text, "This card has been replaced. Ask for the new one.")
	r.LegalName, r.Born, r.Card = "Ragna Dell", day(1990, 1, 1), old
	_, err = c.join(r, 0)
	assert.ErrorContains(t, err, "was somebody else’s card before. Use another.")
	assert.Error(t, c.Store.Gorm().Exec("UPDATE patrons SET card = ? WHERE legal_name = 'Tove Marrin'", old).Error, "the database holds that too")
}

// Who is nearly surely here already is not registered twice: not by mistake, and not by two stations at once.
func TestNobodyIsRegisteredTwice(t *testing.T) {
	c := newCounter(t, role.Desk)
	var all sync.WaitGroup
	errs := make([]error, 6)
	for k := range errs {
		all.Go(func() { _, errs[k] = c.join(tove(), 0) })
	}
	all.Wait()
	made := 0
	for _, err := range errs {
		if err == nil {
			made++
			continue
		}
		assert.ErrorContains(t, err, "Check that record, or confirm that this is a different person.")
	}
	assert.Equal(t, 1, made)
	c.Set("UPDATE patrons SET standing = 'inactive'")
	likely := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Known, error) {
		return people.Alike(a, person.Record{LegalName: "Tove Marin", Born: day(1984, 3, 9)}, "", 0)
	}).Likely
	require.Len(t, likely, 1, "spelt otherwise, and inactive")
	assert.False(t, likely[0].Same)
	assert.Equal(t, "name spelt nearly so, same birth date", likely[0].Why)
	for _, by := range []person.Record{{Phone: "+1 902-555-0117"}, {Email: "TOVE@post.example"}, {LegalName: "marrin tove"}} {
		likely = testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Known, error) { return people.Alike(a, by, "", 0) }).Likely
		assert.Len(t, likely, 1, "%+v", by)
	}
	twin := tove()
	twin.LegalName, twin.Email, twin.Phone = "Ragna Marrin", "", ""
	_, err := c.join(twin, 0)
	require.NoError(t, err, "twins are told apart")
	_, err = c.join(tove(), 0, likely[0].ID)
	require.NoError(t, err, "who has looked says that it is somebody else")
}

// The next of a household has its address; a new address holds for all who had the old one.
func TestHouseholds(t *testing.T) {
	c := newCounter(t, role.Desk)
	first, err := c.join(tove(), 0)
	require.NoError(t, err)
	next := tove()
	next.LegalName, next.Born, next.Email, next.Guardian, next.Class = "Linnet Marrin", day(2015, 6, 1), "", first.Card.ID, "adult"
	second, err := c.join(next, first.Card.ID)
	require.NoError(t, err)
	assert.Equal(t, "Marrin (2)", second.Card.Household)
	assert.Equal(t, "Tove Marrin", second.Guardian)
	require.Len(t, second.Members, 1)
	again := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Written, error) { return people.Record(a, first.Card.ID) })
	moved, err := c.change(again, func(ch *people.Changing) { ch.Address, ch.ForHousehold = "1 Quay Street", true })
	require.NoError(t, err)
	assert.Equal(t, "1 Quay Street", c.Ask("SELECT address FROM patrons WHERE id = ?", second.Card.ID))
	_, err = c.change(again, func(ch *people.Changing) { ch.Town = "Quarrow" })
	assert.ErrorContains(t, err, "Somebody else has changed this record", "two at once: one wins, the other is told")
	_, err = c.change(moved, func(ch *people.Changing) { ch.PreferredName = "Tovi" })
	require.NoError(t, err)
	c.Set("UPDATE patrons SET household_id = NULL WHERE id = ?", second.Card.ID)
	alone := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.Open(a, first.Card.ID) })
	assert.Empty(t, alone.Household, "one alone is told of no household, and pays for none")
	assert.Equal(t, "address", c.Ask("SELECT detail->>'is' FROM events WHERE kind = 'record_changed' ORDER BY id LIMIT 1"),
		"what is kept names the fields, not what stood in them")
}

// Stopped, inactive and excluded are three things, each with its sentence; only who supervises excludes.
func TestStanding(t *testing.T) {
	c := newCounter(t, role.Desk)
	boss := c.Staff(role.Supervisor, "HVH")
	p := c.Patron("HVH")
	_, labels := c.Title("HVH")
	stand := func(who act.Actor, s people.NewStatus) (*people.Card, error) {
		return testkit.Try(c.House, who, func(a *act.Act) (*people.Card, error) { return people.SetStatus(a, p, s) })
	}
	lend := func() string {
		return testkit.Do(t, c.House, c.here, func(a *act.Act) (*desk.Result, error) {
			return desk.Take(a, desk.Scan{Text: labels[0], Patron: p})
		}).Text
	}
	card, err := stand(c.here, people.NewStatus{Standing: loan.Active, Stopped: "Three lost telescopes"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Blocked from borrowing: Three lost telescopes."}, card.Stops)
	assert.Contains(t, lend(), "Blocked from borrowing:")
	_, err = stand(c.here, people.NewStatus{Standing: loan.Inactive})
	assert.ErrorContains(t, err, "Enter why this patron is")
	_, err = stand(c.here, people.NewStatus{Standing: loan.Excluded, Reason: "Fire"})
	assert.ErrorContains(t, err, "Only supervisors can exclude somebody or lift that.")
	card, err = stand(boss, people.NewStatus{Standing: loan.Excluded, Reason: "Fire in the reading room"})
	require.NoError(t, err)
	assert.Equal(t, []string{"This patron is excluded and cannot borrow. Ask the supervisor. Fire in the reading room."}, card.Stops)
	_, err = stand(c.here, people.NewStatus{Standing: loan.Active})
	assert.ErrorContains(t, err, "Only supervisors can exclude somebody or lift that.")
	card, err = stand(boss, people.NewStatus{Standing: loan.Active})
	require.NoError(t, err)
	assert.Empty(t, card.Stops)
}

func TestNotesAndConsents(t *testing.T) {
	c := newCounter(t, role.Desk)
	boss := c.Staff(role.Supervisor, "HVH")
	p := c.Patron("HVH")
	c.note("loud", true)
	c.note("quiet", false)
	write := func(kind, text string) (*people.Card, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*people.Card, error) {
			return people.AddNote(a, p, people.Noting{Kind: kind, Text: text})
		})
	}
	_, err := write("shout", "x")
	assert.ErrorContains(t, err, `An administrator adds them under Network, Lists and reasons.`)
	_, err = write("loud", "  ")
	assert.ErrorContains(t, err, "Enter the note.")
	_, err = write("quiet", "Likes large print")
	require.NoError(t, err)
	card, err := write("loud", "Has the boat key")
	require.NoError(t, err)
	require.Len(t, card.Notes, 2)
	assert.Equal(t, []people.Tell{{Tone: "note", Head: "loud", Text: "Has the boat key"}}, card.Tells, "a quiet one is not told")
	end := func() (*people.Card, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.EndNote(a, card.Notes[1].ID) })
	}
	after, err := end()
	require.NoError(t, err)
	assert.Empty(t, after.Tells)
	_, err = end()
	assert.ErrorContains(t, err, "This note is already removed.")

	say := func(who act.Actor, co people.Consenting) error {
		_, err := testkit.Try(c.House, who, func(a *act.Act) (*people.Card, error) { return people.Consent(a, p, co) })
		return err
	}
	require.NoError(t, say(c.here, people.Consenting{Answers: []people.Agreed{{"older_reader", "no"}}}), "at registration anybody at the desk takes it")
	assert.ErrorContains(t, say(c.here, people.Consenting{Answers: []people.Agreed{{"older_reader", "yes"}}, Letter: true, Reason: "Turned 12"}), "This is already recorded. Ask somebody who can change consents.")
	assert.ErrorContains(t, say(boss, people.Consenting{Answers: []people.Agreed{{"older_reader", "yes"}}, Reason: "Turned 12"}), "This is already recorded. To change it you need a letter and a reason.")
	require.NoError(t, say(boss, people.Consenting{Answers: []people.Agreed{{"older_reader", "yes"}}, Reason: "Turned 12", Letter: true}))
	require.NoError(t, say(c.here, people.Consenting{Answers: []people.Agreed{{"internet", "filtered"}}}))
	assert.ErrorContains(t, say(boss, people.Consenting{Answers: []people.Agreed{{"internet", "yes"}}}), "one of none, filtered, full is right")
	assert.Equal(t, "no yes filtered", c.Ask("SELECT string_agg(answer, ' ' ORDER BY id) FROM consents"))
	assert.Equal(t, "true filtered", c.Ask("SELECT older_reader || ' ' || internet FROM patrons WHERE id = ?", p))
}

// Three answers are one act: one that is not taken leaves none of them written, and registering nobody.
func TestAnswersAreOneAct(t *testing.T) {
	c := newCounter(t, role.Desk)
	join := func(r person.Record, agreed ...people.Agreed) (*people.Written, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*people.Written, error) {
			return people.Join(a, people.Joining{Record: r, Agreed: agreed})
		})
	}
	_, err := join(tove(), people.Agreed{"photo", "yes"}, people.Agreed{"internet", "much"})
	require.ErrorContains(t, err, "one of none, filtered, full is right")
	assert.Equal(t, "0 0", c.Ask("SELECT (SELECT count(*) FROM patrons) || ' ' || (SELECT count(*) FROM consents)"))
	_, err = join(tove(), people.Agreed{"photo", "yes"}, people.Agreed{"photo", "no"})
	require.ErrorContains(t, err, "This is already recorded. Ask somebody who can change consents.", "one question is answered once")
	w, err := join(tove(), people.Agreed{"photo", "yes"}, people.Agreed{"internet", "full"}, people.Agreed{"older_reader", "no"})
	require.NoError(t, err)
	assert.True(t, *w.Card.Photo)
	assert.False(t, *w.Card.Older)
	assert.Equal(t, "full", w.Card.Internet)
	per := tove()
	per.LegalName, per.Email, per.Phone = "Per Quill", "", "902 555 0144"
	other, err := join(per, people.Agreed{"photo", "no"})
	require.NoError(t, err)
	_, err = testkit.Try(c.House, c.here, func(a *act.Act) (*people.Card, error) {
		return people.Consent(a, other.Card.ID, people.Consenting{Answers: []people.Agreed{{"internet", "none"}, {"photo", "yes"}}})
	})
	require.ErrorContains(t, err, "This is already recorded. Ask somebody who can change consents.")
	assert.Equal(t, "photo no", c.Ask("SELECT string_agg(what || ' ' || answer, ', ') FROM consents WHERE patron_id = ?", other.Card.ID))
}

// Charges by hand come from the price list, at its price, and can be paid and waived like others.
func TestChargesByHand(t *testing.T) {
	c := newCounter(t, role.Desk)
	p := c.Patron("HVH")
	c.Set("INSERT INTO choices (list, code, name, position, amount) VALUES ('charge', 'card', 'New card', 0, 200), ('charge', 'old', 'Old', 1, 100)")
	c.Set("UPDATE choices SET retired = true WHERE code = 'old'")
	charge := func(code, note string) (*accounts.Charged, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*accounts.Charged, error) {
			return accounts.ChargeByHand(a, p, accounts.ByHand{Charge: code, Note: note})
		})
	}
	for _, code := range []string{"old", "gold"} {
		_, err := charge(code, "")
		assert.ErrorContains(t, err, "The price list has no")
	}
	s, err := charge("card", " lost on the ferry ")
	require.NoError(t, err)
	assert.Equal(t, "2.00", s.Owes)
	card := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.Open(a, p) })
	require.Len(t, card.Charges, 1)
	assert.Equal(t, "Charge: New card, lost on the ferry", card.Charges[0].Text)
	testkit.Do(t, c.House, c.here, func(a *act.Act) (*accounts.Settled, error) {
		return accounts.Settle(a, accounts.Settling{Patrons: []int64{p}, Amount: "2.00", Means: "cash"})
	})
	assert.Equal(t, "0", c.Ask("SELECT balance::text FROM patrons WHERE id = ?", p))
}

// A birth date proposes the class, of those that the branch offers.
func TestProposedClasses(t *testing.T) {
	c := newCounter(t, role.Desk)
	c.Set(`INSERT INTO classes (kind, code, name, position, from_age, to_age, next, branches) VALUES
		('patron', 'child', 'Child', 9, 0, 13, 'adult', NULL), ('patron', 'teen', 'Teen', 9, 13, 18, 'adult', '{SLM}'), ('patron', 'grown', 'Grown', 9, 13, NULL, '', NULL)`)
	for born, want := range map[*calendar.Date]string{day(2015, 1, 1): "child 11 true", day(2011, 1, 1): "grown 15 true", day(1984, 1, 1): "grown 42 false"} {
		k := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Known, error) { return people.Alike(a, person.Record{Born: born}, "", 0) })
		assert.Equal(t, want, fmt.Sprint(k.Class, " ", *k.Age, " ", k.Minor))
	}
	k := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Known, error) {
		return people.Alike(a, person.Record{Born: day(2030, 1, 1)}, "", 0)
	})
	assert.Empty(t, k.Class)
	assert.Equal(t, "0", c.Ask("SELECT count(*)::text FROM readings"), "a birth date alone is no search")
}

func TestPINs(t *testing.T) {
	c := newCounter(t, role.Desk)
	p := c.Patron("HVH")
	set := func(pin string) (*people.PIN, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*people.PIN, error) { return people.SetPIN(a, p, pin) })
	}
	made, err := set("")
	require.NoError(t, err)
	assert.Regexp(t, "^[0-9]{6}$", made.PIN)
	assert.NotContains(t, c.Ask("SELECT pin_hash FROM patrons WHERE id = ?", p), made.PIN)
	_, err = set("12a")
	assert.ErrorContains(t, err, "Use 4 to 12 digits.")
	assert.Equal(t, "0", c.Ask("SELECT count(*)::text FROM events WHERE detail::text LIKE ?", "%"+made.PIN+"%"))
}

// Who has grown out of a class is moved by the night of their birthday, also over more than one, and is told apart from who
// has no birth date.
func TestGrowingUp(t *testing.T) {
	c := newCounter(t, role.Administrator)
	for _, class := range []string{"('child', 0, 13, 'youth')", "('youth', 13, 18, 'adult')"} {
		c.Set("INSERT INTO classes (kind, code, name, position, from_age, to_age, next) SELECT 'patron', x.a, x.a, 9, x.b, x.c, x.d FROM (VALUES " + class + ") x(a, b, c, d)")
	}
	add := func(born string) int64 {
		p := c.Patron("HVH")
		c.Set("UPDATE patrons SET class = 'child', born = nullif(?, '')::date WHERE id = ?", born, p)
		return p
	}
	today, tomorrow, long, none := add("2013-10-06"), add("2013-10-07"), add("1999-01-01"), add("")
	require.NoError(t, night.Step(context.Background(), c.House, calendar.MakeDate(2026, 10, 6), "grow"))
	for p, class := range map[int64]string{today: "youth", tomorrow: "child", long: "adult", none: "child"} {
		assert.Equal(t, class, c.Ask("SELECT class FROM patrons WHERE id = ?", p))
	}
	assert.Equal(t, "2", c.Ask("SELECT count(*)::text FROM events WHERE kind = 'patron_classed'"))
}

// Ages, over leap days too, are those of PostgreSQL's own age().
func TestAgesAsPostgreSQLHasThem(t *testing.T) {
	w := testkit.NewWorld(t)
	rapid.Check(t, func(t *rapid.T) {
		born := calendar.MakeDate(rapid.IntRange(1900, 2026).Draw(t, "year"), time.Month(rapid.IntRange(1, 12).Draw(t, "month")), 1).
			Add(rapid.IntRange(0, 30).Draw(t, "day"))
		on := born.Add(rapid.IntRange(0, 40000).Draw(t, "later"))
		if rapid.Bool().Draw(t, "near a birthday") {
			on = born.AddYears(rapid.IntRange(0, 60).Draw(t, "years")).Add(rapid.IntRange(0, 2).Draw(t, "days"))
		}
		want := w.Ask("SELECT extract(year FROM age(?::date, ?::date))::int::text", on.String(), born.String())
		assert.Equal(t, want, fmt.Sprint(loan.AgeOn(born, on)), "born %s, on %s", born, on)
	})
}

// By what way somebody is told is chosen; a way without its address is not kept, nor is an address taken away that is in use.
func TestChoosingWays(t *testing.T) {
	c := newCounter(t, role.Desk)
	w, err := c.join(tove(), 0)
	require.NoError(t, err)
	choose := func(ways people.Ways) (*people.Card, error) {
		return testkit.Try(c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.ChooseWays(a, w.Card.ID, ways) })
	}
	card, err := choose(people.Ways{HoldReady: person.ByPhone, Overdue: person.ByLetter})
	require.NoError(t, err)
	assert.Equal(t, people.Ways{HoldReady: person.ByPhone, Overdue: person.ByLetter}, card.Ways)
	w = testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Written, error) { return people.Record(a, w.Card.ID) })
	_, err = c.change(w, func(ch *people.Changing) { ch.Phone = "" })
	require.ErrorContains(t, err, "Notices are sent there. Choose another way first, or enter one.")
	w, err = c.change(w, func(ch *people.Changing) { ch.Email = "" })
	require.NoError(t, err)
	_, err = choose(people.Ways{Overdue: person.ByMail})
	require.ErrorContains(t, err, "The record has no email address.")
	err = testkit.SQL(c.House).Exec(`UPDATE patrons SET notices = '{"overdue": "mail"}' WHERE id = ?`, w.Card.ID).Error
	require.ErrorContains(t, err, "patrons_reached_by_mail", "the database says so too")
}

// Details are confirmed once in a while, and a patron of another branch is taken on.
func TestWhatIsDoneAtAScan(t *testing.T) {
	c := newCounter(t, role.Desk)
	boss := c.Staff(role.Administrator, "HVH")
	usual := settings.Usual()
	usual.Confirm = 12
	testkit.Do(t, c.House, boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Put(a, "settings", "", 0, usual) })
	id := c.Patron("SLM", map[string]any{"joined_on": "2020-01-01"})
	card := testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.Open(a, id) })
	assert.True(t, card.Confirm && card.Elsewhere)
	card = testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.Confirm(a, id) })
	assert.False(t, card.Confirm)
	assert.NotEmpty(t, card.Confirmed)
	card = testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.TakeOn(a, id) })
	assert.False(t, card.Elsewhere)
	_, err := testkit.Try(c.House, c.here, func(a *act.Act) (*people.Card, error) { return people.TakeOn(a, id) })
	require.ErrorContains(t, err, "already")
}

// A card that somebody has had before still finds them.
func TestOldCardsFind(t *testing.T) {
	c := newCounter(t, role.Desk)
	w, err := c.join(tove(), 0)
	require.NoError(t, err)
	testkit.Do(t, c.House, c.here, func(a *act.Act) (*people.Card, error) {
		return people.Replace(a, w.Card.ID, people.Replacing{Why: "lost"})
	})
	found := testkit.Do(t, c.House, c.here, func(a *act.Act) ([]people.Found, error) {
		rows, _, err := people.Find(a, w.Card.Card, store.Page{})
		return rows, err
	})
	require.Len(t, found, 1)
	assert.Equal(t, w.Card.ID, found[0].ID)
	assert.NotEqual(t, w.Card.Card, found[0].Card)
}
