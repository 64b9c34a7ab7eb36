package rulebook

import (
	"slices"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/money"
)

// Dimension is one of the five things a scope can name.
type Dimension int

const (
	LendingBranch Dimension = iota
	HomeBranch
	Collection
	MaterialClass
	PatronClass
	dimensions
)

// DimensionIDs name the dimensions in files; DimensionNames in sentences.
var (
	DimensionIDs   = [dimensions]string{"lending_branch", "home_branch", "collection", "material_class", "patron_class"}
	DimensionNames = [dimensions]string{"lending branch", "home branch", "collection", "material class", "patron class"}
)

func (d Dimension) String() string { return DimensionIDs[d] }

// OfBranch tells whether the dimension's values are branches, which also have zones.
func (d Dimension) OfBranch() bool { return d == LendingBranch || d == HomeBranch }

// DimensionByID finds a dimension by its name in files.
func DimensionByID(id string) (Dimension, bool) {
	i := slices.Index(DimensionIDs[:], id)
	return Dimension(i), i >= 0
}

// Ranking is the order in which dimensions outweigh each other, strongest first.
type Ranking [dimensions]Dimension

// DefaultRanking is the ranking of dimensions where a file gives none.
var DefaultRanking = Ranking{LendingBranch, HomeBranch, Collection, MaterialClass, PatronClass}

// Admits lists the values that a scope admits in one dimension; an empty list admits all.
type Admits struct {
	Values []string
	Zones  []string // without "zone:"
}

func (a Admits) empty() bool { return len(a.Values) == 0 && len(a.Zones) == 0 }

// narrowness at a value: 2 names it, 1 names its zone, 0 does not name the dimension, -1 no match.
func (a Admits) narrowness(value, zone string) int {
	switch {
	case a.empty():
		return 0
	case value == "":
		return -1
	case slices.Contains(a.Values, value):
		return 2
	case zone != "" && slices.Contains(a.Zones, zone):
		return 1
	}
	return -1
}

// Texts are the admitted values as files carry them.
func (a Admits) Texts() []string {
	out := slices.Clone(a.Values)
	for _, z := range a.Zones {
		out = append(out, zonePrefix+z)
	}
	return out
}

const zonePrefix = "zone:"

// ParseAdmits sorts the texts of a scope into values and zones.
func ParseAdmits(d Dimension, texts []string) Admits {
	var a Admits
	for _, text := range texts {
		if zone, ok := strings.CutPrefix(text, zonePrefix); ok && d.OfBranch() {
			a.Zones = append(a.Zones, zone)
		} else {
			a.Values = append(a.Values, text)
		}
	}
	return a
}

// Scope is the set of situations that a rule applies to.
type Scope [dimensions]Admits

// Empty tells whether the scope is that of the base rule.
func (s Scope) Empty() bool {
	for _, a := range s {
		if !a.empty() {
			return false
		}
	}
	return true
}

// Setting is one term that a rule settles.
type Setting struct {
	Term  Term
	Value Value
}

// Rule is one statement of a rulebook.
type Rule struct {
	ID, Name string
	Scope    Scope
	Settings []Setting // in the order of the terms
}

// Sets finds what the rule says of a term.
func (r *Rule) Sets(t Term) (Value, bool) {
	for _, s := range r.Settings {
		if s.Term == t {
			return s.Value, true
		}
	}
	return Value{}, false
}

// Title is the rule's name, or its id where it has none.
func (r *Rule) Title() string {
	if r.Name != "" {
		return r.Name
	}
	return r.ID
}

// Situation is a case to decide: one value for each dimension, empty where not given.
type Situation [dimensions]string

// Situate builds a situation in the order of the dimensions.
func Situate(lendingBranch, homeBranch calendar.Code, collection, materialClass, patronClass string) Situation {
	return Situation{string(lendingBranch), string(homeBranch), collection, materialClass, patronClass}
}

// Lending is the lending branch.
func (s Situation) Lending() calendar.Code { return calendar.Code(s[LendingBranch]) }

// Rulebook is a whole set of rules with the branches they speak of.
type Rulebook struct {
	Currency money.Currency
	Branches []*calendar.Branch
	Ranking  Ranking
	Rules    []*Rule
	Examples []Example

	zones    map[string]string // by branch code
	defaults [termCount]Value
	blank    Terms // every term at its default
	index    *index
}

// New builds a rulebook; the rules stand in their order, which settles ties between equal rules.
func New(currency money.Currency, branches []*calendar.Branch, ranking Ranking, rules []*Rule) *Rulebook {
	b := &Rulebook{Currency: currency, Branches: branches, Ranking: ranking,
		zones: make(map[string]string, len(branches)), defaults: defaults(currency)}
	for _, br := range branches {
		b.zones[string(br.Code)] = br.Zone
	}
	b.blank.Currency = currency
	for t := range b.defaults {
		b.blank.settled[t].Value = b.defaults[t]
	}
	b.use(rules)
	return b
}

// use takes the rules; their index stands for as long as they do.
func (b *Rulebook) use(rules []*Rule) {
	b.Rules = rules
	b.buildIndex()
}

// Branch finds a branch by its code.
func (b *Rulebook) Branch(code calendar.Code) (*calendar.Branch, bool) {
	for _, br := range b.Branches {
		if br.Code == code {
			return br, true
		}
	}
	return nil, false
}

// Default is the value of a term that nothing settles.
func (b *Rulebook) Default(t Term) Value { return b.defaults[t] }
