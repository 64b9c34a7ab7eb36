// Package numbers gives out the numbers of new cards and labels, each once.
package numbers

import (
	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/store/networkdb"
)

// what is what numbers are of, as people call it.
var what = map[ident.Kind]string{ident.Card: "new cards", ident.Item: "new labels"}

// Next gives the next free number for a card or a label of a branch: of its own, or of all branches. Those that are taken, since
// they came from elsewhere, and those that another pattern reads are passed over.
func Next(a *act.Act, kind ident.Kind, branch calendar.Code, taken func(number string) (bool, error)) (string, error) {
	pattern, ok := a.Network.Numbers.For(kind, branch)
	if !ok {
		return "", problem.Newf(problem.Refused,
			"No number format is set for %s. An administrator can add one under Network, Numbers.", what[kind])
	}
	for {
		n, err := networkdb.NextNumber(a.Tx, pattern.Begins)
		if err != nil {
			return "", err
		}
		if n > pattern.Last() {
			return "", problem.Newf(problem.Refused, "All numbers of %q are used. "+
				"An administrator can set longer ones under Network, Numbers.", pattern.Name)
		}
		number := pattern.Number(n)
		if a.Network.Numbers.Read(number).Pattern.Name != pattern.Name {
			continue
		}
		if is, err := taken(number); err != nil || !is {
			return number, err
		}
	}
}
