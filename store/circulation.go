package store

import (
	"encoding/json"
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/loan"
	"nevrin/core/queue"
)

// Facts is an item with what is going on with it.
type Facts struct {
	Item    *Item    // with its title
	Loan    *Loan    // open loan, with its patron
	Transit *Transit // live transit
	Hold    *Hold    // hold it is meant for (fetching, moving or ready), with its patron

	Awaited   bool   // a hold waits for the title
	Fetched   bool   // another copy of the title is to be fetched for a hold
	Missed    bool   // it was not found on the shelf, and has not been seen since
	Uncleared bool   // it stands on a hold shelf for a hold that has ended
	Supplying int64  // the partner's request that the loan serves; 0: none
	Lender    string // the library outside that it belongs to; empty: ours
	Request   string // under this number
	Lodged    int64  // the request of ours that it came for
}

// Place is where the item is.
func (f *Facts) Place() circulation.Place {
	switch {
	case f.Loan != nil:
		return circulation.PlaceLent
	case f.Transit != nil:
		return circulation.PlaceUnderWay
	case f.Hold != nil && f.Hold.State == queue.Ready:
		return circulation.PlaceHoldShelf
	case f.Hold != nil:
		return circulation.PlaceFetching
	case f.Item.Standing != circulation.ItemInUse:
		return circulation.PlaceOutOfUse
	}
	return circulation.PlaceShelf
}

// Elsewhere tells whether the item is anywhere but free on its shelf.
func (f *Facts) Elsewhere() bool {
	return f.Loan != nil || f.Transit != nil || f.Hold != nil || f.Item.Standing != circulation.ItemInUse
}

// itemRow is the facts of an item as one row.
type itemRow struct {
	ID, TitleID                           int64
	Barcode                               string
	BranchCode, AtBranch                  calendar.Code
	Collection, Material, CallNumber      string
	Note, TitleName, Author               string
	Standing                              circulation.ItemStanding
	Price                                 *int64
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
	BorrowerStanding                      *loan.Standing
	BorrowerUntil                         *time.Time
	BorrowerBalance                       *int64
	BorrowerStopped, BorrowerReason       *string
	BorrowerInstitution                   *bool
	BorrowerBranch                        *calendar.Code
	BorrowerDisputed                      *int64
	TransitID, TransitHold, TransitTote   *int64
	FromBranch, ToBranch                  *calendar.Code
	SentAt, TransitPromised               *time.Time
	HoldID, HoldPatron                    *int64
	HoldState                             *string
	HoldPickup                            *calendar.Code
	HoldPromised, HoldReady, HoldUntil    *time.Time
	HoldSlot                              *int
	HoldWhy                               json.RawMessage
	HolderLegal, HolderPreferred          *string
	HolderShelf, HolderClass, HolderEmail *string
	HolderPhone, HolderAddress            *string
	HolderPostal, HolderTown              *string
	HolderNotices                         json.RawMessage
	HolderBranch                          *calendar.Code
	HolderMayUse                          []string
	HolderHousehold                       *int64
	Awaited, Fetched, Missed, Uncleared   bool
	Supplying, Lodged                     *int64
	Lender, Request                       *string
}

var itemFacts = `SELECT i.id, i.title_id, i.barcode, i.branch_code, i.at_branch, i.collection, i.material,
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
		` + disputed("b", "borrower_disputed") + `,
		r.id AS transit_id, r.hold_id AS transit_hold, r.from_branch, r.to_branch, r.sent_at,
			r.promised_at AS transit_promised, r.tote_id AS transit_tote,
		h.id AS hold_id, h.patron_id AS hold_patron, h.pickup AS hold_pickup, h.state AS hold_state,
			h.promised_at AS hold_promised,
		h.ready_at AS hold_ready, h.shelf_until AS hold_until, h.slot AS hold_slot, h.why AS hold_why,
		p.legal_name AS holder_legal, p.preferred_name AS holder_preferred, p.shelf_name AS holder_shelf,
			p.class AS holder_class,
		p.email AS holder_email, p.phone AS holder_phone, p.address AS holder_address, p.postal_code AS holder_postal,
		p.town AS holder_town, p.notices AS holder_notices, p.branch_code AS holder_branch, p.may_use AS holder_may_use,
		p.household_id AS holder_household,
		EXISTS (SELECT 1 FROM holds w WHERE w.title_id = i.title_id AND w.state = 'waiting'
			AND w.paused_until IS NULL) AS awaited,
		EXISTS (SELECT 1 FROM holds w WHERE w.title_id = i.title_id AND w.state = 'fetching' AND w.closed_at IS NULL
			AND w.item_id <> i.id) AS fetched,
		EXISTS (SELECT 1 FROM misses m WHERE m.item_id = i.id AND m.seen_at IS NULL) AS missed,
		EXISTS (SELECT 1 FROM holds u WHERE u.item_id = i.id AND u.state IN ('lapsed', 'cancelled')
			AND NOT u.cleared) AS uncleared,
		(SELECT q.id FROM requests q WHERE q.loan_id = l.id AND q.role = 'supplying' AND q.stage IN ('shipped',
			'there', 'back')) AS supplying,
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

func (r *itemRow) facts() *Facts {
	f := &Facts{Awaited: r.Awaited, Fetched: r.Fetched, Missed: r.Missed, Uncleared: r.Uncleared}
	f.Item = &Item{
		ID: r.ID, Barcode: r.Barcode, TitleID: r.TitleID, BranchCode: r.BranchCode, AtBranch: r.AtBranch,
		Collection: r.Collection, Material: r.Material, CallNumber: r.CallNumber, Price: r.Price, Note: r.Note,
		OwnTerms: r.OwnTerms, Standing: r.Standing, AddedOn: r.AddedOn,
		Edition: r.Edition, Volume: r.Volume,
		Parts: r.Parts, PartsSay: r.PartsSay, AsideFor: r.AsideFor, HomeUntil: r.HomeUntil, HomeAfter: r.HomeAfter,
		Title: &Title{ID: r.TitleID, Name: r.TitleName, Author: r.Author},
	}
	if r.LoanID != nil {
		f.Loan = &Loan{
			ID: *r.LoanID, ItemID: r.ID, PatronID: r.LoanPatron, BranchCode: *r.LoanBranch, EditionID: *r.LoanEdition,
			Situation: r.LoanSituation, LentAt: *r.LentAt, DueDate: r.DueDate, DueAt: r.DueAt, Renewals: *r.Renewals,
			RenewedAt: r.RenewedAt, LostAt: r.LostAt, ClaimedAt: r.ClaimedAt,
			Patron: &Patron{
				ID: *r.LoanPatron, LegalName: *r.BorrowerLegal, PreferredName: *r.BorrowerPreferred,
				Class: *r.BorrowerClass, BranchCode: *r.BorrowerBranch,
				Standing: *r.BorrowerStanding, CardUntil: r.BorrowerUntil, Balance: *r.BorrowerBalance,
				Stopped: *r.BorrowerStopped, StandingReason: *r.BorrowerReason, Institution: *r.BorrowerInstitution,
				Disputed: *r.BorrowerDisputed,
			},
		}
	}
	if r.TransitID != nil {
		f.Transit = &Transit{
			ID: *r.TransitID, ItemID: r.ID, FromBranch: *r.FromBranch, ToBranch: *r.ToBranch, HoldID: r.TransitHold,
			SentAt: *r.SentAt, PromisedAt: r.TransitPromised, ToteID: r.TransitTote,
		}
	}
	if r.HoldID != nil {
		f.Hold = &Hold{
			ID: *r.HoldID, TitleID: r.TitleID, PatronID: *r.HoldPatron, Pickup: *r.HoldPickup,
			State:  queue.State(*r.HoldState),
			ItemID: &f.Item.ID, PromisedAt: r.HoldPromised, ReadyAt: r.HoldReady, ShelfUntil: r.HoldUntil,
			Why: r.HoldWhy, Slot: r.HoldSlot,
			Patron: &Patron{
				ID: *r.HoldPatron, LegalName: *r.HolderLegal, PreferredName: *r.HolderPreferred,
				ShelfName: *r.HolderShelf,
				Class:     *r.HolderClass, Email: *r.HolderEmail, BranchCode: *r.HolderBranch,
				Phone: *r.HolderPhone, Address: *r.HolderAddress, PostalCode: *r.HolderPostal, Town: *r.HolderTown,
				Notices: r.HolderNotices,
				MayUse:  r.HolderMayUse, HouseholdID: r.HolderHousehold,
			},
		}
	}
	if r.Supplying != nil {
		f.Supplying = *r.Supplying
	}
	if r.Lodged != nil {
		f.Lodged, f.Request, f.Lender = *r.Lodged, *r.Request, *r.Lender
	}
	return f
}

// askItem asks for the facts of an item, by its barcode or its id.
func askItem(q *questions, into *[]itemRow, barcode string, id int64) {
	if barcode != "" {
		ask(q, into, itemFacts+"i.barcode = $1", barcode)
		return
	}
	ask(q, into, itemFacts+"i.id = $1", id)
}

// settled makes facts of rows that were asked for under a lock; nil where there is no such item. Whoever had the item
// on loan when the lock was asked for may no longer be who has it now.
func (t *Tx) settled(rows []itemRow) (*Facts, error) {
	if len(rows) == 0 {
		return nil, nil
	}
	f := rows[0].facts()
	if f.Loan != nil && f.Loan.PatronID != nil && !t.Locked().HoldsPatron(*f.Loan.PatronID) ||
		!t.Locked().HoldsTitle(f.Item.TitleID) {
		return nil, ErrMoved
	}
	return f, nil
}

// ItemFacts locks an item's title and borrower, and gives what is going on with it; nil where no item has the number.
func (t *Tx) ItemFacts(barcode string) (*Facts, error) {
	return t.itemFacts(Lock{Barcode: barcode}, barcode, 0)
}

// ItemFactsByID does the same by the item's id.
func (t *Tx) ItemFactsByID(id int64) (*Facts, error) { return t.itemFacts(Lock{Item: id}, "", id) }

func (t *Tx) itemFacts(l Lock, barcode string, id int64) (*Facts, error) {
	q := &questions{}
	t.take(l, q)
	var rows []itemRow
	askItem(q, &rows, barcode, id)
	if err := t.send(q); err != nil {
		return nil, err
	}
	return t.settled(rows)
}

// LookAtItem gives what is going on with an item without locking anything, for questions.
func (t *Tx) LookAtItem(id int64) (*Facts, error) {
	rows, err := list[itemRow](t, itemFacts+"i.id = $1", id)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return rows[0].facts(), nil
}

// Borrowing is a patron as somebody who borrows, with what they have on loan.
type Borrowing struct {
	Patron  *Patron
	OnLoan  []OnLoan
	Own     *Hold      // the patron's own hold on the title
	Before  int        // how many loans of the title have ended
	Last    *time.Time // when the last of them did
	Waiting int        // how many others wait for the title
}

// OnLoan is one thing that a patron has.
type OnLoan struct {
	Material       string
	BranchCode     calendar.Code
	DueDate, DueAt *time.Time
}

// disputed is what of the debt of a patron p is in dispute: by itself, or with the loan that it is for.
func disputed(p, name string) string {
	return `CASE WHEN ` + p + `.balance > 0 THEN (SELECT coalesce(sum((SELECT sum(o.amount) FROM ledger o WHERE o.id = c.id OR o.settles = c.id)), 0)
			FROM ledger c WHERE c.patron_id = ` + p + `.id AND c.kind = 'charge' AND (
				EXISTS (SELECT 1 FROM disputes d WHERE d.charge_id = c.id AND d.ended_at IS NULL)
				OR EXISTS (SELECT 1 FROM claims m JOIN loans n ON n.id = m.loan_id AND n.returned_at IS NULL
					WHERE m.loan_id = c.loan_id AND m.undone_at IS NULL)))::bigint ELSE 0::bigint END AS ` + name
}

const patronColumns = `p.id, p.card, p.legal_name, p.preferred_name, p.shelf_name, p.born, p.class, p.branch_code,
		p.household_id, p.standing,
	p.card_until, p.email, p.phone, p.address, p.older_reader, p.balance, p.history_months, p.history_seen,
		p.forgotten_at, p.institution, p.other_phones, p.text_number, p.postal_code, p.town, p.home_address,
		p.mail_returned,
	p.in_area, p.guardian_id, p.guardian_name, p.answers_for_all, p.identity, p.identity_two, p.identity_number,
	p.school,
	p.school_year, p.pickup, p.may_use, p.marks, p.stopped, p.standing_reason, p.internet, p.photo, p.photo_at,
	p.joined_on, p.revision,
	p.merged_into, p.identity_guardian, p.confirmed_on, p.ask_before, p.notices, p.receipt`

const openLoansOf = `SELECT i.material, l.branch_code, l.due_date, l.due_at FROM loans l
		JOIN items i ON i.id = l.item_id
	WHERE l.patron_id = $1 AND l.returned_at IS NULL`

// earlierOf asks how often patron $1 has had a title before, which an expression gives.
func earlierOf(title string) string {
	return `SELECT count(*) AS before, max(l.returned_at) AS last FROM items i JOIN loans l ON l.item_id = i.id
	WHERE i.title_id = ` + title + ` AND l.patron_id = $1 AND l.returned_at IS NOT NULL AND NOT l.undone`
}

// LendingFacts locks a patron and an item's title, and gives all that a lending asks for. The patron is nil where
// there is none; the facts are nil where no item has the number.
func (t *Tx) LendingFacts(patron int64, barcode string) (*Facts, *Borrowing, error) {
	q := &questions{}
	t.take(Lock{Patrons: []int64{patron}, Barcode: barcode}, q)
	var items []itemRow
	var patrons []Patron
	var holds []Hold
	var earlier []struct {
		Before int
		Last   *time.Time
	}
	b := &Borrowing{}
	const title = "(SELECT title_id FROM items WHERE barcode = $2)"
	askItem(q, &items, barcode, 0)
	ask(q, &patrons, "SELECT "+patronColumns+", "+disputed("p", "disputed")+" FROM patrons p WHERE p.id = $1", patron)
	ask(q, &b.OnLoan, openLoansOf, patron)
	ask(
		q,
		&holds,
		"SELECT "+holdColumns+" FROM holds h JOIN items i ON i.barcode = $2 WHERE h.patron_id = $1 AND h.closed_at IS NULL"+
			" AND h.title_id = i.title_id AND "+meets+" ORDER BY h.item_id = i.id DESC NULLS LAST, "+stateRank,
		patron,
		barcode,
	)
	var waiting []int
	askEach(q, &waiting, `SELECT count(*)::int FROM (SELECT 1 FROM holds w WHERE w.title_id = `+title+`
		AND w.state = 'waiting' AND w.paused_until IS NULL AND w.patron_id <> $1 LIMIT 100) w`, patron, barcode)
	ask(q, &earlier, earlierOf(title), patron, barcode)
	if err := t.send(q); err != nil {
		return nil, nil, err
	}
	f, err := t.settled(items)
	if err != nil || len(patrons) == 0 {
		return f, nil, err
	}
	b.Patron = &patrons[0]
	if len(holds) > 0 {
		b.Own = &holds[0]
	}
	b.Before, b.Last, b.Waiting = earlier[0].Before, earlier[0].Last, waiting[0]
	return f, b, nil
}

// WaitsFor gives the patron for whom an item stands on the hold shelf; 0 for nobody.
func (t *Tx) WaitsFor(barcode string) (int64, error) {
	return value[int64](t, `SELECT h.patron_id FROM holds h JOIN items i ON i.id = h.item_id
		WHERE i.barcode = $1 AND h.state = 'ready'`, barcode)
}

// CopyHere is a copy that is at a branch and on loan to nobody.
type CopyHere struct {
	ID                         int64
	Barcode, TitleName, Author string
	CallNumber, Collection     string
}

// CopiesHere gives a page of the copies at a branch, on loan to nobody, of titles in which all words stand.
func (t *Tx) CopiesHere(branch calendar.Code, words string, page Page) ([]CopyHere, Page, error) {
	where, args := wordsIn("t.words", words)
	page.Words = true
	args = append(args, branch)
	return paged(t, page, func(c *CopyHere) Cursor { return Cursor{Text: c.TitleName, ID: c.ID} },
		`SELECT i.id, i.barcode, t.name AS title_name, t.author, i.call_number, i.collection
		FROM titles t JOIN items i ON i.title_id = t.id
		WHERE `+where+fmt.Sprintf(` AND i.at_branch = $%d`, len(args))+` AND i.standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w
			WHERE w.item_id = i.id AND w.place IN ('lent', 'under_way')) AND `+after("t.name", "i.id", len(args))+`
		ORDER BY t.name, i.id`, args...)
}

// LoanFacts locks a loan's patron and title, and gives its item and itself; nil where there is no such loan. The loan
// need not be open: the facts' own loan is the one that is.
func (t *Tx) LoanFacts(id int64) (*Facts, *Loan, error) {
	q := &questions{}
	t.take(Lock{Loan: id}, q)
	var items []itemRow
	var loans []Loan
	ask(q, &loans, "SELECT "+loanColumns+" FROM loans l WHERE l.id = $1", id)
	ask(q, &items, itemFacts+"i.id = (SELECT item_id FROM loans WHERE id = $1)", id)
	if err := t.send(q); err != nil {
		return nil, nil, err
	}
	if len(loans) == 0 {
		return nil, nil, nil
	}
	// Somebody else may have the item by now; only whose loan this is has been locked, and no more is needed.
	f := items[0].facts()
	return f, &loans[0], nil
}

const loanColumns = `l.id, l.item_id, l.patron_id, l.branch_code, l.edition_id, l.situation, l.lent_at, l.due_date,
		l.due_at, l.renewals, l.renewed_at,
	l.returned_at, l.undone, l.lost_at, l.filled_hold, l.filled_from`

// AddLoan writes a loan and gives it its id.
func (t *Tx) AddLoan(l *Loan) (err error) {
	if l.ID, err = t.NextID(); err != nil {
		return err
	}
	t.queue(
		`INSERT INTO loans (id, item_id, patron_id, branch_code, edition_id, situation, lent_at, due_date, due_at,
				filled_hold, filled_from, awaited)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
		l.ID,
		l.ItemID,
		l.PatronID,
		l.BranchCode,
		l.EditionID,
		l.Situation,
		l.LentAt,
		l.DueDate,
		l.DueAt,
		l.FilledHold,
		l.FilledFrom,
		l.Awaited,
	)
	return nil
}

// EndLoan ends an open loan, by a return or because it is undone.
func (t *Tx) EndLoan(id int64, at time.Time, undone bool) {
	t.queueOne(
		"UPDATE loans SET returned_at = greatest($2, lent_at), undone = $3 WHERE id = $1 AND returned_at IS NULL",
		id,
		at,
		undone,
	)
}

// ReopenLoan takes the return of a loan back.
func (t *Tx) ReopenLoan(id int64) {
	t.queueOne("UPDATE loans SET returned_at = NULL WHERE id = $1 AND returned_at IS NOT NULL AND NOT undone", id)
}

// RenewLoan writes what a renewal has changed. The loan must be due still as it was when that was decided: a change of
// a calendar may have moved it.
func (t *Tx) RenewLoan(was, l *Loan) {
	t.queueOne(
		`UPDATE loans SET told = false, due_date = $2, due_at = $3, renewals = $4, renewed_at = $5, edition_id = $6
		WHERE id = $1 AND returned_at IS NULL
			AND due_date IS NOT DISTINCT FROM $7 AND due_at IS NOT DISTINCT FROM $8`,
		l.ID,
		l.DueDate,
		l.DueAt,
		l.Renewals,
		l.RenewedAt,
		l.EditionID,
		was.DueDate,
		was.DueAt,
	)
}

// LoseLoan lets an open loan count as lost, and its item too. It must be due still as it was when that was decided.
func (t *Tx) LoseLoan(l *Loan, at time.Time) {
	t.queueOne(
		`UPDATE loans SET lost_at = $2 WHERE id = $1 AND returned_at IS NULL AND lost_at IS NULL
			AND due_date IS NOT DISTINCT FROM $3 AND due_at IS NOT DISTINCT FROM $4`,
		l.ID, at, l.DueDate, l.DueAt,
	)
	t.queueOne("UPDATE items SET standing = 'lost' WHERE id = $1", l.ItemID)
}

// StandAt writes where an item is and whether it is in use.
func (t *Tx) StandAt(item int64, branch calendar.Code, standing circulation.ItemStanding) {
	t.queueOne(
		`UPDATE items SET at_branch = $2, standing = $3, aside_for = CASE $3 WHEN 'aside' THEN aside_for ELSE '' END
		WHERE id = $1`,
		item,
		branch,
		standing,
	)
}

// Seen ends that an item was not found: it has been in somebody's hand.
func (t *Tx) Seen(item int64, at time.Time) {
	t.queue("UPDATE misses SET seen_at = greatest($2, at) WHERE item_id = $1 AND seen_at IS NULL", item, at)
}

// Cleared notes that the item of a lapsed or cancelled hold has left the hold shelf.
func (t *Tx) Cleared(item int64) {
	t.queue("UPDATE holds SET cleared = true WHERE item_id = $1 AND state IN ('lapsed', 'cancelled') AND NOT cleared", item)
}

// StartTransit writes a transit and gives it its id. The database puts it into the tote
// that is being filled for where it goes, if one is.
func (t *Tx) StartTransit(r *Transit) (err error) {
	if r.ID, err = t.NextID(); err != nil {
		return err
	}
	t.queue(
		`INSERT INTO transits (id, item_id, from_branch, to_branch, hold_id, sent_at, promised_at, why)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8)`,
		r.ID,
		r.ItemID,
		r.FromBranch,
		r.ToBranch,
		r.HoldID,
		r.SentAt,
		r.PromisedAt,
		r.Why,
	)
	return nil
}

// EndTransit ends a live transit.
func (t *Tx) EndTransit(id int64, at time.Time) {
	t.queueOne("UPDATE transits SET ended_at = $2 WHERE id = $1 AND ended_at IS NULL", id, at)
}

// ResumeTransit takes the end of a transit back.
func (t *Tx) ResumeTransit(id int64) {
	t.queueOne("UPDATE transits SET ended_at = NULL WHERE id = $1 AND ended_at IS NOT NULL", id)
}

// AddEvents appends events; each keeps or gets its id.
func (t *Tx) AddEvents(events []Event) error {
	for k := range events {
		e := &events[k]
		if e.ID == 0 {
			id, err := t.NextID()
			if err != nil {
				return err
			}
			e.ID = id
		}
		t.queue(
			`INSERT INTO events (id, at, kind, staff_id, branch_code, patron_id, item_id, loan_id, hold_id,
					request_id, message_id, request, detail, why)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14)`,
			e.ID,
			e.At,
			e.Kind,
			e.StaffID,
			e.BranchCode,
			e.PatronID,
			e.ItemID,
			e.LoanID,
			e.HoldID,
			e.RequestID,
			e.MessageID,
			e.Request,
			e.Detail,
			e.Why,
		)
	}
	return nil
}

// OldLoan gives a loan by its id, as it stands.
func (t *Tx) OldLoan(id int64) (*Loan, error) {
	return one[Loan](t, "SELECT "+loanColumns+" FROM loans l WHERE l.id = $1", id)
}

// LoansLocked locks a patron with the titles of all that they have on loan, and gives these loans, the first due first.
func (t *Tx) LoansLocked(patron int64) ([]Loan, error) {
	titles, err := each[int64](t, `SELECT DISTINCT i.title_id FROM loans l JOIN items i ON i.id = l.item_id
		WHERE l.patron_id = $1 AND l.returned_at IS NULL`, patron)
	if err != nil {
		return nil, err
	}
	q := &questions{}
	t.take(Lock{Patrons: []int64{patron}, Titles: titles}, q)
	var loans []Loan
	var now []int64
	ask(q, &loans, "SELECT "+loanColumns+` FROM loans l WHERE l.patron_id = $1 AND l.returned_at IS NULL
		ORDER BY coalesce(l.due_at, l.due_date), l.id`, patron)
	askEach(q, &now, `SELECT DISTINCT i.title_id FROM loans l JOIN items i ON i.id = l.item_id
		WHERE l.patron_id = $1 AND l.returned_at IS NULL`, patron)
	if err := t.send(q); err != nil {
		return nil, err
	}
	for _, title := range now {
		if !t.Locked().HoldsTitle(title) {
			return nil, ErrMoved // lent to them in between
		}
	}
	return loans, nil
}
