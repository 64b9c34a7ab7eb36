package people

import (
	"fmt"

	"nevrin/app/act"
	"nevrin/app/numbers"
	"nevrin/core/calendar"
	"nevrin/core/ident"
	"nevrin/store/peopledb"
)

// NextCard gives the next free card number of a branch: of its own, or of all branches.
func NextCard(a *act.Act, branch calendar.Code) (string, error) {
	return numbers.Next(a, ident.Card, branch, func(number string) (bool, error) {
		of, err := peopledb.PatronByCard(a.Tx, number)
		return of != nil, err
	})
}

// Stranger says of a card that is nobody's what is known of it: it has been somebody's, it is one of a library outside, or
// nothing.
func Stranger(a *act.Act, scan ident.Scan) (string, error) {
	former, err := peopledb.FormerCard(a.Tx, scan.Number)
	switch {
	case err != nil:
		return "", err
	case former != 0:
		return "This card has been replaced. Ask for the new one.", nil
	case scan.Pattern.Library != "":
		return fmt.Sprintf("A card of %s. Its holder is not registered here yet; register them under Patrons with this card.",
			scan.Pattern.Library), nil
	}
	return ident.Unknown("card", scan.Number, scan.Completed), nil
}
