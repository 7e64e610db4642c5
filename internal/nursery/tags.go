package nursery

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/store"
)

// MakeTags splits a batch into tags for workers, each of one technique, lot
// and bundle and no larger than the house's size. Tags made before are dropped
// if nobody has begun one.
func (s *Service) MakeTags(ctx context.Context, a Actor, code string, day time.Time, workers []int64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if len(workers) == 0 {
		return Problem{"workers", "Choose at least one worker; two or more for a lot of over 50."}
	}
	if day.IsZero() {
		return Problem{"day", "Give the bench day, such as 2027-02-24."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		b, err := q.BatchByCode(ctx, cleanCode(code))
		if err != nil {
			return err
		}
		if err := q.LockBatch(ctx, b.ID); err != nil {
			return err
		}
		if b, err = q.BatchByCode(ctx, b.Code); err != nil {
			return err
		}
		if b.UndoneAt != nil {
			return Problem{"", "This batch was taken back. Make it again from Match."}
		}
		if b.Started > 0 {
			return Problem{"", "Grafting has begun on this batch, so its tags stand. Hand a tag over from its card."}
		}
		h, err := q.House(ctx)
		if err != nil {
			return err
		}
		able, err := s.Workers(ctx)
		if err != nil {
			return err
		}
		for _, w := range workers {
			if !slices.ContainsFunc(able, func(p store.Person) bool { return p.ID == w }) {
				return Problem{"workers", "One of those chosen does not work at the bench any more. Choose again."}
			}
		}
		if err := q.DropTags(ctx, b.ID); err != nil {
			return err
		}
		ts, err := q.Threads(ctx, b.ID)
		if err != nil {
			return err
		}
		pieces := splitThreads(ts, h.TagSize)
		r := random()
		for i, w := range shareOut(pieces, len(workers)) {
			p := pieces[i]
			code, err := freshCode(ctx, q, r)
			if err != nil {
				return err
			}
			if _, err := q.AddTag(ctx, store.Tag{Code: code, BatchID: b.ID, LotID: p[0].LotID, BundleID: p[0].BundleID,
				Technique: p[0].Technique, WorkerID: workers[w], Day: day, Planned: sum(p)}, p); err != nil {
				return fmt.Errorf("making tags: %w", err)
			}
		}
		return s.changed(ctx, q, a, "batch", b.Code, "split into tags", nil, map[string]any{"tags": len(pieces), "day": day.Format(time.DateOnly)})
	})
}

func sum(ts []store.Thread) int {
	n := 0
	for _, t := range ts {
		n += t.N
	}
	return n
}

// splitThreads cuts a weave into runs of at most size grafts, each of one
// technique, lot and bundle, with neighbouring diameters kept together.
func splitThreads(ts []store.Thread, size int) [][]store.Thread {
	ts = slices.Clone(ts)
	key := func(t store.Thread) string { return fmt.Sprintf("%s/%d/%d", t.Technique, t.LotID, t.BundleID) }
	slices.SortStableFunc(ts, func(a, b store.Thread) int { return strings.Compare(key(a), key(b)) })
	var out [][]store.Thread
	for i := 0; i < len(ts); {
		j := i
		for j < len(ts) && key(ts[j]) == key(ts[i]) {
			j++
		}
		group := slices.Clone(ts[i:j])
		// Even tags read better than full ones and a rest: 60 is 20, 20, 20.
		left := sum(group)
		tags := (left + size - 1) / size
		for tags > 0 {
			want := (left + tags - 1) / tags
			var run []store.Thread
			for want > 0 {
				n := min(want, group[0].N)
				part := group[0]
				part.N = n
				run = append(run, part)
				want, left, group[0].N = want-n, left-n, group[0].N-n
				if group[0].N == 0 {
					group = group[1:]
				}
			}
			out = append(out, run)
			tags--
		}
		i = j
	}
	return out
}

// shareOut gives each run of grafts to one of n workers: the one with the
// fewest so far, but a lot of over sharedOver grafts never to one alone.
func shareOut(runs [][]store.Thread, n int) []int {
	out := make([]int, len(runs))
	load, lotN := make([]int, n), map[int64]int{}
	for _, r := range runs {
		lotN[r[0].LotID] += sum(r)
	}
	has := map[int64]map[int]bool{}
	last := map[int64]int{} // runs of a lot still to come
	for _, r := range runs {
		last[r[0].LotID]++
	}
	for i, r := range runs {
		lot := r[0].LotID
		if has[lot] == nil {
			has[lot] = map[int]bool{}
		}
		last[lot]--
		mustShare := n > 1 && lotN[lot] > sharedOver && len(has[lot]) == 1 && last[lot] == 0
		best := -1
		for w := range n {
			if mustShare && has[lot][w] {
				continue
			}
			if best < 0 || load[w] < load[best] {
				best = w
			}
		}
		out[i] = best
		load[best] += sum(r)
		has[lot][best] = true
	}
	return out
}
