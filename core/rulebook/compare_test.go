package rulebook_test

import (
	"context"
	"fmt"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"nevrin/core/calendar"
	"nevrin/core/rulebook"
)

// every calls for all situations of the small world, with values that no rule names.
func every(call func(at rulebook.Situation)) {
	var look func(at rulebook.Situation, d int)
	look = func(at rulebook.Situation, d int) {
		if d == len(worldValues) {
			call(at)
			return
		}
		values := worldValues[d]
		if !rulebook.Dimension(d).OfBranch() {
			values = append([]string{"unheard of"}, values...)
		}
		for _, v := range values {
			at[d] = v
			look(at, d+1)
		}
	}
	look(rulebook.Situation{}, 0)
}

// A comparison names every situation whose term differs, and no other.
func TestComparisonIsComplete(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		old, revised := anyRules(t), anyRules(t)
		shifts, err := rulebook.CompareTerms(context.Background(), old, revised)
		require.NoError(t, err)
		every(func(at rulebook.Situation) {
			was, is := old.Decide(at, nil), revised.Decide(at, nil)
			differs := !was.Value(rulebook.Renewals).Equal(is.Value(rulebook.Renewals))
			named := 0
			for _, s := range shifts {
				inside := true
				for d, values := range s.Alike {
					v := at[d]
					if v == "unheard of" {
						v = ""
					}
					found := false
					for _, x := range values {
						// A value that only one world names stands under "" where no rule names it.
						found = found || x == v || x == "" && !namedBy(old, revised, d, v)
					}
					inside = inside && found
				}
				if inside {
					named++
					if !s.New.Value.Equal(is.Value(rulebook.Renewals)) {
						t.Fatalf("%v: the comparison says %v", at, s)
					}
				}
			}
			if differs != (named == 1) || named > 1 {
				t.Fatalf("%v differs: %v, named %d times in %v", at, differs, named, shifts)
			}
		})
	})
}

func namedBy(old, revised *rulebook.Rulebook, d int, v string) bool {
	for _, b := range []*rulebook.Rulebook{old, revised} {
		for _, r := range b.Rules {
			for _, x := range r.Scope[d].Values {
				if x == v {
					return true
				}
			}
		}
	}
	return rulebook.Dimension(d).OfBranch()
}

// A rule that decides nothing can be removed, and one that decides something cannot.
func TestRulesThatDecideNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		book := anyRules(t)
		found := map[string]bool{}
		every(func(at rulebook.Situation) {
			terms := book.Decide(at, nil)
			found[terms.Of(rulebook.Renewals).RuleID()] = true
		})
		decides, err := book.Decides(context.Background())
		require.NoError(t, err)
		for k, terms := range decides {
			if terms[rulebook.Renewals] != found[book.Rules[k].ID] {
				t.Fatalf("%s decides: %v, found %v", book.Rules[k].ID, terms, found)
			}
		}
	})
}

func TestComparisonInWords(t *testing.T) {
	data, err := os.ReadFile("../testdata/worked-rules.json")
	require.NoError(t, err)
	old, err := rulebook.Read(data)
	require.NoError(t, err)
	rules := append([]*rulebook.Rule{}, old.Rules...)
	longer, err := old.ParseSettings([]byte(`{"loan_period": "P10D"}`))
	require.NoError(t, err)
	for k, r := range rules {
		if r.ID == "films" {
			changed := *r
			changed.Settings = append(append([]rulebook.Setting{}, longer...), r.Settings[1:]...)
			rules[k] = &changed
		}
	}
	gone := rules[len(rules)-1]
	revised := rulebook.New(old.Currency, old.Branches, old.Ranking, rules[:len(rules)-1])
	changes := rulebook.CompareRules(old, revised)
	require.Len(t, changes, 2)
	assert.Equal(t, "films", changes[0].New.ID)
	assert.Equal(t, gone.ID, changes[1].Old.ID)
	assert.Nil(t, changes[1].New)
	assert.Empty(t, rulebook.CompareRules(old, old))
	same, err := rulebook.CompareTerms(t.Context(), old, old)
	require.NoError(t, err)
	assert.Empty(t, same)
	shifts, err := rulebook.CompareTerms(t.Context(), old, revised)
	require.NoError(t, err)
	said := ""
	for _, s := range shifts {
		if s.Term == rulebook.LoanPeriod {
			said += revised.SayShift(s) + fmt.Sprintln(
				":",
				s.Old.Value.Say(s.Term, old.Currency, calendar.UsualStyle),
				"to",
				s.New.Value.Say(s.Term, old.Currency, calendar.UsualStyle),
			)
		}
	}
	assert.Contains(t, said, "material class film")
	assert.Contains(t, said, "7 days to 10 days")
}

// What was changed since a draft was begun, and the draft does not have: changed, new and gone rules; not what the draft has as well or
// says in a way of its own.
func TestDropped(t *testing.T) {
	begun, _ := workedAnd(t, nil)
	without := func(b *rulebook.Rulebook, id string) *rulebook.Rulebook {
		return rulebook.New(b.Currency, b.Branches, b.Ranking, slices.DeleteFunc(slices.Clone(b.Rules), func(r *rulebook.Rule) bool { return r.ID == id }))
	}
	_, changed := workedAnd(t, map[string]string{"base": `{"renewals": 7}`})
	_, otherwise := workedAnd(t, map[string]string{"base": `{"renewals": 1}`})
	for name, c := range map[string]struct {
		begun, inForce, draft *rulebook.Rulebook
		dropped               []string
	}{
		"nothing was changed":                {begun, begun, otherwise, nil},
		"a changed rule":                     {begun, changed, begun, []string{"base"}},
		"a rule that is gone":                {begun, without(begun, "laptops"), begun, []string{"laptops"}},
		"a new rule":                         {without(begun, "laptops"), begun, without(begun, "laptops"), []string{"laptops"}},
		"the draft has the change, too":      {begun, changed, changed, nil},
		"the draft says something else":      {begun, changed, otherwise, nil},
		"the draft took it away, too":        {begun, without(begun, "laptops"), without(begun, "laptops"), nil},
		"a change, beside others of its own": {begun, changed, without(begun, "laptops"), []string{"base"}},
	} {
		t.Run(name, func(t *testing.T) {
			var got []string
			for _, d := range rulebook.Dropped(c.begun, c.inForce, c.draft) {
				if d.Old != nil {
					got = append(got, d.Old.ID)
				} else {
					got = append(got, d.New.ID)
				}
			}
			assert.Equal(t, c.dropped, got)
		})
	}
}
