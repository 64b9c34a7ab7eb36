// Package accounts keeps patrons' accounts: what is charged, paid, waived, credited and refunded. Nothing is ever
// changed or deleted; what was wrong is credited by another entry.
package accounts

import (
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/core/ledger"
	"nevrin/core/why"
	"nevrin/store/accountsdb"
)

// Charge is an open charge.
type Charge struct {
	ID       int64      `json:"id"`
	Text     string     `json:"text"`
	Amount   string     `json:"amount"`
	Owed     string     `json:"owed"`
	At       time.Time  `json:"at"`
	Why      *why.Trace `json:"why,omitempty"`
	Disputed bool       `json:"disputed" doc:"It waits, and stops nobody"`
	Invoice  string     `json:"invoice" doc:"The number of the invoice that it stands on; empty: none"`
}

// Show writes open charges for people.
func Show(a *act.Act, open []accountsdb.OpenCharge) []Charge {
	out := []Charge{}
	for _, c := range open {
		charge := Charge{
			ID: c.ID, Text: Say(c.About, c.Title), Amount: a.Network.Money.Format(c.Amount),
			Owed: a.Network.Money.Format(c.Owed), At: c.At, Why: act.Trace(c.Why), Disputed: c.Disputed,
		}
		if c.Invoice != nil {
			charge.Invoice = *c.Invoice
		}
		out = append(out, charge)
	}
	return out
}

// Member is somebody of a household who owes something.
type Member struct {
	ID      int64    `json:"id"`
	Name    string   `json:"name"`
	Owes    string   `json:"owes"`
	Charges []Charge `json:"charges" nullable:"false" doc:"Oldest first"`
}

// Household gives the others of a patron's household who owe something, so that one can pay for them.
func Household(a *act.Act, patron int64) ([]Member, error) {
	who, open, err := accountsdb.HouseholdCharges(a.Tx, patron)
	out := []Member{}
	for k := range who {
		p := &who[k]
		var theirs []accountsdb.OpenCharge
		for _, c := range open {
			if c.PatronID == p.ID {
				theirs = append(theirs, c)
			}
		}
		out = append(out, Member{p.ID, p.Name(), a.Network.Money.Format(p.Balance), Show(a, theirs)})
	}
	return out, err
}

var sayAbout = map[ledger.About]string{
	ledger.AboutLate: "Late", ledger.AboutLost: "Lost", ledger.AboutProcessing: "Processing of a lost item",
	ledger.AboutMembership: "Membership", ledger.AboutUncollected: "Not collected", ledger.AboutOutside: "Interlibrary request",
	ledger.AboutManual: "Charge",
}

// Say names what a charge is for, and of which title.
func Say(about ledger.About, title string) string {
	if title == "" {
		return sayAbout[about]
	}
	return sayAbout[about] + ": " + title
}

// add writes an entry with who, where and when.
func add(a *act.Act, e *accountsdb.Entry) error {
	e.At, e.StaffID = a.Now, act.OrNil(a.Who.ID)
	if a.Who.Branch != "" {
		e.BranchCode = &a.Who.Branch
	}
	return accountsdb.AddEntry(a.Tx, e)
}

// Put puts a charge on a patron's account, with the event that says so; nothing where it is nothing. The patron must
// be locked.
func Put(a *act.Act, e *accountsdb.Entry, item int64) error {
	if e.Amount == 0 {
		return nil
	}
	e.Kind = ledger.Charge
	if err := add(a, e); err != nil {
		return err
	}
	told := event.Event{
		Kind: event.Charged, Patron: e.PatronID, Item: item, Why: act.Trace(e.Why),
		Detail: event.Detail{Amount: e.Amount, About: string(e.About)},
	}
	if e.LoanID != nil {
		told.Loan = *e.LoanID
	}
	a.Tell(told)
	return nil
}
