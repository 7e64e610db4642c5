package outlook

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pace"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NotShared names lots of more than sharedOver grafts that one person has
// alone.
func NotShared(tags []store.Tag) []string {
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
		if n[l] > SharedOver && len(who[l]) == 1 {
			for w := range who[l] {
				out = append(
					out,
					fmt.Sprintf(words.XHasAllNOf, w, n[l], l),
				)
			}
		}
	}
	return out
}

// ByDay puts tags in the order of their days: what is begun first.
func ByDay(x, y store.Tag) int {
	begun := func(t store.Tag) int {
		if t.StartedAt != nil {
			return 0
		}
		return 1
	}
	return cmp.Or(begun(x)-begun(y), x.Day.Compare(y.Day), x.Half-y.Half, cmp.Compare(x.ID, y.ID))
}

// PerHour is the pace over the last half hour of work; 0 where it is not known.
func PerHour(ps []store.Pace, now time.Time) float64 {
	out := make([]pace.Stretch, len(ps))
	for i, p := range ps {
		out[i] = pace.Stretch{From: p.From, N: p.N}
	}
	return pace.PerHour(out, now)
}

// TakeThreads takes n grafts off what a job has left, thickest stock first, so
// that neighbours in diameter stay together.
func TakeThreads(left map[int][]store.RestThread, job, n int) []store.Thread {
	var out []store.Thread
	rs := left[job]
	for n > 0 && len(rs) > 0 {
		t := rs[0].Thread
		t.N = min(n, rs[0].N)
		out = append(out, t)
		n -= t.N
		if rs[0].N -= t.N; rs[0].N == 0 {
			rs = rs[1:]
		}
	}
	left[job] = rs
	return out
}

// NewTag readies a tag of threads that are of one batch, lot, bundle and
// technique.
func NewTag(f *snapshot.Snapshot, code string, worker int64, day time.Time, half int, ts []store.Thread) store.NewTag {
	t := store.NewTag{Threads: ts, Tag: store.Tag{Code: code, BatchID: ts[0].BatchID, LotID: ts[0].LotID, BundleID: ts[0].BundleID,
		Technique: ts[0].Technique, WorkerID: worker, Day: day, Half: half, Planned: sum(ts), Buds: ts[0].Buds}}
	for i, x := range ts {
		stock, wood := caliper.ClassOf(x.StockMM), caliper.ClassOf(x.WoodMM)
		if i == 0 {
			t.StockLow, t.StockHigh, t.WoodLow, t.WoodHigh = stock.Low(), stock.High(), wood.Low(), wood.High()
		}
		t.StockLow, t.StockHigh = min(t.StockLow, stock.Low()), max(t.StockHigh, stock.High())
		t.WoodLow, t.WoodHigh = min(t.WoodLow, wood.Low()), max(t.WoodHigh, wood.High())
		t.Mismatch += float64(x.N) * math.Abs(1-x.WoodMM/at(f, x)) / float64(t.Planned)
	}
	return t
}

// TierOf gives which of n tiers ties for the cutter of a place in a list on a day: the
// next with each day, so that counts can tell the tier from the cutter.
func TierOf(cutter int, day time.Time, n int) int {
	return (cutter + int(day.Unix()/(24*3600))) % n
}

// at is the diameter of a thread's stems where they are cut, in mm: thinner where
// they are cut higher.
func at(f *snapshot.Snapshot, x store.Thread) float64 {
	if t, ok := f.Technique(x.Technique); ok && x.LotTaper != nil {
		c := caliper.ClassOf(x.StockMM)
		if cm, ok := t.Higher(c, caliper.ClassOf(x.WoodMM), *x.LotTaper); ok {
			return c.Higher(*x.LotTaper, float64(cm)).Middle()
		}
	}
	return x.StockMM
}

func sum(ts []store.Thread) int {
	n := 0
	for _, t := range ts {
		n += t.N
	}
	return n
}

// SplitThreads cuts a weave into runs of at most size grafts, each of one
// technique, lot and bundle, with neighbouring diameters kept together.
func SplitThreads(ts []store.Thread, size int) [][]store.Thread {
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

// ShareOut gives each run of grafts to one of n workers: the one with the
// fewest so far, but a lot of over sharedOver grafts never to one alone.
func ShareOut(runs [][]store.Thread, n int) []int {
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
		mustShare := n > 1 && lotN[lot] > SharedOver && len(has[lot]) == 1 && last[lot] == 0
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
