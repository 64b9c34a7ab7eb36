package rules

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store/rulesdb"
)

// ExampleFile is an example as files carry it.
type ExampleFile struct {
	Name   string         `json:"name" minLength:"1" maxLength:"200"`
	Given  map[string]any `json:"given"`
	Expect map[string]any `json:"expect,omitempty"`
}

// Checked is an example of an edition with what it comes to.
type Checked struct {
	ExampleFile
	OK      bool       `json:"ok"`
	Due     string     `json:"due"`
	Fine    string     `json:"fine" doc:"Empty without a return"`
	Differs []string   `json:"differs" doc:"What did not come out as expected, in words"`
	Why     *why.Trace `json:"why"`
}

// Check is an edition looked at as a whole.
type Check struct {
	Examples  []Checked          `json:"examples"`
	Conflicts []string           `json:"conflicts"`
	Warnings  []rulebook.Warning `json:"warnings"`
}

// CheckEdition computes the examples of an edition and looks for conflicts and warnings.
func CheckEdition(a *act.Act, edition int64) (*Check, error) {
	row, err := editionRow(a, edition)
	if err != nil {
		return nil, err
	}
	book, err := readWhole(a, row)
	if err != nil {
		return nil, problem.Newf(problem.Refused, "The examples of this edition cannot be read any more: %s", err)
	}
	var files []ExampleFile
	if err := json.Unmarshal(row.Examples, &files); err != nil {
		return nil, err
	}
	report := book.Check()
	out := &Check{Examples: []Checked{}, Conflicts: []string{}, Warnings: warnings(a, book)}
	for k, e := range report.Examples {
		c := Checked{ExampleFile: files[k], OK: e.OK, Due: e.Due, Differs: []string{}, Why: &e.Why}
		if e.Fine != nil {
			c.Fine = *e.Fine
		}
		for what, d := range e.Differs {
			c.Differs = append(c.Differs, fmt.Sprintf("%s: expected %v, came %v", what, d.Expected, d.Came))
		}
		slices.Sort(c.Differs)
		out.Examples = append(out.Examples, c)
	}
	for _, c := range book.Conflicts() {
		out.Conflicts = append(out.Conflicts, sayConflict(book, c))
	}
	return out, nil
}

// WrittenExample is an example to be put into a draft, instead of the one with a name or as a new one.
type WrittenExample struct {
	Revision int         `json:"revision"`
	Instead  string      `json:"instead,omitempty" doc:"Name of the example that it replaces"`
	Example  ExampleFile `json:"example"`
}

// WriteExample puts an example into a draft.
func WriteExample(a *act.Act, draft int64, w WrittenExample) (*Edition, error) {
	return changeExamples(a, draft, w.Revision, func(list []ExampleFile) ([]ExampleFile, string, error) {
		list = slices.DeleteFunc(list, func(e ExampleFile) bool { return e.Name == w.Instead })
		if slices.ContainsFunc(list, func(e ExampleFile) bool { return e.Name == w.Example.Name }) {
			return nil, "", problem.Newf(
				problem.Invalid,
				"An example “%s” already exists. Choose another name.",
				w.Example.Name,
			)
		}
		return append(list, w.Example), "example “" + w.Example.Name + "” written", nil
	})
}

// DropExample takes an example out of a draft.
func DropExample(a *act.Act, draft int64, revision int, name string) (*Edition, error) {
	return changeExamples(a, draft, revision, func(list []ExampleFile) ([]ExampleFile, string, error) {
		left := slices.DeleteFunc(slices.Clone(list), func(e ExampleFile) bool { return e.Name == name })
		if len(left) == len(list) {
			return nil, "", problem.Newf(problem.Missing, "There is no example “%s” in this draft.", name)
		}
		return left, "example “" + name + "” dropped", nil
	})
}

func changeExamples(
	a *act.Act,
	draft int64,
	revision int,
	change func([]ExampleFile) ([]ExampleFile, string, error),
) (*Edition, error) {
	row, rules, err := openDraft(a, draft, revision)
	if err != nil {
		return nil, err
	}
	var list []ExampleFile
	if err := json.Unmarshal(row.Examples, &list); err != nil {
		return nil, err
	}
	list, text, err := change(list)
	if err != nil {
		return nil, err
	}
	if row.Examples, err = json.Marshal(list); err != nil {
		return nil, err
	}
	return saveDraft(a, row, rules, fmt.Sprintf("Draft %d: %s", row.Number, text))
}

// FromLoan makes an example of a real loan: what it was classed as and when, and what came of it by the edition
// it was made under. With that as its expectation a draft shows at once whether it would be otherwise.
func FromLoan(a *act.Act, loanID int64) (*ExampleFile, error) {
	l, item, err := loanOf(a, loanID)
	if err != nil {
		return nil, err
	}
	book, err := a.Edition(l.EditionID)
	if err != nil {
		return nil, err
	}
	at := l.At()
	branch, err := a.Network.Branch(l.BranchCode)
	if err != nil {
		return nil, err
	}
	given := map[string]any{"lent": calendar.PrintInstant(l.LentAt, branch.Location)}
	for d, v := range at {
		if v != "" {
			given[rulebook.DimensionIDs[d]] = v
		}
	}
	if item.Price != nil {
		given["price"] = a.Network.Money.Format(*item.Price)
	}
	if len(item.OwnTerms) > 0 {
		given["item_terms"] = item.OwnTerms
	}
	if l.RenewedAt != nil {
		given["renewed"] = calendar.PrintInstant(*l.RenewedAt, branch.Location)
	}
	if l.ReturnedAt != nil {
		given["returned"] = calendar.PrintInstant(*l.ReturnedAt, branch.Location)
	}
	e := &ExampleFile{
		Name:  strings.TrimSpace(item.Title.Name + ", lent " + a.Network.SayDate(calendar.DateOf(l.LentAt.In(branch.Location)))),
		Given: given,
	}
	list, err := json.Marshal([]*ExampleFile{e})
	if err != nil {
		return nil, err
	}
	plain, err := book.PlainRules()
	if err != nil {
		return nil, err
	}
	whole, err := readWhole(a, &rulesdb.Edition{Rules: plain, Examples: list, Ranking: book.Ranking.IDs()})
	if err != nil {
		return nil, err
	}
	came := whole.Check().Examples[0]
	e.Expect = map[string]any{"due": came.Due}
	if came.Fine != nil {
		e.Expect["fine"] = *came.Fine
	}
	return e, nil
}
