package testkit

import (
	"context"
	"maps"
	"sync"

	"github.com/jackc/pgx/v5"
)

// Trips counts the round trips to PostgreSQL: a query is one, a batch is one, preparing a statement is one.
type Trips struct {
	mu    sync.Mutex
	said  []string
	asked map[string][]any
}

// Asked gives every statement that went over the line, with arguments it was asked with.
func (t *Trips) Asked() map[string][]any {
	t.mu.Lock()
	defer t.mu.Unlock()
	return maps.Clone(t.asked)
}

func (t *Trips) keep(statement string, args []any) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.asked == nil {
		t.asked = map[string][]any{}
	}
	t.asked[statement] = args
}

// Since gives what went over the line since it was asked last.
func (t *Trips) Since() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	said := t.said
	t.said = nil
	return said
}

func (t *Trips) add(what string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.said = append(t.said, what)
}

// TraceQueryStart counts a query.
func (t *Trips) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	t.add(q.SQL)
	t.keep(q.SQL, q.Args)
	return ctx
}

// TraceQueryEnd is not counted.
func (*Trips) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// TraceBatchStart counts a batch.
func (t *Trips) TraceBatchStart(ctx context.Context, _ *pgx.Conn, b pgx.TraceBatchStartData) context.Context {
	said := "batch:"
	for _, q := range b.Batch.QueuedQueries {
		t.keep(q.SQL, q.Arguments)
		said += " " + q.SQL[:min(len(q.SQL), 60)] + ";"
	}
	t.add(said)
	return ctx
}

// TraceBatchQuery is part of its batch.
func (*Trips) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}

// TraceBatchEnd is not counted.
func (*Trips) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData) {}

// TracePrepareStart counts preparing a statement, which happens once on each connection.
func (t *Trips) TracePrepareStart(ctx context.Context, _ *pgx.Conn, p pgx.TracePrepareStartData) context.Context {
	t.add("prepare: " + p.SQL)
	return ctx
}

// TracePrepareEnd is not counted.
func (*Trips) TracePrepareEnd(context.Context, *pgx.Conn, pgx.TracePrepareEndData) {}
