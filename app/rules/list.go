package rules

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/network"
	"nevrin/app/problem"
	"nevrin/core/rulebook"
	"nevrin/store/networkdb"
	"nevrin/store/rulesdb"
)

// Rule is a rule as the list shows it: in a sentence, with what is odd about it.
type Rule struct {
	rulebook.RuleFile
	Sentence  string   `json:"sentence"`
	Where     string   `json:"where"`
	Idle      []string `json:"idle" doc:"Terms in which it decides nothing, since narrower rules always do"`
	Conflicts []string `json:"conflicts" doc:"Rules it conflicts with, in words"`
	Loans     int      `json:"loans" doc:"Loans of the last year whose terms it would have decided"`
	Base      bool     `json:"base"`
}

// RuleList is all rules of an edition.
type RuleList struct {
	Rules    []Rule             `json:"rules"`
	Ranking  []string           `json:"ranking"`
	Warnings []rulebook.Warning `json:"warnings"`
}

// warnings are all that is odd about an edition in this network.
func warnings(a *act.Act, book *rulebook.Rulebook) []rulebook.Warning {
	traps := book.Traps(func(d rulebook.Dimension, class string) bool {
		return slices.ContainsFunc(a.Network.Classes, func(c networkdb.Class) bool {
			return c.Kind == kindOf[d] && c.Code == class && !c.Retired
		})
	})
	return slices.Concat([]rulebook.Warning{}, book.Warnings(), traps)
}

// List gives the rules of an edition in their order.
func List(a *act.Act, edition int64) (*RuleList, error) {
	book, err := a.Edition(edition)
	if err != nil {
		return nil, err
	}
	used, err := usedLastYear(a, book)
	if err != nil {
		return nil, err
	}
	conflicts := map[string][]string{}
	for _, c := range book.Conflicts() {
		for k, r := range c.Rules {
			conflicts[r.ID] = append(conflicts[r.ID], "“"+c.Rules[1-k].Title()+"” about "+c.Term.Info().Name)
		}
	}
	decides, err := book.Decides(a.Context)
	if err != nil {
		return nil, err
	}
	out := &RuleList{
		Rules:    []Rule{},
		Ranking:  book.Ranking.IDs(),
		Warnings: warnings(a, book.Rulebook),
	}
	for k, r := range book.Rules {
		shown := Rule{
			RuleFile:  book.Plain(r),
			Sentence:  book.Sentence(r),
			Where:     book.SayScope(r.Scope),
			Conflicts: append([]string{}, conflicts[r.ID]...),
			Loans:     used[r.ID],
			Base:      r.Scope.Empty(),
			Idle:      []string{},
		}
		for _, s := range r.Settings {
			if !decides[k][s.Term] {
				shown.Idle = append(shown.Idle, s.Term.Info().Name)
			}
		}
		out.Rules = append(out.Rules, shown)
	}
	return out, nil
}

// usedLastYear counts, for each rule, last year's loans whose terms it would decide.
func usedLastYear(a *act.Act, book *network.Edition) (map[string]int, error) {
	rows, err := rulesdb.Situations(a.Tx, a.Now)
	out := map[string]int{}
	for _, r := range rows {
		var at rulebook.Situation
		copy(at[:], r.Situation)
		terms := book.Decide(at, nil)
		seen := map[string]bool{}
		for t := range rulebook.All {
			if id := terms.Of(rulebook.Term(t)).RuleID(); id != "" && !seen[id] {
				seen[id] = true
				out[id] += r.N
			}
		}
	}
	return out, err
}

// Written is a rule to be put into a draft, in the place of another or as a new one.
type Written struct {
	Revision int               `json:"revision"`
	Instead  string            `json:"instead,omitempty" doc:"Id of the rule that it replaces; none: a new one"`
	Rule     rulebook.RuleFile `json:"rule"`
}

// Write puts a rule into a draft.
func Write(a *act.Act, draft int64, w Written) (*Edition, error) {
	row, rules, err := openDraft(a, draft, w.Revision)
	if err != nil {
		return nil, err
	}
	w.Rule.Name = strings.TrimSpace(w.Rule.Name)
	if w.Instead == "" {
		if w.Rule.Name == "" {
			return nil, problem.Newf(problem.Invalid, "Enter a name for the rule.")
		}
		w.Rule.ID = freeID(rules, w.Rule.Name)
		return saveDraft(a, row, append(rules, w.Rule), fmt.Sprintf("Draft %d: rule “%s” added", row.Number, w.Rule.Name))
	}
	at, err := indexOf(rules, w.Instead)
	if err != nil {
		return nil, err
	}
	w.Rule.ID = w.Instead
	rules[at] = w.Rule
	return saveDraft(a, row, rules, fmt.Sprintf("Draft %d: rule “%s” changed", row.Number, w.Rule.Name))
}

func indexOf(rules []rulebook.RuleFile, id string) (int, error) {
	at := slices.IndexFunc(rules, func(r rulebook.RuleFile) bool { return r.ID == id })
	if at < 0 {
		return 0, problem.Newf(problem.Missing, "There is no rule %q in this draft.", id)
	}
	return at, nil
}

// Strike takes a rule out of a draft.
func Strike(a *act.Act, draft int64, revision int, id string) (*Edition, error) {
	row, rules, err := openDraft(a, draft, revision)
	if err != nil {
		return nil, err
	}
	at, err := indexOf(rules, id)
	if err != nil {
		return nil, err
	}
	gone, err := json.Marshal(rules[at])
	if err != nil {
		return nil, err
	}
	return saveDraft(a, row, slices.Delete(rules, at, at+1), fmt.Sprintf("Draft %d: rule removed: %s", row.Number, gone))
}

// Rank changes the order in which dimensions outweigh each other in a draft.
func Rank(a *act.Act, draft int64, revision int, ranking []string) (*Edition, error) {
	if _, err := rulebook.ParseRanking(ranking); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	row, rules, err := openDraft(a, draft, revision)
	if err != nil {
		return nil, err
	}
	row.Ranking = ranking
	return saveDraft(a, row, rules, fmt.Sprintf("Draft %d: ranking %s", row.Number, strings.Join(ranking, ", ")))
}

// Cells are cells of the grid to be set together. What other dimensions the rules name is given; the
// rows and columns they name follow from the cells.
type Cells struct {
	Revision int                 `json:"revision"`
	Term     string              `json:"term"`
	Value    any                 `json:"value"`
	Rows     string              `json:"rows" doc:"Dimension of the rows"`
	Columns  string              `json:"columns" doc:"Dimension of the columns"`
	Cells    [][2]string         `json:"cells" minItems:"1" maxItems:"5000" doc:"Row and column of each cell"`
	Scope    map[string][]string `json:"scope" doc:"Of the other dimensions"`
	At       map[string]string   `json:"at" doc:"What the grid's other dimensions were fixed to, to see whether the cells follow"`
}

// CellsSet is the result of setting several cells of the grid at once.
type CellsSet struct {
	Edition Edition  `json:"edition"`
	Rules   []string `json:"rules" doc:"The rules that say it, in sentences"`
	Stay    []string `json:"stay" doc:"Cells that do not follow, since a narrower rule decides there"`
}

// SetCells sets cells together, by the fewest rules that say it: cells of one value in a grid are written as
// blocks of rows and columns, whole rows or columns without naming them.
func SetCells(a *act.Act, draft int64, cells Cells) (*CellsSet, error) {
	row, rules, err := openDraft(a, draft, cells.Revision)
	if err != nil {
		return nil, err
	}
	term, err := termOf(cells.Term)
	if err != nil {
		return nil, err
	}
	question := Question{Rows: cells.Rows, Columns: cells.Columns}
	rows, columns, err := question.axes()
	if err != nil {
		return nil, err
	}
	for d, v := range cells.At {
		if dimension, ok := rulebook.DimensionByID(d); ok {
			question.At[dimension] = v
		}
	}
	all := values(a)
	scopes := func(places [][2]string, style int) []map[string][]string {
		var out []map[string][]string
		for _, block := range rulebook.Blocks(places) {
			scope := map[string][]string{}
			for d, v := range cells.Scope {
				if d != cells.Rows && d != cells.Columns && len(v) > 0 {
					scope[d] = v
				}
			}
			name(scope, rows, block.Rows, all[cells.Rows], a, style)
			name(scope, columns, block.Columns, all[cells.Columns], a, style)
			out = append(out, scope)
		}
		return out
	}
	var best *attempt
	for style := range styles {
		tried, err := try(a, row, rules, &cells, &question, term, scopes(cells.Cells, style))
		if err != nil {
			return nil, err
		}
		// A whole row or column is one rule without the other dimension. Where narrower rules decide in some of its cells, these cells
		// have one beside it, so that what comes to be later follows the row, too.
		whole := slices.ContainsFunc(rulebook.Blocks(cells.Cells), func(b rulebook.Block) bool {
			return len(b.Rows) == len(all[cells.Rows]) || len(b.Columns) == len(all[cells.Columns])
		})
		if left := len(tried.left); style == shortest && whole && left > 0 && left < len(cells.Cells) {
			both, err := try(a, row, rules, &cells, &question, term, slices.Concat(scopes(cells.Cells, shortest), scopes(tried.left, everything)))
			if err != nil {
				return nil, err
			}
			if len(both.left) < left {
				tried = both
			}
		}
		if best == nil || len(tried.stay) < len(best.stay) {
			best = tried
		}
		if len(tried.stay) == 0 {
			break
		}
	}
	saved, err := saveDraft(
		a,
		row,
		best.rules,
		fmt.Sprintf("Draft %d: %s set to %v in %d cells", row.Number, cells.Term, cells.Value, len(cells.Cells)),
	)
	if err != nil {
		return nil, err
	}
	return &CellsSet{Edition: *saved, Rules: best.sentences, Stay: best.stay}, nil
}

// Styles of naming rows and columns, the shortest first. A longer one is narrower, and so may say it where a
// shorter one is outweighed.
const (
	shortest   = iota // whole zones by their names, all values not at all
	branches          // branches by their own names
	everything        // even where all are meant
	styles
)

// attempt is a way of writing cells as rules, with the cells that would not follow.
type attempt struct {
	rules           []rulebook.RuleFile
	sentences, stay []string
	left            [][2]string // the cells that stay
}

func try(
	a *act.Act,
	row *rulesdb.Edition,
	before []rulebook.RuleFile,
	c *Cells,
	q *Question,
	term rulebook.Term,
	scopes []map[string][]string,
) (*attempt, error) {
	t := &attempt{sentences: []string{}, stay: []string{}}
	for _, r := range before { // the terms are changed in place, so each attempt has its own
		r.Terms = maps.Clone(r.Terms)
		t.rules = append(t.rules, r)
	}
	for _, scope := range scopes {
		t.rules = settle(t.rules, scope, c.Term, c.Value, "", row.Number)
	}
	data, err := json.Marshal(t.rules)
	if err != nil {
		return nil, err
	}
	book, err := a.Network.Parse(&rulesdb.Edition{Rules: data, Ranking: row.Ranking})
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	var value rulebook.Value
	for k, r := range book.Rules {
		if slices.ContainsFunc(scopes, func(s map[string][]string) bool { return sameScope(s, t.rules[k].Scope) }) {
			t.sentences = append(t.sentences, book.Sentence(r))
			value, _ = r.Sets(term)
		}
	}
	all := values(a)
	rows, columns, err := q.axes()
	if err != nil {
		return nil, err
	}
	for _, cell := range c.Cells {
		at := q.situation(rows, columns, cell[0], cell[1])
		if settled := book.Decide(at, nil); !settled.Value(term).Equal(value) {
			t.left = append(t.left, cell)
			t.stay = append(
				t.stay,
				fmt.Sprintf(
					"%s, %s: “%s” says %s",
					valueName(all[c.Rows], cell[0]),
					valueName(all[c.Columns], cell[1]),
					settled.Of(term).Rule.Title(),
					book.Say(term, settled.Value(term)),
				),
			)
		}
	}
	return t, nil
}

func valueName(list []Value, code string) string {
	for _, v := range list {
		if v.Code == code {
			return v.Name
		}
	}
	return code
}

// name names values of a dimension in a scope, in a style.
func name(scope map[string][]string, d rulebook.Dimension, chosen []string, all []Value, a *act.Act, style int) {
	if len(chosen) == len(all) && style < everything {
		return
	}
	if d.OfBranch() && style < branches {
		chosen = byZones(a.Network, chosen)
	}
	scope[d.String()] = chosen
}

func byZones(n *network.Network, chosen []string) []string {
	zones := map[string][]string{}
	for _, b := range n.Branches {
		zones[b.Zone] = append(zones[b.Zone], string(b.Code))
	}
	var out []string
	for _, b := range n.Branches {
		of := zones[b.Zone]
		whole := b.Zone != "" && len(of) > 1 &&
			!slices.ContainsFunc(of, func(code string) bool { return !slices.Contains(chosen, code) })
		switch {
		case whole && of[0] == string(b.Code):
			out = append(out, "zone:"+b.Zone)
		case !whole && slices.Contains(chosen, string(b.Code)):
			out = append(out, string(b.Code))
		}
	}
	return out
}

// editionRow loads an edition as it is stored.
func editionRow(a *act.Act, id int64) (*rulesdb.Edition, error) {
	row, err := rulesdb.EditionRow(a.Tx, id)
	if err == nil && row == nil {
		err = problem.NoSuch("edition")
	}
	return row, err
}
