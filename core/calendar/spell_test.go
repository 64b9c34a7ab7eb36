package calendar_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
)

// open is a branch that is open from Tuesday to Saturday.
func open(closures ...calendar.Closure) *calendar.Branch {
	b := &calendar.Branch{Closures: closures, Openings: map[calendar.Date]calendar.Opening{}}
	for day := 2; day <= 6; day++ {
		b.Weekly[day] = calendar.Day{{From: 600, To: 1080}}
	}
	return b
}

func TestSpells(t *testing.T) {
	on := func(day int) calendar.Date { return calendar.MakeDate(2026, 10, day) } // the 6th is a Tuesday
	type spells = []calendar.Spell
	for name, c := range map[string]struct {
		branch      *calendar.Branch
		first, last int
		want        spells
	}{
		"the week alone is none": {open(), 1, 31, nil},
		"a day in the week": {
			open(calendar.Closure{From: on(8), To: on(8), Name: "Storm"}), 6, 20,
			spells{{From: on(8), To: on(8), Names: []string{"Storm"}, Reopens: on(9)}},
		},
		"with the closed days of the week on both sides": {
			open(calendar.Closure{From: on(13), To: on(17), Name: "Painting"}), 6, 31,
			spells{{From: on(11), To: on(19), Names: []string{"Painting"}, Reopens: on(20)}},
		},
		"two that touch over a weekend are one": {
			open(calendar.Closure{From: on(10), To: on(10), Name: "Fair"}, calendar.Closure{From: on(13), To: on(13), Name: "Stocktaking"}), 6, 31,
			spells{{From: on(10), To: on(13), Names: []string{"Fair", "Stocktaking"}, Reopens: on(14)}},
		},
		"begun before": {
			open(calendar.Closure{From: on(6), To: on(9), Name: "Heating"}), 8, 31,
			spells{{From: on(8), To: on(9), Names: []string{"Heating"}, Reopens: on(10)}},
		},
		"begun within goes on beyond": {
			open(calendar.Closure{From: on(9), To: on(24), Name: "Heating"}), 6, 10,
			spells{{From: on(9), To: on(26), Names: []string{"Heating"}, Reopens: on(27)}},
		},
	} {
		assert.Equal(t, c.want, c.branch.Spells(on(c.first), on(c.last)), name)
	}
	never := calendar.Branch{Closures: []calendar.Closure{{From: on(7), To: on(8), Name: "Moved"}}}
	assert.Equal(t, spells{{From: on(6), To: on(9), Names: []string{"Moved"}}}, never.Spells(on(6), on(9)))
}

// Spells are apart, closed throughout, and between open days; every closed day of a closure lies in one.
func TestSpellsCoverClosures(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		first := calendar.MakeDate(2026, 10, 6)
		last := first.Add(60)
		day := rapid.IntRange(0, 60)
		b := open()
		for range rapid.IntRange(0, 4).Draw(t, "closures") {
			from := first.Add(day.Draw(t, "from"))
			b.Closures = append(b.Closures, calendar.Closure{From: from, To: from.Add(rapid.IntRange(0, 9).Draw(t, "more")), Name: "x"})
		}
		in := map[calendar.Date]bool{}
		for _, s := range b.Spells(first, last) {
			assert.True(t, s.From <= s.To && b.OpenOn(s.Reopens) && s.Reopens == s.To+1)
			assert.True(t, s.From == first || b.OpenOn(s.From-1))
			for d := s.From; d <= s.To; d++ {
				assert.False(t, b.OpenOn(d) || in[d], d)
				in[d] = true
			}
		}
		for d := first; d <= last; d++ {
			_, by, _ := b.Settled(d)
			assert.True(t, by != calendar.ByClosure || in[d], d)
		}
	})
}
