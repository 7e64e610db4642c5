package take_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
)

// TestAChanceOfNinetyHoldsNinetyTimes sizes orders from one season's records,
// makes them of a lot and a bundle that nobody has seen, by one hand or shared,
// and counts how often the trees are there.
func TestAChanceOfNinetyHoldsNinetyTimes(t *testing.T) {
	for name, c := range map[string]struct {
		w    world
		lots int
	}{
		"small, one lot and one bundle":    {world{1, 120, 5, 8, 10, 0.26, 0.5, 0.35}, 1},
		"a season, one lot and one bundle": {world{1, 900, 9, 40, 60, 0.42, 0.7, 0.53}, 1},
		"a season, three of each":          {world{1, 900, 9, 40, 60, 0.42, 0.7, 0.53}, 3},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			held, runs := 0, 0
			for house := range 60 {
				r := rand.New(rand.NewPCG(uint64(house), 9))
				tr := c.w.draw(r)
				l, err := take.Learn(tr.records)
				require.NoError(t, err)
				e := l.Expect("chip-bud", sizing.Prior(0.8, 4))
				share := 1 / float64(c.lots)
				n, err := sizing.Grafts(150, 0.9, e.On(take.Shares{Worker: share, Lot: share, Bundle: share}))
				require.NoError(t, err)
				for range 60 {
					trees := 0
					for range c.lots {
						// An ordinary job of the technique, with groups drawn anew.
						eta := 2 + tr.way["chip-bud"] - 2.5*0.4*r.Float64() - 0.006*90*r.Float64() + c.w.sdW*r.NormFloat64() +
							c.w.sdL*r.NormFloat64() + c.w.sdB*r.NormFloat64()
						p := 1 / (1 + math.Exp(-eta))
						for range n / c.lots {
							if r.Float64() < p {
								trees++
							}
						}
					}
					runs++
					if trees >= 150 {
						held++
					}
				}
			}
			share := float64(held) / float64(runs)
			t.Logf("a chance of 90 held %.1f in 100", share*100)
			assert.InDelta(t, 0.90, share, 0.03)
		})
	}
}

func TestABeliefWithoutRecordsIsThePrior(t *testing.T) {
	e := take.Learned{}.Expect("chip-bud", sizing.Prior(0.88, 40))
	assert.InDelta(t, 0.88, e.Mean, 1e-9)
	long, one := e.Long().Interval90(), e.On(take.OneOfEach).Interval90()
	assert.InDelta(t, 0.88, long.Mean, 0.002)
	assert.InDelta(t, 0.88, one.Mean, 0.002, "groups widen the range, and leave the mean")
	assert.InDelta(t, sizing.Prior(0.88, 40).Interval90().Low, long.Low, 0.02)
	assert.Less(t, one.Low, long.Low-0.08)
	var apart take.Shares
	assert.InDelta(t, long.Low, e.On(apart).Interval90().Low, 1e-9, "spread over ever more groups, only the mean is uncertain")
}

func TestRecordsOutweighThePrior(t *testing.T) {
	tr := world{1, 900, 9, 40, 60, 0.3, 0.3, 0.3}.draw(rand.New(rand.NewPCG(2, 2)))
	l, err := take.Learn(tr.records)
	require.NoError(t, err)
	took, grafts := l.Counted("omega")
	require.Positive(t, grafts)
	e := l.Expect("omega", sizing.Prior(0.97, 40))
	assert.InDelta(t, float64(took)/float64(grafts), e.Mean, 0.05)
	few, err := take.Learn(tr.records[:2])
	require.NoError(t, err)
	assert.InDelta(t, 0.97, few.Expect("tool-cut", sizing.Prior(0.97, 40)).Mean, 0.001, "nothing of it is counted")
	one := tr.records[:1]
	l1, err := take.Learn(one)
	require.NoError(t, err)
	raw, now := float64(one[0].Took)/float64(one[0].Grafts), l1.Expect(one[0].Technique, sizing.Prior(0.9, 40)).Mean
	assert.Less(t, math.Abs(now-0.9), 0.45*math.Abs(raw-0.9), "one tag says little: %.2f took, %.2f is expected", raw, now)
	assert.Less(t, l.Slope(take.Mismatch, -1), -2.0, "and of mismatch they say what it costs")
	assert.InDelta(t, -1, take.Learned{}.Slope(take.Mismatch, -1), 1e-9)
}

func TestALotThatDidBadlyIsExpectedTo(t *testing.T) {
	tr := world{1, 900, 9, 20, 30, 0.3, 0.8, 0.3}.draw(rand.New(rand.NewPCG(3, 2)))
	l, err := take.Learn(tr.records)
	require.NoError(t, err)
	for lot, truth := range tr.lot {
		e := l.Effect(take.Lot, lot)
		assert.InDelta(t, truth, e.Mode, 5*e.SD+0.3, lot)
	}
	assert.Equal(t, take.Effect{SD: l.Spreads.Lot}, l.Effect(take.Lot, "never seen"))
}

// TestOutcomeHoldsTheTruth weaves orders over shared lots and bundles.
func TestOutcomeHoldsTheTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 12))
	in, runs := 0, 3000
	for range runs {
		var parts []take.Part
		lots, bundles := map[string]float64{}, map[string]float64{}
		mean := 0.15 * r.NormFloat64()
		truth := 0
		for i := range 6 {
			p := take.Part{
				Grafts:    20 + r.IntN(60),
				Technique: "splice",
				Lot:       fmt.Sprint(i % 2),
				Bundle:    fmt.Sprint(i % 3),
				Variance:  0.15 * 0.15,
				LotSD:     0.5,
				BundleSD:  0.4,
			}
			eta := 1.7 + mean
			if _, ok := lots[p.Lot]; !ok {
				lots[p.Lot] = 0.5 * r.NormFloat64()
			}
			if _, ok := bundles[p.Bundle]; !ok {
				bundles[p.Bundle] = 0.4 * r.NormFloat64()
			}
			eta += lots[p.Lot] + bundles[p.Bundle]
			p.Take = 0.832 // of logistic(1.7 + N(0, all of it)), on average
			q := 1 / (1 + math.Exp(-eta))
			for range p.Grafts {
				if r.Float64() < q {
					truth++
				}
			}
			parts = append(parts, p)
		}
		o := take.Outcome(parts, 3, 0)
		if o.Low <= float64(truth) && float64(truth) <= o.High {
			in++
		}
	}
	assert.InDelta(t, 0.9, float64(in)/float64(runs), 0.035)
	assert.Zero(t, take.Outcome(nil, 1, 0.4).Mean)
}

func TestShares(t *testing.T) {
	assert.InDelta(t, 1, take.SharesOf([]int{40}), 1e-12)
	assert.InDelta(t, 0.5, take.SharesOf([]int{40, 40}), 1e-12)
	assert.InDelta(t, 1, take.SharesOf(nil), 1e-12)
	assert.Equal(t, []int{90, 10}, take.FewestThatSuffice([]int{30, 90, 0}, 100))
	assert.Equal(t, []int{90, 30}, take.FewestThatSuffice([]int{30, 90, 0}, 500))
}
