package accounts

import (
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/peopledb"
)

// Dispute is a charge that somebody does not accept: it waits, and stops nobody, until it has been looked into.
type Dispute struct {
	ID      int64     `json:"id"`
	Charge  int64     `json:"charge"`
	Patron  int64     `json:"patron"`
	Name    string    `json:"name"`
	Card    string    `json:"card"`
	Text    string    `json:"text"`
	Owed    string    `json:"owed"`
	Says    string    `json:"says" doc:"What the patron says of it"`
	Claimed string    `json:"claimed" enum:",returned,never_had" doc:"What they say of the loan it is for; empty: of the charge alone"`
	Loan    int64     `json:"loan,omitempty"`
	Item    int64     `json:"item,omitempty" doc:"What it is for, to be searched for"`
	At      time.Time `json:"at"`
	Who     string    `json:"who" doc:"Who wrote it down"`
	Branch  string    `json:"branch" doc:"Where it was charged"`
}

// Disputes gives a page of the charges in dispute, the oldest charge first.
func Disputes(a *act.Act, page store.Page) ([]Dispute, store.Page, error) {
	rows, next, err := accountsdb.Disputes(a.Tx, page)
	out := []Dispute{}
	for _, d := range rows {
		name := peopledb.Patron{LegalName: d.LegalName, PreferredName: d.PreferredName}
		shown := Dispute{
			ID: d.ID, Charge: d.ChargeID, Patron: d.PatronID, Name: name.Name(), Card: d.Card,
			Text: Say(d.About, d.Title),
			Owed: a.Network.Money.Format(d.Owed), Says: d.Says, Claimed: d.Claimed, At: d.At,
		}
		if d.LoanID != nil {
			shown.Loan = *d.LoanID
		}
		if d.ItemID != nil {
			shown.Item = *d.ItemID
		}
		if d.Who != nil {
			shown.Who = *d.Who
		}
		if d.BranchCode != nil {
			shown.Branch = a.Network.BranchName(*d.BranchCode)
		}
		out = append(out, shown)
	}
	return out, next, err
}

// PutInDispute writes down that a patron does not accept a charge, and what they say.
func PutInDispute(a *act.Act, charge int64, says string) error {
	says = strings.TrimSpace(says)
	if says == "" {
		return problem.Newf(problem.Invalid, "Enter what the patron says.")
	}
	c, open, err := accountsdb.DisputeOf(a.Tx, charge)
	switch {
	case err != nil:
		return err
	case c == nil:
		return problem.Newf(problem.Refused, "This charge is settled, so there is nothing to dispute.")
	case open != nil:
		return problem.Newf(problem.Refused, "This charge is in dispute already.")
	}
	accountsdb.AddDispute(a.Tx, charge, says, a.Who.ID, a.Now)
	a.Tell(event.Event{Kind: event.Disputed, Patron: c.PatronID, Detail: event.Detail{
		Amount: c.Owed, About: string(c.About), Reason: says,
	}})
	return nil
}

// EndDispute ends a dispute with what was found: the charge counts again. To take it back, it is credited instead.
func EndDispute(a *act.Act, charge int64, found string) error {
	found = strings.TrimSpace(found)
	if found == "" {
		return problem.Newf(problem.Invalid, "Enter what was found.")
	}
	c, open, err := accountsdb.DisputeOf(a.Tx, charge)
	switch {
	case err != nil:
		return err
	case open == nil || c == nil:
		return problem.Newf(problem.Refused, "This dispute has ended already.")
	}
	accountsdb.EndDispute(a.Tx, open.ID, found, a.Who.ID, a.Now)
	a.Tell(event.Event{Kind: event.DisputeEnded, Patron: c.PatronID, Detail: event.Detail{
		Amount: c.Owed, About: string(c.About), Reason: found,
	}})
	return nil
}
