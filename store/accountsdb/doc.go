// Package accountsdb keeps what patrons owe and pay: the ledger, receipts, tills, invoices, disputes, refunds and
// payments at card terminals.
//
// The ledger is only ever added to; a balance is the sum of its entries, kept beside the patron by the database
// itself. Sums are in the currency's smallest unit. Which charge a payment settles is decided in core/ledger. Begin
// to read with Entry and ChargesOf.
package accountsdb
