package sizing_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/sizing"
)

// TestTwoBudsAreAsStocksComeOut plays stocks with two buds each: the belief's mean
// is how many live, and its 90 % range holds the rate nine times in ten.
func TestTwoBudsAreAsStocksComeOut(t *testing.T) {
	for _, b := range []sizing.Beta{{Alpha: 36, Beta: 4}, {Alpha: 18, Beta: 12}, {Alpha: 300, Beta: 60}} {
		s := b.OneOf(2)
		src := rand.NewPCG(7, 8)
		r := rand.New(src)
		draw := distuv.Beta{Alpha: b.Alpha, Beta: b.Beta, Src: src}
		in := s.Interval90()
		const worlds, stocks = 4000, 400
		held, alive := 0, 0
		for range worlds {
			p := draw.Rand()
			one, _ := sizing.OneOfTwo(p)
			if one >= in.Low && one <= in.High {
				held++
			}
			for range stocks / 40 {
				// The second bud does as the first with the correlation, else by itself.
				first := r.Float64() < p
				second := first
				if r.Float64() > 0.15 {
					second = r.Float64() < p
				}
				if first || second {
					alive++
				}
			}
		}
		assert.InDelta(t, s.Mean(), float64(alive)/worlds/(stocks/40), 0.008, "%+v", b)
		assert.InDelta(t, 0.9, float64(held)/worlds, 0.03, "%+v", b)
		assert.Greater(t, s.Mean(), b.Mean())
		assert.Equal(t, b, b.OneOf(1))
	}
}

func TestOneOfTwoMovesWithTheBud(t *testing.T) {
	for _, p := range []float64{0.05, 0.4, 0.9, 0.99} {
		at, slope := sizing.OneOfTwo(p)
		up, _ := sizing.OneOfTwo(p + 1e-6)
		assert.InDelta(t, slope, (up-at)/1e-6, 1e-4)
		assert.GreaterOrEqual(t, at, p)
		assert.LessOrEqual(t, at, 1.0)
	}
}
