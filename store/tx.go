package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"gorm.io/gorm"
)

// ORM is the transaction for models and single rows. What was queued is written first.
func (t *Tx) ORM() *gorm.DB {
	if err := t.Flush(); err != nil {
		db := t.db.Session(&gorm.Session{NewDB: true})
		db.Statement.ConnPool = t.tx
		_ = db.AddError(err)
		return db
	}
	return t.db
}

// Tx is one transaction on one connection. Queries answer at once; what is queued is written together, in the order in
// which it was queued, before the transaction ends or a further question is asked.
type Tx struct {
	db     *gorm.DB
	ctx    context.Context
	conn   *sql.Conn
	tx     *sql.Tx
	queued *pgx.Batch
	checks []func(pgconn.CommandTag) error
	locked Locked
	block  ids
	wrote  bool

	keepTime func(now time.Time) error
}

// SQLTx is the transaction as the job queue wants it.
func (t *Tx) SQLTx() *sql.Tx { return t.tx }

// NextID gives an id for a row about to be written.
func (t *Tx) NextID() (int64, error) {
	if t.block.next == t.block.end {
		var first int64
		if err := t.db.Raw("SELECT nextval('ids')").Scan(&first).Error; err != nil {
			return 0, err
		}
		t.block = ids{first, first + idBlock}
	}
	t.block.next++
	return t.block.next - 1, nil
}

// Queue puts off one statement until the next flush.
func (t *Tx) Queue(statement string, args ...any) {
	t.check(nil, statement, args...)
}

// QueueOne puts off one statement that must change just one row; ErrMoved if it does not.
func (t *Tx) QueueOne(statement string, args ...any) {
	t.check(func(tag pgconn.CommandTag) error {
		if tag.RowsAffected() != 1 {
			return fmt.Errorf("%w: %.60s changed %d rows", ErrMoved, statement, tag.RowsAffected())
		}
		return nil
	}, statement, args...)
}

func (t *Tx) check(check func(pgconn.CommandTag) error, statement string, args ...any) {
	if t.queued == nil {
		t.queued = &pgx.Batch{}
	}
	t.wrote = true
	t.queued.Queue(statement, args...)
	t.checks = append(t.checks, check)
}

// Wrote tells whether anything has been written or queued.
func (t *Tx) Wrote() bool { return t.wrote }

// Flush writes what was queued, in one round trip.
func (t *Tx) Flush() error {
	if t.queued == nil {
		return nil
	}
	batch, checks := t.queued, t.checks
	t.queued, t.checks = nil, nil
	return t.driver(func(conn *pgx.Conn) error {
		results := conn.SendBatch(t.ctx, batch)
		for _, check := range checks {
			tag, err := results.Exec()
			if err == nil && check != nil {
				err = check(tag)
			}
			if err != nil {
				_ = results.Close()
				return err
			}
		}
		return results.Close()
	})
}

func (t *Tx) driver(work func(*pgx.Conn) error) error {
	return t.conn.Raw(func(driver any) error { return work(driver.(*stdlib.Conn).Conn()) })
}

// Exec runs one statement at once, and tells how many rows it changed.
func (t *Tx) Exec(statement string, args ...any) (int64, error) {
	if err := t.Flush(); err != nil {
		return 0, err
	}
	t.wrote = true
	var rows int64
	err := t.driver(func(conn *pgx.Conn) error {
		tag, err := conn.Exec(t.ctx, statement, args...)
		rows = tag.RowsAffected()
		return err
	})
	return rows, err
}

// CopyInto writes many rows into a table at once.
func (t *Tx) CopyInto(table string, columns []string, rows pgx.CopyFromSource) error {
	t.wrote = true
	return t.driver(func(conn *pgx.Conn) error {
		_, err := conn.CopyFrom(t.ctx, pgx.Identifier{table}, columns, rows)
		return err
	})
}

// ids is a block of ids that nobody else uses.
type ids struct{ next, end int64 }

// idBlock is how many ids the sequence gives at once (see migrations).
const idBlock = 32

// Read runs a question in a transaction that sees one moment and changes nothing.
func (s *Store) Read(ctx context.Context, ask func(*Tx) error) error {
	return s.once(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true}, ask)
}

// Write runs a change in one transaction. After a deadlock, a lock that was not given in time, or a change by another
// act in between, all of it is tried again; ErrBusy where that does not help for a few seconds.
func (s *Store) Write(ctx context.Context, change func(*Tx) error) error {
	begun := time.Now()
	for attempt := 1; ; attempt++ {
		err := s.once(ctx, nil, change)
		if err == nil || !tryAgain(err) || ctx.Err() != nil {
			return err
		}
		Retried.Add(1)
		if time.Since(begun) > patience {
			return errors.Join(ErrBusy, err)
		}
		wait := time.Duration(attempt) * time.Duration(2+rand.IntN(8)) * time.Millisecond
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(wait):
		}
	}
}

func (s *Store) once(ctx context.Context, options *sql.TxOptions, work func(*Tx) error) (err error) {
	waiting, cancel := context.WithTimeoutCause(ctx, patience, ErrBusy)
	conn, err := s.pool.Conn(waiting)
	busy := errors.Is(context.Cause(waiting), ErrBusy)
	cancel()
	if err != nil {
		if busy {
			return errors.Join(ErrBusy, err)
		}
		return err
	}
	defer func() { _ = conn.Close() }()
	tx, err := conn.BeginTx(ctx, options)
	if err != nil {
		return err
	}
	// Nothing to do once it is committed; a mistake of ours in the middle lets go of what it holds, too.
	defer func() { _ = tx.Rollback() }()
	db := s.db.Session(&gorm.Session{NewDB: true, Context: ctx})
	db.Statement.ConnPool = tx
	t := &Tx{db: db, ctx: ctx, conn: conn, tx: tx}
	if err = work(t); err != nil {
		return err
	}
	if err = t.Flush(); err != nil {
		return err
	}
	if err = tx.Commit(); err != nil && !Refused(err) {
		err = errors.Join(ErrUnsure, err)
	}
	return err
}

// Refused tells of a commit that failed whether the database itself has said no; otherwise the line was cut, and it may have said yes.
func Refused(err error) bool {
	var said *pgconn.PgError
	return errors.As(err, &said) && !strings.HasPrefix(said.Code, "57P") && !strings.HasPrefix(said.Code, "08")
}
