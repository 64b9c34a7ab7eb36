package circulation

// Found is the finding of a scan in a return batch.
type Found string

// What scans of a returns run meet.
const (
	FoundWrongNumber Found = "wrong_number"
	FoundCard        Found = "card"
	FoundWords       Found = "words"
	FoundUnknown     Found = "unknown"
	FoundWithdrawn   Found = "withdrawn"
	FoundOnLoan      Found = "on_loan"
	FoundLate        Found = "late"
	FoundLost        Found = "lost"
	FoundUnderWay    Found = "under_way"
	FoundAgain       Found = "scanned_before"
	FoundNotOnLoan   Found = "not_on_loan"
)

// Piled tells whether a scan puts a thing onto a pile. A misread number, words or a card are no thing, and what is scanned again lies on
// its pile already.
func (f Found) Piled() bool {
	switch f {
	case FoundWrongNumber, FoundWords, FoundCard, FoundAgain:
		return false
	}
	return true
}
