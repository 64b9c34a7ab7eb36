package rulebook

import (
	"cmp"
	"maps"
	"slices"
)

// Conflict is two rules that can meet with equal narrowness and settle a term differently.
type Conflict struct {
	Rules     [2]*Rule
	Term      Term
	Situation Situation
}

// maxFound bounds how many conflicts or warnings are told of; with so many nobody reads on.
const maxFound = 500

// Conflicts finds every pair of rules and term in conflict, with one situation in which they meet; of very many the first.
// Only faces of equal narrowness can: they stand side by side in the index.
func (b *Rulebook) Conflicts() []Conflict {
	type key struct {
		first, second int
		term          Term
	}
	found := map[key]Conflict{}
	faces := b.index.faces
	for from := 0; from < len(faces); {
		to := from + 1
		for to < len(faces) && faces[to].weight == faces[from].weight {
			to++
		}
		for i := from; i < to; i++ {
			for j := i + 1; j < to && len(found) < maxFound; j++ {
				first, second := &faces[i], &faces[j]
				if first.rule == second.rule || !first.meets(second) {
					continue
				}
				for _, s := range first.rule.Settings {
					if other, ok := second.rule.Sets(s.Term); ok && !s.Value.Equal(other) {
						found[key{first.order, second.order, s.Term}] = Conflict{
							[2]*Rule{first.rule, second.rule},
							s.Term,
							b.meeting(first, second),
						}
					}
				}
			}
		}
		from = to
	}
	keys := slices.SortedFunc(maps.Keys(found), func(p, q key) int {
		return cmp.Or(cmp.Compare(p.first, q.first), cmp.Compare(p.second, q.second), cmp.Compare(p.term, q.term))
	})
	out := make([]Conflict, len(keys))
	for k := range keys {
		out[k] = found[keys[k]]
	}
	return out
}

// meets tells whether a situation matches two faces of equal narrowness.
func (f *face) meets(other *face) bool {
	for d := range f.admits {
		if f.admits[d] == nil {
			continue
		}
		if _, ok := f.admits[d].first(other.admits[d]); !ok {
			return false
		}
	}
	return true
}

// meeting is a situation that matches two faces that meet.
func (b *Rulebook) meeting(first, second *face) Situation {
	var at Situation
	for d := range first.admits {
		if first.admits[d] != nil {
			n, _ := first.admits[d].first(second.admits[d])
			at[d] = b.index.names[d][n]
		} else if Dimension(d).OfBranch() && len(b.Branches) > 0 {
			at[d] = string(b.Branches[0].Code)
		}
	}
	return at
}

// meet finds a situation that both scopes match.
func (b *Rulebook) meet(first, second *Scope) (Situation, bool) {
	var at Situation
	for d := range first {
		value, ok := b.meetIn(Dimension(d), first[d], second[d])
		if !ok {
			return Situation{}, false
		}
		at[d] = value
	}
	return at, true
}

func (b *Rulebook) meetIn(d Dimension, first, second Admits) (string, bool) {
	if first.empty() && second.empty() {
		if d.OfBranch() && len(b.Branches) > 0 {
			return string(b.Branches[0].Code), true
		}
		return "", true
	}
	candidates := slices.Concat(first.Values, second.Values)
	if d.OfBranch() {
		candidates = candidates[:0:0]
		for _, br := range b.Branches {
			candidates = append(candidates, string(br.Code))
		}
	}
	for _, v := range candidates {
		zone := ""
		if d.OfBranch() {
			zone = b.zones[v]
		}
		if first.narrowness(v, zone) >= 0 && second.narrowness(v, zone) >= 0 {
			return v, true
		}
	}
	return "", false
}

// Warning is something that has usually been forgotten; it is no error.
type Warning struct {
	Rules []string `json:"rules"`
	Text  string   `json:"text"`
}

// Warnings finds rules that turn the unit of lateness from days to hours or back without settling
// rate and grace too, which then mean something else.
func (b *Rulebook) Warnings() []Warning {
	var found []Warning
	for _, r := range b.Rules {
		if len(found) == maxFound {
			break
		}
		unit, ok := r.Sets(FineUnit)
		_, rate := r.Sets(FineRate)
		_, grace := r.Sets(Grace)
		if !ok || rate && grace || r.Scope.Empty() {
			continue
		}
		if turned, ok := b.turnedBy(r, unit); ok {
			from := "the default"
			rules := []string{r.ID}
			if turned.Rule != nil {
				from = "“" + turned.Rule.Title() + "”"
				rules = append(rules, turned.Rule.ID)
			}
			found = append(
				found,
				Warning{
					rules,
					"“" + r.Title() + "” counts lateness in " + b.Say(FineUnit, unit) + "s where " + from +
						" counts in " + b.Say(FineUnit, turned.Value) + "s, and does not settle both fine_rate and grace for it.",
				},
			)
		}
	}
	return found
}

// turnedBy finds a decision between days and hours, as it would be without a rule, that the rule overturns.
func (b *Rulebook) turnedBy(r *Rule, unit Value) (Settled, bool) {
	seen := map[Situation]bool{}
	for _, other := range b.Rules {
		at, meet := b.meet(&r.Scope, &other.Scope)
		if !meet || other == r || seen[at] {
			continue
		}
		seen[at] = true
		terms := b.decide(at, nil, r)
		was := terms.Of(FineUnit)
		if unitOf(was.Value).InHours() == unitOf(unit).InHours() {
			continue
		}
		if was.Rule == nil || b.weight(&was.Rule.Scope, &at) < b.weight(&r.Scope, &at) {
			return was, true
		}
	}
	return Settled{}, false
}
