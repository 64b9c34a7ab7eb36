package plan

import "nevrin/core/person"

// Attempt is the end of an attempt to send an email, by what the mail server said (RFC 5321).
type Attempt struct {
	Delivered  bool // the server has taken it, whatever became of the line after that
	Code       int  // with which the server refused it; 0: it said nothing
	OfMessage  bool // the refusal is of this recipient or this message, and not of the sender or the line
	AllSent    bool // all of it had been sent when the line was lost, so that the server may have taken it
	BadAddress bool // the address is none
	Tries      int  // this one included
}

// After is the state of a message after an attempt to send it.
type After string

// What becomes of a message.
const (
	Sent    After = "sent"
	Again   After = "queued"  // it is tried again by itself
	Refused After = "refused" // permanently: somebody tells the patron in another way, or mends the address
	Unclear After = "unclear" // nobody knows; it is not sent again by itself, since nobody should be told twice

	ByHand    After = "by_hand"    // it waits in a list for whoever calls or prints
	NoAddress After = "no_address" // it cannot be sent; somebody finds another way
)

// Outcome is what came of a call.
type Outcome string

// Outcomes of a call.
const (
	Reached     Outcome = "reached"
	MessageLeft Outcome = "message_left"
	NoAnswer    Outcome = "no_answer"
	WrongNumber Outcome = "wrong_number"
	Later       Outcome = "later"
)

// Ends gives what becomes of the message. One left on a machine may not have been heard: whoever calls decides whether that is enough.
func (o Outcome) Ends() After {
	switch o {
	case Reached:
		return Sent
	case WrongNumber:
		return Refused
	}
	return ByHand
}

// Say gives the outcome in words.
func (o Outcome) Say() string {
	return map[Outcome]string{
		Reached: "Reached", MessageLeft: "Message left", NoAnswer: "No answer", WrongNumber: "Wrong number", Later: "To call again",
	}[o]
}

// First gives the state of a message that is to go out, before any attempt. The store asks the same of all messages of a
// mailing at once, in SQL made from this.
func First(way person.Way, address string) After {
	switch {
	case way == person.ByPhone || way == person.ByLetter:
		return ByHand
	case address == "":
		return NoAddress
	}
	return Again
}

// MostTries is the number of tries after which a message counts as refused. With five minutes between tries that is four days, as RFC 5321,
// 4.5.4.1, has it.
const MostTries = 1150

// Codes from Permanent on are permanent refusals, others may pass (RFC 5321, 4.2.1).
const (
	Temporary = 450
	Permanent = 500
)

// Ends tells what becomes of the message.
func (a Attempt) Ends() After {
	switch {
	case a.Delivered:
		return Sent
	case a.BadAddress, a.OfMessage && a.Code >= Permanent:
		return Refused
	case a.AllSent && a.Code == 0:
		return Unclear
	case a.Tries >= MostTries:
		return Refused
	}
	return Again
}
