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
	"nevrin/core/loan"
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
	r, err := renew(a, facts)
	return r.Renewed, err
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
	r, err := renew(a, facts)
	return r.Renewed, err
}

// Renewal is a renewal with what is needed to undo it.
type Renewal struct {
	*Renewed
	Decided  circulation.Renewed
	Was, Now loansdb.Loan
	Charge   int64 // for lateness until then; 0: none
}

// RenewToUndo renews a loan of which nobody is at the counter.
func RenewToUndo(a *act.Act, id int64) (Renewal, error) {
	facts, err := openLoan(a, id)
	if err != nil {
		return Renewal{}, err
	}
	return renew(a, facts)
}

// Unrenew makes a loan due as it was before a renewal, and cancels what was charged then. Refused where it is no longer due as it was renewed.
func Unrenew(a *act.Act, id int64, was loansdb.Loan, renewed loan.Due, charge int64, reason string) error {
	facts, err := openLoan(a, id)
	switch {
	case err != nil:
		return err
	case facts.Loan.Due() != renewed:
		return problem.Newf(problem.Refused, "It has been given another due date since.")
	}
	now := *facts.Loan
	back := now
	back.DueDate, back.DueAt, back.Renewals, back.RenewedAt, back.EditionID = was.DueDate, was.DueAt, was.Renewals, was.RenewedAt, was.EditionID
	loansdb.RenewLoan(a.Tx, &now, &back)
	a.Tell(event.Event{Kind: event.DueMovedBack, Patron: facts.Loan.Patron.ID, Item: facts.Item.ID, Loan: id, Detail: event.Due(was.Due())})
	if charge == 0 {
		return nil
	}
	_, err = accounts.Credit(a, charge, reason)
	return err
}

// WouldRenew tells what renewing the open loan of an item would come to: when it would be due, or why it cannot be renewed. Nothing is changed.
func WouldRenew(a *act.Act, item int64) (string, error) {
	facts, err := deskdb.LookAtItem(a.Tx, item)
	switch {
	case err != nil:
		return "", err
	case facts == nil || facts.Loan == nil:
		return "Returned just now", nil
	}
	lent, decided, err := decideRenewal(a, facts)
	switch {
	case err != nil:
		return "", err
	case decided.By != "":
		return decided.Refused, nil
	}
	return decided.Due.Near(lent.Branch, a.Today()), nil
}

func decideRenewal(a *act.Act, facts *deskdb.Facts) (*circulation.Lent, circulation.Renewed, error) {
	of, err := lent.Of(a, facts.Loan, facts.Item)
	if err != nil {
		return nil, circulation.Renewed{}, err
	}
	return &of, circulation.Renew(circulation.Renewing{
		Lent: of, Rules: a.Book.Rulebook, Renewals: facts.Loan.Renewals, Borrower: people.Borrower(a, facts.Loan.Patron),
		Awaited: facts.Awaited, Now: a.Now,
	}), nil
}

// renew renews a loan, or says why not.
func renew(a *act.Act, facts *deskdb.Facts) (Renewal, error) {
	lent, decided, err := decideRenewal(a, facts)
	if err != nil {
		return Renewal{}, err
	}
	p := facts.Loan.Patron
	r := &Renewed{Patron: p.ID, Text: decided.Refused, Why: decided.Why}
	if decided.By != "" {
		return Renewal{Renewed: r, Decided: decided}, nil
	}
	charge := accountsdb.Entry{
		PatronID: p.ID,
		Amount:   decided.Fine,
		LoanID:   &facts.Loan.ID,
		About:    ledger.AboutLate,
		Why:      store.JSON(&decided.LateWhy),
	}
	if err := accounts.Put(a, &charge, facts.Item.ID); err != nil {
		return Renewal{}, err
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
	return Renewal{r, decided, was, *facts.Loan, charge.ID}, nil
}
