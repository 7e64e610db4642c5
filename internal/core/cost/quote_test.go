package cost_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/cost"
	"unionknot/internal/core/sizing"
)

// TestAQuotationByHand: 100 trees of 140 grafts (120 to 170), of which 80 % live (90 to 70), at
// prices that can be added up on paper.
func TestAQuotationByHand(t *testing.T) {
	j := cost.Job{Trees: 100, Grafts: 140, Few: 120, Many: 170, Live: sizing.Interval{Mean: 0.8, Low: 0.7, High: 0.9}, Grade: 0.95,
		Stems: 1.05, Pieces: 1.1, Joins: 1, Labels: 0.5, Hours: 0.05, Days: 0.01}
	p := cost.Prices{Stem: 100, Piece: 20, Tie: 5, Seal: 2, Label: 4, Hour: 2000, BenchDay: 1000, CareMinutes: 6}
	q := cost.Quote(j, p)
	assert.InDelta(t, 140*1.05*100, q.Parts[cost.Stem], 1e-9)
	assert.InDelta(t, 140*1.1*20, q.Parts[cost.Wood], 1e-9)
	assert.InDelta(t, 140*5, q.Parts[cost.Tie], 1e-9)
	assert.InDelta(t, 140*0.05*2000, q.Parts[cost.Work], 1e-9)
	assert.InDelta(t, 140*0.8*200, q.Parts[cost.Aftercare], 1e-9, "six minutes of each that lives")
	assert.InDelta(t, 140*0.01*1000, q.Parts[cost.Overhead], 1e-9)
	each := 1.05*100 + 1.1*20 + 5 + 2 + 0.5*4 + 0.05*2000 + 0.01*1000
	assert.InDelta(t, 140*(each+0.8*200), q.Cost.Mean, 1e-6)
	assert.InDelta(t, 120*(each+0.9*200), q.Cost.Low, 1e-6)
	assert.InDelta(t, 170*(each+0.7*200), q.Cost.High, 1e-6)
	assert.InDelta(t, q.Cost.Mean/100, q.Tree.Mean, 1e-9)
	assert.InDelta(t, 140*0.8*0.95-100, q.Spare, 1e-9)
	price := q.Price(0.25)
	assert.Zero(t, price%5)
	assert.InDelta(t, q.Tree.Mean*1.25, float64(price), 5)
	assert.GreaterOrEqual(t, float64(price), q.Tree.Mean*1.25-1e-6, "rounded up")
}

// TestCheaperIsHowOftenItIs draws takes from what is known of them and counts.
func TestCheaperIsHowOftenItIs(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	p := cost.Prices{Stem: 100, Hour: 1800, CareMinutes: 5}
	for range 8 {
		a := cost.Made{Grafts: 100, Counted: 100, Alive: 70 + r.IntN(20), Hours: 4 + 2*r.Float64()}
		b := cost.Made{Grafts: 80, Counted: 80, Alive: 50 + r.IntN(25), Hours: 3 + 2*r.Float64()}
		draw := func(m cost.Made) float64 {
			take := distuv.Beta{Alpha: 1 + float64(m.Alive), Beta: 1 + float64(m.Counted-m.Alive), Src: r}.Rand()
			return (100 + 1800*m.Hours/float64(m.Grafts)) / take
		}
		n, less := 20_000, 0
		for range n {
			if draw(a) < draw(b) {
				less++
			}
		}
		got := cost.Cheaper(a, b, p, p)
		require.False(t, math.IsNaN(got))
		assert.InDelta(t, float64(less)/float64(n), got, 0.015)
		assert.InDelta(t, 1, got+cost.Cheaper(b, a, p, p), 0.005)
	}
	assert.InDelta(t, 0.5, cost.Cheaper(cost.Made{}, cost.Made{Grafts: 5, Counted: 5, Alive: 4}, p, p), 1e-12)
}
