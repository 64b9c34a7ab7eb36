package rulebook_test

import (
	"encoding/json"
	"maps"
	"os"
	"slices"
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
				"base":  `{"loan_period": "P14D", "awaited_period": "P6D", "grace": 0, "renewals": 5}`,
				"films": `{"fine_rate": "0.50"}`,
			},
		)
		now := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
		var want rulebook.Tally
		days := map[int]int{}
		whole, one, two := rulebook.Rehearse(draft, nil, now), rulebook.Rehearse(draft, nil, now), rulebook.Rehearse(draft, nil, now)
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
				g.Price, g.Awaited = &price, rapid.Bool().Draw(t, "awaited")
				last := g.Lent
				p := rulebook.Past{
					ID:        int64(len(loans)),
					Patron:    int64(patron),
					Situation: g.Situation,
					Book:      old,
					Lent:      g.Lent,
					Price:     &price,

					AwaitedThen: g.Awaited,
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
	r := rulebook.Rehearse(draft, nil, late)
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

// anyHistory draws what one patron borrowed under some editions: with terms of the item's own, renewals beyond what is allowed, due dates
// that a hand or a closure has moved, awaited titles, and loans whose patron is no longer known.
func anyHistory(t *rapid.T, books []*rulebook.Rulebook, patron int64, now time.Time) []rulebook.Past {
	var loans []rulebook.Past
	cut := rapid.IntRange(0, 3).Draw(t, "cut") == 0
	for k := range rapid.IntRange(1, 4).Draw(t, "loans") {
		book := rapid.SampledFrom(books).Draw(t, "edition")
		branch := rapid.SampledFrom(book.Branches).Draw(t, "branch")
		p := rulebook.Past{
			ID: int64(k), Patron: patron, Book: book, Cut: cut,
			Situation: rulebook.Situate(branch.Code, branch.Code, "general",
				rapid.SampledFrom([]string{"book", "film", "laptop"}).Draw(t, "material"),
				rapid.SampledFrom([]string{"adult", "child", "educator"}).Draw(t, "class")),
			Lent:        anyInstant(t, "lent"),
			AwaitedThen: rapid.Bool().Draw(t, "awaited then"),
			Awaited:     rapid.Bool().Draw(t, "awaited"),
		}
		if rapid.Bool().Draw(t, "priced") {
			p.Price = new(money.Amount(rapid.IntRange(1, 4000).Draw(t, "price")))
		}
		if rapid.IntRange(0, 4).Draw(t, "own") == 0 {
			own, err := book.ParseSettings([]byte(`{"loan_period": "P3D", "awaited_period": "P1D", "fine_rate": "1.00"}`))
			require.NoError(t, err)
			p.Own = own
		}
		terms := book.Decide(p.Situation, p.Own)
		p.Due, _, _ = terms.Lend(branch, p.Lent, p.AwaitedThen)
		last := p.Lent
		if rapid.Bool().Draw(t, "renewed") {
			last = last.Add(time.Duration(rapid.IntRange(0, 30000).Draw(t, "renewed after")) * time.Minute)
			p.Renewed, p.Renewals = new(last), rapid.IntRange(1, 9).Draw(t, "renewals")
			p.Due, _ = loan.Renew(branch, terms.Loan(), p.Due, last)
		}
		if rapid.IntRange(0, 3).Draw(t, "moved") == 0 {
			p.Due = loan.OnDate(branch.Date(anyInstant(t, "moved to")))
		}
		if returned := last.Add(time.Duration(rapid.IntRange(0, 50000).Draw(t, "returned after")) * time.Minute); returned.Before(now) {
			p.Returned = &returned
		}
		loans = append(loans, p)
	}
	return loans
}

// anyBook is the rulebook of the handbook's examples with some terms of its base rule drawn anew.
func anyBook(t *rapid.T) *rulebook.Rulebook {
	set, terms := map[string]any{}, map[string][]any{
		"loan_period": {"P14D", "P21D", "PT4H"}, "awaited_period": {nil, "P7D", "P30D", "PT2H"},
		"closed_day": {"next", "previous", "keep"}, "latest_due": {[]string{}, []string{"2026-11-06"}}, "renew_from": {"due", "today"},
		"renewals": {0, 1, 4}, "fine_rate": {"0.00", "0.25", "2.00"}, "fine_unit": {"open_day", "calendar_day", "open_hour", "clock_hour"},
		"grace": {0, 2}, "grace_style": {"stays", "lapses"}, "up_to_price": {true, false}, "fine_limit": {nil, "4.00"},
		"loans_at_once": {nil, 1, 3}, "material_at_once": {nil, 1}, "lending_allowed": {true, false}, "owed_limit": {nil, "1.00"},
		"late_items_limit": {nil, 0, 2}, "least_age": {0, 18}, "consent_needed": {true, false}, "least_school_year": {0, 6},
		"patron_renewals": {true, false}, "lost_after": {nil, 30}, "floating": {true, false},
	}
	for _, term := range slices.Sorted(maps.Keys(terms)) {
		if rapid.Bool().Draw(t, "sets "+term) {
			set[term] = rapid.SampledFrom(terms[term]).Draw(t, term)
		}
	}
	data, err := json.Marshal(set)
	require.NoError(t, err)
	_, book := workedAnd(t, map[string]string{"base": string(data)})
	return book
}

// Rules that are rehearsed against the same rules change nothing, whatever they are and whatever happened.
func TestSameRulesMoveNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		now := time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)
		books := []*rulebook.Rulebook{anyBook(t), anyBook(t)}
		nothing := func(what string, r *rulebook.Rehearsed) {
			if r.Moved != 0 || r.Hours != 0 || len(r.ByDays) != 0 || r.Refused != 0 || r.Allowed != 0 || r.RenewalsRefused != 0 ||
				r.Awaited != 0 || r.AwaitedDays != 0 || r.ChargedBefore != r.ChargedAfter || r.LateBefore != r.LateAfter ||
				len(r.Stopped)+len(r.Freed)+len(r.Cases) != 0 {
				t.Fatalf("%s, and yet %+v", what, r)
			}
		}
		then, today := rulebook.Rehearse(books[0], nil, now), rulebook.Rehearse(books[0], books[0], now)
		cut := 0
		for patron := range rapid.IntRange(1, 4).Draw(t, "patrons") {
			one := anyHistory(t, books[:1], int64(patron), now)
			then.Patron(one)
			both := anyHistory(t, books, int64(patron), now)
			today.Patron(both)
			if both[0].Cut {
				cut += len(both)
			}
		}
		nothing("the edition they were made under", then.Result())
		out := today.Result()
		nothing("the rules of today, over loans of two editions", out)
		assert.Equal(t, cut, out.Cut)
	})
}

// A draft is compared with the rules of today, or with those each loan was made under: 21 days then, 14 today, 10 in the draft.
func TestWhatADraftIsComparedWith(t *testing.T) {
	then, today := workedAnd(t, map[string]string{"base": `{"loan_period": "P14D"}`})
	_, draft := workedAnd(t, map[string]string{"base": `{"loan_period": "P10D"}`})
	slm := then.Branches[0]
	lent := slm.At(calendar.MakeDate(2026, 10, 6), 720) // a Tuesday; due on Tuesday 27, 20, or Friday 16 October
	p := rulebook.Past{
		ID: 1, Patron: 1, Book: then, Lent: lent, Returned: new(lent.Add(24 * time.Hour)), Awaited: true,
		Situation: rulebook.Situate(slm.Code, slm.Code, "general", "book", "adult"),
	}
	terms := then.Decide(p.Situation, nil)
	p.Due, _, _ = terms.Lend(slm, lent, false)
	for name, c := range map[string]struct {
		against *rulebook.Rulebook
		due     string
		days    map[int]int
	}{
		"the rules at the time": {nil, "2026-10-27", map[int]int{-11: 1}},
		"today's":               {today, "2026-10-20", map[int]int{-4: 1}},
		"themselves":            {draft, "", map[int]int{}},
	} {
		t.Run(name, func(t *testing.T) {
			r := rulebook.Rehearse(draft, c.against, lent.Add(48*time.Hour))
			r.Patron([]rulebook.Past{p})
			out := r.Result()
			assert.Equal(t, c.days, out.ByDays)
			if c.due != "" {
				assert.Equal(t, []string{c.due, "2026-10-16"}, []string{out.Cases[0].DueBefore, out.Cases[0].DueAfter})
			}
		})
	}
}

// Of loans whose patron is no longer known nobody is stopped, and how many they are is told.
func TestLoansCutFromTheirPatron(t *testing.T) {
	old, draft := workedAnd(t, map[string]string{"base": `{"owed_limit": "1.00", "fine_rate": "3.00", "grace": 0}`})
	slm := old.Branches[0]
	lent := slm.At(calendar.MakeDate(2026, 10, 6), 720)
	p := rulebook.Past{
		ID: 1, Patron: -1, Cut: true, Book: old, Lent: lent, Returned: new(lent.Add(30 * 24 * time.Hour)),
		Situation: rulebook.Situate(slm.Code, slm.Code, "general", "book", "adult"),
	}
	terms := old.Decide(p.Situation, nil)
	p.Due, _, _ = terms.Lend(slm, lent, false)
	cut, known := rulebook.Rehearse(draft, nil, lent), rulebook.Rehearse(draft, nil, lent)
	cut.Patron([]rulebook.Past{p})
	p.Cut, p.Patron = false, 1
	known.Patron([]rulebook.Past{p})
	out := cut.Result(known)
	assert.Equal(t, 1, out.Cut)
	assert.Equal(t, []int64{1}, out.Stopped)
	assert.Positive(t, out.ChargedAfter)
}

// Where a hand or a closure has moved a due date, and the draft does not touch due dates, it is late from the date that is on record.
func TestMovedDueDatesAreKept(t *testing.T) {
	old, draft := workedAnd(t, map[string]string{"base": `{"fine_rate": "1.00"}`})
	slm := old.Branches[0]
	lent := slm.At(calendar.MakeDate(2026, 10, 6), 720)
	back := slm.At(calendar.MakeDate(2026, 11, 3), 720)
	for due, want := range map[calendar.Date]int{calendar.MakeDate(2026, 11, 10): 0, calendar.MakeDate(2026, 10, 27): 1} {
		r := rulebook.Rehearse(draft, nil, back)
		r.Patron([]rulebook.Past{{
			ID: 1, Patron: 1, Book: old, Lent: lent, Returned: &back, Due: loan.OnDate(due),
			Situation: rulebook.Situate(slm.Code, slm.Code, "general", "book", "adult"),
		}})
		out := r.Result()
		assert.Equal(t, []int{want, want, 0}, []int{out.LateBefore, out.LateAfter, out.Moved}, due)
		assert.Equal(t, want > 0, out.ChargedAfter > out.ChargedBefore, due)
	}
}
