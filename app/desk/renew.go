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
	f, err := openLoan(a, id)
	if err == nil {
		err = people.InHand(a, f.Loan.Patron.ID)
	}
	if err != nil {
		return nil, err
	}
	r, _, err := renew(a, f)
	return r, err
}

// RenewOwn renews a loan for the patron who has it and asks by themselves; whether they may is a term.
func RenewOwn(a *act.Act, patron, id int64) (*Renewed, error) {
	f, err := openLoan(a, id)
	if err != nil {
		return nil, err
	}
	if f.Loan.Patron.ID != patron {
		return nil, problem.NoSuch("loan")
	}
	lent, err := lent.Of(a, f.Loan, f.Item)
	if err != nil {
		return nil, err
	}
	terms := a.Book.Decide(lent.At, lent.Own)
	if !terms.Value(rulebook.PatronRenewals).YesNo() {
		trace := a.Book.Why(lent.At, lent.Own, rulebook.PatronRenewals)
		says := f.Item.Title.Name + " can be renewed only by staff. Ask at your branch."
		for _, step := range trace.Steps {
			if step.Kind == why.Decided {
				says += " The rule for it: " + step.Text + "."
			}
		}
		return &Renewed{Patron: patron, Text: says, Why: &trace}, nil
	}
	r, _, err := renew(a, f)
	return r, err
}

// renew renews a loan, or says why not; it gives what was decided, too.
func renew(a *act.Act, f *deskdb.Facts) (*Renewed, circulation.Renewed, error) {
	lent, err := lent.Of(a, f.Loan, f.Item)
	if err != nil {
		return nil, circulation.Renewed{}, err
	}
	p := f.Loan.Patron
	decided := circulation.Renew(circulation.Renewing{
		Lent: lent, Rules: a.Book.Rulebook, Renewals: f.Loan.Renewals, Borrower: people.Borrower(a, p),
		Awaited: f.Awaited, Now: a.Now,
	})
	r := &Renewed{Patron: p.ID, Text: decided.Refused, Why: decided.Why}
	if decided.By != "" {
		return r, decided, nil
	}
	charge := accountsdb.Entry{
		PatronID: p.ID,
		Amount:   decided.Fine,
		LoanID:   &f.Loan.ID,
		About:    ledger.AboutLate,
		Why:      store.JSON(&decided.LateWhy),
	}
	if err := accounts.Put(a, &charge, f.Item.ID); err != nil {
		return nil, decided, err
	}
	was := *f.Loan
	f.Loan.SetDue(decided.Due)
	f.Loan.Renewals++
	f.Loan.RenewedAt, f.Loan.EditionID = &a.Now, a.Book.ID
	if decided.Free { // it is due when it was: nothing was given, so none is used up
		f.Loan.Renewals--
	}
	loansdb.RenewLoan(a.Tx, &was, f.Loan)
	a.Tell(
		event.Event{
			Kind:   event.Renewed,
			Patron: p.ID,
			Item:   f.Item.ID,
			Loan:   f.Loan.ID,
			Why:    decided.Why,
			Detail: event.Due(decided.Due),
		},
	)
	line := people.ShowLoan(a, &loansdb.LoanShown{
		Loan: *f.Loan, Barcode: f.Item.Barcode, TitleName: f.Item.Title.Name, HomeBranch: f.Item.BranchCode,
		CallNumber: f.Item.CallNumber, Material: f.Item.Material, Price: f.Item.Price,
	})
	r.OK, r.Text, r.Line = true, "Renewed, due "+decided.Due.Near(lent.Branch, a.Today()), &line
	r.Fine, r.Stale = price(a, decided.Fine), decided.Fine > 0
	if r.Fine != "" {
		r.Text += ". " + r.Fine + " is charged in late fines so far"
	}
	return r, decided, nil
}
