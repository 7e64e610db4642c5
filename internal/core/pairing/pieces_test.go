package pairing_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
)

// taking gives ways that take so many pieces a stem.
func taking(pieces ...int) []pairing.Way {
	out := slices.Clone(ways)
	for i, n := range pieces {
		out[i].Pieces = n
	}
	return out
}

func TestTwoPiecesAStemAreTheCheapestThereIs(t *testing.T) {
	r := rand.New(rand.NewPCG(61, 62))
	for i := range 120 {
		p := one(r.IntN(6), 0.05+r.Float64()*2, taking(2, 2), randomPiles(r, "L", 1, 3, 3), randomPiles(r, "B", 1, 3, 6))
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		conserved(t, p, w)
		// The same with as many pieces as there are pairs of them.
		halved, by := p, map[caliper.Class]int{}
		for _, c := range p.Wood[0].Classes {
			by[c.Class] += c.N
		}
		halved.Wood = []pairing.Pile{{ID: p.Wood[0].ID, Risk: p.Wood[0].Risk}}
		for c, n := range by {
			halved.Wood[0].Classes = append(halved.Wood[0].Classes, caliper.Count{Class: c, N: n / 2})
		}
		require.InDelta(t, brute(halved), w.Cost, 1e-9, "instance %d", i)
		require.InDelta(t, w.Bound, w.Cost, 1e-6)
	}
}

func TestMixedPiecesLeaveNothingThatGoesTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(63, 64))
	paired := 0
	for i := range 60 {
		p := middling(r)
		for k := range p.Orders {
			p.Orders[k].Ways = taking(1+r.IntN(2), 1+r.IntN(2))
		}
		w, err := pairing.Solve(p)
		require.NoError(t, err)
		conserved(t, p, w)
		require.GreaterOrEqual(t, w.Cost, w.Bound-1e-6, "programme %d", i)
		paired += w.Paired
		// Whoever is short finds no stem and pieces left that any way joins.
		for _, f := range w.Orders {
			o := p.Orders[slices.IndexFunc(p.Orders, func(o pairing.Order) bool { return o.ID == f.Order })]
			if f.Short == 0 {
				continue
			}
			of := func(ps []pairing.Pile, id string) string {
				return ps[slices.IndexFunc(ps, func(x pairing.Pile) bool { return x.ID == id })].Of
			}
			for _, l := range w.LeftStock {
				for _, b := range w.LeftWood {
					if of(p.Stock, l.Pile) != o.Stock || of(p.Wood, b.Pile) != o.Variety {
						continue
					}
					for _, y := range o.Ways {
						require.False(t, y.Joins(l.Class, b.Class) && b.N >= y.Pieces && y.Cost(l.Class, b.Class)+0.2 < o.Shortage,
							"programme %d, %s: %d of %s are left with %d of %s", i, o.ID, l.N, l.Pile, b.N, b.Pile)
					}
				}
			}
		}
	}
	require.Positive(t, paired)
}

func TestAnOddPieceIsLeftForWhatItIs(t *testing.T) {
	p := one(9, 3, taking(2, 2), []pairing.Pile{{ID: "L", Classes: []caliper.Count{{Class: 16, N: 9}}}},
		[]pairing.Pile{{ID: "B", Classes: []caliper.Count{{Class: 15, N: 5}, {Class: 16, N: 1}}}})
	w, err := pairing.Solve(p)
	require.NoError(t, err)
	require.Len(t, w.Threads, 1)
	assert.Equal(t, 2, w.Threads[0].N)
	assert.Equal(t, 4, w.Threads[0].Pieces())
	odd := pairing.Reason{Cause: pairing.Odd, Wood: true}
	assert.Equal(t, []pairing.Left{{Pile: "B", Class: 15, N: 1, Why: odd}, {Pile: "B", Class: 16, N: 1, Why: odd}}, w.LeftWood)
	// Held, it takes its pieces; more than there are for cannot be.
	h := w.Threads[0]
	p.Held = []pairing.Thread{h}
	kept, err := pairing.Solve(p)
	require.NoError(t, err)
	assert.Equal(t, w.LeftWood, kept.LeftWood)
	h.N = 3
	p.Held = []pairing.Thread{h}
	_, err = pairing.Solve(p)
	var no *pairing.HeldError
	require.ErrorAs(t, err, &no)
	assert.Equal(t, pairing.BundleHas, no.Reason.Cause)
	assert.Equal(t, 2, no.Has)
}
