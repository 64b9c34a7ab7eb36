package calendar_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
)

// Days far ahead, by the rule that a zone ends with: each is found, the last of a leap year too.
func TestDaysFarAhead(t *testing.T) {
	for _, name := range []string{"America/Halifax", "Europe/Berlin", "Australia/Lord_Howe", "Asia/Kolkata"} {
		loc, err := calendar.ParseLocation(name)
		require.NoError(t, err)
		for d := calendar.MakeDate(2036, 1, 1); d < calendar.MakeDate(2060, 1, 1); d++ {
			got := calendar.Local(d, 12*60, loc)
			require.Equal(t, d.String()+" 12:00", got.Format("2006-01-02 15:04"), name)
			require.Equal(t, d, calendar.DateOf(got))
		}
		require.Equal(t, "2040-12-31 23:59", calendar.Local(calendar.MakeDate(2040, 12, 31), 23*60+59, loc).Format(time.DateOnly+" 15:04"))
	}
}
