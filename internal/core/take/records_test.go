package take_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/take"
)

// pairs plays a season of tags cut by five and tied by four, who change about.
// Effects of the tiers and of the part of the shoot are on the logit scale.
func pairs(r *rand.Rand, tiers []float64, outer float64) []take.Record {
	cutters := []float64{0.3, -0.2, 0.1, -0.4, 0.2}
	lots, bundles := make([]float64, 8), make([]float64, 10)
	for i := range lots {
		lots[i] = 0.4 * r.NormFloat64()
	}
	for i := range bundles {
		bundles[i] = 0.3 * r.NormFloat64()
	}
	var out []take.Record
	for i := range 300 {
		c, l, b := i%5, r.IntN(8), r.IntN(10)
		x := take.Record{Worker: fmt.Sprint("c", c), Technique: "splice", Lot: fmt.Sprint("l", l), Bundle: fmt.Sprint("b", b), Grafts: 24,
			Part: []string{"base", "middle", "outer", ""}[i%4]}
		eta := 1.2 + cutters[c] + lots[l] + bundles[b]
		if t := r.IntN(len(tiers) + 1); t < len(tiers) {
			x.Tier = fmt.Sprint("t", t)
			eta += tiers[t]
		}
		if x.Part == "outer" {
			eta += outer
		}
		p := 1 / (1 + math.Exp(-eta))
		for range x.Grafts {
			if r.Float64() < p {
				x.Took++
			}
		}
		out = append(out, x)
	}
	return out
}

func TestWhoTiedIsToldFromWhoCut(t *testing.T) {
	r := rand.New(rand.NewPCG(41, 42))
	rs := pairs(r, []float64{0.9, 0, -0.9, 0.2}, -0.8)
	d := take.FromRecords(rs, "splice")
	require.Len(t, d.Factors, 4)
	assert.Equal(t, take.Tier, d.Factors[3].Name)
	fit, err := take.Solve(d)
	require.NoError(t, err)
	at := map[string]float64{}
	standard := fit.Ranged(d.TechniqueColumns())
	for i, name := range d.Factors[3].Levels {
		at[name] = standard.Factors[3][i].Take
	}
	assert.Greater(t, at["t0"], at["t3"])
	assert.Greater(t, at["t3"], at["t2"])
	assert.Greater(t, at["t1"], at["t2"])
	assert.Greater(t, at["t0"]-at["t2"], 0.15)
	for j, n := range d.Fixed {
		if n == take.PartColumn("outer") {
			assert.InDelta(t, -0.8, fit.Fixed[j], 3*fit.FixedSE[j])
			assert.Less(t, fit.Fixed[j], -0.3)
		}
	}
	l, err := take.Learn(rs)
	require.NoError(t, err)
	assert.Positive(t, l.Spreads.Tier)
	assert.Less(t, l.Slope(take.PartColumn("outer"), 0), -0.3)
	assert.Positive(t, l.Effect(take.Tier, "t0").Mode)
}

func TestNobodyTyingForAnotherIsNoFactor(t *testing.T) {
	d := take.FromRecords([]take.Record{{Worker: "a", Lot: "l", Bundle: "b", Technique: "x", Grafts: 9, Took: 7},
		{Worker: "b", Lot: "l", Bundle: "b", Technique: "x", Grafts: 9, Took: 8}}, "x")
	assert.Len(t, d.Factors, 3)
	assert.Equal(t, []string{take.Intercept, take.Mismatch, take.Store10}, d.Fixed, "nor is a part that nobody noted")
	d = take.FromRecords([]take.Record{{Part: "outer"}, {Part: "outer"}}, "")
	assert.NotContains(t, d.Fixed, take.PartColumn("outer"), "nothing to tell it from")
}
