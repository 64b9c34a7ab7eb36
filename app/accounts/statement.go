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

func statementLine(a *act.Act, entry *accountsdb.StatementLine) *StatementLine {
	currency := a.Network.Money
	l := &StatementLine{
		ID: entry.ID, At: entry.At, Kind: entry.Kind, Text: sayKind[entry.Kind], Reason: entry.Reason,
		Amount: currency.Format(entry.Amount), Balance: currency.Format(entry.Balance), Who: "Nevrin",
	}
	if how := sayMeans[entry.Means]; how != "" {
		l.Text += " by " + how
	}
	what := entry.Note
	if what == "" && entry.Owed > 0 {
		what = entry.Title
	}
	l.Text += ". " + Say(entry.About, what)
	if entry.ReceiptID != nil {
		l.Receipt = *entry.ReceiptID
	}
	if entry.Who != nil {
		l.Who = *entry.Who
	}
	if entry.BranchCode != nil {
		l.Branch = a.Network.BranchName(*entry.BranchCode)
	}
	switch {
	case entry.Kind == ledger.Charge && entry.Owed > 0:
		l.Status = "open"
	case entry.Undone:
		l.Status = "undone"
	case entry.Kind == ledger.Payment && entry.Reversed:
		l.Status = "reversed"
	}
	if entry.Kind == ledger.Waiver {
		w := ledger.Forgiven{Undone: entry.Undone, TakenBack: entry.TakenBack, At: entry.At}
		if entry.BranchCode != nil {
			w.Branch = *entry.BranchCode
		}
		l.Stays = ledger.Unwaiving(w, a.Who.Role, a.Here(), a.Now)
	}
	return l
}
