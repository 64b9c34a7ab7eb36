package desk

import (
	"fmt"

	"nevrin/app/act"
	"nevrin/core/lateness"
	"nevrin/core/loan"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// Renewed is what became of one renewal.
type Renewed struct {
	OK   bool       `json:"ok"`
	Text string     `json:"text"`
	Card *Card      `json:"card"`
	Why  *why.Trace `json:"why,omitempty"`
}

// Renew renews one loan by the edition of today, settling what is late until now.
func Renew(a *act.Act, loanID int64) (*Renewed, error) {
	var key store.Loan
	if err := a.Select("patron_id, item_id").Take(&key, loanID).Error; err != nil {
		return nil, act.NotFound(err, "loan")
	}
	if key.PatronID == nil {
		return nil, act.Problemf(act.Refused, "This loan has ended.")
	}
	p, err := store.PatronLocked(a.DB, *key.PatronID)
	if err != nil {
		return nil, err
	}
	f, err := store.FactsByID(a.DB, key.ItemID)
	if err != nil {
		return nil, err
	}
	if f.Loan == nil || f.Loan.ID != loanID {
		return nil, act.Problemf(act.Refused, "This loan has ended.")
	}
	own, err := ownTerms(a, f.Item)
	if err != nil {
		return nil, err
	}
	at := loanSituation(f.Loan)
	terms := a.Book.Decide(at, own)
	r := &Renewed{}
	if r.Text, r.Why, err = refuseRenewal(a, p, f, &terms, at, own); err != nil {
		return nil, err
	}
	if r.Text == "" {
		if err := renewNow(a, p, f, &terms, at, own, r); err != nil {
			return nil, err
		}
	}
	r.Card, err = Open(a, p.ID)
	return r, err
}

func refuseRenewal(a *act.Act, p *store.Patron, f *store.Facts, terms *rulebook.Terms, at rulebook.Situation, own []rulebook.Setting) (string, *why.Trace, error) {
	if allowed := terms.Value(rulebook.Renewals).Number(); f.Loan.Renewals >= allowed {
		trace := a.Book.Why(at, own, rulebook.Renewals)
		return fmt.Sprintf("Not renewed: renewals so far %d, allowed %d.", f.Loan.Renewals, allowed), &trace, nil
	}
	if f.Loan.LostAt != nil {
		return "Not renewed: it counts as lost. Take it back first, if it is here.", nil, nil
	}
	if list := stopsOf(a, p, 0); len(list) > 0 {
		return "Not renewed: " + list[0].Text, nil, nil
	}
	var waiting int64
	err := a.Table("holds").Where("title_id = ? AND state = 'waiting'", f.Item.TitleID).Count(&waiting).Error
	if waiting > 0 {
		return "Not renewed: somebody waits for it.", nil, err
	}
	return "", nil, err
}

func renewNow(a *act.Act, p *store.Patron, f *store.Facts, terms *rulebook.Terms, at rulebook.Situation, own []rulebook.Setting, r *Renewed) error {
	branch, err := a.Network.Branch(f.Loan.BranchCode)
	if err != nil {
		return err
	}
	// What is late so far is settled under the terms it was lent by.
	lentUnder, err := a.Edition(f.Loan.EditionID)
	if err != nil {
		return err
	}
	before := dueOf(f.Loan.DueDate, f.Loan.DueAt)
	old := lentUnder.Decide(at, own)
	late, lateWhy := lateness.AtRenewal(branch, old.Lateness(), price(f.Item), before, a.Now)
	due, sum := loan.Renew(branch, terms.Loan(), before, a.Now)
	trace := a.Book.WhyDue(at, own, sum)
	if late.Late > 0 {
		trace = trace.Under(why.Sum, lateWhy)
	}
	if late.Fine > 0 {
		line := &store.ReturnLine{PatronID: &p.ID, LoanID: &f.Loan.ID, Fine: int64(late.Fine)}
		if err := charge(a, line, f, lateWhy); err != nil {
			return err
		}
	}
	setDue(f.Loan, due)
	f.Loan.Renewals++
	f.Loan.RenewedAt, f.Loan.EditionID = &a.Now, a.Book.ID
	if err := a.Model(f.Loan).Select("DueDate", "DueAt", "Renewals", "RenewedAt", "EditionID").Updates(f.Loan).Error; err != nil {
		return err
	}
	r.OK, r.Text, r.Why = true, "Renewed, due "+due.Say(branch), &trace
	return a.Tell(act.Happened{Kind: "renewed", Patron: p.ID, Item: f.Item.ID, Loan: f.Loan.ID, Text: r.Text, Why: &trace})
}
