package loan_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/role"
)

func ptr[T any](v T) *T { return &v }

var cad, _ = money.ParseCurrency("CAD")

func kinds(stops []loan.Stop) []loan.StopKind {
	out := []loan.StopKind{}
	for _, s := range stops {
		out = append(out, s.Kind)
	}
	return out
}

func TestStopsOfAPatron(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	limits := loan.Limits{Currency: cad, Owed: ptr(money.Amount(500)), Late: ptr(2)}
	for _, c := range []struct {
		name string
		b    loan.Borrower
		want []loan.StopKind
	}{
		// Common practice, no source: lending stops above $5 owed, not at $5.
		{"owes exactly the limit", loan.Borrower{Standing: loan.Active, Owes: 500}, nil},
		{"owes a cent more", loan.Borrower{Standing: loan.Active, Owes: 501}, []loan.StopKind{loan.OwesTooMuch}},
		{"as many late as allowed", loan.Borrower{Standing: loan.Active, Late: 2}, nil},
		{"one late too many", loan.Borrower{Standing: loan.Active, Late: 3}, []loan.StopKind{loan.TooManyLate}},
		{"the card's last day", loan.Borrower{Standing: loan.Active, CardUntil: &today}, nil},
		{"the day after", loan.Borrower{Standing: loan.Active, CardUntil: ptr(today - 1)}, []loan.StopKind{loan.CardEnded}},
		{"inactive", loan.Borrower{Standing: loan.Inactive}, []loan.StopKind{loan.CardInactive}},
		{"each stop is its own", loan.Borrower{Standing: loan.Excluded, Owes: 900, Late: 9, CardUntil: ptr(today - 1)},
			[]loan.StopKind{loan.CardExcluded, loan.CardEnded, loan.OwesTooMuch, loan.TooManyLate}},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.ElementsMatch(t, c.want, kinds(loan.StopsOf(c.b, limits, today, calendar.UsualStyle)))
		})
	}
	assert.Empty(
		t,
		loan.StopsOf(loan.Borrower{Standing: loan.Active, Owes: 1e9, Late: 99}, loan.Limits{Currency: cad}, today, calendar.UsualStyle),
		"no limits, no stops",
	)
}

func TestStopsForAnItem(t *testing.T) {
	all := loan.Limits{Currency: cad, Allowed: true}
	with := func(change func(*loan.Limits)) loan.Limits { l := all; change(&l); return l }
	for _, c := range []struct {
		name string
		b    loan.Borrower
		l    loan.Limits
		want []loan.StopKind
	}{
		{"nothing in the way", loan.Borrower{}, all, nil},
		{"not lent at all", loan.Borrower{}, loan.Limits{Currency: cad}, []loan.StopKind{loan.NotLent}},
		{"the last one allowed", loan.Borrower{Loans: 3}, with(func(l *loan.Limits) { l.AtOnce = ptr(4) }), nil},
		{"one too many", loan.Borrower{Loans: 4}, with(func(l *loan.Limits) { l.AtOnce = ptr(4) }), []loan.StopKind{loan.TooMany}},
		{"one too many of its kind", loan.Borrower{Loans: 4, Alike: 2}, with(func(l *loan.Limits) { l.AtOnce, l.AlikeAtOnce = ptr(9), ptr(2) }), []loan.StopKind{loan.TooManyAlike}},
		{"old enough on the birthday", loan.Borrower{Age: ptr(16)}, with(func(l *loan.Limits) { l.LeastAge = 16 }), nil},
		{"too young", loan.Borrower{Age: ptr(15)}, with(func(l *loan.Limits) { l.LeastAge = 16 }), []loan.StopKind{loan.TooYoung}},
		{"age not known", loan.Borrower{}, with(func(l *loan.Limits) { l.LeastAge = 16 }), []loan.StopKind{loan.TooYoung}},
		{"a guardian said yes", loan.Borrower{Age: ptr(12), Consent: ptr(true)}, with(func(l *loan.Limits) { l.ConsentNeeded = true }), nil},
		{"a guardian said no", loan.Borrower{Age: ptr(12), Consent: ptr(false)}, with(func(l *loan.Limits) { l.ConsentNeeded = true }), []loan.StopKind{loan.NoConsent}},
		{"a guardian was not asked", loan.Borrower{Age: ptr(12)}, with(func(l *loan.Limits) { l.ConsentNeeded = true }), []loan.StopKind{loan.NoConsent}},
		{"a no from years ago binds no adult", loan.Borrower{Age: ptr(18), Consent: ptr(false)}, with(func(l *loan.Limits) { l.ConsentNeeded = true }), nil},
	} {
		t.Run(c.name, func(t *testing.T) { assert.ElementsMatch(t, c.want, kinds(loan.StopsFor(c.b, c.l))) })
	}
}

func TestAge(t *testing.T) {
	for _, c := range []struct {
		name      string
		born, day calendar.Date
		want      int
	}{
		{"the day before the birthday", calendar.MakeDate(2010, 10, 7), calendar.MakeDate(2026, 10, 6), 15},
		{"on the birthday", calendar.MakeDate(2010, 10, 6), calendar.MakeDate(2026, 10, 6), 16},
		{"born on a leap day, in a common year", calendar.MakeDate(2012, 2, 29), calendar.MakeDate(2026, 3, 1), 14},
	} {
		assert.Equal(t, c.want, loan.AgeOn(c.born, c.day), c.name)
	}
}

func TestExtended(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	assert.Equal(t, today+365, loan.Extended(nil, today, 365))
	assert.Equal(t, today+365, loan.Extended(ptr(today-30), today, 365), "time without a card is not paid for")
	assert.Equal(t, today+40+365, loan.Extended(ptr(today+40), today, 365), "nor is time lost by coming early")
}

func TestMayExtendAndUndo(t *testing.T) {
	today := calendar.MakeDate(2026, 10, 6)
	assert.True(t, loan.MayExtend(ptr(today-400), today))
	assert.True(t, loan.MayExtend(ptr(today+59), today))
	assert.False(t, loan.MayExtend(ptr(today+60), today))
	assert.False(t, loan.MayExtend(nil, today), "a card that does not run out")
	now := time.Date(2026, 10, 6, 18, 0, 0, 0, time.UTC)
	assert.True(t, loan.MayUndo(role.Desk, now.Add(-12*time.Hour), now))
	assert.False(t, loan.MayUndo(role.Desk, now.Add(-13*time.Hour), now))
	assert.True(t, loan.MayUndo(role.Supervisor, now.AddDate(0, 0, -3), now))
}

func TestDueDatesByHand(t *testing.T) {
	branch := &calendar.Branch{
		Name: "Saltmere", Location: time.UTC,
		Weekly: [7]calendar.Day{time.Monday: {{From: 540, To: 1020}}, time.Tuesday: {{From: 540, To: 1020}}},
	}
	monday := calendar.MakeDate(2026, 10, 5)
	was := loan.OnDate(monday + 14)
	for _, c := range []struct {
		name   string
		was    loan.Due
		day    calendar.Date
		reason string
		says   string
	}{
		{"a week later", was, monday + 21, "holiday", ""},
		{"today", was, monday, "wanted", ""},
		{"the same day", was, monday + 14, "holiday", "already"},
		{"yesterday", was, monday - 1, "holiday", "past"},
		{"no reason", was, monday + 21, " ", "Enter a reason for the change."},
		{"a closed day", was, monday + 23, "holiday", "It next opens on Mon 2 Nov 2026"},
		{"a wrong year", was, monday + 3650, "holiday", "This is more than a year ahead. Check the year."},
		{"lost", was, monday + 21, "holiday", "marked lost"},
		{"This is an hourly loan. Renew or return it.", loan.AtInstant(time.Now()), monday, "holiday", "This is an hourly loan. Renew or return it."},
	} {
		t.Run(c.name, func(t *testing.T) {
			says := loan.ByHand(c.was, c.name == "lost", c.day, monday, branch, c.reason)
			if c.says == "" {
				assert.Empty(t, says)
				return
			}
			assert.Contains(t, says, c.says)
		})
	}
}
