package eventsdb

import (
	"encoding/json"
	"time"

	"nevrin/core/calendar"
	"nevrin/core/circulation"
	"nevrin/store"
)

// Event is something that happened. Nothing in it names a person but its links.
type Event struct {
	ID         int64
	At         time.Time
	Kind       string
	StaffID    *int64
	BranchCode *calendar.Code
	PatronID   *int64
	ItemID     *int64
	LoanID     *int64
	HoldID     *int64
	RequestID  *int64
	MessageID  *int64
	Request    *string
	Detail     json.RawMessage `gorm:"type:jsonb"`
	Why        json.RawMessage `gorm:"type:jsonb"`
}

// AddEvents appends events; each keeps or gets its id.
func AddEvents(tx *store.Tx, events []Event) error {
	for k := range events {
		e := &events[k]
		if e.ID == 0 {
			id, err := tx.NextID()
			if err != nil {
				return err
			}
			e.ID = id
		}
		tx.Queue(
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

// EventShown is an event with what its links say now.
type EventShown struct {
	Event
	Who                      *string // null: by itself
	Barcode, TitleName       *string
	LegalName, PreferredName *string
	RequestNumber            *string
	RequestTitle, Partner    *string
	Address, Subject         *string
	Standing                 *circulation.ItemStatus // of the item now
	Noted                    bool                    // the item has a note now
	Open                     bool                    // its loan or hold is open still
	Owed                     bool                    // something is still owed for its loan
	Last                     bool                    // its loan is the item's latest
	Shown                    bool                    // its patron shows what they have read
}

const eventsShown = `SELECT e.id, e.at, e.kind, e.staff_id, e.branch_code, e.patron_id, e.item_id, e.loan_id,
		e.hold_id, e.request_id, e.message_id, e.request, e.detail, e.why,
		i.standing, coalesce(i.note, '') <> '' AS noted, coalesce(p.history_seen, false) AS shown,
		coalesce(l.returned_at IS NULL AND l.id IS NOT NULL OR h.closed_at IS NULL
			AND h.id IS NOT NULL, false) AS open,
		l.id IS NOT NULL AND NOT EXISTS (SELECT 1 FROM loans n WHERE n.item_id = l.item_id AND n.lent_at > l.lent_at
			AND NOT n.undone) AS last,
		EXISTS (SELECT 1 FROM ledger c WHERE c.loan_id = e.loan_id AND c.kind = 'charge' AND
			(SELECT sum(s.amount) FROM ledger s WHERE s.id = c.id OR s.settles = c.id) > 0) AS owed,
		s.name AS who, i.barcode, coalesce(t.name, ht.name) AS title_name, p.legal_name, p.preferred_name,
			r.number AS request_number, r.title AS request_title, n.name AS partner,
		m.address, m.subject
	FROM events e LEFT JOIN staff s ON s.id = e.staff_id LEFT JOIN items i ON i.id = e.item_id LEFT
		JOIN titles t ON t.id = i.title_id
	LEFT JOIN holds h ON h.id = e.hold_id LEFT JOIN titles ht ON ht.id = h.title_id
	LEFT JOIN patrons p ON p.id = e.patron_id LEFT JOIN requests r ON r.id = e.request_id LEFT
		JOIN partners n ON n.id = r.partner_id
	LEFT JOIN messages m ON m.id = e.message_id AND e.patron_id = m.patron_id LEFT JOIN loans l ON l.id = e.loan_id `

// EventsOfPatron gives a page of what happened to a patron, newest first.
func EventsOfPatron(tx *store.Tx, patron int64, page store.Page) ([]EventShown, store.Page, error) {
	return events(tx, "e.patron_id", patron, page)
}

// EventsOfItem gives a page of what happened to an item, newest first.
func EventsOfItem(tx *store.Tx, item int64, page store.Page) ([]EventShown, store.Page, error) {
	return events(tx, "e.item_id", item, page)
}

// EventsOfRequest gives a page of what happened to a request to or from outside, newest first.
func EventsOfRequest(tx *store.Tx, request int64, page store.Page) ([]EventShown, store.Page, error) {
	return events(tx, "e.request_id", request, page)
}

func events(tx *store.Tx, column string, id int64, page store.Page) ([]EventShown, store.Page, error) {
	if page.After.Text == "" {
		page.After.Text, page.After.ID = "infinity", 1<<62
	}
	at := func(e *EventShown) store.Cursor {
		return store.Cursor{Text: e.At.UTC().Format(time.RFC3339Nano), ID: e.ID}
	}
	return store.Paged(
		tx,
		page,
		at,
		eventsShown+"WHERE "+column+` = $1 AND $2::bigint = 0 AND (e.at, e.id) < ($3::text::timestamptz, $4::bigint)
		ORDER BY e.at DESC, e.id DESC`,
		id,
	)
}

// EventsAhead makes the months' partitions of events up to a date that are not there yet.
func EventsAhead(tx *store.Tx, since, until time.Time) (int, error) {
	return store.Value[int](tx, "SELECT events_ahead($1, $2)", since, until)
}
