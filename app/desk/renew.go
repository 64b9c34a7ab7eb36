package desk

import (
	"nevrin/app/accounts"
	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/lent"
	"nevrin/app/people"
	"nevrin/app/problem"
	"nevrin/core/circulation"
	"nevrin/core/ledger"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/deskdb"
	"nevrin/store/loansdb"
)

// Renewed is the result of a renewal.
type Renewed struct {
	OK     bool         `json:"ok"`
	Text   string       `json:"text"`
	Patron int64        `json:"patron"`
	Line   *people.Line `json:"line,omitempty" doc:"The loan as it is due now"`
	Fine   string       `json:"fine" doc:"Lateness so far, charged now; empty: none"`
	Stale  bool         `json:"stale" doc:"More of the card has changed than the loan: look at it again"`
	Why    *why.Trace   `json:"why,omitempty"`
}

// Renew renews one loan by the edition of today, settling what is late until now.
func Renew(a *act.Act, id int64) (*Renewed, error) {
	facts, err := openLoan(a, id)
	if err == nil {
		err = people.InHand(a, facts.Loan.Patron.ID)
	}
	if err != nil {
		return nil, err
	}
	r, _, err := renew(a, facts)
	return r, err
}

// RenewOwn renews a loan for the patron who has it and asks by themselves; whether they may is a term.
func RenewOwn(a *act.Act, patron, id int64) (*Renewed, error) {
	facts, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	if facts.Loan.Patron.ID != patron {
		return nil, problem.NoSuch("loan")
	}
	lent, err := lent.Of(a, facts.Loan, facts.Item)
	if err != nil {
		return nil, err
	}
	terms := a.Book.Decide(lent.At, lent.Own)
	if !terms.Value(rulebook.PatronRenewals).YesNo() {
		trace := a.Book.Why(lent.At, lent.Own, rulebook.PatronRenewals)
		says := facts.Item.Title.Name + " can be renewed only by staff. Ask at your branch."
		for _, step := range trace.Steps {
			if step.Kind == why.Decided {
				says += " The rule for it: " + step.Text + "."
			}
		}
		return &Renewed{Patron: patron, Text: says, Why: &trace}, nil
	}
	r, _, err := renew(a, facts)
	return r, err
}

// renew renews a loan, or says why not; it gives what was decided, too.
func renew(a *act.Act, facts *deskdb.Facts) (*Renewed, circulation.Renewed, error) {
	lent, err := lent.Of(a, facts.Loan, facts.Item)
	if err != nil {
		return nil, circulation.Renewed{}, err
	}
	p := facts.Loan.Patron
	decided := circulation.Renew(circulation.Renewing{
		Lent: lent, Rules: a.Book.Rulebook, Renewals: facts.Loan.Renewals, Borrower: people.Borrower(a, p),
		Awaited: facts.Awaited, Now: a.Now,
	})
	r := &Renewed{Patron: p.ID, Text: decided.Refused, Why: decided.Why}
	if decided.By != "" {
		return r, decided, nil
	}
	charge := accountsdb.Entry{
		PatronID: p.ID,
		Amount:   decided.Fine,
		LoanID:   &facts.Loan.ID,
		About:    ledger.AboutLate,
		Why:      store.JSON(&decided.LateWhy),
	}
	if err := accounts.Put(a, &charge, facts.Item.ID); err != nil {
		return nil, decided, err
	}
	was := *facts.Loan
	facts.Loan.SetDue(decided.Due)
	facts.Loan.Renewals++
	facts.Loan.RenewedAt, facts.Loan.EditionID = &a.Now, a.Book.ID
	if decided.Free { // it is due when it was: nothing was given, so none is used up
		facts.Loan.Renewals--
	}
	loansdb.RenewLoan(a.Tx, &was, facts.Loan)
	a.Tell(
		event.Event{
			Kind:   event.Renewed,
			Patron: p.ID,
			Item:   facts.Item.ID,
			Loan:   facts.Loan.ID,
			Why:    decided.Why,
			Detail: event.Due(decided.Due),
		},
	)
	line := people.ShowLoan(a, &loansdb.LoanShown{
		Loan: *facts.Loan, Barcode: facts.Item.Barcode, TitleName: facts.Item.Title.Name, HomeBranch: facts.Item.BranchCode,
		CallNumber: facts.Item.CallNumber, Material: facts.Item.Material, Price: facts.Item.Price,
	})
	r.OK, r.Text, r.Line = true, "Renewed, due "+decided.Due.Near(lent.Branch, a.Today()), &line
	r.Fine, r.Stale = price(a, decided.Fine), decided.Fine > 0
	if r.Fine != "" {
		r.Text += ". " + r.Fine + " is charged in late fines so far"
	}
	return r, decided, nil
}
