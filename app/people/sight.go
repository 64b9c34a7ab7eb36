package people

import (
	"strings"

	"nevrin/app/act"
	"nevrin/app/problem"
	"nevrin/core/person"
	"nevrin/core/sight"
	"nevrin/store/deskdb"
	"nevrin/store/keepingdb"
	"nevrin/store/staffdb"
)

// Seen keeps that somebody opened a patron's record, or searched for patrons by words.
// What patrons look at of themselves is nobody's reading.
func Seen(a *act.Act, kind string, patron int64, words string) {
	if a.Who.ID == 0 {
		return
	}
	keepingdb.Read(a.Tx, keepingdb.Reading{
		Kind: kind, Staff: a.Who.ID, Branch: a.Who.Branch, Patron: patron, Words: words, At: a.Now,
	})
}

// SeenList keeps that somebody looked at a list that names persons, and to what it was narrowed. The same list looked at again
// shortly after is one.
func SeenList(a *act.Act, list string, narrowed []string) {
	if len(narrowed) > 0 {
		list += " (" + strings.Join(narrowed, ", ") + ")"
	}
	Seen(a, Listed, 0, list)
}

// Kinds of readings.
const (
	Scanned  = "scanned"
	Opened   = "opened"
	History  = "history"
	Searched = "searched"
	Listed   = "listed" // a list that names persons
	TakenOut = "taken_out"
)

// InHand refuses who may open a patron's record only with the card in hand, and has not scanned it here lately.
func InHand(a *act.Act, patron int64) error {
	if !sight.NeedsCard(a.Who.Role) {
		return nil
	}
	has, err := a.HasScanned(patron)
	if err == nil && !has {
		err = problem.Newf(problem.Forbidden, "Your role opens patron records by card only. Scan the card first.")
	}
	return err
}

// TooManyCards counts a card that is scanned by somebody who opens records by the card alone, and tells whether they have scanned too
// many just now.
func TooManyCards(a *act.Act) (bool, error) {
	if !sight.NeedsCard(a.Who.Role) {
		return false, nil
	}
	n, err := staffdb.CardScanned(a.Tx, a.Who.ID)
	return n > sight.CardsAtOnce, err
}

// reduce takes from a card what the actor's role does not see.
func (c *Card) reduce(a *act.Act, facts *deskdb.CardFacts) {
	if sight.OfPatron(a.Who.Role) == sight.Whole {
		return
	}
	c.LegalName, c.Class, c.Age, c.Household, c.CardUntil, c.Older = c.Name, "", nil, "", "", nil
	c.Email, c.Phone, c.Address, c.OwedLimit, c.Extension = "", "", "", "", ""
	c.Accrues, c.Refunds = "", ""
	c.Charges = c.Charges[:0]
	c.Claims = Claims{}
	c.Confirm, c.Confirmed, c.Ways, c.NoHistory, c.Merged = false, "", Ways{}, "", []string{}
	c.Notes, c.Missing, c.Internet, c.Photo, c.NoPicture, c.Reason = []Note{}, []person.Field{}, "", nil, "", ""
	loans := c.OnLoan[:0]
	for nth, line := range c.OnLoan {
		loan := &facts.Loans[nth]
		here := loan.BranchCode == a.Who.Branch && a.Here().Date(loan.LentAt) == a.Today()
		if sight.SeesLoan(a.Who.Role, line.Late, here) {
			loans = append(loans, line)
		}
	}
	c.OnLoan = loans
	var holds []Held
	for _, hold := range c.Holds {
		if hold.Here {
			holds = append(holds, hold)
		}
	}
	c.Holds = append([]Held{}, holds...)
	tells := c.Tells[:0]
	for _, tell := range c.Tells {
		if tell.Tone == "late" {
			tells = append(tells, tell)
		}
	}
	for _, hold := range holds {
		tells = append(tells, Tell{"ready", "Ready: " + hold.Title, hold.Says + "."})
	}
	c.Tells = tells
}
