package web

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/alexedwards/scs/postgresstore"
	"github.com/alexedwards/scs/v2"
)

// sessionFor is how long a session that was read is taken for unchanged: so long
// after it ends on another server, this one may let it go on.
const sessionFor = 2 * time.Second

// mostSessions bounds what is remembered.
const mostSessions = 10_000

// sessions keeps sessions in the database and remembers those read lately, so
// that a bench that taps does not ask for its session at every tap. What this
// server writes or ends it knows at once.
type sessions struct {
	*postgresstore.PostgresStore // sweeps out what has expired
	db                           *sql.DB
	mu                           sync.Mutex
	known                        map[string]knownSession
}

type knownSession struct {
	data []byte
	at   time.Time
}

// FindCtx gives a session's data; false when there is none.
func (s *sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	s.mu.Lock()
	k, ok := s.known[token]
	s.mu.Unlock()
	if ok && time.Since(k.at) < sessionFor {
		return k.data, true, nil
	}
	at := time.Now()
	var data []byte
	err := s.db.QueryRowContext(ctx, `select data from sessions where token = $1 and current_timestamp < expiry`, token).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	} else if err != nil {
		return nil, false, err
	}
	s.remember(token, data, at)
	return data, true, nil
}

// CommitCtx keeps a session.
func (s *sessions) CommitCtx(ctx context.Context, token string, b []byte, expiry time.Time) error {
	s.forget(token)
	_, err := s.db.ExecContext(ctx, `insert into sessions (token, data, expiry) values ($1, $2, $3)
		on conflict (token) do update set data = excluded.data, expiry = excluded.expiry`, token, b, expiry)
	if err == nil {
		s.remember(token, b, time.Now())
	}
	return err
}

// DeleteCtx ends a session.
func (s *sessions) DeleteCtx(ctx context.Context, token string) error {
	s.forget(token)
	_, err := s.db.ExecContext(ctx, `delete from sessions where token = $1`, token)
	s.forget(token) // one that was being read meanwhile
	return err
}

func (s *sessions) remember(token string, data []byte, at time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.known == nil || len(s.known) >= mostSessions {
		s.known = map[string]knownSession{}
	}
	s.known[token] = knownSession{data, at}
}

func (s *sessions) forget(token string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.known, token)
}

// plain writes a session's few values as JSON: what is remembered is read anew
// at each request, and this is read faster than the manager's own form.
type plain struct{ scs.GobCodec }

type plainSession struct {
	Deadline time.Time         `json:"deadline"`
	Numbers  map[string]int64  `json:"numbers"`
	Texts    map[string]string `json:"texts"`
}

// Encode writes a session.
func (plain) Encode(deadline time.Time, values map[string]any) ([]byte, error) {
	p := plainSession{Deadline: deadline, Numbers: map[string]int64{}, Texts: map[string]string{}}
	for k, v := range values {
		switch v := v.(type) {
		case int64:
			p.Numbers[k] = v
		case string:
			p.Texts[k] = v
		default:
			return nil, fmt.Errorf("a session keeps numbers and texts; %s is a %T", k, v)
		}
	}
	return json.Marshal(p)
}

// Decode reads a session; one of before this form, too.
func (c plain) Decode(b []byte) (time.Time, map[string]any, error) {
	if len(b) == 0 || b[0] != '{' {
		return c.GobCodec.Decode(b)
	}
	var p plainSession
	if err := json.Unmarshal(b, &p); err != nil {
		return time.Time{}, nil, fmt.Errorf("reading a session: %w", err)
	}
	values := make(map[string]any, len(p.Numbers)+len(p.Texts))
	for k, v := range p.Numbers {
		values[k] = v
	}
	for k, v := range p.Texts {
		values[k] = v
	}
	return p.Deadline, values, nil
}
