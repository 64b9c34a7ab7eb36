// Package tote is the life of a tote: the box in which things go from one branch to another, how its label is numbered,
// and what it means when its label is scanned somewhere.
//
// A tote is filled at one branch for one other, closed, taken by the courier, and unpacked where it goes. Whoever scans
// its label says where it is; what that means follows from where it is thought to be, and from nothing else.
package tote

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"nevrin/core/calendar"
	"nevrin/core/ident"
)

// State is a stage in the life of a tote.
type State string

// A tote is being filled, closed, away, and here to be unpacked. It ends empty, or lost.
const (
	Open   State = "open"
	Closed State = "closed"
	Away   State = "away" // taken by the courier
	Here   State = "here" // has come, and is being unpacked
	Empty  State = "empty"
	Lost   State = "lost" // has not arrived, and what was in it counts as missing
)

// Step is an event that takes a tote from one state to the next.
type Step string

// The steps.
const (
	Begin  Step = "begin"  // it is opened, empty
	Close  Step = "close"  // nothing more goes in
	Leave  Step = "leave"  // the courier takes it
	Pass   Step = "pass"   // it is seen at a branch to which it does not go
	Come   Step = "come"   // it is where it goes
	Unpack Step = "unpack" // all that is in it has come, without each being scanned
	Finish Step = "finish" // what has not been found in it is not in it
	Lose   Step = "lose"   // it is declared lost
)

// steps are the states to which a step leads from each state.
var steps = map[State]map[Step]State{
	Open: {Close: Closed},
	// That its leaving was not scanned keeps no tote from having come.
	Closed: {Leave: Away, Pass: Away, Come: Here, Lose: Lost},
	Away:   {Pass: Away, Come: Here, Lose: Lost},
	// A label that turns up at another branch says that the tote has gone on.
	Here: {Pass: Away, Come: Here, Unpack: Empty, Finish: Empty},
	Lost: {Pass: Away, Come: Here},
}

var sayState = map[State]string{
	Open: "is open", Closed: "is closed and waits for its run", Away: "is in transit", Here: "has arrived",
	Empty: "has been unpacked", Lost: "was declared lost",
}

var sayStep = map[Step]string{
	Begin: "be started again", Close: "be closed", Leave: "be taken by the courier", Pass: "be on its way",
	Come: "come", Unpack: "be unpacked", Finish: "be finished", Lose: "be declared lost",
}

// Next is the state to which a step leads; the error says what the tote is and what could not be.
func Next(from State, step Step) (State, error) {
	to, ok := steps[from][step]
	if !ok {
		return from, fmt.Errorf("this tote %s; it cannot %s", sayState[from], sayStep[step])
	}
	return to, nil
}

// Meaning is the meaning of a scan of a tote's label.
type Meaning string

// The meanings. All but the first four change nothing.
const (
	Leaves    Meaning = "leaves"     // closed, and scanned where it was filled: the courier takes it
	Comes     Meaning = "comes"      // scanned where it goes
	Passes    Meaning = "passes"     // scanned at another branch: it goes on from there
	Surfaces  Meaning = "surfaces"   // it was lost, and here it is
	Filling   Meaning = "filling"    // it is not closed yet
	LeftHere  Meaning = "left_here"  // it has left already, and is scanned where it was filled
	CameHere  Meaning = "came_here"  // it has come already
	Unpacked  Meaning = "unpacked"   // and has been unpacked
	Elsewhere Meaning = "elsewhere"  // it is being filled somewhere else
	SeenHere  Meaning = "seen_again" // at this branch on its way, for the second time
)

// Place is a tote's branch now, and its destination.
type Place struct {
	State    State
	From, To calendar.Code
	At       calendar.Code // where it was seen last
}

// Scanned gives the meaning of a scan of a tote's label at a branch, and the step that follows; no step changes
// nothing.
func Scanned(p Place, here calendar.Code) (Meaning, Step) {
	switch {
	case p.State == Empty:
		return Unpacked, ""
	case p.State == Open && here == p.From:
		return Filling, ""
	case p.State == Open:
		return Elsewhere, ""
	case p.State == Here && here == p.At:
		return CameHere, ""
	case p.State == Lost && here == p.To:
		return Surfaces, Come
	case p.State == Lost:
		return Surfaces, Pass
	case here == p.To:
		return Comes, Come
	case p.State == Closed && here == p.From:
		return Leaves, Leave
	case p.State == Away && here == p.From && p.At == p.From:
		return LeftHere, ""
	case p.State == Away && here == p.At:
		return SeenHere, ""
	}
	return Passes, Pass
}

const letter = "T"

// Number gives the number on the label of a tote: a letter, its number, and a check digit, so that one that was mistyped
// is no other tote's.
func Number(id int64) string {
	digits := strconv.FormatInt(id, 10)
	return letter + digits + ident.Mod10.Sign(digits)
}

var looksLike = regexp.MustCompile(`^T[0-9]{2,18}$`)

// Read tells whether a scan looks like the number of a tote, and of which one it is; 0 where its check digit is wrong.
func Read(text string) (id int64, is bool) {
	text = strings.ToUpper(strings.TrimSpace(text))
	if !looksLike.MatchString(text) {
		return 0, false
	}
	digits, check := text[1:len(text)-1], text[len(text)-1:]
	if ident.Mod10.Sign(digits) != check {
		return 0, true
	}
	id, err := strconv.ParseInt(digits, 10, 64)
	if err != nil {
		return 0, true
	}
	return id, true
}
