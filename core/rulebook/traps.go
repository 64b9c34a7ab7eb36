package rulebook

import (
	"cmp"
	"fmt"
	"slices"
)

// Offered tells whether a network has a class of a dimension and offers it still.
type Offered func(d Dimension, class string) bool

// Traps finds what is no error and yet hardly meant: a membership that costs more than may be owed, a loan that is longer than the card
// holds, a limit of 0, a material that nobody may borrow, a class that the network does not have. Offered is nil where no network is known.
// Source: common practice, no source.
func (b *Rulebook) Traps(offered Offered) []Warning {
	found := slices.Concat(
		b.collide(MembershipCharge, OwedLimit, b.dearMembership),
		b.collide(LoanPeriod, MembershipLength, b.longLoan),
	)
	for _, r := range b.Rules {
		found = append(found, b.noughts(r)...)
		found = append(found, b.unlent(r)...)
		if offered != nil {
			found = append(found, strange(r, offered)...)
		}
	}
	return found[:min(len(found), maxFound)]
}

// Bounds the pairs of rules that are looked at for two terms that do not fit each other: far above what a network has.
const mostPairs = 20_000

// collide looks at two terms wherever rules that settle one of them meet: odd says what is wrong with the two values there.
func (b *Rulebook) collide(first, second Term, odd func(a, b Value) string) []Warning {
	var of [2][]*Rule
	for k, t := range []Term{first, second} {
		for _, r := range b.Rules {
			if _, ok := r.Sets(t); ok {
				of[k] = append(of[k], r)
			}
		}
	}
	type pair struct{ first, second string }
	seen := map[pair]bool{}
	var found []Warning
	look := func(one, other *Rule) {
		at, meet := b.meet(&one.Scope, &other.Scope)
		if !meet || len(found) == maxFound {
			return
		}
		terms := b.decide(at, nil, nil)
		x, y := terms.Of(first), terms.Of(second)
		p := pair{x.RuleID(), y.RuleID()}
		if seen[p] {
			return
		}
		seen[p] = true
		if says := odd(x.Value, y.Value); says != "" {
			w := Warning{Rules: []string{}, Text: fmt.Sprintf(says, titleOf(x), titleOf(y))}
			for _, id := range []string{p.first, p.second} {
				if id != "" && !slices.Contains(w.Rules, id) {
					w.Rules = append(w.Rules, id)
				}
			}
			found = append(found, w)
		}
	}
	for _, r := range slices.Concat(of[0], of[1]) {
		look(r, r)
	}
	pairs := 0
	for _, one := range of[0] {
		for _, other := range of[1] {
			if pairs++; pairs > mostPairs {
				return found
			}
			look(one, other)
		}
	}
	return found
}

func titleOf(s Settled) string {
	if s.Rule == nil {
		return "the default"
	}
	return "“" + s.Rule.Title() + "”"
}

func (b *Rulebook) dearMembership(charge, limit Value) string {
	if limit.Null() || charge.Amount() <= limit.Amount() {
		return ""
	}
	return "%s charges " + b.Currency.Say(charge.Amount()) + " for a membership, and %s stops lending to who owes more than " +
		b.Currency.Say(limit.Amount()) + ": nobody new can borrow before paying, and no institution can either."
}

func (b *Rulebook) longLoan(period, length Value) string {
	if period.Duration().Days <= length.Number() {
		return ""
	}
	return fmt.Sprintf("%%s lends for %s, and a card holds for %d days by %%s.", period.Duration().Say(), length.Number())
}

// forbids are limits that forbid when they are 0, and the term that says so in so many words.
var forbids = map[Term]Term{
	LoansAtOnce: LendingAllowed, MaterialAtOnce: LendingAllowed, HoldsAtOnce: HoldsAllowed, InterlibraryAtOnce: InterlibraryAllowed,
}

// noughts are limits and times of a rule that are 0 where 0 is hardly meant.
func (b *Rulebook) noughts(r *Rule) []Warning {
	var found []Warning
	for _, s := range r.Settings {
		if s.Value.Null() || s.Value.Number() != 0 {
			continue
		}
		says := ""
		switch allowed, limit := forbids[s.Term]; {
		case limit:
			says = fmt.Sprintf("sets “%s” to 0, which allows none at all. If that is meant, “%s” says it more plainly; if not, leave the limit out.",
				s.Term.Info().Name, allowed.Info().Name)
		case s.Term == HoldShelfDays:
			says = "keeps items on the hold shelf for 0 days: the next night ends the hold."
		case s.Term == MembershipLength:
			says = "extends a card by 0 days."
		default:
			continue
		}
		found = append(found, Warning{[]string{r.ID}, "“" + r.Title() + "” " + says})
	}
	return found
}

// unlent finds a material that a rule lends to nobody, while no narrower rule lends it to anybody.
func (b *Rulebook) unlent(r *Rule) []Warning {
	allowed, ok := r.Sets(LendingAllowed)
	if !ok || allowed.YesNo() {
		return nil
	}
	for d, admits := range r.Scope {
		if (Dimension(d) == MaterialClass) == admits.empty() {
			return nil // not for a material, or for some branches or patrons alone
		}
	}
	var found []Warning
	for _, material := range r.Scope[MaterialClass].Values {
		only := Scope{}
		only[MaterialClass].Values = []string{material}
		lent := slices.ContainsFunc(b.Rules, func(other *Rule) bool {
			if _, ok := other.Sets(LendingAllowed); !ok {
				return false
			}
			at, meet := b.meet(&only, &other.Scope)
			if !meet {
				return false
			}
			terms := b.decide(at, nil, nil)
			return terms.Value(LendingAllowed).YesNo()
		})
		if !lent {
			found = append(found, Warning{[]string{r.ID}, "“" + r.Title() + "” lends the material “" + b.sayValue(MaterialClass, material) + "” to nobody."})
		}
	}
	return found
}

// strange are the classes that a rule names and the network does not have.
func strange(r *Rule, offered Offered) []Warning {
	var found []Warning
	for d, admits := range r.Scope {
		if Dimension(d).OfBranch() {
			continue
		}
		for _, v := range admits.Values {
			if !offered(Dimension(d), v) {
				found = append(found, Warning{[]string{r.ID}, fmt.Sprintf("“%s” is for the %s “%s”, which the network does not have or no longer offers.",
					r.Title(), cmp.Or(DimensionNames[d], "class"), v)})
			}
		}
	}
	return found
}
