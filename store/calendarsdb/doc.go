// Package calendarsdb finds and writes down which due dates and last days of holds move when calendars change.
//
// For every kind of loan (branch, due date) it is worked out where it goes, not for each loan. The moves are lines of a sweep (sweepsdb).
// Calendars themselves are a column of branches (networkdb). Begin to read with LoanMove.
package calendarsdb
