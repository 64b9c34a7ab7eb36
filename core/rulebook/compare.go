package rulebook

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"nevrin/core/expect"
)

// Change is a rule that differs between two rulebooks; Old or New is nil where one has no such rule.
type Change struct {
	Old, New *Rule
}

// CompareRules lists the rules that differ, by their ids, in the order of the newer rulebook and then what is gone.
func CompareRules(old, revised *Rulebook) []Change {
	before := map[string]*Rule{}
	for _, r := range old.Rules {
		before[r.ID] = r
	}
	var out []Change
	for _, r := range revised.Rules {
		was := before[r.ID]
		delete(before, r.ID)
		if was == nil || !sameRule(was, r) {
			out = append(out, Change{was, r})
		}
	}
	for _, r := range old.Rules {
		if before[r.ID] != nil {
			out = append(out, Change{Old: r})
		}
	}
	return out
}

// Dropped lists what has been changed between the rulebook that a draft was begun from and the one in force, and the draft does not
// have: it still says what was said before. Putting it in force takes these changes back.
func Dropped(begun, inForce, draft *Rulebook) []Change {
	has := map[string]*Rule{}
	for _, r := range draft.Rules {
		has[r.ID] = r
	}
	same := func(x, y *Rule) bool { return x == y || x != nil && y != nil && sameRule(x, y) }
	return slices.DeleteFunc(CompareRules(begun, inForce), func(c Change) bool {
		id := ""
		if c.Old != nil {
			id = c.Old.ID
		} else {
			id = c.New.ID
		}
		return !same(has[id], c.Old)
	})
}

// sameRule compares by meaning: scope and settings, and the name that people read.
func sameRule(a, b *Rule) bool {
	return a.Name == b.Name && sameSettings(a.Settings, b.Settings) && a.Scope.Same(&b.Scope)
}

func sameSettings(a, b []Setting) bool {
	return slices.EqualFunc(a, b, func(x, y Setting) bool { return x.Term == y.Term && x.Value.Equal(y.Value) })
}

// Same tells whether two scopes admit the same, in whatever order they name it.
func (s *Scope) Same(other *Scope) bool {
	for d := range s {
		x, y := s[d].Texts(), other[d].Texts()
		slices.Sort(x)
		slices.Sort(y)
		if !slices.Equal(slices.Compact(x), slices.Compact(y)) {
			return false
		}
	}
	return true
}

// kinds are, for a dimension, one value for each set of values that all given rulebooks treat alike,
// with how many values it stands for. A value that no rule names stands as "" unless it is a branch.
func kinds(d Dimension, books ...*Rulebook) []kindOf {
	var out []kindOf
	at := map[string]int{}
	values := map[string]bool{}
	for _, b := range books {
		for _, v := range b.index.names[d] {
			values[v] = true
		}
	}
	add := func(v string) {
		var key strings.Builder
		for _, b := range books {
			s, ok := b.index.admit[d][v]
			if !ok {
				s = b.index.unnamed[d]
			}
			for _, w := range s {
				for shift := 0; shift < 64; shift += 8 {
					key.WriteByte(byte(w >> shift))
				}
			}
			key.WriteByte('|')
		}
		k, known := at[key.String()]
		if !known {
			k = len(out)
			at[key.String()] = k
			out = append(out, kindOf{value: v})
		}
		out[k].alike = append(out[k].alike, v)
	}
	for _, v := range slices.Sorted(maps.Keys(values)) {
		add(v)
	}
	if !d.OfBranch() || len(out) == 0 {
		add("")
	}
	return out
}

// kindOf is a value that stands for all that rules treat alike.
type kindOf struct {
	value string
	alike []string
}

// maxSituations bounds how many kinds of situations rules may tell apart: what they come to is looked at in each.
const maxSituations = 5_000_000

// kindsOfAll are the kinds of all dimensions. Their number is the product over the dimensions.
func kindsOfAll(books ...*Rulebook) (all [dimensions][]kindOf, err error) {
	number := 1
	for d := range all {
		all[d] = kinds(Dimension(d), books...)
		number *= max(len(all[d]), 1)
		if number > maxSituations {
			return all, expect.Errorf(
				fmt.Sprintf("at most %d; name values together that are meant alike", maxSituations),
				"rules that tell more than %d kinds of situations apart", maxSituations,
			)
		}
	}
	return all, nil
}

// situations calls for one situation of every kind that the rulebooks tell apart, until the context ends.
func situations(ctx context.Context, call func(at Situation, alike [dimensions][]string), books ...*Rulebook) error {
	all, err := kindsOfAll(books...)
	if err != nil {
		return err
	}
	var at Situation
	var alike [dimensions][]string
	var walk func(d int) error
	walk = func(d int) error {
		if d == len(all) {
			call(at, alike)
			return nil
		}
		for _, k := range all[d] {
			at[d], alike[d] = k.value, k.alike
			if err := walk(d + 1); err != nil {
				return err
			}
		}
		return ctx.Err()
	}
	return walk(0)
}

// Shift is a term that two rulebooks settle differently in situations that they treat alike.
type Shift struct {
	Term     Term
	Old, New Settled
	Alike    [dimensions][]string // values of each dimension; "" stands for all that no rule names
}

// maxShifts bounds what a comparison holds at once; nobody reads so many.
const maxShifts = 200_000

// CompareTerms lists where two rulebooks settle terms differently. Shifts that say the same of
// neighbouring situations are joined, so that there are about as many as one would write down. Of two rulebooks that
// differ nearly everywhere not all is listed.
func CompareTerms(ctx context.Context, old, revised *Rulebook) ([]Shift, error) {
	var out []Shift
	err := situations(ctx, func(at Situation, alike [dimensions][]string) {
		if len(out) >= maxShifts {
			return
		}
		was, is := old.Decide(at, nil), revised.Decide(at, nil)
		for t := range All {
			if !was.settled[t].Value.Equal(is.settled[t].Value) {
				out = append(out, Shift{Term(t), was.settled[t], is.settled[t], alike})
			}
		}
	}, old, revised)
	if err != nil {
		return nil, err
	}
	for d := dimensions - 1; d >= 0; d-- {
		out = joined(out, d)
	}
	slices.SortStableFunc(out, func(a, b Shift) int { return int(a.Term - b.Term) })
	return out, nil
}

// joined joins shifts that differ in one dimension only.
func joined(list []Shift, d Dimension) []Shift {
	var out []Shift
	at := map[string]int{}
	for _, s := range list {
		var key strings.Builder
		key.WriteString(s.Term.String() + "|" + s.Old.RuleID() + "|" + s.New.RuleID())
		for e := range s.Alike {
			if Dimension(e) != d {
				key.WriteString("|" + strings.Join(s.Alike[e], ","))
			}
		}
		if k, ok := at[key.String()]; ok && out[k].Old.Value.Equal(s.Old.Value) &&
			out[k].New.Value.Equal(s.New.Value) {
			out[k].Alike[d] = slices.Concat(out[k].Alike[d], s.Alike[d])
			continue
		}
		at[key.String()] = len(out)
		out = append(out, s)
	}
	return out
}

// SayShift says where a shift holds: "film, lending branch Wrenna or Skarrin"; what holds everywhere is left out.
func (b *Rulebook) SayShift(s Shift) string {
	var parts []string
	for _, d := range b.Ranking {
		named, all := []string{}, slices.Contains(s.Alike[d], "")
		for _, v := range s.Alike[d] {
			if v != "" {
				named = append(named, b.sayValue(d, v))
			}
		}
		switch {
		case all && len(named) == 0,
			d.OfBranch() && len(named) == len(b.Branches),
			all && len(named) == len(b.index.names[d]):
			continue
		case all:
			parts = append(parts, DimensionNames[d]+" "+strings.Join(named, " or ")+" or any that no rule names")
		default:
			parts = append(parts, DimensionNames[d]+" "+strings.Join(named, " or "))
		}
	}
	if len(parts) == 0 {
		return "everywhere"
	}
	return strings.Join(parts, "; ")
}

// Decides tells, for each rule in order, which of its terms decide in some situation. What decides in
// none could be removed and nothing would change.
func (b *Rulebook) Decides(ctx context.Context) ([]map[Term]bool, error) {
	order := map[*Rule]int{}
	out := make([]map[Term]bool, len(b.Rules))
	for k, r := range b.Rules {
		order[r], out[k] = k, map[Term]bool{}
	}
	err := situations(ctx, func(at Situation, _ [dimensions][]string) {
		terms := b.Decide(at, nil)
		for t := range terms.settled {
			if r := terms.settled[t].Rule; r != nil {
				out[order[r]][Term(t)] = true
			}
		}
	}, b)
	return out, err
}

// Sentence says a rule as people would: "Film, on all of islands: loan period 14 days."
func (b *Rulebook) Sentence(r *Rule) string {
	settings := make([]string, len(r.Settings))
	for k, s := range r.Settings {
		settings[k] = strings.ToLower(All[s.Term].Name[:1]) + All[s.Term].Name[1:] + " " + b.Say(s.Term, s.Value)
	}
	where := strings.TrimSuffix(strings.ReplaceAll(b.SayScope(r.Scope), ". ", "; "), ".")
	return where + ": " + strings.Join(settings, ", ") + "."
}
