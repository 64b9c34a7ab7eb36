package signups_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/desk"
	"nevrin/app/holds"
	"nevrin/app/night"
	"nevrin/app/people"
	"nevrin/app/signups"
	"nevrin/app/upkeep"
	"nevrin/core/calendar"
	"nevrin/core/person"
	"nevrin/core/role"
	"nevrin/core/settings"
	"nevrin/testkit"
)

// porch is a small world where people sign up, with somebody at its desk.
type porch struct {
	*testkit.World
	t    *testing.T
	here act.Actor
}

func newPorch(t *testing.T, days int) *porch {
	t.Helper()
	w := testkit.NewWorld(t)
	boss := w.Staff(role.Administrator, "HVH")
	usual := settings.Usual()
	usual.SignUps = settings.SignUps{Open: true, CardDays: days}
	testkit.Do(t, w.House, boss, func(a *act.Act) (*upkeep.Kept, error) { return upkeep.Put(a, "settings", "", 0, usual) })
	return &porch{w, t, w.Staff(role.Desk, "HVH")}
}

func (p *porch) come(r person.Record) (*signups.Taken, error) {
	return testkit.Try(p.House, act.Actor{Role: act.Machine.Role}, func(a *act.Act) (*signups.Taken, error) { return signups.Come(a, r, "") })
}

func (p *porch) list() []signups.SignUp {
	return testkit.Whole(p.t, p.House, p.here, 1, signups.List)
}

func (p *porch) one(id int64) *signups.Whole {
	return testkit.Do(p.t, p.House, p.here, func(a *act.Act) (*signups.Whole, error) { return signups.One(a, id) })
}

func (p *porch) take(id int64, r person.Record) (*people.Written, error) {
	return testkit.Try(p.House, p.here, func(a *act.Act) (*people.Written, error) {
		return signups.Take(a, id, people.Joining{Record: r})
	})
}

func wren() person.Record {
	born := calendar.MakeDate(1990, 5, 17)
	return person.Record{LegalName: " Wren  Tallow ", Born: &born, Address: "3 Gull Steps", Email: "wren@post.example", Branch: "HVH"}
}

// Somebody signs up, is completed at the desk and has a card that works.
func TestSigningUpAndBeingTaken(t *testing.T) {
	p := newPorch(t, 0)
	taken, err := p.come(wren())
	require.NoError(t, err)
	assert.Empty(t, taken.Card)
	waiting := p.list()
	require.Len(t, waiting, 1)
	w := p.one(waiting[0].ID)
	assert.Equal(t, "Wren Tallow", w.Name)
	r := w.Record
	r.Class = "adult"
	r.Phone = "902 555 0117"
	joined, err := p.take(w.ID, r)
	require.NoError(t, err)
	assert.Equal(t, "902 555 0117", joined.Card.Phone)
	assert.Empty(t, joined.Card.Stops)
	assert.Empty(t, p.list())
	_, err = p.take(w.ID, r)
	require.ErrorContains(t, err, "already", "two desks do not register one sign-up twice")

	// The same person again is seen to be known.
	_, err = p.come(wren())
	require.NoError(t, err)
	again := p.one(p.list()[0].ID)
	assert.True(t, again.Likely[0].Same)
	_, err = p.take(again.ID, r)
	require.ErrorContains(t, err, "Check that record, or confirm that this is a different person.")
	known := testkit.Do(t, p.House, p.here, func(a *act.Act) (*signups.SignUp, error) { return signups.Known(a, again.ID, joined.Card.ID) })
	assert.Equal(t, joined.Card.ID, known.Patron)
	assert.Equal(t, "1", p.Ask("SELECT count(*) FROM patrons WHERE legal_name = 'Wren Tallow'"))
}

// With a temporary card one looks and places holds, and does not borrow until somebody has looked.
func TestATemporaryCard(t *testing.T) {
	p := newPorch(t, 14)
	taken, err := p.come(wren())
	require.NoError(t, err)
	card := p.Ask("SELECT card FROM patrons WHERE legal_name = 'Wren Tallow'")
	assert.NotEmpty(t, taken.Card)
	opened := testkit.Do(t, p.House, p.here, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	require.Len(t, opened.Card.Stops, 1)
	assert.Contains(t, opened.Card.Stops[0], "Signed up online")
	title, items := p.Title("HVH", "HVH")
	lend := func() *desk.Result {
		return testkit.Do(t, p.House, p.here, func(a *act.Act) (*desk.Result, error) {
			return desk.Lend(a, desk.Lending{Item: items[0], Patron: opened.Card.ID})
		})
	}
	assert.NotEqual(t, "lent", lend().Kind)
	testkit.Do(t, p.House, p.here, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Patron: opened.Card.ID, Title: title, Pickup: "HVH"})
	})

	id := p.list()[0].ID
	turn := func(reason string) (*signups.SignUp, error) {
		return testkit.Try(p.House, p.here, func(a *act.Act) (*signups.SignUp, error) { return signups.TurnDown(a, id, reason) })
	}
	_, err = turn(" ")
	require.ErrorContains(t, err, "Enter a reason.")
	_, err = turn("lives elsewhere")
	require.NoError(t, err)
	assert.Equal(t, "cancelled", p.Ask("SELECT state FROM holds"), "nothing is fetched for who was declined")
	assert.Equal(t, "inactive", p.Ask("SELECT standing FROM patrons WHERE card = ?", card))
	testkit.Do(t, p.House, p.here, func(a *act.Act) (*signups.SignUp, error) { return signups.Again(a, id) })
	assert.Equal(t, "waiting", p.list()[0].State)

	r := p.one(id).Record
	assert.Equal(t, card, r.Card)
	r.CardUntil = nil
	joined, err := p.take(id, r)
	require.NoError(t, err)
	assert.Equal(t, card, joined.Card.Card, "the temporary card stays theirs")
	assert.Empty(t, joined.Card.Stops)
	assert.Contains(t, joined.Card.CardUntil, "20", "it holds as long as others")
	assert.Equal(t, "lent", lend().Kind)
}

func TestWhatIsNotTakenAtThePorch(t *testing.T) {
	p := newPorch(t, 0)
	for name, by := range map[string]func(*person.Record){
		"legal_name": func(r *person.Record) { r.LegalName = " " },
		"email":      func(r *person.Record) { r.Email = "wren at post" },
		"born":       func(r *person.Record) { r.Born = new(calendar.MakeDate(2999, 1, 1)) },
		"address":    func(r *person.Record) { r.Address = "" },
		"branch":     func(r *person.Record) { r.Branch = "ZZZ" },
	} {
		r := wren()
		by(&r)
		_, err := p.come(r)
		var wrong signups.Wrong
		require.ErrorAs(t, err, &wrong, name)
		assert.Equal(t, person.Field(name), wrong[0].Field)
	}
	// What people may not say of themselves is not taken, whatever is sent.
	r := wren()
	r.Class, r.AnswersForAll, r.Marks = "staff", true, []string{"volunteer"}
	_, err := p.come(r)
	require.NoError(t, err)
	assert.Equal(t, "false  []", p.Ask("SELECT (record->>'answers_for_all') || ' ' || (record->>'class') || ' ' || (record->>'marks') FROM sign_ups"))

	boss := p.Staff(role.Administrator, "HVH")
	closed := settings.Usual()
	testkit.Do(t, p.House, boss, func(a *act.Act) (*upkeep.Kept, error) {
		return upkeep.Put(a, "settings", "", lastChange(t, p), closed)
	})
	_, err = p.come(wren())
	require.ErrorContains(t, err, "closed")
}

func lastChange(t *testing.T, p *porch) int64 {
	t.Helper()
	var id int64
	require.NoError(t, testkit.SQL(p.House).Raw("SELECT max(id) FROM changes WHERE part = 'settings'").Scan(&id).Error)
	return id
}

// What was answered is deleted after a while; who waits stays.
func TestAnsweredSignUpsGo(t *testing.T) {
	p := newPorch(t, 0)
	for range 3 {
		_, err := p.come(wren())
		require.NoError(t, err)
	}
	ids := p.list()
	for k, ago := range []int{40, 5} {
		testkit.Do(t, p.House, p.here, func(a *act.Act) (*signups.SignUp, error) { return signups.TurnDown(a, ids[k].ID, "x") })
		p.Set("UPDATE sign_ups SET answered_at = answered_at - make_interval(days => ?) WHERE id = ?", ago, ids[k].ID)
	}
	require.NoError(t, night.Step(context.Background(), p.House, p.day(), "sign_ups"))
	assert.Equal(t, fmt.Sprint([]int64{ids[2].ID, ids[1].ID}), fmt.Sprint([]int64{p.list()[0].ID, p.list()[1].ID}))
}

func (p *porch) day() calendar.Date {
	return testkit.Do(p.t, p.House, p.here, func(a *act.Act) (calendar.Date, error) { return a.Today(), nil })
}

// Who turns out to have a record gets what they held on a temporary card; that card leads to the record, and may borrow.
func TestKnownAfterAll(t *testing.T) {
	p := newPorch(t, 14)
	known := p.Patron("HVH", map[string]any{"legal_name": "Wren Tallow"})
	_, err := p.come(wren())
	require.NoError(t, err)
	card := p.Ask("SELECT card FROM patrons WHERE id <> ? AND legal_name = 'Wren Tallow'", known)
	title, _ := p.Title("HVH")
	opened := testkit.Do(t, p.House, p.here, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	testkit.Do(t, p.House, p.here, func(a *act.Act) (*holds.Hold, error) {
		return holds.Place(a, holds.Order{Patron: opened.Card.ID, Title: title, Pickup: "HVH"})
	})
	id := p.list()[0].ID
	testkit.Do(t, p.House, p.here, func(a *act.Act) (*signups.SignUp, error) { return signups.Known(a, id, known) })
	again := testkit.Do(t, p.House, p.here, func(a *act.Act) (*desk.Result, error) { return desk.Take(a, desk.Scan{Text: card}) })
	assert.Equal(t, known, again.Card.ID)
	assert.Empty(t, again.Card.Stops)
	assert.Len(t, again.Card.Holds, 1)
}

// Whoever was turned down is forgotten after a while, as the page promises; who was taken on otherwise since is not.
func TestWhoWasTurnedDownIsForgotten(t *testing.T) {
	p := newPorch(t, 14)
	names := []string{"Wren Tallow", "Lark Tallow"}
	for _, name := range names {
		r := wren()
		r.LegalName = name
		_, err := p.come(r)
		require.NoError(t, err)
	}
	for _, s := range p.list() {
		testkit.Do(t, p.House, p.here, func(a *act.Act) (*signups.SignUp, error) { return signups.TurnDown(a, s.ID, "x") })
	}
	p.Set("UPDATE sign_ups SET answered_at = answered_at - interval '40 days'")
	p.Set("UPDATE patrons SET standing = 'active' WHERE legal_name = 'Lark Tallow'")
	require.NoError(t, night.Step(context.Background(), p.House, p.day(), "sign_ups"))
	assert.Equal(t, "0", p.Ask("SELECT count(*) FROM sign_ups"))
	assert.Equal(t, "Lark Tallow", p.Ask("SELECT string_agg(legal_name, ',') FROM patrons WHERE legal_name <> 'Forgotten'"))
}
