package trees

import (
	"context"
	"slices"
	"unicode/utf8"

	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// living are the tags of a limb of which something lives, or may.
func living(ts []store.LimbTag, lot int64) (out []store.LimbTag, n int) {
	for _, t := range ts {
		if t.LotID == lot && t.Standing > 0 {
			out, n = append(out, t), n+t.Standing
		}
	}
	return out, n
}

// moves are trees of tags that go in one act.
func (s *Stage) moves(ctx context.Context, q store.Q, a nursery.Actor, act, what, cause, why, place string, of map[int64]int) error {
	ids := make([]int64, 0, len(of))
	for id := range of {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	looks, err := q.StandingLook(ctx, ids)
	if err != nil {
		return err
	}
	var ms []store.TreeMove
	for _, id := range ids {
		m := store.TreeMove{Act: act, TagID: id, What: what, N: of[id], Look: looks[id], Place: place, On: s.Today(), Reason: why,
			PersonID: a.ID, At: s.Now()}
		if cause != "" {
			m.Cause = &cause
		}
		ms = append(ms, m)
	}
	return q.AddTreeMoves(ctx, ms)
}

// Removal is a limb that is gone.
type Removal struct {
	Act  string // an id of the device's own
	Why  string
	Sure bool // grafts that live on it are meant to go with it
}

// RemoveLimb notes that a limb is gone. Grafts that live on it go with it: that is asked first, and
// they are recorded as lost.
func (s *Stage) RemoveLimb(ctx context.Context, a nursery.Actor, code, letter string, r Removal) error {
	return s.in(ctx, a, code, func(q store.Q, t store.Tree, ls []store.Limb) error {
		if known, err := q.ActKnown(ctx, r.Act); err != nil || known {
			return err
		}
		m, err := limb(ls, letter)
		if err != nil {
			return err
		}
		trim(&r.Why)
		switch {
		case !nursery.UUIDPattern.MatchString(r.Act):
			return nursery.Problem{Field: "", Says: words.ReloadTree}
		case r.Why == "" || utf8.RuneCountInString(r.Why) > 300:
			return nursery.Problem{Field: "why", Says: words.WhyGone}
		}
		ts, err := q.LimbTags(ctx, t.ID)
		if err != nil {
			return err
		}
		live, n := living(ts, m.LotID)
		if n > 0 && !r.Sure {
			return nursery.Problem{Field: "sure", Says: words.LivesOnIt(m.Letter, n, live[0].Variety)}
		}
		bs, err := q.StockBalances(ctx, m.LotID)
		if err != nil {
			return err
		}
		for _, b := range bs {
			if b.Account == store.Aside && b.N > 0 {
				return nursery.Problem{Field: "why", Says: words.LimbAtBench(m.Letter, b.N)}
			}
		}
		of := map[int64]int{}
		for _, x := range live {
			of[x.ID] = x.Standing
		}
		if len(of) > 0 {
			if err := s.moves(ctx, q, a, r.Act, "lost", words.KnockedOff, r.Why, t.Place, of); err != nil {
				return err
			}
		}
		if m.Free > 0 {
			if err := q.MoveStock(ctx, store.Move{Of: m.LotID, N: m.Free, From: store.Free, To: store.Lost, Reason: "by hand", Note: r.Why,
				PersonID: a.ID, At: s.Now()}); err != nil {
				return err
			}
		}
		today := s.Today()
		if m.Order != "" {
			if o, err := q.OrderByCode(ctx, m.Order); err == nil && o.ClosedOn == nil {
				if err := q.CloseOrder(ctx, o.ID, &today); err != nil {
					return err
				}
			}
		}
		m.RemovedOn, m.RemovedWhy = &today, r.Why
		if err := q.SetLimb(ctx, m); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tree", t.Code, "limb gone", map[string]any{"limb": m.Letter, "living": n}, r.Why)
	})
}

// What is done on limbs.
const (
	KeptBest  = "kept best"
	TiedOff   = "tied off"
	Spreader  = "spread"
	NurseOff  = "nurse off"
	Headed    = "headed"
	CleanedUp = "cleaned up"
)

// Doings are all of them.
var Doings = []string{Headed, TiedOff, CleanedUp, Spreader, KeptBest, NurseOff}

// Did is something done on a limb.
type Did struct {
	Act  string // an id of the device's own
	What string
	Tag  string // whose live grafts are cut, of what is kept best
	N    int    // of them
	Note string
}

// DoOnLimb keeps what was done on a limb. Live grafts that are cut because a better one stands beside
// them leave their tag: they took.
func (s *Stage) DoOnLimb(ctx context.Context, a nursery.Actor, code, letter string, d Did) error {
	return s.in(ctx, a, code, func(q store.Q, t store.Tree, ls []store.Limb) error {
		m, err := limb(ls, letter)
		if err != nil {
			return err
		}
		trim(&d.Note)
		if !nursery.UUIDPattern.MatchString(d.Act) || !slices.Contains(Doings, d.What) || utf8.RuneCountInString(d.Note) > 300 {
			return nursery.Problem{Field: "", Says: words.ReloadTree}
		}
		if known, err := q.AddLimbAct(ctx, store.LimbAct{ID: d.Act, LimbID: m.ID, What: d.What, N: d.N, On: s.Today(), Note: d.Note,
			PersonID: a.ID,
			At:       s.Now()}); err != nil || known {
			return err
		}
		if d.What == KeptBest {
			if err := s.cut(ctx, q, a, t, m, d); err != nil {
				return err
			}
		}
		return s.Changed(ctx, q, a, "tree", t.Code, d.What+" on "+m.Letter, nil, d)
	}, nursery.BenchHand)
}

func (s *Stage) cut(ctx context.Context, q store.Q, a nursery.Actor, t store.Tree, m store.Limb, d Did) error {
	ts, err := q.LimbTags(ctx, t.ID)
	if err != nil {
		return err
	}
	live, n := living(ts, m.LotID)
	i := slices.IndexFunc(live, func(x store.LimbTag) bool { return x.Code == nursery.CleanCode(d.Tag) })
	switch {
	case i < 0 || d.N < 1 || d.N > live[i].Standing:
		return nursery.Problem{Field: "n", Says: words.CutWhich(m.Letter)}
	case n-d.N < t.Trees && t.Trees == 1:
		return nursery.Problem{Field: "n", Says: words.KeepOne(m.Letter)}
	}
	if err := q.LockTags(ctx, []string{live[i].Code}); err != nil {
		return err
	}
	return s.moves(ctx, q, a, d.Act, "cut", "", d.Note, t.Place, map[int64]int{live[i].ID: d.N})
}

// UndoDid takes back what was done on a limb.
func (s *Stage) UndoDid(ctx context.Context, a nursery.Actor, code, act string) error {
	return s.in(ctx, a, code, func(q store.Q, t store.Tree, _ []store.Limb) error {
		if !nursery.UUIDPattern.MatchString(act) {
			return nursery.Problem{Field: "", Says: words.ReloadTree}
		}
		if err := q.UndoLimbAct(ctx, act, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tree", t.Code, "taken back", act, nil)
	})
}
