package people

import (
	"fmt"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ident"
)

// NextCard gives the next free card number of a branch: of its own, or of all branches.
func NextCard(a *act.Act, branch calendar.Code) (string, error) {
	pattern, ok := a.Network.Numbers.For(ident.Card, branch)
	if !ok {
		return "", problem.Newf(problem.Refused, "No numbers are settled for new cards. Who administrates Nevrin can do that under Network.")
	}
	for {
		n, err := a.Tx.NextNumber(pattern.Begins)
		if err != nil {
			return "", err
		}
		if n > pattern.Last() {
			return "", problem.Newf(
				problem.Refused,
				"All numbers of %q have been given out. Who administrates Nevrin can settle longer ones under Network.",
				pattern.Name,
			)
		}
		// Cards that came from elsewhere, or belong to another pattern, are passed over.
		number := pattern.Number(n)
		taken, err := a.Tx.PatronByCard(number)
		if err != nil {
			return "", err
		}
		if taken == nil && a.Network.Numbers.Read(number).Pattern.Name == pattern.Name {
			return number, nil
		}
	}
}

// Stranger says of a card that is nobody's what is known of it: it has been somebody's, it is one of a library outside, or
// nothing.
func Stranger(a *act.Act, scan ident.Scan) (string, error) {
	former, err := a.Tx.FormerCard(scan.Number)
	switch {
	case err != nil:
		return "", err
	case former != 0:
		return "This card has been replaced by another. Ask for the new one.", nil
	case scan.Pattern.Library != "":
		return fmt.Sprintf("A card of %s, whose holder is not registered here yet. Register them under Patrons; they keep this card.",
			scan.Pattern.Library), nil
	}
	return ident.Unknown("card", scan.Number, scan.Completed), nil
}
