package bench

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
)

// tapGate gathers taps of several requests into one commit: while one is on its way
// to the disk, those that come in wait together for the next.
type tapGate struct {
	mu       sync.Mutex
	busy     bool // a commit is on its way
	waiting  []*tapJob
	expected int         // how many the last commit kept
	patience *time.Timer // runs while fewer than that wait

	// seen are tags as this server's last commits left them, by code: whoever keeps taps has
	// them to himself. They may be stale: the database says so before it keeps anything.
	seen map[string]store.TagState
}

const (
	// mostSeen bounds how many tags are remembered; past it all are read anew.
	mostSeen = 4096
	// mostTogether bounds how many requests share a commit.
	mostTogether = 64
	// patience is how long the next commit waits for as many requests as the last one kept.
	patience = 500 * time.Microsecond
	// tapBound is how long a commit of taps may take.
	tapBound = 10 * time.Second
)

// tapJob is one request's taps.
type tapJob struct {
	a    nursery.Actor
	code string
	taps []Tap

	done    Tapped
	err     error
	alone   bool // it must go by itself
	settled bool // it is on disk, or was refused as a whole
	ended   chan struct{}
}

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
	j := &tapJob{a: a, code: code, taps: taps, ended: make(chan struct{})}
	s.taps.mu.Lock()
	s.taps.waiting = append(s.taps.waiting, j)
	s.keepNext()
	s.taps.mu.Unlock()
	// Nobody leaves the queue: taps that reached the server are kept even if the
	// line is down by then, and each commit takes seconds at most.
	<-j.ended
	if !j.settled {
		return s.tapAlone(ctx, a, code, taps)
	}
	return j.done, j.err
}

// keepNext sends what waits on its way, unless a commit is. It waits a little until as many
// have come in as the last commit kept: one of sixteen is sooner done than two of eight. The
// gate is locked.
func (s *Stage) keepNext() {
	g := &s.taps
	if g.busy || len(g.waiting) == 0 {
		return
	}
	if len(g.waiting) < g.expected {
		if g.patience == nil {
			g.patience = time.AfterFunc(patience, func() {
				g.mu.Lock()
				defer g.mu.Unlock()
				g.expected = 0
				s.keepNext()
			})
		}
		return
	}
	if g.patience != nil {
		g.patience.Stop()
		g.patience = nil
	}
	n := min(mostTogether, len(g.waiting))
	jobs := g.waiting[:n:n]
	g.waiting = slices.Clone(g.waiting[n:])
	g.busy, g.expected = true, n
	go func() {
		defer func() {
			g.mu.Lock()
			defer g.mu.Unlock()
			for _, j := range jobs {
				close(j.ended)
			}
			g.busy = false
			s.keepNext()
		}()
		bound, end := context.WithTimeout(context.Background(), tapBound)
		defer end()
		s.keepTogether(bound, jobs)
	}()
}

// keepTogether keeps the taps of several requests in one transaction: in one statement if
// their tags are as they are thought to be and no tap came in before, else under locks.
func (s *Stage) keepTogether(ctx context.Context, jobs []*tapJob) {
	if s.keepAtOnce(ctx, jobs) {
		return
	}
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
		w := weighing(s.Now(), tags)
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

// keepAtOnce keeps the taps of several requests in one statement, on tags as they were last
// seen; those not seen yet are read first. False: nothing was kept, since a tag was written
// meanwhile, a tap had come in before, or one takes another back, which is looked up first.
func (s *Stage) keepAtOnce(ctx context.Context, jobs []*tapJob) bool {
	g := &s.taps
	if g.seen == nil || len(g.seen) > mostSeen {
		g.seen = map[string]store.TagState{}
	}
	seen := g.seen
	var unseen []string
	for _, j := range jobs {
		if slices.ContainsFunc(j.taps, func(t Tap) bool { return t.Undoes != "" }) {
			return false
		}
		if _, ok := seen[j.code]; !ok {
			unseen = append(unseen, j.code)
		}
	}
	if len(unseen) > 0 {
		tags, err := s.DB.Q().AnyTags(ctx, unseen)
		if err != nil {
			return false
		}
		for _, t := range tags {
			seen[t.Code] = t
		}
	}
	var tags []store.TagState
	for _, j := range jobs {
		if t, ok := seen[j.code]; ok && !slices.ContainsFunc(tags, func(x store.TagState) bool { return x.ID == t.ID }) {
			tags = append(tags, t)
		}
	}
	slices.SortFunc(tags, func(a, b store.TagState) int { return cmp.Compare(a.ID, b.ID) })
	w := weighing(s.Now(), tags)
	for _, j := range jobs {
		w.take(j)
	}
	// Only those with new taps are written, and so only those are held to what was seen; the
	// others' requests are weighed by themselves.
	tags = slices.DeleteFunc(tags, func(t store.TagState) bool {
		return !slices.ContainsFunc(w.fresh, func(y store.Tally) bool { return y.TagID == t.ID })
	})
	if len(tags) > 0 {
		version, err := s.DB.KeepTapsIf(ctx, w.fresh, tags)
		for _, t := range tags {
			if t.Version = version; err == nil {
				seen[t.Code] = t
			} else {
				delete(seen, t.Code)
			}
		}
		if err != nil {
			for _, j := range jobs {
				j.alone, j.err, j.done = false, nil, Tapped{}
			}
			return false
		}
	}
	for _, j := range jobs {
		if j.settled = !j.alone; j.alone {
			delete(seen, j.code)
		}
	}
	return true
}

// weighing begins to weigh taps on tags, which it changes in place.
func weighing(now time.Time, tags []store.TagState) *quickWork {
	w := &quickWork{now: now, tags: map[string]*store.TagState{}, taps: map[string]*store.Tally{}}
	for i := range tags {
		w.tags[tags[i].Code] = &tags[i]
	}
	return w
}

// quickWork is several tags with their sums alone, under their locks or as they were seen.
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
