package begin_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nevrin/app/begin"
	"nevrin/core/rulebook"
)

// What comes of a few answers holds together in currencies with no, two and three decimals: no rule is odd, every example comes out, and
// sums are of a size that the currency has.
func TestUsualNetworks(t *testing.T) {
	now := time.Date(2026, 12, 1, 9, 0, 0, 0, time.UTC)
	for currency, fine := range map[string]string{"CAD": "0.20", "EUR": "0.20", "JPY": "20", "KWD": "0.200"} {
		for name, answers := range map[string]begin.Answers{
			"one branch":      {Branches: []begin.Branch{{"OST", "Ostkai"}}},
			"with a courier":  {Branches: []begin.Branch{{"OST", "Ostkai"}, {"SUD", "Südtor"}, {"WST", "Westhof"}}, Courier: "daily"},
			"an evening only": {Branches: []begin.Branch{{"OST", "Ostkai"}}, Hours: "sun 18:00-20:30", Courier: "daily"},
		} {
			answers.Name, answers.Timezone, answers.Currency = "Trial", "Asia/Kolkata", currency
			p, err := begin.Prepare(answers, now)
			require.NoError(t, err, "%s %s", currency, name)
			assert.Empty(t, p.Book.Unfit())
			assert.Empty(t, p.Book.Warnings())
			assert.Empty(t, p.Book.Traps(nil))
			assert.Len(t, p.Book.Examples, 6)
			terms := p.Book.Decide(rulebook.Situate("OST", "OST", "general", "book", "adult"), nil)
			assert.Equal(t, fine, terms.Value(rulebook.FineRate).Plain(rulebook.FineRate, p.Book.Currency))
			for _, c := range []string{"child", "youth"} {
				terms := p.Book.Decide(rulebook.Situate("OST", "OST", "children", "book", c), nil)
				assert.Zero(t, terms.Value(rulebook.FineRate).Amount())
			}
			terms = p.Book.Decide(rulebook.Situate("OST", "OST", "reference", "book", "institution"), nil)
			assert.False(t, terms.Value(rulebook.LendingAllowed).YesNo(), "also to who is otherwise let off")
		}
	}
}

func TestAnswersThatCannotBe(t *testing.T) {
	one := []begin.Branch{{"OST", "Ostkai"}}
	many := strings.Fields(strings.Repeat("x ", 40))
	var forty []begin.Branch
	for k := range many {
		forty = append(forty, begin.Branch{Code: "A" + string(rune('A'+k/26)) + string(rune('A'+k%26)), Name: "B"})
	}
	for says, a := range map[string]begin.Answers{
		"expected days and times, such as mon-fri": {Name: "N", Timezone: "Europe/Berlin", Currency: "EUR", Branches: one, Hours: "always"},
		"the time zone":                {Name: "N", Timezone: "Berlin", Currency: "EUR", Branches: one},
		"the currency":                 {Name: "N", Timezone: "Europe/Berlin", Currency: "euro", Branches: one},
		"expected none or daily":       {Name: "N", Timezone: "Europe/Berlin", Currency: "EUR", Branches: one, Courier: "weekly"},
		"--name":                       {Timezone: "Europe/Berlin", Currency: "EUR", Branches: one},
		"There is no branch":           {Name: "N", Timezone: "Europe/Berlin", Currency: "EUR"},
		"a second time":                {Name: "N", Timezone: "Europe/Berlin", Currency: "EUR", Branches: append(one, one...)},
		"a daily round of 40 branches": {Name: "N", Timezone: "Europe/Berlin", Currency: "EUR", Branches: forty, Courier: "daily"},
		`"18:00-10:00" does not end after it begins`: {Name: "N", Timezone: "Europe/Berlin", Currency: "EUR", Branches: one, Hours: "mon 18:00-10:00"},
	} {
		_, err := begin.Prepare(a, time.Now())
		assert.ErrorContains(t, err, says)
	}
	for text, right := range map[string]bool{"HVH Havenhead": true, "hvh=Haven Head": true, "HVH": false, "Haven Head": false, "": false} {
		b, err := begin.ParseBranch(text)
		assert.Equal(t, right, err == nil, "%q %+v", text, b)
	}
	hours, err := begin.ParseHours("Mon-Wed 09:00-12:00 13:00-17:00, sat-sun 10:00-14:00")
	require.NoError(t, err)
	assert.Equal(t, []string{"09:00-12:00", "13:00-17:00"}, hours["tue"])
	assert.Equal(t, []string{"10:00-14:00"}, hours["sun"])
	assert.NotContains(t, hours, "thu")
}
