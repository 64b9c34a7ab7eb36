package accounts

import (
	"slices"
	"strings"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store/accountsdb"
)

// Unwaiving undoes waivers: all of one act, or of one charge.
type Unwaiving struct {
	Waivers []int64 `json:"waivers" minItems:"1" maxItems:"500" nullable:"false" doc:"Entries of the account"`
	Reason  string  `json:"reason" minLength:"1" maxLength:"300" doc:"Why"`
}

// Unwaived is the result of undoing a waiver.
type Unwaived struct {
	Sum   string `json:"sum" doc:"What is owed again"`
	Owing []Owes `json:"owing" doc:"What is owed now in all, by patron"`
}

// Unwaive undoes waivers, each once: what they waived is owed again.
func Unwaive(a *act.Act, u Unwaiving) (*Unwaived, error) {
	u.Reason = strings.TrimSpace(u.Reason)
	if u.Reason == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a reason.")
	}
	slices.Sort(u.Waivers)
	u.Waivers = slices.Compact(u.Waivers)
	waivers, err := accountsdb.WaiversLocked(a.Tx, u.Waivers)
	switch {
	case err != nil:
		return nil, err
	case len(waivers) != len(u.Waivers):
		return nil, problem.NoSuch("waiver")
	}
	again, balance := map[int64]money.Amount{}, map[int64]money.Amount{}
	var whose []int64
	for k := range waivers {
		w := &waivers[k]
		if w.Gone {
			return nil, problem.NoSuch("patron")
		}
		if says := ledger.Unwaiving(waived(w), a.Who.Role, a.Here(), a.Now); says != "" {
			return nil, problem.New(problem.Refused, says)
		}
		e := accountsdb.Entry{
			PatronID: w.PatronID, Kind: ledger.Unwaiver, Amount: -w.Amount, Settles: w.Settles, Undoes: &w.ID,
			LoanID: w.LoanID, About: w.About, Reason: u.Reason,
		}
		if err := add(a, &e); err != nil {
			return nil, err
		}
		accountsdb.Unwaive(a.Tx, *w.Settles, w.At)
		if !slices.Contains(whose, w.PatronID) {
			whose = append(whose, w.PatronID)
		}
		again[w.PatronID] += -w.Amount
		balance[w.PatronID] = w.Balance
	}
	out, all := &Unwaived{Owing: []Owes{}}, money.Amount(0)
	for _, patron := range whose {
		all += again[patron]
		out.Owing = append(out.Owing, Owes{patron, a.Network.Money.Format(balance[patron] + again[patron])})
		a.Tell(event.Event{Kind: event.WaiverUndone, Patron: patron, Detail: event.Detail{
			Amount: again[patron], Reason: u.Reason,
		}})
	}
	out.Sum = a.Network.Money.Format(all)
	return out, nil
}

func waived(w *accountsdb.WaiverNow) ledger.Forgiven {
	out := ledger.Forgiven{Undone: w.Undone, TakenBack: w.TakenBack, At: w.At}
	if w.BranchCode != nil {
		out.Branch = *w.BranchCode
	}
	return out
}
