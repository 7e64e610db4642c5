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

// TestACurveHoldsTheTruth: where mismatch costs take as the records say, the band about the
// curve holds the true curve about nine times in ten.
func TestACurveHoldsTheTruth(t *testing.T) {
	held, n := 0, 0
	for seed := range 60 {
		r := rand.New(rand.NewPCG(uint64(seed), 3))
		lots := make([]float64, 12)
		for i := range lots {
			lots[i] = 0.4 * r.NormFloat64()
		}
		slope := -3.0
		var rs []take.Record
		truth := func(x float64) float64 {
			sum := 0.0
			for _, l := range lots {
				sum += 1 / (1 + math.Exp(-(1.8 + l + slope*x)))
			}
			return sum / float64(len(lots))
		}
		for i := range 240 {
			x := 0.35 * r.Float64()
			p := 1 / (1 + math.Exp(-(1.8 + lots[i%12] + slope*x)))
			rec := take.Record{Worker: fmt.Sprint(i % 5), Technique: "splice", Lot: fmt.Sprint(i % 12), Bundle: fmt.Sprint("b", i%9),
				Mismatch: x, Grafts: 24}
			for range 24 {
				if r.Float64() < p {
					rec.Took++
				}
			}
			rs = append(rs, rec)
		}
		d := take.FromRecords(rs, "splice")
		fit, err := take.Solve(d)
		require.NoError(t, err)
		col := -1
		for j, name := range d.Fixed {
			if name == take.Mismatch {
				col = j
			}
		}
		ps := fit.Curve(col, []float64{0, 0.1, 0.2, 0.3})
		for _, p := range ps {
			assert.True(t, p.Low <= p.Take && p.Take <= p.High)
		}
		// What the slope makes of it: the fall from 0 to 0.3.
		n++
		fall := truth(0.3) - truth(0)
		low, high := ps[3].Low-ps[0].High, ps[3].High-ps[0].Low
		if fall >= low && fall <= high {
			held++
		}
		assert.Greater(t, ps[0].Take, ps[3].Take)
	}
	assert.InDelta(t, 0.9, float64(held)/float64(n), 0.09)
}
