// Package terminal knows the life of a payment at a card terminal: it is asked for, and ends taken or refused. Between the desk and
// the terminal answers get lost, so nothing is concluded from silence: the terminal is asked how the payment ended until it says so,
// and a payment that was approved and can no longer be used is reversed there.
package terminal

import (
	"fmt"
	"time"
)

// State is a stage in the life of a payment at a terminal.
type State string

// A payment is asked for; somebody may call it off; it is reversed where it was approved and is of no use any more. It ends taken,
// refused or refunded.
const (
	Asked     State = "asked"
	Stopping  State = "stopping"
	Returning State = "returning"
	Taken     State = "taken"
	Refused   State = "refused"
	Returned  State = "returned"
)

// Ended tells whether nothing more comes of a payment.
func (s State) Ended() bool { return s == Taken || s == Refused || s == Returned }

// Move is an event that takes a payment from one state to the next.
type Move string

// The moves.
const (
	Approve Move = "approve"   // the terminal has taken it, and it is written down
	Refuse  Move = "refuse"    // no money moved
	Stop    Move = "stop"      // somebody calls it off
	Return  Move = "return"    // it was approved, and what it was for is not owed any more
	Back    Move = "back"      // the terminal has given it back
	Settle  Move = "settle"    // somebody says that it was taken, where the terminal cannot be asked
	Write   Move = "write_off" // somebody says that it was not, or that it was refunded by hand
)

// moves are the states to which a move leads from each state.
var moves = map[State]map[Move]State{
	Asked:     {Approve: Taken, Refuse: Refused, Stop: Stopping, Return: Returning, Settle: Taken, Write: Refused},
	Stopping:  {Refuse: Refused, Back: Refused, Settle: Taken, Write: Refused},
	Returning: {Back: Returned, Write: Returned},
}

// Next is the state to which a move leads; the error says what the payment is.
func (s State) Next(m Move) (State, error) {
	to, ok := moves[s][m]
	if !ok {
		return s, fmt.Errorf("a card payment that is %s cannot go on to %s", s, m)
	}
	return to, nil
}

// Outcome is a terminal's answer about a payment.
type Outcome string

// What a terminal says. It is busy where it is at another payment; the payment is unknown where it never reached the terminal.
const (
	Approved Outcome = "approved"
	Declined Outcome = "declined"
	Waiting  Outcome = "waiting"
	Reversed Outcome = "reversed"
	Busy     Outcome = "busy"
	Unknown  Outcome = "unknown"
	Silent   Outcome = "" // it said nothing, or nothing that could be read
)

// Step is the next thing to do with a payment at its terminal.
type Step string

// The steps.
const (
	Pay     Step = "pay"     // ask the terminal for it
	Ask     Step = "ask"     // ask the terminal how it ended
	Reverse Step = "reverse" // have the terminal call it off, or give it back
)

// First is what to do with a payment that somebody begins to work on: one that may have been asked for before is asked about, since
// asking for it again would have the next person pay it.
func (s State) First(before bool) Step {
	switch {
	case s != Asked:
		return Reverse
	case before:
		return Ask
	}
	return Pay
}

// Leads tells whether what a terminal said leads on. One that says nothing, or of a payment that is called off or to be refunded says
// anything but how that ended, is asked again and again, and somebody may say what they have seen there.
func (s State) Leads(said Outcome) bool {
	switch move, _ := s.Heard(said, 0); {
	case said == Silent:
		return false
	case s == Asked, said == Waiting:
		return true
	default:
		return move != ""
	}
}

// lapses is the time after which a payment that never reached its terminal is given up: the patron may have gone.
const lapses = time.Minute

// Heard is what follows from what the terminal said at a step: a move, or another step; neither where it is to be asked again after a
// while. Age is how long ago the payment was asked for.
func (s State) Heard(said Outcome, age time.Duration) (Move, Step) {
	switch s {
	case Returning:
		return map[Outcome]Move{Reversed: Back, Declined: Back}[said], Reverse
	case Stopping:
		return map[Outcome]Move{Reversed: Back, Declined: Refuse, Unknown: Refuse}[said], Reverse
	}
	switch said {
	case Approved:
		return Approve, ""
	case Declined, Busy, Reversed:
		return Refuse, ""
	case Unknown:
		if age < lapses {
			return "", Pay
		}
		return Refuse, ""
	}
	return "", Ask
}
