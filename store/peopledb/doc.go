// Package peopledb keeps patrons: their record, household, notes, consents, photograph, their sessions on the public
// pages, and people who have signed up there.
//
// What a patron has on loan, waits for and owes is in loansdb, holdsdb and accountsdb; rosters are in rostersdb.
// Begin to read with Patron.
package peopledb
