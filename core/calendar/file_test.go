package calendar_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/jsonfile"
)

func readBranches(text string) ([]*calendar.Branch, error) {
	n, err := jsonfile.Read([]byte(text))
	if err != nil {
		return nil, err
	}
	list, _ := calendar.ReadBranches(n.Get("branches"), "more")
	return list, n.Err()
}

func TestReadingBranches(t *testing.T) {
	list, err := readBranches(`{"branches": [{"code": "SLM", "name": "Saltmere", "zone": "south", "timezone": "America/Halifax", "more": 1,
		"hours": {"tue": ["14:00-18:00", "10:00-13:00"], "sat": ["10:00-13:00", "13:00-17:00"]},
		"closures": [{"from": "2026-10-13", "to": "2026-10-14", "name": "Boiler work"}, {"from": "2026-12-25"}],
		"openings": [{"date": "2026-10-18", "hours": ["12:00-16:00"]}, {"date": "2026-10-20", "hours": [], "name": "Stocktaking"}]},
		{"code": "WRN", "timezone": "Europe/Lisbon"}]}`)
	require.NoError(t, err)
	slm := list[0]
	assert.Equal(t, calendar.Day{{From: 600, To: 780}, {From: 840, To: 1080}}, slm.Weekly[time.Tuesday], "in order")
	assert.Equal(t, calendar.Day{{From: 600, To: 1020}}, slm.Weekly[time.Saturday], "what touches is joined")
	assert.Empty(t, slm.Weekly[time.Sunday])
	assert.Equal(t, []calendar.Closure{
		{From: calendar.MakeDate(2026, 10, 13), To: calendar.MakeDate(2026, 10, 14), Name: "Boiler work"},
		{From: calendar.MakeDate(2026, 12, 25), To: calendar.MakeDate(2026, 12, 25), Name: "closed"},
	}, slm.Closures)
	assert.Equal(t, "special opening", slm.Openings[calendar.MakeDate(2026, 10, 18)].Name)
	assert.True(t, slm.OpenOn(calendar.MakeDate(2026, 10, 18)), "a Sunday with an opening")
	assert.False(t, slm.OpenOn(calendar.MakeDate(2026, 10, 20)), "an opening without hours closes a Tuesday")
	assert.Equal(t, []string{"WRN", "Europe/Lisbon"}, []string{list[1].Name, list[1].Location.String()}, "without a name it is called by its code")
}

// What is wrong is said with its place and with what would be right.
func TestBranchesThatCannotBeRead(t *testing.T) {
	one := func(rest string) string {
		return `{"branches": [{"code": "SLM", "timezone": "America/Halifax"` + rest + `}]}`
	}
	for text, says := range map[string]string{
		`{}`: "a list of branches",
		`{"branches": [{"code": "SLM", "timezone": "Mars/Olympus"}]}`:                            "timezone",
		`{"branches": [{"code": "SLM", "timezone": "Local"}]}`:                                   "timezone",
		`{"branches": [{"code": "S M", "timezone": "UTC"}]}`:                                     "code",
		`{"branches": [{"code": "SLM", "timezone": "UTC"}, {"code": "SLM", "timezone": "UTC"}]}`: "a second time",
		one(`, "weekly": {}`):                                                                           "weekly",
		one(`, "hours": {"fun": []}`):                                                                   "fun",
		one(`, "hours": {"tue": ["10:00"]}`):                                                            "10:00-18:00",
		one(`, "hours": {"tue": ["18:00-10:00"]}`):                                                      "does not end after it begins",
		one(`, "hours": {"tue": ["10:00-14:00", "13:00-18:00"]}`):                                       "overlaps",
		one(`, "hours": {"tue": ["25:00-26:00"]}`):                                                      "not a span of a day",
		one(`, "closures": [{"from": "2026-13-01"}]`):                                                   "not a date",
		one(`, "closures": [{"from": "2026-10-14", "to": "2026-10-13"}]`):                               "not before 2026-10-14",
		one(`, "openings": [{"date": "2026-10-14"}]`):                                                   "a list of spans",
		one(`, "openings": [{"date": "2026-10-14", "hours": []}, {"date": "2026-10-14", "hours": []}]`): "a second opening for 2026-10-14",
	} {
		_, err := readBranches(text)
		assert.ErrorContains(t, err, says, text)
	}
}

func TestDatesAndTimesAsText(t *testing.T) {
	d, err := calendar.ParseDate("2026-02-28")
	require.NoError(t, err)
	assert.Equal(t, "2026-03-01", d.Add(1).String())
	assert.Equal(t, 365, d.AddYears(1).DaysSince(d))
	for _, text := range []string{"", "2026-02-29", "28.2.2026", "2026-2-8", "1899-12-31", "0000-01-01", "2026-02-28T00:00"} {
		_, err := calendar.ParseDate(text)
		assert.ErrorContains(t, err, "expected one such as 2026-10-06", text)
	}
	data, err := json.Marshal(map[calendar.Date]calendar.Date{d: d})
	require.NoError(t, err)
	assert.JSONEq(t, `{"2026-02-28": "2026-02-28"}`, string(data))
	var back map[calendar.Date]calendar.Date
	require.NoError(t, json.Unmarshal(data, &back))
	assert.Equal(t, d, back[d])
	require.Error(t, json.Unmarshal([]byte(`{"2026-02-30": "2026-02-28"}`), &back))

	halifax, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	// The offset in summer is -03:00 and in winter -04:00: the tz database.
	for text, want := range map[string]string{
		"2026-10-06T14:00":          "2026-10-06T14:00:00-03:00",
		"2026-12-06T14:00":          "2026-12-06T14:00:00-04:00",
		"2026-10-06T14:00:30":       "2026-10-06T14:00:30-03:00",
		"2026-10-06T14:00Z":         "2026-10-06T11:00:00-03:00",
		"2026-10-06T14:00:00+05:45": "2026-10-06T05:15:00-03:00",
	} {
		at, err := calendar.ParseInstant(text, halifax)
		require.NoError(t, err, text)
		assert.Equal(t, want, calendar.PrintInstant(at, halifax), text)
	}
	for _, text := range []string{"", "2026-10-06", "14:00", "2026-10-06 14:00", "1899-10-06T14:00", "2026-10-06T14:00:00,5", "2026-10-06T25:00"} {
		_, err := calendar.ParseInstant(text, halifax)
		assert.ErrorContains(t, err, "is not an instant", text)
	}
	at, err := calendar.ParseInstant("2026-10-06T14:05", halifax)
	require.NoError(t, err)
	assert.Equal(t, "Tue 6 Oct 2026, 14:05", calendar.UsualStyle.Instant(at, halifax))
	for _, name := range []string{"", "Local", "Mars/Olympus"} {
		_, err := calendar.ParseLocation(name)
		assert.Error(t, err, name)
	}
	for _, text := range []string{"9:30", "24:01", "12:60", "ab:cd", "12-30"} {
		_, err := calendar.ParseMinute(text)
		assert.ErrorContains(t, err, "from 00:00 to 24:00", text)
	}
	m, err := calendar.ParseMinute("24:00")
	require.NoError(t, err)
	assert.Equal(t, "24:00", m.String())
}

func TestDurationsInWords(t *testing.T) {
	for written, says := range map[string]string{
		"P21D": "21 days", "P1D": "1 day", "P2W": "14 days", "PT3H": "3 hours", "PT90M": "1 hour 30 minutes", "PT1M": "1 minute",
	} {
		d, err := calendar.ParseDuration(written)
		require.NoError(t, err, written)
		assert.Equal(t, says, d.Say(), written)
		again, err := calendar.ParseDuration(d.String())
		require.NoError(t, err, d.String())
		assert.Equal(t, d, again)
	}
}

// Open from Tuesday to Saturday, 10 to 13 and 14 to 18; closed on 13 and 14 October.
func TestNextAndLast(t *testing.T) {
	list, err := readBranches(`{"branches": [{"code": "SLM", "timezone": "America/Halifax", "hours": {"tue": ["10:00-13:00", "14:00-18:00"],
		"wed": ["10:00-18:00"], "thu": ["10:00-18:00"], "fri": ["10:00-18:00"], "sat": ["10:00-18:00"]},
		"closures": [{"from": "2026-10-13", "to": "2026-10-14"}]}]}`)
	require.NoError(t, err)
	b := list[0]
	on := func(day int) calendar.Date { return calendar.MakeDate(2026, 10, day) }
	clock := func(at time.Time, ok bool) string {
		if !ok {
			return "never"
		}
		return at.In(b.Location).Format("02 15:04")
	}
	for _, c := range []struct {
		day, minute int
		next, last  string
	}{
		{6, 9 * 60, "06 10:00", "03 18:00"}, {6, 10 * 60, "06 14:00", "03 18:00"}, {6, 13*60 + 30, "06 14:00", "06 13:00"},
		{6, 18 * 60, "07 10:00", "06 13:00"}, {6, 19 * 60, "07 10:00", "06 18:00"}, {12, 12 * 60, "15 10:00", "10 18:00"},
	} {
		at := b.At(on(c.day), calendar.Minute(c.minute))
		assert.Equal(t, c.next, clock(b.NextOpening(at)), "%+v", c)
		assert.Equal(t, c.last, clock(b.LastClosing(at, at.AddDate(0, 0, -14))), "%+v", c)
	}
	_, ok := b.LastClosing(b.At(on(12), 600), b.At(on(10), 19*60))
	assert.False(t, ok, "nothing before the floor")
	for _, c := range []struct {
		day, now, minute int
		still            bool
	}{
		{6, 6, 9 * 60, true}, {6, 6, 17*60 + 58, true}, {6, 6, 18 * 60, false}, {6, 6, 13*60 + 30, true}, {5, 6, 600, false}, {7, 6, 600, true},
		{13, 6, 600, false},
	} {
		assert.Equal(t, c.still, b.StillOpensOn(on(c.day), b.At(on(c.now), calendar.Minute(c.minute))), "%+v", c)
	}
	never := &calendar.Branch{Location: b.Location}
	_, ok = never.NextOpening(b.At(on(6), 0))
	assert.False(t, ok)
	_, ok = never.NextOpenDay(on(6))
	assert.False(t, ok)
	_, ok = b.LastOpenDay(on(15), on(12))
	assert.False(t, ok)
	assert.Equal(t, b.At(on(7), 0), b.EndOf(on(6)))
}
