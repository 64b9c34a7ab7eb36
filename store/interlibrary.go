package store

import (
	"context"
	"fmt"
	"time"

	"nevrin/core/exchange"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Partners lists all partners by name.
func (t *Tx) Partners() ([]Partner, error) {
	var out []Partner
	return out, t.orm().Order("name").Find(&out).Error
}

// PartnerByID gives a partner; nil where there is none.
func (t *Tx) PartnerByID(id int64) (*Partner, error) {
	return t.partner("id = ?", id)
}

// PartnerBySecret gives the partner who knows a secret; nil where nobody does.
func (t *Tx) PartnerBySecret(secret string) (*Partner, error) {
	return t.partner("secret_digest = ?", Digest(secret))
}

func (t *Tx) partner(where string, arg any) (*Partner, error) {
	var p Partner
	err := t.orm().Where(where, arg).Take(&p).Error
	if NoRow(err) {
		return nil, nil
	}
	return &p, err
}

// NextRequest counts on the numbers of our requests.
func (t *Tx) NextRequest() (int64, error) {
	return value[int64](t, "SELECT nextval('request_numbers')")
}

// AddRequest writes a request and gives it its id.
func (t *Tx) AddRequest(r *Request) error { return t.orm().Create(r).Error }

// RequestRow gives a request as it stands; nil where there is none.
func (t *Tx) RequestRow(id int64) (*Request, error) { return t.request(t.orm(), "id = ?", id) }

// RequestLocked gives a request for a change, with its partner; nil where there is none.
func (t *Tx) RequestLocked(id int64) (*Request, error) {
	return t.request(t.forChange(), "id = ?", id)
}

// RequestForChange gives a request for a change that touches its thing too: with the patron and the title locked before
// the request is, as the order of locks wants it. Item is a further item that the change is about; 0 for none.
func (t *Tx) RequestForChange(id, item int64) (*Request, error) {
	seen, err := t.RequestRow(id)
	if err != nil || seen == nil {
		return nil, err
	}
	l := Lock{Item: item, Patrons: []int64{seen.Partner.PatronID}}
	if seen.ItemID != nil && item == 0 {
		l.Item = *seen.ItemID
	}
	if seen.PatronID != nil {
		l.Patrons = append(l.Patrons, *seen.PatronID)
	}
	if err := t.Lock(l); err != nil {
		return nil, err
	}
	r, err := t.RequestLocked(id)
	if err == nil && r != nil && item == 0 && (r.ItemID == nil) != (seen.ItemID == nil) {
		return nil, ErrMoved
	}
	return r, err
}

// RequestByNumber does so by the number that a partner knows it by.
func (t *Tx) RequestByNumber(role exchange.Role, partner int64, number string) (*Request, error) {
	return t.request(t.forChange(), "role = ? AND partner_id = ? AND number = ?", role, partner, number)
}

func (t *Tx) forChange() *gorm.DB { return t.orm().Clauses(clause.Locking{Strength: "NO KEY UPDATE"}) }

func (t *Tx) request(db *gorm.DB, where string, args ...any) (*Request, error) {
	var r Request
	if err := db.Where(where, args...).Take(&r).Error; NoRow(err) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	r.Partner = &Partner{}
	return &r, t.orm().Take(r.Partner, r.PartnerID).Error
}

// MoveRequest writes what a message has changed of a request.
func (t *Tx) MoveRequest(r *Request) error {
	return t.orm().
		Model(r).
		Select("Stage", "MovedAt", "Withdrawing", "ItemID", "LoanID", "Due", "LastNote").
		Updates(r).
		Error
}

// SeeRequest notes that a partner's no has been dealt with.
func (t *Tx) SeeRequest(r *Request) error { return t.orm().Model(r).Update("seen", true).Error }

// RunningRequests counts a patron's requests that have not ended.
func (t *Tx) RunningRequests(patron int64) (int, error) {
	return value[int](
		t,
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
func (t *Tx) Requests(since time.Time, supplying, requesting []exchange.Stage, page Page) ([]Request, Page, error) {
	rank := fmt.Sprintf(newestFirst, ourMove, "r.moved_at")
	ids, next, err := pagedIDs(
		t,
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
	rows, err := t.requests(ids)
	return inOrder(rows, ids, func(r *Request) int64 { return r.ID }), next, err
}

// OurRequests counts the requests where we act next.
func (t *Tx) OurRequests(supplying, requesting []exchange.Stage) (int, error) {
	return value[int](
		t,
		"SELECT count(*)::int FROM requests r WHERE "+ourMove+" AND ("+openRequest+" OR r.stage = 'refused')",
		supplying,
		requesting,
	)
}

// OneRequest gives one request as lists show it.
func (t *Tx) OneRequest(id int64) ([]Request, error) { return t.requests([]int64{id}) }

func (t *Tx) requests(ids []int64) ([]Request, error) {
	var rows []Request
	err := t.orm().Joins("Partner").Joins("Patron").Joins("Item").Where("requests.id IN ?", ids).Find(&rows).Error
	return rows, err
}

// NewestSent gives the newest message of ours of each of some requests.
func (t *Tx) NewestSent(requests []int64) ([]Exchange, error) {
	return list[Exchange](
		t,
		`SELECT DISTINCT ON (request_id) id, request_id, outgoing, kind, state, problem, tries, at FROM exchanges
		WHERE request_id = ANY($1) AND outgoing ORDER BY request_id, id DESC`,
		requests,
	)
}

// ItemPlace is where an item is, if it is not free on its shelf.
type ItemPlace struct {
	ItemID int64
	Place  string
}

// PlacesOf gives where some items are.
func (t *Tx) PlacesOf(items []int64) ([]ItemPlace, error) {
	return list[ItemPlace](t, "SELECT item_id, place FROM whereabouts WHERE item_id = ANY($1)", items)
}

// FreeCopies gives the free items of titles with a name or an ISBN, up to a number.
func (t *Tx) FreeCopies(name, isbn string, most int) ([]Item, error) {
	return list[Item](
		t,
		`SELECT i.id, i.barcode, i.title_id, i.branch_code, i.at_branch, i.collection, i.material, i.call_number,
				i.added_on
		FROM items i WHERE i.title_id = ANY(ARRAY(SELECT id FROM titles WHERE lower(name) = lower($1) UNION SELECT id
			FROM titles WHERE isbn = $2 AND isbn <> ''))
		AND `+FreeItem+` ORDER BY i.id LIMIT $3`,
		name,
		isbn,
		most,
	)
}

// AddExchange writes a message of a request and gives it its id.
func (t *Tx) AddExchange(e *Exchange) error { return t.orm().Create(e).Error }

// QueuedExchange gives a message that is still to be sent, with the address of its partner, and whether an earlier one
// of the same request still waits; nil where it has been sent.
func (s *Store) QueuedExchange(ctx context.Context, id int64) (e *Exchange, url string, earlier bool, err error) {
	var row struct {
		Exchange
		MessageURL string
		Earlier    bool
	}
	found := s.db.WithContext(ctx).
		Raw(`SELECT e.*, p.message_url, EXISTS (SELECT 1 FROM exchanges o WHERE o.request_id = e.request_id
				AND o.id < e.id AND o.state = 'queued') AS earlier
		FROM exchanges e JOIN requests r ON r.id = e.request_id JOIN partners p ON p.id = r.partner_id
			WHERE e.id = ? AND e.state = 'queued'`, id).
		Scan(&row)
	if found.Error != nil || found.RowsAffected == 0 {
		return nil, "", false, found.Error
	}
	return &row.Exchange, row.MessageURL, row.Earlier, nil
}

// ExchangeTried writes how an attempt at sending a message ended.
func (s *Store) ExchangeTried(ctx context.Context, id int64, state, problem string) error {
	return s.db.WithContext(ctx).
		Exec("UPDATE exchanges SET state = ?, problem = ?, tries = tries + 1 WHERE id = ? AND state = 'queued'", state, problem, id).
		Error
}

// PartnersAt writes under which address the partners of the demo are reached: their stand-ins have another one each
// time.
func (s *Store) PartnersAt(ctx context.Context, base string) error {
	return s.db.WithContext(ctx).
		Exec("UPDATE partners SET sru_url = ? || symbol || '/sru', message_url = ? || symbol || '/iso18626'", base, base).
		Error
}

// RecordsAt settles where a network asks for records of titles.
func (s *Store) RecordsAt(ctx context.Context, name, address, covers string) error {
	return s.db.WithContext(ctx).Exec(`UPDATE network SET version = version + 1, settings = settings || jsonb_build_object('records',
		jsonb_build_object('name', ?::text, 'address', ?::text, 'covers', ?::text))`, name, address, covers).Error
}
