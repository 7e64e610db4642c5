package trace

import (
	"context"
	"slices"
	"strings"
	"time"

	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Kinds are what tags are recalled by, in order.
var Kinds = []string{"plant", "bundle", "lot", "supplier", "worker", "tool", "day", "store", "box", "variety", "order"}

// Asked is what is recalled: all that something went into, of days of work from one to
// another, or of the days that it lay in a place.
type Asked struct {
	Kind, Key string
	From, To  time.Time // both with it; the zero time is no bound
}

// Recall is every tag that something went into, and what became of its trees.
type Recall struct {
	Asked                      Asked
	Tags                       []store.Recalled
	Tied, Standing, Gone, Dead int
	OnBench                    int // tied on tags that are not finished: no look told yet what stands
	Held                       int // tags
	Sold                       int // tags of which some are sold
	Groups                     []Group
}

// Group is a bundle of a recall with the lots that it went on.
type Group struct {
	Plant, Bundle string
	Lots          []LotGroup
	Standing      int
}

// LotGroup is a lot with its tags.
type LotGroup struct {
	Lot  string
	Tags []store.Recalled
}

func (a *Asked) clean() error {
	a.Key = strings.Join(strings.Fields(a.Key), " ")
	if !slices.Contains(Kinds, a.Kind) {
		return nursery.Problem{Field: "kind", Says: words.RecallWhat}
	}
	switch a.Kind {
	case "plant", "bundle", "lot", "order":
		a.Key = nursery.CleanCode(a.Key)
	case "day":
		t, err := exchange.ParseDate(a.Key)
		if err != nil {
			return nursery.Problem{Field: "key", Says: words.Capital(err.Error()) + "."}
		}
		a.Key = t.Format(time.DateOnly)
	}
	if a.Key == "" {
		return nursery.Problem{Field: "key", Says: words.RecallWhich}
	}
	if !a.To.IsZero() && a.To.Before(a.From) {
		return nursery.Problem{Field: "to", Says: words.SpanTurned}
	}
	return nil
}

func (s *Stage) recalled(ctx context.Context, q store.Q, a Asked) ([]store.Recalled, error) {
	to := a.To
	if !to.IsZero() {
		to = to.AddDate(0, 0, 1)
	}
	return q.Recall(ctx, a.Kind, a.Key, a.From, to)
}

// Recall gathers every tag that something went into, all of them.
func (s *Stage) Recall(ctx context.Context, a nursery.Actor, asked Asked) (r Recall, err error) {
	if err := a.Must(nursery.Propagator, nursery.Looker); err != nil {
		return r, err
	}
	if err := asked.clean(); err != nil {
		return r, err
	}
	r.Asked = asked
	if r.Tags, err = s.recalled(ctx, s.DB.Q(), asked); err != nil {
		return r, err
	}
	for _, t := range r.Tags {
		r.Tied, r.Standing, r.Gone, r.Dead = r.Tied+t.Tied, r.Standing+t.Standing, r.Gone+t.Gone, r.Dead+t.Dead
		if !t.Finished {
			r.OnBench += t.Tied
		}
		if t.HeldAt != nil {
			r.Held++
		}
		if t.Gone > 0 {
			r.Sold++
		}
		i := slices.IndexFunc(r.Groups, func(g Group) bool { return g.Bundle == t.Bundle })
		if i < 0 {
			i, r.Groups = len(r.Groups), append(r.Groups, Group{Plant: t.Plant, Bundle: t.Bundle})
		}
		g := &r.Groups[i]
		g.Standing += t.Standing
		k := slices.IndexFunc(g.Lots, func(l LotGroup) bool { return l.Lot == t.Lot })
		if k < 0 {
			k, g.Lots = len(g.Lots), append(g.Lots, LotGroup{Lot: t.Lot})
		}
		g.Lots[k].Tags = append(g.Lots[k].Tags, t)
	}
	return r, nil
}

// RecallNames are suppliers, people, places and varieties, to choose from.
func (s *Stage) RecallNames(ctx context.Context) ([]string, error) { return s.DB.Q().RecallNames(ctx) }

// Hold holds every tag of a recall: none of their trees is sold or planted out until they are
// released. It says how many were not held yet.
func (s *Stage) Hold(ctx context.Context, a nursery.Actor, asked Asked, reason string) (n int, err error) {
	return s.holding(ctx, a, asked, reason, func(q store.Q, ids []int64, reason string) (int, error) {
		return q.Hold(ctx, ids, asked.Kind+" "+asked.Key, reason, a.ID, s.Now())
	}, "held")
}

// Release lets every tag of a recall go that is held.
func (s *Stage) Release(ctx context.Context, a nursery.Actor, asked Asked, why string) (n int, err error) {
	return s.holding(ctx, a, asked, why, func(q store.Q, ids []int64, why string) (int, error) {
		return q.Release(ctx, ids, why, a.ID, s.Now())
	}, "released")
}

func (s *Stage) holding(ctx context.Context, a nursery.Actor, asked Asked, reason string,
	do func(q store.Q, ids []int64, reason string) (int, error), doing string,
) (n int, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return 0, err
	}
	if err := asked.clean(); err != nil {
		return 0, err
	}
	if reason, err = nursery.CheckWhy(reason); err != nil {
		return 0, nursery.Problem{Field: "reason", Says: words.GiveAWhy}
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		ts, err := s.recalled(ctx, q, asked)
		if err != nil {
			return err
		}
		ids := make([]int64, len(ts))
		for i, t := range ts {
			ids[i] = t.ID
		}
		if err := q.HoldStill(ctx, ids); err != nil {
			return err
		}
		if n, err = do(q, ids, reason); err != nil || n == 0 {
			return err
		}
		return s.Changed(ctx, q, a, "recall", asked.Kind+" "+asked.Key, doing, nil, map[string]any{"tags": n, "reason": reason})
	})
	return n, err
}

// RecallLabels are the labels that say that tags are held, two a tag that still stands.
func (r Recall) RecallLabels() (ls []exchange.Label) {
	for _, t := range r.Tags {
		if t.Standing > 0 {
			l := exchange.Label{Code: t.Tag, Lines: []string{words.HeldLabel, t.Variety + " / " + t.StockType, t.Place}}
			ls = append(ls, l, l)
		}
	}
	return ls
}
