package web

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
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
	turn                         int64 // counts what was written and ended: what was read before is not remembered after
}

type knownSession struct {
	data []byte
	at   time.Time
}

// pinIdle is how long somebody who came in by a PIN stays without a tap or a page.
const pinIdle = 45 * time.Minute

// seenEvery is how often it is noted that a session was used.
const seenEvery = time.Minute

// device is from where a request comes, as a session keeps it.
type device struct{ address, agent string }

type deviceKey struct{}

// hashed is what is kept of a token.
func hashed(token string) string {
	h := sha256.Sum256([]byte(token))
	return hex.EncodeToString(h[:])
}

// FindCtx gives a session's data; false when there is none. Whoever came in by a PIN
// and was not seen for long is out, and the tablet stays open.
func (s *sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	token = hashed(token)
	s.mu.Lock()
	k, ok := s.known[token]
	turn := s.turn
	s.mu.Unlock()
	if ok && time.Since(k.at) < sessionFor {
		return k.data, true, nil
	}
	at := time.Now()
	var row struct {
		data    []byte
		byPIN   bool
		idle    float64
		expires time.Time
	}
	err := s.db.QueryRowContext(ctx, `select data, by_pin, extract(epoch from now() - seen_at), expiry from sessions
		where token = $1 and current_timestamp < expiry`, token).Scan(&row.data, &row.byPIN, &row.idle, &row.expires)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	} else if err != nil {
		return nil, false, err
	}
	switch {
	case row.byPIN && row.idle > pinIdle.Seconds():
		deadline, values, err := plain{}.Decode(row.data)
		if err != nil {
			return nil, false, err
		}
		delete(values, "person")
		delete(values, "by_pin")
		if row.data, err = (plain{}).Encode(deadline, values); err != nil {
			return nil, false, err
		}
		if err := s.keep(ctx, token, row.data, row.expires); err != nil {
			return nil, false, err
		}
	case row.idle > seenEvery.Seconds():
		if _, err := s.db.ExecContext(ctx, `update sessions set seen_at = now() where token = $1`, token); err != nil {
			return nil, false, err
		}
	}
	s.remember(token, row.data, at, turn)
	return row.data, true, nil
}

// CommitCtx keeps a session.
func (s *sessions) CommitCtx(ctx context.Context, token string, b []byte, expiry time.Time) error {
	token = hashed(token)
	s.forget(token)
	err := s.keep(ctx, token, b, expiry)
	turn := s.forget(token) // as it was read while it was written
	if err == nil {
		s.remember(token, b, time.Now(), turn)
	}
	return err
}

// keep writes a session, with whose it is and where.
func (s *sessions) keep(ctx context.Context, token string, b []byte, expiry time.Time) error {
	_, values, _ := plain{}.Decode(b) // one that cannot be read is nobody's
	number := func(key string) any {
		if n, ok := values[key].(int64); ok && n != 0 {
			return n
		}
		return nil
	}
	d, _ := ctx.Value(deviceKey{}).(device)
	_, err := s.db.ExecContext(ctx, `insert into sessions (token, data, expiry, person_id, tablet_by, by_pin, address, agent)
		values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (token) do update set data = excluded.data, expiry = excluded.expiry,
		person_id = excluded.person_id, tablet_by = excluded.tablet_by, by_pin = excluded.by_pin, seen_at = now(),
		address = case when excluded.address = '' then sessions.address else excluded.address end,
		agent = case when excluded.agent = '' then sessions.agent else excluded.agent end`,
		token, b, expiry, number("person"), number("tablet_by"), number("by_pin") != nil, d.address, d.agent)
	return err
}

// DeleteCtx ends a session.
func (s *sessions) DeleteCtx(ctx context.Context, token string) error {
	token = hashed(token)
	s.forget(token)
	_, err := s.db.ExecContext(ctx, `delete from sessions where token = $1`, token)
	s.forget(token) // one that was being read meanwhile
	return err
}

// forgetAll lets every session be read anew: some were ended.
func (s *sessions) forgetAll() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.known = nil
	s.turn++
}

// remember keeps a session that was read or written, if none was written or ended since the turn.
func (s *sessions) remember(token string, data []byte, at time.Time, turn int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if turn != s.turn {
		return
	}
	if s.known == nil || len(s.known) >= mostSessions {
		s.known = map[string]knownSession{}
	}
	s.known[token] = knownSession{data, at}
}

// forget lets a session be read anew, and gives the turn from which on.
func (s *sessions) forget(token string) (turn int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.known, token)
	s.turn++
	return s.turn
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
