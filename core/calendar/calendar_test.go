package calendar_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
)

// Clock changes of the tz database: Halifax 2026, Lord Howe's half hour, Samoa's skipped day.
func TestLocalAroundClockChanges(t *testing.T) {
	cases := []struct{ name, zone, text, want string }{
		{"skipped hour is read with the offset before", "America/Halifax", "2026-03-08T02:30", "2026-03-08T03:30:00-03:00"},
		{"doubled hour is the first", "America/Halifax", "2026-11-01T01:30", "2026-11-01T01:30:00-03:00"},
		{"after the doubled hour", "America/Halifax", "2026-11-01T02:00", "2026-11-01T02:00:00-04:00"},
		{"half an hour doubled", "Australia/Lord_Howe", "2026-04-05T01:45", "2026-04-05T01:45:00+11:00"},
		{"a whole day skipped", "Pacific/Apia", "2011-12-30T12:00", "2011-12-31T12:00:00+14:00"},
		{"midnight skipped", "Africa/Cairo", "2026-04-24T00:00", "2026-04-24T01:00:00+03:00"},
		{"with an offset", "America/Halifax", "2026-10-06T12:00Z", "2026-10-06T09:00:00-03:00"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			loc, err := calendar.ParseLocation(c.zone)
			require.NoError(t, err)
			got, err := calendar.ParseInstant(c.text, loc)
			require.NoError(t, err)
			assert.Equal(t, c.want, calendar.PrintInstant(got, loc))
		})
	}
}

func halifax(t *testing.T, weekly map[time.Weekday]string) *calendar.Branch {
	loc, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	b := &calendar.Branch{Code: "A", Name: "A", Location: loc, Openings: map[calendar.Date]calendar.Opening{}}
	for day, text := range weekly {
		span, err := calendar.ParseSpan(text)
		require.NoError(t, err)
		b.Weekly[day] = calendar.Day{span}
	}
	return b
}

func TestOpenTime(t *testing.T) {
	b := halifax(
		t,
		map[time.Weekday]string{
			time.Tuesday:   "10:00-18:00",
			time.Wednesday: "10:00-18:00",
			time.Saturday:  "22:00-24:00",
			time.Sunday:    "00:00-04:00",
		},
	)
	at := func(text string) time.Time {
		got, err := calendar.ParseInstant(text, b.Location)
		require.NoError(t, err)
		return got
	}
	cases := []struct {
		name, from string
		minutes    int
		want       string
	}{
		{"zero minutes before opening gives the opening", "2026-10-06T08:00", 0, "2026-10-06T10:00"},
		{"the closing minute is open", "2026-10-06T18:00", 0, "2026-10-06T18:00"},
		{"runs over to the next day", "2026-10-06T17:40", 60, "2026-10-07T10:40"},
		{"filled exactly at closing", "2026-10-06T17:00", 60, "2026-10-06T18:00"},
		{"through a night of 25 hours", "2026-10-31T22:00", 6 * 60, "2026-11-01T03:00"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got, ok := b.OpenTimeFrom(at(c.from), c.minutes)
			assert.True(t, ok)
			assert.Equal(t, calendar.PrintInstant(at(c.want), b.Location), calendar.PrintInstant(got, b.Location))
			assert.Equal(t, time.Duration(c.minutes)*time.Minute, b.OpenBetween(at(c.from), got))
		})
	}
	never := halifax(t, nil)
	_, ok := never.OpenTimeFrom(at("2026-10-06T08:00"), 0)
	assert.False(t, ok)
}

// A special opening outweighs a closure, which outweighs the weekly hours.
func TestWhatOutweighsWhat(t *testing.T) {
	b := halifax(t, map[time.Weekday]string{time.Tuesday: "10:00-18:00"})
	tuesday := calendar.MakeDate(2026, 10, 6)
	assert.True(t, b.OpenOn(tuesday))
	b.Closures = []calendar.Closure{{From: tuesday, To: tuesday, Name: "Boiler work"}}
	assert.False(t, b.OpenOn(tuesday))
	b.Openings[tuesday] = calendar.Opening{Hours: calendar.Day{{From: 720, To: 960}}}
	assert.Equal(t, "12:00-16:00", b.Day(tuesday).String())
}

func TestDurations(t *testing.T) {
	for text, want := range map[string]string{"P21D": "P21D", "P2W": "P14D", "P1W2D": "P9D", "PT3H": "PT3H", "PT90M": "PT1H30M", "PT60M": "PT1H"} {
		d, err := calendar.ParseDuration(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, d.String())
	}
	for _, text := range []string{"", "P", "PT", "P0D", "PT0M", "P1DT1H", "P1M", "P1Y", "-P1D", "p1d", "P1.5D", "21"} {
		_, err := calendar.ParseDuration(text)
		assert.Error(t, err, text)
	}
}

func TestCodesOfBranches(t *testing.T) {
	for _, right := range []string{"HVH", "b-12", "Ås", "1", "East/2"} {
		code, err := calendar.ParseCode(right)
		require.NoError(t, err, right)
		assert.Equal(t, right, string(code))
	}
	for _, wrong := range []string{"", " ", "H H", "HVH\n", "a\x00b", strings.Repeat("x", 41), "\u202eHVH"} {
		_, err := calendar.ParseCode(wrong)
		assert.ErrorContains(t, err, "is not a code of a branch; expected one without spaces, such as HVH", "%q", wrong)
	}
}

// Nouns get the plural that English wants; the cases are from a dictionary, from memory.
func TestCountsHaveTheirPlural(t *testing.T) {
	for noun, want := range map[string]string{
		"copy": "2 copies", "day": "2 days", "branch": "2 branches", "loss": "2 losses", "open minute": "2 open minutes",
		"answer that was given": "2 answers that was given", "copy of a title": "2 copies of a title", "box": "2 boxes",
	} {
		assert.Equal(t, want, calendar.Count(2, noun))
		assert.Equal(t, "1 "+noun, calendar.Count(1, noun))
	}
}
