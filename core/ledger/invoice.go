package ledger

// Billable is a charge that may go onto an invoice.
type Billable struct {
	Invoiced bool // it stands on one that has not been withdrawn
	Disputed bool
	Chosen   bool // by its number; otherwise all that is owed was asked for
}

// Goes says whether a charge goes onto a new invoice, and if not, why.
type Goes string

// What becomes of it.
const (
	OnIt   Goes = "on_it"
	LeftBy Goes = "left"  // it stays off
	Twice  Goes = "twice" // it was chosen, and stands on another: the invoice is not made
)

// ToInvoice decides what becomes of a charge. No charge stands on two invoices, and what is in dispute waits, chosen or not.
func (b Billable) ToInvoice() Goes {
	switch {
	case b.Invoiced && b.Chosen:
		return Twice
	case b.Invoiced, b.Disputed:
		return LeftBy
	}
	return OnIt
}
