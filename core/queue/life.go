package queue

import (
	"fmt"

	"nevrin/core/calendar"
	"nevrin/core/role"
)

// State is a stage in the life of a hold.
type State string

// A hold waits in its queue until an item is chosen; the item is fetched, moves, and is ready on the hold shelf of the
// pickup branch. It ends filled, cancelled or lapsed.
const (
	Waiting   State = "waiting"
	Fetching  State = "fetching"
	Moving    State = "moving"
	Ready     State = "ready"
	Filled    State = "filled"
	Cancelled State = "cancelled"
	Lapsed    State = "lapsed"
)

// Open are the states of holds of which something is to come still, in the order of their life.
var Open = []State{Waiting, Fetching, Moving, Ready}

// Ended tells whether nothing more can come of a hold but by undoing.
func (s State) Ended() bool { return s == Filled || s == Cancelled || s == Lapsed }

// HasItem tells whether an item is meant for a hold in this state.
func (s State) HasItem() bool { return s == Fetching || s == Moving || s == Ready }

// Move is an event that takes a hold from one state to the next.
type Move string

// The moves. Each says what it needs beside the hold.
const (
	Choose  Move = "choose"   // an item is chosen for it; needs the item and a promise
	Send    Move = "send"     // its item leaves for the pickup branch; needs the promise
	Shelve  Move = "shelve"   // its item is on the hold shelf; needs the last day
	Fill    Move = "fill"     // lent; needs the item
	Cancel  Move = "cancel"   // no longer wanted
	Lapse   Move = "lapse"    // not fetched in time
	PutBack Move = "put_back" // its item serves it no more: it waits again in its old place
	Reopen  Move = "reopen"   // a loan that filled it from the hold shelf was undone: it is ready again
	Revive  Move = "revive"   // what cancelled it was undone: it waits again in its old place
)

// moves are the states to which a move leads from each state.
var moves = map[State]map[Move]State{
	Waiting:  {Choose: Fetching, Fill: Filled, Cancel: Cancelled},
	Fetching: {Send: Moving, Shelve: Ready, Fill: Filled, Cancel: Cancelled, PutBack: Waiting},
	Moving:   {Send: Moving, Shelve: Ready, Fill: Filled, Cancel: Cancelled, PutBack: Waiting},
	Ready:    {Send: Moving, Shelve: Ready, Fill: Filled, Cancel: Cancelled, Lapse: Lapsed, PutBack: Waiting},
	Filled:   {Reopen: Ready, PutBack: Waiting},
	// An item that was meant for it is not taken from whoever it serves by now.
	Cancelled: {Revive: Waiting},
}

// Next is the state to which a move leads; the error says what the hold is and what could come.
func Next(from State, move Move) (State, error) {
	to, ok := moves[from][move]
	if !ok {
		return from, fmt.Errorf("a hold that is %s cannot %s", from, sayMove[move])
	}
	return to, nil
}

var sayMove = map[Move]string{
	Choose:  "be given an item",
	Send:    "be sent",
	Shelve:  "go onto the hold shelf",
	Fill:    "be filled",
	Cancel:  "be cancelled",
	Lapse:   "lapse",
	PutBack: "wait again",
	Reopen:  "be ready again",
	Revive:  "wait again",
}

// byHand are the moves that somebody makes for its own sake; the others follow from a scan, which anybody may make.
var byHand = map[Move][]role.Role{Cancel: role.Employed}

// MayMake tells whether a role may make a move by hand.
func (m Move) MayMake(r role.Role) bool {
	roles, limited := byHand[m]
	if !limited {
		return true
	}
	for _, may := range roles {
		if may == r {
			return true
		}
	}
	return false
}

// further tells how far along a hold is that has not ended.
var further = map[State]int{Waiting: 0, Fetching: 1, Moving: 2, Ready: 3}

// Claim is a hold as it stands against another of the same person on the same title.
type Claim struct {
	State State
	Place float64
}

// Stays tells whether of two holds of one person on one title the first stays: the one that has come further, or else the
// one with the better place.
func Stays(a, b Claim) bool {
	if further[a.State] != further[b.State] {
		return further[a.State] > further[b.State]
	}
	return a.Place <= b.Place
}

// MayChange tells whether where a hold is picked up may still be changed, or it be paused: no item is meant for it yet. Says is why not.
func (s State) MayChange() (says string) {
	switch {
	case s.Ended():
		return "This hold has ended already."
	case s != Waiting:
		return "A copy is already in transit for this hold. You can cancel it, but not edit it."
	}
	return ""
}

// longestPause is the longest pause of a hold, in days.
const longestPause = 366

// MayPause tells whether a hold may be paused until a day, from which it waits again. Says is why not.
func MayPause(today, until calendar.Date) (says string) {
	if until <= today || until > today.Add(longestPause) {
		return "Choose a day after today, within a year."
	}
	return ""
}
