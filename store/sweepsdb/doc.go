// Package sweepsdb stores changes of many records: due dates, renewals, charges, cards, patron classes, pickup branches, and what follows
// a change of calendars.
//
// A sweep keeps a line for each record: what it was, what it becomes, and whether that is done or why not. Its lines are done in parts, and
// undone in parts. Begin to read with Sweep and Line.
package sweepsdb
