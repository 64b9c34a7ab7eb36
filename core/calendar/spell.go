package calendar

import "slices"

// Spell is a stretch of closed days between two open ones, to which more belongs than the week.
type Spell struct {
	From, To Date     // both included
	Names    []string // of the closures and special days in it, each once, in their order
	Reopens  Date     // zero: not within sight
}

// Spells are the stretches of closed days that begin on the dates from one to another, both included, and to which a
// closure or a special day belongs. One that has begun before begins on the first date.
func (b *Branch) Spells(first, last Date) []Spell {
	var out []Spell
	for d := first; d <= last; d++ {
		if b.OpenOn(d) {
			continue
		}
		s := Spell{From: d}
		reopens, ok := b.NextOpenDay(d)
		if ok {
			s.Reopens, s.To = reopens, reopens-1
		} else {
			s.To = last
		}
		special := false
		for ; d <= s.To; d++ {
			if _, by, name := b.Settled(d); by != ByWeek {
				special = true
				if name != "" && !slices.Contains(s.Names, name) {
					s.Names = append(s.Names, name)
				}
			}
		}
		if special {
			out = append(out, s)
		}
	}
	return out
}
