package nursery

import (
	"context"
	"fmt"
	"sync"
	"time"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// Belief is what is expected of a technique on a genus, and from what.
type Belief struct {
	Technique technique.Technique
	Expected  take.Expected
	Take      sizing.Beta // of the mean, over many lots and bundles
	Prior     sizing.Beta
	Taken, Of int // own counts
	tags      int // weighed, of all techniques of the genus
}

func (b Belief) mean() float64 {
	if b.Technique.Key == "" {
		return 0
	}
	return b.Take.Mean()
}

// Working shows how the expected take was come by.
func (b Belief) Working(genus store.Genus) working.Working {
	i := b.Take.Interval90()
	s := b.Expected.Spreads
	one := b.Expected.On(take.OneOfEach).Interval90()
	source := working.OwnRecords
	if b.Of == 0 {
		source = working.HouseDefault
	}
	return working.Working{
		Title: "Expected take, " + b.Technique.Name + " on " + genus.Name, Answer: Pct(i.Mean), Range: PctRange(i), Rule: "take from prior and own records",
		Says: "The house default counts as if so many grafts had shown it. The counted tags of the genus are weighed together, so that what a lot, a bundle or a worker did is not put down to the technique, and outweigh it. The range is the middle 90 % of what the mean over many lots and bundles may be.",
		Inputs: []working.Input{
			{Name: "House default", Value: Pct(b.Technique.PriorTake) + ", easy pome fruit", Source: working.HouseDefault},
			{Name: "Shift for " + genus.Name, Value: fmt.Sprintf("%+.1f on the logit scale, giving %s", genus.LogitShift, Pct(b.Prior.Mean())), Source: working.HouseDefault},
			{Name: "Weight of the default", Value: fmt.Sprintf("%g grafts", b.Technique.PriorWeight), Source: working.HouseDefault},
			{Name: "Counted here", Value: fmt.Sprintf("%d took of %d; %d tags of the genus weighed", b.Taken, b.Of, b.tags), Source: working.OwnRecords},
			{Name: "Workers, lots, bundles differ by", Value: fmt.Sprintf("%.2f, %.2f, %.2f on the logit scale", s.Worker, s.Lot, s.Bundle), Source: source},
			{Name: "So one worker with one lot and one bundle", Value: PctRange(one), Source: source},
		}}
}

// Pct writes a share as a percentage.
func Pct(x float64) string { return fmt.Sprintf("%.0f %%", x*100) }

// PctRange writes an interval as percentages.
func PctRange(i sizing.Interval) string { return fmt.Sprintf("%.0f–%.0f %%", i.Low*100, i.High*100) }

// believe gives the expected take of every technique on a genus.
func believe(ts []technique.Technique, l take.Learned, g store.Genus) map[string]Belief {
	out := map[string]Belief{}
	for _, t := range ts {
		b := Belief{Technique: t, Prior: t.Prior(g.LogitShift), tags: l.Tags}
		b.Expected = l.Expect(t.Key, b.Prior)
		b.Take = b.Expected.Long()
		b.Taken, b.Of = l.Counted(t.Key)
		out[t.Key] = b
	}
	return out
}

// fits keeps what was worked out of the counts, by question: it changes only
// when a count is added. Whoever asks the same question waits for the one who
// is at it; other questions do not.
type fits[T any] struct {
	mu sync.Mutex
	of map[string]*fit[T]
}

type fit[T any] struct {
	mu      sync.Mutex
	mark    string // of the counts it was worked out from
	value   T
	took    time.Duration
	anew    bool // it is being worked out again, in the background
	settled bool
}

const (
	// mostFits bounds what is kept.
	mostFits = 64
	// slowFit is how long a page waits for counts to be weighed anew; beyond it
	// the figures of the counts before are shown until that is done.
	slowFit = 300 * time.Millisecond
)

// get gives the answer to a question by the counts that mark stands for. later,
// which may outlive the request, is how it is worked out behind a page's back;
// behind says that the answer is by the counts before, until that is done.
func (f *fits[T]) get(key, mark string, now func() (T, error), later func() (T, error)) (value T, behind bool, err error) {
	f.mu.Lock()
	if f.of == nil || len(f.of) > mostFits {
		f.of = map[string]*fit[T]{}
	}
	x := f.of[key]
	if x == nil {
		x = &fit[T]{}
		f.of[key] = x
	}
	f.mu.Unlock()
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.settled && (x.mark == mark || x.anew) {
		return x.value, x.mark != mark, nil
	}
	if x.settled && x.took > slowFit {
		x.anew = true
		go func() {
			begun := time.Now()
			v, err := later()
			x.mu.Lock()
			defer x.mu.Unlock()
			x.anew = false
			if err == nil {
				x.value, x.mark, x.took = v, mark, time.Since(begun)
			}
		}()
		return x.value, true, nil
	}
	begun := time.Now()
	v, err := now()
	if err != nil {
		return v, false, err
	}
	x.value, x.mark, x.took, x.settled = v, mark, time.Since(begun), true
	return v, false, nil
}

// learn weighs a genus' counted tags for jobs to come.
func (s *Service) learn(ctx context.Context, q store.Q, genus, mark string) (take.Learned, error) {
	work := func(ctx context.Context, q store.Q) (take.Learned, error) {
		rs, err := q.TakeRecords(ctx, store.TakeFilter{Genus: genus})
		if err != nil || len(rs) == 0 {
			return take.Learned{}, err
		}
		l, err := take.Learn(recordsOf(rs))
		if err != nil {
			return l, fmt.Errorf("weighing %d tags of %s: %w", len(rs), genus, err)
		}
		return l, nil
	}
	l, _, err := s.learned.get(genus, mark, func() (take.Learned, error) { return work(ctx, q) },
		func() (take.Learned, error) { return work(context.WithoutCancel(ctx), s.db.Q()) })
	return l, err
}

func recordsOf(rs []store.TakeRecord) []take.Record {
	out := make([]take.Record, len(rs))
	for i, r := range rs {
		out[i] = take.Record{Worker: r.Worker, Technique: r.Technique, Lot: r.Lot, Bundle: r.Bundle, Mismatch: r.Mismatch, StoreDays: r.StoreDays, Grafts: r.Grafts, Took: r.Took}
	}
	return out
}
