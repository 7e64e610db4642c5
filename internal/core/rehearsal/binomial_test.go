package rehearsal_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/rehearsal"
)

// TestBinomialInvertsItsDistribution holds each draw to the distribution function: the least
// count at which it reaches u.
func TestBinomialInvertsItsDistribution(t *testing.T) {
	for _, n := range []int{1, 2, 7, 25, 80, 110, 600} {
		for _, p := range []float64{1e-6, 0.02, 0.2, 0.5, 0.77, 0.9, 0.999} {
			b := distuv.Binomial{N: float64(n), P: p}
			last := 0
			for i := range 400 {
				u := (float64(i) + 0.5) / 400
				k := rehearsal.Draw(n, p, u)
				assert.GreaterOrEqual(t, k, last, "it rises with u")
				last = k
				if b.CDF(float64(k)) < u-1e-9 || k > 0 && b.CDF(float64(k-1)) > u+1e-9 {
					t.Fatalf("n %d, p %g, u %g: %d, at %g after %g", n, p, u, k, b.CDF(float64(k)), b.CDF(float64(k-1)))
				}
			}
		}
	}
	assert.Equal(t, 0, rehearsal.Draw(5, 0, 0.9))
	assert.Equal(t, 5, rehearsal.Draw(5, 1, 0.1))
	assert.Equal(t, 0, rehearsal.Draw(0, 0.5, 0.5))
	for _, u := range []float64{0, 1e-300, 1 - 1e-16, math.Nextafter(1, 0)} {
		k := rehearsal.Draw(300, 0.4, u)
		assert.True(t, k >= 0 && k <= 300)
	}
}
