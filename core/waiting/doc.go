// Package waiting says when a hold will be ready: a likely date, and a range that holds in eight of ten cases.
//
// What is known of a queue is who waits where, and of each copy whether it is on a shelf, due back on a day, or on its way
// to somebody. What is not known is drawn: how late it comes back, how long it is searched for, how long somebody ahead leaves
// it on the hold shelf and keeps it then. All that is drawn from what the network's own past has shown (Habits), many times
// over, and each time the copies go to those who wait in their order, by the courier's timetable. The dates that come out
// are the forecast.
//
// Drawing is not chance here: the same question gets the same answer.
//
// A forecast keeps score of itself. How its dates fell out on cases that were not learned from (Score) says between which
// parts of the drawn dates the truth lies in eight of ten cases, and those parts bound the range: split conformal
// prediction, after Vovk, Gammerman and Shafer, "Algorithmic Learning in a Random World", 2005.
package waiting
