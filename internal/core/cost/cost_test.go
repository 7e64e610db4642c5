package cost_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"unionknot/internal/core/cost"
)

var prices = cost.Prices{Stem: 130, Piece: 35, Tie: 3.6, Seal: 1, Label: 6, Hour: 1600, BenchDay: 4000, CareMinutes: 6}

// TestALiveUnionByHand: 100 grafts, 80 of which live, worked out on paper.
func TestALiveUnionByHand(t *testing.T) {
	m := cost.Made{Grafts: 100, Pieces: 100, Spoiled: 4, SpoiledW: 6, Labels: 10, Hours: 3, BenchDays: 0.4, Alive: 80, Counted: 100,
		Grade: 0.96}
	s := cost.Of(m, prices)
	want := map[cost.Part]float64{cost.Stem: 104 * 130, cost.Wood: 106 * 35, cost.Tie: 360, cost.Seal: 100, cost.Labels: 60,
		cost.Work:     4800,
		cost.Overhead: 1600, cost.Aftercare: 80 * 160}
	sum := 0.0
	for p, w := range want {
		assert.InDelta(t, w, s.Parts[p], 1e-9, "part %d", p)
		assert.InDelta(t, w/80, s.Each(p), 1e-9, "part %d of one", p)
		sum += w
	}
	assert.InDelta(t, sum/80, s.Live.Mean, 1e-9)
	assert.InDelta(t, sum/80/0.96, s.Tree.Mean, 1e-9)
	assert.Less(t, s.Live.Low, s.Live.Mean)
	assert.Greater(t, s.Live.High, s.Live.Mean)
	// Half of them counted stand for all.
	m.Alive, m.Counted = 40, 50
	half := cost.Of(m, prices)
	assert.InDelta(t, s.Live.Mean, half.Live.Mean, 1e-9)
	assert.Greater(t, half.Live.High-half.Live.Low, s.Live.High-s.Live.Low, "fewer counted, a wider range")
	m.Alive = 0
	assert.True(t, math.IsInf(cost.Of(m, prices).Live.Mean, 1), "none lives")
	m.Counted = 0
	assert.True(t, math.IsNaN(cost.Of(m, prices).Live.Mean), "nobody looked")
	assert.NotPanics(t, func() { cost.Of(cost.Made{}, prices) })
}

// TestTheRangeHoldsTheTruth: a 90 % range holds what a live union truly comes to about nine
// times in ten.
func TestTheRangeHoldsTheTruth(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	held, n := 0, 4000
	for range n {
		take, grafts := 0.6+0.35*r.Float64(), 60+r.IntN(200)
		alive := 0
		for range grafts {
			if r.Float64() < take {
				alive++
			}
		}
		m := cost.Made{Grafts: grafts, Pieces: grafts, Labels: 8, Hours: float64(grafts) / 35, Alive: alive, Counted: grafts}
		s := cost.Of(m, prices)
		truth := cost.Of(cost.Made{Grafts: 1_000_000, Pieces: 1_000_000, Labels: 8 * 1_000_000 / grafts, Hours: 1_000_000.0 / 35,
			Alive: int(take * 1_000_000), Counted: 1_000_000}, prices)
		if truth.Live.Mean >= s.Live.Low && truth.Live.Mean <= s.Live.High {
			held++
		}
	}
	assert.InDelta(t, 0.9, float64(held)/float64(n), 0.025)
}

// TestTheCheapestTieHangsOnTheWage: what costs little and must be taken off is the dearer, the
// dearer an hour.
func TestTheCheapestTieHangsOnTheWage(t *testing.T) {
	film := cost.Binding{Material: 3.6, BindMinutes: 0.4}
	tape := cost.Binding{Material: 1.8, BindMinutes: 0.35, OffMinutes: 0.3, Loses: 0.01}
	require.Less(t, tape.PerLive(0.85, 100, 250), film.PerLive(0.85, 100, 250)+3, "where an hour costs little, they are near")
	assert.Greater(t, tape.PerLive(0.85, 2400, 250), film.PerLive(0.85, 2400, 250))
	assert.InDelta(t, (3.6+0.4/60*1600)/0.8, film.PerLive(0.8, 1600, 250), 1e-9)
	assert.True(t, math.IsInf(film.PerLive(0, 1600, 250), 1))
}

func ExampleOf() {
	s := cost.Of(cost.Made{Grafts: 100, Pieces: 100, Hours: 2.5, Alive: 90, Counted: 100}, cost.Prices{Stem: 130, Piece: 35, Hour: 1600})
	fmt.Printf("%.0f cents a live union, %.0f to %.0f\n", s.Live.Mean, s.Live.Low, s.Live.High)
	// Output: 228 cents a live union, 219 to 245
}
