package store

import (
	"context"
	"encoding/json"
	"reflect"
	"time"

	"github.com/jackc/pgx/v5/pgtype"
	"gorm.io/gorm/schema"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/exchange"
	"nevrin/core/ledger"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/queue"
	"nevrin/core/role"
	"nevrin/core/rulebook"
)

// Network is the one row that describes the whole network.
type Network struct {
	One          bool `gorm:"primaryKey"`
	Name         string
	Currency     string
	Timezone     string
	FetchMinutes int
	Version      int64
	Settings     json.RawMessage `gorm:"type:jsonb;default:'{}'"`
	Numbers      json.RawMessage `gorm:"type:jsonb"`
	Symbol       string          `gorm:"default:'OURS'"` // ours towards partners
}

func (Network) TableName() string { return "network" }

// Branch is a branch with its calendar in the form of the file formats.
type Branch struct {
	Code           calendar.Code `gorm:"primaryKey"`
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
	Slots          int // of its hold shelf; 0: it goes by name
	Address        string
	Phones         []string       `gorm:"type:text[];serializer:texts"`
	Bins           []string       `gorm:"type:text[];serializer:texts;default:'{}'"` // named places where things are dropped
	BinsNow        bool           // what lies in them counts as when it is scanned, not as the last open day
	ClosedOn       *time.Time     `gorm:"type:date"` // closed for good
	Follows        *calendar.Code // where what belonged there belongs since
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

	FromAge, ToAge *int     // of a patron class: proposed from this age, until before the birthday of that one
	Next           string   // the class that then follows
	Branches       []string `gorm:"type:text[];serializer:texts"` // that offer it; nil: all
	StaffOnly      bool     // of a collection: the public neither finds nor holds it
	Retired        bool     // known, and no longer offered
}

// Choice is one of a list to choose from.
type Choice struct {
	List, Code, Name string
	Position         int
	Amount           *int64 // of a charge, in minor units
	Loud             bool   // a note that shows at every scan of the card
	Retired          bool
}

// Station is a place with a screen and a scanner.
type Station struct {
	ID            int64
	BranchCode    calendar.Code
	Name, Paper   string
	Slips, Sounds bool   // slips print by themselves; sounds are on
	SortRoom      bool   // bins are emptied here; taking back begins with them
	Pad, Terminal string // where its pad and its card terminal are reached; empty: it has none
}

// Staff is somebody who works here.
type Staff struct {
	ID           int64
	Login        string
	Name         string
	Role         role.Role
	BranchCode   calendar.Code
	PasswordHash string
	Demo         bool
	Active       bool
	ShortHash    string // of the short code with which they come back to a station; empty: none
	ShortWrong   int    // wrong tries of it since the last right one

	Rights     json.RawMessage `gorm:"type:jsonb;default:'{}'"` // in the form of core/settings
	Second     string          // the secret of their second factor; empty: none
	SecondStep int64           // the step of the code that was used last
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
	Ranking   []string        `gorm:"type:text[];serializer:texts"`
	Examples  json.RawMessage `gorm:"type:jsonb"`
}

// Report says that terms are wrong, from a branch to the supervisor.
type Report struct {
	ID         int64
	At         time.Time
	StaffID    int64
	Staff      *Staff
	BranchCode calendar.Code
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
	AgainstID *int64 // the edition it is compared with; nil: for each loan the one it was made under
	Against   *Edition
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
	BranchCode    calendar.Code
	HouseholdID   *int64
	Standing      loan.Standing
	CardUntil     *time.Time `gorm:"type:date"`
	Email         string
	Phone         string
	Address       string
	OlderReader   *bool
	Balance       int64 `gorm:"->"`
	HistoryMonths *int  // for how long their history is kept; nil: as the network has settled
	HistorySeen   bool  // staff may see it
	ForgottenAt   *time.Time

	Institution      bool
	Receipt          *string  // what they get of what was lent to them; nil: as the network has settled
	Disputed         int64    `gorm:"-"` // what of the balance is in dispute, where somebody wants to borrow
	OtherPhones      []string `gorm:"type:text[];serializer:texts;default:'{}'"`
	TextNumber       string   // to which texts go
	PostalCode       string
	Town             string
	HomeAddress      string // where they live, if post goes elsewhere
	MailReturned     bool
	InArea           *bool
	GuardianID       *int64
	GuardianName     string // of who answers for a minor and is no patron
	AnswersForAll    bool   // for the whole household
	Identity         string
	IdentityTwo      string
	IdentityNumber   string
	IdentityGuardian bool // the identity that was seen is the guardian's
	School           string
	SchoolYear       string
	Pickup           *calendar.Code // nil: at the home branch
	MayUse           []string       `gorm:"type:text[];serializer:texts;default:'{}'"`
	Marks            []string       `gorm:"type:text[];serializer:texts;default:'{}'"`
	Stopped          string         // why they may look and not borrow
	StandingReason   string
	Internet         string
	Photo            *bool           // may be photographed
	PhotoAt          *time.Time      // when the photograph on the record was taken; nil: there is none
	JoinedOn         *time.Time      `gorm:"type:date"`
	Revision         int             `gorm:"default:1"`
	MergedInto       *int64          // the record that is this person's since
	ConfirmedOn      *time.Time      `gorm:"type:date"` // when they last said that what is written of them is right
	AskBefore        *bool           // ask where they have had a title before; nil: as the network has settled
	Notices          json.RawMessage `gorm:"type:jsonb;default:'{}'"` // by what way they are told of what
}

// Name is how staff address the patron.
func (p *Patron) Name() string {
	if p.PreferredName != "" {
		return p.PreferredName
	}
	return p.LegalName
}

// Cost is the price of an item; nil: not known.
func (i *Item) Cost() *money.Amount {
	if i.Price == nil {
		return nil
	}
	amount := money.Amount(*i.Price)
	return &amount
}

// Title is a work as catalogued.
type Title struct {
	ID     int64
	Name   string
	Author string
	ISBN   string `gorm:"column:isbn"` // ISO 2108, thirteen digits; empty: none
	Year   *int

	Numbers   string // further ISBN and ISSN, with blanks between
	Edition   string
	Publisher string
	Language  string // ISO 639-2
	Series    string
	Subjects  string // with semicolons between
	Summary   string
	Extent    string
	Record    json.RawMessage `gorm:"type:jsonb"` // as it came, in the form of formats/marc
	Source    string          // where it came from, and its number there
	Revision  int             `gorm:"default:1"`
}

// Item is one physical thing with its own barcode.
type Item struct {
	ID         int64
	Barcode    string
	TitleID    int64
	Title      *Title
	BranchCode calendar.Code
	AtBranch   calendar.Code
	Collection string
	Material   string
	CallNumber string
	Price      *int64
	Note       string
	OwnTerms   json.RawMessage `gorm:"type:jsonb"`
	Standing   circulation.ItemStanding
	AddedOn    time.Time `gorm:"type:date"`

	Parts      int    `gorm:"default:1"`
	PartsSay   string // which parts these are
	Edition    string // of this copy, where it is not as its title says
	Volume     string
	Condition  string
	AsideFor   circulation.AsideFor
	HomeUntil  *time.Time     `gorm:"type:date"` // it belongs to BranchCode for a time, until this day
	HomeAfter  *calendar.Code // and then there
	LabelWaits bool
	Revision   int `gorm:"default:1"`
}

// Loan is a loan, open until returned.
type Loan struct {
	ID         int64
	ItemID     int64
	Item       *Item
	PatronID   *int64
	Patron     *Patron
	BranchCode calendar.Code
	EditionID  int64
	Situation  []string `gorm:"type:text[];serializer:texts"`
	LentAt     time.Time
	DueDate    *time.Time `gorm:"type:date"`
	DueAt      *time.Time
	Renewals   int
	RenewedAt  *time.Time
	ReturnedAt *time.Time
	Undone     bool
	LostAt     *time.Time
	FilledHold *int64 // the hold that this loan filled
	FilledFrom queue.State
	Awaited    bool       // others waited for the title when it was lent
	ClaimedAt  *time.Time `gorm:"-"` // since when the patron says that they brought it back
}

// Due is when the loan is due.
func (l *Loan) Due() loan.Due { return DueOf(l.DueDate, l.DueAt) }

// SetDue changes when it is due.
func (l *Loan) SetDue(due loan.Due) { l.DueDate, l.DueAt = DueColumns(due) }

// At is how item and patron were classed when the loan was made.
func (l *Loan) At() rulebook.Situation {
	var at rulebook.Situation
	copy(at[:], l.Situation)
	return at
}

// DueOf reads a due from its two columns, of which one is null.
func DueOf(date, at *time.Time) loan.Due {
	if at != nil {
		return loan.AtInstant(*at)
	}
	return loan.OnDate(*DateOf(date))
}

// DueColumns gives a due for its two columns.
func DueColumns(due loan.Due) (date, at *time.Time) {
	if due.Hours {
		return nil, &due.At
	}
	return Column(due.Date), nil
}

// DateOf reads a date column; nil stays nil.
func DateOf(t *time.Time) *calendar.Date {
	if t == nil {
		return nil
	}
	d := calendar.DateOf(t.UTC())
	return &d
}

// Column gives a date for a date column.
func Column(d calendar.Date) *time.Time {
	t := d.UTC()
	return &t
}

// Hold is a patron waiting for a title at a pickup branch.
type Hold struct {
	ID         int64
	TitleID    int64
	Title      *Title
	PatronID   int64
	Patron     *Patron
	Pickup     calendar.Code
	OnlyItem   *int64
	PlacedAt   time.Time
	Place      float64
	State      queue.State
	ItemID     *int64
	Item       *Item
	FetchAt    *calendar.Code `gorm:"->"` // where its item is to be taken from the shelf
	PromisedAt *time.Time
	ReadyAt    *time.Time
	ShelfUntil *time.Time `gorm:"type:date"`
	ClosedAt   *time.Time
	Why        json.RawMessage `gorm:"type:jsonb"`
	// PausedUntil is the day from which it waits for a copy again; nil: it does now.
	PausedUntil *time.Time `gorm:"type:date;->"`

	Band        queue.Band
	Moved       bool    // to its place by hand
	OnlyEdition *string // of its title's copies, those of one edition only
	OnlyVolume  *string
	WantedUntil *time.Time `gorm:"type:date"` // the last day on which it is of interest
	PassedDays  int        // by so much readers elsewhere came before it
	Slot        *int       // of the hold shelf
	TakenBy     *int64     // who is on the way to its item
	TakenAt     *time.Time
}

// Fits tells whether an item is one that the hold is for.
func (h *Hold) Fits(i *Free) bool {
	return (h.OnlyItem == nil || *h.OnlyItem == i.ID) && (h.OnlyEdition == nil || *h.OnlyEdition == i.Edition) &&
		(h.OnlyVolume == nil || *h.OnlyVolume == i.Volume)
}

// Transit is an item under way.
type Transit struct {
	ID         int64
	ItemID     int64
	Item       *Item
	FromBranch calendar.Code
	ToBranch   calendar.Code
	HoldID     *int64
	Hold       *Hold
	SentAt     time.Time
	PromisedAt *time.Time
	EndedAt    *time.Time
	Why        json.RawMessage `gorm:"type:jsonb"`
	RemindedAt *time.Time      // when both ends were asked to look for it
	ToteID     *int64
}

// Entry is one movement of money on a patron's account.
type Entry struct {
	ID         int64
	PatronID   int64
	Kind       ledger.Kind
	Amount     int64
	Settles    *int64
	Undoes     *int64 // the waiver that it undoes
	LoanID     *int64
	ReceiptID  *int64 // of a payment or reversal that went over the counter
	About      ledger.About
	Reason     string          // of a waiver, as somebody wrote it
	LineID     *int64          // the line of a returns run that caused it
	Why        json.RawMessage `gorm:"type:jsonb"`
	At         time.Time
	StaffID    *int64
	BranchCode *calendar.Code
}

func (Entry) TableName() string { return "ledger" }

// ReturnRun is one emptying of a bin, or one patron at the desk.
type ReturnRun struct {
	ID         int64
	BranchCode calendar.Code
	Mode       string
	Bin        string
	Day        time.Time  `gorm:"type:date"` // the branch's date when it was opened
	CountedAs  *time.Time `gorm:"type:date"` // what returns count as: a date, or an instant; neither: when they happen
	CountedAt  *time.Time
	LetOff     int    // days of lateness, of each return
	Excused    string // why nothing is charged: the library itself was at fault
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
	LoanID   *int64
	PatronID *int64
	Found    circulation.Found
	Sign     json.RawMessage `gorm:"type:jsonb"`
	Why      json.RawMessage `gorm:"type:jsonb"`
	Fine     int64
	ChargeID *int64
	Answer   string
	Undone   bool

	Note       string
	NoteAnswer string
	ThenSign   json.RawMessage `gorm:"type:jsonb"`
	Did        json.RawMessage `gorm:"type:jsonb"`
	Excused    string          // why its lateness was not charged
	StaffID    *int64          // who scanned it
}

// Event is something that happened. Nothing in it names a person but its links.
type Event struct {
	ID         int64
	At         time.Time
	Kind       string
	StaffID    *int64
	BranchCode *calendar.Code
	PatronID   *int64
	ItemID     *int64
	LoanID     *int64
	HoldID     *int64
	RequestID  *int64
	MessageID  *int64
	Request    *string
	Detail     json.RawMessage `gorm:"type:jsonb"`
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
	Channel   string // mail, phone or letter
	Address   string
	Subject   string
	Body      string
	Items     int // of how many things it tells
	State     string
	Tries     int
	Problem   string
	At        time.Time
	BegunAt   *time.Time // real time at which the attempt under way began
	SentAt    *time.Time
}

// Partner is a library outside the network.
type Partner struct {
	ID         int64
	Symbol     string
	Name       string
	SRUURL     string `gorm:"column:sru_url"`
	MessageURL string
	PatronID   int64
}

// Request is an interlibrary request, ours or theirs.
type Request struct {
	ID          int64
	Number      string
	Role        exchange.Role
	PartnerID   int64
	Partner     *Partner
	Stage       exchange.Stage
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
	Pickup      *calendar.Code
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

// texts reads and writes columns of texts as the driver decodes and encodes them.
type texts struct{}

var types = pgtype.NewMap()

func init() { schema.RegisterSerializer("texts", texts{}) }

// Scan reads the column.
func (texts) Scan(ctx context.Context, field *schema.Field, into reflect.Value, from any) error {
	var list []string
	if err := types.SQLScanner(&list).Scan(from); err != nil {
		return err
	}
	return field.Set(ctx, into, list)
}

// Value writes the column.
func (texts) Value(_ context.Context, _ *schema.Field, _ reflect.Value, value any) (any, error) {
	data, err := types.Encode(pgtype.TextArrayOID, pgtype.TextFormatCode, value, nil)
	if data == nil {
		return nil, err
	}
	return string(data), err
}
