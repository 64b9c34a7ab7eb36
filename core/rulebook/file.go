package rulebook

import (
	"fmt"
	"slices"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/core/jsonfile"
	"nevrin/core/money"
)

// Format is the name of the file format.
const Format = "nevrin-rulebook/1"

// Bounds of a file, far above what a network has.
const (
	maxRules    = 3000
	maxExamples = 2000
	maxAdmitted = 500 // values that a rule names in one dimension
)

// Read reads a rulebook file. The error is of type jsonfile.Errors and lists all that is wrong.
func Read(data []byte) (*Rulebook, error) {
	root, err := jsonfile.Read(data)
	if err != nil {
		return nil, err
	}
	if !root.Only("format", "currency", "branches", "ranking", "rules", "examples") {
		return nil, root.Err()
	}
	root.Get("format").OneOf(Format)
	currency := jsonfile.Parsed(root.Get("currency"), money.ParseCurrency)
	branches, _ := calendar.ReadBranches(root.Get("branches"))
	b := New(currency, branches, readRanking(root.Get("ranking")), nil)
	b.use(b.readRules(root.Get("rules")))
	if root.Err() == nil {
		_, err := kindsOfAll(b)
		root.Get("rules").Check(err)
	}
	for _, n := range root.Get("examples").ListUpTo(maxExamples) {
		b.Examples = append(b.Examples, b.readExample(n))
	}
	if err := root.Err(); err != nil {
		return nil, err
	}
	return b, nil
}

func readRanking(n jsonfile.Node) Ranking {
	if !n.Given() {
		return DefaultRanking
	}
	var r Ranking
	seen := map[Dimension]bool{}
	list := n.List()
	for i, item := range list {
		d, ok := DimensionByID(item.OneOf(DimensionIDs[:]...))
		if !ok {
			continue
		}
		if seen[d] {
			item.Fail(fmt.Sprintf("%q a second time", d), "the five dimensions once each")
		}
		seen[d] = true
		if i < len(r) {
			r[i] = d
		}
	}
	if len(list) != int(dimensions) {
		n.Fail(
			fmt.Sprintf("a ranking of %d", len(list)),
			"the five dimensions once each: "+strings.Join(DimensionIDs[:], ", "),
		)
	}
	return r
}

func (b *Rulebook) readRules(n jsonfile.Node) []*Rule {
	if !n.Given() {
		n.Wrong("a list of rules")
	}
	var rules []*Rule
	bases := 0
	seen := map[string]bool{}
	for _, item := range n.ListUpTo(maxRules) {
		if !item.Only("id", "name", "scope", "terms") {
			continue
		}
		r := &Rule{ID: item.Get("id").Text(), Name: item.Get("name").TextOr("")}
		if seen[r.ID] && r.ID != "" {
			item.Get("id").Fail(fmt.Sprintf("the rule %q a second time", r.ID), "each id once")
		}
		seen[r.ID] = true
		r.Scope = b.readScope(item.Get("scope"))
		r.Settings = b.ReadSettings(item.Get("terms"))
		if r.Scope.Empty() {
			if bases++; bases == 2 {
				item.Get("scope").Fail("a second base rule", "exactly one rule with an empty scope")
			}
		}
		rules = append(rules, r)
	}
	if bases == 0 {
		n.Fail("no base rule", "exactly one rule with an empty scope")
	}
	return rules
}

func (b *Rulebook) readScope(n jsonfile.Node) Scope {
	var s Scope
	if !n.Given() {
		n.Wrong("an object, empty for the base rule")
		return s
	}
	if !n.Only(DimensionIDs[:]...) {
		return s
	}
	for d := range dimensions {
		var texts []string
		for _, item := range n.Get(DimensionIDs[d]).ListUpTo(maxAdmitted) {
			text := item.Text()
			if d.OfBranch() && text != "" {
				item.Check(b.checkPlace(text))
			}
			texts = append(texts, text)
		}
		s[d] = ParseAdmits(d, texts)
	}
	return s
}

// checkPlace tells whether a text names a branch or a zone of this rulebook.
func (b *Rulebook) checkPlace(text string) error {
	if zone, ok := strings.CutPrefix(text, zonePrefix); ok {
		for _, br := range b.Branches {
			if br.Zone == zone && zone != "" {
				return nil
			}
		}
		return expect.Errorf("one of "+strings.Join(b.zoneNames(), ", "), "%q, a zone that no branch is in", text)
	}
	return b.checkBranch(text)
}

func (b *Rulebook) checkBranch(code string) error {
	if _, ok := b.Branch(calendar.Code(code)); ok {
		return nil
	}
	codes := make([]string, len(b.Branches))
	for i, br := range b.Branches {
		codes[i] = string(br.Code)
	}
	return expect.Errorf("one of "+strings.Join(codes, ", "), "%q, a branch that does not exist here", code)
}

func (b *Rulebook) zoneNames() []string {
	var zones []string
	for _, br := range b.Branches {
		if br.Zone != "" && !slices.Contains(zones, zonePrefix+br.Zone) {
			zones = append(zones, zonePrefix+br.Zone)
		}
	}
	return zones
}

// ReadSettings reads an object of terms and their values.
func (b *Rulebook) ReadSettings(n jsonfile.Node) []Setting {
	var settings []Setting
	if !n.Given() {
		n.Wrong("an object of terms")
		return nil
	}
	for _, key := range n.Keys() {
		t, ok := TermByID(key)
		if !ok {
			n.Get(key).Fail(fmt.Sprintf("the unknown term %q", key), "one of "+strings.Join(termIDs(), ", "))
			continue
		}
		settings = append(settings, Setting{t, ReadValue(n.Get(key), t, b.Currency)})
	}
	slices.SortFunc(settings, func(x, y Setting) int { return int(x.Term - y.Term) })
	return settings
}

// RuleFile is a rule as files carry it, ready for encoding/json.
type RuleFile struct {
	ID    string              `json:"id"`
	Name  string              `json:"name,omitempty"`
	Scope map[string][]string `json:"scope"`
	Terms map[string]any      `json:"terms"`
}

// Plain is a rule as files carry it.
func (b *Rulebook) Plain(r *Rule) RuleFile {
	f := RuleFile{ID: r.ID, Name: r.Name, Scope: map[string][]string{}, Terms: b.PlainSettings(r.Settings)}
	for d := range dimensions {
		if !r.Scope[d].empty() {
			f.Scope[DimensionIDs[d]] = r.Scope[d].Texts()
		}
	}
	return f
}

// PlainSettings are settings as files carry them.
func (b *Rulebook) PlainSettings(settings []Setting) map[string]any {
	out := map[string]any{}
	for _, s := range settings {
		out[s.Term.String()] = s.Value.Plain(s.Term, b.Currency)
	}
	return out
}

// Parts are an edition as it is stored: rules, and examples where they are wanted, each a JSON list in the
// form of the file format.
type Parts struct {
	Rules    []byte
	Examples []byte // nil: none are read
	Ranking  []string
}

// ReadParts reads an edition against branches and a currency known otherwise.
func ReadParts(p Parts, currency money.Currency, branches []*calendar.Branch) (*Rulebook, error) {
	ranking, err := ParseRanking(p.Ranking)
	if err != nil {
		return nil, err
	}
	root, err := jsonfile.Read(p.Rules)
	if err != nil {
		return nil, err
	}
	b := New(currency, branches, ranking, nil)
	b.use(b.readRules(root))
	if root.Err() == nil {
		_, err := kindsOfAll(b)
		root.Check(err)
	}
	if err := root.Err(); err != nil || p.Examples == nil {
		return b, err
	}
	if root, err = jsonfile.Read(p.Examples); err != nil {
		return nil, err
	}
	for _, n := range root.ListUpTo(maxExamples) {
		b.Examples = append(b.Examples, b.readExample(n))
	}
	return b, root.Err()
}

// ParseRanking reads a ranking; none is the default.
func ParseRanking(ids []string) (Ranking, error) {
	if len(ids) == 0 {
		return DefaultRanking, nil
	}
	var r Ranking
	seen := map[Dimension]bool{}
	for i, id := range ids {
		d, ok := DimensionByID(id)
		if !ok || seen[d] || i >= len(r) {
			break
		}
		seen[d] = true
		r[i] = d
	}
	if len(seen) != int(dimensions) || len(ids) != int(dimensions) {
		right := "the five dimensions once each: " + strings.Join(DimensionIDs[:], ", ")
		return r, expect.Errorf(right, "a ranking of %s", strings.Join(ids, ", "))
	}
	return r, nil
}

// IDs are the dimensions of the ranking as files carry them.
func (r Ranking) IDs() []string {
	out := make([]string, len(r))
	for k, d := range r {
		out[k] = d.String()
	}
	return out
}

// ParseSettings reads an object of terms, such as an item's own, from JSON outside a file.
func (b *Rulebook) ParseSettings(data []byte) ([]Setting, error) {
	root, err := jsonfile.Read(data)
	if err != nil {
		return nil, err
	}
	settings := b.ReadSettings(root)
	return settings, root.Err()
}
