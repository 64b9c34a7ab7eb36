package queue_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/courier"
	"nevrin/core/queue"
)

func days(n int) *int { return &n }

func TestShelfUntilCountsOpenDays(t *testing.T) {
	f, err := courier.Read(
		[]byte(`{"format": "nevrin-courier/1", "timezone": "America/Halifax", "runs": [], "branches": [
		{"code": "SLM", "name": "Saltmere", "timezone": "America/Halifax", "hours": {"tue": ["10:00-18:00"], "wed": ["10:00-18:00"], "thu": ["10:00-18:00"], "fri": ["10:00-18:00"], "sat": ["10:00-17:00"]},
		 "closures": [{"from": "2026-10-13", "to": "2026-10-14"}]},
		{"code": "NVR", "name": "Never", "timezone": "America/Halifax", "hours": {}}]}`),
	)
	require.NoError(t, err)
	slm, never := f.Timetable.Branches["SLM"].Branch, f.Timetable.Branches["NVR"].Branch
	tue6 := calendar.MakeDate(2026, 10, 6)
	assert.Equal(t, calendar.MakeDate(2026, 10, 10), queue.ShelfUntil(slm, tue6, 4), "Wed to Sat")
	assert.Equal(
		t,
		calendar.MakeDate(2026, 10, 15),
		queue.ShelfUntil(slm, tue6, 5),
		"Sunday, Monday and the boiler's two days do not count",
	)
	assert.Equal(t, tue6, queue.ShelfUntil(slm, tue6, 0), "until tonight")
	assert.Equal(t, tue6, queue.ShelfUntil(never, tue6, 5), "a branch that never opens again")
}

func TestWaitingGoesOnWhenTheCalendarChanges(t *testing.T) {
	loc, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	branch := func(closed ...calendar.Closure) *calendar.Branch {
		b := &calendar.Branch{
			Code:     "A",
			Name:     "A",
			Location: loc,
			Closures: closed,
			Openings: map[calendar.Date]calendar.Opening{},
		}
		for weekday := 1; weekday <= 5; weekday++ {
			b.Weekly[weekday] = calendar.Day{{From: 600, To: 1080}}
		}
		return b
	}
	day := func(d int) calendar.Date { return calendar.MakeDate(2026, 10, d) }
	was, now := branch(), branch().At(day(6), 660) // Tuesday, 11:00
	closed := branch(calendar.Closure{From: day(7), To: day(8), Name: "storm"})
	assert.Equal(t, day(13), queue.Waits(was, closed, day(6), day(9), now), "three open days: Fri, Mon, Tue")
	assert.Equal(t, day(9), queue.Waits(was, was, day(6), day(9), now), "nothing changed")
	assert.Equal(t, day(9), queue.Waits(closed, was, day(6), day(9), now), "never for less")
	early := branch()
	early.Openings[day(6)] = calendar.Opening{Hours: calendar.Day{{From: 600, To: 660}}, Name: "storm"}
	assert.Equal(t, day(7), queue.Waits(was, early, day(5), day(6), now), "its last day is over at 11:00")
}

func TestOnTheWay(t *testing.T) {
	since := time.Date(2026, 10, 6, 9, 0, 0, 0, time.UTC)
	assert.True(t, queue.OnTheWay(since, since.Add(59*time.Minute)))
	assert.False(t, queue.OnTheWay(since, since.Add(time.Hour)), "who forgot to say so keeps nobody else away")
}

func TestMissing(t *testing.T) {
	assert.False(t, queue.Missing(1))
	assert.True(t, queue.Missing(2), "missed twice")
}

func TestMayServe(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	open := queue.Terms{Lent: true, Held: true, StaysDays: days(0), OwnDays: days(0)}
	for _, c := range []struct {
		name  string
		p     queue.Pair
		terms func(*queue.Terms)
		want  bool
	}{
		{"an old item anywhere", queue.Pair{Home: "HVH", Pickup: "WRN", PatronHome: "WRN", Added: today - 900}, nil, true},
		{"not lent there", queue.Pair{Home: "HVH", Pickup: "WRN", PatronHome: "WRN"}, func(t *queue.Terms) { t.Lent = false }, false},
		{"not to be held", queue.Pair{Home: "HVH", Pickup: "HVH", PatronHome: "HVH"}, func(t *queue.Terms) { t.Held = false }, false},
		// Common practice, no source: items new within six months stay at home.
		{"five months old, elsewhere", queue.Pair{Home: "HVH", Pickup: "WRN", PatronHome: "WRN", Added: today - 150}, func(t *queue.Terms) { t.StaysDays = days(180) }, false},
		{"five months old, at home", queue.Pair{Home: "HVH", Pickup: "HVH", PatronHome: "WRN", Added: today - 150}, func(t *queue.Terms) { t.StaysDays = days(180) }, true},
		{"the day it is old enough", queue.Pair{Home: "HVH", Pickup: "WRN", PatronHome: "WRN", Added: today - 180}, func(t *queue.Terms) { t.StaysDays = days(180) }, true},
		{"stays without end", queue.Pair{Home: "HVH", Pickup: "WRN", PatronHome: "WRN", Added: today - 9000}, func(t *queue.Terms) { t.StaysDays = nil }, false},
		{"another branch's patron who fetches it here", queue.Pair{Home: "HVH", Pickup: "HVH", PatronHome: "WRN", Added: today - 10}, func(t *queue.Terms) { t.OwnDays = days(30) }, false},
		{"an own patron who fetches it elsewhere", queue.Pair{Home: "HVH", Pickup: "WRN", PatronHome: "HVH", Added: today - 10}, func(t *queue.Terms) { t.OwnDays = days(30) }, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			terms := open
			if c.terms != nil {
				c.terms(&terms)
			}
			c.p.Today = today
			ok, says := queue.MayServe(c.p, terms)
			assert.Equal(t, c.want, ok)
			assert.Equal(t, c.want, says == "", "a no says why")
		})
	}
}
