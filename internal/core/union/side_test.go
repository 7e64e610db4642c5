package union_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/union"
)

var all = []string{
	"splice",
	"whip-and-tongue",
	"cleft-one-side",
	"off-centre-cleft",
	"saddle",
	"tool-cut",
	"side-veneer",
	"bark-flap",
	"chip-bud",
	"t-bud",
}

// across gives how far an outline reaches across the stems.
func across(l union.Line) float64 {
	low, high := math.Inf(1), math.Inf(-1)
	for _, q := range l.Points {
		low, high = math.Min(low, q.Y), math.Max(high, q.Y)
	}
	return high - low
}

func TestEveryTechniqueIsDrawnFromTheSide(t *testing.T) {
	for _, k := range all {
		for _, s := range []union.Stems{{Stock: 9.5, Scion: 7.8}, {Stock: 8, Scion: 8}, {Stock: 40, Scion: 9}} {
			d, err := union.SideOf(k, s, union.Long)
			require.NoError(t, err, k)
			of := map[string]int{}
			for _, b := range append(d.Bodies, d.Cuts...) {
				of[b.Of]++
				require.GreaterOrEqual(t, len(b.Points), 2, k)
				for _, q := range b.Points {
					require.False(t, math.IsNaN(q.X+q.Y) || math.IsInf(q.X+q.Y, 0), k)
				}
			}
			assert.Positive(t, of["stock"], k)
			assert.Positive(t, of["scion"], k)
			assert.InDelta(t, s.Stock, across(d.Bodies[0]), 1e-9, "%s: the stock is as wide as it is", k)
			for _, m := range d.Measures {
				assert.Greater(t, m.To, m.From, k)
				assert.NotEmpty(t, m.Of)
			}
		}
	}
	_, err := union.SideOf("glue", union.Stems{Stock: 9, Scion: 8}, union.Long)
	assert.ErrorIs(t, err, union.ErrCut)
	_, err = union.SideOf("splice", union.Stems{}, union.Long)
	assert.ErrorIs(t, err, union.ErrCut)
}

func TestTheSaddlesWedgeIsAsLongAsItsFace(t *testing.T) {
	d, err := union.SideOf("saddle", union.Stems{Stock: 10, Scion: 10}, union.Long)
	require.NoError(t, err)
	m := d.Measures[0]
	assert.InDelta(t, 25, math.Hypot(m.To-m.From, 5), 1e-9, "a face of 2.5 × the stock")
}
