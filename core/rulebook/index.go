package rulebook

import (
	"cmp"
	"math/bits"
	"slices"
)

// The index answers which rules match a situation without looking at each. A rule whose scope names
// both branches and zones in one dimension is as narrow as what it is matched by, so it is split
// into faces: in a face, every dimension is matched by values, by zones, or not named, and the face
// has one narrowness wherever it matches. Faces stand narrowest first, equal ones in the order of
// their rules. For each dimension and value a set of bits says which faces admit it.

// face is a rule as it is matched in one way.
type face struct {
	rule   *Rule
	order  int    // of the rule
	weight int    // narrowness; the greater is the narrower
	speaks uint64 // bits of the terms that the rule settles
	admits [dimensions]set
}

// set is a set of small numbers.
type set []uint64

func (s set) add(n int) { s[n/64] |= 1 << (n % 64) }

// first is the least number in both sets; false where they share none.
func (s set) first(other set) (int, bool) {
	for w := range s {
		if both := s[w] & other[w]; both != 0 {
			return w*64 + bits.TrailingZeros64(both), true
		}
	}
	return 0, false
}

type index struct {
	faces   []face
	words   int                        // of a set of faces
	values  [dimensions]map[string]int // every value that a rule names, and every branch
	names   [dimensions][]string       // by number
	admit   [dimensions]map[string]set // faces that admit the value
	unnamed [dimensions]set            // faces that do not name the dimension, for values no rule names
}

func (b *Rulebook) buildIndex() {
	built := &index{}
	for dim := range built.values {
		built.values[dim], built.admit[dim] = map[string]int{}, map[string]set{}
		if Dimension(dim).OfBranch() {
			for _, branch := range b.Branches {
				built.intern(Dimension(dim), string(branch.Code))
			}
		}
		for _, rule := range b.Rules {
			for _, value := range rule.Scope[dim].Values {
				built.intern(Dimension(dim), value)
			}
		}
	}
	for order, rule := range b.Rules {
		claim := face{rule: rule, order: order}
		for _, s := range rule.Settings {
			claim.speaks |= 1 << s.Term
		}
		b.addFaces(built, claim, 0)
	}
	slices.SortStableFunc(built.faces, func(p, q face) int {
		return cmp.Or(cmp.Compare(q.weight, p.weight), cmp.Compare(p.order, q.order))
	})
	built.words = (len(built.faces) + 63) / 64
	for dim := range built.admit {
		built.unnamed[dim] = make(set, built.words)
		for _, value := range built.names[dim] {
			built.admit[dim][value] = make(set, built.words)
		}
		for k, claim := range built.faces {
			if claim.admits[dim] == nil {
				built.unnamed[dim].add(k)
			}
			for n, value := range built.names[dim] {
				if claim.admits[dim] == nil || claim.admits[dim][n/64]&(1<<(n%64)) != 0 {
					built.admit[dim][value].add(k)
				}
			}
		}
	}
	b.index = built
}

func (x *index) intern(d Dimension, v string) {
	if _, ok := x.values[d][v]; !ok {
		x.values[d][v] = len(x.names[d])
		x.names[d] = append(x.names[d], v)
	}
}

// addFaces splits a rule from a place in the ranking on.
func (b *Rulebook) addFaces(x *index, f face, place int) {
	if place == len(b.Ranking) {
		x.faces = append(x.faces, f)
		return
	}
	d := b.Ranking[place]
	scope := f.rule.Scope[d]
	f.weight *= 3
	if scope.empty() {
		b.addFaces(x, f, place+1)
		return
	}
	size := (len(x.names[d]) + 63) / 64
	byValue, byZone, zoned := make(set, size), make(set, size), false
	for _, v := range scope.Values {
		byValue.add(x.values[d][v])
	}
	for n, v := range x.names[d] {
		if zone := b.zones[v]; d.OfBranch() && zone != "" && slices.Contains(scope.Zones, zone) &&
			!slices.Contains(scope.Values, v) {
			byZone.add(n)
			zoned = true
		}
	}
	if len(scope.Values) > 0 {
		named := f
		named.admits[d], named.weight = byValue, f.weight+2
		b.addFaces(x, named, place+1)
	}
	if zoned {
		f.admits[d], f.weight = byZone, f.weight+1
		b.addFaces(x, f, place+1)
	}
}

// matching are the five sets that a face must be in to match a situation.
func (x *index) matching(at *Situation) (out [dimensions]set) {
	for d, v := range at {
		s, ok := x.admit[d][v]
		if !ok {
			s = x.unnamed[d]
		}
		out[d] = s
	}
	return out
}
