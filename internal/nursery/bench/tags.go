package bench

import (
	"context"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// MakeTags splits a batch into tags for workers, each of one technique, lot
// and bundle and no larger than the house's size. Tags made before are dropped
// if nobody has begun one. With tiers, workers cut and one of the tiers ties on
// each tag.
func (s *Stage) MakeTags(ctx context.Context, a nursery.Actor, code string, day time.Time, workers []int64, tiers ...int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if len(workers) == 0 {
		return nursery.Problem{Field: "workers", Says: words.ChooseAtLeastOneWorker}
	}
	if slices.ContainsFunc(tiers, func(t int64) bool { return slices.Contains(workers, t) }) {
		return nursery.Problem{Field: "tiers", Says: words.CutsOrTies}
	}
	if day.IsZero() {
		return nursery.Problem{Field: "day", Says: words.GiveTheBenchDaySuch}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		b, err := q.BatchByCode(ctx, nursery.CleanCode(code))
		if err != nil {
			return err
		}
		if err := (nursery.Hold{Days: true, Batches: []int64{b.ID}}).In(ctx, q); err != nil {
			return err
		}
		if b, err = q.BatchByCode(ctx, b.Code); err != nil {
			return err
		}
		if b.UndoneAt != nil {
			return nursery.Problem{Field: "", Says: words.ThisBatchWasTakenBack}
		}
		if b.Started > 0 {
			return nursery.Problem{Field: "", Says: words.GraftingHasBegunOnThis}
		}
		f, err := s.FactsIn(ctx, q)
		if err != nil {
			return err
		}
		able := f.Workers()
		for _, w := range slices.Concat(workers, tiers) {
			if !slices.ContainsFunc(able, func(p store.Person) bool { return p.ID == w }) {
				return nursery.Problem{Field: "workers", Says: words.OneOfThoseChosenDoes}
			}
		}
		before, err := q.Tags(ctx, store.Which{BatchID: b.ID, All: true})
		if err != nil {
			return err
		}
		classes := f.Classes()
		if i := slices.IndexFunc(before, func(t store.Tag) bool { return classes[t.WorkerID] }); i >= 0 {
			return nursery.Problem{Field: "", Says: words.ClassHasBatch(b.Code, before[i].Worker)}
		}
		gone, err := q.DropTags(ctx, []int64{b.ID}, a.ID, s.Now())
		if err != nil {
			return err
		}
		ts, err := q.Threads(ctx, b.ID)
		if err != nil {
			return err
		}
		pieces := outlook.SplitThreads(ts, f.House.TagSize)
		codes, err := s.FreshCodes(ctx, q, len(pieces))
		if err != nil {
			return err
		}
		tags := make([]store.NewTag, len(pieces))
		for i, w := range outlook.ShareOut(pieces, len(workers)) {
			tags[i] = outlook.NewTag(f, codes[i], workers[w], day, 1, pieces[i])
			if len(tiers) > 0 {
				tags[i].TierID = &tiers[outlook.TierOf(w, day, len(tiers))]
			}
		}
		tags, again := keepCodes(tags, before)
		if err := q.AddTags(ctx, tags); err != nil {
			return fmt.Errorf("making tags: %w", err)
		}
		if err := q.PickUpTags(ctx, again); err != nil {
			return fmt.Errorf("picking tags up: %w", err)
		}
		if err := s.WeighAgain(ctx, q, a, gone); err != nil {
			return err
		}
		return s.Changed(
			ctx,
			q,
			a,
			"batch",
			b.Code,
			words.SplitIntoTags,
			nil,
			map[string]any{"tags": len(pieces), "day": day.Format(time.DateOnly)},
		)
	})
}

// keepCodes parts tags into new ones and those that stand for ones before that were
// for as many grafts of the same: labels may bear their codes, so they are picked up
// again.
func keepCodes(tags []store.NewTag, before []store.Tag) (fresh, again []store.NewTag) {
	for _, t := range tags {
		j := slices.IndexFunc(before, func(b store.Tag) bool {
			return b.LotID == t.LotID && b.BundleID == t.BundleID && b.Technique == t.Technique && b.Planned == t.Planned &&
				b.StockLow == t.StockLow && b.StockHigh == t.StockHigh
		})
		if j < 0 {
			fresh = append(fresh, t)
			continue
		}
		t.Code = before[j].Code
		before = slices.Delete(before, j, j+1)
		again = append(again, t)
	}
	return fresh, again
}
