package rulebook

import (
	"encoding/json"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/jsonfile"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/why"
)

// Example is a situation with its expected outcome.
type Example struct {
	Name   string
	Given  Given
	Expect Expect
}

// Given is the situation of an example.
type Given struct {
	Situation  Situation
	Own        []Setting
	Price      *money.Amount
	Lent       time.Time
	Awaited    bool      // others waited for the title then
	Due        *loan.Due // taken as it stands instead of the computed one
	Renewed    *time.Time
	Returned   *time.Time
	Counted    lateness.Return // CountedDate or CountedAt
	DaysLetOff int
}

// Expect is the expected result; nil fields are not compared.
type Expect struct {
	Due          *loan.Due
	UnitsLate    *int
	UnitsCharged *int
	Fine         *money.Amount
	NoReturn     map[string]bool // expected to be null
	Terms        []Setting
}

var givenKeys = append(
	DimensionIDs[:len(DimensionIDs):len(DimensionIDs)],
	"price",
	"lent",
	"returned",
	"due",
	"renewed",
	"counted_as",
	"days_let_off",
	"item_terms",
)

func (b *Rulebook) readExample(n jsonfile.Node) Example {
	var e Example
	if !n.Only("name", "given", "expect") {
		return e
	}
	e.Name = n.Get("name").Text()
	given := n.Get("given")
	if !given.Only(givenKeys...) {
		return e
	}
	at, ok := b.readSituation(given)
	if !ok {
		return e
	}
	branch, _ := b.Branch(at.Lending())
	e.Given = b.readGiven(given, at, branch)
	if expect := n.Get("expect"); expect.Given() {
		e.Expect = b.readExpect(expect, branch)
	}
	return e
}

func (b *Rulebook) readSituation(given jsonfile.Node) (Situation, bool) {
	var at Situation
	ok := true
	for d := range dimensions {
		v := given.Get(DimensionIDs[d])
		if !v.Given() && d != LendingBranch {
			continue
		}
		at[d] = v.Text()
		if d.OfBranch() && (at[d] == "" || !v.Check(b.checkBranch(at[d]))) {
			ok = false
		}
	}
	return at, ok
}

func (b *Rulebook) readGiven(n jsonfile.Node, at Situation, branch *calendar.Branch) Given {
	instant := func(n jsonfile.Node) *time.Time {
		if !n.Given() {
			return nil
		}
		t := jsonfile.Parsed(n, instantAt(branch))
		return &t
	}
	g := Given{Situation: at, DaysLetOff: n.Get("days_let_off").WholeOr(0)}
	if lent := instant(n.Get("lent")); lent != nil {
		g.Lent = *lent
	} else {
		n.Get("lent").Wrong("the instant of lending")
	}
	if price := n.Get("price"); price.Given() {
		amount := jsonfile.Parsed(price, b.Currency.Parse)
		g.Price = &amount
	}
	if own := n.Get("item_terms"); own.Given() {
		g.Own = b.ReadSettings(own)
	}
	if due := n.Get("due"); due.Given() {
		d := jsonfile.Parsed(due, dueAt(branch))
		g.Due = &d
	}
	g.Renewed, g.Returned = instant(n.Get("renewed")), instant(n.Get("returned"))
	if counted := n.Get("counted_as"); counted.Given() {
		if d := jsonfile.Parsed(counted, dueAt(branch)); d.Hours {
			g.Counted.CountedAt = &d.At
		} else {
			g.Counted.CountedDate = &d.Date
		}
	}
	if n.Err() == nil {
		g.checkOrder(n, branch)
	}
	return g
}

func instantAt(b *calendar.Branch) func(string) (time.Time, error) {
	return func(text string) (time.Time, error) { return calendar.ParseInstant(text, b.Location) }
}

// dueAt reads a date or an instant.
func dueAt(b *calendar.Branch) func(string) (loan.Due, error) {
	return func(text string) (loan.Due, error) {
		if !strings.Contains(text, "T") {
			d, err := calendar.ParseDate(text)
			if err != nil {
				right := "one such as 2026-10-06 or 2026-10-06T14:00"
				err = expect.Errorf(right, "%q is neither a date nor an instant", text)
			}
			return loan.OnDate(d), err
		}
		t, err := calendar.ParseInstant(text, b.Location)
		return loan.AtInstant(t), err
	}
}

func (g *Given) checkOrder(n jsonfile.Node, b *calendar.Branch) {
	if g.Renewed != nil && g.Renewed.Before(g.Lent) {
		n.Get("renewed").Wrong("an instant not before the lending")
	}
	if g.Returned == nil {
		return
	}
	if g.Returned.Before(g.Lent) {
		n.Get("returned").Wrong("an instant not before the lending")
	}
	if g.Renewed != nil && g.Returned.Before(*g.Renewed) {
		n.Get("returned").Wrong("an instant not before the renewal")
	}
	if d := g.Counted.CountedDate; d != nil && *d > b.Date(*g.Returned) {
		n.Get("counted_as").Wrong("a date not later than the return")
	}
	if t := g.Counted.CountedAt; t != nil && t.After(*g.Returned) {
		n.Get("counted_as").Wrong("an instant not later than the return")
	}
}

func (b *Rulebook) readExpect(n jsonfile.Node, branch *calendar.Branch) Expect {
	e := Expect{NoReturn: map[string]bool{}}
	if !n.Only("due", "units_late", "units_charged", "fine", "terms") {
		return e
	}
	if due := n.Get("due"); due.Given() {
		d := jsonfile.Parsed(due, dueAt(branch))
		e.Due = &d
	}
	whole := func(key string) *int {
		v := n.Get(key)
		if v.Null() {
			e.NoReturn[key] = true
		}
		if !v.Given() || v.Null() {
			return nil
		}
		i := v.Whole()
		return &i
	}
	e.UnitsLate, e.UnitsCharged = whole("units_late"), whole("units_charged")
	if fine := n.Get("fine"); fine.Null() {
		e.NoReturn["fine"] = true
	} else if fine.Given() {
		amount := jsonfile.Parsed(fine, b.Currency.Parse)
		e.Fine = &amount
	}
	if terms := n.Get("terms"); terms.Given() {
		e.Terms = b.ReadSettings(terms)
	}
	return e
}

// Outcome is the result for a situation. Lateness is nil without a return.
type Outcome struct {
	Terms    Terms
	Due      loan.Due
	Lateness *lateness.Result
	Why      why.Trace
}

// Compute works out a situation: terms, due date, renewal, lateness.
func (b *Rulebook) Compute(g Given) Outcome {
	branch, _ := b.Branch(g.Situation.Lending())
	out := Outcome{Terms: b.Decide(g.Situation, g.Own), Why: why.New("How it is worked out")}
	out.Why = out.Why.Under(why.Fact, b.Why(g.Situation, g.Own, LoanPeriod))
	terms := out.Terms.Loan()
	var trace why.Trace
	if g.Due != nil {
		out.Due = *g.Due
		out.Why = out.Why.Add(why.Fact, "Due "+g.Due.Say(branch)+", as given")
	} else {
		out.Due, trace, _ = out.Terms.Lend(branch, g.Lent, g.Awaited)
		out.Why = out.Why.Under(why.Sum, trace)
	}
	var sum lateness.Result
	if g.Renewed != nil {
		sum, trace = lateness.AtRenewal(branch, out.Terms.Lateness(), g.Price, out.Due, *g.Renewed)
		if sum.Late > 0 {
			out.Why = out.Why.Under(why.Sum, trace)
		}
		out.Due, trace = loan.Renew(branch, terms, out.Due, *g.Renewed)
		out.Why = out.Why.Under(why.Sum, trace)
	}
	if g.Returned != nil {
		r := g.Counted
		r.At, r.DaysLetOff = *g.Returned, g.DaysLetOff
		last, trace := lateness.AtReturn(branch, out.Terms.Lateness(), g.Price, out.Due, g.Renewed, r)
		sum = sum.Add(last)
		out.Lateness = &sum
		out.Why = out.Why.Under(why.Sum, trace)
	}
	out.Why.Result = "Due " + out.Due.Say(branch)
	if out.Lateness != nil {
		out.Why.Result += ", fine " + b.Currency.Say(sum.Fine)
	}
	return out
}

// Difference is an expectation that did not come true.
type Difference struct {
	Expected any `json:"expected"`
	Came     any `json:"came"`
}

// TermReport is one term of an example's outcome; Rule is null for a default and "item" for own terms.
type TermReport struct {
	Value any     `json:"value"`
	Rule  *string `json:"rule"`
}

// ExampleReport is the outcome of one example. UnitsLate, UnitsCharged and Fine are null without a return.
type ExampleReport struct {
	Name         string                `json:"name"`
	OK           bool                  `json:"ok"`
	Terms        map[string]TermReport `json:"terms"`
	Due          string                `json:"due"`
	UnitsLate    *int                  `json:"units_late"`
	UnitsCharged *int                  `json:"units_charged"`
	Fine         *string               `json:"fine"`
	Why          why.Trace             `json:"why"`
	Differs      map[string]Difference `json:"differs"`
}

// ConflictReport names two rules in conflict, the term, and a situation in which they meet.
type ConflictReport struct {
	Rules     [2]string         `json:"rules"`
	Term      string            `json:"term"`
	Situation map[string]string `json:"situation"`
}

// Report is the outcome of checking a whole rulebook.
type Report struct {
	OK        bool             `json:"ok"`
	Conflicts []ConflictReport `json:"conflicts"`
	Warnings  []Warning        `json:"warnings"`
	Examples  []ExampleReport  `json:"examples"`
}

// Check finds conflicts and warnings and computes every example. It is OK if no rules conflict and
// every expectation came true.
func (b *Rulebook) Check() Report {
	r := Report{
		OK:        true,
		Conflicts: []ConflictReport{},
		Warnings:  append([]Warning{}, b.Warnings()...),
		Examples:  []ExampleReport{},
	}
	for _, c := range b.Conflicts() {
		r.OK = false
		at := map[string]string{}
		for d, v := range c.Situation {
			if v != "" {
				at[DimensionIDs[d]] = v
			}
		}
		r.Conflicts = append(r.Conflicts, ConflictReport{[2]string{c.Rules[0].ID, c.Rules[1].ID}, c.Term.String(), at})
	}
	for _, e := range b.Examples {
		one := b.checkExample(e)
		r.OK = r.OK && one.OK
		r.Examples = append(r.Examples, one)
	}
	return r
}

func (b *Rulebook) checkExample(e Example) ExampleReport {
	out := b.Compute(e.Given)
	branch, _ := b.Branch(e.Given.Situation.Lending())
	r := ExampleReport{
		Name:    e.Name,
		Terms:   b.reportTerms(&out.Terms),
		Due:     out.Due.Print(branch),
		Why:     out.Why,
		Differs: map[string]Difference{},
	}
	if l := out.Lateness; l != nil {
		fine := b.Currency.Format(l.Fine)
		r.UnitsLate, r.UnitsCharged, r.Fine = &l.Late, &l.Charged, &fine
	}
	want := e.Expect
	if want.Due != nil && !want.Due.Same(out.Due) {
		r.Differs["due"] = Difference{want.Due.Print(branch), r.Due}
	}
	differs(r.Differs, "units_late", want.UnitsLate, r.UnitsLate, want.NoReturn)
	differs(r.Differs, "units_charged", want.UnitsCharged, r.UnitsCharged, want.NoReturn)
	var fine *string
	if want.Fine != nil {
		text := b.Currency.Format(*want.Fine)
		fine = &text
	}
	differs(r.Differs, "fine", fine, r.Fine, want.NoReturn)
	for _, s := range want.Terms {
		if came := out.Terms.Value(s.Term); !came.Equal(s.Value) {
			r.Differs["terms."+s.Term.String()] = Difference{
				s.Value.Plain(s.Term, b.Currency),
				came.Plain(s.Term, b.Currency),
			}
		}
	}
	r.OK = len(r.Differs) == 0
	return r
}

func differs[T comparable](into map[string]Difference, key string, want, came *T, null map[string]bool) {
	switch {
	case null[key] && came != nil:
		into[key] = Difference{nil, *came}
	case want != nil && came == nil:
		into[key] = Difference{*want, nil}
	case want != nil && *want != *came:
		into[key] = Difference{*want, *came}
	}
}

// reportTerms lists every term that enters the sums and every other that a rule or the item names.
func (b *Rulebook) reportTerms(terms *Terms) map[string]TermReport {
	named := map[Term]bool{}
	for _, r := range b.Rules {
		for _, s := range r.Settings {
			named[s.Term] = true
		}
	}
	out := map[string]TermReport{}
	for i := range All {
		t := Term(i)
		settled := terms.Of(t)
		id := settled.RuleID()
		if !All[t].InSums && !named[t] && id == "" {
			continue
		}
		report := TermReport{Value: settled.Value.Plain(t, b.Currency)}
		if id != "" {
			report.Rule = &id
		}
		out[t.String()] = report
	}
	return out
}

// PlainRules are all rules as files carry them.
func (b *Rulebook) PlainRules() ([]byte, error) {
	list := make([]RuleFile, len(b.Rules))
	for i, r := range b.Rules {
		list[i] = b.Plain(r)
	}
	return json.Marshal(list)
}
