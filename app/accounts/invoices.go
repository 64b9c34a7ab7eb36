package accounts

import (
	"slices"
	"strings"
	"time"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/calendar"
	"nevrin/core/ledger"
	"nevrin/core/money"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/peopledb"
)

// Invoice is a bill to an institution, paid later.
type Invoice struct {
	ID        int64         `json:"id"`
	Number    string        `json:"number"`
	Patron    int64         `json:"patron"`
	Name      string        `json:"name"`
	Branch    string        `json:"branch"`
	Day       calendar.Date `json:"day"`
	Due       calendar.Date `json:"due"`
	Late      bool          `json:"late" doc:"Something of it is owed past its due date"`
	Addressed []string      `json:"addressed" doc:"Name and address as they stood then, a line each"`
	Note      string        `json:"note"`
	Who       string        `json:"who"`
	Amount    string        `json:"amount"`
	Owed      string        `json:"owed"`
	Paid      bool          `json:"paid" doc:"Nothing of it is owed any more"`
	Withdrawn string        `json:"withdrawn" doc:"Why it was withdrawn; empty: it stands"`
	Lines     []InvoiceLine `json:"lines" doc:"Empty in lists"`
}

// InvoiceLine is a charge on an invoice.
type InvoiceLine struct {
	Charge int64     `json:"charge"`
	Text   string    `json:"text"`
	At     time.Time `json:"at"`
	Amount string    `json:"amount"`
	Owed   string    `json:"owed"`
}

func showInvoice(a *act.Act, v *accountsdb.InvoiceShown, lines []accountsdb.InvoiceLine) *Invoice {
	m := a.Network.Money
	out := &Invoice{
		ID: v.ID, Number: v.Number, Patron: v.PatronID, Name: v.LegalName, Branch: a.Network.BranchName(v.BranchCode),
		Day: *store.DateOf(&v.Day), Due: *store.DateOf(&v.Due), Addressed: strings.Split(v.Addressed, "\n"),
		Note: v.Note,
		Who:  v.Who, Amount: m.Format(v.Amount), Owed: m.Format(v.Owed), Paid: v.Owed == 0,
		Withdrawn: v.Reason, Lines: []InvoiceLine{},
	}
	out.Late = v.Owed > 0 && v.WithdrawnAt == nil && out.Due < a.Today()
	for _, l := range lines {
		out.Lines = append(out.Lines, InvoiceLine{
			l.ChargeID, l.Text, l.At, m.Format(l.Amount), m.Format(l.Owed),
		})
	}
	return out
}

// Invoices gives a page of invoices, the newest first: those of which something is owed, or all.
func Invoices(a *act.Act, open bool, page store.Page) ([]Invoice, store.Page, error) {
	rows, next, err := accountsdb.Invoices(a.Tx, open, page)
	out := []Invoice{}
	for k := range rows {
		out = append(out, *showInvoice(a, &rows[k], nil))
	}
	return out, next, err
}

// OneInvoice gives an invoice with its lines.
func OneInvoice(a *act.Act, id int64) (*Invoice, error) {
	v, lines, err := accountsdb.OneInvoice(a.Tx, id)
	switch {
	case err != nil:
		return nil, err
	case v == nil:
		return nil, problem.NoSuch("invoice")
	}
	return showInvoice(a, v, lines), nil
}

// Billing says what goes onto a new invoice.
type Billing struct {
	Charges []int64 `json:"charges,omitempty" maxItems:"500" nullable:"false" doc:"None: all that is owed and stands on no other invoice"`
	Note    string  `json:"note,omitempty" maxLength:"500" doc:"For the one who gets it, such as their order number"`
}

// MakeInvoice puts what an institution owes on an invoice.
func MakeInvoice(a *act.Act, patron int64, b Billing) (*Invoice, error) {
	f, err := accountsdb.FactsToSettle(a.Tx, []int64{patron}, a.Who.Branch)
	if err != nil {
		return nil, err
	}
	if len(f.Patrons) == 0 || gone(f.Patrons[0]) {
		return nil, problem.NoSuch("patron")
	}
	p := &f.Patrons[0]
	if !p.Institution {
		return nil, problem.Newf(problem.Refused, "Only institutions get invoices. Other patrons pay at the desk.")
	}
	chosen, err := choose(f.Charges, b.Charges)
	if err != nil {
		return nil, err
	}
	var lines []accountsdb.InvoiceLine
	for _, c := range chosen {
		bill := ledger.Billable{
			Invoiced: c.Invoice != nil, Disputed: c.Disputed, Chosen: slices.Contains(b.Charges, c.ID),
		}
		switch bill.ToInvoice() {
		case ledger.Twice:
			return nil, problem.Newf(problem.Refused, "%s is already on invoice %s.", Say(c.About, c.Title), *c.Invoice)
		case ledger.OnIt:
			lines = append(lines, accountsdb.InvoiceLine{ChargeID: c.ID, Text: Say(c.About, c.Title), Amount: c.Owed})
		}
	}
	if len(lines) == 0 {
		return nil, problem.Newf(problem.Refused, "There are no open charges to invoice.")
	}
	today := a.Today()
	v := &accountsdb.Invoice{
		PatronID: patron, BranchCode: a.Who.Branch, MadeAt: a.Now, Day: today.UTC(),
		Due: today.Add(a.Network.Settled.Money.Days).UTC(), Addressed: addressOf(p), Note: strings.TrimSpace(b.Note),
	}
	if err := accountsdb.AddInvoice(a.Tx, v, a.Who.ID, lines); err != nil {
		return nil, err
	}
	var sum money.Amount
	for _, l := range lines {
		sum += l.Amount
	}
	a.Tell(event.Event{Kind: event.Invoiced, Patron: patron, Detail: event.Detail{
		Is: v.Number, Amount: sum,
	}})
	return OneInvoice(a, v.ID)
}

func addressOf(p *peopledb.Patron) string {
	lines := []string{p.LegalName}
	for l := range strings.SplitSeq(p.Address, "\n") {
		if l = strings.TrimSpace(l); l != "" {
			lines = append(lines, l)
		}
	}
	return strings.Join(lines, "\n")
}

// WithdrawInvoice takes an invoice back. Its number stays used; its charges are as they were and may stand on another.
func WithdrawInvoice(a *act.Act, id int64, reason string) (*Invoice, error) {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return nil, problem.Newf(problem.Invalid, "Enter a reason.")
	}
	v, _, err := accountsdb.OneInvoice(a.Tx, id)
	if err == nil && v != nil {
		err = a.Tx.Lock(store.Lock{Patrons: []int64{v.PatronID}})
	}
	if err == nil && v != nil {
		v, _, err = accountsdb.OneInvoice(a.Tx, id) // as it stands once nobody pays meanwhile
	}
	switch {
	case err != nil:
		return nil, err
	case v == nil:
		return nil, problem.NoSuch("invoice")
	case v.WithdrawnAt != nil:
		return nil, problem.Newf(problem.Refused, "Invoice %s has been withdrawn already.", v.Number)
	case !a.Who.MayActOn(v.BranchCode):
		return nil, problem.Newf(problem.Forbidden, "This invoice belongs to %s. Only that branch or a supervisor can withdraw it.",
			a.Network.BranchName(v.BranchCode))
	case v.Owed < v.Amount:
		return nil, problem.Newf(problem.Refused, "Part of invoice %s has been paid. Reverse the payment first.", v.Number)
	}
	accountsdb.WithdrawInvoice(a.Tx, id, a.Who.ID, a.Now, reason)
	a.Tell(event.Event{Kind: event.InvoiceWithdrawn, Patron: v.PatronID, Detail: event.Detail{
		Is: v.Number, Reason: reason,
	}})
	return OneInvoice(a, id)
}
