package bench

import (
	"context"
	"fmt"
	"slices"
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
		j.done = Tapped{Safe: []string{}, Held: []HeldTap{}}
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
// alone, before anything of it is noted.
func (w *quickWork) take(j *tapJob) {
	tag := w.tags[j.code]
	if tag == nil {
		j.err = nursery.ErrNotFound
		return
	}
	if j.a.Role == nursery.BenchHand && !tag.Has(j.a.ID) {
		j.err = fmt.Errorf("tag %s: %w", j.code, nursery.ErrNotAllowed)
		return
	}
	wiped := slices.ContainsFunc(
		j.taps,
		func(t Tap) bool { return tally.Kind(t.Kind) == tally.Wiped || tally.Kind(t.Kind) == tally.NewBlade },
	)
	for _, t := range j.taps {
		if tally.Kind(t.Kind) != tally.Undo {
			continue
		}
		// What was wiped or finished meanwhile is found out from all the taps.
		of := w.taps[t.Undoes]
		if of == nil || of.TagID != tag.ID || tally.Kind(of.Kind) != tally.Tied || tag.SinceWipe != tag.Tied || wiped ||
			tag.FinishedAt != nil {
			j.alone = true
			return
		}
	}
	for _, t := range j.taps {
		j.done.Safe = append(j.done.Safe, t.ID)
		if why := w.one(tag, t); why != "" {
			j.done.Held = append(j.done.Held, HeldTap{t.ID, string(why)})
		}
	}
	j.done.Counts = countsOf(sumsOf(*tag))
}

func (w *quickWork) one(tag *store.TagState, t Tap) tally.Refusal {
	if was := w.taps[t.ID]; was != nil {
		return tapOf(*was).Refused
	}
	sums, laid := sumsOf(*tag)
	kind := tally.Kind(t.Kind)
	var why tally.Refusal
	of := w.taps[t.Undoes]
	if kind == tally.Undo {
		if why = sums.WeighUndo(tapOf(*of), true, false); why != "" {
			t.Undoes = ""
		}
	} else {
		why = sums.Weigh(kind, t.N, laid)
	}
	y := tallyOf(t, *tag, why, w.now)
	w.fresh = append(w.fresh, y)
	w.taps[t.ID] = &y
	switch {
	case why != "" && kind != tally.Undo:
		tag.Refused++
	case why != "":
	case kind == tally.Undo:
		of.Undone = true
		sums.Count(tally.Kind(of.Kind), -of.N)
	default:
		sums.Count(kind, t.N)
	}
	if why == "" && tag.StartedAt == nil {
		tag.StartedAt = &w.now
	}
	tag.Tied, tag.SinceWipe = sums.Tied, sums.SinceWipe
	return why
}
