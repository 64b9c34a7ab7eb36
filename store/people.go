package store

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/person"
)

// PatronByID gives a patron; nil where there is none.
func (t *Tx) PatronByID(id int64) (*Patron, error) {
	return one[Patron](t, "SELECT "+patronColumns+" FROM patrons p WHERE p.id = $1", id)
}

// PatronByCard gives the patron with a card number; nil where nobody has it.
func (t *Tx) PatronByCard(card string) (*Patron, error) {
	return one[Patron](t, "SELECT "+patronColumns+" FROM patrons p WHERE p.card = $1", card)
}

// PatronLocked locks a patron and gives them; nil where there is none.
func (t *Tx) PatronLocked(id int64) (*Patron, error) {
	q := &questions{}
	t.take(Lock{Patrons: []int64{id}}, q)
	var rows []Patron
	ask(q, &rows, "SELECT "+patronColumns+" FROM patrons p WHERE p.id = $1", id)
	if err := t.send(q); err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// PatronAndTitle locks a patron and a title and gives both; nil where there is none.
func (t *Tx) PatronAndTitle(patron, title int64) (*Patron, *Title, error) {
	q := &questions{}
	t.take(Lock{Patrons: []int64{patron}, Titles: []int64{title}}, q)
	var patrons []Patron
	var titles []Title
	ask(q, &patrons, "SELECT "+patronColumns+" FROM patrons p WHERE p.id = $1", patron)
	ask(q, &titles, "SELECT id, name, author, isbn, year FROM titles WHERE id = $1", title)
	if err := t.send(q); err != nil {
		return nil, nil, err
	}
	var p *Patron
	var b *Title
	if len(patrons) > 0 {
		p = &patrons[0]
	}
	if len(titles) > 0 {
		b = &titles[0]
	}
	return p, b, nil
}

// PatronsAndTitle locks patrons and a title, and gives all that there are.
func (t *Tx) PatronsAndTitle(ids []int64, title int64) (map[int64]*Patron, *Title, error) {
	q := &questions{}
	t.take(Lock{Patrons: ids, Titles: []int64{title}}, q)
	var patrons []Patron
	var titles []Title
	ask(q, &patrons, "SELECT "+patronColumns+" FROM patrons p WHERE p.id = ANY($1)", ids)
	ask(q, &titles, "SELECT id, name, author, isbn, year FROM titles WHERE id = $1", title)
	if err := t.send(q); err != nil {
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
func (t *Tx) CardUntil(patron int64, until time.Time) {
	t.queueOne("UPDATE patrons SET card_until = $2 WHERE id = $1", patron, until)
}

// LoanGoneBy is a loan that has ended, as far as it matters who had it.
type LoanGoneBy struct {
	Last bool // nobody has borrowed the item since
	Owed bool // something is still owed for it
}

// pastLoan asks so of a loan l.
const pastLoan = `NOT EXISTS (SELECT 1 FROM loans n WHERE n.item_id = l.item_id AND n.lent_at > l.lent_at AND NOT n.undone) AS last,
	EXISTS (SELECT 1 FROM ledger c WHERE c.loan_id = l.id AND c.kind = 'charge' AND
		(SELECT sum(s.amount) FROM ledger s WHERE s.id = c.id OR s.settles = c.id) > 0) AS owed`

// LoanGoneBy tells how a loan that has ended stands.
func (t *Tx) LoanGoneBy(id int64) (LoanGoneBy, error) {
	row, err := one[LoanGoneBy](t, "SELECT "+pastLoan+" FROM loans l WHERE l.id = $1", id)
	if row == nil {
		return LoanGoneBy{}, err
	}
	return *row, err
}

// ClassifyPatron writes how a patron is classed.
func (t *Tx) ClassifyPatron(patron int64, class string) {
	t.queueOne("UPDATE patrons SET class = $2 WHERE id = $1", patron, class)
}

// LoanShown is an open loan as a card lists it.
type LoanShown struct {
	Loan
	Barcode, TitleName, CallNumber, Material string
	HomeBranch                               calendar.Code
	Price                                    *int64
	Claimed                                  *string // what the patron says of it
	OwnTerms                                 json.RawMessage
}

const loansShown = `SELECT ` + loanColumns + `, i.barcode, t.name AS title_name, i.branch_code AS home_branch, i.call_number, i.material, i.price, i.own_terms,
		c.what AS claimed, c.at AS claimed_at
	FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
	LEFT JOIN claims c ON c.loan_id = l.id AND c.undone_at IS NULL `

// CardFacts is a patron with all that a card shows.
type CardFacts struct {
	Patron    *Patron
	Household string // name of the household with how many it has; empty where there is none but them
	Loans     []LoanShown
	Holds     []HoldShown
	Charges   []OpenCharge
	Notes     []NoteShown
	Claims    Claims
	Refunds   int64    // what is to be given back
	Merged    []string // cards of records that were merged into this one
}

// CardFacts gives a patron by id, or by card number where the id is 0, with all that a card shows; nil where there is
// none.
func (t *Tx) CardFacts(id int64, card string) (*CardFacts, error) {
	q := &questions{}
	// A record that has been merged into another leads to that, its card too.
	who := "(SELECT coalesce(merged_into, id) FROM patrons WHERE id = $1 OR card = $2)"
	var patrons []Patron
	var households []string
	c := &CardFacts{}
	ask(q, &patrons, "SELECT "+patronColumns+", "+disputed("p", "disputed")+" FROM patrons p WHERE p.id = "+who, id, card)
	askEach(
		q,
		&households,
		`SELECT h.name || ' (' || count(*) || ')' FROM patrons p JOIN households h ON h.id = p.household_id
		JOIN patrons o ON o.household_id = h.id AND o.merged_into IS NULL WHERE p.id = `+who+` GROUP BY h.id HAVING count(*) > 1`,
		id,
		card,
	)
	ask(
		q,
		&c.Loans,
		loansShown+`WHERE l.patron_id = `+who+` AND l.returned_at IS NULL ORDER BY coalesce(l.due_at, l.due_date), l.id`,
		id,
		card,
	)
	ask(q, &c.Holds, `SELECT `+holdColumns+`, t.name AS title_name, `+placeInQueue+` FROM holds h JOIN titles t ON t.id = h.title_id
		WHERE h.patron_id = `+who+` AND h.closed_at IS NULL ORDER BY h.id`, id, card)
	ask(q, &c.Notes, notesOf(who), id, card)
	var claims []Claims
	ask(q, &claims, claimsOf(who), id, card)
	var refunds []int64
	askEach(q, &refunds, `SELECT coalesce(sum(r.amount), 0)::bigint FROM ledger r WHERE r.patron_id = `+who+` AND r.kind = 'refund'
		AND NOT EXISTS (SELECT 1 FROM refund_ends e WHERE e.refund_id = r.id)`, id, card)
	askEach(q, &c.Merged, "SELECT o.card FROM patrons o WHERE o.merged_into = "+who+" ORDER BY o.card", id, card)
	ask(q, &c.Charges, openCharges("= "+who), id, card)
	if err := t.send(q); err != nil || len(patrons) == 0 {
		return nil, err
	}
	c.Patron, c.Claims, c.Refunds = &patrons[0], claims[0], refunds[0]
	if len(households) > 0 {
		c.Household = households[0]
	}
	return c, nil
}

// FindPatrons gives a page of the patrons in whose names, numbers or mail address every word stands, in whose family name, what follows the
// first word of their legal name, some words begin a word, of whose names others begin one, and who were born on a day, as far as these are
// given. Those of a branch come first.
func (t *Tx) FindPatrons(sought person.Sought, born *time.Time, own calendar.Code, page Page) ([]Patron, Page, error) {
	where, args := wordsIn("p.words", strings.Join(sought.Words, " "))
	for _, given := range sought.Given {
		args = append(args, "% "+like(strings.ToLower(given))+"%")
		where += fmt.Sprintf(" AND ' ' || lower(p.legal_name || ' ' || p.preferred_name) LIKE $%d", len(args))
	}
	if len(sought.Family) > 0 {
		args = append(args, "% "+like(strings.ToLower(strings.Join(sought.Family, " ")))+"%")
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
	return paged(
		t,
		page,
		func(p *Patron) Cursor {
			first := "1"
			if p.BranchCode == own {
				first = "0"
			}
			return Cursor{Text: first + p.LegalName, ID: p.ID}
		},
		`SELECT `+patronColumns+` FROM patrons p WHERE `+where+` AND `+after(order, "p.id", len(args))+` ORDER BY `+order+`, p.id`,
		args...)
}

// LentSince gives the open loans of a patron that were made or renewed at a branch since an instant, in that order.
func (t *Tx) LentSince(patron int64, branch calendar.Code, since time.Time) ([]LoanShown, error) {
	return list[LoanShown](t, loansShown+`WHERE l.patron_id = $1 AND l.branch_code = $2 AND l.returned_at IS NULL
		AND coalesce(l.renewed_at, l.lent_at) >= $3 ORDER BY coalesce(l.renewed_at, l.lent_at), l.id`, patron, branch, since)
}

// AtDesk is somebody of a household as the desk asks about them.
type AtDesk struct {
	ID                       int64
	LegalName, PreferredName string
	Late                     int
	Balance                  int64
}

// HouseholdAtDesk gives the others of a patron's household who have something late, or owe something.
func (t *Tx) HouseholdAtDesk(patron int64, now time.Time) ([]AtDesk, error) {
	return list[AtDesk](t, `SELECT * FROM (SELECT p.id, p.legal_name, p.preferred_name, p.balance,
			(SELECT count(*)::int FROM loans l JOIN branches b ON b.code = l.branch_code WHERE l.patron_id = p.id
				AND l.returned_at IS NULL AND (l.due_date < ($2::timestamptz AT TIME ZONE b.timezone)::date OR l.due_at
					<
					$2)) AS late
		FROM patrons o JOIN patrons p ON p.household_id = o.household_id AND p.id <> o.id
		WHERE o.id = $1 AND p.merged_into IS NULL AND p.forgotten_at IS NULL) m WHERE balance > 0 OR late > 0 ORDER BY legal_name, id`,
		patron, now)
}

// LentByTitle is a copy on loan.
type LentByTitle struct {
	ID, ItemID             int64
	Barcode                string
	TitleName, Author      string
	CallNumber             string
	HomeBranch, BranchCode calendar.Code
	LentAt                 time.Time
	DueDate, DueAt         *time.Time
}

// LentByWords gives a page of the copies on loan of titles in which all words stand.
func (t *Tx) LentByWords(words string, page Page) ([]LentByTitle, Page, error) {
	where, args := wordsIn("t.words", words)
	page.Words = true
	return paged(t, page, func(l *LentByTitle) Cursor { return Cursor{Text: l.TitleName, ID: l.ID} },
		`SELECT l.id, l.item_id, i.barcode, t.name AS title_name, t.author, i.call_number, i.branch_code AS home_branch,
			l.branch_code, l.lent_at, l.due_date, l.due_at
		FROM titles t JOIN items i ON i.title_id = t.id JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL
		WHERE `+where+` AND `+after("t.name", "l.id", len(args))+` ORDER BY t.name, l.id`, args...)
}

// ChooseReceipt writes what a patron gets of what was lent to them; empty: as the network has settled.
func (t *Tx) ChooseReceipt(patron int64, what string) {
	t.queueOne("UPDATE patrons SET receipt = nullif($2, '') WHERE id = $1", patron, what)
}
