package interlibrarydb

import (
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/core/exchange"
	"nevrin/core/queue"
	"nevrin/store"
	"nevrin/store/holdsdb"
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
	Numbers     string // ISBN and ISSN, with blanks between
	Year        string
	Edition     string
	AnyEdition  bool
	Recalled    bool
	Unreturned  bool           // it ended without coming home
	RemindedOn  *time.Time     `gorm:"type:date"`
	PackedAt    *time.Time     // in a parcel that has not been handed over
	PackedIn    *calendar.Code // there
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
	switch {
	case seen.ItemID == nil:
	case item == 0:
		l.Item = *seen.ItemID
	default: // another takes the place of the one before
		if l.Titles, err = store.Each[int64](tx, "SELECT title_id FROM items WHERE id = $1", *seen.ItemID); err != nil {
			return nil, err
		}
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

// LockRequests locks what changes of several requests touch, in the one order: their patrons and the titles of their items, and of others.
func LockRequests(tx *store.Tx, ids, items []int64) error {
	q := &store.Questions{}
	l := store.Lock{}
	store.AskEach(q, &l.Patrons, `SELECT p.patron_id FROM requests r JOIN partners p ON p.id = r.partner_id WHERE r.id = ANY($1)
		UNION SELECT patron_id FROM requests WHERE id = ANY($1) AND patron_id IS NOT NULL ORDER BY 1`, ids)
	store.AskEach(q, &l.Titles, `SELECT i.title_id FROM items i WHERE i.id = ANY($2) UNION SELECT i.title_id FROM requests r JOIN items i ON i.id = r.item_id
		WHERE r.id = ANY($1) ORDER BY 1`, ids, items)
	if err := tx.Send(q); err != nil {
		return err
	}
	return tx.Lock(l)
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
		Select("Stage", "MovedAt", "Withdrawing", "Renewing", "ItemID", "LoanID", "Due", "LastNote", "Recalled", "Unreturned", "RemindedOn", "PackedAt", "PackedIn").
		Updates(r).
		Error
}

// SeeRequest notes that a partner's no has been dealt with.
func SeeRequest(tx *store.Tx, r *Request) error { return tx.ORM().Model(r).Update("seen", true).Error }

// Declined is a title that a partner has declined.
type Declined struct {
	Title    string // in small letters
	MovedAt  time.Time
	LastNote string
}

// DeclinedSince gives what a partner has declined since an instant, the latest last.
func DeclinedSince(tx *store.Tx, partner int64, since time.Time) ([]Declined, error) {
	return store.List[Declined](tx, `SELECT lower(title) AS title, moved_at, last_note FROM requests
		WHERE partner_id = $1 AND role = 'requesting' AND stage = 'refused' AND moved_at > $2 ORDER BY moved_at`, partner, since)
}

// RunningRequests counts a patron's requests that have not ended.
func RunningRequests(tx *store.Tx, patron int64) (int, error) {
	return store.Value[int](
		tx,
		"SELECT count(*)::int FROM requests WHERE patron_id = $1 AND stage NOT IN ('back', 'done', 'refused', 'withdrawn')",
		patron,
	)
}

// ourMove tells of a request r whether we act next: at the stages $1 to $2 by role, but not once a no has been seen, nor while a branch
// fetches what is promised, nor while what we borrowed is with the patron or on the way to them and nobody recalls it.
const ourMove = `((r.role = 'supplying' AND r.stage = ANY($1) OR r.role = 'requesting' AND r.stage = ANY($2)) AND NOT r.seen
		AND NOT (r.role = 'supplying' AND r.stage = 'promised' AND EXISTS (SELECT 1 FROM holds x WHERE x.request_id = r.id AND x.closed_at IS NULL
			AND x.state IN ('fetching', 'moving')))
		AND NOT (r.role = 'requesting' AND r.stage = 'there' AND NOT r.recalled
			AND EXISTS (SELECT 1 FROM whereabouts x WHERE x.item_id = r.item_id AND x.place <> 'aside')))`

const openRequest = "r.stage NOT IN ('done', 'refused', 'withdrawn')"

// late tells of a request r whether it is late on the day $3: for longer than some days $6 at a stage $5 of a role $4, or a day has gone by.
const late = `(` + openRequest + ` AND (EXISTS (SELECT 1 FROM unnest($4::text[], $5::text[], $6::int[]) p(role, stage, days) CROSS JOIN network n
			WHERE p.role = r.role AND p.stage = r.stage AND (r.moved_at AT TIME ZONE n.timezone)::date < $3::date - p.days)
		OR r.due < $3 AND (r.stage = 'there' OR r.role = 'supplying' AND r.stage = 'shipped')
		OR r.needed_by < $3 AND r.stage IN ('asked', 'promised', 'shipped')))`

// Filter narrows the list of requests. Empty fields match all.
type Filter struct {
	Group   Group
	Role    exchange.Role
	Partner int64
	Branch  calendar.Code // where it is picked up, packed, or its copy stands
	Stage   exchange.Stage
	Words   string
}

// Group is a part of the list.
type Group string

// The groups. Without one the list has all that is open, what ended lately, and every no that nobody has seen.
const (
	Ours   Group = "ours"   // we act next
	Theirs Group = "theirs" // they do, or a branch or a patron of ours
	Late   Group = "late"
	Packed Group = "packed"
	Ended  Group = "ended"
	All    Group = "all"
)

var groups = map[Group]string{
	Ours:   ourMove + " AND (" + openRequest + " OR r.stage = 'refused')",
	Theirs: openRequest + " AND NOT " + ourMove,
	Late:   late,
	Packed: "r.packed_at IS NOT NULL",
	Ended:  "NOT " + openRequest,
	All:    "true",
	"":     "(" + openRequest + " OR r.moved_at > $7 OR " + ourMove + ")",
}

// When is the time by which requests are late, or have ended lately.
type When struct {
	Today    time.Time // the date
	Since    time.Time // what has ended before is past
	Patience []Patience
}

// Patience is for how many days a request may stay at a stage.
type Patience struct {
	Role, Stage string
	Days        int
}

func (w *When) args() []any {
	var roles, stages []string
	var days []int
	for _, p := range w.Patience {
		roles, stages, days = append(roles, p.Role), append(stages, p.Stage), append(days, p.Days)
	}
	return []any{exchange.OurMoves[exchange.Supplying], exchange.OurMoves[exchange.Requesting], w.Today, roles, stages, days, w.Since}
}

func (f *Filter) where(args *[]any) string {
	out := groups[f.Group] + " AND $3::date IS NOT NULL AND cardinality($4::text[]) + cardinality($5::text[]) + cardinality($6::int[]) >= 0" +
		" AND $7::timestamptz IS NOT NULL AND cardinality($1::text[]) + cardinality($2::text[]) > 0" // each argument has a type, used or not
	with := func(condition string, value any) {
		*args = append(*args, value)
		out += " AND " + strings.ReplaceAll(condition, "?", fmt.Sprintf("$%d", len(*args)))
	}
	if f.Role != "" {
		with("r.role = ?", f.Role)
	}
	if f.Partner != 0 {
		with("r.partner_id = ?", f.Partner)
	}
	if f.Stage != "" {
		with("r.stage = ?", f.Stage)
	}
	if f.Branch != "" {
		with(`(r.pickup = ? OR r.packed_in = ? OR EXISTS (SELECT 1 FROM holds x WHERE x.request_id = r.id AND x.closed_at IS NULL
			AND (x.fetch_at = ? OR x.pickup = ?)) OR EXISTS (SELECT 1 FROM items x WHERE x.id = r.item_id AND x.at_branch = ?))`, f.Branch)
	}
	for _, w := range strings.Fields(strings.ToLower(f.Words)) {
		with(`(lower(r.number || ' ' || r.title || ' ' || r.author) LIKE ? OR EXISTS (SELECT 1 FROM patrons x WHERE x.id = r.patron_id
			AND lower(x.legal_name || ' ' || x.preferred_name || ' ' || x.card) LIKE ?))`, "%"+store.Like(w)+"%")
	}
	return out
}

// Requests gives a page of requests: those where we act next first, then the newest.
func Requests(tx *store.Tx, w *When, f *Filter, page store.Page) ([]Request, store.Page, error) {
	args := w.args()
	where := f.where(&args)
	n := len(args)
	ids, next, err := store.PagedIDs(tx, page, fmt.Sprintf(`SELECT rank, id FROM (SELECT r.id, `+store.NewestFirst+` AS rank FROM requests r WHERE %s) l
		WHERE ($%d::bigint = 0 AND $%d::bigint = 0) OR (rank, id) > ($%d, $%d) ORDER BY rank, id`,
		ourMove, "r.moved_at", where, n+1, n+2, n+1, n+2), args...)
	if err != nil || len(ids) == 0 {
		return nil, next, err
	}
	rows, err := requests(tx, ids)
	return store.InOrder(rows, ids, func(r *Request) int64 { return r.ID }), next, err
}

// Counted is how many requests each group has.
type Counted struct{ Ours, Theirs, Late, Packed, New int }

// CountRequests counts the open requests by group.
func CountRequests(tx *store.Tx, w *When) (*Counted, error) {
	return store.One[Counted](tx, `SELECT count(*) FILTER (WHERE `+groups[Ours]+`)::int AS ours, count(*) FILTER (WHERE `+groups[Theirs]+`)::int AS theirs,
			count(*) FILTER (WHERE `+groups[Late]+`)::int AS late, count(*) FILTER (WHERE `+groups[Packed]+`)::int AS packed,
			count(*) FILTER (WHERE r.role = 'supplying' AND r.stage = 'asked')::int AS new
		FROM requests r WHERE (`+openRequest+` OR r.stage = 'refused' AND NOT r.seen) AND $7::timestamptz IS NOT NULL`, w.args()...)
}

// SomeRequests gives requests as lists show them, in the order of some ids.
func SomeRequests(tx *store.Tx, ids []int64) ([]Request, error) {
	rows, err := requests(tx, ids)
	return store.InOrder(rows, ids, func(r *Request) int64 { return r.ID }), err
}

// PackedAt gives what is packed at a branch, by partner.
func PackedAt(tx *store.Tx, branch calendar.Code) ([]Request, error) {
	ids, err := store.Each[int64](tx, `SELECT r.id FROM requests r JOIN partners p ON p.id = r.partner_id WHERE r.packed_in = $1 AND r.packed_at IS NOT NULL
		ORDER BY p.way, p.name, r.id LIMIT 1000`, branch)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	return SomeRequests(tx, ids)
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
	Place  circulation.Place
}

// PlacesOf gives where some items are.
func PlacesOf(tx *store.Tx, items []int64) ([]ItemPlace, error) {
	return store.List[ItemPlace](tx, "SELECT item_id, place FROM whereabouts WHERE item_id = ANY($1)", items)
}

// Held is the hold by which a promised copy comes to where it is packed.
type Held struct {
	ID, RequestID, ItemID       int64
	State                       queue.State
	FetchAt                     *calendar.Code
	Pickup                      calendar.Code
	PlacedAt                    time.Time
	Barcode, CallNumber, Branch string
}

// HeldFor gives the open holds for some requests of partners, with the copy that each is for.
func HeldFor(tx *store.Tx, ids []int64) ([]Held, error) {
	return store.List[Held](tx, `SELECT h.id, h.request_id, h.state, h.fetch_at, h.pickup, h.placed_at, i.id AS item_id, i.barcode, i.call_number,
			i.at_branch AS branch
		FROM holds h JOIN items i ON i.id = coalesce(h.item_id, h.only_item) WHERE h.request_id = ANY($1) AND h.closed_at IS NULL`, ids)
}

// OpenHoldFor gives the open hold for a partner's request, whose title is locked; nil where there is none.
func OpenHoldFor(tx *store.Tx, request int64) (*holdsdb.Hold, error) {
	return store.One[holdsdb.Hold](tx, "SELECT "+holdsdb.HoldColumns+" FROM holds h WHERE h.request_id = $1 AND h.closed_at IS NULL", request)
}

// Candidate is a copy of ours that a partner's request may be for.
type Candidate struct {
	RequestID, TitleID                     int64
	Name, Author, ISBN, Numbers, OfEdition string
	Year                                   int
	ID                                     int64
	Barcode, Collection, Material          string
	BranchCode, AtBranch                   calendar.Code
	CallNumber, Edition, Volume            string
	AddedOn                                time.Time
	Standing                               circulation.ItemStatus
	Place                                  *circulation.Place // nil: free on its shelf
	Awaited                                int                // by so many holds of patrons
}

// mostCopies is how many copies one request is shown.
const mostCopies = 40

// Candidates gives the copies that some requests of partners may be for: of titles with one of their numbers, with the same title up to a
// colon, or of the record that they found here.
func Candidates(tx *store.Tx, ids []int64) ([]Candidate, error) {
	return store.List[Candidate](tx, `SELECT r.id AS request_id, c.* FROM requests r CROSS JOIN LATERAL (
			SELECT t.id AS title_id, t.name, t.author, t.isbn, t.numbers, t.edition AS of_edition, coalesce(t.year, 0) AS year, i.id, i.barcode,
				i.collection, i.material, i.branch_code, i.at_branch, i.call_number, i.edition, i.volume, i.added_on, i.standing, w.place,
				(SELECT count(*)::int FROM holds h WHERE h.title_id = t.id AND h.state = 'waiting' AND h.request_id IS NULL) AS awaited
			FROM (SELECT k.id FROM string_to_array(r.numbers, ' ') n CROSS JOIN LATERAL unnest(n) x
					CROSS JOIN LATERAL (SELECT id FROM titles WHERE words LIKE '%' || lower(x) || '%' LIMIT 20) k WHERE x <> ''
				UNION (SELECT id FROM titles WHERE lower(name) = lower(r.title) LIMIT 20)
				UNION (SELECT id FROM titles WHERE lower(name) COLLATE "C" >= lower(split_part(r.title, ':', 1))
					AND lower(name) COLLATE "C" < lower(split_part(r.title, ':', 1)) || chr(1114111) AND length(split_part(r.title, ':', 1)) >= 4 LIMIT 20)
				UNION SELECT id FROM titles WHERE r.record ~ '^[0-9]{1,18}$' AND id = CASE WHEN r.record ~ '^[0-9]{1,18}$' THEN r.record::bigint END) m
			JOIN titles t ON t.id = m.id JOIN items i ON i.title_id = t.id AND i.standing NOT IN ('withdrawn') AND i.material <> 'interlibrary'
			LEFT JOIN whereabouts w ON w.item_id = i.id
			ORDER BY w.place IS NULL DESC, i.id LIMIT $2) c
		WHERE r.id = ANY($1) ORDER BY r.id, c.title_id, c.id`, ids, mostCopies)
}

// NewRequests gives requests of partners that wait for an answer, the oldest first, up to a number.
func NewRequests(tx *store.Tx, most int) ([]Request, error) {
	ids, err := store.Each[int64](tx, "SELECT id FROM requests WHERE role = 'supplying' AND stage = 'asked' ORDER BY begun_at, id LIMIT $1", most)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	rows, err := requests(tx, ids)
	return store.InOrder(rows, ids, func(r *Request) int64 { return r.ID }), err
}

// OverdueWithThem gives requests of partners that have something of ours due before a day, and were not reminded since another.
func OverdueWithThem(tx *store.Tx, day, since time.Time, most int) ([]int64, error) {
	return store.Each[int64](tx, `SELECT r.id FROM requests r JOIN loans l ON l.id = r.loan_id AND l.returned_at IS NULL AND l.lost_at IS NULL
		WHERE r.role = 'supplying' AND r.stage IN ('shipped', 'there') AND r.due < $1 AND (r.reminded_on IS NULL OR r.reminded_on <= $2)
		ORDER BY r.id LIMIT $3`, day, since, most)
}

// RequestWithNumber gives the id and partner of the newest request with a number, of either side; 0 where there is none.
func RequestWithNumber(tx *store.Tx, number string) (int64, error) {
	return store.Value[int64](tx, "SELECT id FROM requests WHERE lower(number || ' ' || title || ' ' || author) LIKE lower($2) AND lower(number) = lower($1) ORDER BY id DESC LIMIT 1",
		number, store.Like(number)+"%")
}

// About is an item with the open request that it is in somebody's hand for; 0: none.
type About struct{ Item, Request int64 }

// RequestOfBarcode gives the item with a number, and the request that it is about: for which it was promised, under which a partner has it, or
// by which it came from outside. The item is 0 where none has the number.
func RequestOfBarcode(tx *store.Tx, barcode string) (*About, error) {
	about, err := store.One[About](tx, `SELECT i.id AS item, coalesce(
			(SELECT h.request_id FROM holds h WHERE h.title_id = i.title_id AND coalesce(h.item_id, h.only_item) = i.id AND h.request_id IS NOT NULL
				AND h.closed_at IS NULL LIMIT 1),
			(SELECT r.id FROM requests r WHERE r.item_id = i.id AND (r.role = 'requesting' AND r.stage = 'there' OR r.role = 'supplying'
				AND r.stage IN ('promised', 'shipped', 'there', 'back') AND EXISTS (SELECT 1 FROM loans l WHERE l.id = r.loan_id AND l.returned_at IS NULL))
				ORDER BY r.id DESC LIMIT 1), 0) AS request
		FROM items i WHERE i.barcode = $1`, barcode)
	if about == nil {
		about = &About{}
	}
	return about, err
}
