package statusdb

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"nevrin/store"
)

// Sum is a figure by which a restored database is compared with what it was.
type Sum struct {
	What          string
	Number, Total int64
}

// Sums counts what must never be lost, and what may never be: balances that no ledger explains, loans whose item is nowhere.
func Sums(ctx context.Context, s *store.Store) ([]Sum, error) {
	var out []Sum
	err := s.ApartFromTime(ctx, func(conn *pgx.Conn) error {
		rows, err := conn.Query(ctx, `
		SELECT 'ledger' AS what, count(*) AS number, coalesce(sum(amount), 0)::bigint AS total FROM ledger
		UNION ALL SELECT 'balances', count(*), coalesce(sum(balance), 0)::bigint FROM patrons WHERE balance <> 0
		UNION ALL SELECT 'loans, and open ones', count(*), count(*) FILTER (WHERE returned_at IS NULL) FROM loans
		UNION ALL SELECT 'holds, and open ones', count(*), count(*) FILTER (WHERE closed_at IS NULL) FROM holds
		UNION ALL SELECT 'events, and the last', count(*), coalesce(max(id), 0) FROM events
		UNION ALL SELECT 'balances that no ledger explains', count(*), 0 FROM patrons p
			WHERE balance <> (SELECT coalesce(sum(amount), 0) FROM ledger WHERE patron_id = p.id)
		UNION ALL SELECT 'open loans without a place', count(*), 0 FROM loans l
			WHERE returned_at IS NULL AND NOT EXISTS (SELECT 1 FROM whereabouts w WHERE w.item_id = l.item_id AND w.ref = l.id)`)
		if err != nil {
			return err
		}
		out, err = pgx.CollectRows(rows, pgx.RowToStructByPos[Sum])
		return err
	})
	return out, err
}

// Recovered tells of when the last change is that a restored cluster has; nil: it has none but those of its base backup.
func Recovered(ctx context.Context, s *store.Store) (last *time.Time, err error) {
	err = s.ORM(ctx).Raw("SELECT pg_last_xact_replay_timestamp()").Row().Scan(&last)
	return last, err
}

// BackedUp writes that a base backup has been made. Not in it itself, it is known where the work goes on.
func BackedUp(ctx context.Context, s *store.Store, took time.Duration) error {
	return s.ORM(ctx).Exec("INSERT INTO backups (seconds) VALUES (?)", took.Seconds()).Error
}

// KeepsArchive tells whether PostgreSQL gives its log to an archive.
func KeepsArchive(ctx context.Context, s *store.Store) (keeps bool, err error) {
	err = s.ORM(ctx).Raw("SELECT current_setting('archive_mode') <> 'off'").Row().Scan(&keeps)
	return keeps, err
}
