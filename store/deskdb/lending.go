package deskdb

import (
	"fmt"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
	"nevrin/store/accountsdb"
	"nevrin/store/holdsdb"
	"nevrin/store/peopledb"
)

// Borrowing is a patron as somebody who borrows, with what they have on loan.
type Borrowing struct {
	Patron  *peopledb.Patron
	OnLoan  []OnLoan
	Own     *holdsdb.Hold // the patron's own hold on the title
	Before  int           // how many loans of the title have ended
	Last    *time.Time    // when the last of them did
	Waiting int           // how many others wait for the title
}

// OnLoan is one thing that a patron has.
type OnLoan struct {
	Material       string
	BranchCode     calendar.Code
	DueDate, DueAt *time.Time
}

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
func LendingFacts(tx *store.Tx, patron int64, barcode string) (*Facts, *Borrowing, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Patrons: []int64{patron}, Barcode: barcode}, q)
	var items []ItemRow
	var patrons []peopledb.Patron
	var holds []holdsdb.Hold
	var earlier []struct {
		Before int
		Last   *time.Time
	}
	borrowing := &Borrowing{}
	const title = "(SELECT title_id FROM items WHERE barcode = $2)"
	AskItem(q, &items, barcode, 0)
	store.Ask(q, &patrons, "SELECT "+peopledb.PatronColumns+", "+accountsdb.Disputed("p", "disputed")+" FROM patrons p WHERE p.id = $1", patron)
	store.Ask(q, &borrowing.OnLoan, openLoansOf, patron)
	store.Ask(
		q,
		&holds,
		"SELECT "+holdsdb.HoldColumns+" FROM holds h JOIN items i ON i.barcode = $2 WHERE h.patron_id = $1 AND h.closed_at IS NULL"+
			" AND h.title_id = i.title_id AND "+holdsdb.Meets+" ORDER BY h.item_id = i.id DESC NULLS LAST, "+holdsdb.StateRank,
		patron,
		barcode,
	)
	var waiting []int
	store.AskEach(q, &waiting, `SELECT count(*)::int FROM (SELECT 1 FROM holds w WHERE w.title_id = `+title+`
		AND w.state = 'waiting' AND w.paused_until IS NULL AND w.patron_id <> $1 LIMIT 100) w`, patron, barcode)
	store.Ask(q, &earlier, earlierOf(title), patron, barcode)
	if err := tx.Send(q); err != nil {
		return nil, nil, err
	}
	facts, err := Settled(tx, items)
	if err != nil || len(patrons) == 0 {
		return facts, nil, err
	}
	borrowing.Patron = &patrons[0]
	if len(holds) > 0 {
		borrowing.Own = &holds[0]
	}
	borrowing.Before, borrowing.Last, borrowing.Waiting = earlier[0].Before, earlier[0].Last, waiting[0]
	return facts, borrowing, nil
}

// CopyHere is a copy that is at a branch and on loan to nobody.
type CopyHere struct {
	ID                         int64
	Barcode, TitleName, Author string
	CallNumber, Collection     string
}

// CopiesHere gives a page of the copies at a branch, on loan to nobody, of titles in which all words stand.
func CopiesHere(tx *store.Tx, branch calendar.Code, words string, page store.Page) ([]CopyHere, store.Page, error) {
	where, args := store.WordsIn("t.words", words)
	page.Words = true
	args = append(args, branch)
	return store.Paged(tx, page, func(c *CopyHere) store.Cursor { return store.Cursor{Text: c.TitleName, ID: c.ID} },
		`SELECT i.id, i.barcode, t.name AS title_name, t.author, i.call_number, i.collection
		FROM titles t JOIN items i ON i.title_id = t.id
		WHERE `+where+fmt.Sprintf(` AND i.at_branch = $%d`, len(args))+` AND i.standing = 'in_use' AND NOT EXISTS (SELECT 1 FROM whereabouts w
			WHERE w.item_id = i.id AND w.place IN ('lent', 'under_way')) AND `+store.After("t.name", "i.id", len(args))+`
		ORDER BY t.name, i.id`, args...)
}
