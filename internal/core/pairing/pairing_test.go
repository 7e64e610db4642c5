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
	return pairing.Way{Key: t.Key,
		Joins: t.Joins, Misfit: t.Misfit,
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

// one is a programme of a single order.
func one(grafts int, shortage float64, ways []pairing.Way, stock, wood []pairing.Pile) pairing.Programme {
	return pairing.Programme{Orders: []pairing.Order{{ID: "O", Grafts: grafts, Shortage: shortage, Ways: ways}}, Stock: stock, Wood: wood}
}

// brute finds the least cost of a programme by trying every count for every
// order and pair.
func brute(p pairing.Programme) float64 {
	type end struct {
		of   string
		c    caliper.Class
		n    int
		risk float64
	}
	ends := func(ps []pairing.Pile) (out []end) {
		for _, p := range ps {
			for _, c := range p.Classes {
				out = append(out, end{p.Of, c.Class, c.N, p.Risk})
			}
		}
		return out
	}
	s, w := ends(p.Stock), ends(p.Wood)
	type choice struct {
		o, i, j int
		cost    float64
	}
	var all []choice
	left, none := make([]int, len(p.Orders)), 0.0
	for o, want := range p.Orders {
		left[o] = want.Grafts
		none += float64(want.Grafts) * want.Shortage
		for i := range s {
			for j := range w {
				c := math.Inf(1)
				for _, t := range want.Ways {
					if s[i].of == want.Stock && w[j].of == want.Variety && t.Joins(s[i].c, w[j].c) {
						c = math.Min(c, t.Cost(s[i].c, w[j].c)+s[i].risk+w[j].risk)
					}
				}
				if c < want.Shortage {
					all = append(all, choice{o, i, j, c - want.Shortage})
				}
			}
		}
	}
	best := math.Inf(1)
	var try func(k int, cost float64)
	try = func(k int, cost float64) {
		if k == len(all) {
			best = math.Min(best, cost)
			return
		}
		x := all[k]
		try(k+1, cost)
		most := min(s[x.i].n, w[x.j].n, left[x.o])
		for n := 1; n <= most; n++ {
			s[x.i].n, w[x.j].n, left[x.o] = s[x.i].n-n, w[x.j].n-n, left[x.o]-n
			try(k+1, cost+float64(n)*x.cost)
			s[x.i].n, w[x.j].n, left[x.o] = s[x.i].n+n, w[x.j].n+n, left[x.o]+n
		}
	}
	try(0, none)
	return best
}

func TestTheWeaveOfOneOrderIsTheCheapestThereIs(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for i := range 150 {
		p := one(r.IntN(7), 0.05+r.Float64()*2, ways, randomPiles(r, "L", 1, 3, 3), randomPiles(r, "B", 1, 3, 3))
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		require.InDelta(t, brute(p), w.Cost, 1e-9, "instance %d: %+v", i, p)
		require.InDelta(t, w.Bound, w.Cost, 1e-6)
	}
}

// small makes a programme of three varieties on two stock types.
func small(r *rand.Rand) pairing.Programme {
	p := pairing.Programme{}
	for i := range 2 + r.IntN(3) {
		p.Orders = append(
			p.Orders,
			pairing.Order{ID: fmt.Sprint("O", i), Variety: fmt.Sprint("V", r.IntN(2)), Stock: fmt.Sprint("T", r.IntN(2)),
				Grafts: r.IntN(4), Shortage: 0.3 + 3*r.Float64(), Ways: ways},
		)
	}
	for k := range 2 {
		for _, pile := range randomPiles(r, fmt.Sprint("L", k), 1, 2, 2) {
			pile.Of = fmt.Sprint("T", k)
			p.Stock = append(p.Stock, pile)
		}
		for _, pile := range randomPiles(r, fmt.Sprint("B", k), 1, 2, 2) {
			pile.Of = fmt.Sprint("V", k)
			p.Wood = append(p.Wood, pile)
		}
	}
	return p
}

func TestProgrammesAreWithinReachOfTheBest(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	over := 0
	for i := range 300 {
		p := small(r)
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		conserved(t, p, w)
		best := brute(p)
		require.GreaterOrEqual(t, w.Cost, best-1e-9, "instance %d: cheaper than the cheapest", i)
		require.LessOrEqual(t, w.Bound, best+1e-6, "instance %d: %+v", i, p)
		if w.Cost > best+1e-9 {
			over++
			t.Logf("instance %d: %.4f over %.4f", i, w.Cost, best)
		}
	}
	require.LessOrEqual(t, over, 3, "of 300 tiny programmes, where one graft is much")
}

// conserved checks that nothing is spent twice, nothing lost, no scion wider
// than its stock, each thread serves its order, and the cost adds up.
func conserved(t *testing.T, p pairing.Programme, w pairing.Weave) {
	t.Helper()
	orders := map[string]pairing.Order{}
	for _, o := range p.Orders {
		orders[o.ID] = o
	}
	of, used, have := map[string]string{}, map[string]int{}, map[string]int{}
	for _, ps := range [][]pairing.Pile{p.Stock, p.Wood} {
		for _, pile := range ps {
			of[pile.ID] = pile.Of
			for _, c := range pile.Classes {
				have[pile.ID+" "+c.Class.String()] += c.N
			}
		}
	}
	got, cost := map[string]int{}, 0.0
	for _, th := range w.Threads {
		o := orders[th.Order]
		require.Equal(t, o.Stock, of[th.Lot])
		require.Equal(t, o.Variety, of[th.Bundle])
		require.Positive(t, th.N)
		used[th.Lot+" "+th.Stock.String()] += th.N
		used[th.Bundle+" "+th.Scion.String()] += th.Pieces()
		got[th.Order] += th.N
		cost += float64(th.N) * th.Cost
		joined := false
		for _, k := range o.Ways {
			joined = joined || k.Key == th.Way && k.Joins(th.Stock, th.Scion) && max(1, k.Pieces) == th.Each
		}
		require.True(t, joined, "%+v is by a way that joins them", th)
	}
	short := 0
	for _, f := range w.Orders {
		require.Equal(t, got[f.Order], f.Paired)
		require.Equal(t, orders[f.Order].Grafts, f.Paired+f.Short)
		require.GreaterOrEqual(t, f.Short, 0)
		short += f.Short
		cost += float64(f.Short) * orders[f.Order].Shortage
	}
	require.Equal(t, short, w.Short)
	require.InDelta(t, cost, w.Cost, 1e-6)
	for _, l := range append(w.LeftStock, w.LeftWood...) {
		used[l.Pile+" "+l.Class.String()] += l.N
		require.NotEmpty(t, l.Why)
	}
	for k, n := range have {
		require.Equal(t, n, used[k], "every one of %s is used or left over", k)
	}
}

func TestNothingIsSpentTwiceAndNoScionIsWider(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	for range 200 {
		p := one(r.IntN(400), 3, ways, randomPiles(r, "L", 3, 8, 40), randomPiles(r, "B", 3, 8, 40))
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		for _, th := range w.Threads {
			require.LessOrEqual(t, th.Scion, th.Stock)
		}
		conserved(t, p, w)
	}
}

func unfit(m technique.Misfit) pairing.Reason { return pairing.Reason{Cause: pairing.Unfit, Misfit: m} }

var wider = unfit(technique.Misfit{Limit: technique.WoodWider})

func TestWhyNot(t *testing.T) {
	hardening := technique.Standing{Verdict: technique.Shut, Reason: technique.StockIs, Stock: "hardening"}
	stock := []pairing.Pile{{ID: "L", Classes: []caliper.Count{{Class: 16, N: 4}, {Class: 60, N: 2}}}}
	wood := []pairing.Pile{{ID: "B", Classes: []caliper.Count{{Class: 15, N: 3}, {Class: 20, N: 5}}}}
	p := one(10, 3, ways, stock, wood)
	w, err := pairing.Solve(p)
	require.NoError(t, err)
	assert.Equal(t, 3, w.Paired)
	assert.Equal(t, []pairing.Left{
		{Pile: "L", Class: 16, N: 1, Why: pairing.Reason{Cause: pairing.UsedUp}},
		{Pile: "L", Class: 60, N: 2, Why: unfit(technique.Misfit{Limit: technique.StockThick, MM: 30})}}, w.LeftStock)
	assert.Equal(t, []pairing.Left{{Pile: "B", Class: 20, N: 5, Why: wider}}, w.LeftWood)

	tool := way(
		technique.Technique{Key: "tool", StockMinMM: 6, StockMaxMM: 13, RatioMin: 0.9, RatioMax: 1.08, WiderAllowed: true, RatePerHour: 80},
		0.2,
	)
	w, err = pairing.Solve(one(4, 3, append(ways, tool), []pairing.Pile{{ID: "L", Classes: []caliper.Count{{Class: 13, N: 4}}}},
		[]pairing.Pile{{ID: "B", Classes: []caliper.Count{{Class: 18, N: 4}}}}))
	require.NoError(t, err)
	assert.Equal(t, wider, w.LeftStock[0].Why, "not the tool's own limit")
	bud := ways[0]
	buds := technique.Misfit{Limit: technique.WoodBuds, Buds: 3}
	bud.Unfit = func(string) technique.Misfit { return buds }
	w, err = pairing.Solve(one(10, 3, []pairing.Way{bud}, stock, wood))
	require.NoError(t, err)
	assert.Equal(t, unfit(buds), w.LeftStock[0].Why)

	w, err = pairing.Solve(
		pairing.Programme{Orders: []pairing.Order{{ID: "O", Grafts: 5, Shortage: 1, Shut: hardening}}, Stock: stock, Wood: wood},
	)
	require.NoError(t, err)
	assert.Equal(t, 5, w.Short)
	assert.Equal(t, pairing.Reason{Cause: pairing.Shut, Shut: hardening}, w.LeftWood[0].Why)
	w, err = pairing.Solve(pairing.Programme{Orders: []pairing.Order{{ID: "O", Grafts: 5, Shortage: 1}}, Stock: stock, Wood: wood})
	require.NoError(t, err)
	assert.Equal(t, pairing.Reason{Cause: pairing.NoneOpen}, w.LeftWood[0].Why)
	stock[0].Of = "T9"
	w, err = pairing.Solve(p)
	require.NoError(t, err)
	assert.Equal(t, pairing.Reason{Cause: pairing.NoneAsks}, w.LeftStock[0].Why)
	assert.Equal(t, pairing.Reason{Cause: pairing.NoneAtHand, Wood: true}, w.LeftWood[0].Why)
	stock[0].Classes[0].N = -1
	_, err = pairing.Solve(p)
	assert.ErrorIs(t, err, pairing.ErrCount)
	_, err = pairing.Solve(pairing.Programme{Orders: []pairing.Order{{ID: "O"}, {ID: "O"}}})
	assert.ErrorIs(t, err, pairing.ErrNamed)
}

func TestHeldAndBannedThreads(t *testing.T) {
	p := one(
		4,
		3,
		ways,
		[]pairing.Pile{
			{ID: "L1", Classes: []caliper.Count{{Class: 16, N: 4}}},
			{ID: "L2", Risk: 0.1, Classes: []caliper.Count{{Class: 16, N: 4}}},
		},
		[]pairing.Pile{
			{ID: "B1", Classes: []caliper.Count{{Class: 16, N: 4}}},
			{ID: "B2", Risk: 0.05, Classes: []caliper.Count{{Class: 15, N: 8}}},
		},
	)
	free, err := pairing.Solve(p)
	require.NoError(t, err)
	require.Equal(
		t,
		[]pairing.Thread{{Order: "O", Lot: "L1", Stock: 16, Bundle: "B1", Scion: 16, Way: "whip", N: 4, Each: 1,
			Cost: free.Threads[0].Cost}},
		free.Threads,
	)

	p.Held = []pairing.Thread{{Order: "O", Lot: "L2", Stock: 16, Bundle: "B2", Scion: 15, Way: "cleft", N: 3}}
	w, err := pairing.Solve(p)
	require.NoError(t, err)
	conserved(t, p, w)
	require.Contains(t, fmt.Sprint(w.Threads), "{O L2 8–8.5 B2 7.5–8 cleft 3")
	require.Greater(t, w.Cost, free.Cost)
	require.InDelta(t, w.Cost, w.Bound, 1e-6, "nothing cheaper keeps what is held")

	for _, c := range []struct {
		held pairing.Thread
		why  pairing.Cause
		has  int
	}{
		{pairing.Thread{Order: "X", Lot: "L1", Stock: 16, Bundle: "B1", Scion: 16, N: 1}, pairing.NoOrder, 0},
		{pairing.Thread{Order: "O", Lot: "L1", Stock: 16, Bundle: "B1", Scion: 16, N: 5}, pairing.OrderHas, 4},
		{pairing.Thread{Order: "O", Lot: "L1", Stock: 17, Bundle: "B1", Scion: 16, N: 1}, pairing.LotHas, 0},
		{pairing.Thread{Order: "O", Lot: "L1", Stock: 16, Bundle: "B9", Scion: 16, N: 1}, pairing.BundleHas, 0},
		{pairing.Thread{Order: "O", Lot: "L1", Stock: 16, Bundle: "B1", Scion: 16, Way: "saddle", N: 1}, pairing.NotByIt, 0},
	} {
		p.Held = []pairing.Thread{c.held}
		_, err := pairing.Solve(p)
		require.ErrorIs(t, err, pairing.ErrHeld)
		var no *pairing.HeldError
		require.ErrorAs(t, err, &no)
		assert.Equal(t, c.why, no.Reason.Cause)
		assert.Equal(t, c.has, no.Has)
		assert.Equal(t, c.held, no.Thread)
	}

	p.Held = nil
	for _, ban := range []pairing.Pair{{Lot: "L1", Bundle: "B1"}, {Order: "O", Lot: "L1", Bundle: "B1", Stock: 16, Scion: 16},
		{Scion: 16}} {
		p.Banned = []pairing.Pair{ban}
		w, err = pairing.Solve(p)
		require.NoError(t, err)
		conserved(t, p, w)
		for _, th := range w.Threads {
			require.False(t, th.Lot == "L1" && th.Bundle == "B1", "%+v is kept apart", th)
		}
		require.Equal(t, 4, w.Paired)
	}
	p.Banned = []pairing.Pair{{Order: "O"}}
	w, err = pairing.Solve(p)
	require.NoError(t, err)
	require.Equal(t, 4, w.Short)
	require.Equal(t, pairing.Reason{Cause: pairing.KeptApart}, w.LeftWood[0].Why)
}

func TestWhyAPairIsNotJoined(t *testing.T) {
	p := pairing.Programme{
		Orders: []pairing.Order{
			{ID: "A", Variety: "V", Stock: "T", Grafts: 3, Shortage: 9, Ways: ways},
			{ID: "B", Variety: "W", Stock: "T", Grafts: 9, Shortage: 1.5, Ways: ways},
		},
		Stock: []pairing.Pile{{ID: "L", Of: "T", Classes: []caliper.Count{{Class: 16, N: 3}, {Class: 50, N: 1}}}},
		Wood: []pairing.Pile{{ID: "V-1", Of: "V", Classes: []caliper.Count{{Class: 16, N: 5}}},
			{ID: "W-1", Of: "W", Classes: []caliper.Count{{Class: 16, N: 5}, {Class: 17, N: 1}}}}}
	w, err := pairing.Solve(p)
	require.NoError(t, err)
	spoken := pairing.Reason{Cause: pairing.SpokenFor}
	for _, c := range []struct {
		ask pairing.Pair
		why pairing.Reason
		by  []string // the orders of the threads told
	}{
		{pairing.Pair{Order: "A", Lot: "L", Stock: 16, Bundle: "V-1", Scion: 16}, pairing.Reason{Cause: pairing.Joined}, []string{"A"}},
		{pairing.Pair{Order: "B", Lot: "L", Stock: 16, Bundle: "W-1", Scion: 16}, spoken, []string{"A"}},
		{pairing.Pair{Order: "B", Lot: "L", Stock: 16, Bundle: "W-1", Scion: 17}, wider, nil},
		{pairing.Pair{Order: "B", Lot: "L", Stock: 50, Bundle: "W-1", Scion: 16},
			unfit(technique.Misfit{Limit: technique.RatioLow, Ratio: 0.45}), nil},
		{pairing.Pair{Order: "B", Lot: "L", Stock: 16, Bundle: "V-1", Scion: 16}, pairing.Reason{Cause: pairing.NoSuch, Wood: true}, nil},
		{pairing.Pair{Order: "B", Lot: "L", Stock: 17, Bundle: "W-1", Scion: 16}, pairing.Reason{Cause: pairing.NoSuch}, nil},
	} {
		a, err := pairing.WhyNot(p, w, c.ask)
		require.NoError(t, err)
		assert.Equal(t, c.why, a.Reason)
		assert.Equal(t, c.ask, a.Ask)
		var by []string
		for _, th := range a.Threads {
			by = append(by, th.Order)
		}
		assert.Equal(t, c.by, by)
	}
	_, err = pairing.WhyNot(p, w, pairing.Pair{Order: "C"})
	assert.ErrorIs(t, err, pairing.ErrNamed)
}

func ExampleSolve() {
	w, _ := pairing.Solve(pairing.Programme{
		Orders: []pairing.Order{{ID: "O-1", Variety: "Grey Wether", Stock: "Brae", Grafts: 30, Shortage: 3, Ways: ways}},
		Stock:  []pairing.Pile{{ID: "L-1", Of: "Brae", Classes: []caliper.Count{{Class: 16, N: 20}, {Class: 20, N: 20}}}},
		Wood:   []pairing.Pile{{ID: "W-1", Of: "Grey Wether", Classes: []caliper.Count{{Class: 15, N: 25}, {Class: 14, N: 20}}}}})
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
