// Package nursery is the kernel that the stages stand on: who asks and what they
// may, problems in words, transactions that hold what they write to in one
// order, a form's own key, the record of changes, and lists as files have them.
package nursery

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"fmt"
	"log/slog"
	mrand "math/rand/v2"
	"sync/atomic"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Kernel is what every stage stands on: the database, the nursery's clock, the
// house's facts and what follows from them. Make one with Open.
type Kernel struct {
	DB     *store.DB
	Log    *slog.Logger
	Reckon *outlook.Reckoner
	clock  atomic.Pointer[func() time.Time]
	codes  func() *mrand.Rand // a source of codes for tags and batches
	facts  *snapshot.Reader
	turns  *turns
	Works  Works // what goes on behind the requests
}

// Open readies the kernel on a migrated database. On a demo house the clock
// stands on the demo's day and runs on from its hour.
func Open(ctx context.Context, db *store.DB, log *slog.Logger) (*Kernel, error) {
	k := &Kernel{DB: db, Log: log, codes: Random, turns: newTurns()}
	k.run(time.Now)
	k.facts, k.Reckon = snapshot.NewReader(db, k.Now), outlook.NewReckoner(db)
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
		k.RunFrom(time.Date(y, m, d, hour.Hour(), hour.Minute(), 0, 0, time.Local))
	}
	return k, nil
}

// RunFrom sets the nursery's clock to start and lets it run.
func (k *Kernel) RunFrom(start time.Time) {
	begun := time.Now()
	k.run(func() time.Time { return start.Add(time.Since(begun)) })
}

func (k *Kernel) run(clock func() time.Time) { k.clock.Store(&clock) }

// MoveDemoDay moves a demo's day on: what is due follows. ErrNotFound: the house is no
// demo.
func (k *Kernel) MoveDemoDay(ctx context.Context, a Actor, to time.Time) error {
	if err := a.Must(Propagator); err != nil {
		return err
	}
	now := k.Now()
	if !season.DayOf(to).After(k.Today()) {
		return Problem{"day", words.DemoDayAhead}
	}
	return k.DB.Tx(ctx, func(q store.Q) error {
		h, err := q.House(ctx)
		if err != nil {
			return err
		}
		if h.DemoDay == nil {
			return ErrNotFound
		}
		if err := q.SetDemoDay(ctx, season.DayOf(to)); err != nil {
			return err
		}
		y, m, d := to.Date()
		k.RunFrom(time.Date(y, m, d, now.Hour(), now.Minute(), now.Second(), 0, time.Local))
		return k.Changed(ctx, q, a, "demo", "day", "moved on", now.Format(time.DateOnly), to.Format(time.DateOnly))
	})
}

// StandAt lets the nursery's clock stand at one moment.
func (k *Kernel) StandAt(at time.Time) { k.run(func() time.Time { return at }) }

// SeedCodes draws codes from a source that gives the same ones each time, as
// the made-up nursery does.
func (k *Kernel) SeedCodes(r *mrand.Rand) { k.codes = func() *mrand.Rand { return r } }

// Now is the nursery's time, in its zone.
func (k *Kernel) Now() time.Time { return (*k.clock.Load())().Local() }

// Today is the nursery's day.
func (k *Kernel) Today() time.Time { return season.DayOf(k.Now()) }

// Facts reads the house's facts: what is needed, and what is always there.
func (k *Kernel) Facts(ctx context.Context, needs ...snapshot.Need) (*snapshot.Snapshot, error) {
	f, err := k.facts.Read(ctx, needs...)
	if err != nil {
		return nil, fmt.Errorf("reading the house's facts: %w", err)
	}
	return f, nil
}

// FactsIn reads facts inside a command's own transaction.
func (k *Kernel) FactsIn(ctx context.Context, q store.Q, needs ...snapshot.Need) (*snapshot.Snapshot, error) {
	return k.facts.In(ctx, q, needs...)
}

// Ready says whether the database answers and can be written.
func (k *Kernel) Ready(ctx context.Context) error { return k.DB.Writable(ctx) }

// Changed writes a line of the record of changes.
func (k *Kernel) Changed(ctx context.Context, q store.Q, a Actor, what, ref, doing string, before, after any) error {
	return k.ChangedAll(ctx, q, a, Change{what, ref, doing, before, after})
}

// Random is a source that nobody can foresee, for codes.
func Random() *mrand.Rand {
	var b [16]byte
	rand.Read(b[:]) // never fails since Go 1.24
	return mrand.New(mrand.NewPCG(binary.LittleEndian.Uint64(b[:8]), binary.LittleEndian.Uint64(b[8:])))
}
