package loansdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/store"
)

// LoanColumns are the columns of a Loan, of loans l.
const LoanColumns = `l.id, l.item_id, l.patron_id, l.branch_code, l.edition_id, l.situation, l.lent_at, l.due_date,
		l.due_at, l.renewals, l.renewed_at,
	l.returned_at, l.undone, l.lost_at, l.filled_hold, l.filled_from`

// LoanShown is an open loan as a card lists it.
type LoanShown struct {
	Loan
	Barcode, TitleName, CallNumber, Material string
	HomeBranch                               calendar.Code
	Price                                    *money.Amount
	Claimed                                  *string // what the patron says of it
	OwnTerms                                 json.RawMessage
}

// LoansShown asks for rows of LoanShown; the condition on loan l follows it.
const LoansShown = `SELECT ` + LoanColumns + `, i.barcode, t.name AS title_name, i.branch_code AS home_branch, i.call_number, i.material, i.price, i.own_terms,
		c.what AS claimed, c.at AS claimed_at
	FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
	LEFT JOIN claims c ON c.loan_id = l.id AND c.undone_at IS NULL `

// LentSince gives the open loans of a patron that were made or renewed at a branch since an instant, in that order.
func LentSince(tx *store.Tx, patron int64, branch calendar.Code, since time.Time) ([]LoanShown, error) {
	return store.List[LoanShown](tx, LoansShown+`WHERE l.patron_id = $1 AND l.branch_code = $2 AND l.returned_at IS NULL
		AND coalesce(l.renewed_at, l.lent_at) >= $3 ORDER BY coalesce(l.renewed_at, l.lent_at), l.id`, patron, branch, since)
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
func LentByWords(tx *store.Tx, words string, page store.Page) ([]LentByTitle, store.Page, error) {
	where, args := store.WordsIn("t.words", words)
	page.Words = true
	return store.Paged(tx, page, func(l *LentByTitle) store.Cursor { return store.Cursor{Text: l.TitleName, ID: l.ID} },
		`SELECT l.id, l.item_id, i.barcode, t.name AS title_name, t.author, i.call_number, i.branch_code AS home_branch,
			l.branch_code, l.lent_at, l.due_date, l.due_at
		FROM titles t JOIN items i ON i.title_id = t.id JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL
		WHERE `+where+` AND `+store.After("t.name", "l.id", len(args))+` ORDER BY t.name, l.id`, args...)
}

// LentSearch is a search of open loans; empty fields match all.
type LentSearch struct {
	Branch     calendar.Code // where it was lent
	Home       calendar.Code // where the item belongs
	Class      string        // of the patron
	Material   string
	Collection string
	DueFrom    *calendar.Date
	DueTo      *calendar.Date
}

// LentShown is something on loan now.
type LentShown struct {
	ID, ItemID, TitleID            int64
	PatronID                       *int64
	Barcode, TitleName, Author     string
	CallNumber                     string
	BranchCode, Home               calendar.Code
	Material, Collection           string
	LegalName, PreferredName, Card *string
	Class                          *string
	LentAt                         time.Time
	DueDate, DueAt                 *time.Time
	Renewals                       int
	LostAt                         *time.Time
	PatronBranch                   *calendar.Code // where the patron is at home
}

// LentNow gives a page of everything on loan now, what is due first before.
func LentNow(tx *store.Tx, s LentSearch, page store.Page) ([]LentShown, store.Page, error) {
	args := []any{s.Branch, s.Home, s.Class, s.Material, s.Collection, store.ColumnOrNil(s.DueFrom), store.ColumnOrNil(s.DueTo)}
	at := func(l *LentShown) store.Cursor {
		due := l.DueAt
		if l.DueDate != nil {
			due = l.DueDate
		}
		return store.Cursor{Rank: due.UnixMicro(), ID: l.ID}
	}
	const due = "coalesce(l.due_at, l.due_date::timestamp AT TIME ZONE 'UTC')" // as its index has it
	return store.Paged(
		tx,
		page,
		at,
		`SELECT l.id, l.item_id, i.title_id, l.patron_id, i.barcode, t.name AS title_name, t.author, i.call_number,
			l.branch_code, i.branch_code AS home, i.material, i.collection, p.legal_name,
			p.preferred_name, p.card, p.class, p.branch_code AS patron_branch,
			l.lent_at, l.due_date, l.due_at, l.renewals, l.lost_at
		FROM loans l JOIN items i ON i.id = l.item_id JOIN titles t ON t.id = i.title_id
		LEFT JOIN patrons p ON p.id = l.patron_id
		WHERE l.returned_at IS NULL AND ($1 = '' OR l.branch_code = $1) AND ($2 = '' OR i.branch_code = $2)
			AND ($3 = '' OR p.class = $3) AND ($4 = '' OR i.material = $4) AND ($5 = '' OR i.collection = $5)
			AND ($6::date IS NULL OR coalesce(l.due_date, (l.due_at AT TIME ZONE 'UTC')::date) >= $6)
			AND ($7::date IS NULL OR coalesce(l.due_date, (l.due_at AT TIME ZONE 'UTC')::date) <= $7)
			AND (`+due+`, l.id) > (CASE WHEN $9::bigint = 0 THEN '-infinity' ELSE timestamptz 'epoch' + $8::bigint * interval '1 microsecond' END, $9::bigint)
		ORDER BY `+due+`, l.id`,
		args...)
}
