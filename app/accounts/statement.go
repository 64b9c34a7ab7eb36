package accounts

import (
	"time"

	"nevrin/app/act"
	"nevrin/core/ledger"
	"nevrin/store"
	"nevrin/store/accountsdb"
)

// StatementLine is one entry of an account: what was charged, paid, waived or credited, and what was owed after it.
type StatementLine struct {
	ID      int64       `json:"id"`
	At      time.Time   `json:"at"`
	Kind    ledger.Kind `json:"kind" enum:"charge,payment,waiver,correction,refund,reversal,unwaiver"`
	Text    string      `json:"text" doc:"What it is and for what, such as Payment by card. Late"`
	Reason  string      `json:"reason" doc:"As somebody wrote it; empty: none is asked for"`
	Amount  string      `json:"amount" doc:"More than nothing: it is owed more"`
	Balance string      `json:"balance" doc:"What was owed in all after it"`
	Receipt int64       `json:"receipt,omitempty"`
	Who     string      `json:"who"`
	Branch  string      `json:"branch"`
	Status  string      `json:"status" enum:",open,undone,reversed" doc:"open: a charge of which something is owed"`
	Stays   string      `json:"stays" doc:"Of a waiver, why it may not be undone; empty: it may"`
}

var sayKind = map[ledger.Kind]string{
	ledger.Charge: "Charge", ledger.Payment: "Payment", ledger.Waiver: "Waiver", ledger.Correction: "Charge reversed",
	ledger.Refund: "Refund due", ledger.Reversal: "Payment reversed", ledger.Unwaiver: "Waiver undone",
}

var sayMeans = map[ledger.Means]string{
	ledger.Cash: "cash", ledger.Card: "card", ledger.Cheque: "cheque", ledger.Transfer: "transfer",
}

// Statement gives a page of a patron's account, newest first. What a charge was for is named while something of it is owed.
func Statement(a *act.Act, patron int64, page store.Page) ([]StatementLine, store.Page, error) {
	rows, next, err := accountsdb.Statement(a.Tx, patron, page)
	out := []StatementLine{}
	for k := range rows {
		out = append(out, *statementLine(a, &rows[k]))
	}
	return out, next, err
}

func statementLine(a *act.Act, r *accountsdb.StatementLine) *StatementLine {
	m := a.Network.Money
	l := &StatementLine{
		ID: r.ID, At: r.At, Kind: r.Kind, Text: sayKind[r.Kind], Reason: r.Reason,
		Amount: m.Format(r.Amount), Balance: m.Format(r.Balance), Who: "Nevrin",
	}
	if how := sayMeans[r.Means]; how != "" {
		l.Text += " by " + how
	}
	what := r.Note
	if what == "" && r.Owed > 0 {
		what = r.Title
	}
	l.Text += ". " + Say(r.About, what)
	if r.ReceiptID != nil {
		l.Receipt = *r.ReceiptID
	}
	if r.Who != nil {
		l.Who = *r.Who
	}
	if r.BranchCode != nil {
		l.Branch = a.Network.BranchName(*r.BranchCode)
	}
	switch {
	case r.Kind == ledger.Charge && r.Owed > 0:
		l.Status = "open"
	case r.Undone:
		l.Status = "undone"
	case r.Kind == ledger.Payment && r.Reversed:
		l.Status = "reversed"
	}
	if r.Kind == ledger.Waiver {
		w := ledger.Forgiven{Undone: r.Undone, TakenBack: r.TakenBack, At: r.At}
		if r.BranchCode != nil {
			w.Branch = *r.BranchCode
		}
		l.Stays = ledger.Unwaiving(w, a.Who.Role, a.Here(), a.Now)
	}
	return l
}
