// Package loansdb keeps loans, from lending to their return or loss, and what patrons claim about them.
//
// The database allows one open loan for each item. What a scan asks before it lends stands in deskdb; terms are
// decided in core/loan and core/rulebook. Begin to read with Loan and AddLoan.
package loansdb
