// Package deskdb asks, in one round trip and behind one lock, everything that a scan or a patron's card needs.
//
// Facts is an item with all that is going on with it; Borrowing is what stands for and against lending it to
// somebody; CardFacts is a patron as the desk shows them. Nothing is changed here: what follows from the facts is
// decided in core/circulation and written through loansdb, holdsdb, transitsdb and stockdb. Begin to read with
// Facts.
package deskdb
