package rulebook

import (
	"math/bits"
	"slices"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/queue"
	"nevrin/core/why"
)

// Settled is one term settled: its value and the rule that decided. Rule is nil for a default and
// for an item's own terms; Own tells those apart.
type Settled struct {
	Value Value
	Rule  *Rule
	Own   bool
}

// RuleID is the deciding rule's id, "item" for own terms, and "" for a default.
func (s Settled) RuleID() string {
	switch {
	case s.Own:
		return "item"
	case s.Rule != nil:
		return s.Rule.ID
	}
	return ""
}

// Terms are all terms of one situation.
type Terms struct {
	settled  [termCount]Settled
	Currency money.Currency
}

// Of is one settled term.
func (t *Terms) Of(term Term) Settled { return t.settled[term] }

// Value is the value of one term.
func (t *Terms) Value(term Term) Value { return t.settled[term].Value }

// Limit is the value of a term that bounds a number; nil where it has no bound.
func (t *Terms) Limit(term Term) *int { return t.Value(term).limit() }

// Loan are the terms that decide when a loan is due.
func (t *Terms) Loan() loan.Terms {
	return loan.Terms{
		Period:       t.Value(LoanPeriod).Duration(),
		ClosedDay:    loan.ClosedDay(t.Value(ClosedDay).Choice(ClosedDay)),
		LatestDue:    t.Value(LatestDue).Dates(),
		RenewFromDue: t.Value(RenewFrom).Choice(RenewFrom) == "due",
	}
}

// Awaited are the terms of a loan while others wait for the title; false where they are as always.
func (t *Terms) Awaited() (loan.Terms, bool) {
	out := t.Loan()
	value := t.Value(AwaitedPeriod)
	if value.Null() {
		return out, false
	}
	out.Period = value.Duration()
	return out, true
}

// Lend gives when something lent at an instant is due, and why. While others wait for the title it is due sooner,
// where rules say so; short tells whether it is.
func (t *Terms) Lend(b *calendar.Branch, lent time.Time, awaited bool) (due loan.Due, trace why.Trace, short bool) {
	due, trace = loan.Lend(b, t.Loan(), lent)
	if terms, settled := t.Awaited(); awaited && settled {
		sooner, sum := loan.Lend(b, terms, lent)
		if sooner.Sooner(b, due) {
			return sooner, sum, true
		}
	}
	return due, trace, false
}

// Lateness are the terms that decide what lateness costs.
func (t *Terms) Lateness() lateness.Terms {
	out := lateness.Terms{
		Rate:       t.Value(FineRate).Amount(),
		Unit:       unitOf(t.Value(FineUnit)),
		Grace:      t.Value(Grace).Number(),
		GraceStays: t.Value(GraceStyle).Choice(GraceStyle) == "stays",
		UpToPrice:  t.Value(UpToPrice).YesNo(),
		Currency:   t.Currency,
	}
	out.Limit = t.Value(FineLimit).limitAmount()
	return out
}

// Lost are the terms that decide when something counts as lost.
func (t *Terms) Lost() lateness.LostTerms {
	return lateness.LostTerms{
		After:        t.Value(LostAfter).limit(),
		Processing:   t.Value(ProcessingCharge).Amount(),
		RefundWithin: t.Value(RefundWithin).Number(),
		KeepLateness: t.Value(LatenessWhenLost).Choice(LatenessWhenLost) == "kept",
		Currency:     t.Currency,
	}
}

// Limits are the terms that bound what a patron may borrow.
func (t *Terms) Limits() loan.Limits {
	return loan.Limits{
		Currency:    t.Currency,
		Allowed:     t.Value(LendingAllowed).YesNo(),
		AtOnce:      t.Value(LoansAtOnce).limit(),
		AlikeAtOnce: t.Value(MaterialAtOnce).limit(),
		Owed: t.Value(OwedLimit).
			limitAmount(),
		Late:          t.Value(LateItemsLimit).limit(),
		LeastAge:      t.Value(LeastAge).Number(),
		ConsentNeeded: t.Value(ConsentNeeded).YesNo(),
		LeastYear:     t.Value(LeastYear).Number(),
	}
}

// Holding are the terms that decide whether an item may serve a hold.
func (t *Terms) Holding() queue.Terms {
	return queue.Terms{
		Lent:      t.Value(LendingAllowed).YesNo(),
		Held:      t.Value(HoldsAllowed).YesNo(),
		StaysDays: t.Value(NewStaysDays).limit(),
		OwnDays:   t.Value(OwnPatronsDays).limit(),
	}
}

// OfStop is the term behind a stop, for its why; false where no term is.
func OfStop(kind loan.StopKind) (Term, bool) {
	t, ok := map[loan.StopKind]Term{loan.OwesTooMuch: OwedLimit, loan.TooManyLate: LateItemsLimit,
		loan.NotLent: LendingAllowed, loan.TooMany: LoansAtOnce,
		loan.TooManyAlike: MaterialAtOnce, loan.TooYoung: LeastAge, loan.NoConsent: ConsentNeeded,
		loan.SchoolYear: LeastYear}[kind]
	return t, ok
}

func unitOf(v Value) lateness.Unit { return lateness.Unit(v.Choice(FineUnit)) }

// weight packs a scope's narrowness at a situation so that the greater number is narrower; -1 is no match.
func (b *Rulebook) weight(s *Scope, at *Situation) int {
	w := 0
	for _, d := range b.Ranking {
		zone := ""
		if d.OfBranch() {
			zone = b.zones[at[d]]
		}
		n := s[d].narrowness(at[d], zone)
		if n < 0 {
			return -1
		}
		w = w*3 + n
	}
	return w
}

// Decide settles every term for a situation, each by the narrowest rule that speaks to it. Own are
// the item's own terms, which stand above all rules; nil where it has none.
func (b *Rulebook) Decide(at Situation, own []Setting) Terms { return b.decide(at, own, nil) }

// decide settles every term as if one of the rules were not there.
func (b *Rulebook) decide(at Situation, own []Setting, without *Rule) Terms {
	terms := b.blank
	x := b.index
	m := x.matching(&at)
	var settled uint64 // terms that a narrower rule has settled
	for w := range x.words {
		for left := m[0][w] & m[1][w] & m[2][w] & m[3][w] & m[4][w]; left != 0; left &= left - 1 {
			f := &x.faces[w*64+bits.TrailingZeros64(left)]
			if f.speaks&^settled == 0 || f.rule == without {
				continue
			}
			for k := range f.rule.Settings {
				if s := &f.rule.Settings[k]; settled&(1<<s.Term) == 0 {
					terms.settled[s.Term] = Settled{Value: s.Value, Rule: f.rule}
				}
			}
			settled |= f.speaks
		}
	}
	for _, s := range own {
		terms.settled[s.Term] = Settled{Value: s.Value, Own: true}
	}
	return terms
}

// Why tells how one term of a situation is settled: the rules that spoke, narrowest first, and by
// which dimension each is outweighed by the one that decided.
func (b *Rulebook) Why(at Situation, own []Setting, t Term) why.Trace {
	trace := why.New(All[t].Name)
	terms := b.Decide(at, own)
	decided := terms.Of(t)
	trace.Result = b.Say(t, decided.Value)
	trace = trace.Add(why.Fact, b.SaySituation(at))
	if decided.Own {
		trace = trace.Add(why.Decided, "The item’s own terms say "+trace.Result, "They override all rules.")
	}
	type speaking struct {
		rule   *Rule
		value  Value
		weight int
	}
	var speak []speaking
	for _, r := range b.Rules {
		if v, ok := r.Sets(t); ok {
			if w := b.weight(&r.Scope, &at); w >= 0 {
				speak = append(speak, speaking{r, v, w})
			}
		}
	}
	slices.SortStableFunc(speak, func(x, y speaking) int { return y.weight - x.weight })
	for _, s := range speak {
		step := why.Step{
			Kind:   why.Outweighed,
			Text:   s.rule.Title(),
			Rule:   s.rule.ID,
			Detail: b.SayScope(s.rule.Scope) + " Says " + b.Say(t, s.value) + ".",
		}
		switch {
		case s.rule == decided.Rule:
			step.Kind = why.Decided
		case decided.Own:
			step.Detail += " The item’s own terms override it."
		default:
			step.Detail += " " + b.outweighedBy(at, decided.Rule, s.rule)
		}
		trace.Steps = append(trace.Steps, step)
	}
	if len(speak) == 0 && !decided.Own {
		trace = trace.Add(why.Decided, "No rule applies; the default is used")
	}
	return trace
}

func (b *Rulebook) outweighedBy(at Situation, winner, loser *Rule) string {
	for _, d := range b.Ranking {
		zone := ""
		if d.OfBranch() {
			zone = b.zones[at[d]]
		}
		w, l := winner.Scope[d].narrowness(at[d], zone), loser.Scope[d].narrowness(at[d], zone)
		switch {
		case w == l:
			continue
		case w == 2 && l == 1:
			return "Outweighed: it names only the zone of the " + DimensionNames[d] + ", the other the branch itself."
		default:
			return "Outweighed by the " + DimensionNames[d] + ", which it does not name."
		}
	}
	return "Equally narrow; the earlier rule applies."
}

// SayScope writes a scope in words: "Lending branch: zone islands. Material class: film."
func (b *Rulebook) SayScope(s Scope) string {
	var parts []string
	for _, d := range b.Ranking {
		if s[d].empty() {
			continue
		}
		var values []string
		for _, v := range s[d].Values {
			values = append(values, b.sayValue(d, v))
		}
		for _, z := range s[d].Zones {
			values = append(values, "all of "+z)
		}
		name := DimensionNames[d]
		parts = append(parts, strings.ToUpper(name[:1])+name[1:]+": "+strings.Join(values, ", ")+".")
	}
	if len(parts) == 0 {
		return "The whole network."
	}
	return strings.Join(parts, " ")
}

// SaySituation writes what item, patron and branches were classed as.
func (b *Rulebook) SaySituation(at Situation) string {
	var parts []string
	for d, v := range at {
		if v != "" {
			parts = append(parts, DimensionNames[d]+" "+b.sayValue(Dimension(d), v))
		}
	}
	return "Classed as: " + strings.Join(parts, ", ")
}

func (b *Rulebook) sayValue(d Dimension, v string) string {
	if d.OfBranch() {
		if br, ok := b.Branch(calendar.Code(v)); ok {
			return br.Name
		}
	}
	return strings.ReplaceAll(v, "_", " ")
}

// WhyDue puts the why of the loan period above the why of the date that follows from it.
func (b *Rulebook) WhyDue(at Situation, own []Setting, due why.Trace) why.Trace {
	period := b.Why(at, own, LoanPeriod)
	out := why.New(due.Title)
	out.Result = due.Result
	out = out.Under(why.Fact, period)
	out.Steps = append(out.Steps, due.Steps...)
	return out
}

// BranchOf finds the calendar of the lending branch of a situation.
func (b *Rulebook) BranchOf(at Situation) (*calendar.Branch, bool) {
	return b.Branch(at.Lending())
}
