package ledger

// Kind says what an entry of the ledger is: a charge, a payment and so on.
type Kind string

// Kinds of entries. A charge is more than nothing and settles nothing; all others are tied to the charge that they change.
const (
	Charge     Kind = "charge"
	Payment    Kind = "payment"    // less than nothing
	Waiver     Kind = "waiver"     // less than nothing
	Correction Kind = "correction" // less than nothing: the charge was none, or no longer is one
	Refund     Kind = "refund"     // what was paid of a charge that is corrected, to be refunded
	Reversal   Kind = "reversal"   // of a payment taken by mistake
	Unwaiver   Kind = "unwaiver"   // of a waiver: what was waived is owed again
)

// About says what a charge is for; entries that settle it say the same.
type About string

// What charges are for.
const (
	AboutLate        About = "late"
	AboutLost        About = "lost"
	AboutProcessing  About = "processing"
	AboutMembership  About = "membership"
	AboutUncollected About = "uncollected"
	AboutOutside     About = "outside"
	AboutManual      About = "manual" // charged by hand
)

// Abouts are all that a charge may be for.
var Abouts = []About{AboutLate, AboutLost, AboutProcessing, AboutMembership, AboutUncollected, AboutOutside, AboutManual}

// Means is a method of payment.
type Means string

// The means of payment. What is transferred goes through no drawer.
const (
	Cash     Means = "cash"
	Card     Means = "card"
	Cheque   Means = "cheque"
	Transfer Means = "transfer"
)

// AllMeans are all of them.
var AllMeans = []Means{Cash, Card, Cheque, Transfer}
