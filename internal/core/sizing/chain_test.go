package sizing_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/sizing"
)

// slow sums over every count at every stage.
func slow(c sizing.Chain, trees, n int) float64 {
	dist := make([]float64, n+1) // of how many are left
	dist[n] = 1
	for _, b := range c {
		next := make([]float64, n+1)
		for x, p := range dist {
			if p == 0 {
				continue
			}
			for y := range x + 1 {
				next[y] += p * (b.ChanceOf(y, x) - b.ChanceOf(y+1, x))
			}
		}
		dist = next
	}
	sum := 0.0
	for _, p := range dist[min(trees, n+1):] {
		sum += p
	}
	return sum
}

func TestChainsAreAsTheSlowSumHasThem(t *testing.T) {
	for _, c := range []sizing.Chain{
		{{Alpha: 36, Beta: 4}, {Alpha: 19, Beta: 1}},
		{{Alpha: 400, Beta: 60}, {Alpha: 90, Beta: 10}, {Alpha: 45, Beta: 5}},
		{{Alpha: 2, Beta: 2}, {Alpha: 3, Beta: 1}},
	} {
		for _, n := range []int{5, 17, 60} {
			for trees := 1; trees <= n; trees += 1 + n/7 {
				assert.InDelta(t, slow(c, trees, n), c.ChanceOf(trees, n), 2e-3, "%d of %d, %v", trees, n, c)
			}
		}
	}
}

func TestAChainAsksForMoreThanItsFirstStage(t *testing.T) {
	take := sizing.Beta{Alpha: 360, Beta: 40}
	for _, trees := range []int{5, 60, 2000, 100_000} {
		one, err := sizing.Grafts(trees, 0.9, take)
		require.NoError(t, err)
		n, err := sizing.Chain{take}.Grafts(trees, 0.9)
		require.NoError(t, err)
		require.Equal(t, one, n, "a chain of one is that stage")
		chain := sizing.Chain{take, {Alpha: 190, Beta: 10}, {Alpha: 180, Beta: 20}}
		n, err = chain.Grafts(trees, 0.9)
		require.NoError(t, err)
		assert.Greater(t, n, one)
		assert.GreaterOrEqual(t, chain.ChanceOf(trees, n), 0.9)
		assert.Less(t, chain.ChanceOf(trees, n-1), 0.9)
		assert.Greater(t, float64(n)*chain.Mean(), float64(trees), "a chance over a half asks for more than the mean")
	}
	// A stage that loses nothing changes next to nothing.
	n, err := sizing.Chain{take, {Alpha: 1e7, Beta: 0.5}}.Grafts(2000, 0.9)
	require.NoError(t, err)
	one, _ := sizing.Grafts(2000, 0.9, take)
	assert.InDelta(t, one, n, 2)
	_, err = sizing.Chain{}.Grafts(5, 0.9)
	assert.ErrorIs(t, err, sizing.ErrNever)
	_, err = sizing.Chain{take, {}}.Grafts(5, 0.9)
	assert.ErrorIs(t, err, sizing.ErrNever)
	n, err = sizing.Chain{take, take}.Grafts(0, 0.9)
	require.NoError(t, err)
	assert.Zero(t, n)
}

func ExampleChain_Grafts() {
	n, _ := sizing.Chain{sizing.Prior(0.91, 40), sizing.Prior(0.95, 40)}.Grafts(600, 0.9)
	fmt.Println(n, "grafts for 600 trees lifted")
	// Output: 758 grafts for 600 trees lifted
}
