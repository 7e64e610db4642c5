package results

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/sizing"
	"unionknot/internal/store"
)

// TestAGuessHoldsWhatIsOrdered draws seasons of orders and guesses the next: the 90 % range holds
// it about nine times in ten.
func TestAGuessHoldsWhatIsOrdered(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 28))
	held, of := 0, 0
	for range 600 {
		mean, sd := 60+200*r.Float64(), 0.3
		draw := func() int { return max(0, int(math.Round(mean*(1+sd*r.NormFloat64())))) }
		var os []store.Ordered
		seasons := 2 + r.IntN(3)
		for y := range seasons {
			os = append(os, store.Ordered{Season: 2026 - y, Variety: "Lanternjaw", Genus: "pear", Stock: "quince Tarn Q3", Trees: draw()})
		}
		gs, err := guesses(os, nil, 2026, 1, 0.9, 0.96)
		require.NoError(t, err)
		require.Len(t, gs, 1)
		require.Equal(t, seasons, gs[0].Seasons)
		of++
		if next := float64(draw()); next >= gs[0].Trees.Low && next <= gs[0].Trees.High {
			held++
		}
	}
	assert.InDelta(t, 0.88, float64(held)/float64(of), 0.06, "%d of %d", held, of)
}

// TestSumsOfGuessesAddUp: means add, ranges widen less than they would if all went together, and
// twice the trees take about twice the grafts.
func TestSumsOfGuessesAddUp(t *testing.T) {
	os := []store.Ordered{{Season: 2026, Variety: "a", Genus: "pear", Stock: "s", Trees: 100}, {Season: 2026, Variety: "b", Genus: "pear",
		Stock: "s", Trees: 100},
		{Season: 2010, Variety: "c", Genus: "pear", Stock: "s", Trees: 100}}
	ds := []store.TagDetail{{Genus: "pear", Tied: 400, Alive: 320, Joins: 400}}
	gs, err := guesses(os, ds, 2026, 1, 0.9, 0.96)
	require.NoError(t, err)
	require.Len(t, gs, 2, "what was ordered long ago is not guessed")
	all := over(gs, func(Guess) float64 { return 1 })
	assert.InDelta(t, gs[0].Grafts.Mean+gs[1].Grafts.Mean, all.Mean, 1e-9)
	wide := func(x sizing.Interval) float64 { return x.High - x.Low }
	assert.InDelta(t, wide(gs[0].Grafts)*math.Sqrt2, wide(all), 0.12*wide(all), "two that go apart")
	twice, err := guesses(os, ds, 2026, 2, 0.9, 0.96)
	require.NoError(t, err)
	assert.InDelta(t, 2, twice[0].Grafts.Mean/gs[0].Grafts.Mean, 0.1)
	assert.Greater(t, gs[0].Grafts.Mean, 100/0.8/0.96, "more than the mean take asks for, for the chance")
	assert.Zero(t, over(nil, func(Guess) float64 { return 1 }).Mean)
}

// TestWhatIsBookedIsNoLessThanWhatComes draws seasons of which a part is booked beforehand: the
// range holds what comes about nine times in ten, and is never below what is booked.
func TestWhatIsBookedIsNoLessThanWhatComes(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	held, of, narrower := 0, 0, 0
	for range 800 {
		mean := 60 + 200*r.Float64()
		draw := func() int { return max(0, int(math.Round(mean*(1+0.3*r.NormFloat64())))) }
		var os []store.Ordered
		for y := range 3 {
			os = append(os, store.Ordered{Season: 2026 - y, Variety: "Lanternjaw", Genus: "pear", Stock: "quince Tarn Q3", Trees: draw()})
		}
		plain, err := guesses(os, nil, 2026, 1, 0.9, 0.96)
		require.NoError(t, err)
		next := draw()
		// Who books does not wait for what comes in all: a share of it that nobody knows.
		part := int(float64(next) * r.Float64())
		os = append(os, store.Ordered{Season: 2027, Variety: "Lanternjaw", Genus: "pear", Stock: "quince Tarn Q3", Trees: part, Open: part})
		gs, err := guesses(os, nil, 2026, 1, 0.9, 0.96)
		require.NoError(t, err)
		require.Len(t, gs, 1)
		g := gs[0]
		require.Equal(t, part, g.Booked)
		require.GreaterOrEqual(t, g.Trees.Low, float64(part))
		require.GreaterOrEqual(t, g.Trees.Mean, g.Trees.Low)
		of++
		if float64(next) >= g.Trees.Low && float64(next) <= g.Trees.High {
			held++
		}
		if g.Trees.High-g.Trees.Low < plain[0].Trees.High-plain[0].Trees.Low {
			narrower++
		}
	}
	assert.InDelta(t, 0.88, float64(held)/float64(of), 0.06, "%d of %d", held, of)
	assert.Greater(t, narrower, of/2)

	// What was never ordered before stands as it is booked, closed orders and begun ones do not.
	gs, err := guesses([]store.Ordered{{Season: 2027, Variety: "a", Genus: "pear", Stock: "s", Trees: 90, Open: 40}}, nil, 2026, 1.5, 0.9,
		0.96)
	require.NoError(t, err)
	require.Len(t, gs, 1)
	assert.Equal(t, sizing.Interval{Mean: 40, Low: 40, High: 40}, gs[0].Trees)
	assert.Zero(t, gs[0].Seasons)
}
