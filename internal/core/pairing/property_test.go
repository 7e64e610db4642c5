package pairing_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
)

// middling makes a programme of several dozen orders, most varieties wanted
// on several stocks, with some of everything scarce.
func middling(r *rand.Rand) pairing.Programme {
	p := pairing.Programme{}
	types, varieties := 2+r.IntN(4), 3+r.IntN(8)
	for v := range varieties {
		for k := range types {
			if r.IntN(3) > 0 {
				p.Orders = append(
					p.Orders,
					pairing.Order{
						ID:       fmt.Sprint("O", v, "-", k),
						Variety:  fmt.Sprint("V", v),
						Stock:    fmt.Sprint("T", k),
						Grafts:   r.IntN(90),
						Shortage: []float64{9, 3, 1.5}[r.IntN(3)],
						Ways:     ways,
					},
				)
			}
		}
		for _, pile := range randomPiles(r, fmt.Sprint("B", v, "-"), 1+r.IntN(3), 6, 25) {
			pile.Of = fmt.Sprint("V", v)
			p.Wood = append(p.Wood, pile)
		}
	}
	for k := range types {
		for _, pile := range randomPiles(r, fmt.Sprint("L", k, "-"), 1+r.IntN(3), 8, 60) {
			pile.Of = fmt.Sprint("T", k)
			p.Stock = append(p.Stock, pile)
		}
	}
	return p
}

func TestRandomProgrammesStayByTheirBound(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	for i := range 60 {
		p := middling(r)
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		conserved(t, p, w)
		require.GreaterOrEqual(t, w.Cost, w.Bound-1e-6, "programme %d", i)
		require.LessOrEqual(t, w.Cost, w.Bound*1.002+0.4, "programme %d of %d orders", i, len(p.Orders))
	}
}

// With more wood a weave never costs more, and with a thread held never less.
func TestMoreWoodHelpsAndHoldingCosts(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	for i := range 30 {
		p := middling(r)
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		more := p
		more.Wood = append([]pairing.Pile(nil), p.Wood...)
		for v := range 11 {
			more.Wood = append(
				more.Wood,
				pairing.Pile{ID: fmt.Sprint("more", v), Of: fmt.Sprint("V", v), Classes: []caliper.Count{{Class: 16, N: 50}}},
			)
		}
		richer, err := pairing.Solve(more)
		require.NoError(t, err)
		assert.LessOrEqual(t, richer.Bound, w.Bound+1e-6, "programme %d", i)
		if len(w.Threads) == 0 {
			continue
		}
		h := w.Threads[r.IntN(len(w.Threads))]
		p.Held = []pairing.Thread{h}
		kept, err := pairing.Solve(p)
		require.NoError(t, err)
		conserved(t, p, kept)
		assert.GreaterOrEqual(t, kept.Bound, w.Bound-1e-4*(1+w.Bound))
		assert.True(t, kept.Threads[0].Held || len(kept.Threads) > 1)
		p.Held, p.Banned = nil, []pairing.Pair{{Lot: h.Lot, Bundle: h.Bundle}}
		apart, err := pairing.Solve(p)
		require.NoError(t, err)
		for _, x := range apart.Threads {
			assert.False(t, x.Lot == h.Lot && x.Bundle == h.Bundle)
		}
		assert.GreaterOrEqual(t, apart.Bound, w.Bound-1e-4*(1+w.Bound))
	}
}

func TestAProgrammeWithoutAnything(t *testing.T) {
	for _, p := range []pairing.Programme{{}, {Orders: []pairing.Order{{ID: "a", Ways: ways}}},
		{Orders: []pairing.Order{{ID: "a", Grafts: 3, Shortage: 2}}}, {Stock: []pairing.Pile{{ID: "L"}}}} {
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		assert.Empty(t, w.Threads)
		assert.InDelta(t, w.Bound, w.Cost, 1e-9)
	}
}
