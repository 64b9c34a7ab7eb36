package deskdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/loan"
	"nevrin/core/money"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/holdsdb"
	"nevrin/store/loansdb"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
	"nevrin/store/transitsdb"
)

// Facts is an item with what is going on with it.
type Facts struct {
	Item    *stockdb.Item       // with its title
	Loan    *loansdb.Loan       // open loan, with its patron
	Transit *transitsdb.Transit // live transit
	Hold    *holdsdb.Hold       // hold it is meant for (fetching, moving or ready), with its patron

	Awaited   bool   // a hold waits for the title
	Fetched   bool   // another copy of the title is to be fetched for a hold
	Missed    bool   // it was not found on the shelf, and has not been seen since
	Uncleared bool   // it stands on a hold shelf for a hold that has ended
	Supplying int64  // the partner's request that the loan serves; 0: none
	Lender    string // the library outside that it belongs to; empty: ours
	Request   string // under this number
	Lodged    int64  // the request of ours that it came for
}

// Place gives where the item is.
func (facts *Facts) Place() circulation.Place {
	return circulation.Ongoing{
		Lent: facts.Loan != nil, UnderWay: facts.Transit != nil, Held: facts.Hold != nil,
		Ready: facts.Hold != nil && facts.Hold.State == queue.Ready, Standing: facts.Item.Standing,
	}.Place()
}

// Elsewhere tells whether the item is anywhere but free on its shelf.
func (facts *Facts) Elsewhere() bool {
	return facts.Place() != circulation.PlaceShelf
}

// ItemRow is the facts of an item as one row.
type ItemRow struct {
	ID, TitleID                           int64
	Barcode                               string
	BranchCode, AtBranch                  calendar.Code
	Collection, Material, CallNumber      string
	Note, TitleName, Author               string
	Standing                              circulation.ItemStatus
	Price                                 *money.Amount
	OwnTerms                              json.RawMessage
	AddedOn                               time.Time
	Parts                                 int
	PartsSay                              string
	Edition, Volume                       string
	AsideFor                              circulation.AsideFor
	HomeUntil                             *time.Time
	HomeAfter                             *calendar.Code
	LoanID, LoanPatron, LoanEdition       *int64
	LoanBranch                            *calendar.Code
	LoanSituation                         []string
	LentAt, DueDate, DueAt, RenewedAt     *time.Time
	ClaimedAt                             *time.Time
	LostAt                                *time.Time
	Renewals                              *int
	BorrowerLegal, BorrowerPreferred      *string
	BorrowerClass                         *string
	BorrowerStanding                      *loan.Status
	BorrowerUntil                         *time.Time
	BorrowerBalance                       *money.Amount
	BorrowerStopped, BorrowerReason       *string
	BorrowerInstitution                   *bool
	BorrowerBranch                        *calendar.Code
	BorrowerDisputed                      *money.Amount
	TransitID, TransitHold, TransitTote   *int64
	FromBranch, ToBranch                  *calendar.Code
	SentAt, TransitPromised               *time.Time
	HoldID, HoldPatron                    *int64
	HoldState                             *string
	HoldPickup                            *calendar.Code
	HoldPromised, HoldReady, HoldUntil    *time.Time
	HoldSlot                              *int
	HoldRequest                           *int64
	HoldWhy                               json.RawMessage
	HolderLegal, HolderPreferred          *string
	HolderShelf, HolderClass, HolderEmail *string
	HolderPhone, HolderText               *string
	HolderAddress                         *string
	HolderReturned                        *bool // email to them came back
	HolderPostal, HolderTown              *string
	HolderNotices                         json.RawMessage
	HolderBranch                          *calendar.Code
	HolderMayUse                          []string
	HolderHousehold                       *int64
	Awaited, Fetched, Missed, Uncleared   bool
	Supplying, Lodged                     *int64
	Lender, Request                       *string
}

// SelectItem asks for rows of ItemRow; the condition on item i follows it.
var SelectItem = `SELECT i.id, i.title_id, i.barcode, i.branch_code, i.at_branch, i.collection, i.material,
		i.call_number, i.note, i.standing,
		t.name AS title_name, t.author, i.price, i.own_terms, i.added_on, i.parts, i.parts_say, i.edition, i.volume,
		i.aside_for, i.home_until, i.home_after,
		l.id AS loan_id, l.patron_id AS loan_patron, l.edition_id AS loan_edition, l.branch_code AS loan_branch,
			l.situation AS loan_situation,
		l.lent_at, l.due_date, l.due_at, l.renewed_at, l.lost_at, l.renewals, cl.at AS claimed_at,
		b.legal_name AS borrower_legal, b.preferred_name AS borrower_preferred, b.class AS borrower_class,
			b.branch_code AS borrower_branch,
			b.standing AS borrower_standing,
		b.card_until AS borrower_until, b.balance AS borrower_balance, b.stopped AS borrower_stopped,
		b.standing_reason AS borrower_reason, b.institution AS borrower_institution,
		` + accountsdb.Disputed("b", "borrower_disputed") + `,
		r.id AS transit_id, r.hold_id AS transit_hold, r.from_branch, r.to_branch, r.sent_at,
			r.promised_at AS transit_promised, r.tote_id AS transit_tote,
		h.id AS hold_id, h.patron_id AS hold_patron, h.pickup AS hold_pickup, h.state AS hold_state,
			h.promised_at AS hold_promised,
		h.ready_at AS hold_ready, h.shelf_until AS hold_until, h.slot AS hold_slot, h.why AS hold_why, h.request_id AS hold_request,
		p.legal_name AS holder_legal, p.preferred_name AS holder_preferred, p.shelf_name AS holder_shelf,
			p.class AS holder_class,
		p.email AS holder_email, p.phone AS holder_phone, p.text_number AS holder_text,
		p.email_returned AS holder_returned, p.address AS holder_address, p.postal_code AS holder_postal,
		p.town AS holder_town, p.notices AS holder_notices, p.branch_code AS holder_branch, p.may_use AS holder_may_use,
		p.household_id AS holder_household,
		EXISTS (SELECT 1 FROM holds w WHERE w.title_id = i.title_id AND w.state = 'waiting'
			AND w.paused_until IS NULL) AS awaited,
		EXISTS (SELECT 1 FROM holds w WHERE w.title_id = i.title_id AND w.state = 'fetching' AND w.closed_at IS NULL
			AND w.item_id <> i.id) AS fetched,
		EXISTS (SELECT 1 FROM misses m WHERE m.item_id = i.id AND m.seen_at IS NULL) AS missed,
		EXISTS (SELECT 1 FROM holds u WHERE u.item_id = i.id AND u.state IN ('lapsed', 'cancelled')
			AND NOT u.cleared) AS uncleared,
		(SELECT q.id FROM requests q WHERE q.loan_id = l.id AND q.role = 'supplying' AND q.stage IN ('promised',
			'shipped', 'there', 'back')) AS supplying,
		o.id AS lodged, o.number AS request, o.lender
	FROM items i
	JOIN titles t ON t.id = i.title_id
	LEFT JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL
	LEFT JOIN patrons b ON b.id = l.patron_id
	LEFT JOIN claims cl ON cl.loan_id = l.id AND cl.undone_at IS NULL AND cl.what = 'returned'
	LEFT JOIN transits r ON r.item_id = i.id AND r.ended_at IS NULL
	LEFT JOIN holds h ON h.item_id = i.id AND h.state IN ('fetching', 'moving', 'ready')
	LEFT JOIN patrons p ON p.id = h.patron_id
	LEFT JOIN LATERAL (SELECT q.id, q.number, n.name AS lender FROM requests q JOIN partners n ON n.id = q.partner_id
		WHERE i.material = 'interlibrary' AND q.item_id = i.id AND q.role = 'requesting') o ON true
	WHERE `

func (r *ItemRow) Facts() *Facts {
	facts := &Facts{Awaited: r.Awaited, Fetched: r.Fetched, Missed: r.Missed, Uncleared: r.Uncleared}
	facts.Item = &stockdb.Item{
		ID: r.ID, Barcode: r.Barcode, TitleID: r.TitleID, BranchCode: r.BranchCode, AtBranch: r.AtBranch,
		Collection: r.Collection, Material: r.Material, CallNumber: r.CallNumber, Price: r.Price, Note: r.Note,
		OwnTerms: r.OwnTerms, Standing: r.Standing, AddedOn: r.AddedOn,
		Edition: r.Edition, Volume: r.Volume,
		Parts: r.Parts, PartsSay: r.PartsSay, AsideFor: r.AsideFor, HomeUntil: r.HomeUntil, HomeAfter: r.HomeAfter,
		Title: &stockdb.Title{ID: r.TitleID, Name: r.TitleName, Author: r.Author},
	}
	if r.LoanID != nil {
		facts.Loan = &loansdb.Loan{
			ID: *r.LoanID, ItemID: r.ID, PatronID: r.LoanPatron, BranchCode: *r.LoanBranch, EditionID: *r.LoanEdition,
			Situation: r.LoanSituation, LentAt: *r.LentAt, DueDate: r.DueDate, DueAt: r.DueAt, Renewals: *r.Renewals,
			RenewedAt: r.RenewedAt, LostAt: r.LostAt, ClaimedAt: r.ClaimedAt,
			Patron: &peopledb.Patron{
				ID: *r.LoanPatron, LegalName: *r.BorrowerLegal, PreferredName: *r.BorrowerPreferred,
				Class: *r.BorrowerClass, BranchCode: *r.BorrowerBranch,
				Standing: *r.BorrowerStanding, CardUntil: r.BorrowerUntil, Balance: *r.BorrowerBalance,
				Stopped: *r.BorrowerStopped, StandingReason: *r.BorrowerReason, Institution: *r.BorrowerInstitution,
				Disputed: *r.BorrowerDisputed,
			},
		}
	}
	if r.TransitID != nil {
		facts.Transit = &transitsdb.Transit{
			ID: *r.TransitID, ItemID: r.ID, FromBranch: *r.FromBranch, ToBranch: *r.ToBranch, HoldID: r.TransitHold,
			SentAt: *r.SentAt, PromisedAt: r.TransitPromised, ToteID: r.TransitTote,
		}
	}
	if r.HoldID != nil {
		facts.Hold = &holdsdb.Hold{
			ID: *r.HoldID, TitleID: r.TitleID, PatronID: *r.HoldPatron, Pickup: *r.HoldPickup,
			State:  queue.State(*r.HoldState),
			ItemID: &facts.Item.ID, PromisedAt: r.HoldPromised, ReadyAt: r.HoldReady, ShelfUntil: r.HoldUntil,
			Why: r.HoldWhy, Slot: r.HoldSlot, RequestID: r.HoldRequest,
			Patron: &peopledb.Patron{
				ID: *r.HoldPatron, LegalName: *r.HolderLegal, PreferredName: *r.HolderPreferred,
				ShelfName: *r.HolderShelf,
				Class:     *r.HolderClass, Email: *r.HolderEmail, BranchCode: *r.HolderBranch,
				Phone: *r.HolderPhone, TextNumber: *r.HolderText, EmailReturned: *r.HolderReturned,
				Address: *r.HolderAddress, PostalCode: *r.HolderPostal, Town: *r.HolderTown,
				Notices: r.HolderNotices,
				MayUse:  r.HolderMayUse, HouseholdID: r.HolderHousehold,
			},
		}
	}
	if r.Supplying != nil {
		facts.Supplying = *r.Supplying
	}
	if r.Lodged != nil {
		facts.Lodged, facts.Request, facts.Lender = *r.Lodged, *r.Request, *r.Lender
	}
	return facts
}

// AskItem asks for the facts of an item, by its barcode or its id.
func AskItem(q *store.Questions, into *[]ItemRow, barcode string, id int64) {
	if barcode != "" {
		store.Ask(q, into, SelectItem+"i.barcode = $1", barcode)
		return
	}
	store.Ask(q, into, SelectItem+"i.id = $1", id)
}

// Settled makes facts of rows that were asked for under a lock; nil where there is no such item. Whoever had the item
// on loan when the lock was asked for may no longer be who has it now.
func Settled(tx *store.Tx, rows []ItemRow) (*Facts, error) {
	if len(rows) == 0 {
		return nil, nil
	}
	facts := rows[0].Facts()
	if facts.Loan != nil && facts.Loan.PatronID != nil && !tx.Locked().HoldsPatron(*facts.Loan.PatronID) ||
		!tx.Locked().HoldsTitle(facts.Item.TitleID) {
		return nil, store.ErrMoved
	}
	return facts, nil
}

// ItemFacts locks an item's title and borrower, and gives what is going on with it; nil where no item has the number.
func ItemFacts(tx *store.Tx, barcode string) (*Facts, error) {
	return itemFacts(tx, store.Lock{Barcode: barcode}, barcode, 0)
}

// ItemFactsByID does the same by the item's id.
func ItemFactsByID(tx *store.Tx, id int64) (*Facts, error) {
	return itemFacts(tx, store.Lock{Item: id}, "", id)
}

func itemFacts(tx *store.Tx, l store.Lock, barcode string, id int64) (*Facts, error) {
	q := &store.Questions{}
	tx.LockFirst(l, q)
	var rows []ItemRow
	AskItem(q, &rows, barcode, id)
	if err := tx.Send(q); err != nil {
		return nil, err
	}
	return Settled(tx, rows)
}

// LookAtItem gives what is going on with an item without locking anything, for questions.
func LookAtItem(tx *store.Tx, id int64) (*Facts, error) {
	rows, err := store.List[ItemRow](tx, SelectItem+"i.id = $1", id)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return rows[0].Facts(), nil
}

// LoanFacts locks a loan's patron and title, and gives its item and itself; nil where there is no such loan. The loan
// need not be open: the facts' own loan is the one that is.
func LoanFacts(tx *store.Tx, id int64) (*Facts, *loansdb.Loan, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Loan: id}, q)
	var items []ItemRow
	var loans []loansdb.Loan
	store.Ask(q, &loans, "SELECT "+loansdb.LoanColumns+" FROM loans l WHERE l.id = $1", id)
	store.Ask(q, &items, SelectItem+"i.id = (SELECT item_id FROM loans WHERE id = $1)", id)
	if err := tx.Send(q); err != nil {
		return nil, nil, err
	}
	if len(loans) == 0 {
		return nil, nil, nil
	}
	// Somebody else may have the item by now; only whose loan this is has been locked, and no more is needed.
	facts := items[0].Facts()
	return facts, &loans[0], nil
}
