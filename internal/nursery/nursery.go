// Package nursery is what people do here, a file a stage: it asks who is
// allowed, holds what must not change meanwhile, calls the core for the
// arithmetic and the store for the rows, and writes down who changed what.
package nursery

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"errors"
	"fmt"
	"log/slog"
	mrand "math/rand/v2"
	"regexp"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/take"
	"unionknot/internal/store"
)

// Errors that use cases give beside a Problem.
var (
	ErrNotAllowed = errors.New("not allowed")
	ErrNotFound   = store.ErrNotFound
)

// Problem is something wrong with what was asked, in words that say what to
// do. Field names the form's field, or is "".
type Problem struct{ Field, Says string }

func (p Problem) Error() string { return p.Says }

// Problems is every problem found at once.
type Problems []Problem

func (ps Problems) Error() string {
	says := make([]string, len(ps))
	for i, p := range ps {
		says[i] = p.Says
	}
	return strings.Join(says, "; ")
}

func (ps *Problems) add(field, format string, args ...any) {
	*ps = append(*ps, Problem{field, fmt.Sprintf(format, args...)})
}

func (ps Problems) orNil() error {
	if len(ps) == 0 {
		return nil
	}
	return ps
}

// Role is what somebody may do.
type Role string

// The roles, from the least to the most.
const (
	Looker     Role = "looker"
	BenchHand  Role = "bench hand"
	Propagator Role = "propagator"
)

// Actor is who asks.
type Actor struct {
	ID   int64
	Name string
	Role Role
}

func (a Actor) must(roles ...Role) error {
	for _, r := range roles {
		if a.Role == r {
			return nil
		}
	}
	return fmt.Errorf("%s is a %s: %w", a.Name, a.Role, ErrNotAllowed)
}

// Service carries out what people do. Make one with New.
type Service struct {
	db    *store.DB
	log   *slog.Logger
	clock func() time.Time
	fairs fits[Fair]
	sizes sizes

	learned fits[take.Learned]
}

// New readies the nursery on a migrated database. On a demo house the clock
// stands on the demo's day and runs on from its hour.
func New(ctx context.Context, db *store.DB, log *slog.Logger) (*Service, error) {
	s := &Service{db: db, log: log, clock: time.Now}
	h, err := db.Q().House(ctx)
	if err != nil {
		return nil, fmt.Errorf("reading the house: %w", err)
	}
	if h.DemoDay != nil {
		hour, err := time.Parse("15:04:05", h.DemoClock)
		if err != nil {
			return nil, fmt.Errorf("reading the demo's hour: %w", err)
		}
		y, m, d := h.DemoDay.Date()
		s.RunFrom(time.Date(y, m, d, hour.Hour(), hour.Minute(), 0, 0, time.Local))
	}
	return s, nil
}

// RunFrom sets the nursery's clock to start and lets it run.
func (s *Service) RunFrom(start time.Time) {
	begun := time.Now()
	s.clock = func() time.Time { return start.Add(time.Since(begun)) }
}

// Now is the nursery's time.
func (s *Service) Now() time.Time { return s.clock() }

// Today is the nursery's day.
func (s *Service) Today() time.Time { return season.DayOf(s.clock()) }

// Ready says whether the database answers.
func (s *Service) Ready(ctx context.Context) error { return s.db.PingContext(ctx) }

type requestKey struct{}

// WithRequest notes the request that a change comes from.
func WithRequest(ctx context.Context, id string) context.Context {
	return context.WithValue(ctx, requestKey{}, id)
}

type onceKey struct{}

// WithOnce notes the form's own key, so that a form sent again after a lost
// answer does its work once.
func WithOnce(ctx context.Context, key string) context.Context {
	return context.WithValue(ctx, onceKey{}, key)
}

// sentBefore says whether the form's key was used; it uses it up in the same
// transaction as the work. A call without a key is always new.
func sentBefore(ctx context.Context, q store.Q, what string) (bool, error) {
	key, _ := ctx.Value(onceKey{}).(string)
	if !uuidPattern.MatchString(key) {
		return false, nil
	}
	_, again, err := q.Once(ctx, key, what)
	return again, err
}

// changed writes a line of the record of changes.
func (s *Service) changed(ctx context.Context, q store.Q, a Actor, what, ref, doing string, before, after any) error {
	id, _ := ctx.Value(requestKey{}).(string)
	c := store.Change{At: s.Now(), RequestID: id, What: what, Ref: ref, Doing: doing}
	if a.ID != 0 {
		c.PersonID = &a.ID
	}
	if err := q.AddChange(ctx, c, before, after); err != nil {
		return fmt.Errorf("writing the record of changes: %w", err)
	}
	return nil
}

// codePattern is what people may use as a code of their own.
var codePattern = regexp.MustCompile(`^[A-Z0-9][A-Z0-9.-]{0,23}$`)

func cleanCode(s string) string { return strings.ToUpper(strings.TrimSpace(s)) }

func checkCode(ps *Problems, field, code string) {
	if !codePattern.MatchString(code) {
		ps.add(field, "A code is up to 24 letters, figures, dots and dashes, such as L-104.")
	}
}

// random is a source that nobody can foresee, for codes.
func random() *mrand.Rand {
	var b [16]byte
	rand.Read(b[:]) // never fails since Go 1.24
	return mrand.New(mrand.NewPCG(binary.LittleEndian.Uint64(b[:8]), binary.LittleEndian.Uint64(b[8:])))
}

// taken turns a code that is already in use into words.
func taken(err error, field, what, code string) error {
	if errors.Is(err, store.ErrTaken) {
		return Problem{field, fmt.Sprintf("%s %s is already there. Give this one another code.", what, code)}
	}
	return err
}
