// Package calendar decides when a branch is open, and what follows from it.
//
// A Date is a civil date; a Minute a time of day; an instant a time.Time. A Branch knows its
// zone, weekly hours, closures and special openings, and answers three kinds of question:
// is it open (a day, an instant), when is it next or last open, and how much open time lies
// between two instants. A special opening of a date outweighs a closure that covers it, which
// outweighs the weekly hours. Spans include both their ends.
//
// Local times that the clock skips are read with the offset before the skip; those that come
// twice mean the first. Openings are searched for over two years.
package calendar
