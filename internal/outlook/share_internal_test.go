package outlook

import (
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/store"
)

func randomThreads(r *rand.Rand) []store.Thread {
	var out []store.Thread
	for range 1 + r.IntN(30) {
		out = append(
			out,
			store.Thread{LotID: int64(r.IntN(3)), BundleID: int64(r.IntN(3)), Technique: []string{"splice", "chip-bud"}[r.IntN(2)],
				StockMM: 7.25 + float64(r.IntN(8))/2, WoodMM: 6.25 + float64(r.IntN(6))/2, N: 1 + r.IntN(40)},
		)
	}
	return out
}

func TestTagsConserveGraftsAndKeepOneKind(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 300 {
		ts, size, hands := randomThreads(r), 5+r.IntN(40), 1+r.IntN(5)
		runs := SplitThreads(ts, size)
		total, lots := 0, map[int64]int{}
		for _, run := range runs {
			require.LessOrEqual(t, sum(run), size)
			require.Positive(t, sum(run))
			for _, th := range run {
				require.Positive(t, th.N)
				require.Equal(t, run[0].LotID, th.LotID)
				require.Equal(t, run[0].BundleID, th.BundleID)
				require.Equal(t, run[0].Technique, th.Technique)
			}
			total += sum(run)
			lots[run[0].LotID] += sum(run)
		}
		require.Equal(t, sum(ts), total, "no graft is lost or made")
		by := ShareOut(runs, hands)
		require.Len(t, by, len(runs))
		has, pieces := map[int64]map[int]bool{}, map[int64]int{}
		for i, w := range by {
			require.True(t, w >= 0 && w < hands)
			lot := runs[i][0].LotID
			if has[lot] == nil {
				has[lot] = map[int]bool{}
			}
			has[lot][w] = true
			pieces[lot]++
		}
		for lot, n := range lots {
			if n > SharedOver && hands > 1 && pieces[lot] > 1 {
				require.Greater(t, len(has[lot]), 1, "a lot of %d goes to two workers", n)
			}
		}
	}
}

func TestTagsAreEvenedOut(t *testing.T) {
	runs := SplitThreads([]store.Thread{{N: 60, StockMM: 8.25, WoodMM: 8.25}}, 25)
	require.Len(t, runs, 3)
	for _, r := range runs {
		assert.Equal(t, 20, sum(r))
	}
}

func TestTheNewestFairSampleIsUsed(t *testing.T) {
	on := func(d, n int) (rs []store.Caliper) {
		for range n {
			rs = append(rs, store.Caliper{On: store.Day{Time: time.Date(2027, 1, d, 0, 0, 0, 0, time.UTC)}, MM: float64(d)})
		}
		return rs
	}
	rs := append(on(5, 30), on(20, 25)...)
	assert.Len(t, LatestSample(rs), 25, "the older day says less of stems that grow")
	assert.Len(t, LatestSample(append(rs, on(28, 1)...)), 26, "one reading is no sample yet")
	assert.Empty(t, LatestSample(nil))
}

func TestWhatIsFreeOfAClassNeverExceedsTheLedger(t *testing.T) {
	all := []caliper.Count{{Class: 14, N: 20}, {Class: 16, N: 30}}
	free := freeOf(all, []store.ClassUse{{MM: 7.25, N: 25}, {MM: 8.25, N: 5}}, 22)
	assert.Equal(t, []caliper.Count{{Class: 16, N: 22}}, free, "a class measured away stays at none, and the rest is trimmed")
	assert.Equal(t, all, freeOf(all, nil, 50))
	assert.Empty(t, freeOf(all, nil, 0))
}

func TestPaceNeedsTenMinutesToGoBy(t *testing.T) {
	now := time.Date(2027, 2, 23, 14, 5, 0, 0, time.UTC)
	assert.Zero(t, PerHour(nil, now))
	assert.Zero(t, PerHour([]store.Pace{{From: now.Add(-5 * time.Minute), N: 9}}, now))
	assert.InDelta(t, 40, PerHour([]store.Pace{{From: now.Add(-30 * time.Minute), N: 20}}, now), 0.01)
	assert.Zero(t, PerHour([]store.Pace{{From: now.Add(-2 * time.Hour), N: 20}}, now), "before the break says nothing of now")
}
