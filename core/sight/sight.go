// Package sight decides what somebody who works here sees of a person, by what their work needs.
//
// A library keeps what people read, children's reading too. So a volunteer sees of a patron what lending takes, and only
// once the patron's card has been scanned; who had an item before is told where a charge, damage or a search needs to
// know; and what a patron has had before is theirs to show. Whoever opens a record leaves a record of that.
package sight

import (
	"time"

	"nevrin/core/role"
)

// Part is a level of access to a patron's record.
type Part string

// The parts.
const (
	Whole   Part = "whole"
	Reduced Part = "reduced" // name, what stops lending, what waits here, what is late; no address, note, age or charge
)

// OfPatron gives how much of a patron's record a role can see.
func OfPatron(r role.Role) Part {
	if r == role.Volunteer {
		return Reduced
	}
	return Whole
}

// InHand is the time for which a scanned card counts as being at the desk.
const InHand = time.Hour

// MaySearch tells whether a role searches for patrons. Who may not scans the card.
func MaySearch(r role.Role) bool { return OfPatron(r) == Whole }

// NeedsCard tells whether a role has to have scanned a patron's card, not long ago and at this branch, before it opens
// their record or does anything on it.
func NeedsCard(r role.Role) bool { return OfPatron(r) == Reduced }

// CardsAtOnce is how many cards somebody scans at most, within a minute or two, whose role opens records by the card alone. Cards have
// numbers one after another: who could scan without end would open all of them.
const CardsAtOnce = 30

// SeesLoan tells whether a role sees one of the loans on a card: the reduced part shows what is late, to be renewed, and
// what has just been lent.
func SeesLoan(r role.Role, late, ofTodayHere bool) bool {
	return OfPatron(r) == Whole || late || ofTodayHere
}

// NamesBorrower tells whether a list of loans names a borrower to a role: of what was lent where they are, or to a patron whose
// home is there; who supervises is told all. Whoever needs to know more opens the loan, which leaves a reading.
func NamesBorrower(r role.Role, lentHere, homeHere bool) bool {
	return OfPatron(r) == Whole && (lentHere || homeHere || r.Supervises())
}

// SeesRun tells whether a role sees a run of returns, whose lines tell who read what: one of where they are that is open or
// of today; who supervises sees all.
func SeesRun(r role.Role, here, past bool) bool { return here && !past || r.Supervises() }

// Past is a loan that has ended, as far as it matters who had it.
type Past struct {
	Last    bool // nobody has borrowed the item since
	Owed    bool // something is still owed for it
	Damaged bool // the item has a note, or is set aside
	Sought  bool // the item is missing or counts as lost
}

// MayKnowBorrower tells whether a role may know who had an item on a loan that has ended: as long as something is owed for
// it, and of the last one where the item is damaged or sought.
func MayKnowBorrower(r role.Role, p Past) bool {
	return OfPatron(r) == Whole && (p.Owed || p.Last && (p.Damaged || p.Sought))
}

// Event is something of a patron's record, as far as it tells what they read.
type Event struct {
	Reading bool // it names what they borrowed or wanted
	Open    bool // the loan or hold is open still, or something is owed for it
	Today   bool // it happened today, so that it can be undone
}

// MayReadEvent tells whether staff see an event of a patron's record. What the patron has read before is theirs to show.
func MayReadEvent(r role.Role, shown bool, e Event) bool {
	return OfPatron(r) == Whole && (!e.Reading || e.Open || e.Today || shown)
}
