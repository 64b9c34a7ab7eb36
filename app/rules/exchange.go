package rules

import (
	"encoding/json"
	"fmt"
	"slices"

	"nevrin/app/act"
	"nevrin/app/network"
	"nevrin/app/problem"
	"nevrin/core/rulebook"
	"nevrin/store/networkdb"
	"nevrin/store/rulesdb"
)

// File writes an edition as a rulebook file that the command line checks too.
func File(a *act.Act, edition int64) (json.RawMessage, error) {
	row, err := editionRow(a, edition)
	if err != nil {
		return nil, err
	}
	parts, err := networkdb.Parts(a.Tx)
	if err != nil {
		return nil, err
	}
	list := []map[string]any{}
	for _, b := range parts.Branches {
		one, err := network.BranchFile(&b, a.Today())
		if err != nil {
			return nil, err
		}
		delete(one, "sort_minutes")
		delete(one, "receive_minutes")
		list = append(list, one)
	}
	return json.MarshalIndent(
		map[string]any{"format": rulebook.Format, "currency": a.Network.Currency, "branches": list,
			"ranking": row.Ranking, "rules": row.Rules, "examples": row.Examples},
		"",
		"  ",
	)
}

// Brought is a rulebook file somebody brings, looked at or taken over.
type Brought struct {
	Text string `json:"text" minLength:"2" maxLength:"900000" doc:"A file of the format nevrin-rulebook/1"`
	Take bool   `json:"take" doc:"Take it over as a draft; otherwise it is only looked at"`
	Name string `json:"name,omitempty" maxLength:"200"`
}

// Looked is a rulebook file compared with the edition in force.
type Looked struct {
	Comparison
	Count    int      `json:"count" doc:"Rules in the file"`
	Examples int      `json:"examples"`
	Failing  []string `json:"failing" doc:"Examples of the file that do not hold on this network's calendars"`
	Unknown  []string `json:"unknown" doc:"Values that rules name and this network does not have"`
	Edition  *Edition `json:"edition,omitempty" doc:"The draft it was taken over as"`
}

// Bring looks at a rulebook file, or takes its rules, ranking and examples over as a draft. Its branches must be
// ours; its calendars are not taken over.
func Bring(a *act.Act, b Brought) (*Looked, error) {
	file, err := rulebook.Read([]byte(b.Text))
	if err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	if file.Currency.Code != a.Network.Currency {
		return nil, problem.Newf(
			problem.Invalid,
			"$.currency: found %q; expected this network's, %q.",
			file.Currency.Code,
			a.Network.Currency,
		)
	}
	var plain struct{ Rules, Examples json.RawMessage }
	if err := json.Unmarshal([]byte(b.Text), &plain); err != nil {
		return nil, problem.From(problem.Invalid, err)
	}
	if plain.Examples == nil {
		plain.Examples = json.RawMessage("[]")
	}
	row := rulesdb.Edition{
		Name:     b.Name,
		Rules:    plain.Rules,
		Examples: plain.Examples,
		Ranking:  file.Ranking.IDs(),
		FromID:   &a.Book.ID,
	}
	book, err := readWhole(a, &row)
	if err != nil {
		return nil, problem.Newf(problem.Invalid, "Against the branches of this network: %s", err)
	}
	comparison, err := compare(a, a.Book.Rulebook, book)
	if err != nil {
		return nil, err
	}
	out := &Looked{
		Comparison: *comparison,
		Count:      len(book.Rules),
		Examples:   len(book.Examples),
		Failing:    append([]string{}, failingExamples(book)...),
		Unknown:    unknown(a, book),
	}
	if !b.Take {
		return out, nil
	}
	if row.Name == "" {
		row.Name = "From a file"
	}
	out.Edition, err = draftOf(a, row, fmt.Sprintf("imported from a file with %d rules", len(book.Rules)))
	return out, err
}

// unknown lists values that rules name and the network does not have.
func unknown(a *act.Act, book *rulebook.Rulebook) []string {
	all := values(a)
	out := []string{}
	for _, r := range book.Rules {
		for d, admits := range r.Scope {
			if rulebook.Dimension(d).OfBranch() {
				continue
			}
			for _, v := range admits.Values {
				text := rulebook.DimensionNames[d] + " " + v
				if !slices.ContainsFunc(all[rulebook.DimensionIDs[d]], func(x Value) bool { return x.Code == v }) &&
					!slices.Contains(out, text) {
					out = append(out, text)
				}
			}
		}
	}
	return out
}
