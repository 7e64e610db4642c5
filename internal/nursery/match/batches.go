package match

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"unionknot/internal/core/pairing"
	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/ways"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
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
func (s *Stage) MakeBatch(ctx context.Context, a nursery.Actor, code string, m MakeBatch) (string, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", err
	}
	if !nursery.UUIDPattern.MatchString(m.Once) {
		return "", nursery.Problem{Field: "", Says: words.LoadThePageAnewAndMake}
	}
	batch := ""
	err := s.AsSeen(ctx, matchNeeds, func(f *snapshot.Snapshot) (nursery.KeepSeen, error) {
		if was, again, err := s.DB.Q().DoneOnce(ctx, m.Once); err != nil || again {
			batch = was
			return nil, err
		}
		o, err := s.DB.Q().OrderByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return nil, err
		}
		if o.ClosedOn != nil {
			return nil, nursery.Problem{Field: "", Says: words.ThisOrderIsClosedOpen}
		}
		p, err := s.match(ctx, f, o, m.Asked)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(p.Ties, func(t store.Tie) bool { return t.Key == m.Tie }) ||
			!slices.ContainsFunc(p.HealingWays, func(h store.HealingWay) bool { return h.Key == m.Healing }) {
			return nil, nursery.Problem{Field: "", Says: words.ChooseATieAndA}
		}
		if p.Weave.Paired == 0 {
			return nil, nursery.Problem{
				Field: "",
				Says:  words.ThereIsNothingToMake,
			}
		}
		if p.Print != m.Print {
			return nil, nursery.Problem{
				Field: "",
				Says:  words.StockOrWoodWasSet,
			}
		}
		inRow := outlook.HealingFor(f, o.Genus, outlook.FormsOf(f, p.Weave.Threads)) == healsInRow
		switch {
		case inRow && m.Healing != healsInRow:
			return nil, nursery.Problem{Field: "healing", Says: words.HealsInRow}
		case m.Healing == healsInRow && !slices.ContainsFunc(outlook.FormsOf(f, p.Weave.Threads), supply.InGround):
			return nil, nursery.Problem{Field: "healing", Says: words.HealsOnBench}
		}
		m.Why = strings.TrimSpace(m.Why)
		b := newBatch{order: o, threads: p.Weave.Threads, tie: m.Tie, healing: m.Healing, against: map[string]string{},
			letIn: letInOf(f, o)}
		for _, w := range p.Ways {
			if w.Against && (m.Why == "" || len(m.Why) > 300) {
				return nil, nursery.Problem{
					Field: "why",
					Says: fmt.Sprintf(
						words.TheSeasonShutsXSay,
						w.Technique.Name,
					),
				}
			}
			if w.Against {
				b.against[w.Technique.Key] = m.Why
			}
		}
		return func(q store.Q, stands func() error) error {
			codes, err := s.FreshCodes(ctx, q, 1)
			if err != nil {
				return err
			}
			if was, again, err := q.Once(ctx, m.Once, codes[0]); err != nil || again {
				batch = was
				return err
			}
			batch, b.code = codes[0], codes[0]
			return s.setAside(ctx, q, a, f, []newBatch{b}, stands)
		}, nil
	})
	if err != nil {
		return "", err
	}
	return batch, nil
}

// healsInRow is the way to heal of what is worked where it stands.
const healsInRow = ways.InTheRow

// newBatch is a batch to be made of threads.
type newBatch struct {
	code         string // "" for one yet to be found
	order        store.Order
	threads      []pairing.Thread
	tie, healing string
	against      map[string]string // by technique: why it is used although the season shuts it
	letIn        func(code string, wood bool) *store.LetIn
}

// why says what speaks against a thread that is made all the same: the season,
// and what was seen of its lot and its bundle.
func (b newBatch) why(t pairing.Thread) string {
	var out []string
	if w := b.against[t.Way]; w != "" {
		out = append(out, w)
	}
	for _, x := range []struct {
		code string
		wood bool
	}{{t.Lot, false}, {t.Bundle, true}} {
		if l := b.letIn(x.code, x.wood); l != nil {
			out = append(out, words.LetIn(x.code, l.Who, l.Why))
		}
	}
	return strings.Join(out, ". ")
}

// setAside makes batches: it holds what they draw on, sees that what was seen
// still stands, and sets their stems and pieces aside, in a few statements
// however many they are.
func (s *Stage) setAside(ctx context.Context, q store.Q, a nursery.Actor, f *snapshot.Snapshot, bs []newBatch, stands func() error) error {
	lots, bundles := map[string]int64{}, map[string]int64{}
	for _, l := range f.Lots {
		lots[l.Code] = l.ID
	}
	for _, b := range f.Bundles {
		bundles[b.Code] = b.ID
	}
	var h nursery.Hold
	var codeless int
	for _, b := range bs {
		h.Orders = append(h.Orders, b.order.ID)
		if b.code == "" {
			codeless++
		}
		for _, t := range b.threads {
			h.Lots, h.Bundles = append(h.Lots, lots[t.Lot]), append(h.Bundles, bundles[t.Bundle])
		}
	}
	if err := h.In(ctx, q); err != nil {
		return err
	}
	if err := stands(); err != nil {
		return err
	}
	codes, err := s.FreshCodes(ctx, q, codeless)
	if err != nil {
		return err
	}
	rows := make([]store.Batch, len(bs))
	for i, b := range bs {
		if b.code == "" {
			b.code, codes = codes[0], codes[1:]
		}
		rows[i] = store.Batch{Code: b.code, OrderID: b.order.ID, Tie: b.tie, Healing: b.healing, PersonID: a.ID, MadeAt: s.Now()}
		for _, t := range b.threads {
			rows[i].Grafts += t.N
		}
	}
	ids, err := q.AddBatches(ctx, rows)
	if err != nil {
		return fmt.Errorf("making batches: %w", err)
	}
	var threads []store.Thread
	var stems, pieces []store.Move
	var done []nursery.Change
	for i, b := range bs {
		id := ids[rows[i].Code]
		for _, t := range together(b.threads) {
			sm, wm := t.Stock.Middle(), t.Scion.Middle()
			threads = append(
				threads,
				store.Thread{
					BatchID:   id,
					LotID:     lots[t.Lot],
					StockMM:   sm,
					BundleID:  bundles[t.Bundle],
					WoodMM:    wm,
					Technique: t.Way,
					N:         t.N,
					Buds:      t.Each,
					Against:   b.why(t),
				},
			)
			mv := store.Move{
				Of:       lots[t.Lot],
				N:        t.N,
				From:     store.Free,
				To:       store.Aside,
				MM:       &sm,
				Reason:   string(tally.SetAsideForBatch),
				BatchID:  &id,
				PersonID: a.ID,
				At:       s.Now(),
			}
			stems = append(stems, mv)
			mv.Of, mv.MM, mv.N = bundles[t.Bundle], &wm, t.Pieces()
			pieces = append(pieces, mv)
		}
		done = append(
			done,
			nursery.Change{
				What:   "batch",
				Ref:    rows[i].Code,
				Doing:  "made",
				Before: nil,
				After:  map[string]any{"order": b.order.Code, "grafts": rows[i].Grafts},
			},
		)
	}
	if err := q.AddThreads(ctx, threads); err != nil {
		return err
	}
	const gone = words.WhatWasToBeSet
	if err := q.MoveStock(ctx, stems...); err != nil {
		return nursery.Short(err, "", gone)
	}
	if err := q.MoveWood(ctx, pieces...); err != nil {
		return nursery.Short(err, "", gone)
	}
	return s.ChangedAll(ctx, q, a, done...)
}

// together lays threads of the same stems, pieces and technique together: what was
// held and what the weave added to it are one thread of a batch.
func together(ts []pairing.Thread) (out []pairing.Thread) {
	for _, t := range ts {
		i := slices.IndexFunc(out, func(x pairing.Thread) bool {
			return x.Lot == t.Lot && x.Stock == t.Stock && x.Bundle == t.Bundle && x.Scion == t.Scion && x.Way == t.Way
		})
		if i < 0 {
			out = append(out, t)
		} else {
			out[i].N += t.N
		}
	}
	return out
}

// letInOf gives what an order's lots and bundles were let in through.
func letInOf(f *snapshot.Snapshot, o store.Order) func(string, bool) *store.LetIn {
	beds := outlook.BedsOf(f)
	return func(code string, wood bool) *store.LetIn { return beds.LetIn(o, code, wood) }
}

// UndoBatch gives a batch's stems and pieces back, as long as nobody has
// begun it at the bench.
func (s *Stage) UndoBatch(ctx context.Context, a nursery.Actor, code string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.UndoBatches(ctx, a, []string{code})
}

// UndoBatches gives several batches back, all or none.
func (s *Stage) UndoBatches(ctx context.Context, a nursery.Actor, codes []string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		bs, err := q.BatchesByCode(ctx, codes)
		if err != nil {
			return err
		}
		if len(bs) < len(codes) {
			return nursery.ErrNotFound
		}
		var h nursery.Hold
		for _, b := range bs {
			h.Orders, h.Batches = append(h.Orders, b.OrderID), append(h.Batches, b.ID)
		}
		ts, err := q.ThreadsOf(ctx, h.Batches)
		if err != nil {
			return err
		}
		for _, t := range ts {
			h.Lots, h.Bundles = append(h.Lots, t.LotID), append(h.Bundles, t.BundleID)
		}
		if err := h.In(ctx, q); err != nil {
			return err
		}
		if bs, err = q.BatchesByCode(ctx, codes); err != nil { // as they are under the lock
			return err
		}
		var ids []int64
		var done []nursery.Change
		for _, b := range bs {
			switch {
			case b.UndoneAt != nil:
			case b.Started > 0:
				return fmt.Errorf(
					"batch %s: %w",
					b.Code,
					nursery.Problem{
						Field: "",
						Says:  "Grafting has begun on this batch. Finish its tags instead: what is not grafted goes back by itself.",
					},
				)
			default:
				ids = append(ids, b.ID)
				done = append(done, nursery.Change{What: "batch", Ref: b.Code, Doing: "taken back",
					Before: map[string]any{"order": b.Order, "grafts": b.Grafts, "tie": b.Tie}})
			}
		}
		gone, err := q.DropTags(ctx, ids, a.ID, s.Now())
		if err != nil {
			return err
		}
		if err := s.WeighAgain(ctx, q, a, gone); err != nil {
			return err
		}
		var stems, pieces []store.Move
		for _, t := range ts {
			if !slices.Contains(ids, t.BatchID) {
				continue
			}
			mv := store.Move{
				Of:       t.LotID,
				N:        t.N,
				From:     store.Aside,
				To:       store.Free,
				MM:       &t.StockMM,
				Reason:   string(tally.BatchTakenBack),
				BatchID:  &t.BatchID,
				PersonID: a.ID,
				At:       s.Now(),
			}
			stems = append(stems, mv)
			mv.Of, mv.MM, mv.N = t.BundleID, &t.WoodMM, t.N*t.Buds
			pieces = append(pieces, mv)
		}
		if err := q.MoveStock(ctx, stems...); err != nil {
			return err
		}
		if err := q.MoveWood(ctx, pieces...); err != nil {
			return err
		}
		if err := q.UndoBatches(ctx, ids, s.Now()); err != nil {
			return err
		}
		return s.ChangedAll(ctx, q, a, done...)
	})
}

// FreshBatches lists the batches made today of which no tag was begun: they
// can still be taken back.
func (s *Stage) FreshBatches(ctx context.Context) ([]store.Batch, error) {
	bs, err := s.DB.Q().Batches(ctx, 0, nursery.PageSize)
	return slices.DeleteFunc(bs, func(b store.Batch) bool {
		return b.Started > 0 || season.DayOf(b.MadeAt.Local()).Before(s.Today())
	}), err
}
