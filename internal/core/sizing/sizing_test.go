package sizing_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/sizing"
)

func reference(t *testing.T, into any) {
	t.Helper()
	raw, err := os.ReadFile("../testdata/craft.json")
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, into))
}

func TestIntervalsMatchTheReference(t *testing.T) {
	var ref struct {
		Interval []struct {
			Took, Of         int
			PriorAlpha       float64 `json:"prior_alpha"`
			PriorBeta        float64 `json:"prior_beta"`
			Mean, Lo90, Hi90 float64
		}
	}
	reference(t, &ref)
	require.NotEmpty(t, ref.Interval)
	for i, c := range ref.Interval {
		got := sizing.Beta{Alpha: c.PriorAlpha, Beta: c.PriorBeta}.And(c.Took, c.Of).Interval90()
		assert.InDelta(t, c.Mean, got.Mean, 1e-4, "case %d", i)
		assert.InDelta(t, c.Lo90, got.Low, 1e-4, "case %d", i)
		assert.InDelta(t, c.Hi90, got.High, 1e-4, "case %d", i)
	}
}

func TestGraftsMatchTheReference(t *testing.T) {
	var ref struct {
		Sizing []struct {
			TreesWanted int `json:"trees_wanted"`
			Chance      float64
			Alpha, Beta float64
			Grafts      int
		}
	}
	reference(t, &ref)
	require.NotEmpty(t, ref.Sizing)
	for i, c := range ref.Sizing {
		got, err := sizing.Grafts(c.TreesWanted, c.Chance, sizing.Beta{Alpha: c.Alpha, Beta: c.Beta})
		require.NoError(t, err)
		assert.Equal(t, c.Grafts, got, "case %d: %+v", i, c)
	}
}

func TestGraftsIsTheLeastThatWillDo(t *testing.T) {
	for _, trees := range []int{1, 5, 17, 140, 2500} {
		for _, chance := range []float64{0.6, 0.9, 0.99} {
			for _, b := range []sizing.Beta{{Alpha: 36, Beta: 4}, {Alpha: 0.7, Beta: 0.4}, {Alpha: 400, Beta: 90}} {
				n, err := sizing.Grafts(trees, chance, b)
				require.NoError(t, err)
				assert.GreaterOrEqual(t, b.ChanceOf(trees, n), chance)
				assert.Less(t, b.ChanceOf(trees, n-1), chance)
			}
		}
	}
}

func TestGraftsSaysWhenNoneWillDo(t *testing.T) {
	_, err := sizing.Grafts(10, 1, sizing.Beta{Alpha: 1, Beta: 1})
	assert.ErrorIs(t, err, sizing.ErrNever)
	_, err = sizing.Grafts(10, 0.9, sizing.Beta{Alpha: 0, Beta: 1})
	assert.ErrorIs(t, err, sizing.ErrNever)
	n, err := sizing.Grafts(0, 0.9, sizing.Beta{Alpha: 1, Beta: 1})
	assert.NoError(t, err)
	assert.Zero(t, n)
}

func TestChancesAddUp(t *testing.T) {
	b := sizing.Beta{Alpha: 9, Beta: 2}
	for trees := 0; trees <= 41; trees++ {
		assert.GreaterOrEqual(t, b.ChanceOf(trees, 40), b.ChanceOf(trees+1, 40))
	}
	assert.InDelta(t, 1, b.ChanceOf(0, 40), 0)
	assert.InDelta(t, 0, b.ChanceOf(41, 40), 0)
}

func TestShiftMovesOnTheLogitScale(t *testing.T) {
	assert.InDelta(t, 0.91, sizing.Shift(0.91, 0), 1e-12)
	assert.InDelta(t, 0.771, sizing.Shift(0.91, -1.1), 0.001)
}

func ExampleGrafts() {
	own := sizing.Prior(0.91, 40).And(171, 190)
	n, _ := sizing.Grafts(140, 0.9, own)
	fmt.Println("graft", n, "for 140 trees, nine years in ten")
	// Output: graft 162 for 140 trees, nine years in ten
}

// TestTwoRatesInTurnAreAsOne holds the beta of a product against draws of it.
func TestTwoRatesInTurnAreAsOne(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for _, x := range [][2]sizing.Beta{{sizing.Prior(0.97, 60), sizing.Prior(0.96, 60)}, {sizing.Prior(0.5, 4), sizing.Prior(0.9, 20)},
		{sizing.Prior(0.99, 260), sizing.Prior(0.7, 30)}} {
		b := x[0].Times(x[1])
		below, n := 0, 20_000
		cut := b.Quantile(0.1)
		sum := 0.0
		for range n {
			p := distuv.Beta{Alpha: x[0].Alpha, Beta: x[0].Beta, Src: r}.Rand() * distuv.Beta{Alpha: x[1].Alpha, Beta: x[1].Beta,
				Src: r}.Rand()
			sum += p
			if p < cut {
				below++
			}
		}
		assert.InDelta(t, sum/float64(n), b.Mean(), 0.003)
		assert.InDelta(t, 0.1, float64(below)/float64(n), 0.015, "%v", x)
	}
}
