package interlibrarydb

import (
	"context"
	"time"

	"nevrin/store"
)

// NewestSent gives the newest message of ours of each of some requests.
func NewestSent(tx *store.Tx, requests []int64) ([]Exchange, error) {
	return store.List[Exchange](
		tx,
		`SELECT DISTINCT ON (request_id) id, request_id, outgoing, kind, state, problem, tries, at FROM exchanges
		WHERE request_id = ANY($1) AND outgoing ORDER BY request_id, id DESC`,
		requests,
	)
}

// ExchangesOf gives the messages of a request, the oldest first.
func ExchangesOf(tx *store.Tx, request int64) ([]Exchange, error) {
	return store.List[Exchange](tx, `SELECT id, request_id, outgoing, kind, body, state, problem, tries, at FROM exchanges WHERE request_id = $1
		ORDER BY id LIMIT 500`, request)
}

// AddExchange writes a message of a request and gives it its id.
func AddExchange(tx *store.Tx, e *Exchange) error { return tx.ORM().Create(e).Error }

// Queued is a message that is still to be sent, with where it goes.
type Queued struct {
	Exchange
	MessageURL, Email string // of the partner
	Earlier           bool   // an earlier message of the same request still waits
}

// QueuedExchange gives a message that is still to be sent; nil where it has been.
func QueuedExchange(ctx context.Context, s *store.Store, id int64) (*Queued, error) {
	var row Queued
	found := s.ORM(ctx).
		Raw(`SELECT e.*, p.message_url, p.email, EXISTS (SELECT 1 FROM exchanges o WHERE o.request_id = e.request_id
				AND o.id < e.id AND o.state = 'queued') AS earlier
		FROM exchanges e JOIN requests r ON r.id = e.request_id JOIN partners p ON p.id = r.partner_id
			WHERE e.id = ? AND e.state = 'queued'`, id).
		Scan(&row)
	if found.Error != nil || found.RowsAffected == 0 {
		return nil, found.Error
	}
	return &row, nil
}

// ExchangeTried writes how an attempt at sending a message ended. A withdrawal or renewal that the partner does not take is not waited for.
func ExchangeTried(ctx context.Context, s *store.Store, id int64, state, problem string) error {
	return s.ORM(ctx).
		Exec(`WITH tried AS (UPDATE exchanges SET state = ?, problem = ?, tries = tries + 1 WHERE id = ? AND state = 'queued'
				RETURNING request_id, kind, state)
			UPDATE requests r SET withdrawing = r.withdrawing AND t.kind <> 'Cancel', renewing = r.renewing AND t.kind <> 'Renew'
			FROM tried t WHERE r.id = t.request_id AND t.state = 'refused' AND t.kind IN ('Cancel', 'Renew')`, state, problem, id).
		Error
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
