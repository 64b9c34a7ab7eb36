package person

import (
	"regexp"
	"strings"

	"nevrin/core/calendar"
)

// Sought is a search for a person, read from what somebody typed.
type Sought struct {
	Words  []string       // each stands in a name, a number or an address; numbers are their digits alone
	Family []string       // words of the family name, where it was typed first with a comma behind it
	Given  []string       // words of what follows that comma, each the beginning of another of their names
	Born   *calendar.Date // nil: not said
}

var numberLike = regexp.MustCompile(`^[+(]?[0-9][0-9()./-]*$`)

// Search reads a search as people type it: "Merryn Lomas", "Lomas, Merryn", "Lomas, M", a number in whatever groups, a birth date as 1984-03-09.
func Search(text string) Sought {
	var out Sought
	family, _, comma := strings.Cut(text, ",")
	for k, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' }) {
		for w := range strings.FieldsSeq(part) {
			if d, err := calendar.ParseDate(w); err == nil {
				out.Born = &d
				continue
			}
			if numberLike.MatchString(w) {
				w = strings.Map(func(r rune) rune {
					if r < '0' || r > '9' {
						return -1
					}
					return r
				}, w)
			} else if comma && strings.TrimSpace(family) != "" {
				if k == 0 {
					out.Family = append(out.Family, w)
				} else {
					out.Given = append(out.Given, w)
				}
			}
			out.Words = append(out.Words, w)
		}
	}
	return out
}
