package benchday_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/benchday"
)

// TestPreparingStemsFillsHalfDaysToo: a worker of 3 + 3 hours and 200 whips at 40 an hour with a quarter of a minute a
// stem has 200 × (1.5 + 0.25) min and more to do, and no half-day is planned over its hours.
func TestPreparingStemsFillsHalfDaysToo(t *testing.T) {
	p := benchday.Problem{Slots: 2, Rate: rates, TagSize: 25, ShareOver: 50, Seats: 1,
		Hands: []benchday.Hand{{ID: "a", Speed: 1, Knows: map[string]bool{"whip": true}, Hours: []float64{3, 3}}},
		Jobs: []benchday.Job{{Batch: "b", Technique: "whip", Lot: "l", Bundle: "w", Grafts: 200, Latest: 1, Weight: 1, Keep: 1,
			Prepare: 0.25 / 60}}}
	x, err := benchday.Solve(p)
	require.NoError(t, err)
	assert.Empty(t, overfilled(p, x))
	assert.GreaterOrEqual(t, x.LateCost, x.Bound-1e-9, "and the bound is one")

	for seed := range uint64(15) {
		r := rand.New(rand.NewPCG(seed, 7))
		p := house(r, 3+r.IntN(15), 1+r.IntN(6), 4+r.IntN(10), 0.5+r.Float64())
		for i := range p.Jobs {
			p.Jobs[i].Prepare = []float64{0.2, 0.25, 0.5}[r.IntN(3)] / 60
		}
		x, err := benchday.Solve(p)
		require.NoError(t, err)
		require.Empty(t, overfilled(p, x), "seed %d", seed)
		require.GreaterOrEqual(t, x.LateCost, x.Bound-1e-6, "seed %d", seed)
	}
}

func overfilled(p benchday.Problem, x benchday.Plan) (out []benchday.Trouble) {
	for _, t := range benchday.Check(p, x.Pieces) {
		if t.Kind == benchday.Full {
			out = append(out, t)
		}
	}
	return out
}
