package interlibrarydb

import (
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nevrin/core/calendar"
	"nevrin/core/exchange"
	"nevrin/store"
	"nevrin/store/peopledb"
	"nevrin/store/stockdb"
)

// Request is an interlibrary request, ours or theirs.
type Request struct {
	ID          int64
	Number      string
	Role        exchange.Role
	PartnerID   int64
	Partner     *Partner
	Stage       exchange.Stage
	Withdrawing bool
	Renewing    bool
	Service     string // Loan, Copy or CopyOrLoan
	Part        string // of what is asked for: an article, a volume, pages
	Seen        bool
	Title       string
	Author      string
	ISBN        string `gorm:"column:isbn"`
	Record      string
	Note        string
	NeededBy    *time.Time `gorm:"type:date"`
	Due         *time.Time `gorm:"type:date"`
	PatronID    *int64
	Patron      *peopledb.Patron
	Pickup      *calendar.Code
	ItemID      *int64
	Item        *stockdb.Item
	LoanID      *int64
	LastNote    string
	BegunAt     time.Time
	MovedAt     time.Time
}

// NextRequest counts on the numbers of our requests.
func NextRequest(tx *store.Tx) (int64, error) {
	return store.Value[int64](tx, "SELECT nextval('request_numbers')")
}

// AddRequest writes a request and gives it its id.
func AddRequest(tx *store.Tx, r *Request) error { return tx.ORM().Create(r).Error }

// RequestRow gives a request as it stands; nil where there is none.
func RequestRow(tx *store.Tx, id int64) (*Request, error) { return request(tx, tx.ORM(), "id = ?", id) }

// RequestLocked gives a request for a change, with its partner; nil where there is none.
func RequestLocked(tx *store.Tx, id int64) (*Request, error) {
	return request(tx, forChange(tx), "id = ?", id)
}

// RequestForChange gives a request for a change that touches its thing too: with the patron and the title locked before
// the request is, as the order of locks wants it. Item is a further item that the change is about; 0 for none.
func RequestForChange(tx *store.Tx, id, item int64) (*Request, error) {
	seen, err := RequestRow(tx, id)
	if err != nil || seen == nil {
		return nil, err
	}
	l := store.Lock{Item: item, Patrons: []int64{seen.Partner.PatronID}}
	if seen.ItemID != nil && item == 0 {
		l.Item = *seen.ItemID
	}
	if seen.PatronID != nil {
		l.Patrons = append(l.Patrons, *seen.PatronID)
	}
	if err := tx.Lock(l); err != nil {
		return nil, err
	}
	r, err := RequestLocked(tx, id)
	if err == nil && r != nil && item == 0 && (r.ItemID == nil) != (seen.ItemID == nil) {
		return nil, store.ErrMoved
	}
	return r, err
}

// RequestNumbered gives the request with the number that a partner knows it by; 0 where there is none.
func RequestNumbered(tx *store.Tx, role exchange.Role, partner int64, number string) (int64, error) {
	return store.Value[int64](tx, "SELECT id FROM requests WHERE role = $1 AND partner_id = $2 AND number = $3", role, partner, number)
}

func forChange(tx *store.Tx) *gorm.DB {
	return tx.ORM().Clauses(clause.Locking{Strength: "NO KEY UPDATE"})
}

func request(tx *store.Tx, db *gorm.DB, where string, args ...any) (*Request, error) {
	var r Request
	if err := db.Where(where, args...).Take(&r).Error; store.NoRow(err) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	r.Partner = &Partner{}
	return &r, tx.ORM().Take(r.Partner, r.PartnerID).Error
}

// MoveRequest writes what a message has changed of a request.
func MoveRequest(tx *store.Tx, r *Request) error {
	return tx.ORM().
		Model(r).
		Select("Stage", "MovedAt", "Withdrawing", "Renewing", "ItemID", "LoanID", "Due", "LastNote").
		Updates(r).
		Error
}

// SeeRequest notes that a partner's no has been dealt with.
func SeeRequest(tx *store.Tx, r *Request) error { return tx.ORM().Model(r).Update("seen", true).Error }

// Declined is a title that a partner has declined.
type Declined struct {
	PartnerID int64
	Title     string // in small letters
	MovedAt   time.Time
	LastNote  string
}

// DeclinedSince gives what partners have declined since an instant, the latest last.
func DeclinedSince(tx *store.Tx, since time.Time) ([]Declined, error) {
	return store.List[Declined](tx, `SELECT partner_id, lower(title) AS title, moved_at, last_note FROM requests
		WHERE role = 'requesting' AND stage = 'refused' AND moved_at > $1 ORDER BY moved_at`, since)
}

// RunningRequests counts a patron's requests that have not ended.
func RunningRequests(tx *store.Tx, patron int64) (int, error) {
	return store.Value[int](
		tx,
		"SELECT count(*)::int FROM requests WHERE patron_id = $1 AND stage NOT IN ('back', 'done', 'refused', 'withdrawn')",
		patron,
	)
}

// ourMove tells of a request r whether we act next: at the stages $1 to $2 by role, but not once a no has been seen, nor
// while what we borrowed is with the patron or on the way to them.
const ourMove = `((r.role = 'supplying' AND r.stage = ANY($1) OR r.role = 'requesting' AND r.stage = ANY($2))
		AND NOT r.seen AND NOT (r.role = 'requesting' AND r.stage = 'there'
			AND EXISTS (SELECT 1 FROM whereabouts x WHERE x.item_id = r.item_id AND x.place <> 'aside')))`

const openRequest = "r.stage NOT IN ('done', 'refused', 'withdrawn')"

// Requests gives a page of the open requests, those that ended since an instant, and every no that nobody has seen:
// those where we act next first, then the newest. The stages are those in which we act next, supplying and requesting.
func Requests(tx *store.Tx, since time.Time, supplying, requesting []exchange.Stage, page store.Page) ([]Request, store.Page, error) {
	rank := fmt.Sprintf(store.NewestFirst, ourMove, "r.moved_at")
	ids, next, err := store.PagedIDs(
		tx,
		page,
		`SELECT rank, id FROM (SELECT r.id, `+rank+` AS rank
			FROM requests r WHERE `+openRequest+` OR r.moved_at > $3 OR `+ourMove+`) l
		WHERE ($4::bigint = 0 AND $5::bigint = 0) OR (rank, id) > ($4, $5) ORDER BY rank, id`,
		supplying,
		requesting,
		since,
	)
	if err != nil || len(ids) == 0 {
		return nil, next, err
	}
	rows, err := requests(tx, ids)
	return store.InOrder(rows, ids, func(r *Request) int64 { return r.ID }), next, err
}

// OurRequests counts the requests where we act next.
func OurRequests(tx *store.Tx, supplying, requesting []exchange.Stage) (int, error) {
	return store.Value[int](
		tx,
		"SELECT count(*)::int FROM requests r WHERE "+ourMove+" AND ("+openRequest+" OR r.stage = 'refused')",
		supplying,
		requesting,
	)
}

// OneRequest gives one request as lists show it.
func OneRequest(tx *store.Tx, id int64) ([]Request, error) { return requests(tx, []int64{id}) }

func requests(tx *store.Tx, ids []int64) ([]Request, error) {
	var rows []Request
	err := tx.ORM().Joins("Partner").Joins("Patron").Joins("Item").Where("requests.id IN ?", ids).Find(&rows).Error
	return rows, err
}

// ItemPlace says where an item is, if it is not free on its shelf.
type ItemPlace struct {
	ItemID int64
	Place  string
}

// PlacesOf gives where some items are.
func PlacesOf(tx *store.Tx, items []int64) ([]ItemPlace, error) {
	return store.List[ItemPlace](tx, "SELECT item_id, place FROM whereabouts WHERE item_id = ANY($1)", items)
}

// FreeCopies gives the free items of titles with a name or an ISBN, up to a number.
func FreeCopies(tx *store.Tx, name, isbn string, most int) ([]stockdb.Item, error) {
	return store.List[stockdb.Item](
		tx,
		`SELECT i.id, i.barcode, i.title_id, i.branch_code, i.at_branch, i.collection, i.material, i.call_number,
				i.added_on
		FROM items i WHERE i.title_id = ANY(ARRAY(SELECT id FROM titles WHERE lower(name) = lower($1) UNION SELECT id
			FROM titles WHERE isbn = $2 AND isbn <> ''))
		AND `+stockdb.FreeItem+` ORDER BY i.id LIMIT $3`,
		name,
		isbn,
		most,
	)
}
