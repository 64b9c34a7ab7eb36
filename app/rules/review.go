package rules

import (
	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/rulebook"
)

// GridTable is a grid as a table for a file: row names first, values in words.
func GridTable(a *act.Act, q Question) ([][]string, error) {
	g, err := Ask(a, q)
	if err != nil {
		return nil, err
	}
	head := []string{q.Term}
	for _, c := range g.Columns {
		head = append(head, c.Name)
	}
	out := [][]string{head}
	for y, r := range g.Rows {
		line := []string{r.Name}
		for _, c := range g.Cells[y] {
			line = append(line, c.Says)
		}
		out = append(out, line)
	}
	return out, nil
}

// Review is every combination of branch, patron class and material class with all its terms, for the yearly review.
func Review(a *act.Act, edition int64) ([][]string, error) {
	book, err := a.Edition(edition)
	if err != nil {
		return nil, err
	}
	all := values(a)
	head := []string{"Branch", "Patron class", "Material class"}
	for _, t := range rulebook.All {
		head = append(head, t.Name)
	}
	out := [][]string{head}
	for _, b := range all["lending_branch"] {
		for _, p := range all["patron_class"] {
			for _, m := range all["material_class"] {
				at := calendar.Code(b.Code)
				terms := book.Decide(rulebook.Situate(at, at, "", m.Code, p.Code), nil)
				line := []string{b.Name, p.Name, m.Name}
				for t := range rulebook.All {
					line = append(line, book.Say(rulebook.Term(t), terms.Value(rulebook.Term(t))))
				}
				out = append(out, line)
			}
		}
	}
	return out, nil
}
