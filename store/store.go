// Package store keeps everything in PostgreSQL through GORM.
//
// Models mirror tables; what must never be is refused by the database itself (see migrations).
// Queries take a *gorm.DB, which may be a transaction; the domain decides, the store only keeps.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"log/slog"

	"github.com/jackc/pgx/v5/pgconn"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver under database/sql
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/rivermigrate"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Open connects to a PostgreSQL URL. The connection is made when first needed, so that the program
// can start before the database does.
func Open(url string) (*gorm.DB, error) {
	pool, err := sql.Open("pgx", url)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read: %w", err)
	}
	pool.SetMaxOpenConns(20)
	pool.SetMaxIdleConns(20)
	db, err := gorm.Open(postgres.New(postgres.Config{Conn: pool}), &gorm.Config{
		Logger:                 logger.Default.LogMode(logger.Silent),
		SkipDefaultTransaction: true, // every method of app runs in one transaction of its own
		DisableAutomaticPing:   true,
	})
	if err != nil {
		return nil, err
	}
	// What a model belongs to is loaded with it, never saved with it.
	for _, name := range []string{"gorm:save_before_associations", "gorm:save_after_associations"} {
		if err := errors.Join(db.Callback().Create().Remove(name), db.Callback().Update().Remove(name)); err != nil {
			return nil, err
		}
	}
	return db, nil
}

// Migrate brings the database to the newest numbered migration, the job queue's own tables included.
func Migrate(ctx context.Context, db *gorm.DB) error {
	pool, err := db.DB()
	if err != nil {
		return err
	}
	goose.SetBaseFS(migrations)
	goose.SetLogger(goose.NopLogger())
	if err := goose.SetDialect("postgres"); err != nil {
		return err
	}
	if err := goose.UpContext(ctx, pool, "migrations"); err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	jobs, err := rivermigrate.New(riverdatabasesql.New(pool), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	_, err = jobs.Migrate(ctx, rivermigrate.DirectionUp, nil)
	return err
}

// Violates tells whether an error is the database's refusal by a named constraint or unique index.
func Violates(err error, constraint string) bool {
	var refused *pgconn.PgError
	return errors.As(err, &refused) && refused.ConstraintName == constraint
}

// Tx gives the sql transaction under a GORM transaction, for the job queue.
func Tx(db *gorm.DB) *sql.Tx { return db.Statement.ConnPool.(*sql.Tx) }
