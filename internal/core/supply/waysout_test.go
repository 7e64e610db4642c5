package supply_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/supply"
)

func TestWaysCombineToWhatMeetsTheWholeOrder(t *testing.T) {
	const all = 1 << 30
	rs := []supply.Remedy{
		{Meets: []supply.Lack{supply.Stock}, Most: 20, Cents: 0},    // another stock
		{Meets: []supply.Lack{supply.Stock}, Most: all, Cents: 130}, // buy stems
		{Meets: []supply.Lack{supply.Wood}, Most: all, Cents: 9},    // cut more
		{Meets: []supply.Lack{supply.Wood}, Most: all, Cents: 40},   // buy wood
		{Meets: []supply.Lack{supply.Wood, supply.Hands, supply.Window}, Most: all, Cents: 120},
		{Meets: []supply.Lack{supply.Wood, supply.Stock, supply.Hands, supply.Window}, Most: all, Cents: 300},
	}
	cs := supply.Combine(supply.Lacks{supply.Wood: 30, supply.Stock: 50}, rs)
	require.NotEmpty(t, cs)
	assert.Equal(t, []supply.Part{{Remedy: 0, Grafts: 20}, {Remedy: 1, Grafts: 30}, {Remedy: 2, Grafts: 30}}, cs[0].Parts)
	assert.InDelta(t, 30*130+30*9, cs[0].Cents, 1e-9)
	for i := 1; i < len(cs); i++ {
		assert.GreaterOrEqual(t, cs[i].Cents, cs[i-1].Cents-0.5, "the cheapest sum first")
	}
	// Where the window is shut, only what leaves the ordinary way will do.
	cs = supply.Combine(supply.Lacks{supply.Window: 40, supply.Wood: 10}, rs)
	assert.Equal(t, []supply.Part{{Remedy: 4, Grafts: 40}}, cs[0].Parts)
	assert.Empty(t, supply.Combine(supply.Lacks{supply.Window: 40}, rs[:4]))
}

// TestCombineIsTheCheapest tries every split of small orders.
func TestCombineIsTheCheapest(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 4))
		l := supply.Lacks{supply.Wood: r.IntN(4), supply.Stock: r.IntN(4), supply.Hands: r.IntN(4)}
		rs := []supply.Remedy{
			{
				Meets: []supply.Lack{supply.Wood},
				Most:  r.IntN(4),
				Cents: float64(r.IntN(50)),
			}, {Meets: []supply.Lack{supply.Wood}, Most: 9, Cents: float64(r.IntN(50))},
			{
				Meets: []supply.Lack{supply.Stock},
				Most:  r.IntN(4),
				Cents: float64(r.IntN(50)),
			}, {Meets: []supply.Lack{supply.Stock}, Most: 9, Cents: float64(r.IntN(90))},
			{Meets: []supply.Lack{supply.Hands}, Most: 9, Cents: float64(r.IntN(50))},
			{Meets: []supply.Lack{supply.Wood, supply.Hands, supply.Window}, Most: 9, Cents: float64(r.IntN(90))}}
		best := math.Inf(1)
		var try func(i int, n [6]int)
		try = func(i int, n [6]int) {
			if i == len(rs) {
				left, cents := l, 0.0
				for k, m := range n {
					cents += float64(m) * rs[k].Cents
					for _, what := range rs[k].Meets {
						left[what] -= m
					}
				}
				if left.All() <= 0 {
					best = math.Min(best, cents)
				}
				return
			}
			for m := 0; m <= min(4, rs[i].Most); m++ {
				n[i] = m
				try(i+1, n)
			}
		}
		try(0, [6]int{})
		cs := supply.Combine(l, rs)
		require.NotEmpty(t, cs)
		assert.InDelta(t, best, cs[0].Cents, 0.51, "seed %d: %v", seed, l)
	}
}
