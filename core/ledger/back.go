package ledger

import (
	"time"

	"nevrin/core/calendar"
	"nevrin/core/role"
)

// Taken is a receipt that somebody wants to reverse.
type Taken struct {
	Out       bool          // money was given out by it, or it reverses another
	Reversed  bool          // it has been reversed already
	GivenBack bool          // something that it paid has been credited since, to be given back
	At        time.Time     // when it was made
	Branch    calendar.Code // and where
}

// Reversing tells why a receipt may not be reversed by somebody with a role at a branch; empty: it may. Of today's takings of
// their own branch everybody who is employed reverses one; of others, who supervises.
func Reversing(t Taken, r role.Role, here *calendar.Branch, now time.Time) string {
	switch {
	case t.Out:
		return "Only money that was taken can be reversed. If this was a mistake, take the payment again."
	case t.Reversed:
		return "This payment has been reversed already."
	case t.GivenBack:
		return "Something that this paid has been credited since and is given back as a refund, so it cannot be reversed."
	case !r.MayActOn(t.Branch, here.Code):
		return "This was taken at another branch. It is reversed there, or by a supervisor."
	case here.Date(t.At) != here.Date(now) && !r.Supervises():
		return "This was taken on another day. A supervisor reverses it."
	}
	return ""
}
