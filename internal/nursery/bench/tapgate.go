package bench

import (
	"context"
	"sync"
	"time"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
)

// tapGate gathers taps of several requests into one commit: while one is on its
// way to the disk, those that come in wait together for the next. Whoever's
// commit is done hands the lead to the first who waits.
type tapGate struct {
	mu      sync.Mutex
	busy    bool
	waiting []*tapJob
}

// tapJob is one request's taps.
type tapJob struct {
	a    nursery.Actor
	code string
	taps []Tap

	done    Tapped
	err     error
	alone   bool // it must go by itself
	settled bool // it is on disk, or was refused as a whole
	lead    chan struct{}
	ended   chan struct{}
}

// mostTogether bounds how many requests share a commit. More commits than one on
// their way at once, and waiting a little for others, made fewer taps a second.
const mostTogether = 64

// quick says whether taps can share a commit with others': they move nothing
// in the ledgers.
func quick(taps []Tap) bool {
	for _, t := range taps {
		if tally.Kind(t.Kind).Moves() {
			return false
		}
	}
	return true
}

// tapTogether keeps taps in a transaction that others' may share. Where that
// fails, or an undo needs more than the sums, they go alone.
func (s *Stage) tapTogether(ctx context.Context, a nursery.Actor, code string, taps []Tap) (Tapped, error) {
	j := &tapJob{a: a, code: code, taps: taps, lead: make(chan struct{}), ended: make(chan struct{})}
	g := &s.taps
	g.mu.Lock()
	g.waiting = append(g.waiting, j)
	if !g.busy {
		g.busy = true
		close(j.lead)
	}
	g.mu.Unlock()
	// Nobody leaves the queue: taps that reached the server are kept even if the
	// line is down by then, and each commit takes seconds at most.
	select {
	case <-j.ended:
	case <-j.lead:
		s.lead(ctx)
	}
	if !j.settled {
		return s.tapAlone(ctx, a, code, taps)
	}
	return j.done, j.err
}

// lead keeps what waits, up to mostTogether requests of it, and hands the lead
// on, whatever becomes of the commit.
func (s *Stage) lead(ctx context.Context) {
	g := &s.taps
	g.mu.Lock()
	n := min(mostTogether, len(g.waiting))
	jobs := append([]*tapJob(nil), g.waiting[:n]...)
	g.waiting = append(g.waiting[:0], g.waiting[n:]...)
	g.mu.Unlock()
	defer func() {
		g.mu.Lock()
		defer g.mu.Unlock()
		if len(g.waiting) > 0 {
			close(g.waiting[0].lead)
		} else {
			g.busy = false
		}
		for _, x := range jobs {
			close(x.ended)
		}
	}()
	bound, end := context.WithTimeout(context.WithoutCancel(ctx), tapBound)
	defer end()
	s.keepTogether(bound, jobs)
}

// tapBound is how long a commit of taps may take.
const tapBound = 10 * time.Second

// keepTogether keeps the taps of several requests in one transaction.
func (s *Stage) keepTogether(ctx context.Context, jobs []*tapJob) {
	var codes, ids []string
	for _, j := range jobs {
		codes = append(codes, j.code)
		for _, t := range j.taps {
			ids = append(ids, t.ID)
			if t.Undoes != "" {
				ids = append(ids, t.Undoes)
			}
		}
	}
	err := s.DB.Together(ctx, codes, ids, func(tags []store.TagState, known []store.Tally) ([]store.Tally, []store.TagState) {
		w := quickWork{now: s.Now(), tags: map[string]*store.TagState{}, taps: map[string]*store.Tally{}}
		for i := range tags {
			w.tags[tags[i].Code] = &tags[i]
		}
		for i := range known {
			w.taps[known[i].ID] = &known[i]
		}
		for _, j := range jobs {
			w.take(j)
		}
		return w.fresh, tags
	})
	if err != nil {
		return // one of them may have spoilt it for all, so each tries again by itself
	}
	for _, j := range jobs {
		j.settled = !j.alone
	}
}

// quickWork is several tags under their locks, with their sums alone.
type quickWork struct {
	now   time.Time
	tags  map[string]*store.TagState // by code
	taps  map[string]*store.Tally    // known, by id
	fresh []store.Tally
}

// take weighs a request's taps. What needs more than the sums is left for
// alone, and nothing of it is noted.
func (w *quickWork) take(j *tapJob) {
	tag := w.tags[j.code]
	if tag == nil {
		j.err = nursery.ErrNotFound
		return
	}
	if tag.IsDropped() || tag.FinishedAt != nil || tag.Tangled || j.a.Role != nursery.Propagator && !tag.Has(j.a.ID) {
		j.alone = true
		return
	}
	was, n, done := *tag, len(w.fresh), Tapped{Safe: []string{}, Held: []NotCounted{}}
	for i, t := range j.taps {
		if !w.one(tag, j.a, t, i) {
			for _, y := range w.fresh[n:] {
				delete(w.taps, y.ID)
			}
			for _, y := range w.fresh[n:] {
				if of := w.undone(y); of != nil {
					of.Undone = false
				}
			}
			*tag, w.fresh, j.alone = was, w.fresh[:n], true
			return
		}
		done.Safe = append(done.Safe, t.ID)
	}
	done.Counts = countsOf(sumsOf(*tag))
	j.done = done
}

// undone is the tap that an undo took back.
func (w *quickWork) undone(y store.Tally) *store.Tally {
	if y.Undoes == nil {
		return nil
	}
	return w.taps[*y.Undoes]
}

// one notes a tap that counts by the sums alone; false: it takes more. It is one made
// after all that came in before, on the same device.
func (w *quickWork) one(tag *store.TagState, a nursery.Actor, t Tap, i int) bool {
	if was := w.taps[t.ID]; was != nil {
		return was.Held == nil
	}
	y := tallyOf(t, i, *tag, a, w.now)
	if tag.LastAt != nil && (t.device != tag.LastDevice || t.device != "" && t.No <= tag.LastNo || y.At.Before(*tag.LastAt)) {
		return false
	}
	sums, laid := sumsOf(*tag)
	kind := tally.Kind(t.Kind)
	if kind == tally.Undo {
		// What was wiped meanwhile is found out from all the taps.
		of := w.taps[t.Undoes]
		if of == nil || of.TagID != tag.ID || of.CountsOn != nil || tally.Kind(of.Kind) != tally.Tied || tag.SinceWipe != tag.Tied ||
			sums.WeighUndo(nursery.TapOf(*of), true, false) != "" {
			return false
		}
		of.Undone = true
		sums.Count(tally.Kind(of.Kind), -of.N)
	} else {
		if sums.Weigh(kind, t.N, laid) != "" {
			return false
		}
		sums.Count(kind, t.N)
	}
	w.fresh = append(w.fresh, y)
	w.taps[t.ID] = &y
	if tag.StartedAt == nil {
		tag.StartedAt = &y.At
	}
	tag.Tied, tag.SinceWipe = sums.Tied, sums.SinceWipe
	tag.LastDevice, tag.LastNo, tag.LastAt = y.Device, y.No, &y.At
	return true
}
