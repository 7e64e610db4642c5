package nursery

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"time"

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

var (
	uuidPattern = regexp.MustCompile(`^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$`)
	tapKinds    = map[string]bool{"tied": true, "spoiled stock": true, "spoiled wood": true, "dropped": true, "set aside": true,
		"wiped": true, "new blade": true, "finish": true, "undo": true}
)

// mostTaps is how many taps one request may carry.
const mostTaps = 500

// Tap keeps taps made at the bench, in the order given. A tap already kept is
// safe and counts once. A tap that cannot count (more than was laid out, on a
// finished tag) is kept all the same, with the reason.
func (s *Service) Tap(ctx context.Context, a Actor, code string, taps []Tap) (Tapped, error) {
	var done Tapped
	if err := a.must(Propagator, BenchHand); err != nil {
		return done, err
	}
	if len(taps) > mostTaps {
		return done, Problem{"", fmt.Sprintf("At most %d taps at a time.", mostTaps)}
	}
	for _, t := range taps {
		if !uuidPattern.MatchString(t.ID) || !tapKinds[t.Kind] || t.N < 1 || t.N > 1000 || t.AgoMS < 0 ||
			(t.Kind == "undo") != (t.Undoes != "") || t.Undoes != "" && !uuidPattern.MatchString(t.Undoes) {
			return done, Problem{"", fmt.Sprintf("Tap %q is not one that this bench makes. Load the card anew.", t.ID)}
		}
	}
	err := s.db.Tx(ctx, func(q store.Q) error {
		done = Tapped{Safe: []string{}, Held: []HeldTap{}}
		tag, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if a.Role == BenchHand && tag.WorkerID != a.ID {
			return fmt.Errorf("tag %s: %w", code, ErrNotAllowed)
		}
		w, err := s.openBench(ctx, q, a, tag)
		if err != nil {
			return err
		}
		for _, t := range taps {
			why, err := w.take(ctx, t)
			if err != nil {
				return fmt.Errorf("tap %s: %w", t.ID, err)
			}
			done.Safe = append(done.Safe, t.ID)
			if why != "" {
				done.Held = append(done.Held, HeldTap{t.ID, why})
			}
		}
		done.Counts, err = w.counts(ctx)
		return err
	})
	return done, err
}

var errNoSuchTap = errors.New("no such tap")

// benchWork is one tag under its lock while taps are taken: what was tapped
// before, and how many stems and pieces lie on the bench for it.
type benchWork struct {
	s     *Service
	q     store.Q
	a     Actor
	tag   store.TagState
	taps  []store.Tally
	stock int // laid out, grafted ones included
	wood  int
	now   time.Time
}

func (s *Service) openBench(ctx context.Context, q store.Q, a Actor, tag store.TagState) (*benchWork, error) {
	w := &benchWork{s: s, q: q, a: a, tag: tag, now: s.Now()}
	var err error
	if w.taps, err = q.Tallies(ctx, tag.ID); err != nil {
		return nil, err
	}
	w.stock, w.wood = tag.Planned, tag.Planned
	// The ledgers hold nothing of a tag on which nothing was spoiled, handed
	// back or finished, so most taps need not ask them.
	if slices.ContainsFunc(w.taps, func(t store.Tally) bool { return movesLedger(t.Kind) }) {
		w.stock, w.wood, err = s.onHand(ctx, q, tag.ID, tag.Planned)
	}
	return w, err
}

func movesLedger(kind string) bool {
	switch kind {
	case "spoiled stock", "spoiled wood", "dropped", "set aside", "finish":
		return true
	}
	return false
}

func (w *benchWork) find(id string) (store.Tally, error) {
	for _, t := range w.taps {
		if t.ID == id {
			return t, nil
		}
	}
	return store.Tally{}, errNoSuchTap
}

// take keeps one tap. It gives why the tap does not count, or "".
func (w *benchWork) take(ctx context.Context, t Tap) (string, error) {
	if was, err := w.find(t.ID); err == nil {
		if was.Held != nil {
			return *was.Held, nil
		}
		return "", nil // sent twice: safe, and counted once
	}
	undone := store.Tally{}
	held := ""
	c := tapsAdded(w.taps)
	switch {
	case t.Kind == "undo":
		var err error
		if undone, err = w.find(t.Undoes); err != nil {
			held, t.Undoes = "the tap to take back is not known here", ""
		} else if undone.Undone {
			held, t.Undoes = "it was taken back already", ""
		} else if undone.Kind == "undo" || undone.Held != nil {
			held, t.Undoes = "it did not count in the first place", ""
		} else if c.Finished && undone.Kind != "finish" {
			held, t.Undoes = "the tag is finished: take the finish back first", ""
		} else if undone.Kind == "finish" {
			n, err := w.q.Counts(ctx, w.tag.ID)
			if err != nil {
				return "", err
			}
			if len(n) > 0 {
				held, t.Undoes = "its takes are counted already", ""
			}
		}
	case c.Finished:
		held = "the tag is finished"
	case t.Kind == "tied" && c.Tied+t.N > min(w.stock, w.wood):
		held = "more than was laid out"
	case (t.Kind == "spoiled stock" || t.Kind == "set aside") && c.Tied+t.N > w.stock:
		held = "no stock is left on the bench for this tag"
	case (t.Kind == "spoiled wood" || t.Kind == "dropped" || t.Kind == "set aside") && c.Tied+t.N > w.wood:
		held = "no wood is left on the bench for this tag"
	}
	if err := w.keep(ctx, t, held); err != nil {
		return "", err
	}
	if held != "" {
		return held, nil
	}
	if w.tag.StartedAt == nil {
		if err := w.q.LockBatch(ctx, w.tag.BatchID); err != nil { // against its being taken back meanwhile
			return "", err
		}
		w.tag.StartedAt = &w.now
		if err := w.mark(ctx); err != nil {
			return "", err
		}
	}
	if t.Kind == "finish" || undone.Kind == "finish" {
		w.tag.FinishedAt = nil
		if t.Kind == "finish" {
			w.tag.FinishedAt = &w.now
		}
		if err := w.mark(ctx); err != nil {
			return "", err
		}
	}
	if movesLedger(t.Kind) || movesLedger(undone.Kind) {
		return "", w.post(ctx)
	}
	return "", nil
}

func (w *benchWork) mark(ctx context.Context) error {
	return w.q.MarkTag(ctx, w.tag.ID, w.tag.StartedAt, w.tag.FinishedAt)
}

func (w *benchWork) keep(ctx context.Context, t Tap, held string) error {
	ago := min(time.Duration(t.AgoMS)*time.Millisecond, 60*24*time.Hour)
	y := store.Tally{ID: t.ID, TagID: w.tag.ID, PersonID: w.tag.WorkerID, Kind: t.Kind, N: t.N, At: w.now.Add(-ago), ReceivedAt: w.now}
	if held != "" {
		y.Held = &held
	}
	if t.Undoes != "" {
		y.Undoes = &t.Undoes
	}
	if _, err := w.q.AddTally(ctx, y); err != nil {
		return err
	}
	w.taps = append(w.taps, y)
	if t.Undoes != "" {
		for i := range w.taps {
			if w.taps[i].ID == t.Undoes {
				w.taps[i].Undone = true
			}
		}
	}
	return nil
}

// post brings the ledgers in line with the taps. What was spoiled is moved
// out of what was set aside, and another is drawn from what is free, if there
// is any, to be cut again. Finishing moves the tied ones to grafted and gives
// back the rest.
func (w *benchWork) post(ctx context.Context) error {
	c := tapsAdded(w.taps)
	threads, err := w.q.TagThreads(ctx, w.tag.ID)
	if err != nil {
		return err
	}
	was, err := w.q.PostedStock(ctx, w.tag.ID)
	if err != nil {
		return err
	}
	l := ledger{w: w, of: w.tag.LotID, move: w.q.MoveStock, was: was, mm: func(t store.Thread) float64 { return t.StockMM }, threads: threads}
	if l.free, err = w.freeStock(ctx); err != nil {
		return err
	}
	if err := l.settle(ctx, c, c.SpoiledStock); err != nil {
		return err
	}
	if was, err = w.q.PostedWood(ctx, w.tag.ID); err != nil {
		return err
	}
	l = ledger{w: w, of: w.tag.BundleID, move: w.q.MoveWood, was: was, mm: func(t store.Thread) float64 { return t.WoodMM }, threads: threads}
	if l.free, err = w.freeWood(ctx); err != nil {
		return err
	}
	if err := l.settle(ctx, c, c.SpoiledWood+c.Dropped); err != nil {
		return err
	}
	w.stock, w.wood, err = w.s.onHand(ctx, w.q, w.tag.ID, w.tag.Planned)
	return err
}

func (w *benchWork) freeStock(ctx context.Context) (int, error) {
	if err := w.q.LockLots(ctx, []int64{w.tag.LotID}); err != nil {
		return 0, err
	}
	bs, err := w.q.StockBalances(ctx, w.tag.LotID)
	return freeIn(bs), err
}

func (w *benchWork) freeWood(ctx context.Context) (int, error) {
	if err := w.q.LockBundles(ctx, []int64{w.tag.BundleID}); err != nil {
		return 0, err
	}
	bs, err := w.q.WoodBalances(ctx, w.tag.BundleID)
	return freeIn(bs), err
}

func freeIn(bs []store.Balance) int {
	for _, b := range bs {
		if b.Account == store.Free {
			return b.N
		}
	}
	return 0
}

// counts adds the tag up after the taps.
func (w *benchWork) counts(ctx context.Context) (Counts, error) {
	c := tapsAdded(w.taps)
	if !c.Finished {
		c.Left = max(0, min(w.stock, w.wood)-c.Tied)
	}
	return c, nil
}
