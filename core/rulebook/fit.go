package rulebook

import "fmt"

// Unfit says in sentences why no network can be made of this rulebook, although it can be read: rules in conflict, examples that come
// out otherwise, and branches that could not work.
func (b *Rulebook) Unfit() []string {
	var out []string
	for _, c := range b.Conflicts() {
		out = append(out, fmt.Sprintf("Rules %s and %s settle %s differently and neither is narrower; change one of them.",
			c.Rules[0].ID, c.Rules[1].ID, c.Term))
	}
	for _, e := range b.Examples {
		if !b.checkExample(e).OK {
			out = append(out, fmt.Sprintf("The example “%s” comes out otherwise than it expects; change it or the rules.", e.Name))
		}
	}
	if len(b.Branches) == 0 {
		out = append(out, "There is no branch; expected one or more.")
	}
	for _, at := range b.Branches {
		if !at.Code.OnLabels() {
			out = append(out, fmt.Sprintf("The code of the branch %q; expected three capital letters, such as HVH.", at.Code))
		}
		if at.Name == string(at.Code) {
			out = append(out, fmt.Sprintf("The branch %s has no name; expected what people call it.", at.Code))
		}
		if !at.EverOpen() {
			out = append(out, fmt.Sprintf("The branch %s is never open; expected hours for a day or more.", at.Code))
		}
	}
	return out
}
