package store

import (
	"github.com/jackc/pgx/v5"
)

// Questions are asked together, in one round trip. Each sees what the ones before it have locked or changed.
type Questions struct {
	batch pgx.Batch
	reads []func(pgx.Rows) error
}

// Ask adds a question whose rows go into a list of structs, by column name.
func Ask[T any](q *Questions, into *[]T, query string, args ...any) {
	q.batch.Queue(query, args...)
	q.reads = append(q.reads, func(rows pgx.Rows) error {
		list, err := pgx.CollectRows(rows, pgx.RowToStructByNameLax[T])
		*into = list
		return err
	})
}

// AskEach adds a question whose rows are one value each.
func AskEach[T any](q *Questions, into *[]T, query string, args ...any) {
	q.batch.Queue(query, args...)
	q.reads = append(q.reads, func(rows pgx.Rows) error {
		list, err := pgx.CollectRows(rows, pgx.RowTo[T])
		*into = list
		return err
	})
}

// Do adds a statement whose answer does not matter.
func Do(q *Questions, statement string, args ...any) {
	q.batch.Queue(statement, args...)
	q.reads = append(q.reads, func(rows pgx.Rows) error { rows.Close(); return rows.Err() })
}

// Send asks all questions. What was queued is written first, so that they see it.
func (t *Tx) Send(q *Questions) error {
	if err := t.Flush(); err != nil {
		return err
	}
	return t.driver(func(conn *pgx.Conn) error {
		results := conn.SendBatch(t.ctx, &q.batch)
		for _, read := range q.reads {
			rows, err := results.Query()
			if err == nil {
				err = read(rows)
			}
			if err != nil {
				_ = results.Close()
				return err
			}
		}
		return results.Close()
	})
}

// List asks one question, of models or other structs by column name.
func List[T any](t *Tx, query string, args ...any) ([]T, error) {
	q := &Questions{}
	out := []T{}
	Ask(q, &out, query, args...)
	return out, t.Send(q)
}

// Each gives the values of a query of one column.
func Each[T any](t *Tx, query string, args ...any) ([]T, error) {
	q := &Questions{}
	out := []T{}
	AskEach(q, &out, query, args...)
	return out, t.Send(q)
}

// One asks one question that has one row or none; nil for none.
func One[T any](t *Tx, query string, args ...any) (*T, error) {
	rows, err := List[T](t, query, args...)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// Value asks one question with one value; the zero value where there is no row.
func Value[T any](t *Tx, query string, args ...any) (T, error) {
	var out []T
	var none T
	q := &Questions{}
	AskEach(q, &out, query, args...)
	if err := t.Send(q); err != nil || len(out) == 0 {
		return none, err
	}
	return out[0], nil
}
