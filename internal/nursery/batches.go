package nursery

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"unionknot/internal/core/season"
	"unionknot/internal/core/tagcode"
	"unionknot/internal/store"
)

// MakeBatch is what is asked to make the weave a batch.
type MakeBatch struct {
	Asked   Asked
	Print   string // of the weave the planner saw
	Once    string // the form's own key
	Tie     string
	Healing string
	Why     string // why techniques are used that the season shuts
}

// MakeBatch sets the weave's stems and pieces aside and gives the batch's
// code. When what is free has changed since the planner looked, so that the
// weave would be another, it makes nothing and says so.
func (s *Service) MakeBatch(ctx context.Context, a Actor, code string, m MakeBatch) (string, error) {
	if err := a.must(Propagator); err != nil {
		return "", err
	}
	if !uuidPattern.MatchString(m.Once) {
		return "", Problem{"", "Load the page anew, and make the batch again."}
	}
	batch := ""
	err := s.db.Tx(ctx, func(q store.Q) error {
		var err error
		if batch, err = freshCode(ctx, q, random()); err != nil {
			return err
		}
		if was, again, err := q.Once(ctx, m.Once, batch); err != nil || again {
			batch = was
			return err
		}
		o, err := q.OrderByCode(ctx, cleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockOrder(ctx, o.ID); err != nil {
			return err
		}
		// Hold the lots and bundles first, then look at what is free of them.
		lots, err := q.LotsOfType(ctx, o.StockTypeID)
		if err != nil {
			return err
		}
		lotIDs := map[string]int64{}
		for _, l := range lots {
			lotIDs[l.Code] = l.ID
		}
		if err := q.LockLots(ctx, values(lotIDs)); err != nil {
			return err
		}
		bundles, err := q.BundlesOfVariety(ctx, o.VarietyID)
		if err != nil {
			return err
		}
		bundleIDs := map[string]int64{}
		for _, b := range bundles {
			bundleIDs[b.Code] = b.ID
		}
		if err := q.LockBundles(ctx, values(bundleIDs)); err != nil {
			return err
		}
		// Read the order again: another planner may have just served it.
		if o, err = q.OrderByCode(ctx, o.Code); err != nil {
			return err
		}
		p, err := s.match(ctx, q, o, m.Asked)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(p.Ties, func(t store.Tie) bool { return t.Key == m.Tie }) || !slices.ContainsFunc(p.HealingWays, func(h store.HealingWay) bool { return h.Key == m.Healing }) {
			return Problem{"", "Choose a tie and a way to heal from the lists."}
		}
		if p.Weave.Paired == 0 {
			return Problem{"", "There is nothing to make: no stem and piece here go together, or the order has all its grafts."}
		}
		if p.Print != m.Print {
			return Problem{"", "Stock or wood was set aside, measured or returned since you looked. Here is the weave as it stands now: look, then make the batch."}
		}
		m.Why = strings.TrimSpace(m.Why)
		for _, w := range p.Ways {
			if w.Against && (m.Why == "" || len(m.Why) > 300) {
				return Problem{"why", fmt.Sprintf("The season shuts %s. Say in a few words why it is used all the same: it stays on the tags.", w.Technique.Name)}
			}
		}
		return s.setAside(ctx, q, a, o, p, batch, m, lotIDs, bundleIDs)
	})
	return batch, err
}

// freshCode makes a code that no tag and no batch bears. There are some two
// million codes, so in a house of many years the first throw may be taken.
func freshCode(ctx context.Context, q store.Q, r *rand.Rand) (string, error) {
	for {
		code := tagcode.New(r)
		if used, err := q.CodeUsed(ctx, code); err != nil || !used {
			return code, err
		}
	}
}

func values(m map[string]int64) []int64 {
	out := make([]int64, 0, len(m))
	for _, v := range m {
		out = append(out, v)
	}
	return out
}

func (s *Service) setAside(ctx context.Context, q store.Q, a Actor, o store.Order, p MatchPage, code string, m MakeBatch, lots, bundles map[string]int64) error {
	id, err := q.AddBatch(ctx, store.Batch{Code: code, OrderID: o.ID, Tie: m.Tie, Healing: m.Healing, Grafts: p.Weave.Paired, PersonID: a.ID, MadeAt: s.Now()})
	if err != nil {
		return fmt.Errorf("making the batch: %w", err)
	}
	const why = "set aside for a batch"
	against := map[string]string{}
	for _, w := range p.Ways {
		if w.Against {
			against[w.Technique.Key] = m.Why
		}
	}
	for _, t := range p.Weave.Threads {
		sm, wm := t.Stock.Middle(), t.Scion.Middle()
		if err := q.AddThread(ctx, store.Thread{BatchID: id, LotID: lots[t.Lot], StockMM: sm, BundleID: bundles[t.Bundle], WoodMM: wm, Technique: t.Way, N: t.N, Against: against[t.Way]}); err != nil {
			return err
		}
		mv := store.Move{Of: lots[t.Lot], N: t.N, From: store.Free, To: store.Aside, MM: &sm, Reason: why, BatchID: &id, PersonID: a.ID, At: s.Now()}
		if err := q.MoveStock(ctx, mv); err != nil {
			return short(err, "", "Lot "+t.Lot+" no longer has the stems. Look at the weave again.")
		}
		mv.Of, mv.MM = bundles[t.Bundle], &wm
		if err := q.MoveWood(ctx, mv); err != nil {
			return short(err, "", "Bundle "+t.Bundle+" no longer has the pieces. Look at the weave again.")
		}
	}
	return s.changed(ctx, q, a, "batch", code, "made", nil, map[string]any{"order": o.Code, "grafts": p.Weave.Paired})
}

// UndoBatch gives a batch's stems and pieces back, as long as nobody has
// begun it at the bench.
func (s *Service) UndoBatch(ctx context.Context, a Actor, code string) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error { return s.undoBatch(ctx, q, a, code) })
}

// UndoBatches gives several batches back, all or none.
func (s *Service) UndoBatches(ctx context.Context, a Actor, codes []string) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		for _, c := range slices.Sorted(slices.Values(codes)) {
			if err := s.undoBatch(ctx, q, a, c); err != nil {
				return fmt.Errorf("batch %s: %w", c, err)
			}
		}
		return nil
	})
}

// FreshBatches lists the batches made today of which no tag was begun: they
// can still be taken back.
func (s *Service) FreshBatches(ctx context.Context) ([]store.Batch, error) {
	bs, err := s.db.Q().Batches(ctx, 0, pageSize)
	return slices.DeleteFunc(bs, func(b store.Batch) bool {
		return b.Started > 0 || season.DayOf(b.MadeAt.Local()).Before(s.Today())
	}), err
}

func (s *Service) undoBatch(ctx context.Context, q store.Q, a Actor, code string) error {
	b, err := q.BatchByCode(ctx, code)
	if err != nil {
		return err
	}
	if err := q.LockBatch(ctx, b.ID); err != nil {
		return err
	}
	if b, err = q.BatchByCode(ctx, code); err != nil {
		return err
	}
	if b.UndoneAt != nil {
		return nil
	}
	if b.Started > 0 {
		return Problem{"", "Grafting has begun on this batch. Finish its tags instead: what is not grafted goes back by itself."}
	}
	ts, err := q.Threads(ctx, b.ID)
	if err != nil {
		return err
	}
	if err := q.DropTags(ctx, b.ID); err != nil {
		return err
	}
	for _, t := range ts {
		mv := store.Move{Of: t.LotID, N: t.N, From: store.Aside, To: store.Free, MM: &t.StockMM, Reason: "batch taken back", BatchID: &b.ID, PersonID: a.ID, At: s.Now()}
		if err := q.MoveStock(ctx, mv); err != nil {
			return err
		}
		mv.Of, mv.MM = t.BundleID, &t.WoodMM
		if err := q.MoveWood(ctx, mv); err != nil {
			return err
		}
	}
	if err := q.UndoBatch(ctx, b.ID, s.Now()); err != nil {
		return err
	}
	return s.changed(ctx, q, a, "batch", code, "taken back", nil, nil)
}
