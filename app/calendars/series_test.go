package calendars_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/act"
	"nevrin/app/calendars"
	"nevrin/core/calendar"
	"nevrin/testkit"
)

// The open days of every branch are those that PostgreSQL itself counts: generate_series joined to the calendar as
// it is stored, for a year with closures and special openings.
func TestOpenDaysAgreeWithPostgreSQL(t *testing.T) {
	h := testkit.House(t)
	maren := testkit.Somebody(t, h, "maren")
	to := day(11, 20)
	for _, c := range []calendars.Change{
		{Branches: []calendar.Code{"HVH", "SLM", "WRN"}, Close: &calendars.Closure{From: day(11, 2), To: &to, Name: "Works"}},
		{Branches: []calendar.Code{"SLM", "UTM"}, Open: &calendars.Opening{Date: day(11, 8), Hours: []string{"12:00-16:00"}, Name: "Fair"}},
		{Branches: []calendar.Code{"QRW"}, Open: &calendars.Opening{Date: day(11, 25), Hours: []string{}, Name: "Funeral"}},
	} {
		_, err := change(t, h, maren, c)
		require.NoError(t, err)
	}
	for _, branch := range []calendar.Code{"HVH", "QRW", "UTM", "LNF", "SLM", "THB", "WRN", "SKN", "TRN"} {
		c := testkit.Do(
			t,
			h,
			maren,
			func(a *act.Act) (*calendars.Calendar, error) { return calendars.Look(a, branch, 2026) },
		)
		open := map[string]bool{}
		for _, d := range c.Days {
			if d.Hours != "" {
				open[d.Date.String()] = true
			}
		}
		var want []string
		require.NoError(
			t,
			testkit.SQL(h).
				Raw(`SELECT d::date::text FROM branches b, generate_series('2026-01-01'::date, '2026-12-31'::date, interval '1 day') AS d
			WHERE b.code = ? AND `+testkit.OpensOn+` ORDER BY 1`, branch).
				Scan(&want).
				Error,
		)
		assert.Len(t, open, len(want), branch)
		for _, d := range want {
			assert.True(t, open[d], fmt.Sprintf("%s on %s", branch, d))
		}
	}
}
