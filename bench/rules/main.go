// Command rules measures the rulebook at size: settling all terms of a situation against a general rule
// engine and a plain scan, and finding conflicts. Ratios come from one run on one machine.
package main

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/vm"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/core/rulebook"
)

const (
	branches  = 50
	zones     = 8
	ruleCount = 2000
)

// values of the dimensions that are no branches.
var values = map[rulebook.Dimension][]string{
	rulebook.Collection: {"fiction", "nonfiction", "young", "media", "newspapers", "things", "county", "school"},
	rulebook.MaterialClass: {
		"book",
		"new_book",
		"large_print",
		"audiobook",
		"film",
		"game",
		"magazine",
		"kit",
		"laptop",
		"reference",
	},
	rulebook.PatronClass: {"adult", "youth", "child", "senior", "housebound", "educator", "visitor", "staff", "partner"},
}

func main() {
	random := rand.New(rand.NewPCG(1, 2))
	currency := money.Currency{Code: "CAD", Digits: 2}
	var places []*calendar.Branch
	for k := range branches {
		places = append(
			places,
			&calendar.Branch{
				Code: calendar.Code(fmt.Sprintf("B%02d", k)),
				Name: fmt.Sprint("Branch ", k),
				Zone: fmt.Sprint("z", k%zones),
			},
		)
	}
	empty := rulebook.New(currency, places, rulebook.DefaultRanking, nil)
	setting := func(text string) []rulebook.Setting {
		s, err := empty.ParseSettings([]byte(text))
		if err != nil {
			panic(err)
		}
		return s
	}
	rules := []*rulebook.Rule{
		{ID: "base", Settings: setting(`{"loan_period": "P21D", "renewals": 2, "fine_rate": "0.25", "grace": 2}`)},
	}
	for len(rules) < ruleCount {
		r := &rulebook.Rule{
			ID: fmt.Sprint("r", len(rules)),
			Settings: setting(
				fmt.Sprintf(
					`{"loan_period": "P%dD", "renewals": %d, "fine_rate": "0.%02d"}`,
					1+random.IntN(60),
					random.IntN(5),
					random.IntN(99),
				),
			),
		}
		for _, d := range rulebook.DefaultRanking {
			switch {
			case random.IntN(2) == 0:
			case d.OfBranch() && random.IntN(3) == 0:
				r.Scope[d] = rulebook.ParseAdmits(d, []string{fmt.Sprint("zone:z", random.IntN(zones))})
			case d.OfBranch():
				r.Scope[d] = rulebook.ParseAdmits(
					d,
					[]string{string(places[random.IntN(branches)].Code), string(places[random.IntN(branches)].Code)},
				)
			default:
				r.Scope[d] = rulebook.ParseAdmits(d, []string{values[d][random.IntN(len(values[d]))]})
			}
		}
		if !r.Scope.Empty() {
			rules = append(rules, r)
		}
	}
	begun := time.Now()
	book := rulebook.New(currency, places, rulebook.DefaultRanking, rules)
	indexed := time.Since(begun)
	var at []rulebook.Situation
	for range 1000 {
		lending := places[random.IntN(branches)].Code
		pick := func(d rulebook.Dimension) string { return values[d][random.IntN(len(values[d]))] }
		at = append(
			at,
			rulebook.Situate(
				lending,
				places[random.IntN(branches)].Code,
				pick(rulebook.Collection),
				pick(rulebook.MaterialClass),
				pick(rulebook.PatronClass),
			),
		)
	}
	engine := newEngine(book)
	check(book, engine, at)

	n := 0
	next := func() rulebook.Situation { n++; return at[n%len(at)] }
	index := testing.Benchmark(func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			book.Decide(next(), nil)
		}
	})
	scan := testing.Benchmark(func(b *testing.B) {
		for b.Loop() {
			plainScan(book, next())
		}
	})
	general := testing.Benchmark(func(b *testing.B) {
		for b.Loop() {
			engine.decide(next())
		}
	})
	fmt.Printf("%d rules, %d branches; the index is built in %v\n", ruleCount, branches, indexed.Round(time.Millisecond))
	fmt.Printf("settling all terms of a situation: %d ns, %d allocations\n", index.NsPerOp(), index.AllocsPerOp())
	fmt.Printf("  a plain scan of the rules:        %d ns, %.0f times as long\n", scan.NsPerOp(), ratio(scan, index))
	fmt.Printf("  a general rule engine (expr):     %d ns, %.0f times as long\n", general.NsPerOp(), ratio(general, index))
	begun = time.Now()
	conflicts := book.Conflicts()
	fmt.Printf("finding conflicts: %v, %d found\n", time.Since(begun).Round(time.Millisecond), len(conflicts))
}

func ratio(a, b testing.BenchmarkResult) float64 { return float64(a.NsPerOp()) / float64(b.NsPerOp()) }

// check makes sure that all three decide alike before they are compared.
func check(book *rulebook.Rulebook, e *engine, at []rulebook.Situation) {
	for _, s := range at {
		terms := book.Decide(s, nil)
		want := terms.Value(rulebook.LoanPeriod)
		if got := plainScan(book, s); !got.Equal(want) {
			panic(fmt.Sprint("the plain scan decides otherwise for ", s))
		}
		if got := e.decide(s); !got.Equal(want) {
			panic(fmt.Sprint("the rule engine decides otherwise for ", s))
		}
	}
}

// narrowness of a rule at a situation, as a number that grows with it; -1 where it does not match.
func narrowness(book *rulebook.Rulebook, r *rulebook.Rule, at *rulebook.Situation) int {
	w := 0
	for _, d := range book.Ranking {
		n := 0
		if a := r.Scope[d]; len(a.Values)+len(a.Zones) > 0 {
			n = -1
			for _, z := range a.Zones {
				if br, ok := book.Branch(calendar.Code(at[d])); ok && br.Zone == z {
					n = 1
				}
			}
			for _, v := range a.Values {
				if v == at[d] {
					n = 2
				}
			}
		}
		if n < 0 {
			return -1
		}
		w = w*3 + n
	}
	return w
}

// plainScan settles all terms by looking at every rule, and gives the loan period.
func plainScan(book *rulebook.Rulebook, at rulebook.Situation) rulebook.Value {
	best := map[rulebook.Term]int{}
	out := map[rulebook.Term]rulebook.Value{}
	for _, r := range book.Rules {
		w := narrowness(book, r, &at)
		if w < 0 {
			continue
		}
		for _, s := range r.Settings {
			if b, ok := best[s.Term]; !ok || w > b {
				best[s.Term], out[s.Term] = w, s.Value
			}
		}
	}
	return out[rulebook.LoanPeriod]
}

// engine is the same rulebook in a general rule engine: one compiled condition a rule, tried narrowest first.
type engine struct {
	book     *rulebook.Rulebook
	programs []*vm.Program
	machine  vm.VM
}

type environment struct{ A0, Z0, A1, Z1, A2, A3, A4 string }

func newEngine(book *rulebook.Rulebook) *engine {
	e := &engine{book: book}
	for _, r := range book.Rules {
		parts := []string{"true"}
		for d, a := range r.Scope {
			if len(a.Values)+len(a.Zones) == 0 {
				continue
			}
			var or []string
			for _, v := range a.Values {
				or = append(or, fmt.Sprintf("A%d == %q", d, v))
			}
			for _, z := range a.Zones {
				or = append(or, fmt.Sprintf("Z%d == %q", d, z))
			}
			parts = append(parts, "("+strings.Join(or, " || ")+")")
		}
		p, err := expr.Compile(strings.Join(parts, " && "), expr.Env(environment{}), expr.AsBool())
		if err != nil {
			panic(err)
		}
		e.programs = append(e.programs, p)
	}
	return e
}

func (e *engine) decide(at rulebook.Situation) rulebook.Value {
	zone := func(code string) string {
		if br, ok := e.book.Branch(calendar.Code(code)); ok {
			return br.Zone
		}
		return ""
	}
	env := environment{A0: at[0], Z0: zone(at[0]), A1: at[1], Z1: zone(at[1]), A2: at[2], A3: at[3], A4: at[4]}
	best := map[rulebook.Term]int{}
	out := map[rulebook.Term]rulebook.Value{}
	for k, p := range e.programs {
		ok, err := e.machine.Run(p, env)
		if err != nil {
			panic(err)
		}
		if ok != true {
			continue
		}
		w := narrowness(e.book, e.book.Rules[k], &at)
		for _, s := range e.book.Rules[k].Settings {
			if b, seen := best[s.Term]; !seen || w > b {
				best[s.Term], out[s.Term] = w, s.Value
			}
		}
	}
	return out[rulebook.LoanPeriod]
}
