package growon

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// trees keeps trees lost, sold, planted out, returned or below the grade, of each tag as it is said: where an act of
// several tags does not say of which, it is asked.
func (w *work) trees(ctx context.Context) error {
	away := w.act.Kind == Sold || w.act.Kind == Planted
	if (away || w.act.Kind == Returned) && w.a.Role != nursery.Propagator {
		return nursery.ErrNotAllowed
	}
	var ids []int64
	for _, g := range w.tags {
		ids = append(ids, g.ID)
	}
	orders, err := w.ordersOf(ctx)
	if err != nil {
		return err
	}
	shares, err := w.shares(ctx, ids, orders)
	if err != nil {
		return err
	}
	cause := (*string)(nil)
	if w.act.Kind == Lost {
		known, err := w.q.Causes(ctx)
		if err != nil {
			return err
		}
		if !slices.Contains(known, w.act.Cause) {
			return problem(words.SayCause)
		}
		cause = &w.act.Cause
	}
	if away {
		if err := w.mayGo(ctx, ids); err != nil {
			return err
		}
	}
	looks, err := w.q.StandingLook(ctx, ids)
	if err != nil {
		return err
	}
	var moves []store.TreeMove
	for i, g := range w.tags {
		if shares[i] == 0 {
			continue
		}
		moves = append(moves, store.TreeMove{Act: w.act.ID, TagID: g.ID, What: w.act.Kind, N: shares[i], Cause: cause, Knot: w.act.Knot,
			Look: looks[g.ID], Buyer: w.act.Buyer, OrderID: orders[g.ID], Else: away && orders[g.ID] == nil, Place: g.Place, On: w.on,
			Reason: w.act.Reason, PersonID: w.a.ID, At: w.at})
	}
	if err := w.q.AddTreeMoves(ctx, moves); err != nil {
		return err
	}
	return w.changed(ctx, w.act.Kind)
}

// mayGo holds trees that are to be sold or planted out: not where a recall holds them, and with a reason before they
// are fit.
func (w *work) mayGo(ctx context.Context, ids []int64) error {
	held, err := w.q.HeldOf(ctx, ids)
	if err != nil {
		return err
	}
	if len(held) > 0 {
		return problem(words.NotSoldHeld(held[0].Code, held[0].Reason, held[0].At))
	}
	day := aftercare.DayOf(w.on)
	for _, g := range w.tags {
		i := slices.IndexFunc(g.Plan.Knots, func(k aftercare.Knot) bool { return k.Name == aftercare.FitToSell })
		if i >= 0 && day < g.Plan.Knots[i].From && w.act.Reason == "" {
			return asking(words.NotFit(g.Plan.Knots[i].From))
		}
	}
	return nil
}

// shares is how many trees the act is of on each tag: as its items say; all of a single tag's; or all that stand.
func (w *work) shares(ctx context.Context, ids []int64, orders map[int64]*int64) ([]int, error) {
	out, all, said := make([]int, len(w.tags)), 0, 0
	there := make([]int, len(w.tags)) // what there is of each to take
	for i, g := range w.tags {
		there[i] = g.Standing
		if w.act.Kind == Returned {
			sent, err := w.q.SentOf(ctx, ids[i:i+1], orders[g.ID])
			if err != nil {
				return nil, err
			}
			there[i] = sent[g.ID]
		}
		k := slices.IndexFunc(w.act.Items, func(x Item) bool { return nursery.CleanCode(x.Code) == g.Code })
		out[i] = w.act.Items[k].Trees
		all, said = all+there[i], said+out[i]
		if out[i] < 0 {
			return nil, problem(words.SayTreesLost)
		}
	}
	n := w.act.N
	switch {
	case said > 0 && n > 0 && n != said:
		return nil, problem(words.TreesDiffer(n, said))
	case said == 0 && n < 1:
		return nil, problem(words.SayTreesLost)
	case said == 0 && n > all:
		return nil, w.tooMany(n, all)
	case said == 0 && len(w.tags) == 1:
		out[0] = n
	case said == 0 && n == all:
		copy(out, there)
	case said == 0:
		return nil, problem(words.WhichTag)
	}
	for i, x := range out {
		if x > there[i] {
			return nil, w.tooMany(x, there[i])
		}
	}
	return out, nil
}

func (w *work) tooMany(n, there int) error {
	if w.act.Kind == Returned {
		return problem(words.MoreThanSent(n, there))
	}
	return problem(words.MoreThanStand(n, there))
}

// ordersOf is the order that each tag's trees are delivered to, or came back from: nil for none.
func (w *work) ordersOf(ctx context.Context) (map[int64]*int64, error) {
	out := map[int64]*int64{}
	if w.act.Kind != Sold && w.act.Kind != Planted && w.act.Kind != Returned || w.act.Order == NoOrder {
		return out, nil
	}
	code := nursery.CleanCode(w.act.Order)
	for i, g := range w.tags {
		c := cmp.Or(code, g.Order)
		o, err := w.q.OrderByCode(ctx, c)
		if errors.Is(err, nursery.ErrNotFound) {
			return nil, problem(words.NoSuchOrder(w.act.Order))
		} else if err != nil {
			return nil, err
		}
		switch {
		case code == "" && w.act.Buyer != "" && !strings.EqualFold(w.act.Buyer, o.Buyer):
			continue // another buyer
		case o.Variety != g.Variety || o.Genus != g.Genus || o.StockType != g.StockType || o.StockGenus != g.StockGenus:
			return nil, problem(words.OtherTrees(o.Code, g.Code))
		}
		out[w.tags[i].ID] = &o.ID
	}
	return out, nil
}
