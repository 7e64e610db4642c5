package supply_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
)

var whip = technique.Technique{
	Key:         "whip-and-tongue",
	StockMinMM:  5,
	StockMaxMM:  15,
	RatioMin:    0.8,
	RatioMax:    1.02,
	RatePerHour: 40,
	Slope:       0.6,
	PriorTake:   0.91,
	PriorWeight: 40,
}

func taking(l take.Learned) supply.Taking {
	return supply.TakingOf(whip, l.Expect(whip.Key, sizing.Prior(0.91, 40)), l)
}

func mm(x float64) caliper.Class { return caliper.ClassOf(x) }

// TestWoodNearItsEndGoesFirst: wood with three days left against fresh wood half
// a millimetre thicker, which fits a little better.
func TestWoodNearItsEndGoesFirst(t *testing.T) {
	var none take.Learned
	k := taking(none)
	weave := func(left float64) map[string]int {
		old := supply.Kept{DaysKept: 60, LeftDays: left, LifeDays: 120}
		fresh := supply.Kept{DaysKept: 12, LeftDays: 100, LifeDays: 120}
		piece := 35.0 / (130 + 35 + 40)
		w, err := pairing.Solve(pairing.Programme{
			Orders: []pairing.Order{
				{
					ID:       "o",
					Variety:  "v",
					Stock:    "s",
					Grafts:   20,
					Shortage: 3,
					Ways:     []pairing.Way{{Key: whip.Key, Joins: whip.Joins, Misfit: whip.Misfit, Cost: k.Cost}},
				},
			},
			Stock: []pairing.Pile{{ID: "l", Of: "s", Classes: []caliper.Count{{Class: mm(9.25), N: 30}}}},
			Wood: []pairing.Pile{
				{ID: "old", Of: "v", Risk: supply.BundleCost(0.91, old, none, piece), Classes: []caliper.Count{{Class: mm(8.25), N: 20}}},
				{
					ID:      "fresh",
					Of:      "v",
					Risk:    supply.BundleCost(0.91, fresh, none, piece),
					Classes: []caliper.Count{{Class: mm(8.75), N: 20}},
				},
			}})
		require.NoError(t, err)
		out := map[string]int{}
		for _, x := range w.Threads {
			out[x.Bundle] += x.N
		}
		return out
	}
	assert.Equal(t, 20, weave(3)["old"], "what will be worth nothing costs nothing")
	assert.Equal(t, 20, weave(60)["fresh"], "where both keep, the better fit goes first")
	assert.Equal(t, 20, weave(-1)["fresh"], "wood past its day is the last resort")
}

func TestAMismatchCostsWhatItsTechniqueLoses(t *testing.T) {
	k := taking(take.Learned{})
	assert.InDelta(t, 0.91, k.At(mm(9.25), mm(9.25), 0), 1e-6)
	assert.InDelta(t, 0.91-0.6*0.054, k.At(mm(9.25), mm(8.75), 0), 0.006, "its slope, near even sizes")
	assert.Less(t, k.At(mm(9.25), mm(8.75), -0.5), k.At(mm(9.25), mm(8.75), 0))
	assert.InDelta(t, 1-0.91+0.02, k.Cost(mm(9.25), mm(9.25)), 1e-6)
	assert.Greater(t, supply.LotCost(0.9, take.Effect{Mode: -0.8}), 0.05, "a lot that did badly costs")
	assert.Negative(t, supply.LotCost(0.9, take.Effect{Mode: 0.8}))
}

func ExampleBundleCost() {
	var none take.Learned
	for _, left := range []float64{60, 10, 3, -2} {
		w := supply.Kept{DaysKept: 40, LeftDays: left, LifeDays: 120}
		fmt.Printf("%3.0f days left: %.3f of a graft\n", left, supply.BundleCost(0.9, w, none, 0.17))
	}
	// Output:
	//  60 days left: 0.181 of a graft
	//  10 days left: 0.067 of a graft
	//   3 days left: 0.028 of a graft
	//  -2 days left: 0.261 of a graft
}
