package rulebook_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
)

// anyBranch draws a calendar: weekly hours with breaks, weeks of closure, odd openings, several zones of time.
func anyBranch(t *rapid.T) *calendar.Branch {
	zone := rapid.SampledFrom([]string{"America/Halifax", "Europe/Lisbon", "Australia/Lord_Howe", "Asia/Kathmandu"}).
		Draw(t, "zone")
	loc, err := time.LoadLocation(zone)
	require.NoError(t, err)
	b := &calendar.Branch{Code: "A", Name: "A", Location: loc, Openings: map[calendar.Date]calendar.Opening{}}
	for weekday := range b.Weekly {
		switch rapid.IntRange(0, 3).Draw(t, "kind of day") {
		case 1:
			b.Weekly[weekday] = calendar.Day{{From: 600, To: 1080}}
		case 2:
			b.Weekly[weekday] = calendar.Day{{From: 600, To: 780}, {From: 840, To: 1440}}
		case 3:
			b.Weekly[weekday] = calendar.Day{{From: 0, To: 200}}
		}
	}
	from := calendar.MakeDate(2026, 10, rapid.IntRange(1, 60).Draw(t, "closure"))
	b.Closures = []calendar.Closure{{From: from, To: from.Add(rapid.IntRange(0, 30).Draw(t, "length")), Name: "works"}}
	return b
}

func anyInstant(t *rapid.T, label string) time.Time {
	return time.Date(2026, 10, 1, 0, 0, 0, 0, time.UTC).
		Add(time.Duration(rapid.IntRange(0, 60*24*60).Draw(t, label)) * time.Minute)
}

func anyLateness(t *rapid.T) lateness.Terms {
	limit := money.Amount(rapid.IntRange(0, 2000).Draw(t, "limit"))
	terms := lateness.Terms{
		Rate:  money.Amount(rapid.IntRange(0, 300).Draw(t, "rate")),
		Grace: rapid.IntRange(0, 5).Draw(t, "grace"),
		Unit: rapid.SampledFrom([]lateness.Unit{lateness.OpenDay, lateness.CalendarDay, lateness.OpenHour, lateness.ClockHour}).
			Draw(t, "unit"),
		GraceStays: rapid.Bool().
			Draw(t, "stays"),
		UpToPrice: rapid.Bool().Draw(t, "up to price"),
		Currency:  money.Currency{Code: "CAD", Digits: 2},
	}
	if rapid.Bool().Draw(t, "limited") {
		terms.Limit = &limit
	}
	return terms
}

// Grace never makes it dearer, limits hold, and coming back sooner never costs more.
func TestFinesAreFair(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b, terms := anyBranch(t), anyLateness(t)
		price := money.Amount(rapid.IntRange(0, 3000).Draw(t, "price"))
		due := loan.OnDate(b.Date(anyInstant(t, "due")))
		if terms.Unit.InHours() && rapid.Bool().Draw(t, "hour loan") {
			due = loan.AtInstant(anyInstant(t, "due instant"))
		}
		first := anyInstant(t, "returned")
		later := first.Add(time.Duration(rapid.IntRange(0, 10000).Draw(t, "later")) * time.Minute)
		fine := func(terms lateness.Terms, at time.Time) money.Amount {
			r, _ := lateness.AtReturn(b, terms, &price, due, nil, lateness.Return{At: at})
			return r.Fine
		}
		got := fine(terms, first)
		r, _ := lateness.AtReturn(b, terms, &price, due, nil, lateness.Return{At: later})
		if fast := lateness.NewCounter().AtReturn(b, terms, &price, due, nil, later); fast != r {
			t.Fatalf("without its why the sum is %v, with it %v", fast, r)
		}
		if later := fine(terms, later); later < got {
			t.Fatalf("coming back later costs %d, sooner %d", later, got)
		}
		if terms.Limit != nil && got > *terms.Limit || terms.UpToPrice && got > price {
			t.Fatalf("%d is over a limit", got)
		}
		without := terms
		without.Grace = 0
		if got > fine(without, first) {
			t.Fatalf("grace made it dearer")
		}
		if !due.Late(b, first) && got != 0 {
			t.Fatalf("in time, and yet %d", got)
		}
	})
}

// A renewal never shortens a loan, and a due date is never after a latest date it falls under.
func TestDueDatesKeepTheirWord(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := anyBranch(t)
		lent := anyInstant(t, "lent")
		latest := b.Date(lent).Add(rapid.IntRange(1, 40).Draw(t, "latest"))
		terms := loan.Terms{
			Period:    calendar.Duration{Days: rapid.IntRange(1, 60).Draw(t, "days")},
			LatestDue: []calendar.Date{latest},
			ClosedDay: rapid.SampledFrom([]loan.ClosedDay{loan.Next, loan.Previous, loan.Keep}).
				Draw(t, "closed day"),
			RenewFromDue: rapid.Bool().Draw(t, "renew from due"),
		}
		due, _ := loan.Lend(b, terms, lent)
		if due.Date > latest || due.Date <= b.Date(lent) {
			t.Fatalf("lent %v is due %v, latest %v", lent, due.Date, latest)
		}
		renewed, _ := loan.Renew(b, terms, due, lent.Add(time.Duration(rapid.IntRange(0, 90*24).Draw(t, "hours"))*time.Hour))
		if renewed.Date < due.Date {
			t.Fatalf("renewing shortened %v to %v", due.Date, renewed.Date)
		}
	})
}

// A small world of rules, in which every situation can be looked at.
var (
	worldBranches = []*calendar.Branch{{Code: "A", Zone: "z"}, {Code: "B", Zone: "z"}, {Code: "C", Zone: "y"}}
	worldZones    = map[string]string{"A": "z", "B": "z", "C": "y"}
	worldScopes   = [][]string{
		{"A", "B", "C", "zone:z", "zone:y"},
		{"A", "B", "C", "zone:z"},
		{"c1", "c2"},
		{"m1", "m2"},
		{"p1", "p2"},
	}
	worldValues = [][]string{{"A", "B", "C"}, {"A", "B", "C"}, {"c1", "c2"}, {"m1", "m2"}, {"p1", "p2"}}
)

// anyRules draws a rulebook whose rules settle one term, each to one of a few values.
func anyRules(t *rapid.T) *rulebook.Rulebook {
	renewals := func(n int) []rulebook.Setting {
		v, err := rulebook.ParseValue(rulebook.Renewals, []byte(fmt.Sprint(n)), money.Currency{Code: "CAD", Digits: 2})
		require.NoError(t, err)
		return []rulebook.Setting{{Term: rulebook.Renewals, Value: v}}
	}
	ranking := rulebook.Ranking(rapid.Permutation(rulebook.DefaultRanking[:]).Draw(t, "ranking"))
	rules := []*rulebook.Rule{{ID: "base", Settings: renewals(0)}}
	for i := range rapid.IntRange(1, 8).Draw(t, "rules") {
		r := &rulebook.Rule{ID: fmt.Sprint("r", i), Settings: renewals(rapid.IntRange(0, 2).Draw(t, "value"))}
		for d := range worldScopes {
			if rapid.Bool().Draw(t, "named") {
				r.Scope[d] = rulebook.ParseAdmits(
					rulebook.Dimension(d),
					rapid.SliceOfN(rapid.SampledFrom(worldScopes[d]), 1, 2).Draw(t, "values"),
				)
			}
		}
		rules = append(rules, r)
	}
	return rulebook.New(money.Currency{Code: "CAD", Digits: 2}, worldBranches, ranking, rules)
}

// narrowness is worked out by plain texts, dimension by dimension, as the handbook says it; empty: no match.
func narrowness(ranking rulebook.Ranking, r *rulebook.Rule, at rulebook.Situation) string {
	key := ""
	for _, d := range ranking {
		n, texts := "0", r.Scope[d].Texts()
		for _, text := range texts {
			if text == at[d] {
				n = "2"
			} else if n == "0" && d.OfBranch() && at[d] != "" && text == "zone:"+worldZones[at[d]] {
				n = "1"
			}
		}
		if len(texts) > 0 && n == "0" {
			return ""
		}
		key += n
	}
	return key
}

// A wider rule never wins over a narrower one: among the matching rules that settle a term, the one
// that decides has the greatest narrowness, compared dimension by dimension; of equals the earlier.
func TestNarrowestRuleDecides(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		book := anyRules(t)
		var at rulebook.Situation
		for d, from := range worldValues {
			at[d] = rapid.SampledFrom(append([]string{"", "unheard of"}, from...)).Draw(t, "situation")
		}
		best, key := "", ""
		for _, r := range book.Rules {
			if k := narrowness(book.Ranking, r, at); k > key {
				best, key = r.ID, k
			}
		}
		terms := book.Decide(at, nil)
		if got := terms.Of(rulebook.Renewals).Rule.ID; got != best {
			t.Fatalf("%s decides, expected %s", got, best)
		}
	})
}

// Conflicts are exactly the pairs that some situation finds equally narrow and of different minds.
func TestConflictsAreFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		book := anyRules(t)
		want := map[string]bool{}
		var look func(at rulebook.Situation, d int)
		look = func(at rulebook.Situation, d int) {
			if d < len(worldValues) {
				for _, v := range worldValues[d] {
					at[d] = v
					look(at, d+1)
				}
				return
			}
			for i, first := range book.Rules {
				for _, second := range book.Rules[i+1:] {
					k := narrowness(book.Ranking, first, at)
					if k != "" && k == narrowness(book.Ranking, second, at) &&
						!first.Settings[0].Value.Equal(second.Settings[0].Value) {
						want[first.ID+" "+second.ID] = true
					}
				}
			}
		}
		look(rulebook.Situation{}, 0)
		got := map[string]bool{}
		for _, c := range book.Conflicts() {
			got[c.Rules[0].ID+" "+c.Rules[1].ID] = true
			// The named situation is one in which they meet; what neither names may be left open.
			x, y := narrowness(book.Ranking, c.Rules[0], c.Situation), narrowness(book.Ranking, c.Rules[1], c.Situation)
			if x == "" || x != y {
				t.Fatalf("%s and %s do not meet in %v", c.Rules[0].ID, c.Rules[1].ID, c.Situation)
			}
		}
		if fmt.Sprint(got) != fmt.Sprint(want) {
			t.Fatalf("found %v, expected %v", got, want)
		}
	})
}
