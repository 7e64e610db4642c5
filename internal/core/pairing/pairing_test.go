package pairing_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/technique"
)

func way(t technique.Technique, loss float64) pairing.Way {
	return pairing.Way{Key: t.Key, Allows: t.Allows,
		Cost: func(s, w caliper.Class) float64 { return t.Cost(loss, s, w) }}
}

var (
	whip  = technique.Technique{Key: "whip", StockMinMM: 5, StockMaxMM: 15, RatioMin: 0.8, RatioMax: 1.02, Slope: 0.6, RatePerHour: 40}
	cleft = technique.Technique{Key: "cleft", StockMinMM: 6, StockMaxMM: 30, RatioMin: 0.45, RatioMax: 1, Slope: 0.1, RatePerHour: 38}
	ways  = []pairing.Way{way(whip, 0.07), way(cleft, 0.13)}
)

func randomPiles(r *rand.Rand, name string, piles, classes, most int) []pairing.Pile {
	var out []pairing.Pile
	for i := range piles {
		p := pairing.Pile{ID: fmt.Sprintf("%s%d", name, i), Risk: r.Float64() * 0.1}
		for range classes {
			p.Classes = append(p.Classes, caliper.Count{Class: caliper.Class(10 + r.IntN(14)), N: r.IntN(most + 1)})
		}
		out = append(out, p)
	}
	return out
}

// brute finds the least cost by trying every count for every pair.
func brute(o pairing.Order) float64 {
	type end struct {
		c    caliper.Class
		n    int
		risk float64
	}
	var s, w []end
	for _, p := range o.Stock {
		for _, c := range p.Classes {
			s = append(s, end{c.Class, c.N, p.Risk})
		}
	}
	for _, p := range o.Wood {
		for _, c := range p.Classes {
			w = append(w, end{c.Class, c.N, p.Risk})
		}
	}
	best := math.Inf(1)
	var try func(k, done int, cost float64)
	try = func(k, done int, cost float64) {
		if k == len(s)*len(w) {
			best = math.Min(best, cost+float64(o.Grafts-done)*o.Shortage)
			return
		}
		i, j := k/len(w), k%len(w)
		c := math.Inf(1)
		for _, t := range o.Ways {
			if ok, _ := t.Allows(s[i].c, w[j].c); ok {
				c = math.Min(c, t.Cost(s[i].c, w[j].c)+s[i].risk+w[j].risk)
			}
		}
		try(k+1, done, cost)
		if math.IsInf(c, 1) {
			return
		}
		for n := 1; n <= min(s[i].n, w[j].n, o.Grafts-done); n++ {
			s[i].n, w[j].n = s[i].n-n, w[j].n-n
			try(k+1, done+n, cost+float64(n)*c)
			s[i].n, w[j].n = s[i].n+n, w[j].n+n
		}
	}
	try(0, 0, 0)
	return best
}

func TestTheWeaveIsTheCheapestThereIs(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for i := range 150 {
		o := pairing.Order{Grafts: r.IntN(7), Shortage: 0.05 + r.Float64()*2, Ways: ways,
			Stock: randomPiles(r, "L", 1, 3, 3), Wood: randomPiles(r, "B", 1, 3, 3)}
		w, err := pairing.Solve(o)
		require.NoError(t, err)
		require.InDelta(t, brute(o), w.Cost, 1e-9, "instance %d: %+v", i, o)
	}
}

func TestNothingIsSpentTwiceAndNoScionIsWider(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	for range 200 {
		o := pairing.Order{Grafts: r.IntN(400), Shortage: 3, Ways: ways,
			Stock: randomPiles(r, "L", 3, 8, 40), Wood: randomPiles(r, "B", 3, 8, 40)}
		w, err := pairing.Solve(o)
		require.NoError(t, err)
		used := map[string]int{}
		total := 0
		for _, th := range w.Threads {
			require.LessOrEqual(t, th.Scion, th.Stock)
			used[th.Lot+th.Stock.String()] += th.N
			used[th.Bundle+th.Scion.String()] += th.N
			total += th.N
		}
		require.Equal(t, w.Paired, total)
		require.Equal(t, o.Grafts, w.Paired+w.Short)
		have := map[string]int{}
		for _, p := range append(o.Stock, o.Wood...) {
			for _, c := range p.Classes {
				have[p.ID+c.Class.String()] += c.N
			}
		}
		for _, l := range append(w.LeftStock, w.LeftWood...) {
			used[l.Pile+l.Class.String()] += l.N
			require.NotEmpty(t, l.Why)
		}
		for k, n := range have {
			require.Equal(t, n, used[k], "every one of %s is used or left over", k)
		}
	}
}

func TestWhyNot(t *testing.T) {
	o := pairing.Order{Grafts: 10, Shortage: 3, Ways: ways,
		Stock: []pairing.Pile{{ID: "L", Classes: []caliper.Count{{Class: 16, N: 4}, {Class: 60, N: 2}}}},
		Wood:  []pairing.Pile{{ID: "B", Classes: []caliper.Count{{Class: 15, N: 3}, {Class: 20, N: 5}}}}}
	w, err := pairing.Solve(o)
	require.NoError(t, err)
	assert.Equal(t, 3, w.Paired)
	assert.Equal(t, []pairing.Left{
		{Pile: "L", Class: 16, N: 1, Why: "the wood that fits it is used up"},
		{Pile: "L", Class: 60, N: 2, Why: "stock over 30 mm"}}, w.LeftStock)
	assert.Equal(t, []pairing.Left{{Pile: "B", Class: 20, N: 5, Why: "wood wider than the stock"}}, w.LeftWood)

	tool := way(technique.Technique{Key: "tool", StockMinMM: 6, StockMaxMM: 13, RatioMin: 0.9, RatioMax: 1.08, WiderAllowed: true, RatePerHour: 80}, 0.2)
	w, err = pairing.Solve(pairing.Order{Grafts: 4, Shortage: 3, Ways: append(ways, tool), Stock: []pairing.Pile{{ID: "L", Classes: []caliper.Count{{Class: 13, N: 4}}}},
		Wood: []pairing.Pile{{ID: "B", Classes: []caliper.Count{{Class: 18, N: 4}}}}})
	require.NoError(t, err)
	assert.Equal(t, "wood wider than the stock", w.LeftStock[0].Why, "not the tool's own limit")
	o.Ways = []pairing.Way{{Key: "bud", Allows: ways[0].Allows, Cost: ways[0].Cost, Takes: func(string) (bool, string) { return false, "pieces of 3 buds" }}}
	w, err = pairing.Solve(o)
	require.NoError(t, err)
	assert.Equal(t, "pieces of 3 buds", w.LeftStock[0].Why)

	o.Stock[0].Classes[0].N = -1
	_, err = pairing.Solve(o)
	assert.ErrorIs(t, err, pairing.ErrCount)
	w, err = pairing.Solve(pairing.Order{Grafts: 5, Shortage: 1})
	require.NoError(t, err)
	assert.Equal(t, 5, w.Short)
}

func ExampleSolve() {
	w, _ := pairing.Solve(pairing.Order{Grafts: 30, Shortage: 3, Ways: ways,
		Stock: []pairing.Pile{{ID: "L-1", Classes: []caliper.Count{{Class: 16, N: 20}, {Class: 20, N: 20}}}},
		Wood:  []pairing.Pile{{ID: "W-1", Classes: []caliper.Count{{Class: 15, N: 25}, {Class: 14, N: 20}}}}})
	for _, t := range w.Threads {
		fmt.Println(t.Stock, "with", t.Scion, "by", t.Way, t.N)
	}
	fmt.Println(w.Paired, "paired,", w.Short, "short")
	// Output:
	// 10–10.5 with 7.5–8 by cleft 5
	// 10–10.5 with 7–7.5 by cleft 5
	// 8–8.5 with 7.5–8 by whip 20
	// 30 paired, 0 short
}
