package rulebook

import (
	"fmt"
	"strings"
)

// Handbook lists every term as Markdown, from the one place where terms are described.
func Handbook() string {
	var out strings.Builder
	out.WriteString(
		"# Terms of the rulebook\n\nEach is settled on its own, by the narrowest rule that speaks of it. Written by `nevrin rulebook terms`.\n",
	)
	group := ""
	for _, name := range groups() {
		for t := range All {
			info := &All[t]
			if info.Group != name {
				continue
			}
			if group != name {
				group = name
				fmt.Fprintf(&out, "\n## %s\n\n| term | name | value | default | meaning |\n|---|---|---|---|---|\n", name)
			}
			fmt.Fprintf(
				&out,
				"| `%s` | %s | %s | %s | %s |\n",
				info.ID,
				info.Name,
				info.values(),
				info.byDefault(),
				info.Meaning,
			)
		}
	}
	return out.String()
}

// groups are the groups of terms in the order in which they come.
func groups() []string {
	var out []string
	seen := map[string]bool{}
	for t := range All {
		if g := All[t].Group; !seen[g] {
			seen[g] = true
			out = append(out, g)
		}
	}
	return out
}

func (i *TermInfo) values() string {
	text := strings.TrimPrefix(i.expected(), "a value of "+i.ID+": ")
	if i.Unit != "" {
		text += ", " + i.Unit
	}
	if i.Nullable {
		text += ", or null"
	}
	return text
}

func (i *TermInfo) byDefault() string {
	switch {
	case i.Kind == KindDates:
		return "[]"
	case i.Kind == KindMoney && i.initial == "":
		return "0.00"
	}
	return i.initial
}
