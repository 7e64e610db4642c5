package caliper_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
)

func TestTaperIsWhatStemsSay(t *testing.T) {
	one, err := caliper.TaperOf([]caliper.Pair{{Low: 12, High: 11.4}}, 6)
	require.NoError(t, err)
	assert.InDelta(t, 0.1, one.PerCM, 1e-9)
	_, err = caliper.TaperOf([]caliper.Pair{{Low: 11, High: 11.4}}, 6)
	require.ErrorIs(t, err, caliper.ErrTaper)
	_, err = caliper.TaperOf(nil, 6)
	require.ErrorIs(t, err, caliper.ErrTaper)
	assert.Equal(t, caliper.ClassOf(11.2), caliper.ClassOf(12.1).Higher(0.15, 6))
	assert.Equal(t, caliper.ClassOf(12), caliper.ClassOf(12).Higher(0, 6))
}

// TestTheTapersRangeHoldsTheTruth draws stems about a true taper.
func TestTheTapersRangeHoldsTheTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for _, n := range []int{3, 8, 25} {
		held := 0
		const runs = 4000
		for range runs {
			ps := make([]caliper.Pair, n)
			for i := range ps {
				low := 10 + r.NormFloat64()
				ps[i] = caliper.Pair{Low: low, High: low - 10*(0.12+0.03*r.NormFloat64())}
			}
			x, err := caliper.TaperOf(ps, 10)
			if err == nil && x.Low <= 0.12 && 0.12 <= x.High {
				held++
			}
		}
		assert.InDelta(t, 0.9, float64(held)/runs, 0.02, "%d stems", n)
	}
}
