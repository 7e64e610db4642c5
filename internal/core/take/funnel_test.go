package take_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/take"
)

func TestFunnelLimitsHoldWhatLuckDoes(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 5))
	for _, n := range []int{20, 150, 1200} {
		for _, mean := range []float64{0.5, 0.86} {
			l := take.Funnel(mean, n)
			out95, out998, runs := 0, 0, 4000
			for range runs {
				took := 0
				for range n {
					if r.Float64() < mean {
						took++
					}
				}
				switch b := l.Beyond(float64(took) / float64(n)); b {
				case -2, 2:
					out998++
					out95++
				case -1, 1:
					out95++
				}
			}
			assert.InDelta(t, 0.05, float64(out95)/float64(runs), 0.035, "n %d, mean %g", n, mean)
			assert.Less(t, float64(out998)/float64(runs), 0.008, "n %d, mean %g", n, mean)
		}
	}
}

func TestTheFunnelNarrowsAndStaysWithinReason(t *testing.T) {
	wide := take.Funnel(0.85, 10)
	for n := 20; n < 5000; n *= 2 {
		l := take.Funnel(0.85, n)
		assert.Less(t, l.High95-l.Low95, wide.High95-wide.Low95)
		assert.True(t, 0 <= l.Low998 && l.Low998 <= l.Low95 && l.Low95 < 0.85 && 0.85 < l.High95 && l.High95 <= l.High998 && l.High998 <= 1, "%+v", l)
		wide = l
	}
	for _, l := range []take.Limits{take.Funnel(0.9, 0), take.Funnel(1, 30), take.Funnel(0, 30), take.Funnel(-1, 30)} {
		assert.True(t, l.Low95 >= 0 && l.High95 <= 1, "%+v", l)
	}
}

func TestCausesAreSetBesideTheOthers(t *testing.T) {
	got := take.CausesByGroup([]take.Loss{
		{"a", "dried out", 30}, {"a", "mix-up", 2}, {"b", "dried out", 4}, {"b", "mix-up", 2}, {"b", "mix-up", 1}, {"c", "none there", 9}},
		map[string]int{"a": 100, "b": 100, "c": 5})
	require.Len(t, got["a"], 2)
	dry := got["a"][0]
	assert.Equal(t, "dried out", dry.Cause)
	assert.InDelta(t, 0.30, dry.Share.Mean, 1e-9)
	assert.InDelta(t, 4.0/105, dry.Rest, 1e-9)
	assert.True(t, dry.More)
	assert.False(t, got["a"][1].More)
	assert.Equal(t, "dried out", got["b"][0].Cause)
	assert.Equal(t, 3, got["b"][1].N)
	assert.Empty(t, got["c"], "more dead than looked at is no share")
}

func ExampleFunnel() {
	for _, n := range []int{20, 100, 1000} {
		l := take.Funnel(0.88, n)
		fmt.Printf("%d grafts: %.2f to %.2f\n", n, l.Low95, l.High95)
	}
	// Output:
	// 20 grafts: 0.70 to 1.00
	// 100 grafts: 0.81 to 0.94
	// 1000 grafts: 0.86 to 0.90
}
