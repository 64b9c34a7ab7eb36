package desk

import (
	"nevrin/app/act"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
)

// Settling is a payment or waiver: of one charge, or of the oldest first.
type Settling struct {
	Patron int64  `json:"patron"`
	Charge int64  `json:"charge,omitempty" doc:"Only this charge; none: the oldest first"`
	Amount string `json:"amount" doc:"A sum such as 3.50"`
	Means  string `json:"means,omitempty" enum:",cash,card,cheque" doc:"How it is paid; empty for a waiver"`
	Reason string `json:"reason,omitempty" maxLength:"500" doc:"Why it is waived"`
}

// Settle takes a payment, or waives with a reason.
func Settle(a *act.Act, s Settling) (*Card, error) {
	amount, err := a.Network.Money.Parse(s.Amount)
	if err != nil {
		return nil, act.Problemf(act.Invalid, "%s.", err)
	}
	kind := "payment"
	if s.Means == "" {
		kind = "waiver"
		if s.Reason == "" {
			return nil, act.Problemf(act.Invalid, "A waiver needs a reason. Say why it is waived.")
		}
	}
	p, err := store.PatronLocked(a.DB, s.Patron)
	if err != nil {
		return nil, act.NotFound(err, "patron")
	}
	open, err := openCharges(a, p.ID, s.Charge)
	if err != nil {
		return nil, err
	}
	shares, err := ledger.Settle(open, amount, a.Network.Money)
	if err != nil {
		return nil, act.Problemf(act.Invalid, "%s.", err)
	}
	for _, share := range shares {
		charge := share.Charge
		err := a.Create(&store.Entry{PatronID: p.ID, Kind: kind, Amount: -int64(share.Amount), Settles: &charge, Means: s.Means, Reason: s.Reason,
			At: a.Now, StaffID: &a.Who.ID, BranchCode: &a.Who.Branch}).Error
		if err != nil {
			return nil, err
		}
	}
	answer := map[string]string{"payment": "paid", "waiver": "waived"}[kind]
	err = a.Exec(`UPDATE return_lines SET answer = ? WHERE answer = 'open' AND patron_id = ? AND charge_id IN
		(SELECT c.id FROM ledger c JOIN ledger s ON s.settles = c.id WHERE c.patron_id = ? GROUP BY c.id HAVING c.amount + sum(s.amount) = 0)`, answer, p.ID, p.ID).Error
	if err != nil {
		return nil, err
	}
	word := map[string]string{"payment": "Paid ", "waiver": "Waived "}[kind] + a.Network.Money.Format(amount)
	if s.Means != "" {
		word += " by " + s.Means
	} else {
		word += ": " + s.Reason
	}
	if err := a.Tell(act.Happened{Kind: answer, Patron: p.ID, Text: word}); err != nil {
		return nil, err
	}
	return Open(a, p.ID)
}

// PutOnAccount answers the asks of a patron in a run: the charge stays on the account.
func PutOnAccount(a *act.Act, runID, patron int64) (*Run, error) {
	run, err := runByID(a, runID)
	if err != nil {
		return nil, err
	}
	if err := a.Exec("UPDATE return_lines SET answer = 'account' WHERE run_id = ? AND patron_id = ? AND answer = 'open'", runID, patron).Error; err != nil {
		return nil, err
	}
	return showRun(a, run)
}

func openCharges(a *act.Act, patron, only int64) ([]ledger.Open, error) {
	var rows []struct {
		ID   int64
		Owed int64
	}
	err := a.Raw(`SELECT c.id, c.amount + coalesce(sum(s.amount), 0) AS owed FROM ledger c LEFT JOIN ledger s ON s.settles = c.id
		WHERE c.patron_id = ? AND c.kind = 'charge' AND (? = 0 OR c.id = ?) GROUP BY c.id ORDER BY c.id`, patron, only, only).Scan(&rows).Error
	var open []ledger.Open
	for _, r := range rows {
		open = append(open, ledger.Open{Charge: r.ID, Owed: money.Amount(r.Owed)})
	}
	return open, err
}

// PutCharge puts a charge on a patron's account, with the event that says so; nothing where it is nothing.
func PutCharge(a *act.Act, e *store.Entry, item int64) error {
	if e.Amount == 0 {
		return nil
	}
	e.Kind, e.At, e.StaffID = "charge", a.Now, orNone(a.Who.ID)
	if a.Who.Branch != "" {
		e.BranchCode = &a.Who.Branch
	}
	if err := a.Create(e).Error; err != nil {
		return err
	}
	h := act.Happened{Kind: "charged", Patron: e.PatronID, Item: item, Text: "Charged " + a.Network.Money.Format(money.Amount(e.Amount)) + ". " + e.Reason, Why: act.Trace(e.Why)}
	if e.LoanID != nil {
		h.Loan = *e.LoanID
	}
	return a.Tell(h)
}

func orNone(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

// PatronInUse loads and locks a patron on whose card things may be placed or asked for; a problem where it
// is not in use.
func PatronInUse(a *act.Act, id int64) (*store.Patron, error) {
	p, err := store.PatronLocked(a.DB, id)
	if err != nil {
		return nil, act.NotFound(err, "patron")
	}
	if p.Standing != "active" {
		return nil, act.Problemf(act.Refused, "%s's card is %s, so nothing can be placed or asked for on it.", p.Name(), p.Standing)
	}
	return p, nil
}
