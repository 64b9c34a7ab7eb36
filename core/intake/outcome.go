package intake

import "nevrin/core/queue"

// Outcome is the result for a line: added, changed, left and so on.
type Outcome string

// The outcomes.
const (
	New     Outcome = "new"
	Joined  Outcome = "joined"  // a title that is here already: its copies go to it
	Changed Outcome = "changed" // it came before, and is other now
	Same    Outcome = "same"    // it came before, and is the same
	Left    Outcome = "left"
)

// Ready tells whether a hold of a file stands on the hold shelf: its state says so, or it names its item and no state. The state is one
// of core/queue, or empty.
func Ready(state queue.State, label string) bool {
	return state == queue.Ready || state == "" && label != ""
}

// Before describes something that came with an earlier file: what it said, as a digest, and whether it has been changed here
// since.
type Before struct {
	Digest  string
	Touched bool
}

// Settle says what becomes of a line that could be taken, by what came before; nil: nothing did. Fixed is what is never changed once
// it came: a hold, a sum. Where it is left, says is why.
func Settle(before *Before, digest string, fixed bool) (becomes Outcome, says string) {
	switch {
	case before == nil:
		return New, ""
	case before.Digest == digest:
		return Same, ""
	case before.Touched:
		return Left, "It was imported before and has changed both there and here. Compare both and correct it by hand."
	case fixed:
		return Left, "It was imported before and has changed. Undo that import, then import this file."
	}
	return Changed, ""
}
