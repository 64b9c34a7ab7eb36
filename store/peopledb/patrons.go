package peopledb

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/person"
	"nevrin/store"
	"nevrin/store/stockdb"
)

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
	Standing      loan.Status
	CardUntil     *time.Time `gorm:"type:date"`
	Email         string
	Phone         string
	Address       string
	OlderReader   *bool
	Balance       money.Amount `gorm:"->"`
	HistoryMonths *int         // for how long their history is kept; nil: as the network has settled
	HistorySeen   bool         // staff may see it
	ForgottenAt   *time.Time

	Institution      bool
	Receipt          *string      // what they get of what was lent to them; nil: as the network has settled
	Disputed         money.Amount `gorm:"-"` // what of the balance is in dispute, where somebody wants to borrow
	OtherPhones      []string     `gorm:"type:text[];serializer:texts;default:'{}'"`
	TextNumber       string       // to which texts go
	PostalCode       string
	Town             string
	HomeAddress      string // where they live, if post goes elsewhere
	MailReturned     bool
	EmailReturned    bool   // email to the address came back
	Language         string // of messages; empty: the network's first
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

// Name gives the patron's preferred name, or else the legal one.
func (p *Patron) Name() string {
	if p.PreferredName != "" {
		return p.PreferredName
	}
	return p.LegalName
}

// PatronColumns are the columns of a Patron, of patrons p.
const PatronColumns = `p.id, p.card, p.legal_name, p.preferred_name, p.shelf_name, p.born, p.class, p.branch_code,
		p.household_id, p.standing,
	p.card_until, p.email, p.phone, p.address, p.older_reader, p.balance, p.history_months, p.history_seen,
		p.forgotten_at, p.institution, p.other_phones, p.text_number, p.postal_code, p.town, p.home_address,
		p.mail_returned,
	p.in_area, p.guardian_id, p.guardian_name, p.answers_for_all, p.identity, p.identity_two, p.identity_number,
	p.school,
	p.school_year, p.pickup, p.may_use, p.marks, p.stopped, p.standing_reason, p.internet, p.photo, p.photo_at,
	p.joined_on, p.revision,
	p.merged_into, p.identity_guardian, p.confirmed_on, p.ask_before, p.notices, p.receipt, p.email_returned, p.language`

// PatronByID gives a patron; nil where there is none.
func PatronByID(tx *store.Tx, id int64) (*Patron, error) {
	return store.One[Patron](tx, "SELECT "+PatronColumns+" FROM patrons p WHERE p.id = $1", id)
}

// PatronByCard gives the patron with a card number; nil where nobody has it.
func PatronByCard(tx *store.Tx, card string) (*Patron, error) {
	return store.One[Patron](tx, "SELECT "+PatronColumns+" FROM patrons p WHERE p.card = $1", card)
}

// PatronLocked locks a patron and gives them; nil where there is none.
func PatronLocked(tx *store.Tx, id int64) (*Patron, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: []int64{id}}, q)
	var rows []Patron
	store.Ask(q, &rows, "SELECT "+PatronColumns+" FROM patrons p WHERE p.id = $1", id)
	if err := tx.Send(q); err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// PatronAndTitle locks a patron and a title and gives both; nil where there is none.
func PatronAndTitle(tx *store.Tx, patron, title int64) (*Patron, *stockdb.Title, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: []int64{patron}, Titles: []int64{title}}, q)
	var patrons []Patron
	var titles []stockdb.Title
	store.Ask(q, &patrons, "SELECT "+PatronColumns+" FROM patrons p WHERE p.id = $1", patron)
	store.Ask(q, &titles, "SELECT id, name, author, isbn, year FROM titles WHERE id = $1", title)
	if err := tx.Send(q); err != nil {
		return nil, nil, err
	}
	var p *Patron
	var b *stockdb.Title
	if len(patrons) > 0 {
		p = &patrons[0]
	}
	if len(titles) > 0 {
		b = &titles[0]
	}
	return p, b, nil
}

// PatronsAndTitle locks patrons and a title, and gives all that there are.
func PatronsAndTitle(tx *store.Tx, ids []int64, title int64) (map[int64]*Patron, *stockdb.Title, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: ids, Titles: []int64{title}}, q)
	var patrons []Patron
	var titles []stockdb.Title
	store.Ask(q, &patrons, "SELECT "+PatronColumns+" FROM patrons p WHERE p.id = ANY($1)", ids)
	store.Ask(q, &titles, "SELECT id, name, author, isbn, year FROM titles WHERE id = $1", title)
	if err := tx.Send(q); err != nil {
		return nil, nil, err
	}
	out := map[int64]*Patron{}
	for k := range patrons {
		out[patrons[k].ID] = &patrons[k]
	}
	if len(titles) == 0 {
		return out, nil, nil
	}
	return out, &titles[0], nil
}

// CardUntil writes until when a patron's card holds.
func CardUntil(tx *store.Tx, patron int64, until time.Time) {
	tx.QueueOne("UPDATE patrons SET card_until = $2 WHERE id = $1", patron, until)
}

// KeepLanguage writes in which language a patron wants to be written to.
func KeepLanguage(tx *store.Tx, patron int64, language string) {
	tx.QueueOne("UPDATE patrons SET language = $2, revision = revision + 1 WHERE id = $1", patron, language)
}

// ClassifyPatron writes how a patron is classed.
func ClassifyPatron(tx *store.Tx, patron int64, class string) {
	tx.QueueOne("UPDATE patrons SET class = $2 WHERE id = $1", patron, class)
}

// FindPatrons gives a page of the patrons in whose names, numbers or email address every word stands, in whose family name, what follows the
// first word of their legal name, some words begin a word, of whose names others begin one, and who were born on a day, as far as these are
// given. Those of a branch come first.
func FindPatrons(tx *store.Tx, sought person.Sought, born *time.Time, own calendar.Code, page store.Page) ([]Patron, store.Page, error) {
	where, args := store.WordsIn("p.words", strings.Join(sought.Words, " "))
	for _, given := range sought.Given {
		args = append(args, "% "+store.Like(strings.ToLower(given))+"%")
		where += fmt.Sprintf(" AND ' ' || lower(p.legal_name || ' ' || p.preferred_name) LIKE $%d", len(args))
	}
	if len(sought.Family) > 0 {
		args = append(args, "% "+store.Like(strings.ToLower(strings.Join(sought.Family, " ")))+"%")
		where += fmt.Sprintf(" AND (lower(p.legal_name) LIKE $%d OR p.legal_name NOT LIKE '%% %%')", len(args))
	}
	if born != nil {
		if len(args) == 0 {
			where = "true"
		}
		args = append(args, *born)
		where += fmt.Sprintf(" AND p.born = $%d::date", len(args))
	}
	where += " AND p.forgotten_at IS NULL AND p.merged_into IS NULL"
	args = append(args, own)
	order := fmt.Sprintf("(CASE p.branch_code WHEN $%d THEN '0' ELSE '1' END || p.legal_name)", len(args))
	return store.Paged(
		tx,
		page,
		func(p *Patron) store.Cursor {
			first := "1"
			if p.BranchCode == own {
				first = "0"
			}
			return store.Cursor{Text: first + p.LegalName, ID: p.ID}
		},
		`SELECT `+PatronColumns+` FROM patrons p WHERE `+where+` AND `+store.After(order, "p.id", len(args))+` ORDER BY `+order+`, p.id`,
		args...)
}

// ChooseReceipt writes what a patron gets of what was lent to them; empty: as the network has settled.
func ChooseReceipt(tx *store.Tx, patron int64, what string) {
	tx.QueueOne("UPDATE patrons SET receipt = nullif($2, '') WHERE id = $1", patron, what)
}
