package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
)

// Noon is 12 pm and midnight 12 am (common practice, no source).
func TestStyle(t *testing.T) {
	halifax, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	day := calendar.MakeDate(2026, time.October, 6)
	at := func(hour, minute int) time.Time { return time.Date(2026, time.October, 6, hour, minute, 0, 0, halifax) }
	for _, c := range []struct {
		name                string
		style               calendar.Style
		date, near, instant string
	}{
		{"none settled", calendar.Style{}, "Tue 6 Oct 2026", "Tue 6 Oct", "Tue 6 Oct 2026, 14:05"},
		{"as usual", calendar.UsualStyle, "Tue 6 Oct 2026", "Tue 6 Oct", "Tue 6 Oct 2026, 14:05"},
		{"month first", calendar.Style{Order: calendar.MonthFirst, Hours: 12}, "Tue Oct 6, 2026", "Tue Oct 6", "Tue Oct 6, 2026, 2:05 pm"},
		{"year first", calendar.Style{Order: calendar.YearFirst, Hours: 24}, "Tue 2026-10-06", "Tue 10-06", "Tue 2026-10-06, 14:05"},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.date, c.style.Date(day))
			assert.Equal(t, c.near, c.style.Near(day, calendar.MakeDate(2026, time.January, 1)))
			assert.Equal(t, c.date, c.style.Near(day, calendar.MakeDate(2027, time.January, 1)), "in another year")
			assert.Equal(t, c.instant, c.style.Instant(at(14, 5).UTC(), halifax), "by the clock of the place")
		})
	}
	twelve := calendar.Style{Hours: 12}
	for says, t0 := range map[string]time.Time{"12:00 am": at(0, 0), "12:30 pm": at(12, 30), "9:07 am": at(9, 7), "11:59 pm": at(23, 59)} {
		assert.Equal(t, says, twelve.Clock(t0))
	}
	open, err := calendar.MakeDay(calendar.Span{From: 10 * 60, To: 13 * 60}, calendar.Span{From: 18 * 60, To: 24 * 60})
	require.NoError(t, err)
	assert.Equal(t, "10:00 am to 1:00 pm, 6:00 pm to 12:00 am", twelve.Spans(open))
	assert.Equal(t, "10:00-13:00, 18:00-24:00", calendar.UsualStyle.Spans(open))
	require.NoError(t, calendar.UsualStyle.Check())
	assert.ErrorContains(t, calendar.Style{Order: "week", Hours: 24}.Check(), "week")
	assert.ErrorContains(t, calendar.Style{Order: calendar.DayFirst, Hours: 10}.Check(), "10")
}
