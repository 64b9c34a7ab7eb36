// Package rulesdb keeps editions of the rulebook, rehearsals of one on what really happened, and what staff have
// reported about a rule.
//
// A rulebook is one document in its own form (core/rulebook); here it is a column. EachPastLoan streams years of
// loans to a rehearsal without holding them in memory. Begin to read with Edition and Rehearsal.
package rulesdb
