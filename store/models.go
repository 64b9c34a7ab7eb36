package store

import (
	"encoding/json"
	"time"

	"github.com/lib/pq"
)

// Network is the one row that describes the whole network.
type Network struct {
	One          bool `gorm:"primaryKey"`
	Name         string
	Digits       string
	Currency     string
	Timezone     string
	FetchMinutes int
	Version      int64
}

func (Network) TableName() string { return "network" }

// Branch is a branch with its calendar in the form of the file formats.
type Branch struct {
	Code           string `gorm:"primaryKey"`
	Name           string
	Zone           string
	Timezone       string
	Position       int
	Hours          json.RawMessage `gorm:"type:jsonb"`
	Closures       json.RawMessage `gorm:"type:jsonb"`
	Openings       json.RawMessage `gorm:"type:jsonb"`
	Recurring      json.RawMessage `gorm:"type:jsonb;default:'[]'"` // closures that come again, with a rule of RFC 5545
	SortMinutes    int
	ReceiveMinutes int
	PublicShelf    bool
}

// Run is a run of the courier in the form of the file format.
type Run struct {
	ID       string `gorm:"primaryKey"`
	Position int
	Plan     json.RawMessage `gorm:"type:jsonb"`
}

// Class is a patron class, material class or collection.
type Class struct {
	Kind     string
	Code     string
	Name     string
	Position int
}

// Staff is somebody who works here.
type Staff struct {
	ID           int64
	Login        string
	Name         string
	Role         string
	BranchCode   string
	PasswordHash string
	Demo         bool
	Active       bool
}

func (Staff) TableName() string { return "staff" }

// Edition is one edition of the rulebook.
type Edition struct {
	ID        int64
	Number    int
	State     string
	StartsOn  *time.Time `gorm:"type:date"`
	StartedAt *time.Time
	Name      string
	Rules     json.RawMessage `gorm:"type:jsonb"`
	FromID    *int64
	Revision  int
	Reason    string
	Ranking   pq.StringArray  `gorm:"type:text[]"`
	Examples  json.RawMessage `gorm:"type:jsonb"`
}

// Report says that terms are wrong, from a branch to the supervisor.
type Report struct {
	ID         int64
	At         time.Time
	StaffID    int64
	Staff      *Staff
	BranchCode string
	PatronID   *int64
	Patron     *Patron
	ItemID     *int64
	Item       *Item
	LoanID     *int64
	Loan       *Loan
	Happened   string
	Expected   string
	Answer     string
	AnsweredBy *int64
	AnsweredAt *time.Time
}

// Rehearsal is a draft tried on what really happened.
type Rehearsal struct {
	ID        int64
	EditionID int64
	Edition   *Edition
	Revision  int
	Since     time.Time `gorm:"type:date"`
	Until     time.Time `gorm:"type:date"`
	State     string
	Done      int
	Total     int
	Result    json.RawMessage `gorm:"type:jsonb"`
	Problem   string
	StaffID   int64
	BegunAt   time.Time
	Seconds   float64
}

// Patron is a person who borrows.
type Patron struct {
	ID            int64
	Card          string
	LegalName     string
	PreferredName string
	ShelfName     string
	Born          *time.Time `gorm:"type:date"`
	Class         string
	BranchCode    string
	HouseholdID   *int64
	Standing      string
	CardUntil     *time.Time `gorm:"type:date"`
	Email         string
	Phone         string
	Address       string
	Note          string
	OlderReader   *bool
	Balance       int64 `gorm:"->"`
}

// Name is how staff address the patron.
func (p *Patron) Name() string {
	if p.PreferredName != "" {
		return p.PreferredName
	}
	return p.LegalName
}

// Title is a work as catalogued.
type Title struct {
	ID     int64
	Name   string
	Author string
	ISBN   string `gorm:"column:isbn"`
	Year   *int
}

// Item is one physical thing with its own barcode.
type Item struct {
	ID         int64
	Barcode    string
	TitleID    int64
	Title      *Title
	BranchCode string
	AtBranch   string
	Collection string
	Material   string
	CallNumber string
	Price      *int64
	Note       string
	OwnTerms   json.RawMessage `gorm:"type:jsonb"`
	Standing   string
	AddedOn    time.Time `gorm:"type:date"`
}

// Loan is a loan, open until returned.
type Loan struct {
	ID         int64
	ItemID     int64
	Item       *Item
	PatronID   *int64
	Patron     *Patron
	BranchCode string
	EditionID  int64
	Situation  pq.StringArray `gorm:"type:text[]"`
	LentAt     time.Time
	DueDate    *time.Time `gorm:"type:date"`
	DueAt      *time.Time
	Renewals   int
	RenewedAt  *time.Time
	ReturnedAt *time.Time
	Undone     bool
	LostAt     *time.Time
}

// Hold is a patron waiting for a title at a pickup branch.
type Hold struct {
	ID         int64
	TitleID    int64
	Title      *Title
	PatronID   int64
	Patron     *Patron
	Pickup     string
	OnlyItem   *int64
	PlacedAt   time.Time
	Place      float64
	State      string
	ItemID     *int64
	Item       *Item
	PromisedAt *time.Time
	ReadyAt    *time.Time
	ShelfUntil *time.Time `gorm:"type:date"`
	ClosedAt   *time.Time
	Why        json.RawMessage `gorm:"type:jsonb"`
}

// Transit is an item under way.
type Transit struct {
	ID         int64
	ItemID     int64
	Item       *Item
	FromBranch string
	ToBranch   string
	HoldID     *int64
	Hold       *Hold
	SentAt     time.Time
	PromisedAt *time.Time
	EndedAt    *time.Time
	Why        json.RawMessage `gorm:"type:jsonb"`
}

// Entry is one movement of money on a patron's account.
type Entry struct {
	ID         int64
	PatronID   int64
	Kind       string
	Amount     int64
	Settles    *int64
	LoanID     *int64
	Means      string
	Reason     string
	About      string          // late, lost, processing, or anything else
	Why        json.RawMessage `gorm:"type:jsonb"`
	At         time.Time
	StaffID    *int64
	BranchCode *string
}

func (Entry) TableName() string { return "ledger" }

// ReturnRun is one emptying of a bin, or one patron at the desk.
type ReturnRun struct {
	ID         int64
	BranchCode string
	Mode       string
	CountedAs  *time.Time `gorm:"type:date"`
	StaffID    int64
	OpenedAt   time.Time
	FinishedAt *time.Time
}

// ReturnLine is one scan of a returns run.
type ReturnLine struct {
	ID       int64
	RunID    int64
	At       time.Time
	Text     string
	ItemID   *int64
	Item     *Item
	LoanID   *int64
	PatronID *int64
	Patron   *Patron
	Found    string
	Sign     json.RawMessage `gorm:"type:jsonb"`
	Why      json.RawMessage `gorm:"type:jsonb"`
	Fine     int64
	ChargeID *int64
	Answer   string
	Undone   bool

	Note       string
	NoteAnswer string
	ThenSign   json.RawMessage `gorm:"type:jsonb"`
}

// Event is something that happened.
type Event struct {
	ID         int64
	At         time.Time
	Kind       string
	StaffID    *int64
	BranchCode *string
	PatronID   *int64
	ItemID     *int64
	LoanID     *int64
	HoldID     *int64
	RequestID  *int64
	Text       string
	Why        json.RawMessage `gorm:"type:jsonb"`
}

// Mailing is one batch of notices of a stage for a day.
type Mailing struct {
	ID     int64
	Stage  string
	Day    time.Time `gorm:"type:date"`
	State  string
	SentAt *time.Time
}

// Message is one message to one patron.
type Message struct {
	ID        int64
	MailingID *int64
	Stage     string
	PatronID  int64
	Patron    *Patron
	Address   string
	Subject   string
	Body      string
	State     string
	Tries     int
	Problem   string
	At        time.Time
	SentAt    *time.Time
}

// Partner is a library outside the network.
type Partner struct {
	ID         int64
	Symbol     string
	Name       string
	SRUURL     string `gorm:"column:sru_url"`
	MessageURL string
	Secret     string
	PatronID   int64
}

// Request is an interlibrary request, ours or theirs.
type Request struct {
	ID          int64
	Number      string
	Role        string
	PartnerID   int64
	Partner     *Partner
	Stage       string
	Withdrawing bool
	Seen        bool
	Title       string
	Author      string
	ISBN        string `gorm:"column:isbn"`
	Record      string
	Note        string
	NeededBy    *time.Time `gorm:"type:date"`
	Due         *time.Time `gorm:"type:date"`
	PatronID    *int64
	Patron      *Patron
	Pickup      *string
	ItemID      *int64
	Item        *Item
	LoanID      *int64
	LastNote    string
	BegunAt     time.Time
	MovedAt     time.Time
}

// Exchange is one message of a request.
type Exchange struct {
	ID        int64
	RequestID int64
	Outgoing  bool
	Kind      string
	Body      string
	State     string
	Problem   string
	Tries     int
	At        time.Time
}
