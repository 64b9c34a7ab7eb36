// Package rules shows the rulebook and changes it: editions, the grid, drafts.
//
// An edition in force is never changed. A change is made in a draft, looked at in the grid beside
// what it would change, and put in force from a date. Of two editions that start on one day the one
// put in force later counts.
package rules

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/rulesdb"
)

// Edition is an edition as the list shows it.
type Edition struct {
	ID       int64  `json:"id"`
	Number   int    `json:"number"`
	State    string `json:"state" enum:"draft,in_force,coming,superseded,withdrawn"`
	Name     string `json:"name"`
	From     string `json:"from" doc:"Date it starts on; empty for a draft"`
	FromSays string `json:"from_says"`
	Rules    int    `json:"rules"`
	Revision int    `json:"revision"`
	Changes  int    `json:"changes" doc:"Of a draft: rules that differ from the edition it came from"`
	Reason   string `json:"reason"`
	Begun    int    `json:"begun" doc:"Number of the edition that it was begun from; 0: of none"`

	Ranking []string `json:"ranking" doc:"Dimensions, strongest first"`
}

// Value names a value of a dimension.
type Value struct {
	Code string `json:"code"`
	Name string `json:"name"`
}

// Overview is what the rulebook's screen shows first.
type Overview struct {
	Editions   []Edition           `json:"editions" doc:"Oldest first"`
	Terms      []rulebook.TermInfo `json:"terms"`
	Dimensions map[string][]Value  `json:"dimensions"`
}

// Look gives the editions, terms and values.
func Look(a *act.Act) (*Overview, error) {
	rows, err := rulesdb.Editions(a.Tx)
	if err != nil {
		return nil, err
	}
	out := &Overview{Editions: []Edition{}, Terms: rulebook.All[:], Dimensions: values(a)}
	byID := map[int64]*rulesdb.Edition{}
	for k := range rows {
		byID[rows[k].ID] = &rows[k]
	}
	for _, r := range rows {
		e := show(a, &r)
		if r.FromID != nil {
			e.Begun = byID[*r.FromID].Number
			if r.State == "draft" {
				e.Changes = changes(byID[*r.FromID].Rules, r.Rules)
			}
		}
		out.Editions = append(out.Editions, e)
	}
	return out, nil
}

func show(a *act.Act, r *rulesdb.Edition) Edition {
	e := Edition{
		ID:       r.ID,
		Number:   r.Number,
		State:    r.State,
		Name:     r.Name,
		Revision: r.Revision,
		Reason:   r.Reason,
		Ranking:  r.Ranking,
	}
	var list []json.RawMessage
	if json.Unmarshal(r.Rules, &list) == nil {
		e.Rules = len(list)
	}
	if from := store.DateOf(r.StartsOn); from != nil {
		e.From, e.FromSays = from.String(), a.SayDate(*from)
		switch {
		case r.State == "withdrawn":
		case r.ID == a.Book.ID:
			e.State = "in_force"
		case *from > a.Today():
			e.State = "coming"
		default:
			e.State = "superseded"
		}
	}
	return e
}

func values(a *act.Act) map[string][]Value {
	out := map[string][]Value{}
	for _, b := range a.Network.Branches {
		v := Value{string(b.Code), b.Name}
		out["lending_branch"], out["home_branch"] = append(out["lending_branch"], v), append(out["home_branch"], v)
		if zone := (Value{"zone:" + b.Zone, "All of " + b.Zone}); b.Zone != "" && !slices.Contains(out["zone"], zone) {
			out["zone"] = append(out["zone"], zone)
		}
	}
	for _, c := range a.Network.Classes {
		key := map[string]string{"patron": "patron_class", "material": "material_class",
			"collection": "collection"}[c.Kind]
		out[key] = append(out[key], Value{c.Code, c.Name})
	}
	return out
}

// changes counts the rules that are new, gone or different.
func changes(before, after json.RawMessage) int {
	index := func(data json.RawMessage) map[string]string {
		var list []rulebook.RuleFile
		out := map[string]string{}
		if json.Unmarshal(data, &list) == nil {
			for _, r := range list {
				text, _ := json.Marshal(r)
				out[r.ID] = string(text)
			}
		}
		return out
	}
	old, n := index(before), 0
	for id, text := range index(after) {
		if old[id] != text {
			n++
		}
		delete(old, id)
	}
	return n + len(old)
}

// Cell is one cell of the grid.
type Cell struct {
	Value    any     `json:"value"`
	Says     string  `json:"says"`
	Short    string  `json:"short"`
	Weight   float64 `json:"weight" doc:"0 to 1: how much, for the shade; -1 where there is none"`
	Rule     string  `json:"rule" doc:"Id of the deciding rule; empty for a default"`
	BaseOnly bool    `json:"base_only" doc:"Only the base rule or a default speaks here"`
	Was      string  `json:"was,omitempty" doc:"What the edition in force says, where it differs"`
	Barred   bool    `json:"barred" doc:"Not lent at all"`
}

// Grid is two dimensions against each other, one term in the cells.
type Grid struct {
	Term    string   `json:"term"`
	Rows    []Value  `json:"rows"`
	Columns []Value  `json:"columns"`
	Cells   [][]Cell `json:"cells"`
}

// Question asks for a grid: two dimensions, and the values that the others are fixed to.
type Question struct {
	Edition       int64
	Term          string
	Rows, Columns string // dimensions
	At            rulebook.Situation
}

// axes are the dimensions of rows and columns.
func (q *Question) axes() (rows, columns rulebook.Dimension, err error) {
	rows, ok := rulebook.DimensionByID(q.Rows)
	columns, also := rulebook.DimensionByID(q.Columns)
	if !ok || !also || rows == columns {
		return 0, 0, problem.Newf(
			problem.Invalid,
			"Choose two different dimensions of %s.",
			strings.Join(rulebook.DimensionIDs[:], ", "),
		)
	}
	return rows, columns, nil
}

// situation is that of a cell. Items are of the lending branch where nothing else is said.
func (q *Question) situation(rows, columns rulebook.Dimension, row, column string) rulebook.Situation {
	at := q.At
	at[rows], at[columns] = row, column
	if at[rulebook.HomeBranch] == "" && rows != rulebook.HomeBranch && columns != rulebook.HomeBranch {
		at[rulebook.HomeBranch] = at[rulebook.LendingBranch]
	}
	return at
}

// Ask works out a grid.
func Ask(a *act.Act, q Question) (*Grid, error) {
	term, err := termOf(q.Term)
	if err != nil {
		return nil, err
	}
	rows, columns, err := q.axes()
	if err != nil {
		return nil, err
	}
	if code := q.At.Lending(); code != "" {
		if _, err := a.Network.Branch(code); err != nil {
			return nil, err
		}
	}
	book, err := a.Edition(q.Edition)
	if err != nil {
		return nil, err
	}
	all := values(a)
	g := &Grid{Term: q.Term, Rows: all[q.Rows], Columns: all[q.Columns]}
	most := 0.0
	for _, row := range g.Rows {
		var cells []Cell
		for _, col := range g.Columns {
			at := q.situation(rows, columns, row.Code, col.Code)
			terms := book.Decide(at, nil)
			c := cell(book.Rulebook, &terms, term)
			if now := a.Book.Decide(at, nil); a.Book.ID != book.ID && !now.Value(term).Equal(terms.Value(term)) {
				c.Was = short(now.Value(term), term, book.Rulebook)
			}
			most = max(most, c.Weight)
			cells = append(cells, c)
		}
		g.Cells = append(g.Cells, cells)
	}
	for _, row := range g.Cells {
		for k := range row {
			if most > 0 && row[k].Weight > 0 {
				row[k].Weight /= most
			}
		}
	}
	return g, nil
}

func termOf(id string) (rulebook.Term, error) {
	term, ok := rulebook.TermByID(id)
	if !ok {
		return 0, problem.Newf(problem.Invalid, "There is no term %q.", id)
	}
	return term, nil
}

func cell(book *rulebook.Rulebook, terms *rulebook.Terms, t rulebook.Term) Cell {
	settled := terms.Of(t)
	v := settled.Value
	c := Cell{
		Value:  v.Plain(t, book.Currency),
		Says:   book.Say(t, v),
		Short:  short(v, t, book),
		Rule:   settled.RuleID(),
		Weight: -1,
		BaseOnly: settled.Rule == nil ||
			settled.Rule.Scope.Empty(),
		Barred: t != rulebook.LendingAllowed && !terms.Value(rulebook.LendingAllowed).YesNo(),
	}
	if !v.Null() {
		switch rulebook.All[t].Kind {
		case rulebook.KindDuration:
			d := v.Duration()
			c.Weight = float64(d.Days) + float64(d.Minutes)/1440
		case rulebook.KindNumber, rulebook.KindMoney:
			c.Weight = float64(v.Amount())
		case rulebook.KindYesNo:
			c.Weight = float64(v.Amount())
		}
	}
	return c
}

// short fits a value into a cell: "21", "3 h", "1.00".
func short(v rulebook.Value, t rulebook.Term, book *rulebook.Rulebook) string {
	if v.Null() {
		return "none"
	}
	switch rulebook.All[t].Kind {
	case rulebook.KindDuration:
		if d := v.Duration(); d.Days > 0 {
			return fmt.Sprint(d.Days)
		} else if d.Minutes%60 == 0 {
			return fmt.Sprintf("%d h", d.Minutes/60)
		}
		return fmt.Sprintf("%d min", v.Duration().Minutes)
	case rulebook.KindNumber:
		return fmt.Sprint(v.Number())
	case rulebook.KindDates:
		return calendar.Count(len(v.Dates()), "date")
	}
	return book.Say(t, v)
}

// WhyCell tells why a cell of an edition is as it is, and when something lent now would be due.
func WhyCell(a *act.Act, edition int64, termID string, at rulebook.Situation) (*why.Trace, error) {
	term, err := termOf(termID)
	if err != nil {
		return nil, err
	}
	book, err := a.Edition(edition)
	if err != nil {
		return nil, err
	}
	if at[rulebook.HomeBranch] == "" {
		at[rulebook.HomeBranch] = at[rulebook.LendingBranch]
	}
	trace := book.Why(at, nil, term)
	if now := a.Book.Decide(at, nil); book.ID != a.Book.ID && book.Say(term, now.Value(term)) != trace.Result {
		trace = trace.Add(why.Note, "In force today: "+book.Say(term, now.Value(term)))
	}
	return &trace, nil
}

// Draft begins a draft from an edition; 0: from the one in force.
func Draft(a *act.Act, name string, from int64) (*Edition, error) {
	row, err := editionRow(a, cmp.Or(from, a.Book.ID))
	if err != nil {
		return nil, err
	}
	return draftOf(
		a,
		rulesdb.Edition{
			Name:     strings.TrimSpace(name),
			Rules:    row.Rules,
			Ranking:  row.Ranking,
			Examples: row.Examples,
			FromID:   &row.ID,
		},
		fmt.Sprintf("started from %s %d", map[bool]string{true: "draft", false: "edition"}[row.State == "draft"], row.Number),
	)
}

// draftOf keeps a new draft under the next number.
func draftOf(a *act.Act, row rulesdb.Edition, how string) (*Edition, error) {
	last, err := rulesdb.LastEdition(a.Tx)
	if err != nil {
		return nil, err
	}
	row.Number, row.State, row.Revision = last+1, "draft", 1
	if err := rulesdb.AddEdition(a.Tx, &row); err != nil {
		return nil, err
	}
	e := show(a, &row)
	tell(a, "Draft %d %s", row.Number, how)
	return &e, nil
}

// Change is a rule to be put into a draft: one term for a scope. A rule with that very scope takes it;
// otherwise a new one is made.
type Change struct {
	Revision int                 `json:"revision" doc:"Of the draft as it was seen; another's change in between is refused"`
	Scope    map[string][]string `json:"scope"`
	Term     string              `json:"term"`
	Value    any                 `json:"value"`
	Name     string              `json:"name,omitempty" maxLength:"200"`
}

// Set makes a change in a draft.
func Set(a *act.Act, draft int64, c Change) (*Edition, error) {
	row, rules, err := openDraft(a, draft, c.Revision)
	if err != nil {
		return nil, err
	}
	rules = settle(rules, c.Scope, c.Term, c.Value, c.Name, row.Number)
	return saveDraft(a, row, rules, fmt.Sprintf("Draft %d: %s set to %v", row.Number, c.Term, c.Value))
}

// settle puts a term for a scope into a list of rules: into the rule with that very scope, or a new one.
func settle(
	rules []rulebook.RuleFile,
	scope map[string][]string,
	term string,
	value any,
	name string,
	draft int,
) []rulebook.RuleFile {
	at := slices.IndexFunc(rules, func(r rulebook.RuleFile) bool { return sameScope(r.Scope, scope) })
	if at < 0 {
		if name == "" {
			name = fmt.Sprintf("Made in draft %d", draft)
		}
		rules = append(rules, rulebook.RuleFile{ID: freeID(rules, name), Name: name, Scope: scope, Terms: map[string]any{}})
		at = len(rules) - 1
	}
	rules[at].Terms[term] = value
	return rules
}

func openDraft(a *act.Act, id int64, revision int) (*rulesdb.Edition, []rulebook.RuleFile, error) {
	row, err := rulesdb.EditionLocked(a.Tx, id)
	if err != nil {
		return nil, nil, err
	}
	switch {
	case row == nil:
		return nil, nil, problem.NoSuch("draft")
	case row.State != "draft":
		return nil, nil, problem.Newf(
			problem.Refused,
			"Edition %d is in force and cannot be changed. Start a draft.",
			row.Number,
		)
	case row.Revision != revision:
		return nil, nil, problem.Newf(
			problem.Refused,
			"Somebody else has changed draft %d meanwhile. Check it, then make your change again.",
			row.Number,
		)
	}
	var rules []rulebook.RuleFile
	return row, rules, json.Unmarshal(row.Rules, &rules)
}

// saveDraft keeps what was changed in a draft, if it can be read.
func saveDraft(a *act.Act, row *rulesdb.Edition, rules []rulebook.RuleFile, text string) (*Edition, error) {
	data, err := json.Marshal(rules)
	if err != nil {
		return nil, err
	}
	row.Rules = data
	if _, err := readWhole(a, row); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	row.Revision++
	if err := rulesdb.KeepDraft(a.Tx, row); err != nil {
		return nil, err
	}
	e := show(a, row)
	tell(a, "%s", text)
	return &e, nil
}

// tell appends the event of a change of drafts or editions.
func tell(a *act.Act, format string, args ...any) {
	a.Tell(event.Event{Kind: event.Rulebook, Detail: event.Detail{Says: fmt.Sprintf(format, args...)}})
}

// readWhole reads an edition with its examples.
func readWhole(a *act.Act, row *rulesdb.Edition) (*rulebook.Rulebook, error) {
	return rulebook.ReadParts(
		rulebook.Parts{Rules: row.Rules, Examples: row.Examples, Ranking: row.Ranking},
		a.Network.Money,
		a.Network.Branches,
	)
}

func sameScope(x, y map[string][]string) bool {
	for _, d := range rulebook.DimensionIDs {
		a, b := slices.Clone(x[d]), slices.Clone(y[d])
		slices.Sort(a)
		slices.Sort(b)
		if !slices.Equal(a, b) {
			return false
		}
	}
	return true
}

func freeID(rules []rulebook.RuleFile, name string) string {
	slug := strings.Trim(strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			return r
		}
		return '-'
	}, strings.ToLower(name)), "-")
	for n := 1; ; n++ {
		id := slug
		if n > 1 {
			id = fmt.Sprintf("%s-%d", slug, n)
		}
		if !slices.ContainsFunc(rules, func(r rulebook.RuleFile) bool { return r.ID == id }) {
			return id
		}
	}
}

// Discard gives a draft up.
func Discard(a *act.Act, draft int64) error {
	row, err := rulesdb.EditionLocked(a.Tx, draft)
	if err != nil {
		return err
	}
	if row == nil || row.State != "draft" {
		return problem.NoSuch("draft")
	}
	if err := rulesdb.DropDraft(a.Tx, row); err != nil {
		return err
	}
	tell(a, "Draft %d deleted: %s", row.Number, row.Rules)
	return nil
}
