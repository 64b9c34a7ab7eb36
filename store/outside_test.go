package store_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/testkit"
)

// Lateness in open and calendar days agrees with PostgreSQL's own generate_series joined to the
// calendar, over random calendars, due dates and returns.
func TestLatenessAgreesWithPostgreSQL(t *testing.T) {
	h := testkit.House(t)
	loc, err := calendar.ParseLocation("America/Halifax")
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		b := &calendar.Branch{Code: "A", Name: "A", Location: loc, Openings: map[calendar.Date]calendar.Opening{}}
		open := []int{}
		for weekday := range b.Weekly {
			if r.IntN(3) > 0 {
				b.Weekly[weekday] = calendar.Day{{From: 600, To: 1080}}
				open = append(open, weekday)
			}
		}
		begin := calendar.MakeDate(2026, 9, 1)
		closed := calendar.Closure{From: begin.Add(r.IntN(80)), Name: "works"}
		closed.To = closed.From.Add(r.IntN(20))
		b.Closures = []calendar.Closure{closed}
		special := begin.Add(r.IntN(90))
		b.Openings[special] = calendar.Opening{Hours: calendar.Day{{From: 600, To: 700}}}
		due := begin.Add(r.IntN(60))
		returned := due.Add(r.IntN(60) - 10)
		var want struct{ Open, Calendar int }
		query := fmt.Sprintf(
			`SELECT count(*) FILTER (WHERE d = '%s' OR (extract(dow FROM d)::int = ANY(ARRAY[%s]::int[]) AND d NOT BETWEEN '%s' AND '%s')) AS open, count(*) AS calendar
			FROM generate_series('%s'::date + 1, '%s'::date, interval '1 day') AS d`,
			special,
			list(open),
			closed.From,
			closed.To,
			due,
			returned,
		)
		require.NoError(t, testkit.SQL(h).Raw(query).Scan(&want).Error)
		for unit, late := range map[lateness.Unit]int{lateness.OpenDay: want.Open, lateness.CalendarDay: want.Calendar} {
			terms := lateness.Terms{Rate: 25, Unit: unit, Currency: money.Currency{Code: "CAD", Digits: 2}}
			got, _ := lateness.AtReturn(b, terms, nil, loan.OnDate(due), nil, lateness.Return{At: b.At(returned, 14*60)})
			require.Equal(t, late, got.Late, "%s from %s to %s", unit, due, returned)
			require.EqualValues(t, late*25, got.Fine)
		}
	}
}

func list(numbers []int) string {
	out := ""
	for k, n := range numbers {
		if k > 0 {
			out += ","
		}
		out += fmt.Sprint(n)
	}
	return out
}

// The demo's year agrees with PostgreSQL's arithmetic too: day loans of books for adults under the base
// rule are due 21 days after the branch's date of lending, or later where that day is closed.
func TestDemoAgreesWithItsRules(t *testing.T) {
	h := testkit.House(t)
	var off, all int
	row := testkit.SQL(h).
		Raw(`SELECT count(*) FILTER (WHERE due_date < (lent_at AT TIME ZONE 'America/Halifax')::date + 21 OR due_date > (lent_at AT TIME ZONE 'America/Halifax')::date + 28), count(*)
		FROM loans WHERE renewals = 0 AND situation[4] = 'book' AND situation[5] = 'adult' AND situation[1] <> 'TRN' AND situation[3] <> 'school'`).
		Row()
	require.NoError(t, row.Scan(&off, &all))
	require.Zero(t, off, "of %d", all)
	require.Greater(t, all, 10000)
	var early time.Time
	require.NoError(t, testkit.SQL(h).Raw("SELECT min(lent_at) FROM loans").Scan(&early).Error)
	require.Equal(t, 2025, early.Year())
}

// The finding of names that are spelt alike agrees with the values that PostgreSQL's manual publishes for pg_trgm (F.35.2,
// from memory).
func TestTrigramValuesOfTheManual(t *testing.T) {
	h := testkit.House(t)
	for query, want := range map[string]string{
		"SELECT show_trgm('cat')::text":                                                  "{\"  c\",\" ca\",\"at \",cat}",
		"SELECT round(similarity('word', 'two words')::numeric, 6)::text":                "0.363636",
		"SELECT round(word_similarity('word', 'two words')::numeric, 6)::text":           "0.800000",
		"SELECT round(strict_word_similarity('word', 'two words')::numeric, 6)::text":    "0.571429",
		"SELECT round(similarity('Sanne Birkett', 'sanne  birkett!')::numeric, 6)::text": "1.000000",
	} {
		require.Equal(t, want, testkit.Text(t, h, query), query)
	}
}
