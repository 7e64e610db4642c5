package bench

import (
	"context"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/pace"
	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
)

// Tap is one tap as the tablet sends it. Ago is how long before sending it
// was made, so that a tablet with a wrong clock does no harm.
type Tap struct {
	ID     string `json:"id"`
	Kind   string `json:"kind"`
	N      int    `json:"n"`
	Undoes string `json:"undoes,omitempty"`
	AgoMS  int64  `json:"ago_ms"`
}

// HeldTap is a tap that was kept but does not count, and why.
type HeldTap struct {
	ID  string `json:"id"`
	Why string `json:"why"`
}

// Tapped is what became of the taps sent: every id in Safe is on disk.
type Tapped struct {
	Safe   []string  `json:"safe"`
	Held   []HeldTap `json:"held"`
	Counts Counts    `json:"counts"`
}

// mostTaps is how many taps one request may carry.
const mostTaps = 500

// Tap keeps taps made at the bench, in the order given. A tap already kept is
// safe and counts once. A tap that cannot count (more than was laid out, on a
// finished tag) is kept all the same, with the reason.
func (s *Stage) Tap(ctx context.Context, a nursery.Actor, code string, taps []Tap) (Tapped, error) {
	var done Tapped
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return done, err
	}
	if len(taps) > mostTaps {
		return done, nursery.Problem{Field: "", Says: fmt.Sprintf("At most %d taps at a time.", mostTaps)}
	}
	for _, t := range taps {
		if !nursery.UUIDPattern.MatchString(t.ID) || !tally.Kind(t.Kind).Known() || t.N < 1 || t.N > 1000 || t.AgoMS < 0 ||
			(tally.Kind(t.Kind) == tally.Undo) != (t.Undoes != "") || t.Undoes != "" && !nursery.UUIDPattern.MatchString(t.Undoes) {
			return done, nursery.Problem{Field: "", Says: fmt.Sprintf("Tap %q is not one that this bench makes. Load the card anew.", t.ID)}
		}
	}
	if quick(taps) {
		return s.tapTogether(ctx, a, code, taps)
	}
	return s.tapAlone(ctx, a, code, taps)
}

// tapAlone keeps taps in a transaction of their own.
func (s *Stage) tapAlone(ctx context.Context, a nursery.Actor, code string, taps []Tap) (Tapped, error) {
	var done Tapped
	err := s.DB.Tx(ctx, func(q store.Q) error {
		done = Tapped{Safe: []string{}, Held: []HeldTap{}}
		tag, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if a.Role == nursery.BenchHand && !tag.Has(a.ID) {
			return fmt.Errorf("tag %s: %w", code, nursery.ErrNotAllowed)
		}
		w := &benchWork{s: s, q: q, a: a, tag: tag, now: s.Now()}
		if w.taps, err = q.Tallies(ctx, tag.ID); err != nil {
			return err
		}
		ids := make([]string, len(taps))
		for i, t := range taps {
			ids[i] = t.ID
		}
		elsewhere, err := q.TalliesByID(ctx, ids)
		if err != nil {
			return err
		}
		for _, y := range elsewhere {
			if y.TagID != tag.ID {
				w.elsewhere = append(w.elsewhere, y.ID)
			}
		}
		for _, t := range taps {
			why, err := w.take(ctx, t)
			if err != nil {
				return fmt.Errorf("tap %s: %w", t.ID, err)
			}
			done.Safe = append(done.Safe, t.ID)
			if why != "" {
				done.Held = append(done.Held, HeldTap{t.ID, string(why)})
			}
		}
		if len(w.fresh) == 0 {
			done.Counts = countsOf(sumsOf(w.tag))
			return nil
		}
		done.Counts, err = w.keep(ctx)
		return err
	})
	return done, err
}

// benchWork is one tag under its lock while taps are taken: what was tapped
// before, and what is new.
type benchWork struct {
	s     *Stage
	q     store.Q
	a     nursery.Actor
	tag   store.TagState
	taps  []store.Tally
	fresh []store.Tally
	now   time.Time

	elsewhere []string // ids of taps that were kept on other tags
}

func (w *benchWork) find(id string) (store.Tally, bool) {
	i := slices.IndexFunc(w.taps, func(t store.Tally) bool { return t.ID == id })
	if i < 0 {
		return store.Tally{}, false
	}
	return w.taps[i], true
}

// take weighs one tap and notes it. It gives why the tap does not count, or "".
func (w *benchWork) take(ctx context.Context, t Tap) (tally.Refusal, error) {
	if was, ok := w.find(t.ID); ok {
		return tapOf(was).Refused, nil // sent twice: safe, and counted once
	}
	if slices.Contains(w.elsewhere, t.ID) {
		return "", nil // kept on another tag, where it counts
	}
	sums := tally.Add(tapsOf(w.taps))
	_, laid := sumsOf(w.tag)
	kind, undone := tally.Kind(t.Kind), tally.Tap{}
	var why tally.Refusal
	if kind == tally.Undo {
		was, known := w.find(t.Undoes)
		undone = tapOf(was)
		counted := false
		if undone.Kind == tally.Finish {
			n, err := w.q.Counts(ctx, w.tag.ID)
			if err != nil {
				return "", err
			}
			counted = len(n) > 0
		}
		if why = sums.WeighUndo(undone, known, counted); why != "" {
			t.Undoes = ""
		}
	} else {
		why = sums.Weigh(kind, t.N, laid)
	}
	y := tallyOf(t, w.tag, why, w.now)
	w.fresh, w.taps = append(w.fresh, y), append(w.taps, y)
	if why != "" {
		return why, nil
	}
	if i := slices.IndexFunc(w.taps, func(x store.Tally) bool { return x.ID == t.Undoes }); i >= 0 {
		w.taps[i].Undone = true
	}
	if w.tag.StartedAt == nil {
		w.tag.StartedAt = &w.now
	}
	if kind == tally.Finish || undone.Kind == tally.Finish {
		w.tag.FinishedAt = nil
		if kind == tally.Finish {
			w.tag.FinishedAt = &w.now
		}
	}
	if kind.Moves() || undone.Kind.Moves() {
		return "", w.post(ctx)
	}
	return "", nil
}

// tallyOf is a tap as it is kept.
func tallyOf(t Tap, tag store.TagState, why tally.Refusal, now time.Time) store.Tally {
	ago := min(time.Duration(t.AgoMS)*time.Millisecond, 60*24*time.Hour)
	y := store.Tally{ID: t.ID, TagID: tag.ID, PersonID: tag.WorkerID, Kind: t.Kind, N: t.N, At: now.Add(-ago), ReceivedAt: now}
	if why != "" {
		held := string(why)
		y.Held = &held
	}
	if t.Undoes != "" {
		y.Undoes = &t.Undoes
	}
	return y
}

// keep writes what is new, and the tag's sums.
func (w *benchWork) keep(ctx context.Context) (Counts, error) {
	s := tally.Add(tapsOf(w.taps))
	t := &w.tag
	t.Tied, t.SpoiledStock, t.SpoiledWood, t.Dropped, t.SetAside, t.SinceWipe, t.Refused = s.Tied, s.SpoiledStock, s.SpoiledWood,
		s.Dropped, s.SetAside, s.SinceWipe, s.Refused
	t.PaceHours = nil
	if t.FinishedAt != nil && t.StartedAt != nil {
		if h := w.hours(); h > 0 {
			t.PaceHours = &h
		}
	}
	if err := w.q.KeepTaps(ctx, w.fresh, nil); err != nil {
		return Counts{}, err
	}
	return countsOf(sumsOf(*t)), w.q.KeepTag(ctx, *t)
}

// hours is how long the tag took, by its taps, which a line that was down does
// not move.
func (w *benchWork) hours() float64 {
	from, to := *w.tag.StartedAt, time.Time{}
	for _, t := range w.taps {
		if t.Held != nil || t.Undone || tally.Kind(t.Kind) == tally.Undo {
			continue
		}
		if t.At.Before(from) {
			from = t.At
		}
		if tally.Kind(t.Kind) == tally.Finish {
			to = t.At
		}
	}
	if to.IsZero() {
		to = *w.tag.FinishedAt
	}
	return pace.Hours(w.tag.Tied, from, to)
}

// post brings the ledgers in line with the taps, stems before pieces.
func (w *benchWork) post(ctx context.Context) error {
	s := tally.Add(tapsOf(w.taps))
	threads, err := w.q.TagThreads(ctx, w.tag.ID)
	if err != nil {
		return err
	}
	if err := (nursery.Hold{Lots: []int64{w.tag.LotID}, Bundles: []int64{w.tag.BundleID}}).In(ctx, w.q); err != nil {
		return err
	}
	for _, side := range []struct {
		of       int64
		each     int
		spoiled  int
		mm       func(store.Thread) float64
		posted   func(context.Context, int64) ([]store.Posted, error)
		balances func(context.Context, int64) ([]store.Balance, error)
		move     func(context.Context, ...store.Move) error
		back     *int
	}{
		{w.tag.LotID, 1, s.SpoiledStock, func(t store.Thread) float64 { return t.StockMM }, w.q.PostedStock, w.q.StockBalances,
			w.q.MoveStock, &w.tag.StockBack},
		{w.tag.BundleID, max(1, w.tag.Buds), s.SpoiledWood + s.Dropped, func(t store.Thread) float64 { return t.WoodMM }, w.q.PostedWood, w.q.WoodBalances,
			w.q.MoveWood, &w.tag.WoodBack},
	} {
		d := tally.Side{Planned: w.tag.Planned * side.each, Each: side.each, Spoiled: side.spoiled, Posted: map[tally.Account]int{}}
		for _, t := range threads {
			d.Classes = append(d.Classes, tally.Class{MM: side.mm(t), N: t.N * side.each})
		}
		ps, err := side.posted(ctx, w.tag.ID)
		if err != nil {
			return err
		}
		for _, p := range ps {
			d.Posted[tally.Account(p.Account)] = p.N
		}
		bs, err := side.balances(ctx, side.of)
		if err != nil {
			return err
		}
		for _, b := range bs {
			if b.Account == store.Free {
				d.Free = b.N
			}
		}
		var lines []store.Move
		for _, m := range d.Settle(s) {
			lines = append(
				lines,
				store.Move{Of: side.of, N: m.N, From: string(m.From), To: string(m.To), MM: &m.MM, Reason: string(m.Reason),
					BatchID: &w.tag.BatchID, TagID: &w.tag.ID, PersonID: w.a.ID, At: w.now},
			)
		}
		if err := side.move(ctx, lines...); err != nil {
			return err
		}
		*side.back = d.Back()
	}
	return nil
}
