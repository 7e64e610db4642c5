package bench

import (
	"context"
	"slices"
	"time"

	"unionknot/internal/core/tally"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// StrayGroup is what one worker tapped on a tag that does not count.
type StrayGroup struct {
	store.StrayTap                  // the first of its kinds
	Kinds          []store.StrayTap // what was tapped
	Decided        bool             // the propagator said already
}

// decidedFor is how long a decision about taps is shown, and can be taken back.
const decidedFor = 14 * 24 * time.Hour

// Strays lists the taps that do not count until the propagator says so, by tag and
// worker, and then those decided on lately.
func (s *Stage) Strays(ctx context.Context, a nursery.Actor) ([]StrayGroup, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nil, err
	}
	ss, err := s.DB.Q().StrayTaps(ctx, s.Now().Add(-decidedFor))
	var out []StrayGroup
	for _, x := range ss {
		i := slices.IndexFunc(out, func(g StrayGroup) bool {
			return g.Code == x.Code && g.WorkerID == x.WorkerID && g.Decided == (x.Settled != nil)
		})
		if i < 0 {
			i, out = len(out), append(out, StrayGroup{StrayTap: x, Decided: x.Settled != nil})
		}
		g := &out[i]
		g.Kinds = append(g.Kinds, x)
		if x.From.Before(g.From) {
			g.From = x.From
		}
		if x.To.After(g.To) {
			g.To = x.To
		}
	}
	return out, err
}

// Settling is what the propagator decides of a worker's taps on a tag that do not
// count.
type Settling struct {
	Code   string
	Worker int64
	Do     tally.Decision // "" takes a decision back
	On     string         // the tag on which they count; "" for their own
}

// Settle counts a worker's stray taps, on their own tag or on another, leaves them, or
// takes an earlier decision back. All of them count or none does.
func (s *Stage) Settle(ctx context.Context, a nursery.Actor, n Settling) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	code, on := nursery.CleanCode(n.Code), nursery.CleanCode(n.On)
	return s.DB.Tx(ctx, func(q store.Q) error {
		// The tags on which they count now are known only once they are read; whoever
		// decides holds them all from the start, in one order.
		before, err := q.CountedOn(ctx, code, n.Worker)
		if err != nil {
			return err
		}
		codes := append([]string{code}, before...)
		if on != "" {
			codes = append(codes, on)
		}
		slices.Sort(codes)
		tags, err := q.LockAnyTags(ctx, slices.Compact(codes))
		if err != nil {
			return err
		}
		find := func(code string) *store.TagState {
			if i := slices.IndexFunc(tags, func(t store.TagState) bool { return t.Code == code }); i >= 0 {
				return &tags[i]
			}
			return nil
		}
		own, target := find(code), find(on)
		switch {
		case own == nil:
			return nursery.ErrNotFound
		case on == "":
			target = own
		case target == nil || target.IsDropped():
			return nursery.Problem{Field: "on", Says: words.NoSuchTagStands(on)}
		case target.LotID != own.LotID || target.BundleID != own.BundleID:
			return nursery.Problem{Field: "on", Says: words.OfOtherStems(on)}
		}
		ts, err := q.StrayIDs(ctx, own.ID, n.Worker, n.Do == "")
		if err != nil || len(ts) == 0 {
			return err // somebody else decided meanwhile
		}
		ids := make([]string, len(ts))
		for i, t := range ts {
			ids[i] = t.ID
		}
		to := int64(0)
		if n.Do == tally.Count && target.ID != own.ID {
			to = target.ID
		}
		if err := q.SettleTaps(ctx, ids, string(n.Do), to, a.ID, s.Now()); err != nil {
			return err
		}
		for _, t := range tags {
			w, err := s.WeighTaps(ctx, q, a, t, nil)
			if err != nil {
				return err
			}
			if n.Do != tally.Count || t.ID != target.ID {
				continue
			}
			for _, y := range w.Weighed(ids) {
				if y.Held != nil && tally.Kind(y.Kind) != tally.Undo {
					return nursery.Problem{Field: "on", Says: words.CannotCount(t.Code, tally.Refusal(*y.Held))}
				}
			}
		}
		doing := map[tally.Decision]string{tally.Count: "taps counted", tally.Leave: "taps left", "": words.TapsWeighedAgain}[n.Do]
		return s.Changed(ctx, q, a, "tag", code, doing, len(ids), on)
	})
}
