package rulesdb

import (
	"context"
	"encoding/binary"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"nevrin/core/calendar"
	"nevrin/core/money"
	"nevrin/store"
)

// PastLoan is a loan as a rehearsal reads it.
type PastLoan struct {
	ID, Item, Patron, Edition int64
	Situation                 string // its five values, a unit separator (U+001F) between them
	Lent                      time.Time
	Renewed, Returned         *time.Time
	Renewals                  int
	DueDate                   *calendar.Date
	DueAt                     *time.Time
	Price                     *money.Amount
	OwnTerms                  string
	Awaited                   bool // somebody else had a hold on the title while it was out
	AwaitedThen               bool // others waited for the title when it was lent
	Cut                       bool // it is no longer known whose it was; Patron is a number of its own then
}

const pastLoans = `SELECT l.id, l.item_id, coalesce(l.patron_id, -l.id), l.edition_id, array_to_string(l.situation,
		E'\x1f'), l.lent_at, l.renewed_at, l.returned_at,
		l.renewals::bigint, l.due_date, l.due_at, i.price, coalesce(i.own_terms::text, ''),
		EXISTS (SELECT 1 FROM holds h WHERE h.title_id = i.title_id AND h.patron_id IS DISTINCT FROM l.patron_id
			AND h.placed_at < coalesce(l.returned_at, $3) AND coalesce(h.closed_at,
			'infinity') > l.lent_at)::int::bigint, l.awaited::int::bigint, (l.patron_id IS NULL)::int::bigint
	FROM loans l JOIN items i ON i.id = l.item_id
	WHERE l.lent_at >= $1 AND l.lent_at < $2 AND NOT l.undone ORDER BY 3, l.lent_at, l.id`

// EachPastLoan calls for every loan made between two instants, patron by patron and in the order in which
// they were made. It reads a million rows as one stream, so it stands on the driver itself, in its binary form.
func EachPastLoan(ctx context.Context, s *store.Store, since, until, now time.Time, call func(*PastLoan) error) error {
	pool := s.Unbounded()
	defer func() { _ = pool.Close() }()
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	return conn.Raw(func(driver any) error {
		rows, err := driver.(*stdlib.Conn).Conn().Query(ctx, pastLoans, since, until, now)
		if err != nil {
			return err
		}
		defer rows.Close()
		known := map[string]string{} // situations recur
		for rows.Next() {
			v := rows.RawValues()
			situation, ok := known[string(v[4])]
			if !ok {
				situation = string(v[4])
				known[situation] = situation
			}
			p := PastLoan{
				ID:        number(v[0]),
				Item:      number(v[1]),
				Patron:    number(v[2]),
				Edition:   number(v[3]),
				Situation: situation,
				Lent:      *instant(v[5]),
				Renewed:   instant(v[6]),
				Returned:  instant(v[7]),
				Renewals:  int(number(v[8])),
				DueDate:   date(v[9]),
				DueAt:     instant(v[10]),
				OwnTerms:  string(v[12]),
				Awaited:   number(v[13]) == 1,

				AwaitedThen: number(v[14]) == 1,
				Cut:         number(v[15]) == 1,
			}
			if v[11] != nil {
				price := money.Amount(number(v[11]))
				p.Price = &price
			}
			if err := call(&p); err != nil {
				return err
			}
		}
		return checkBinary(rows)
	})
}

// PostgreSQL counts from 1 January 2000.
var (
	epoch    = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)
	epochDay = calendar.MakeDate(2000, 1, 1)
)

func number(v []byte) int64 { return int64(binary.BigEndian.Uint64(v)) }

func instant(v []byte) *time.Time {
	if v == nil {
		return nil
	}
	t := epoch.Add(time.Duration(number(v)) * time.Microsecond)
	return &t
}

func date(v []byte) *calendar.Date {
	if v == nil {
		return nil
	}
	d := epochDay + calendar.Date(int32(binary.BigEndian.Uint32(v)))
	return &d
}

// checkBinary ends the reading; the columns must have come in binary form.
func checkBinary(rows pgx.Rows) error {
	for _, f := range rows.FieldDescriptions() {
		if f.Format != pgx.BinaryFormatCode && f.DataTypeOID != 25 { // texts are the same in both
			return fmt.Errorf("column %s came as text", f.Name)
		}
	}
	return rows.Err()
}
