// Package snapshot reads the house's facts as they are at one moment. What is
// needed is said at the start and read set-wise, in a few statements however
// many lots, bundles, orders or tags there are. A Snapshot is then a value:
// nothing in it reads or fails, and it is passed on explicitly.
package snapshot

import (
	"context"
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/season"
	"unionknot/internal/core/wood"
	"unionknot/internal/store"
)

// Need is a family of facts. Settings, the season and the people are always
// there.
type Need int

// What can be needed, and the statements that it takes.
const (
	Orders  Need = iota // 1: open orders with what their batches hold
	Piles               // 2: lots with stems free; bundles with pieces free, aside or under an open tag
	Places              // 1, and 1 where readings are new: places and their clocks
	Looks               // 1: looks at places and bundles, of the last 400 days
	Tags                // 1: tags that are open or wait to be counted
	Rest                // 1: threads of batches that are on no tag
	Names               // 2: varieties and stock types
	Mothers             // 2: plants of the open orders' varieties, and the bundle cut last of each
	Growing             // 2: finished tags of which something lives, with what was done to them; rounds of places, and rain
)

// Snapshot is the house's facts at one moment. Shared parts are never written
// to.
type Snapshot struct {
	At    time.Time // the nursery's time
	Today time.Time
	Stamp store.Stamp
	*Settings
	*Calendars
	*People

	Orders          []store.Order
	Lots            []store.LotPile
	Bundles         []store.BundlePile
	Places          []Place
	Looks           []store.Look // newest first
	Tags            []store.Tag  // open, or not yet counted, by id
	Rest            []store.RestThread
	Varieties       []store.Variety
	StockTypes      []store.StockType
	Plants          []store.Plant // by code
	LastCut         []store.Bundle
	Growing         []store.GrowTag // by id
	store.GrowFacts                 // rounds, rain, and what being late with steps costs here
}

// lateCauses are the causes of loss that steps done late are known for.
var lateCauses = func() map[string]string {
	out := map[string]string{}
	for _, k := range aftercare.Names {
		if c := aftercare.CauseOf(k); c != "" {
			out[k.String()] = c
		}
	}
	return out
}()

// Reader reads snapshots, and keeps what changes seldom from one to the next,
// by its revision.
type Reader struct {
	db  *store.DB
	now func() time.Time

	mu        sync.Mutex
	settings  kept[*Settings]
	calendars kept[*Calendars]
	people    kept[*People]
	places    map[int64]kept[Place]
}

// kept is a value of a revision, and of a day where it depends on it.
type kept[T any] struct {
	rev   int64
	day   time.Time
	value T
}

// NewReader reads from a database; now gives the nursery's time.
func NewReader(db *store.DB, now func() time.Time) *Reader {
	return &Reader{db: db, now: now, places: map[int64]kept[Place]{}}
}

// Read reads what is needed in a transaction of its own, on one picture of the
// data. The transaction is over when it returns.
func (r *Reader) Read(ctx context.Context, needs ...Need) (*Snapshot, error) {
	var s *Snapshot
	err := r.db.Look(ctx, func(q store.Q) (err error) {
		s, err = r.read(ctx, q, true, needs)
		return err
	})
	return s, err
}

// In reads inside a command's own transaction. Settings, the season and people
// are those of before the command's own changes, which raise their revisions at
// the commit; what it had to read of them stays its own.
func (r *Reader) In(ctx context.Context, q store.Q, needs ...Need) (*Snapshot, error) {
	return r.read(ctx, q, false, needs)
}

func (r *Reader) read(ctx context.Context, q store.Q, share bool, needs []Need) (*Snapshot, error) {
	s := &Snapshot{At: r.now()}
	s.Today = season.DayOf(s.At)
	var err error
	if s.Stamp, err = q.Stamp(ctx); err != nil {
		return nil, err
	}
	if s.Settings, err = keep(r, &r.settings, share, s.Stamp.Settings, time.Time{},
		func() (*Settings, error) { return readSettings(ctx, q) }); err != nil {
		return nil, err
	}
	if s.Calendars, err = keep(r, &r.calendars, share, s.Stamp.Season, s.Today,
		func() (*Calendars, error) { return readCalendars(ctx, q, s.Today) }); err != nil {
		return nil, err
	}
	if s.People, err = keep(r, &r.people, share, s.Stamp.People<<32|s.Stamp.Paces, s.Today,
		func() (*People, error) { return readPeople(ctx, q, s.Today) }); err != nil {
		return nil, err
	}
	if slices.Contains(needs, Orders) { // what is free for an order is of the piles, as they keep
		for _, n := range []Need{Piles, Places} {
			if !slices.Contains(needs, n) {
				needs = append(slices.Clone(needs), n)
			}
		}
	}
	for _, n := range needs {
		switch n {
		case Orders:
			s.Orders, err = q.OpenOrders(ctx)
		case Piles:
			if s.Lots, err = q.FreeLots(ctx); err == nil {
				s.Bundles, err = q.LiveBundles(ctx)
			}
		case Places:
			s.Places, err = r.readPlaces(ctx, q, share, s.At)
		case Looks:
			s.Looks, err = q.LooksInPlaces(ctx, s.At.Add(-clockFrom))
		case Tags:
			s.Tags, err = q.WorkTags(ctx)
		case Rest:
			s.Rest, err = q.RestThreads(ctx)
		case Names:
			if s.Varieties, err = q.Varieties(ctx); err == nil {
				s.StockTypes, err = q.StockTypes(ctx)
			}
		case Growing:
			if s.Growing, err = q.GrowingTags(ctx); err == nil {
				s.GrowFacts, err = q.GrowFacts(ctx, lateCauses, s.Today)
			}
		case Mothers:
			err = s.readMothers(ctx, q)
		}
		if err != nil {
			return nil, err
		}
	}
	return s, nil
}

// keep gives a value of a revision: the one kept where it fits, else what read
// gives, which is kept where it may be shared.
func keep[T any](r *Reader, k *kept[T], share bool, rev int64, day time.Time, read func() (T, error)) (T, error) {
	r.mu.Lock()
	was := *k
	r.mu.Unlock()
	if was.rev == rev && was.day.Equal(day) {
		return was.value, nil
	}
	v, err := read()
	if err == nil && share {
		r.mu.Lock()
		defer r.mu.Unlock()
		// A slower reader must not put an older value over a newer one.
		if k.rev <= rev {
			*k = kept[T]{rev, day, v}
		}
	}
	return v, err
}

func (s *Snapshot) readMothers(ctx context.Context, q store.Q) error {
	var of []int64
	for _, o := range s.Orders {
		if !slices.Contains(of, o.VarietyID) {
			of = append(of, o.VarietyID)
		}
	}
	var err error
	if s.Plants, err = q.PlantsOf(ctx, of, woodSeason(s.Today)); err != nil {
		return err
	}
	s.LastCut, err = q.LastBundles(ctx, of)
	return err
}

// woodSeason is the day on which the season of cutting began that a day is in: a
// plant gives summer's wood and the winter's after it of the same year's growth.
func woodSeason(today time.Time) time.Time {
	from := time.Date(today.Year(), time.May, 1, 0, 0, 0, 0, time.UTC)
	if today.Before(from) {
		from = from.AddDate(-1, 0, 0)
	}
	return from
}

// Order finds an open order by its code.
func (s *Snapshot) Order(code string) (store.Order, bool) {
	i := slices.IndexFunc(s.Orders, func(o store.Order) bool { return o.Code == code })
	if i < 0 {
		return store.Order{}, false
	}
	return s.Orders[i], true
}

// LotsOf lists the lots of a stock type that have stems free, oldest first.
func (s *Snapshot) LotsOf(stockType int64) (out []store.LotPile) {
	for _, l := range s.Lots {
		if l.StockTypeID == stockType && l.Free > 0 {
			out = append(out, l)
		}
	}
	return out
}

// BundlesOf lists the bundles of a variety that have pieces free, the oldest
// wood first.
func (s *Snapshot) BundlesOf(variety int64) (out []store.BundlePile) {
	for _, b := range s.Bundles {
		if b.VarietyID == variety && b.Free > 0 {
			out = append(out, b)
		}
	}
	return out
}

// Bundle finds a live bundle by its code.
func (s *Snapshot) Bundle(code string) (store.BundlePile, bool) {
	i := slices.IndexFunc(s.Bundles, func(b store.BundlePile) bool { return b.Code == code })
	if i < 0 {
		return store.BundlePile{}, false
	}
	return s.Bundles[i], true
}

// OpenTags are those not finished, by id.
func (s *Snapshot) OpenTags() (out []store.Tag) {
	for _, t := range s.Tags {
		if t.FinishedAt == nil {
			out = append(out, t)
		}
	}
	return out
}

// Uncounted are finished tags with grafts that no count stands for, by id.
func (s *Snapshot) Uncounted() (out []store.Tag) {
	for _, t := range s.Tags {
		if t.FinishedAt != nil && t.LookID == nil && t.Tied > 0 {
			out = append(out, t)
		}
	}
	return out
}

// Place is a place with a temperature, with its readings and their clock.
type Place struct {
	store.PlaceNow
	Readings []store.ColdReading // of the last 400 days, oldest first, none in doubt
	Clock    wood.Clock
}

// clockFrom is how far back a store's readings are read.
const clockFrom = 400 * 24 * time.Hour

func (r *Reader) readPlaces(ctx context.Context, q store.Q, share bool, now time.Time) ([]Place, error) {
	ps, err := q.PlacesNow(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]Place, len(ps))
	at := map[int64]int{}
	var stale []int64
	r.mu.Lock()
	for i, p := range ps {
		if k, ok := r.places[p.ID]; ok && k.rev == p.Rev && k.value.SetC == p.SetC {
			out[i] = k.value
		} else {
			stale, at[p.ID] = append(stale, p.ID), i
		}
		out[i].PlaceNow = p
	}
	r.mu.Unlock()
	if len(stale) == 0 {
		return out, nil
	}
	rs, err := q.ReadingsIn(ctx, stale, now.Add(-clockFrom))
	if err != nil {
		return nil, err
	}
	for _, x := range rs {
		p := &out[at[x.PlaceID]]
		p.Readings = append(p.Readings, x.ColdReading)
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, i := range at {
		p := &out[i]
		p.Clock = ClockOf(p.Readings, p.SetC)
		if share && r.places[p.ID].rev <= p.Rev {
			r.places[p.ID] = kept[Place]{rev: p.Rev, value: *p}
		}
	}
	return out, nil
}

// ClockOf makes a clock of readings; where none stands, a place is at setC.
func ClockOf(rs []store.ColdReading, setC float64) wood.Clock {
	out := make([]wood.Reading, len(rs))
	for i, r := range rs {
		out[i] = wood.Reading{At: r.At, C: r.C}
	}
	return wood.NewClock(out, setC)
}

// Place finds a place by name; capitals do not matter.
func (s *Snapshot) Place(name string) (Place, bool) {
	i := slices.IndexFunc(s.Places, func(p Place) bool { return strings.EqualFold(p.Name, name) })
	if i < 0 {
		return Place{}, false
	}
	return s.Places[i], true
}

// Print tells whether what a plan is made of still stands: it changes with the
// settings, the season, the people and the counts; with each order, each lot's
// and bundle's free classes; and with where the work stands. What moves by the
// minute is not in it.
func (s *Snapshot) Print() string {
	h := sha256.New()
	fmt.Fprintln(h, s.Today.Unix(), s.Stamp.Settings, s.Stamp.Season, s.Stamp.People, s.Stamp.Takes, s.Stamp.Grades)
	for _, o := range s.Orders {
		fmt.Fprintln(h, "o", o.ID, o.Trees, o.Priority, o.DueOn.Unix(), o.Batched, o.Unfinished, o.Alive, o.Doubtful, o.Dead,
			o.Below, o.Gone, o.Elsewhere, o.Section, o.StockSection)
	}
	for _, l := range s.Lots {
		fmt.Fprintln(h, "l", l.ID, l.Free, l.Received, len(l.Calipers), l.Use, l.Form, l.Ready, len(l.LetIn))
	}
	for _, b := range s.Bundles {
		fmt.Fprintln(h, "b", b.ID, b.Free, b.Use, b.State, b.Found, len(b.LetIn))
	}
	for _, t := range s.Tags {
		if t.FinishedAt == nil {
			fmt.Fprintln(h, "t", t.ID, t.WorkerID, t.Day.Unix(), t.Half, t.Locked, t.StartedAt != nil)
		}
	}
	for _, r := range s.Rest {
		fmt.Fprintln(h, "r", r.BatchID, r.LotID, r.BundleID, r.StockMM, r.WoodMM, r.Technique, r.N)
	}
	return string(h.Sum(nil))
}
