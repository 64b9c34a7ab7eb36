// Package holdsdb keeps holds: the queue of each title, the list of what is to be fetched, the hold shelf, and what
// a forecast of the waiting needs.
//
// The states of a hold and their moves are core/queue, who gets which copy core/routing, how long one waits
// core/waiting. MoveHold is the one way from state to state. A title's queue changes only under the title's lock.
// Begin to read with Hold and Queue.
package holdsdb
