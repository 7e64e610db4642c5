package bench

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// BatchPage is what a batch's page shows.
type BatchPage struct {
	Batch    store.Batch
	Threads  []store.Thread
	Tags     []store.Tag
	Workers  []store.Person
	TagSize  int
	Warnings []string
	Names    map[string]string // of techniques
	Pairs    bool              // the house works in pairs of a cutter and a tier
}

// Batch gathers a batch's page.
func (s *Stage) Batch(ctx context.Context, code string) (BatchPage, error) {
	q := s.DB.Q()
	p := BatchPage{Names: map[string]string{}}
	var err error
	if p.Batch, err = q.BatchByCode(ctx, nursery.CleanCode(code)); err != nil {
		return p, err
	}
	if p.Threads, err = q.Threads(ctx, p.Batch.ID); err != nil {
		return p, err
	}
	if p.Tags, err = q.Tags(ctx, store.Which{BatchID: p.Batch.ID, All: true}); err != nil {
		return p, err
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	for _, t := range f.Techniques {
		p.Names[t.Key] = t.Name
	}
	p.Workers, p.TagSize, p.Pairs = f.Workers(), f.House.TagSize, f.Answers().Pairs()
	p.Warnings = outlook.NotShared(p.Tags)
	return p, nil
}

// BenchPage is what the Bench stage shows.
type BenchPage struct {
	Mine    []store.Tag // the actor's own, open
	Open    []store.Tag // everybody's, open, by worker
	Batches []store.Batch
	Orders  map[string]outlook.OrderLine // open ones, by code
}

// Bench gathers the Bench stage. A bench hand sees their own tags only.
func (s *Stage) Bench(ctx context.Context, a nursery.Actor, batchesAfter int64) (BenchPage, error) {
	q := s.DB.Q()
	var p BenchPage
	var err error
	if p.Mine, err = q.Tags(ctx, store.Which{WorkerID: a.ID, Open: true, All: true}); err != nil {
		return p, err
	}
	slices.SortStableFunc(p.Mine, outlook.ByDay)
	if a.Role == nursery.BenchHand {
		return p, nil
	}
	if p.Open, err = q.Tags(ctx, store.Which{Open: true, All: true}); err != nil {
		return p, err
	}
	slices.SortStableFunc(p.Open, func(x, y store.Tag) int { return cmp.Or(strings.Compare(x.Worker, y.Worker), outlook.ByDay(x, y)) })
	if p.Batches, err = q.Batches(ctx, batchesAfter, nursery.PageSize); err != nil {
		return p, err
	}
	f, err := s.Facts(ctx, snapshot.Orders, snapshot.Tags, snapshot.Rest)
	if err != nil {
		return p, err
	}
	p.Open, _ = outlook.ApartFromClasses(f, p.Open)
	lines, r, err := s.Reckon.OrderLines(ctx, f, &outlook.WhatIf{})
	if err != nil {
		return p, err
	}
	r.Means(lines)
	p.Orders = map[string]outlook.OrderLine{}
	for _, l := range lines {
		p.Orders[l.Order.Code] = l
	}
	return p, nil
}

// HandOver gives an open tag to another worker, and to a tier: 0 where the worker
// ties too.
func (s *Stage) HandOver(ctx context.Context, a nursery.Actor, code string, to, tier int64) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if a.Role == nursery.BenchHand && !t.Has(a.ID) {
			return fmt.Errorf("tag %s: %w", code, nursery.ErrNotAllowed)
		}
		if was, err := q.Person(ctx, t.WorkerID); err != nil {
			return err
		} else if nursery.Role(was.Role) == snapshot.Class {
			return nursery.Problem{Field: "", Says: words.LearnersTag(code, was.Name)}
		}
		switch {
		case t.FinishedAt != nil:
			return nursery.Problem{Field: "", Says: words.ThisTagIsFinishedSo}
		case t.Tied > 0:
			return nursery.Problem{
				Field: "",
				Says:  words.GraftsAreTiedOnThis,
			}
		}
		if to == 0 {
			return nursery.Problem{Field: "to", Says: words.TierNeedsCutter}
		}
		if to == tier {
			return nursery.Problem{Field: "tier", Says: words.TwoNames}
		}
		for field, id := range map[string]int64{"to": to, "tier": tier} {
			if id == 0 && field == "tier" {
				continue
			}
			p, err := q.Person(ctx, id)
			if err != nil {
				return err
			}
			if p.LeftOn != nil || nursery.Role(p.Role) == nursery.Looker {
				return nursery.Problem{Field: field, Says: words.NotAtTheBench(p.Name)}
			}
		}
		ties := &tier
		if tier == 0 {
			ties = nil
		}
		if err := q.HandOver(ctx, t.ID, to, ties); err != nil {
			return err
		}
		if err := s.WeighAgain(ctx, q, a, []string{code}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tag", code, "handed over", by(t.WorkerID, t.TierID), by(to, ties))
	})
}

// by is who makes a tag, as the record of changes keeps it.
func by(worker int64, tier *int64) any {
	if tier == nil {
		return worker
	}
	return map[string]int64{"cuts": worker, "ties": *tier}
}

// Labels gathers a batch's tags for printing.
func (s *Stage) Labels(ctx context.Context, code string) (BatchPage, error) {
	p, err := s.Batch(ctx, code)
	if err == nil && len(p.Tags) == 0 {
		return p, nursery.Problem{Field: "", Says: words.ThisBatchHasNoTags}
	}
	return p, err
}
