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
	GivenBack bool          // something that it paid has been credited since, to be refunded
	At        time.Time     // when it was made
	Branch    calendar.Code // and where
}

// Reversing tells why a receipt may not be reversed by somebody with a role at a branch; empty: it may. Of today's takings of
// their own branch everybody who is employed reverses one; of others, who supervises.
func Reversing(t Taken, r role.Role, here *calendar.Branch, now time.Time) string {
	switch {
	case t.Out:
		return "Only payments can be reversed. If this was a mistake, take the payment again."
	case t.Reversed:
		return "This payment has been reversed already."
	case t.GivenBack:
		return "A charge that this paid has been credited since and is refunded, so it cannot be reversed."
	case !r.MayActOn(t.Branch, here.Code):
		return "This was taken at another branch. Only that branch or a supervisor can reverse it."
	case here.Date(t.At) != here.Date(now) && !r.Supervises():
		return "This was taken on another day. Only a supervisor can reverse it."
	}
	return ""
}

// Forgiven is a waiver that somebody wants to undo.
type Forgiven struct {
	Undone    bool          // it has been undone already
	TakenBack bool          // its charge has been credited since
	At        time.Time     // when it was made
	Branch    calendar.Code // and where
}

// Unwaiving tells why a waiver may not be undone by somebody with a role at a branch; empty: it may. As with payments, everybody who
// is employed undoes today's of their own branch, and supervisors undo others.
func Unwaiving(w Forgiven, r role.Role, here *calendar.Branch, now time.Time) string {
	switch {
	case w.Undone:
		return "This waiver has been undone already."
	case w.TakenBack:
		return "The charge has been reversed since, so it cannot be owed again."
	case !r.MayActOn(w.Branch, here.Code):
		return "This was waived at another branch. Only that branch or a supervisor can undo it."
	case here.Date(w.At) != here.Date(now) && !r.Supervises():
		return "This was waived on another day. Only a supervisor can undo it."
	}
	return ""
}
