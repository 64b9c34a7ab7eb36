package rulebook

import (
	"slices"
)

// Conflict is two rules that can meet with equal narrowness and settle a term differently.
type Conflict struct {
	Rules     [2]*Rule
	Term      Term
	Situation Situation
}

// Conflicts finds every pair of rules and term in conflict, with one situation in which they meet.
func (b *Rulebook) Conflicts() []Conflict {
	var found []Conflict
	for i, first := range b.Rules {
		for _, second := range b.Rules[i+1:] {
			if !sameShape(&first.Scope, &second.Scope) {
				continue
			}
			for _, s := range first.Settings {
				other, ok := second.Sets(s.Term)
				if !ok || s.Value.Equal(other) {
					continue
				}
				if at, meet := b.meet(&first.Scope, &second.Scope, true); meet {
					found = append(found, Conflict{[2]*Rule{first, second}, s.Term, at})
				}
			}
		}
	}
	return found
}

// sameShape tells whether two scopes name the same dimensions; others never have equal narrowness.
func sameShape(a, b *Scope) bool {
	for d := range a {
		if a[d].empty() != b[d].empty() {
			return false
		}
	}
	return true
}

// meet finds a situation that both scopes match, with equal narrowness where that is asked for.
func (b *Rulebook) meet(first, second *Scope, equally bool) (Situation, bool) {
	var at Situation
	for d := range first {
		value, ok := b.meetIn(Dimension(d), first[d], second[d], equally)
		if !ok {
			return Situation{}, false
		}
		at[d] = value
	}
	return at, true
}

func (b *Rulebook) meetIn(d Dimension, first, second Admits, equally bool) (string, bool) {
	if first.empty() && second.empty() {
		if d.OfBranch() && len(b.Branches) > 0 {
			return b.Branches[0].Code, true
		}
		return "", true
	}
	candidates := slices.Concat(first.Values, second.Values)
	if d.OfBranch() {
		candidates = candidates[:0:0]
		for _, br := range b.Branches {
			candidates = append(candidates, br.Code)
		}
	}
	for _, v := range candidates {
		zone := ""
		if d.OfBranch() {
			zone = b.zones[v]
		}
		x, y := first.narrowness(v, zone), second.narrowness(v, zone)
		if x >= 0 && y >= 0 && (x == y || !equally) {
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
		unit, ok := r.Sets(FineUnit)
		_, rate := r.Sets(FineRate)
		_, grace := r.Sets(Grace)
		if !ok || rate && grace || r.Scope.Empty() {
			continue
		}
		rest := *b
		rest.Rules = slices.DeleteFunc(slices.Clone(b.Rules), func(other *Rule) bool { return other == r })
		if turned, ok := rest.turnedBy(r, unit); ok {
			from := "the default"
			rules := []string{r.ID}
			if turned.Rule != nil {
				from = "“" + turned.Rule.Title() + "”"
				rules = append(rules, turned.Rule.ID)
			}
			found = append(found, Warning{rules, "“" + r.Title() + "” counts lateness in " + unit.Say(FineUnit, b.Currency) + "s where " + from +
				" counts in " + turned.Value.Say(FineUnit, b.Currency) + "s, and does not settle both fine_rate and grace for it."})
		}
	}
	return found
}

// turnedBy finds a decision between days and hours that a rule outside this rulebook overturns.
func (b *Rulebook) turnedBy(r *Rule, unit Value) (Settled, bool) {
	for _, other := range b.Rules {
		at, meet := b.meet(&r.Scope, &other.Scope, false)
		if !meet {
			continue
		}
		terms := b.Decide(at, nil)
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
