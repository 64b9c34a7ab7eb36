// Package calendarsdb moves due dates and last days of holds when calendars change.
//
// A sweep is one such change: it works out for every kind of loan (branch, due date) where it goes, not for each
// loan, writes the moves in parts, and can be undone. Calendars themselves are a column of branches (networkdb).
// Begin to read with Sweep.
package calendarsdb
