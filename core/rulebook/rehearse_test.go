package rulebook_test

import (
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/rulebook"
)

// workedAnd is the rulebook of the handbook's examples, and a draft of it with some rules changed.
func workedAnd(t require.TestingT, changes map[string]string) (*rulebook.Rulebook, *rulebook.Rulebook) {
	data, err := os.ReadFile("../testdata/worked-rules.json")
	require.NoError(t, err)
	book, err := rulebook.Read(data)
	require.NoError(t, err)
	var rules []*rulebook.Rule
	for _, r := range book.Rules {
		if change, ok := changes[r.ID]; ok {
			settings, err := book.ParseSettings([]byte(change))
			require.NoError(t, err)
			changed := *r
			changed.Settings = settings
			for _, s := range r.Settings {
				if _, again := changed.Sets(s.Term); !again {
					changed.Settings = append(changed.Settings, s)
				}
			}
			r = &changed
		}
		rules = append(rules, r)
	}
	return book, rulebook.New(book.Currency, book.Branches, book.Ranking, rules)
}

// A rehearsal comes to what the sums of each single loan come to, however it is cut into parts.
func TestRehearsalIsTheSumOfItsLoans(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		old, draft := workedAnd(
			t,
			map[string]string{
				"base":  `{"loan_period": "P14D", "grace": 0, "renewals": 5}`,
				"films": `{"fine_rate": "0.50"}`,
			},
		)
		now := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
		var want rulebook.Tally
		days := map[int]int{}
		whole, one, two := rulebook.Rehearse(draft, now), rulebook.Rehearse(draft, now), rulebook.Rehearse(draft, now)
		for patron := range rapid.IntRange(1, 6).Draw(t, "patrons") {
			var loans []rulebook.Past
			for range rapid.IntRange(1, 4).Draw(t, "loans") {
				branch := rapid.SampledFrom(old.Branches).Draw(t, "branch")
				g := rulebook.Given{
					Lent: time.Date(2026, 10, 1, 12, 0, 0, 0, time.UTC).
						Add(time.Duration(rapid.IntRange(0, 40000).Draw(t, "lent")) * time.Minute),
					Situation: rulebook.Situate(
						branch.Code,
						branch.Code,
						"general",
						rapid.SampledFrom([]string{"book", "film", "laptop"}).Draw(t, "material"),
						rapid.SampledFrom([]string{"adult", "child", "educator"}).Draw(t, "patron"),
					),
				}
				price := money.Amount(rapid.IntRange(100, 4000).Draw(t, "price"))
				g.Price = &price
				last := g.Lent
				p := rulebook.Past{
					ID:        int64(len(loans)),
					Patron:    int64(patron),
					Situation: g.Situation,
					Book:      old,
					Lent:      g.Lent,
					Price:     &price,
				}
				if rapid.Bool().Draw(t, "renewed") {
					last = last.Add(time.Duration(rapid.IntRange(0, 50000).Draw(t, "renewed after")) * time.Minute)
					at := last
					g.Renewed, p.Renewed, p.Renewals = &at, &at, 1
				}
				returned := last.Add(time.Duration(rapid.IntRange(0, 50000).Draw(t, "returned after")) * time.Minute)
				if rapid.IntRange(0, 5).Draw(t, "still out") == 0 && !now.Before(last) {
					returned = now
				} else {
					p.Returned = &returned
				}
				g.Returned = &returned
				was, is := old.Compute(g), draft.Compute(g)
				p.Due = was.Due
				want.Loans++
				want.ChargedBefore += was.Lateness.Fine
				want.ChargedAfter += is.Lateness.Fine
				if was.Lateness.Late > 0 {
					want.LateBefore++
				}
				if is.Lateness.Late > 0 {
					want.LateAfter++
				}
				if was.Due.Hours != is.Due.Hours || was.Due.Date != is.Due.Date || !was.Due.At.Equal(is.Due.At) {
					want.Moved++
					if !is.Due.Hours {
						days[is.Due.Date.DaysSince(was.Due.Date)]++
					}
				}
				loans = append(loans, p)
			}
			whole.Patron(loans)
			if patron%2 == 0 {
				one.Patron(loans)
			} else {
				two.Patron(loans)
			}
		}
		a, b := whole.Result(), one.Result(two)
		if a.Tally != want {
			t.Fatalf("came %+v, expected %+v", a.Tally, want)
		}
		assert.Equal(t, days, a.ByDays)
		assert.Equal(t, a.Tally, b.Tally, "in parts")
		assert.Equal(t, a.By, b.By)
		sum := rulebook.Tally{}
		for _, tally := range a.By["patron_class"] {
			sum.Loans += tally.Loans
			sum.ChargedAfter += tally.ChargedAfter
		}
		assert.Equal(t, want.Loans, sum.Loans)
		assert.Equal(t, want.ChargedAfter, sum.ChargedAfter)
	})
}

func TestRehearsalSaysWhoIsStoppedAndWhatIsRefused(t *testing.T) {
	old, draft := workedAnd(
		t,
		map[string]string{"base": `{"owed_limit": "5.00", "loans_at_once": 2, "fine_rate": "3.00", "grace": 0}`},
	)
	slm := old.Branches[0]
	at := func(day, hour int) time.Time {
		return slm.At(calendar.MakeDate(2026, 10, day), calendar.Minute(hour*60))
	}
	situation := rulebook.Situate(slm.Code, slm.Code, "general", "book", "adult")
	past := func(id int64, lent, returned time.Time) rulebook.Past {
		due, _ := loan.Lend(slm, func() loan.Terms { terms := old.Decide(situation, nil); return terms.Loan() }(), lent)
		return rulebook.Past{
			ID:        id,
			Patron:    7,
			Situation: situation,
			Book:      old,
			Lent:      lent,
			Returned:  &returned,
			Due:       due,
			Awaited:   true,
		}
	}
	late := slm.At(calendar.MakeDate(2026, 10, 30), 720) // due on the 27th
	r := rulebook.Rehearse(draft, late)
	r.Patron(
		[]rulebook.Past{
			past(1, at(6, 11), late),
			past(2, at(6, 12), at(7, 12)),
			past(3, at(6, 13), at(7, 12)),
			past(4, at(8, 12), at(9, 12)),
		},
	)
	out := r.Result()
	assert.Equal(t, 1, out.Refused, "the third at once; the fourth comes when two are back")
	assert.Equal(t, []int64{7}, out.Stopped)
	assert.Empty(t, out.Freed)
	require.NotEmpty(t, out.Cases)
	assert.EqualValues(t, 3, out.Cases[0].Loan)
	assert.Contains(t, out.Cases[0].Refused, "2 are allowed at once")
	assert.EqualValues(t, 1, out.Cases[1].Loan)
	assert.Equal(t, 0, out.Moved)
}
