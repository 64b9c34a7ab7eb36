package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/rivermigrate"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is one database.
type Store struct {
	config *pgx.ConnConfig
	db     *gorm.DB
	pool   *sql.DB
	apart  *sql.DB
}

// Close ends all connections.
func (s *Store) Close() error { return errors.Join(s.pool.Close(), s.apart.Close()) }

// Pool is the pool of connections, for the job queue and the sessions, which have queries of their own.
func (s *Store) Pool() *sql.DB { return s.pool }

// Gorm is the database for the demo's maker and for tests, which look behind the scenes.
func (s *Store) Gorm() *gorm.DB { return s.db }

// ORM is the database for single rows outside an act, such as work that goes on for long.
func (s *Store) ORM(ctx context.Context) *gorm.DB { return s.db.WithContext(ctx) }

// Reached tells whether the database answers, whatever acts are waiting for.
func (s *Store) Reached(ctx context.Context) error { return s.apart.PingContext(ctx) }

// Unbounded gives connections without time limits, for what takes long on purpose.
func (s *Store) Unbounded() *sql.DB { return stdlib.OpenDB(*s.config.Copy()) }

// ApartFromTime works on a connection without time limits.
func (s *Store) ApartFromTime(ctx context.Context, work func(*pgx.Conn) error) error {
	pool := s.Unbounded()
	defer func() { _ = pool.Close() }()
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }()
	return conn.Raw(func(driver any) error { return work(driver.(*stdlib.Conn).Conn()) })
}

// Migrate brings the database to the newest numbered migration, the job queue's own tables included. Copies that start
// together take turns.
func (s *Store) Migrate(ctx context.Context) error {
	pool := s.Unbounded()
	defer func() { _ = pool.Close() }()
	locker, err := lock.NewPostgresSessionLocker(lock.WithLockTimeout(1, 600))
	if err != nil {
		return err
	}
	files, err := goose.NewProvider(goose.DialectPostgres, pool, mustSub(), goose.WithSessionLocker(locker))
	if err != nil {
		return err
	}
	if _, err := files.Up(ctx); err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	conn, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close() }() // gives the lock back
	if _, err := conn.ExecContext(ctx, "SELECT pg_advisory_lock($1)", migrating); err != nil {
		return err
	}
	jobs, err := rivermigrate.New(riverdatabasesql.New(pool), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	_, err = jobs.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// Open connects to a PostgreSQL URL. The connection is made when first needed, so that the program can start before
// the database does. A tracer, which may be nil, is told of every round trip.
func Open(url string, tracer pgx.QueryTracer) (*Store, error) {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	config.Tracer = tracer
	s := &Store{config: config}
	bounded := config.Copy()
	bounded.RuntimeParams["statement_timeout"] = statementTimeout
	bounded.RuntimeParams["lock_timeout"] = lockTimeout
	bounded.RuntimeParams["idle_in_transaction_session_timeout"] = idleTimeout
	// Statements are few, prepared once on each connection, and look for keys: planning them anew with each scan would
	// cost more than running them.
	bounded.RuntimeParams["plan_cache_mode"] = "force_generic_plan"
	// A plan made while a table was small must not stay when it has grown.
	bounded.RuntimeParams["enable_seqscan"] = "off"
	bounded.RuntimeParams["jit"] = "off"
	bounded.RuntimeParams["default_toast_compression"] = "lz4"
	s.pool = stdlib.OpenDB(*bounded)
	s.pool.SetMaxOpenConns(poolSize)
	s.pool.SetMaxIdleConns(poolSize)
	s.apart = stdlib.OpenDB(*bounded)
	s.apart.SetMaxOpenConns(2)
	s.db, err = gorm.Open(postgres.New(postgres.Config{Conn: s.pool}), &gorm.Config{
		Logger:                 logger.Default.LogMode(logger.Silent),
		SkipDefaultTransaction: true, // every act is one transaction of its own
		DisableAutomaticPing:   true,
	})
	if err != nil {
		return nil, err
	}
	// What a model belongs to is loaded with it, never saved with it.
	for _, name := range []string{"gorm:save_before_associations", "gorm:save_after_associations"} {
		if err := errors.Join(s.db.Callback().Create().Remove(name),
			s.db.Callback().Update().Remove(name)); err != nil {
			return nil, err
		}
	}
	return s, nil
}

// NoRow tells whether an error says that there is no such row.
func NoRow(err error) bool { return errors.Is(err, gorm.ErrRecordNotFound) }

// How long the database lets a statement run, wait for a lock, or leaves a transaction idle. What takes longer on
// purpose (migrations, rehearsals, steps of the night) says so for itself.
const (
	statementTimeout = "20s"
	lockTimeout      = "1500ms"
	idleTimeout      = "20s"
)

// poolSize is how many connections acts share. Two more are kept apart for the question whether the database is there.
const poolSize = 24

// migrating is the advisory lock under which copies that start together take turns.
const migrating = 7002

// Violates tells whether an error is the database's refusal by a named constraint or unique index.
func Violates(err error, constraint string) bool {
	var refused *pgconn.PgError
	return errors.As(err, &refused) && refused.ConstraintName == constraint
}

// Unique tells whether something was refused because there may be only one of it.
func Unique(err error) bool {
	var refused *pgconn.PgError
	return errors.As(err, &refused) && refused.Code == "23505"
}

// TookTooLong tells whether the database has stopped a statement that took longer than it may.
func TookTooLong(err error) bool {
	var stopped *pgconn.PgError
	return errors.As(err, &stopped) && stopped.Code == "57014"
}

// Referenced tells whether something was refused because something else speaks of it.
func Referenced(err error) bool {
	var refused *pgconn.PgError
	return errors.As(err, &refused) && refused.Code == "23503"
}

// Written is an error as it may be written down: of the database only what it concerns, since what stands in it is of people.
func Written(err error) string {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) {
		return err.Error()
	}
	parts := []string{"PostgreSQL " + pg.Code}
	for _, p := range []string{pg.TableName, pg.ColumnName, pg.ConstraintName, pg.Routine} {
		if p != "" {
			parts = append(parts, p)
		}
	}
	return strings.Join(parts, " ")
}

// ErrMoved says that what an act had looked at was changed by another in between. It is tried again.
var ErrMoved = errors.New("changed by another act meanwhile")

// ErrBusy says that what an act needs was held by others for longer than it waits. Nothing was changed.
var ErrBusy = errors.New("held by others for too long")

// ErrUnsure says that the line to the database was cut while a change was committed: nobody knows whether it was kept.
var ErrUnsure = errors.New("not known whether it was kept")

// Codes of PostgreSQL after which the same act can simply be tried again.
var again = map[string]bool{
	"40001": true, // serialization failure
	"40P01": true, // deadlock
	"55P03": true, // lock not available in time
}

// races are constraints that catch what two acts did at once; looked at again, each sees what the other did.
var races = map[string]bool{
	"whereabouts_pkey":      true,
	"loans_one_open":        true,
	"transits_one_live":     true,
	"holds_one_item":        true,
	"return_runs_one_bin":   true,
	"return_runs_one_desk":  true,
	"till_is_open":          true,
	"tills_one_open":        true,
	"refund_ends_pkey":      true,
	"receipts_reverses_key": true,
	"invoice_lines_once":    true,
	"disputes_once":         true,
	"ledger_owed":           true,
	"editions_number_key":   true,
	"requests_said_once":    true,
	"patrons_card_key":      true,
	"patron_counts":         true,
	"merges_once":           true,
	"rosters_named":         true,
	"items_barcode_key":     true,
	"titles_source":         true,
	"totes_one_open":        true,
	"till_closes_last":      true,
}

func tryAgain(err error) bool {
	var refused *pgconn.PgError
	if errors.As(err, &refused) {
		return again[refused.Code] || races[refused.ConstraintName]
	}
	return errors.Is(err, ErrMoved)
}

// patience is the time in which an act is tried again; a person is waiting for it.
const patience = 6 * time.Second
