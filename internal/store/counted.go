package store

import (
	"context"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5"
)

// Sent notes the statements that were sent for a context, for the tests that
// count them. The ends of transactions are not among them.
type Sent struct {
	mu  sync.Mutex
	sql []string
}

type sentKey struct{}

// Counted notes in s every statement that is sent with the context it gives.
func Counted(ctx context.Context, s *Sent) context.Context {
	return context.WithValue(ctx, sentKey{}, s)
}

// Statements lists what was sent, in order.
func (s *Sent) Statements() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]string(nil), s.sql...)
}

// tracer hears of each statement from the driver itself.
type tracer struct{}

func (tracer) TraceQueryStart(ctx context.Context, _ *pgx.Conn, d pgx.TraceQueryStartData) context.Context {
	s, ok := ctx.Value(sentKey{}).(*Sent)
	if !ok {
		return ctx
	}
	s.note(d.SQL)
	return ctx
}

func (s *Sent) note(sql string) {
	switch first, _, _ := strings.Cut(strings.ToLower(strings.TrimSpace(sql)), " "); first {
	case "begin", "commit", "rollback", ";", "--":
		return
	}
	s.mu.Lock()
	s.sql = append(s.sql, sql)
	s.mu.Unlock()
}

func (tracer) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

func (tracer) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return ctx
}

func (tracer) TraceBatchQuery(ctx context.Context, _ *pgx.Conn, d pgx.TraceBatchQueryData) {
	if s, ok := ctx.Value(sentKey{}).(*Sent); ok {
		s.note(d.SQL)
	}
}

func (tracer) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData) {}
