package nursery

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"unionknot/internal/store"
)

// sharedOver is how many grafts of one lot must be shared by two people, so
// that Results can tell the hand from the lot. House default.
const sharedOver = 50

// BatchPage is what a batch's page shows.
type BatchPage struct {
	Batch    store.Batch
	Threads  []store.Thread
	Tags     []store.Tag
	Workers  []store.Person
	TagSize  int
	Warnings []string
	Names    map[string]string // of techniques
}

// Batch gathers a batch's page.
func (s *Service) Batch(ctx context.Context, code string) (BatchPage, error) {
	q := s.db.Q()
	p := BatchPage{Names: map[string]string{}}
	var err error
	if p.Batch, err = q.BatchByCode(ctx, cleanCode(code)); err != nil {
		return p, err
	}
	if p.Threads, err = q.Threads(ctx, p.Batch.ID); err != nil {
		return p, err
	}
	if p.Tags, err = q.Tags(ctx, store.Which{BatchID: p.Batch.ID}); err != nil {
		return p, err
	}
	if p.Workers, err = s.Workers(ctx); err != nil {
		return p, err
	}
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return p, err
	}
	for _, t := range ts {
		p.Names[t.Key] = t.Name
	}
	h, err := q.House(ctx)
	p.TagSize = h.TagSize
	p.Warnings = notShared(p.Tags)
	return p, err
}

// notShared names lots of more than sharedOver grafts that one person has
// alone.
func notShared(tags []store.Tag) []string {
	n, who := map[string]int{}, map[string]map[string]bool{}
	var lots []string
	for _, t := range tags {
		if who[t.Lot] == nil {
			who[t.Lot] = map[string]bool{}
			lots = append(lots, t.Lot)
		}
		n[t.Lot] += t.Planned
		who[t.Lot][t.Worker] = true
	}
	var out []string
	for _, l := range lots {
		if n[l] > sharedOver && len(who[l]) == 1 {
			for w := range who[l] {
				out = append(out, fmt.Sprintf("%s has all %d of lot %s alone. Share it with another hand, or Results cannot tell the hand from the lot.", w, n[l], l))
			}
		}
	}
	return out
}

// BenchPage is what the Bench stage shows.
type BenchPage struct {
	Mine    []store.Tag // the actor's own, open
	Open    []store.Tag // everybody's, open, by worker
	Batches []store.Batch
}

// Bench gathers the Bench stage. A bench hand sees their own tags only.
func (s *Service) Bench(ctx context.Context, a Actor, batchesAfter int64) (BenchPage, error) {
	q := s.db.Q()
	var p BenchPage
	var err error
	if p.Mine, err = q.Tags(ctx, store.Which{WorkerID: a.ID, Open: true, All: true}); err != nil {
		return p, err
	}
	slices.SortStableFunc(p.Mine, byDay)
	if a.Role == BenchHand {
		return p, nil
	}
	if p.Open, err = q.Tags(ctx, store.Which{Open: true, All: true}); err != nil {
		return p, err
	}
	slices.SortStableFunc(p.Open, func(x, y store.Tag) int { return cmp.Or(strings.Compare(x.Worker, y.Worker), byDay(x, y)) })
	p.Batches, err = q.Batches(ctx, batchesAfter, pageSize)
	return p, err
}

// byDay puts tags in the order of their days: what is begun first.
func byDay(x, y store.Tag) int {
	begun := func(t store.Tag) int {
		if t.StartedAt != nil {
			return 0
		}
		return 1
	}
	return cmp.Or(begun(x)-begun(y), x.Day.Compare(y.Day), x.Half-y.Half, cmp.Compare(x.ID, y.ID))
}

// HandOver gives an open tag to another worker.
func (s *Service) HandOver(ctx context.Context, a Actor, code string, to int64) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		t, err := q.LockTag(ctx, code)
		if err != nil {
			return err
		}
		if a.Role == BenchHand && t.WorkerID != a.ID {
			return fmt.Errorf("tag %s: %w", code, ErrNotAllowed)
		}
		n, err := q.TiedOn(ctx, t.ID)
		if err != nil {
			return err
		}
		switch {
		case t.FinishedAt != nil:
			return Problem{"", "This tag is finished, so it stays with who made it."}
		case n > 0:
			return Problem{"", "Grafts are tied on this tag already, and a tag is one hand's work. Finish it; what is left over goes back and can be batched anew."}
		}
		p, err := q.Person(ctx, to)
		if err != nil {
			return err
		}
		if p.LeftOn != nil || Role(p.Role) == Looker {
			return Problem{"to", p.Name + " does not work at the bench."}
		}
		if err := q.HandOver(ctx, t.ID, to); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "tag", code, "handed over", t.WorkerID, to)
	})
}

// Labels gathers a batch's tags for printing.
func (s *Service) Labels(ctx context.Context, code string) (BatchPage, error) {
	p, err := s.Batch(ctx, code)
	if err == nil && len(p.Tags) == 0 {
		return p, Problem{"", "This batch has no tags yet. Split it first, then print."}
	}
	return p, err
}
