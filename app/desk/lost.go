package desk

import (
	"encoding/json"

	"nevrin/app/act"
	"nevrin/core/calendar"
	"nevrin/core/lateness"
	"nevrin/core/money"
	"nevrin/core/rulebook"
	"nevrin/core/why"
	"nevrin/store"
)

// Lose lets everything that has been late for too long on a day count as lost, and bills it.
func Lose(a *act.Act, day calendar.Date) error {
	var late []struct {
		store.Loan
		Name     string
		Price    *int64
		OwnTerms json.RawMessage
	}
	err := a.Raw(`SELECT l.*, t.name, i.price, i.own_terms FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
		WHERE l.returned_at IS NULL AND l.lost_at IS NULL AND (l.due_date < ?::date OR l.due_at < ?) ORDER BY l.patron_id, l.id`, day.String(), day.UTC()).Scan(&late).Error
	if err != nil {
		return err
	}
	for k := range late {
		l := &late[k]
		f := &store.Facts{Loan: &l.Loan, Item: &store.Item{ID: l.ItemID, Price: l.Price, OwnTerms: l.OwnTerms, Title: &store.Title{Name: l.Name}}}
		if err := lose(a, f, day); err != nil {
			return err
		}
	}
	return nil
}

func lose(a *act.Act, f *store.Facts, day calendar.Date) error {
	l := f.Loan
	u, err := under(a, f)
	if err != nil {
		return err
	}
	due := dueOf(l.DueDate, l.DueAt)
	terms := u.terms.Lost()
	if on, ok := terms.LostOn(due.Day(u.branch)); !ok || on > day {
		return nil
	}
	if _, err := store.PatronLocked(a.DB, *l.PatronID); err != nil {
		return err
	}
	done := a.Exec("UPDATE loans SET lost_at = ? WHERE id = ? AND returned_at IS NULL AND lost_at IS NULL", a.Now, l.ID)
	if done.Error != nil || done.RowsAffected == 0 {
		return done.Error
	}
	if err := a.Exec("UPDATE items SET standing = 'lost' WHERE id = ?", l.ItemID).Error; err != nil {
		return err
	}
	result, lateWhy := lateness.AtReturn(u.branch, u.terms.Lateness(), price(f.Item), due, l.RenewedAt, lateness.Return{At: a.Now, CountedDate: &day})
	bill, trace := terms.Cost(price(f.Item), result, lateWhy)
	trace = trace.Under(why.Fact, u.book.Why(u.at, u.own, rulebook.LostAfter))
	if err := a.Tell(act.Happened{Kind: "lost", Patron: *l.PatronID, Item: l.ItemID, Loan: l.ID, Text: "Counts as lost: " + f.Item.Title.Name, Why: &trace}); err != nil {
		return err
	}
	for _, part := range []struct {
		about, reason string
		amount        money.Amount
	}{{"lost", "Lost: ", bill.Price}, {"processing", "Processing of what is lost: ", bill.Processing}, {"late", "Late: ", bill.Lateness}} {
		e := &store.Entry{PatronID: *l.PatronID, Amount: int64(part.amount), LoanID: &l.ID, About: part.about, Reason: part.reason + f.Item.Title.Name, Why: act.JSON(&trace)}
		if err := PutCharge(a, e, l.ItemID); err != nil {
			return err
		}
	}
	return nil
}

// foundAgain is what the return of a lost item means: lateness stopped when it was lost; within the time the
// price is credited and lateness charged instead. It gives the fine to charge now.
func foundAgain(a *act.Act, l *store.Loan, u *loanTerms, result lateness.Result, trace why.Trace) (lateness.Result, why.Trace, error) {
	terms := u.terms.Lost()
	lost, back := u.branch.Date(*l.LostAt), u.branch.Date(a.Now)
	trace = trace.Add(why.Note, "Counted as lost since "+lost.Say())
	if !terms.Credited(lost, back) {
		result.Fine = 0
		trace.Result = "Lost and found too late for a credit"
		return result, trace.Add(why.Limit, "Found after more than "+calendar.Count(terms.RefundWithin, "day")+": the price stays charged"), nil
	}
	if terms.KeepLateness {
		result.Fine = 0 // charged when it was lost
	}
	credit, err := creditLost(a, l)
	if err != nil {
		return result, trace, err
	}
	trace.Result = "Lost and found; " + a.Network.Money.Format(credit) + " credited"
	return result, trace.Add(why.Sum, "Found within "+calendar.Count(terms.RefundWithin, "day")+": the price, "+a.Network.Money.Format(credit)+", is credited"), nil
}

// creditLost takes back what was charged for the price. What of it was paid is given back.
func creditLost(a *act.Act, l *store.Loan) (money.Amount, error) {
	var charges []struct{ ID, Amount, Paid, Waived int64 }
	err := a.Raw(`SELECT c.id, c.amount, -coalesce(sum(s.amount) FILTER (WHERE s.kind IN ('payment', 'refund')), 0) AS paid, -coalesce(sum(s.amount) FILTER (WHERE s.kind IN ('waiver', 'correction')), 0) AS waived
		FROM ledger c LEFT JOIN ledger s ON s.settles = c.id WHERE c.loan_id = ? AND c.kind = 'charge' AND c.about = 'lost' GROUP BY c.id HAVING c.amount + coalesce(sum(s.amount) FILTER (WHERE s.kind = 'correction'), 0) > 0`, l.ID).Scan(&charges).Error
	var sum int64
	for _, c := range charges {
		for _, part := range []struct {
			kind   string
			amount int64
		}{{"refund", c.Paid}, {"correction", -(c.Amount - c.Waived)}} {
			if err != nil || part.amount == 0 {
				continue
			}
			err = a.Create(&store.Entry{PatronID: *l.PatronID, Kind: part.kind, Amount: part.amount, Settles: &c.ID, LoanID: &l.ID, About: "lost", Reason: "Found again",
				At: a.Now, StaffID: orNone(a.Who.ID), BranchCode: &a.Who.Branch}).Error
		}
		sum += c.Amount - c.Waived
		if err == nil && c.Paid > 0 {
			err = a.Tell(act.Happened{Kind: "refunded", Patron: *l.PatronID, Loan: l.ID, Text: "To be given back: " + a.Network.Money.Format(money.Amount(c.Paid)) + ", paid for what was found again"})
		}
	}
	return money.Amount(sum), err
}

// chargeAgain puts back what the return of a lost item credited, when that return is undone.
func chargeAgain(a *act.Act, loan int64) error {
	lost := a.Exec("UPDATE items SET standing = 'lost' WHERE id = (SELECT item_id FROM loans WHERE id = ? AND lost_at IS NOT NULL)", loan)
	if lost.Error != nil || lost.RowsAffected == 0 {
		return lost.Error
	}
	var credited []struct{ PatronID, Amount int64 }
	err := a.Raw(`SELECT patron_id, -sum(amount) AS amount FROM ledger WHERE loan_id = ? AND about = 'lost' AND kind = 'correction' GROUP BY patron_id
		HAVING -sum(amount) > coalesce((SELECT sum(amount) FROM ledger x WHERE x.loan_id = ? AND x.about = 'lost' AND x.kind = 'charge' AND x.reason LIKE 'Lost after all%'), 0)`, loan, loan).Scan(&credited).Error
	for _, c := range credited {
		if err == nil {
			err = PutCharge(a, &store.Entry{PatronID: c.PatronID, Amount: c.Amount, LoanID: &loan, About: "lost", Reason: "Lost after all: return undone"}, 0)
		}
	}
	return err
}
