package rulebook

import (
	"nevrin/core/lateness"
	"nevrin/core/loan"
)

// Kind is the kind of value a term takes.
type Kind string

const (
	KindDuration Kind = "duration" // ISO 8601, days or hours
	KindChoice   Kind = "choice"   // one of a few words
	KindDates    Kind = "dates"    // a list of dates
	KindNumber   Kind = "number"   // a whole number
	KindMoney    Kind = "money"    // a decimal text in the network's currency
	KindYesNo    Kind = "yes_no"
)

// TermInfo describes one term: the one place from which files, interface and docs take it.
type TermInfo struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Kind     Kind     `json:"kind"`
	Unit     string   `json:"unit,omitempty"`
	Choices  []string `json:"choices,omitempty"`
	Nullable bool     `json:"nullable" doc:"null is allowed and means no limit"`
	Meaning  string   `json:"meaning"`
	Group    string   `json:"group"`
	InSums   bool     `json:"in_sums" doc:"Enters the sums of due dates and lateness"`
	initial  string
}

// Term is the number of a term in All.
type Term int

const (
	LoanPeriod Term = iota
	ClosedDay
	LatestDue
	Renewals
	RenewFrom
	FineRate
	FineUnit
	Grace
	GraceStyle
	FineLimit
	UpToPrice
	LendingAllowed
	LoansAtOnce
	MaterialAtOnce
	PatronRenewals
	LeastAge
	ConsentNeeded
	LeastYear
	AwaitedPeriod
	Floating
	OwedLimit
	LateItemsLimit
	HoldsAllowed
	HoldsAtOnce
	HoldShelfDays
	UncollectedCharge
	NewStaysDays
	OwnPatronsDays
	LostAfter
	ProcessingCharge
	RefundWithin
	LatenessWhenLost
	MembershipCharge
	MembershipLength
	InterlibraryAllowed
	InterlibraryAtOnce
	InterlibraryCharge
	termCount
)

// Sets of terms are bits of one word.
var _ [64 - termCount]struct{}

// All lists every term in the order in which they are shown.
var All = [termCount]TermInfo{
	LoanPeriod: {
		ID:      "loan_period",
		Name:    "Loan period",
		Kind:    KindDuration,
		Group:   "Lending",
		InSums:  true,
		initial: "P21D",
		Meaning: "How long something is lent: weeks and days (a day loan) or hours and minutes (an hour loan)",
	},
	ClosedDay: {
		ID:      "closed_day",
		Name:    "Due on closed time",
		Kind:    KindChoice,
		Group:   "Lending",
		InSums:  true,
		initial: "next",
		Choices: []string{string(loan.Next), string(loan.Previous), string(loan.Keep)},
		Meaning: "What happens to a due date or time at which the lending branch is closed: the next opening, the previous one, or it stays",
	},
	LatestDue: {ID: "latest_due", Name: "Latest due dates", Kind: KindDates, Group: "Lending", InSums: true,
		Meaning: "A day loan is never due after the first of these dates that is after the day it was lent or renewed"},
	Renewals: {
		ID:      "renewals",
		Name:    "Renewals",
		Kind:    KindNumber,
		Unit:    "times",
		Group:   "Lending",
		InSums:  true,
		initial: "0",
		Meaning: "How many times a loan may be renewed",
	},
	RenewFrom: {
		ID:      "renew_from",
		Name:    "Renewal counts from",
		Kind:    KindChoice,
		Group:   "Lending",
		InSums:  true,
		initial: "today",
		Choices: []string{"today", "due"},
		Meaning: "Whether a renewal counts from the day it is made or from the due date",
	},
	FineRate: {
		ID:      "fine_rate",
		Name:    "Fine rate",
		Kind:    KindMoney,
		Unit:    "per unit of lateness",
		Group:   "Lateness",
		InSums:  true,
		initial: "0.00",
		Meaning: "What one charged unit of lateness costs",
	},
	FineUnit: {
		ID:      "fine_unit",
		Name:    "Unit of lateness",
		Kind:    KindChoice,
		Group:   "Lateness",
		InSums:  true,
		initial: "open_day",
		Choices: []string{
			string(lateness.OpenDay),
			string(lateness.CalendarDay),
			string(lateness.OpenHour),
			string(lateness.ClockHour),
		},
		Meaning: "What is counted: open or calendar days, open or clock hours",
	},
	Grace: {
		ID:      "grace",
		Name:    "Grace",
		Kind:    KindNumber,
		Unit:    "units of lateness",
		Group:   "Lateness",
		InSums:  true,
		initial: "0",
		Meaning: "Units of lateness without charge",
	},
	GraceStyle: {
		ID:      "grace_style",
		Name:    "Grace style",
		Kind:    KindChoice,
		Group:   "Lateness",
		InSums:  true,
		initial: "lapses",
		Choices: []string{"lapses", "stays"},
		Meaning: "Past the grace every unit is charged (lapses) or only those after it (stays)",
	},
	FineLimit: {
		ID:       "fine_limit",
		Name:     "Fine limit",
		Kind:     KindMoney,
		Nullable: true,
		Group:    "Lateness",
		InSums:   true,
		initial:  "null",
		Meaning:  "The most that one stretch of lateness costs",
	},
	UpToPrice: {
		ID:      "up_to_price",
		Name:    "Up to the price",
		Kind:    KindYesNo,
		Group:   "Lateness",
		InSums:  true,
		initial: "false",
		Meaning: "Lateness never costs more than the item's price, where it is known",
	},
	LendingAllowed: {ID: "lending_allowed", Name: "Lending allowed", Kind: KindYesNo, Group: "Lending", initial: "true",
		Meaning: "Whether it is lent at all"},
	LoansAtOnce: {
		ID:       "loans_at_once",
		Name:     "Loans at once",
		Kind:     KindNumber,
		Unit:     "loans",
		Nullable: true,
		Group:    "Lending",
		initial:  "null",
		Meaning:  "How many loans a patron may have at the same time",
	},
	MaterialAtOnce: {
		ID:       "material_at_once",
		Name:     "Loans at once of the material",
		Kind:     KindNumber,
		Unit:     "loans",
		Nullable: true,
		Group:    "Lending",
		initial:  "null",
		Meaning:  "How many loans of this material class a patron may have at the same time",
	},
	PatronRenewals: {
		ID:      "patron_renewals",
		Name:    "Renewal by the patron",
		Kind:    KindYesNo,
		Group:   "Lending",
		initial: "true",
		Meaning: "Whether patrons may renew by themselves, without staff",
	},
	LeastAge: {ID: "least_age", Name: "Least age", Kind: KindNumber, Unit: "years", Group: "Lending", initial: "0",
		Meaning: "Lent only to patrons of at least this age; 0 is everybody"},
	ConsentNeeded: {ID: "consent_needed", Name: "Consent needed", Kind: KindYesNo, Group: "Lending", initial: "false",
		Meaning: "Whether patrons under 18 need a guardian's consent to older-reader material"},
	LeastYear: {
		ID:      "least_school_year",
		Name:    "Least school year",
		Kind:    KindNumber,
		Unit:    "school years",
		Group:   "Lending",
		initial: "0",
		Meaning: "Pupils borrow it from this school year on; 0 is everybody, and who has no school year is not asked",
	},
	AwaitedPeriod: {
		ID:       "awaited_period",
		Name:     "Period while others wait",
		Kind:     KindDuration,
		Nullable: true,
		Group:    "Lending",
		initial:  "null",
		Meaning:  "How long a title is lent at most while others wait for it; null is as long as always",
	},
	Floating: {ID: "floating", Name: "Returns stay where they are", Kind: KindYesNo, Group: "Moving", initial: "false",
		Meaning: "An item stays on the shelf of the branch it came back to, until somebody elsewhere waits for it"},
	OwedLimit: {ID: "owed_limit", Name: "Owed limit", Kind: KindMoney, Nullable: true, Group: "Stops", initial: "null",
		Meaning: "Owing more than this stops lending; owing exactly this does not"},
	LateItemsLimit: {
		ID:       "late_items_limit",
		Name:     "Late items limit",
		Kind:     KindNumber,
		Unit:     "items",
		Nullable: true,
		Group:    "Stops",
		initial:  "null",
		Meaning:  "More late items than this stop lending",
	},
	HoldsAllowed: {ID: "holds_allowed", Name: "Holds allowed", Kind: KindYesNo, Group: "Holds", initial: "true",
		Meaning: "Whether holds may be placed"},
	HoldsAtOnce: {
		ID:       "holds_at_once",
		Name:     "Holds at once",
		Kind:     KindNumber,
		Unit:     "holds",
		Nullable: true,
		Group:    "Holds",
		initial:  "null",
		Meaning:  "How many holds a patron may have at the same time",
	},
	HoldShelfDays: {
		ID:      "hold_shelf_days",
		Name:    "Hold-shelf time",
		Kind:    KindNumber,
		Unit:    "open days",
		Group:   "Holds",
		initial: "7",
		Meaning: "How many open days an item waits on the hold shelf",
	},
	UncollectedCharge: {
		ID:      "uncollected_charge",
		Name:    "Charge for a hold not collected",
		Kind:    KindMoney,
		Group:   "Holds",
		initial: "0.00",
		Meaning: "Charged when a hold is not fetched from the hold shelf in time",
	},
	NewStaysDays: {
		ID:       "new_stays_days",
		Name:     "New items stay at home for",
		Kind:     KindNumber,
		Unit:     "days",
		Nullable: true,
		Group:    "Holds",
		initial:  "0",
		Meaning:  "For so many days after it was added, an item serves only holds for pickup at its home branch, and does not leave for libraries outside",
	},
	OwnPatronsDays: {
		ID:       "own_patrons_days",
		Name:     "Only own patrons may hold for",
		Kind:     KindNumber,
		Unit:     "days",
		Nullable: true,
		Group:    "Holds",
		initial:  "0",
		Meaning:  "For so many days after it was added, an item serves only holds of patrons whose home branch is its own",
	},
	LostAfter: {
		ID:       "lost_after",
		Name:     "Lost after",
		Kind:     KindNumber,
		Unit:     "days late",
		Nullable: true,
		Group:    "Lost",
		initial:  "null",
		Meaning:  "Days late after which an item is marked lost",
	},
	ProcessingCharge: {
		ID:      "processing_charge",
		Name:    "Processing charge",
		Kind:    KindMoney,
		Group:   "Lost",
		initial: "0.00",
		Meaning: "Charged with the price when an item is lost",
	},
	RefundWithin: {
		ID:      "refund_within",
		Name:    "Refund within",
		Kind:    KindNumber,
		Unit:    "days",
		Group:   "Lost",
		initial: "0",
		Meaning: "Brought back within so many days of being lost, the price is credited",
	},
	LatenessWhenLost: {
		ID:      "lateness_when_lost",
		Name:    "Lateness when lost",
		Kind:    KindChoice,
		Group:   "Lost",
		initial: "dropped",
		Choices: []string{"dropped", "kept"},
		Meaning: "Whether what lateness cost until the item counted as lost is charged beside the price (kept) or not (dropped)",
	},
	MembershipCharge: {
		ID:      "membership_charge",
		Name:    "Membership charge",
		Kind:    KindMoney,
		Group:   "Membership",
		initial: "0.00",
		Meaning: "Charged when a card is extended",
	},
	MembershipLength: {
		ID:      "membership_length",
		Name:    "Membership length",
		Kind:    KindNumber,
		Unit:    "days",
		Group:   "Membership",
		initial: "365",
		Meaning: "For how many days a card is extended, from that day or from when it would have run out",
	},
	InterlibraryAllowed: {
		ID:      "interlibrary_allowed",
		Name:    "Interlibrary allowed",
		Kind:    KindYesNo,
		Group:   "Interlibrary",
		initial: "true",
		Meaning: "Whether something may be asked for from libraries outside",
	},
	InterlibraryAtOnce: {
		ID:       "interlibrary_at_once",
		Name:     "Interlibrary requests at once",
		Kind:     KindNumber,
		Unit:     "requests",
		Nullable: true,
		Group:    "Interlibrary",
		initial:  "null",
		Meaning:  "How many requests to libraries outside a patron may have at the same time",
	},
	InterlibraryCharge: {
		ID:      "interlibrary_charge",
		Name:    "Interlibrary charge",
		Kind:    KindMoney,
		Group:   "Interlibrary",
		initial: "0.00",
		Meaning: "Charged when a library outside is asked",
	},
}

// Info describes the term.
func (t Term) Info() *TermInfo { return &All[t] }

func (t Term) String() string { return All[t].ID }

// TermByID finds a term by its name in files.
func TermByID(id string) (Term, bool) {
	t, ok := byID[id]
	return t, ok
}

var byID = func() map[string]Term {
	m := make(map[string]Term, termCount)
	for t := range All {
		m[All[t].ID] = Term(t)
	}
	return m
}()

func termIDs() []string {
	ids := make([]string, termCount)
	for t := range All {
		ids[t] = All[t].ID
	}
	return ids
}
