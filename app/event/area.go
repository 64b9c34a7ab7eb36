package event

import (
	"strconv"
	"strings"
)

// Area is a part of the work whose figures and lists an event changes.
type Area string

// ofPatron begins the area that is what one patron has, owes and waits for, wherever it changes: whoever looks at their card is told.
const ofPatron = "patron "

// OfPatron is the area of one patron.
func OfPatron(id int64) Area { return Area(ofPatron + strconv.FormatInt(id, 10)) }

// IsOfPatron tells whether an area is that of one patron.
func (a Area) IsOfPatron() bool { return strings.HasPrefix(string(a), ofPatron) }

// The areas. Everything stands for all of them, where nobody knows what was missed.
const (
	Counter      Area = "counter"
	Holds        Area = "holds" // with items under way, which serve them
	Interlibrary Area = "interlibrary"
	Notices      Area = "notices"
	Rules        Area = "rules"
	Calendars    Area = "calendars"
	Sweeps       Area = "sweeps" // changes of many records
	Everything   Area = "everything"
)

var areas = map[Kind][]Area{
	Lent: {Counter}, LoanUndone: {Counter, Holds}, Returned: {Counter}, ReturnUndone: {Counter, Holds},
	Renewed: {Counter}, DueMoved: {Counter}, DueMovedBack: {Counter}, Lost: {Counter},
	PhotoTaken: {Counter}, PhotoDropped: {Counter}, CardNotPaid: {Counter},
	PaymentReversed: {Counter}, WaiverUndone: {Counter}, PaidOut: {Counter}, ChargeTakenBack: {Counter}, Disputed: {Counter},
	DisputeEnded: {Counter},
	Invoiced:     {Counter}, InvoiceWithdrawn: {Counter}, TillOpened: {Counter}, TillMoved: {Counter},
	TillClosed: {Counter}, ReceiptsAssigned: {Counter}, ReceiptsTakenOut: {Counter},
	Charged: {Counter}, Paid: {Counter}, Waived: {Counter}, Refunded: {Counter},
	HoldPlaced: {Holds}, HoldRouted: {Holds}, HoldReady: {Holds}, HoldFilled: {Holds}, HoldCancelled: {Holds},
	HoldLapsed: {Holds}, HoldPutBack: {Holds}, HoldReopened: {Holds}, ShelfMoved: {Holds}, ShelfMovedBack: {Holds},
	Missed: {Holds}, Missing: {Holds}, Found: {Holds}, Sent: {Holds}, Received: {Holds}, TransitEnded: {Holds},
	TransitUndone: {Holds}, Noted: {Counter}, NoteOff: {Counter}, SetAside: {Counter}, Withdrawn: {Counter},
	BackInUse: {Counter}, ItemClassed: {Counter}, PatronClassed: {Counter}, CardExtended: {Counter},
	Joined: {Counter}, RecordChanged: {Counter}, StandingChanged: {Counter}, CardReplaced: {Counter}, PINSet: {},
	CardNoted: {
		Counter,
	}, CardNoteOff: {Counter}, Consented: {Counter}, NoticesChosen: {Counter}, DetailsConfirmed: {Counter},
	Merged: {Counter, Holds}, Unmerged: {Counter, Holds}, HoldRevived: {Holds}, HoldChangedBack: {Holds},
	RosterChanged: {Counter},
	Claimed:       {Counter}, ClaimUndone: {Counter}, DueChanged: {Counter},
	SignedUp: {Counter}, SignUpAnswered: {Counter},
	TitleAdded: {Counter}, TitleChanged: {Counter}, ItemAdded: {Counter}, ItemChanged: {Counter},
	StockChanged: {Counter}, Looked: {Counter},
	Inventoried: {Counter}, TakenOut: {}, Intake: {Counter, Holds}, CameIn: {Counter},
	HoldPaused: {Holds}, PickupMoved: {Holds}, HoldMoved: {Holds}, HoldWanted: {Holds}, HeldLonger: {Holds},
	MissUndone: {Holds}, UnderWayAgain: {Holds}, StrayAsked: {Holds},
	CountedAs: {Counter}, BranchChanged: {}, Told: {Notices, Counter}, MailingSent: {Notices},
	MailingDropped: {Notices}, MessageSettled: {Notices}, AskedOutside: {Interlibrary},
	ArrivedOutside: {Interlibrary, Holds}, SentHome: {Interlibrary}, RequestSeen: {Interlibrary},
	Packed: {Interlibrary, Counter}, Unpacked: {Interlibrary, Counter},
	RequestWithdrawn: {Interlibrary}, PartnerAsks: {Interlibrary}, PartnerSays: {Interlibrary}, Rulebook: {Rules},
	Rehearsed: {Rules}, RehearsalStopped: {Rules}, Reported: {Rules}, ReportAnswered: {Rules},
	CalendarChanged: {Calendars, Holds, Counter}, CalendarUndone: {Calendars, Holds, Counter}, ClockMoved: {Everything},
	MessageReturned: {Notices, Counter}, SweepApplied: {Sweeps}, SweepUndone: {Sweeps},
}

// Areas are the parts of the work that an event changes; all of them for a kind that nobody has placed.
func (k Kind) Areas() []Area {
	if of, ok := areas[k]; ok {
		return of
	}
	return []Area{Everything}
}
